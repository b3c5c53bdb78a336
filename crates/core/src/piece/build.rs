//! Parses built texts such as `{family}-{serial}`, with `{{` for a brace.

use crate::column::ColumnRef;
use crate::piece::BuildPart;
use crate::text_error::TextError;

pub(crate) fn parts(text: &str) -> Result<Vec<BuildPart>, TextError> {
    let mut parts = Vec::new();
    let mut plain = String::new();
    let mut at = 0;
    while let Some(found) = text[at..].find(['{', '}']) {
        let brace = at + found;
        plain.push_str(&text[at..brace]);
        let rest = &text[brace..];
        if rest.starts_with("{{") || rest.starts_with("}}") {
            plain.push_str(&rest[..1]);
            at = brace + 2;
            continue;
        }
        if rest.starts_with('}') {
            return Err(TextError::new(
                "this closing brace has no opening brace",
                brace..brace + 1,
                "write `}}` for a brace itself",
            ));
        }
        let Some(close) = rest.find('}') else {
            return Err(TextError::new(
                "a brace is not closed",
                brace..text.len(),
                "close it after the name; write `{{` for a brace itself",
            ));
        };
        let name = rest[1..close].trim();
        if name.is_empty() {
            let help = "name a piece or a column in it: `{family}`";
            return Err(TextError::new("the braces are empty", brace..brace + close + 1, help));
        }
        if !plain.is_empty() {
            parts.push(BuildPart::Text(std::mem::take(&mut plain)));
        }
        parts.push(BuildPart::Name(ColumnRef::parse(name), brace..brace + close + 1));
        at = brace + close + 1;
    }
    plain.push_str(&text[at..]);
    if !plain.is_empty() {
        parts.push(BuildPart::Text(plain));
    }
    Ok(parts)
}
