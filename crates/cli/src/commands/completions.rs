//! `completions`: prints the script for a shell.

use std::io::Write;

use crate::args::CompletionsArgs;
use crate::complete;
use crate::console;
use crate::failure::Failure;

pub fn run(args: &CompletionsArgs) -> Result<(), Failure> {
    let shells = complete::SHELLS;
    let Some(shell) = shells.completer(&args.shell) else {
        let names: Vec<&str> = shells.names().collect();
        let message = format!("completions are not available for {}", args.shell);
        return Err(Failure::usage(message, format!("the shells are {}", names.join(", "))));
    };
    let mut script = Vec::new();
    shell.write_registration(complete::VARIABLE, "keen-notch", "keen-notch", "keen-notch", &mut script)?;
    let mut out = console::out();
    out.write_all(&script)?;
    Ok(out.flush()?)
}
