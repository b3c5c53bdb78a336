//! Numbers as texts.

use std::fmt::{Display, LowerExp, Write};

use super::CellKind;

/// Writes a number with a point where it needs one, with as many digits as tell it from others, and with an exponent where it would be
/// very long. Tells what it is: those that are not finite are no numbers of JSON.
pub fn push_real<F: Copy + Into<f64> + Display + LowerExp>(value: F, out: &mut String) -> CellKind {
    let number: f64 = value.into();
    let is_long = number != 0.0 && !(1e-7..1e21).contains(&number.abs());
    // What is written into a text is never refused.
    let _ = if is_long && number.is_finite() { write!(out, "{value:e}") } else { write!(out, "{value}") };
    if number.is_finite() { CellKind::Number } else { CellKind::Text }
}
