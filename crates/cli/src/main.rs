//! Keen Notch on the command line: cuts columns of codes into their parts.
#![forbid(unsafe_code)]
// Functions have at most 80 lines, except tables, matches and tests.
#![cfg_attr(not(test), warn(clippy::too_many_lines))]

mod args;
mod commands;
mod complete;
mod console;
mod draw;
mod exit;
mod failure;
#[cfg(unix)]
mod interrupt;
mod io_help;
mod mistake;
mod pipes;
mod progress;
mod report;
mod rules;
mod secrets;
mod try_ui;

use std::io::Write;
use std::process::ExitCode;

use clap::{CommandFactory, Parser};

use crate::args::Args;
use crate::console::Console;
use crate::draw::visible::without_controls;
use crate::exit::Exit;
use crate::failure::Failure;

fn main() -> ExitCode {
    // A completion request from a shell does nothing else.
    clap_complete::CompleteEnv::with_factory(Args::command).var(complete::VARIABLE).shells(complete::SHELLS).complete();
    let args = match Args::try_parse() {
        Ok(args) => args,
        Err(error) => return exit_without(&error).into(),
    };
    args.color.apply();
    pipes::widen();
    #[cfg(unix)]
    interrupt::leave_nothing();
    let console = Console::detect();
    let run = || match commands::run(&args.command, &console) {
        Ok(exit) => exit,
        Err(failure) => failure.report(&console),
    };
    mistake::guarded(run).into()
}

/// Prints the result of a command line without a command: help, the version, or an error.
fn exit_without(error: &clap::Error) -> Exit {
    if error.use_stderr() {
        // It repeats words of the command line, which can contain anything.
        let _ = write!(console::err(), "{}", without_controls(&secrets::hidden(&error.render().to_string())));
        return Exit::Usage;
    }
    match error.print().and_then(|()| std::io::stdout().flush()) {
        Ok(()) => Exit::Done,
        Err(failed) => Failure::from(failed).report(&Console::detect()),
    }
}
