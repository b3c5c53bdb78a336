//! Output for a terminal, without escape sequences from data.

use std::io::{self, Write};

use keen_notch_core::text::names::{is_terminal_control, stand_in};

/// The size of a permitted escape sequence at the start of a text, if any.
pub type Permitted = fn(&str) -> Option<usize>;

/// Writes text to `writer`, with a visible mark for every character that a terminal may interpret.
///
/// ```
/// use std::io::Write;
/// use keen_notch_io::sink::Visible;
///
/// let mut shown = Vec::new();
/// let mut visible = Visible::new(&mut shown, |_| None);
/// visible.write_all(b"GRP-\x1b[2J1\n")?;
/// visible.flush()?;
/// drop(visible);
/// assert_eq!(String::from_utf8_lossy(&shown), "GRP-␛[2J1\n");
/// # Ok::<(), std::io::Error>(())
/// ```
pub struct Visible<W: Write> {
    writer: W,
    permitted: Permitted,
    /// Bytes that may be the start of a sequence.
    held: Vec<u8>,
    text: String,
}

/// Maximum size in bytes of a sequence that a write can cut.
const LONGEST: usize = 24;

impl<W: Write> Visible<W> {
    pub fn new(writer: W, permitted: Permitted) -> Visible<W> {
        Visible { writer, permitted, held: Vec::new(), text: String::new() }
    }

    /// Writes the buffered text, except an incomplete sequence at its end, unless it `is_last`.
    fn hand_on(&mut self, is_last: bool) -> io::Result<()> {
        let held = std::mem::take(&mut self.held);
        self.text.clear();
        let mut rest = held.as_slice();
        while !rest.is_empty() {
            let (valid, wrong) = match str::from_utf8(rest) {
                Ok(text) => (text, None),
                Err(error) => {
                    let (valid, _) = rest.split_at(error.valid_up_to());
                    (str::from_utf8(valid).unwrap_or_default(), Some(error.error_len()))
                }
            };
            let taken = self.show(valid, is_last || wrong.is_some_and(|length| length.is_some()));
            rest = &rest[taken..];
            match wrong {
                _ if taken < valid.len() => break,
                Some(Some(length)) => {
                    self.text.push(char::REPLACEMENT_CHARACTER);
                    rest = &rest[length..];
                }
                Some(None) if is_last => {
                    self.text.push(char::REPLACEMENT_CHARACTER);
                    rest = &[];
                }
                _ => break,
            }
        }
        self.held.extend_from_slice(rest);
        self.writer.write_all(self.text.as_bytes())
    }

    /// Makes a text visible, except an incomplete sequence at its end, unless it `is_last`. Returns the number of processed bytes.
    fn show(&mut self, text: &str, is_last: bool) -> usize {
        let mut at = 0;
        while let Some(next) = text[at..].find(is_terminal_control_or_return) {
            self.text.push_str(&text[at..at + next]);
            at += next;
            let rest = &text[at..];
            if let Some(length) = (self.permitted)(rest) {
                self.text.push_str(&rest[..length]);
                at += length;
                continue;
            }
            let may_go_on = rest == "\r" || (rest.starts_with('\u{1b}') && rest.len() < LONGEST);
            if may_go_on && !is_last {
                return at;
            }
            if rest.starts_with("\r\n") {
                self.text.push_str("\r\n");
                at += 2;
                continue;
            }
            let width = rest.chars().next().map_or(1, char::len_utf8);
            self.text.push_str(stand_in(&rest[..width]).unwrap_or("▯"));
            at += width;
        }
        self.text.push_str(&text[at..]);
        text.len()
    }
}

/// Line feeds and tabs pass.
fn is_terminal_control_or_return(c: char) -> bool {
    is_terminal_control(c) && c != '\n' && c != '\t'
}

impl<W: Write> Write for Visible<W> {
    fn write(&mut self, bytes: &[u8]) -> io::Result<usize> {
        self.held.extend_from_slice(bytes);
        self.hand_on(false)?;
        Ok(bytes.len())
    }

    fn flush(&mut self) -> io::Result<()> {
        self.hand_on(true)?;
        self.writer.flush()
    }
}

impl<W: Write> Drop for Visible<W> {
    fn drop(&mut self) {
        // An important error was reported by an earlier flush.
        let _ = self.flush();
    }
}

#[cfg(test)]
mod tests {
    use proptest::prelude::*;

    use super::*;

    fn green(text: &str) -> Option<usize> {
        text.starts_with("\u{1b}[32m").then_some(5)
    }

    fn shown(bytes: &[u8], stride: usize) -> String {
        let mut shown = Vec::new();
        let mut visible = Visible::new(&mut shown, green);
        bytes.chunks(stride).for_each(|chunk| visible.write_all(chunk).unwrap());
        drop(visible);
        String::from_utf8(shown).unwrap()
    }

    #[test]
    fn terminal_controls_are_shown_as_marks() {
        for (bytes, expected) in [
            (&b"a,b\r\nc\td\n"[..], "a,b\r\nc\td\n"),
            (b"a\rb\x07\x1b]0;x\x07", "a␍b▯␛]0;x▯"),
            (b"\x1b[32mgreen\x1b[31mred", "\u{1b}[32mgreen␛[31mred"),
            ("\u{9b}2J\u{202e}x\u{2066}é".as_bytes(), "▯2J▯x▯é"),
            (b"a\xFFb\xE2\x82", "a\u{fffd}b\u{fffd}"),
            (b"\x1b[3", "␛[3"),
            (b"x\r", "x␍"),
        ] {
            for stride in [1, 2, 3, 99] {
                assert_eq!(shown(bytes, stride), expected, "{bytes:?} by {stride}");
            }
        }
    }

    proptest! {
        #[test]
        fn terminal_controls_do_not_pass(bytes in proptest::collection::vec(prop_oneof![any::<u8>(), Just(0x1b), Just(b'[')], 0..60), stride in 1_usize..9) {
            let shown = shown(&bytes, stride).replace("\u{1b}[32m", "").replace("\r\n", "");
            prop_assert!(!shown.contains(is_terminal_control_or_return), "{:?}", shown);
        }
    }
}
