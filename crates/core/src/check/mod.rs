//! What it takes to tell good codes from bad ones: check digits, email addresses, and what is said of a
//! value that does not fit.

pub mod check_digit;
pub mod email;
pub mod seen;
mod violation;

pub(crate) use violation::described;
pub use violation::{Violation, ViolationKind};
