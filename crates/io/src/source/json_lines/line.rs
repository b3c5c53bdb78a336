//! Finding the members of an object on a line.

use std::fmt;

use keen_notch_core::batch::Span;
use serde::de::{DeserializeSeed, Deserializer, MapAccess, Visitor};
use serde_json::value::RawValue;

/// A name of a member.
pub enum Key<'t> {
    /// As it is on the line.
    Plain(&'t str),
    /// Written with escapes there.
    Escaped(String),
}

impl Key<'_> {
    /// The name.
    pub fn text(&self) -> &str {
        match self {
            Key::Plain(text) => text,
            Key::Escaped(text) => text,
        }
    }
}

/// Why a line is no flat object.
#[derive(Debug)]
pub struct NoObject {
    /// The byte of the line where that shows, from 0.
    pub at: usize,
    /// What is wrong there.
    pub why: String,
}

/// Calls `see` with each member of the object on a line: its name, and its value as it is there.
///
/// # Errors
/// Where there is something else than an object on the line.
pub fn members<'t>(line: &'t str, see: &mut dyn FnMut(Key<'t>, &'t str)) -> Result<(), NoObject> {
    let start = line.len() - line.trim_start_matches([' ', '\t', '\r']).len();
    if !line[start..].starts_with('{') {
        return Err(NoObject { at: start, why: what_begins(&line[start..]).to_owned() });
    }
    let mut deserializer = serde_json::Deserializer::from_str(line);
    let found = deserializer.deserialize_map(Members(see)).and_then(|()| deserializer.end());
    found.map_err(|error| {
        let why = match error.classify() {
            serde_json::error::Category::Eof => "the line ends before its object does".to_owned(),
            _ => in_plain_words(error.to_string().split(" at line ").next().unwrap_or_default()).to_owned(),
        };
        NoObject { at: error.column().saturating_sub(1).min(line.len()), why }
    })
}

/// What begins with some text that is no object.
fn what_begins(text: &str) -> &'static str {
    match text.bytes().next() {
        Some(b'[') => "this is an array, not an object",
        Some(b'"') => "this is a text, not an object",
        Some(b'-' | b'0'..=b'9') => "this is a number, not an object",
        _ => "this is no object: that begins with {",
    }
}

/// What the package that reads JSON says, as people say it.
fn in_plain_words(words: &str) -> &str {
    match words {
        "trailing characters" => "there is more after the object",
        "key must be a string" => "a key must be in double quotes",
        "trailing comma" => "a key must come after the comma",
        words if words.starts_with("control character") => "a control character must be written as an escape, such as \\t",
        words => words,
    }
}

struct Members<'s, 't>(&'s mut dyn FnMut(Key<'t>, &'t str));

impl<'t> Visitor<'t> for Members<'_, 't> {
    type Value = ();

    fn expecting(&self, f: &mut fmt::Formatter) -> fmt::Result {
        f.write_str("an object")
    }

    fn visit_map<A: MapAccess<'t>>(self, mut map: A) -> Result<(), A::Error> {
        while let Some(key) = map.next_key_seed(AnyKey)? {
            let value: &'t RawValue = map.next_value()?;
            (self.0)(key, value.get());
        }
        Ok(())
    }
}

struct AnyKey;

impl<'t> DeserializeSeed<'t> for AnyKey {
    type Value = Key<'t>;

    fn deserialize<D: Deserializer<'t>>(self, deserializer: D) -> Result<Key<'t>, D::Error> {
        deserializer.deserialize_str(self)
    }
}

impl<'t> Visitor<'t> for AnyKey {
    type Value = Key<'t>;

    fn expecting(&self, f: &mut fmt::Formatter) -> fmt::Result {
        f.write_str("the name of a member")
    }

    fn visit_borrowed_str<E>(self, text: &'t str) -> Result<Key<'t>, E> {
        Ok(Key::Plain(text))
    }

    fn visit_str<E>(self, text: &str) -> Result<Key<'t>, E> {
        Ok(Key::Escaped(text.to_owned()))
    }
}

/// Where a part of a text is in it.
pub fn place(text: &str, part: &str) -> Span {
    let start = (part.as_ptr() as usize).saturating_sub(text.as_ptr() as usize);
    Span::new(start, start + part.len())
}
