//! The type of a piece, for formats with types.

use jiff::civil::Date;

use crate::check::{Violation, ViolationKind};
use crate::decimal;
use crate::text::blank::is_blank;

/// Significant digits that a 64-bit number always keeps.
pub const MOST_DIGITS: usize = 15;

#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum ValueType {
    /// A plain number: an optional sign, digits, and decimals after a point. Leading zeros do not count.
    Number,
    /// An ISO 8601 date such as 2025-03-01, with years from 0001 to 9999, as in all formats with dates.
    Date,
    /// `true` or `false`.
    Truth,
}

impl ValueType {
    pub const ALL: [ValueType; 3] = [ValueType::Number, ValueType::Date, ValueType::Truth];

    /// Its words in a cut list.
    pub fn words(self) -> &'static str {
        match self {
            ValueType::Number => "number",
            ValueType::Date => "date",
            ValueType::Truth => "true or false",
        }
    }

    /// The type with these words.
    pub fn parse(words: &str) -> Option<ValueType> {
        ValueType::ALL.into_iter().find(|of| of.words() == words)
    }

    /// The violation of a text that is not a value of this type. `None` for valid and for blank texts.
    ///
    /// ```
    /// use keen_notch_core::value_type::ValueType;
    ///
    /// assert_eq!(ValueType::Number.violation("00385"), None);
    /// assert_eq!(ValueType::Date.violation("2025-02-29").unwrap().detail, "the date does not exist");
    /// ```
    pub fn violation(self, text: &str) -> Option<Violation> {
        if is_blank(text) {
            return None;
        }
        let (kind, detail) = match self {
            ValueType::Number => {
                let mut plain = String::new();
                if !decimal::write_plain(text, &mut plain) {
                    (ViolationKind::NotANumber, "it is not a plain number".to_owned())
                } else if digits(&plain) > MOST_DIGITS {
                    let count = digits(&plain);
                    (ViolationKind::NotANumber, format!("it has {count} digits, and a number keeps {MOST_DIGITS}"))
                } else {
                    return None;
                }
            }
            ValueType::Date if has_date_form(text) => match text.parse::<Date>() {
                Ok(date) if date.year() > 0 => return None,
                _ => (ViolationKind::NotADate, "the date does not exist".to_owned()),
            },
            ValueType::Date => (ViolationKind::NotADate, "it is not a date such as 2025-03-01".to_owned()),
            ValueType::Truth if matches!(text, "true" | "false") => return None,
            ValueType::Truth => (ViolationKind::NotTrueOrFalse, "it is neither \"true\" nor \"false\"".to_owned()),
        };
        Some(Violation::new(kind, detail))
    }

    /// The value in JSON notation, usually the text itself; `None` if the text is not of this type.
    pub fn plain(self, text: &str) -> Option<String> {
        if is_blank(text) || self.violation(text).is_some() {
            return None;
        }
        let mut plain = String::new();
        match self {
            ValueType::Number => drop(decimal::write_plain(text, &mut plain)),
            ValueType::Date | ValueType::Truth => plain.push_str(text),
        }
        Some(plain)
    }
}

fn digits(plain: &str) -> usize {
    let digits: String = plain.chars().filter(char::is_ascii_digit).collect();
    digits.trim_start_matches('0').len()
}

fn has_date_form(text: &str) -> bool {
    let is_right = |(place, byte): (usize, u8)| if matches!(place, 4 | 7) { byte == b'-' } else { byte.is_ascii_digit() };
    text.len() == 10 && text.bytes().enumerate().all(is_right)
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn texts_stand_for_values_or_say_why_not() {
        let cases = [
            (ValueType::Number, "00385", Ok("385")),
            (ValueType::Number, "-12.50", Ok("-12.5")),
            (ValueType::Number, "123456789012345", Ok("123456789012345")),
            (ValueType::Number, "1234567890123456", Err("it has 16 digits, and a number keeps 15")),
            (ValueType::Number, "0.000001234567890123456", Err("it has 16 digits, and a number keeps 15")),
            (ValueType::Number, "1,5", Err("it is not a plain number")),
            (ValueType::Number, "1e3", Err("it is not a plain number")),
            (ValueType::Date, "2024-02-29", Ok("2024-02-29")),
            (ValueType::Date, "2025-02-29", Err("the date does not exist")),
            (ValueType::Date, "0000-02-29", Err("the date does not exist")),
            (ValueType::Date, "0001-01-01", Ok("0001-01-01")),
            (ValueType::Date, "2025-3-1", Err("it is not a date such as 2025-03-01")),
            (ValueType::Date, "20250301", Err("it is not a date such as 2025-03-01")),
            (ValueType::Truth, "true", Ok("true")),
            (ValueType::Truth, "yes", Err("it is neither \"true\" nor \"false\"")),
        ];
        for (of, text, expected) in cases {
            let found = of.plain(text).ok_or_else(|| of.violation(text).map_or(String::new(), |why| why.detail));
            assert_eq!(found.as_deref().map_err(String::as_str), expected, "{text}");
        }
        assert_eq!((ValueType::Number.violation(""), ValueType::Number.plain("")), (None, None));
    }
}
