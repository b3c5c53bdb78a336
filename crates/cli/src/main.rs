//! Keen Notch on the command line: cuts columns of codes into their parts.
#![forbid(unsafe_code)]

mod args;
mod commands;
mod complete;
mod console;
mod draw;
mod exit;
mod failure;
#[cfg(unix)]
mod interrupt;
mod mistake;
mod pipes;
mod progress;

use std::process::ExitCode;

use clap::{CommandFactory, Parser};

use crate::args::Args;
use crate::console::Console;

fn main() -> ExitCode {
    // Where a shell asks what can come next, it is answered, and nothing else is done.
    clap_complete::CompleteEnv::with_factory(Args::command).var(complete::VARIABLE).complete();
    let args = Args::parse();
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
