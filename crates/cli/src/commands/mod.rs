//! One file a command.

mod carve;
mod demo;
mod explain;
mod gauge;
mod phrases;
mod pieces;

use std::io::Write;

use crate::args::Command;
use crate::console::Console;
use crate::failure::Failure;

/// Runs a command.
pub fn run(command: &Command, console: &Console) -> Result<(), Failure> {
    match command {
        Command::Gauge(args) => gauge::run(args, console),
        Command::Carve(args) => carve::run(args, console),
        Command::Explain(args) => explain::run(args, console),
        Command::Phrases(args) => phrases::run(args, console),
        Command::Schema => Ok(anstream::stdout().write_all(keen_notch_core::cutlist::schema().as_bytes())?),
        Command::Demo(args) => demo::run(args, console),
    }
}
