//! Surveys and drafts.
#![allow(clippy::unwrap_used, clippy::panic, reason = "a test that cannot go on has failed")]

mod codes;
mod draft;
mod plain_survey;
mod survey;
