use std::ffi::OsString;
use std::io::{self, Write};
use std::path::Path;

use clap_complete::env::EnvCompleter;

/// PowerShell, with quoted candidates.
pub struct Powershell;

impl EnvCompleter for Powershell {
    fn name(&self) -> &'static str {
        clap_complete::env::Powershell.name()
    }

    fn is(&self, name: &str) -> bool {
        clap_complete::env::Powershell.is(name)
    }

    fn write_registration(
        &self,
        variable: &str,
        name: &str,
        bin: &str,
        completer: &str,
        out: &mut dyn Write,
    ) -> io::Result<()> {
        clap_complete::env::Powershell.write_registration(variable, name, bin, completer, out)
    }

    fn write_complete(
        &self,
        command: &mut clap::Command,
        words: Vec<OsString>,
        folder: Option<&Path>,
        out: &mut dyn Write,
    ) -> io::Result<()> {
        super::candidates(command, words, folder)?.iter().try_for_each(|text| writeln!(out, "{}", quoted(text)))
    }
}

/// A text as one word. PowerShell also accepts typographic apostrophes as quotes.
fn quoted(text: &str) -> String {
    if text.chars().all(|c| c.is_ascii_alphanumeric() || "_-./:=\\".contains(c)) && !text.is_empty() {
        return text.to_owned();
    }
    let mut out = String::from("'");
    for c in text.chars() {
        if matches!(c, '\'' | '\u{2018}'..='\u{201b}') {
            out.push(c);
        }
        out.push(c);
    }
    out.push('\'');
    out
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn words_are_not_expanded() {
        for (text, word) in [
            ("part_code", "part_code"),
            ("crew id", "'crew id'"),
            ("$(ni pwned)", "'$(ni pwned)'"),
            ("it's", "'it''s'"),
            ("it\u{2019}s", "'it\u{2019}\u{2019}s'"),
            ("", "''"),
        ] {
            assert_eq!(quoted(text), word);
        }
    }
}
