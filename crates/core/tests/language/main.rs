//! The phrase language: results, errors and properties.
#![allow(clippy::unwrap_used, clippy::expect_used, clippy::panic, reason = "a test that cannot go on has failed")]

mod errors;
mod finishes;
mod markers;
mod positions;
mod properties;
mod random_phrases;
mod support;
