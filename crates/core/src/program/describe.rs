//! The definitions of steps that return a property of a text.

use std::fmt::Write as _;

use super::finish::Change;
use super::op::DescribeOp;
use crate::text::characters::Form;
use crate::text::unit::Unit;

impl DescribeOp {
    pub(super) fn write(&self, text: &str, unit: Unit, form: Form, out: &mut String) -> Change {
        let number = match self {
            DescribeOp::Length(own_unit) => own_unit.unwrap_or(unit).in_form(form).count(text),
            DescribeOp::CountOf(marker) => {
                let mut count = 0;
                marker.each(text, form, |_| count += 1);
                count
            }
            DescribeOp::PositionOf { nth, marker } => match marker.nth(text, *nth, form) {
                Some(found) => {
                    // A match inside a character has the position of that character.
                    let before = unit.in_form(form).count(&text[..found.start]);
                    before + usize::from(unit.is_notch(text, found.start))
                }
                None => return Change::Missing,
            },
            DescribeOp::Whether(condition) => {
                out.push_str(if condition.holds(text) { "true" } else { "false" });
                return Change::New;
            }
        };
        // Writing to a String cannot fail.
        let _ = write!(out, "{number}");
        Change::New
    }
}
