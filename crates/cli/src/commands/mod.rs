pub mod against;
mod carve;
mod check;
mod completions;
mod database;
mod demo;
mod draft;
mod explain;
mod gauge;
mod inputs;
mod manual;
mod merge;
mod outputs;
mod phrases;
mod repeats;
mod report;
mod request;
mod schema;
mod survey;
mod survey_by;
mod survey_targets;
mod try_phrases;
mod watch;

use crate::args::Command;
use crate::console::Console;
use crate::exit::Exit;
use crate::failure::Failure;

pub fn run(command: &Command, console: &Console) -> Result<Exit, Failure> {
    match command {
        Command::Gauge(args) => gauge::run(args, console),
        Command::Survey(args) => return survey::run(args, console),
        Command::Try(args) => try_phrases::run(args, console),
        Command::Draft(args) => draft::run(args, console),
        Command::Carve(args) => return carve::run(args, console),
        Command::Check(args) => return check::run(args, console),
        Command::Report(args) => return report::run(args, console),
        Command::Merge(args) => merge::run(args, console),
        Command::Explain(args) => explain::run(args, console),
        Command::Phrases(args) => phrases::run(args, console),
        Command::Schema(args) => schema::run(args, console),
        Command::Demo(args) => demo::run(args, console),
        Command::Completions(args) => completions::run(args),
        Command::Manual(args) => manual::run(args, console),
    }
    .map(|()| Exit::Done)
}
