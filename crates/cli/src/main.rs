//! Keen Notch on the command line: cuts columns of codes into their parts.
#![forbid(unsafe_code)]

mod args;
mod commands;
mod console;
mod draw;
mod exit;
mod failure;
mod pipes;
mod processor;
mod progress;

use std::io::Write;
use std::process::ExitCode;

use clap::Parser;

use crate::args::Args;
use crate::console::Console;
use crate::exit::Exit;

fn main() -> ExitCode {
    if processor::is_right() {
        return run();
    }
    let _ = std::io::stderr().write_all(processor::WRONG.as_bytes());
    Exit::Usage.into()
}

// Compiled by itself, since all of it is for the processor that is asked for first.
#[inline(never)]
fn run() -> ExitCode {
    let args = Args::parse();
    args.color.apply();
    pipes::widen();
    let console = Console::detect();
    match commands::run(&args.command, &console) {
        Ok(exit) => exit.into(),
        Err(failure) => failure.report(&console).into(),
    }
}
