//! Finds the members of an object on a line.

use std::borrow::Cow;
use std::collections::HashMap;
use std::ops::Range;

use keen_notch_core::batch::Span;
use keen_notch_core::text::bytes::position_of_two;
use serde_json::value::RawValue;

pub enum Key<'t> {
    Plain(&'t str),
    Escaped(String),
}

impl Key<'_> {
    pub fn text(&self) -> &str {
        match self {
            Key::Plain(text) => text,
            Key::Escaped(text) => text,
        }
    }
}

/// A line that is not an object.
#[derive(Debug)]
pub struct NoObject {
    /// The byte of the error, from 0.
    pub at: usize,
    pub why: String,
}

/// Calls `see` with each member of the object on a line: its key and the range of its value. `has_controls` is whether the line may
/// contain control characters.
///
/// Follows RFC 8259. The JSON package checks nested values and explains errors.
///
/// # Errors
/// The line is not an object.
pub fn members<'t>(line: &'t str, has_controls: bool, mut see: impl FnMut(Key<'t>, Span)) -> Result<(), NoObject> {
    let scan = Scan { line, bytes: line.as_bytes(), has_controls };
    scan.object(&mut see).ok_or_else(|| why_not(line))
}

/// The value at a path in a nested value: keys and indices from 0, divided by points. The first member that leads to a value counts.
pub fn at_path(text: &str, path: &str) -> Option<Range<usize>> {
    let mut found = None;
    each_child(text, |step, value| {
        if found.is_none() {
            found = match path.strip_prefix(step) {
                Some("") => Some(value.clone()),
                Some(rest) => {
                    let inner = rest.strip_prefix('.').and_then(|rest| at_path(text.get(value.clone())?, rest));
                    inner.map(|inner| value.start + inner.start..value.start + inner.end)
                }
                None => None,
            };
        }
    });
    found
}

/// Calls `see` with the path of each value in a nested value that is not nested itself. `path` is the path of the nested value.
pub fn leaves(text: &str, path: &mut String, see: &mut dyn FnMut(&str)) {
    each_child(text, |step, value| {
        let before = path.len();
        path.push('.');
        path.push_str(step);
        match text.get(value) {
            Some(inner) if inner.starts_with(['{', '[']) => leaves(inner, path, see),
            _ => see(path),
        }
        path.truncate(before);
    });
}

/// Calls `see` with each member or element of a valid nested value: its key or index, and its range.
fn each_child(text: &str, mut see: impl FnMut(&str, Range<usize>)) {
    if text.starts_with('{') {
        // The line was checked before.
        let _ = members(text, true, |key, value| see(key.text(), value.start as usize..value.end as usize));
        return;
    }
    let scan = Scan { line: text, bytes: text.as_bytes(), has_controls: true };
    let mut at = 1;
    for index in 0_usize.. {
        let start = scan.spaces(at);
        let Some(end) = scan.value(start) else { return };
        see(itoa::Buffer::new().format(index), start..end);
        match scan.token(end, b',') {
            Some(next) => at = next,
            None => return,
        }
    }
}

/// A scanner for a line. Its methods return the byte after what they find.
struct Scan<'t> {
    line: &'t str,
    bytes: &'t [u8],
    has_controls: bool,
}

impl<'t> Scan<'t> {
    #[inline]
    fn object(&self, see: &mut impl FnMut(Key<'t>, Span)) -> Option<()> {
        let mut at = self.token(0, b'{')?;
        if let Some(end) = self.token(at, b'}') {
            return self.ends(end);
        }
        loop {
            let start = self.spaces(at);
            let (end, is_escaped) = self.text(start)?;
            let key = match is_escaped {
                false => Key::Plain(self.line.get(start + 1..end - 1)?),
                true => Key::Escaped(serde_json::from_str(self.line.get(start..end)?).ok()?),
            };
            let start = self.spaces(self.token(end, b':')?);
            let end = self.value(start)?;
            see(key, Span::new(start, end));
            match self.token(end, b',') {
                Some(next) => at = next,
                None => return self.ends(self.token(end, b'}')?),
            }
        }
    }

    fn ends(&self, at: usize) -> Option<()> {
        (self.spaces(at) == self.bytes.len()).then_some(())
    }

    #[inline(always)]
    fn spaces(&self, at: usize) -> usize {
        match self.bytes.get(at) {
            Some(b' ' | b'\t' | b'\r' | b'\n') => {
                at + self.bytes[at..].iter().take_while(|byte| matches!(byte, b' ' | b'\t' | b'\r' | b'\n')).count()
            }
            _ => at,
        }
    }

    #[inline(always)]
    fn token(&self, at: usize, wanted: u8) -> Option<usize> {
        let at = self.spaces(at);
        (self.bytes.get(at) == Some(&wanted)).then_some(at + 1)
    }

    /// A string with its quotes, and whether it has escapes.
    #[inline(always)]
    fn text(&self, start: usize) -> Option<(usize, bool)> {
        if self.bytes.get(start) != Some(&b'"') {
            return None;
        }
        let mut at = start + 1;
        let mut is_escaped = false;
        loop {
            at += position_of_two(b'"', b'\\', self.bytes.get(at..)?)?;
            if self.bytes[at] == b'"' {
                break;
            }
            is_escaped = true;
            at += match self.bytes.get(at + 1)? {
                b'"' | b'\\' | b'/' | b'b' | b'f' | b'n' | b'r' | b't' => 2,
                b'u' if self.bytes.get(at + 2..at + 6)?.iter().all(u8::is_ascii_hexdigit) => 6,
                _ => return None,
            };
        }
        let has_control = self.has_controls && self.bytes[start + 1..at].iter().any(|byte| *byte < 0x20);
        (!has_control).then_some((at + 1, is_escaped))
    }

    #[inline(always)]
    fn value(&self, start: usize) -> Option<usize> {
        let word = |word: &str| self.bytes[start..].starts_with(word.as_bytes()).then_some(start + word.len());
        match self.bytes.get(start)? {
            b'"' => self.text(start).map(|(end, _)| end),
            b'{' | b'[' => self.nested(start),
            b'n' => word("null"),
            b't' => word("true"),
            b'f' => word("false"),
            _ => self.number(start),
        }
    }

    fn nested(&self, start: usize) -> Option<usize> {
        let mut values = serde_json::Deserializer::from_str(self.line.get(start..)?).into_iter::<&RawValue>();
        values.next()?.ok()?;
        Some(start + values.byte_offset())
    }

    fn number(&self, start: usize) -> Option<usize> {
        let digits = |at: usize| {
            let count = self.bytes[at..].iter().take_while(|byte| byte.is_ascii_digit()).count();
            (count > 0).then_some(at + count)
        };
        let is = |at: usize, bytes: &[u8]| self.bytes.get(at).is_some_and(|byte| bytes.contains(byte));
        let first = start + usize::from(is(start, b"-"));
        let mut at = if is(first, b"0") { first + 1 } else { digits(first)? };
        if is(at, b".") {
            at = digits(at + 1)?;
        }
        if is(at, b"eE") {
            at = digits(at + 1 + usize::from(is(at + 1, b"+-")))?;
        }
        Some(at)
    }
}

#[cold]
fn why_not(line: &str) -> NoObject {
    let start = line.len() - line.trim_start_matches([' ', '\t', '\r']).len();
    if !line[start..].starts_with('{') {
        return NoObject { at: start, why: what_begins(&line[start..]).to_owned() };
    }
    let Err(error) = serde_json::from_str::<Members>(line) else {
        return NoObject { at: start, why: "this is no object".to_owned() };
    };
    let why = match error.classify() {
        serde_json::error::Category::Eof => "the line ends before its object does".to_owned(),
        _ => in_plain_words(error.to_string().split(" at line ").next().unwrap_or_default()).to_owned(),
    };
    NoObject { at: error.column().saturating_sub(1).min(line.len()), why }
}

/// Members as the JSON package parses them.
type Members<'t> = HashMap<Cow<'t, str>, &'t RawValue>;

fn what_begins(text: &str) -> &'static str {
    match text.bytes().next() {
        Some(b'[') => "this is an array, not an object",
        Some(b'"') => "this is a text, not an object",
        Some(b'-' | b'0'..=b'9') => "this is a number, not an object",
        _ => "this is not an object, which begins with {",
    }
}

fn in_plain_words(words: &str) -> &str {
    match words {
        "trailing characters" => "the line continues after the object",
        "key must be a string" => "a key must be in double quotes",
        "trailing comma" => "a key must come after the comma",
        words if words.starts_with("control character") => "a control character must be written as an escape, such as \\t",
        words => words,
    }
}

#[cfg(test)]
mod tests {
    use proptest::prelude::*;
    use proptest::sample::select;

    use super::*;

    /// Valid and nearly valid lines.
    fn line() -> impl Strategy<Value = String> {
        let part = prop_oneof![
            8 => select(vec!["{", "}", ",", ":", "\"a\"", "\"b\":1", "\"\\u0061\"", " ", "null", "tru", "false", "[", "]", "\t"]).prop_map(str::to_owned),
            3 => "-?(0|[1-9]?[0-9]{0,3})(\\.[0-9]{0,2})?([eE][+-]?[0-9]{0,2})?",
            3 => "\"([a \\\\\"/bnu0-9\u{1}é]|\\\\u[0-9a-g]{4}|\\\\.){0,5}\"",
        ];
        let member = ("\"[a-c]\" ?: ?", part.clone()).prop_map(|(key, value)| key + &value);
        prop_oneof![
            proptest::collection::vec(part, 0..9).prop_map(|parts| parts.concat()),
            proptest::collection::vec(member, 0..4).prop_map(|members| format!("{{{}}}", members.join(", "))),
        ]
    }

    fn value() -> impl Strategy<Value = serde_json::Value> {
        let leaf = prop_oneof![
            Just(serde_json::json!(null)),
            any::<i8>().prop_map(|n| n.into()),
            "[\\]},\"\\\\ é]{0,3}".prop_map(|text| text.into())
        ];
        let nested = leaf.prop_recursive(4, 20, 4, |inner| {
            prop_oneof![
                proptest::collection::vec(inner.clone(), 0..4).prop_map(serde_json::Value::from),
                proptest::collection::btree_map("[a-cé\"]{1,2}", inner, 0..4).prop_map(|members| members.into_iter().collect()),
            ]
        });
        nested.prop_map(|value| serde_json::json!([value]))
    }

    fn pointers(value: &serde_json::Value, path: &str, found: &mut Vec<String>) {
        match value {
            serde_json::Value::Array(items) => {
                items.iter().enumerate().for_each(|(index, item)| pointers(item, &format!("{path}/{index}"), found));
            }
            serde_json::Value::Object(members) => {
                members.iter().for_each(|(key, item)| pointers(item, &format!("{path}/{key}"), found))
            }
            _ => found.push(path.to_owned()),
        }
    }

    proptest! {
        #![proptest_config(ProptestConfig::with_cases(4000))]

        /// Compared with the JSON package, by its own pointers.
        #[test]
        fn each_leaf_is_at_its_path(value in value()) {
            let text = serde_json::to_string(&value).unwrap();
            let mut paths = Vec::new();
            leaves(&text, &mut "x".to_owned(), &mut |path| paths.push(path.to_owned()));
            let mut expected = Vec::new();
            pointers(&value, "", &mut expected);
            prop_assert_eq!(&paths, &expected.iter().map(|pointer| format!("x{}", pointer.replace('/', "."))).collect::<Vec<_>>());
            for (path, pointer) in paths.iter().zip(&expected) {
                let found = at_path(&text, path.strip_prefix("x.").unwrap()).map(|range| &text[range]);
                let wanted = value.pointer(pointer).map(ToString::to_string);
                prop_assert_eq!(found, wanted.as_deref(), "{} of {}", path, text);
            }
            prop_assert_eq!(at_path(&text, "no.such.path"), None);
        }

        #[test]
        fn lines_parse_like_the_json_package(line in line()) {
            let mut found: Vec<(String, String)> = Vec::new();
            let read = members(&line, true, |key, value| found.push((key.text().to_owned(), value.text(&line).to_owned())));
            let wanted = if line.trim_start().starts_with('{') { serde_json::from_str::<Members>(&line).ok() } else { None };
            prop_assert_eq!(read.is_ok(), wanted.is_some(), "{}", line);
            if let Some(wanted) = wanted {
                let found: HashMap<&str, &str> = found.iter().map(|(key, value)| (key.as_str(), value.as_str())).collect();
                prop_assert_eq!(found, wanted.iter().map(|(key, value)| (&**key, value.get())).collect());
            }
        }
    }
}
