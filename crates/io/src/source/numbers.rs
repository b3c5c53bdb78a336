use std::fmt::{Display, LowerExp, Write};

use crate::source::CellKind;

/// Writes a number with the shortest digits that identify it, with a point if necessary, and with an exponent if it would be very long.
/// Returns its kind: infinite values are not JSON numbers.
pub fn push_real<F: Copy + Into<f64> + Display + LowerExp>(value: F, out: &mut String) -> CellKind {
    let number: f64 = value.into();
    let is_long = number != 0.0 && !(1e-7..1e21).contains(&number.abs());
    // Writing to a string cannot fail.
    let _ = if is_long && number.is_finite() { write!(out, "{value:e}") } else { write!(out, "{value}") };
    if number.is_finite() { CellKind::Number } else { CellKind::Text }
}
