//! Types of columns, for formats that give a type for each value.

use keen_notch_core::value_type::ValueType;
use serde::{Deserialize, Serialize};

use crate::source::CellKind;

#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize)]
pub enum Type {
    Text,
    /// Integers within the precision of a double.
    Whole,
    /// 64-bit integers, some beyond the precision of a double.
    BigWhole,
    /// Integers of up to 38 digits, some of more than 64 bits.
    LongWhole,
    Number,
    Truth,
    /// ISO 8601 dates without a time.
    Date,
    Nested,
}

const MOST_DIGITS: usize = 38;
/// Doubles represent every integer up to this one: 2^53.
const MOST_OF_DOUBLES: u64 = 1 << 53;

impl From<ValueType> for Type {
    fn from(of: ValueType) -> Type {
        match of {
            ValueType::Number => Type::Number,
            ValueType::Date => Type::Date,
            ValueType::Truth => Type::Truth,
        }
    }
}

impl Type {
    /// The type of a value; `None` for a null.
    pub fn of(kind: CellKind, text: &str) -> Option<Type> {
        Some(match kind {
            CellKind::Nothing => return None,
            CellKind::Date if text.len() == "2025-03-01".len() => Type::Date,
            CellKind::Text | CellKind::Date => Type::Text,
            CellKind::Truth => Type::Truth,
            CellKind::Nested => Type::Nested,
            CellKind::Number => {
                let digits = text.strip_prefix('-').unwrap_or(text);
                match digits.bytes().all(|byte| byte.is_ascii_digit()) {
                    true if text.parse::<i64>().is_ok_and(|number| number.unsigned_abs() <= MOST_OF_DOUBLES) => Type::Whole,
                    true if text.parse::<i64>().is_ok() => Type::BigWhole,
                    true if digits.len() <= MOST_DIGITS => Type::LongWhole,
                    _ => Type::Number,
                }
            }
        })
    }

    /// The type for values of both types; `None` if there is none.
    pub fn both(self, other: Type) -> Option<Type> {
        let is_whole = |of: Type| matches!(of, Type::Whole | Type::BigWhole | Type::LongWhole);
        match (self, other) {
            _ if self == other => Some(self),
            _ if is_whole(self) && is_whole(other) => {
                let is_long = self == Type::LongWhole || other == Type::LongWhole;
                Some(if is_long { Type::LongWhole } else { Type::BigWhole })
            }
            // A double would change the others.
            (Type::Whole, Type::Number) | (Type::Number, Type::Whole) => Some(Type::Number),
            _ => None,
        }
    }

    pub fn name(self) -> &'static str {
        match self {
            Type::Text => "a text",
            Type::Whole | Type::Number => "a number",
            Type::BigWhole | Type::LongWhole => "a whole number with more digits than a double holds",
            Type::Truth => "true or false",
            Type::Date => "a date",
            Type::Nested => "an object or array",
        }
    }
}

#[derive(Debug, Clone, PartialEq, Eq, Default)]
pub struct ObservedTypes {
    /// The type, with the line of the first value.
    pub first: Option<(Type, u64)>,
    /// The first value of another type, with its line and input.
    pub other: Option<(Type, u64, String)>,
}

impl ObservedTypes {
    /// Adds a value. Its line is computed only if necessary.
    pub fn note(&mut self, of: Option<Type>, line: impl FnOnce() -> u64, input: &str) {
        match (of, &mut self.first) {
            (None, _) => {}
            (Some(of), None) => self.first = Some((of, line())),
            (Some(of), Some((first, _))) => match first.both(of) {
                Some(both) => *first = both,
                None if self.other.is_none() => self.other = Some((of, line(), input.to_owned())),
                None => {}
            },
        }
    }

    /// The type for all values: text if there is no other.
    pub fn type_of(&self) -> Type {
        match (&self.first, &self.other) {
            (Some((first, _)), None) => *first,
            _ => Type::Text,
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_column_has_a_type_for_all_its_values() {
        let long = "12345678901234567890";
        for (values, expected) in [
            (&[(CellKind::Number, "1"), (CellKind::Nothing, ""), (CellKind::Number, "-2")][..], Type::Whole),
            (&[(CellKind::Number, "1"), (CellKind::Number, "2.50")], Type::Number),
            (&[(CellKind::Number, "1"), (CellKind::Number, long)], Type::LongWhole),
            (&[(CellKind::Number, long), (CellKind::Number, "1e3")], Type::Text),
            (&[(CellKind::Number, "123456789012345678"), (CellKind::Number, "1")], Type::BigWhole),
            (&[(CellKind::Number, "123456789012345678"), (CellKind::Number, "1.5")], Type::Text),
            (&[(CellKind::Number, "9007199254740992"), (CellKind::Number, "1.5")], Type::Number),
            (&[(CellKind::Truth, "true")], Type::Truth),
            (&[(CellKind::Date, "2025-03-01")], Type::Date),
            (&[(CellKind::Date, "2025-03-01"), (CellKind::Date, "2025-03-01T08:05:30")], Type::Text),
            (&[(CellKind::Text, "x"), (CellKind::Date, "2025-03-01")], Type::Text),
            (&[(CellKind::Nested, "[]"), (CellKind::Text, "x")], Type::Text),
            (&[(CellKind::Truth, "true"), (CellKind::Number, "1")], Type::Text),
            (&[(CellKind::Nothing, "")], Type::Text),
        ] {
            let mut seen = ObservedTypes::default();
            for (line, (kind, text)) in (1..).zip(values) {
                seen.note(Type::of(*kind, text), || line, "a.jsonl");
            }
            assert_eq!(seen.type_of(), expected, "{values:?}");
        }
    }
}
