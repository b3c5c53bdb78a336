//! `manual`: writes man pages, one per command.

use std::fs;

use clap::CommandFactory;

use crate::args::{Args, ManualArgs};
use crate::console::Console;
use crate::failure::Failure;

pub fn run(args: &ManualArgs, console: &Console) -> Result<(), Failure> {
    let name = args.dir.display().to_string();
    let failed = |source| keen_notch_io::Error::Write { name: name.clone(), source, is_half_written: true };
    fs::create_dir_all(&args.dir).map_err(failed)?;
    let mut command = Args::command();
    command.build();
    clap_mangen::generate_to(command, &args.dir).map_err(failed)?;
    console.note(&format!("the man pages are in {name}; read one with: man -l {name}/keen-notch.1",));
    Ok(())
}
