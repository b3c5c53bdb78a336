//! Maps positions in a TOML string to positions in the file.

use std::ops::Range;

use crate::piece::TextPlace;

pub(super) fn text_place(file: &str, span: &Range<usize>) -> TextPlace {
    let literal = &file[span.clone()];
    let quotes = if literal.starts_with("'''") || literal.starts_with("\"\"\"") { 3 } else { 1 };
    let mut start = quotes;
    if quotes == 3 {
        // A line break right after the opening quotes does not belong to the text.
        start += if literal[start..].starts_with("\r\n") { 2 } else { usize::from(literal[start..].starts_with('\n')) };
    }
    if literal.starts_with('\'') || !literal.contains('\\') {
        return TextPlace::At(span.start + start);
    }
    let end = literal.len() - quotes;
    let mut places = Vec::new();
    let mut at = start;
    while at < end {
        let rest = &literal[at..end];
        let (c, width) = match rest.strip_prefix('\\').and_then(|escape| escape.chars().next()) {
            None => {
                let c = rest.chars().next().unwrap_or(' ');
                (Some(c), c.len_utf8())
            }
            Some('u') => (hexadecimal(rest, 2, 4), 6),
            Some('U') => (hexadecimal(rest, 2, 8), 10),
            Some('x') => (hexadecimal(rest, 2, 2), 4),
            Some(c) if c.is_whitespace() => {
                // A backslash at the end of a line also removes the white space after it.
                (None, rest.len() - rest[1..].trim_start().len())
            }
            Some(_) => (Some('x'), 2),
        };
        places.extend(std::iter::repeat_n(span.start + at, c.map_or(0, char::len_utf8)));
        at += width;
    }
    places.push(span.start + end);
    TextPlace::Mapped(places)
}

fn hexadecimal(rest: &str, from: usize, width: usize) -> Option<char> {
    let digits = rest.get(from..from + width)?;
    u32::from_str_radix(digits, 16).ok().and_then(char::from_u32)
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn places_of_characters() {
        for file in [
            "x = 'a wrong'",
            "x = \"a wrong\"",
            "x = '''\na wrong'''",
            "x = \"\"\"a wrong\"\"\"",
            r#"x = "\"\t\u00e9\U0001F680 wrong""#,
            "x = \"\"\"é\\\n   \\\" wrong\"\"\"",
        ] {
            let table: toml::Table = toml::from_str(file).unwrap();
            let text = table["x"].as_str().unwrap();
            let start = file.find(['\'', '"']).unwrap();
            let at = text.find("wrong").unwrap();
            let found = text_place(file, &(start..file.len())).span(&(at..at + 5));
            assert_eq!(&file[found], "wrong", "{file}");
        }
    }
}
