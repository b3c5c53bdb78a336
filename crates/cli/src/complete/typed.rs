//! Shells that quote candidates, but pass words with their quotes.

use std::ffi::OsString;
use std::io::{self, Write};
use std::path::Path;

use clap_complete::env::{EnvCompleter, Fish, Zsh};

use super::bash::Line;

/// A shell of this kind.
pub struct AsTyped<S> {
    shell: S,
    unquote: fn(&mut [OsString]),
}

/// Zsh passes every word with its quotes, which follow the rules of bash.
pub const ZSH: AsTyped<Zsh> = AsTyped {
    shell: Zsh,
    unquote: |words| {
        for word in words {
            if let Some(plain) = Line::read(&word.to_string_lossy(), "").word {
                *word = plain.into();
            }
        }
    },
};

/// Fish passes the last word with its quotes.
pub const FISH: AsTyped<Fish> = AsTyped {
    shell: Fish,
    unquote: |words| {
        if let Some(word) = words.last_mut() {
            *word = without_fish_quotes(&word.to_string_lossy()).into();
        }
    },
};

impl<S: EnvCompleter> EnvCompleter for AsTyped<S> {
    fn name(&self) -> &'static str {
        self.shell.name()
    }

    fn is(&self, name: &str) -> bool {
        self.shell.is(name)
    }

    fn write_registration(
        &self,
        variable: &str,
        name: &str,
        bin: &str,
        completer: &str,
        out: &mut dyn Write,
    ) -> io::Result<()> {
        self.shell.write_registration(variable, name, bin, completer, out)
    }

    fn write_complete(
        &self,
        command: &mut clap::Command,
        mut words: Vec<OsString>,
        folder: Option<&Path>,
        out: &mut dyn Write,
    ) -> io::Result<()> {
        (self.unquote)(&mut words);
        let _ = super::WORDS.set(words.clone());
        self.shell.write_complete(command, words, folder, out)
    }
}

fn without_fish_quotes(word: &str) -> String {
    let (mut out, mut quote) = (String::new(), None);
    let mut chars = word.chars().peekable();
    while let Some(c) = chars.next() {
        match c {
            '\'' | '"' if quote.is_none() => quote = Some(c),
            c if quote == Some(c) => quote = None,
            '\\' => {
                let escapes = match quote {
                    None => "",
                    Some('"') => "\"$\\",
                    Some(_) => "'\\",
                };
                match chars.next_if(|next| quote.is_none() || escapes.contains(*next)) {
                    Some(next) => out.push(next),
                    None => out.push(c),
                }
            }
            c => out.push(c),
        }
    }
    out
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn quotes_of_fish() {
        for (word, plain) in [
            ("part", "part"),
            ("'crew i", "crew i"),
            ("\"it's", "it's"),
            ("crew\\ i", "crew i"),
            ("a'b'\"c\"", "abc"),
            ("'it\\'s \\n", "it's \\n"),
            ("\"\\$x\\'", "$x\\'"),
        ] {
            assert_eq!(without_fish_quotes(word), plain);
        }
    }
}
