//! One file a command.

mod carve;
mod demo;
mod gauge;

use crate::args::Command;
use crate::console::Console;
use crate::failure::Failure;

/// Runs a command.
pub fn run(command: &Command, console: &Console) -> Result<(), Failure> {
    match command {
        Command::Carve(args) => carve::run(args, console),
        Command::Gauge(args) => gauge::run(args, console),
        Command::Demo(args) => demo::run(args, console),
    }
}
