//! The program as built, run on files in a temporary folder.
#![allow(clippy::unwrap_used, clippy::expect_used, clippy::panic, reason = "a test that cannot go on has failed")]

mod carve;
mod demo;
mod errors;
mod gauge;
mod yard;
