//! What it takes to tell good codes from bad ones: check digits, email addresses, and what is said of a
//! value that does not fit.

pub mod check_digit;
pub mod email;
mod misfit;
pub mod seen;

pub(crate) use misfit::described;
pub use misfit::{Misfit, MisfitKind};
