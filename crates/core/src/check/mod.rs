//! Checks for codes: check digits, email addresses, and explanations of failures.

pub mod check_digit;
pub mod email;
pub mod unique_texts;
mod violation;

pub(crate) use violation::described;
pub use violation::{Violation, ViolationKind};
