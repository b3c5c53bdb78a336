//! A streaming tokenizer for large XML parts.
//!
//! A sheet has tens of bytes of XML per byte of value. This tokenizer only finds the ends of tags, which is much faster than a general
//! XML reader.

use std::borrow::Cow;
use std::io::{ErrorKind, Read};

use memchr::memmem::find;
use memchr::{memchr, memchr3};

const STRIDE: usize = 256 << 10;

/// A token. Names have no prefixes.
#[derive(Debug, PartialEq, Eq)]
pub enum Token<'b> {
    Open { name: &'b [u8], attributes: &'b [u8], is_empty: bool },
    Close(&'b [u8]),
    Text(&'b [u8]),
    Plain(&'b [u8]),
}

pub struct Tokens<R> {
    reader: R,
    buffer: Vec<u8>,
    at: usize,
    end: usize,
    has_ended: bool,
    most: usize,
}

enum TokenRange {
    Tag { start: usize, end: usize },
    Text { start: usize, end: usize },
    Plain { start: usize, end: usize },
}

impl<R: Read> Tokens<R> {
    /// Tokenizes a reader. A token of more than `most` bytes is an error.
    pub fn new(reader: R, most: usize) -> Tokens<R> {
        Tokens { reader, buffer: vec![0; STRIDE], at: 0, end: 0, has_ended: false, most }
    }

    /// The next token, or `Some(None)` at the end; `None` if the XML is damaged.
    pub fn next(&mut self) -> Option<Option<Token<'_>>> {
        let found = loop {
            let held = &self.buffer[self.at..self.end];
            let start = self.at;
            let (width, token) = match held {
                [] if self.has_ended => return Some(None),
                [] => (None, None),
                [b'<', b'?', ..] => (find(held, b"?>").map(|end| end + 2), None),
                [b'<', b'!', b'-', b'-', ..] => (find(held, b"-->").map(|end| end + 3), None),
                [b'<', b'!', b'[', ..] => {
                    let end = find(held, b"]]>");
                    let inner = held.starts_with(b"<![CDATA[").then_some(start + 9);
                    let plain = end.map(|end| Some(TokenRange::Plain { start: inner?, end: start + end }));
                    (end.map(|end| end + 3), plain.flatten())
                }
                [b'<', b'!', ..] if held.len() < 4 && !self.has_ended => (None, None),
                // Workbooks have no document type declaration.
                [b'<', b'!', _, ..] => return None,
                [b'<', ..] => {
                    let end = tag_end(held);
                    (end.map(|end| end + 1), end.map(|end| TokenRange::Tag { start: start + 1, end: start + end }))
                }
                _ => {
                    let end = memchr(b'<', held).or(self.has_ended.then_some(held.len()));
                    (end, end.map(|end| TokenRange::Text { start, end: start + end }))
                }
            };
            match width {
                Some(width) => {
                    self.at += width;
                    if let Some(token) = token {
                        break token;
                    }
                }
                None if self.has_ended => return None,
                None => self.fill()?,
            }
        };
        Some(Some(match found {
            TokenRange::Text { start, end } => Token::Text(&self.buffer[start..end]),
            TokenRange::Plain { start, end } => Token::Plain(&self.buffer[start..end]),
            TokenRange::Tag { start, end } => tag(&self.buffer[start..end]),
        }))
    }

    /// The text between two tags, if it comes next and is completely in the buffer. Otherwise reads nothing.
    pub fn between(&mut self, open: &[u8], close: &[u8]) -> Option<&[u8]> {
        let held = self.buffer[self.at..self.end].strip_prefix(open)?;
        let width = memchr(b'<', held).filter(|end| held[*end..].starts_with(close))?;
        let start = self.at + open.len();
        self.at = start + width + close.len();
        Some(&self.buffer[start..start + width])
    }

    /// Reads more. `None` on read errors and for oversized tokens.
    fn fill(&mut self) -> Option<()> {
        self.buffer.copy_within(self.at..self.end, 0);
        (self.at, self.end) = (0, self.end - self.at);
        if self.end == self.buffer.len() {
            if self.end >= self.most {
                return None;
            }
            self.buffer.resize(self.end * 2, 0);
        }
        loop {
            match self.reader.read(&mut self.buffer[self.end..]) {
                Ok(0) => self.has_ended = true,
                Ok(read) => self.end += read,
                Err(error) if error.kind() == ErrorKind::Interrupted => continue,
                Err(_) => return None,
            }
            return Some(());
        }
    }
}

/// The end of a tag: its `>`, ignoring quoted values.
fn tag_end(bytes: &[u8]) -> Option<usize> {
    let mut at = 1;
    loop {
        at += memchr3(b'>', b'"', b'\'', bytes.get(at..)?)?;
        if bytes[at] == b'>' {
            return Some(at);
        }
        at += 2 + memchr(bytes[at], bytes.get(at + 1..)?)?;
    }
}

fn tag(inside: &[u8]) -> Token<'_> {
    if let Some(name) = inside.strip_prefix(b"/") {
        return Token::Close(local(name.trim_ascii_end()));
    }
    let (inside, is_empty) = inside.strip_suffix(b"/").map_or((inside, false), |inside| (inside, true));
    let width = inside.iter().position(u8::is_ascii_whitespace).unwrap_or(inside.len());
    Token::Open { name: local(&inside[..width]), attributes: &inside[width..], is_empty }
}

fn local(name: &[u8]) -> &[u8] {
    name.iter().position(|byte| *byte == b':').map_or(name, |colon| &name[colon + 1..])
}

/// The raw names and values of attributes, up to the first syntax error.
pub fn attributes(mut written: &[u8]) -> impl Iterator<Item = (&[u8], &[u8])> {
    std::iter::from_fn(move || {
        written = written.trim_ascii_start();
        let equals = memchr(b'=', written)?;
        let name = written[..equals].trim_ascii_end();
        let rest = written[equals + 1..].trim_ascii_start();
        let quote = *rest.first().filter(|byte| matches!(byte, b'"' | b'\''))?;
        let end = memchr(quote, &rest[1..])?;
        written = &rest[end + 2..];
        Some((name, &rest[1..=end]))
    })
}

/// Resolves entities. `None` for invalid UTF-8 and unknown entities.
pub fn resolved(text: &[u8]) -> Option<Cow<'_, str>> {
    let text = simdutf8::basic::from_utf8(text).ok()?;
    if memchr(b'&', text.as_bytes()).is_none() && memchr(b'\r', text.as_bytes()).is_none() {
        return Some(Cow::Borrowed(text));
    }
    // XML 1.0, section 2.11: every line end is a line feed.
    let text = text.replace("\r\n", "\n").replace('\r', "\n");
    quick_xml::escape::unescape(&text).ok().map(|text| Cow::Owned(text.into_owned()))
}

#[cfg(test)]
#[allow(clippy::unwrap_used, reason = "a test that cannot go on has failed")]
mod tests {
    use super::*;

    struct Slow<'b>(&'b [u8], usize);

    impl Read for Slow<'_> {
        fn read(&mut self, buffer: &mut [u8]) -> std::io::Result<usize> {
            let count = self.1.min(self.0.len()).min(buffer.len());
            buffer[..count].copy_from_slice(&self.0[..count]);
            self.0 = &self.0[count..];
            Ok(count)
        }
    }

    fn shown(xml: &str, stride: usize) -> String {
        let mut tokens = Tokens::new(Slow(xml.as_bytes(), stride), 1 << 20);
        let mut out = Vec::new();
        let text = |bytes: &[u8]| String::from_utf8_lossy(bytes).into_owned();
        loop {
            match tokens.next() {
                None => out.push("broken".to_owned()),
                Some(None) => {}
                Some(Some(token)) => {
                    out.push(match token {
                        Token::Open { name, attributes: written, is_empty } => {
                            let all = attributes(written).map(|(name, value)| format!(" {}:{}", text(name), text(value)));
                            format!("<{}{}{}", text(name), all.collect::<String>(), if is_empty { "/" } else { "" })
                        }
                        Token::Close(name) => format!("</{}", text(name)),
                        Token::Text(bytes) => resolved(bytes).map_or("?".to_owned(), Cow::into_owned),
                        Token::Plain(bytes) => format!("[{}]", text(bytes)),
                    });
                    continue;
                }
            }
            return out.join("|");
        }
    }

    #[test]
    fn tokens_between_tags() {
        for (xml, expected) in [
            ("<?xml version=\"1.0\"?><a b=\"1\" c = '>\"'/>", "<a b:1 c:>\"/"),
            ("<x:a>t&amp;&#233;\r\nu</x:a >", "<a|t&é\nu|</a"),
            ("<a><!-- <b> --><![CDATA[<&]]></a>", "<a|[<&]|</a"),
            ("<a\n r=\"A1\"\n>", "<a r:A1"),
            ("<a>&no;</a>", "<a|?|</a"),
            ("text", "text"),
            ("<a b=\"", "broken"),
            ("<a><!-- ", "<a|broken"),
            ("<!DOCTYPE a>", "broken"),
            ("", ""),
        ] {
            for stride in [1, 2, 3, 1 << 20] {
                assert_eq!(shown(xml, stride), expected, "{stride} bytes at a time");
            }
        }
        let mut tokens = Tokens::new("<a><v>1&amp;</v></a><v/>".as_bytes(), 1 << 20);
        assert!(tokens.between(b"<a>", b"</a>").is_none(), "no element has been read");
        tokens.next();
        assert!(tokens.between(b"<v>", b"</v></b>").is_none() && tokens.between(b"<w>", b"</v>").is_none());
        assert_eq!(tokens.between(b"<v>", b"</v></a>"), Some(&b"1&amp;"[..]));
        assert!(matches!(tokens.next(), Some(Some(Token::Open { name: b"v", .. }))));
        let long = format!("<a>{}</a>", "x".repeat(3 << 20));
        assert_eq!(shown(&long, 1 << 16), "<a|broken", "a token is too long");
    }
}
