//! Keen Notch on the command line: cuts columns of codes into their parts.
#![forbid(unsafe_code)]

mod args;
mod commands;
mod console;
mod draw;
mod exit;
mod failure;

use std::process::ExitCode;

use clap::Parser;

use crate::args::Args;
use crate::console::Console;
use crate::exit::Exit;

fn main() -> ExitCode {
    let args = Args::parse();
    args.color.apply();
    let console = Console::detect();
    match commands::run(&args.command, &console) {
        Ok(()) => Exit::Done.into(),
        Err(failure) => failure.report(&console).into(),
    }
}
