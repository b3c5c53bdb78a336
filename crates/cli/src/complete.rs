//! What a shell offers while a command is being written: the columns of the file at hand, and the words of phrases.

use std::ffi::OsStr;
use std::path::PathBuf;

use clap_complete::CompletionCandidate;
use keen_notch_core::phrase::reference;
use keen_notch_io::source::Reading;
use keen_notch_io::source::input::Input;
use keen_notch_io::table::Table;

use crate::draw::visible;

/// The variable of the environment that a shell asks by.
pub const VARIABLE: &str = "KEEN_NOTCH_COMPLETE";

/// The names of the columns of the first file on the command line that has some.
pub fn columns(current: &OsStr) -> Vec<CompletionCandidate> {
    let written = current.to_string_lossy();
    let files = std::env::args_os().skip(1).map(PathBuf::from).filter(|path| path.is_file());
    let is_list = |path: &PathBuf| path.extension().is_some_and(|ending| ending == "toml");
    let mut tables =
        files.filter(|path| !is_list(path)).filter_map(|path| Table::open(&[Input::File(path)], &Reading::default()).ok());
    let Some(table) = tables.next() else { return Vec::new() };
    let titles = (0..table.header.count()).map(|column| table.header.title(column));
    // What could command the terminal is not offered to it.
    let titles = titles.filter(|title| visible::without_controls(title) == *title && title.starts_with(&*written));
    titles.map(CompletionCandidate::new).collect()
}

/// The steps that a piece can go on with: after its name, and after `then`, `or` and what is written of a word.
pub fn pieces(current: &OsStr) -> Vec<CompletionCandidate> {
    steps(&current.to_string_lossy(), true)
}

/// The same for a phrase without a name.
pub fn phrases(current: &OsStr) -> Vec<CompletionCandidate> {
    steps(&current.to_string_lossy(), false)
}

fn steps(written: &str, has_name: bool) -> Vec<CompletionCandidate> {
    let begin = ["then ", "or "].iter().filter_map(|word| written.rfind(word).map(|at| at + word.len())).max();
    let named = written.find(": ").map(|colon| colon + 2);
    let Some(begin) = begin.max(named).or((!has_name).then_some(0)) else { return Vec::new() };
    let (before, word) = written.split_at(begin);
    let fitting = reference::entries().filter(|entry| entry.form.starts_with(word));
    fitting.map(|entry| CompletionCandidate::new(format!("{before}{}", entry.form)).help(Some(entry.gives.into()))).collect()
}
