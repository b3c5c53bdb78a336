//! Completions of bash.
//!
//! Bash inserts candidates without quoting them, and passes words with their quotes. This module parses the words, and quotes candidates for
//! the place of the cursor.

use std::ffi::OsString;
use std::io::{self, Write};
use std::path::Path;

use clap_complete::env::EnvCompleter;

/// Bash, with quoted candidates.
pub struct Bash;

/// The command line before and after the cursor, and `COMP_WORDBREAKS`.
const BEFORE: &str = "KEEN_NOTCH_BEFORE";
const AFTER: &str = "KEEN_NOTCH_AFTER";
const BREAKS: &str = "KEEN_NOTCH_BREAKS";

const SCRIPT: &str = r#"
_NAME_complete() {
    local candidate
    COMPREPLY=()
    while IFS= read -r candidate; do
        COMPREPLY+=("$candidate")
    done < <(
        VARIABLE=bash BEFORE="${COMP_LINE:0:COMP_POINT}" AFTER="${COMP_LINE:COMP_POINT}" BREAKS="$COMP_WORDBREAKS" \
            COMPLETER -- "$1" 2>/dev/null
    )
    if [[ ${#COMPREPLY[@]} -eq 1 && ${COMPREPLY[0]} == *[=/:] ]]; then
        compopt -o nospace 2>/dev/null
    fi
}
complete -o bashdefault -o nosort -F _NAME_complete BIN 2>/dev/null || complete -o bashdefault -F _NAME_complete BIN
"#;

impl EnvCompleter for Bash {
    fn name(&self) -> &'static str {
        "bash"
    }

    fn is(&self, name: &str) -> bool {
        name == "bash"
    }

    fn write_registration(
        &self,
        variable: &str,
        name: &str,
        bin: &str,
        completer: &str,
        out: &mut dyn Write,
    ) -> io::Result<()> {
        let script = SCRIPT
            .replace("NAME", &name.replace('-', "_"))
            .replace("VARIABLE", variable)
            .replace("BEFORE=", &format!("{BEFORE}="))
            .replace("AFTER=", &format!("{AFTER}="))
            .replace("BREAKS=", &format!("{BREAKS}="))
            .replace("COMPLETER", &quoted(completer, Quote::None))
            .replace("BIN", &quoted(bin, Quote::None));
        out.write_all(script.as_bytes())
    }

    fn write_complete(
        &self,
        command: &mut clap::Command,
        mut words: Vec<OsString>,
        folder: Option<&Path>,
        out: &mut dyn Write,
    ) -> io::Result<()> {
        let variable = |name| std::env::var(name).unwrap_or_default();
        let line = Line::read(&variable(BEFORE), &variable(BREAKS));
        let Some(typed) = line.word else { return Ok(()) };
        words.extend(line.words.into_iter().skip(1).map(OsString::from));
        let _ = super::WORDS.set(words.iter().cloned().chain(words_after(&variable(AFTER))).collect());
        words.push(typed.clone().into());
        for candidate in super::candidates(command, words, folder)? {
            if let Some(rest) = candidate.strip_prefix(&typed) {
                writeln!(out, "{}{}", line.segment, quoted(rest, line.quote))?;
            }
        }
        Ok(())
    }
}

#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Quote {
    None,
    Single,
    Double,
}

#[derive(Debug, PartialEq)]
pub struct Line {
    /// The words before the one at the cursor, without their quotes.
    pub words: Vec<String>,
    /// The word at the cursor; `None` if bash would expand it.
    pub word: Option<String>,
    /// The typed part of that word, which bash replaces by a candidate.
    pub segment: String,
    pub quote: Quote,
}

impl Line {
    /// Parses a line like bash (its manual, section Quoting). `breaks` are the characters at which readline starts a segment.
    pub fn read(line: &str, breaks: &str) -> Line {
        let (mut words, mut word, mut is_in_word, mut is_expanded) = (Vec::new(), String::new(), false, false);
        let (mut quote, mut quoted_from, mut start) = (Quote::None, 0, 0);
        let mut end = line.len();
        let mut chars = line.char_indices().peekable();
        while let Some((at, c)) = chars.next() {
            let is_blank = quote == Quote::None && matches!(c, ' ' | '\t' | '\n');
            is_in_word |= !is_blank;
            match (quote, c) {
                (Quote::None, '\'' | '"') => {
                    quote = if c == '"' { Quote::Double } else { Quote::Single };
                    quoted_from = at + 1;
                }
                (Quote::Single, '\'') | (Quote::Double, '"') => quote = Quote::None,
                (Quote::None | Quote::Double, '\\') => match chars.peek() {
                    Some((_, next)) if quote == Quote::None || "$`\"\\".contains(*next) => {
                        word.push(*next);
                        chars.next();
                    }
                    Some(_) => word.push(c),
                    // A candidate has its own escape.
                    None => end = at,
                },
                (Quote::None | Quote::Double, '$' | '`') => is_expanded = true,
                (Quote::None, '~') if word.is_empty() => is_expanded = true,
                (Quote::None, ' ' | '\t' | '\n' | '|' | '&' | ';' | '(' | ')' | '<' | '>') => {
                    if is_in_word && is_blank || !word.is_empty() {
                        words.push(std::mem::take(&mut word));
                    }
                    (is_in_word, is_expanded) = (false, false);
                }
                _ => word.push(c),
            }
            if quote == Quote::None && breaks.contains(c) && !matches!(c, '\'' | '"' | '\\') {
                start = at + c.len_utf8();
            }
        }
        if quote != Quote::None {
            start = quoted_from;
        }
        let segment = line.get(start..end).unwrap_or_default().to_owned();
        Line { words, word: (!is_expanded).then_some(word), segment, quote }
    }
}

fn words_after(line: &str) -> Vec<OsString> {
    // Text that touches the cursor belongs to its word.
    let rest = line.find([' ', '\t']).map_or("", |blank| &line[blank..]);
    let Line { words, word, .. } = Line::read(rest, "");
    words.into_iter().chain(word).map(OsString::from).collect()
}

/// A text in a form that bash reads literally. Readline adds the closing quote, unless the text ends with one.
fn quoted(text: &str, quote: Quote) -> String {
    let mut out = String::new();
    let mut chars = text.chars().peekable();
    while let Some(c) = chars.next() {
        let is_last = chars.peek().is_none();
        match (quote, c) {
            (Quote::None, c) if c.is_ascii() && !c.is_ascii_alphanumeric() && !"_-./:=,+@%".contains(c) => {
                out.extend(['\\', c])
            }
            (Quote::Single, '\'') => out.push_str(if is_last { "'\\'" } else { "'\\''" }),
            (Quote::Double, '"') if is_last => out.push_str("\"\\\""),
            // In double quotes, a backslash does not prevent history expansion.
            (Quote::Double, '!') => out.push_str(if is_last { "\"\\!\"\"" } else { "\"\\!\"" }),
            (Quote::Double, '$' | '`' | '"' | '\\') => out.extend(['\\', c]),
            (_, c) => out.push(c),
        }
    }
    out
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn words_after_the_cursor() {
        for (line, words) in [
            (" 'my parts.csv' -q", vec!["my parts.csv", "-q"]),
            ("de parts.csv", vec!["parts.csv"]),
            ("de", vec![""]),
            ("", vec![""]),
        ] {
            assert_eq!(words_after(line), words, "{line}");
        }
    }

    #[test]
    fn lines_are_read_as_bash_reads_them() {
        let breaks = " \t\n\"'@><=;|&(:";
        for (line, words, word, segment, quote) in [
            ("k survey a.csv -c ", vec!["k", "survey", "a.csv", "-c"], Some(""), "", Quote::None),
            ("k 'my parts.csv' -c pa", vec!["k", "my parts.csv", "-c"], Some("pa"), "pa", Quote::None),
            ("k my\\ parts.csv -c \"crew i", vec!["k", "my parts.csv", "-c"], Some("crew i"), "crew i", Quote::Double),
            ("k -c 'it'\\''s", vec!["k", "-c"], Some("it's"), "s", Quote::Single),
            ("k -c a\\$b", vec!["k", "-c"], Some("a$b"), "a\\$b", Quote::None),
            ("k -c a\\", vec!["k", "-c"], Some("a"), "a", Quote::None),
            ("k -c \"a\\", vec!["k", "-c"], Some("a"), "a", Quote::Double),
            ("k -c \"a\\\"\\b", vec!["k", "-c"], Some("a\"\\b"), "a\\\"\\b", Quote::Double),
            ("k --column=pa", vec!["k"], Some("--column=pa"), "pa", Quote::None),
            ("k -p no:\\ fi", vec!["k", "-p"], Some("no: fi"), "\\ fi", Quote::None),
            ("k -c ''", vec!["k", "-c"], Some(""), "''", Quote::None),
            ("k '' -c ", vec!["k", "", "-c"], Some(""), "", Quote::None),
            ("k -c $x", vec!["k", "-c"], None, "$x", Quote::None),
            ("k <a.csv -c x", vec!["k", "a.csv", "-c"], Some("x"), "x", Quote::None),
        ] {
            let words = words.into_iter().map(str::to_owned).collect();
            let expected = Line { words, word: word.map(str::to_owned), segment: segment.to_owned(), quote };
            assert_eq!(Line::read(line, breaks), expected, "{line}");
        }
    }
}
