//! Parses and writes forms.

use std::fmt;

pub use crate::phrase::ast::Field;
use crate::phrase::print::class;
use crate::phrase::{parse_field, quoted};
use crate::text_error::TextError;

/// Maximum total width of the limited fields of a form.
const MOST_WIDTH: usize = 10_000;
const MOST_DEPTH: usize = 20;

#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Form {
    pub source: String,
    pub items: Vec<Item>,
}

#[derive(Debug, Clone, PartialEq, Eq)]
pub enum Item {
    Text(String),
    Field(Field),
    Optional(Vec<Item>),
}

impl Form {
    /// Parses a form.
    ///
    /// ```
    /// use keen_notch_core::layout::Form;
    ///
    /// assert!(Form::parse("<family 3 uppercase>-<serial 8 digits>").is_ok());
    /// assert_eq!(Form::parse("<family 3 upercase>").unwrap_err().span, 10..18);
    /// ```
    ///
    /// # Errors
    /// Where a bracket is not closed, a piece is named twice, or its width or class cannot be right.
    pub fn parse(source: &str) -> Result<Form, TextError> {
        let mut reader = Reader { source, at: 0, names: Vec::new(), width: 0 };
        let items = reader.items(0)?;
        if reader.names.is_empty() {
            let help = "name its pieces between < and >: `<family 3 uppercase>-<serial 8 digits>`";
            return Err(TextError::new("the form has no piece", 0..source.len(), help));
        }
        Ok(Form { source: source.to_owned(), items })
    }

    pub(super) fn each_field<'a>(&'a self, see: &mut impl FnMut(&'a Field)) {
        fn each<'a>(items: &'a [Item], see: &mut impl FnMut(&'a Field)) {
            for item in items {
                match item {
                    Item::Text(_) => {}
                    Item::Field(field) => see(field),
                    Item::Optional(items) => each(items, see),
                }
            }
        }
        each(&self.items, see);
    }
}

impl fmt::Display for Form {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        self.items.iter().try_for_each(|item| f.write_str(&printed(item)))
    }
}

fn printed(item: &Item) -> String {
    match item {
        Item::Text(text) => text.chars().fold(String::new(), |written, c| {
            let before = if SPECIAL.contains(&c) { "\\" } else { "" };
            format!("{written}{before}{c}")
        }),
        Item::Optional(items) => format!("[{}]", items.iter().map(printed).collect::<String>()),
        Item::Field(field) => {
            let width = match field.to {
                // A field without a maximum has no minimum beyond 1.
                None => String::new(),
                Some(to) if to == field.from => format!(" {to}"),
                Some(to) => format!(" {} to {to}", field.from),
            };
            let class = field.class.as_ref().map(|of| format!(" {}", class(of))).unwrap_or_default();
            format!("<{}{width}{class}>", quoted(&field.name))
        }
    }
}

struct Reader<'a> {
    source: &'a str,
    at: usize,
    names: Vec<String>,
    width: usize,
}

impl Reader<'_> {
    fn items(&mut self, depth: usize) -> Result<Vec<Item>, TextError> {
        let mut items = Vec::new();
        let mut text = String::new();
        while let Some(c) = self.source[self.at..].chars().next() {
            let start = self.at;
            self.at += c.len_utf8();
            let doubled = self.source[self.at..].starts_with(c);
            match c {
                // A backslash makes a special character literal.
                '\\' if self.source[self.at..].starts_with(SPECIAL) => {
                    text.extend(self.source[self.at..].chars().next());
                    self.at += 1;
                }
                // A doubled closing bracket is literal unless both are needed to close open parts.
                '<' | '[' | '>' | ']'
                    if doubled && (c != ']' || depth == 0 || (depth == 1 && self.source[self.at + 1..].contains(']'))) =>
                {
                    self.at += 1;
                    text.push(c);
                    continue;
                }
                '<' => {
                    flush(&mut text, &mut items);
                    items.push(Item::Field(self.field(start)?));
                }
                '[' => {
                    flush(&mut text, &mut items);
                    if depth == MOST_DEPTH {
                        return Err(TextError::new(
                            "too many brackets are nested",
                            start..start + 1,
                            "write several forms instead",
                        ));
                    }
                    let inner = self.items(depth + 1)?;
                    if !self.source[..self.at].ends_with(']') || self.at == start + 1 {
                        return Err(TextError::new(
                            "a bracket is not closed",
                            start..self.source.len(),
                            r"close it with ]; write \[ for a bracket itself",
                        ));
                    }
                    items.push(Item::Optional(inner));
                }
                ']' if depth > 0 => {
                    flush(&mut text, &mut items);
                    return Ok(items);
                }
                '>' | ']' => {
                    let help = format!("write \\{c} for the character itself");
                    return Err(TextError::new(format!("{c} has no opening bracket"), start..start + 1, help));
                }
                _ => text.push(c),
            }
        }
        if depth > 0 {
            return Err(TextError::new(
                "a bracket is not closed",
                self.at..self.at,
                r"close it with ]; write \[ for a bracket itself",
            ));
        }
        flush(&mut text, &mut items);
        Ok(items)
    }

    fn field(&mut self, start: usize) -> Result<Field, TextError> {
        let Some(close) = self.source[self.at..].find('>') else {
            let help = r"close it with >; write \< for the character itself";
            return Err(TextError::new("a piece is not closed", start..self.source.len(), help));
        };
        let inner = &self.source[self.at..self.at + close];
        let field = parse_field(inner).map_err(|error| TextError::from(error).moved(self.at))?;
        self.at += close + 1;
        let refused = |message: String, help: &str| Err(TextError::new(message, start..self.at, help));
        if self.names.contains(&field.name) {
            return refused(format!("the piece {} is twice in the form", field.name), "give each a name of its own");
        }
        self.names.push(field.name.clone());
        self.width += field.to.unwrap_or(field.from);
        if self.width > MOST_WIDTH {
            return refused(
                format!("the form is more than {MOST_WIDTH} characters wide"),
                "remove the width to accept any width",
            );
        }
        Ok(field)
    }
}

pub(crate) const SPECIAL: [char; 5] = ['<', '>', '[', ']', '\\'];

fn flush(text: &mut String, items: &mut Vec<Item>) {
    if !text.is_empty() {
        items.push(Item::Text(std::mem::take(text)));
    }
}
