mod bash;
mod powershell;
mod typed;

use std::ffi::{OsStr, OsString};
use std::io;
use std::path::{Path, PathBuf};
use std::sync::OnceLock;

use clap_complete::CompletionCandidate;
use clap_complete::engine;
use clap_complete::env::{Elvish, Shells};
use keen_notch_core::phrase::reference;
use keen_notch_io::source::Reading;
use keen_notch_io::source::input::Input;
use keen_notch_io::table::Table;

use crate::draw::visible;

/// The environment variable through which a shell requests completions.
pub const VARIABLE: &str = "KEEN_NOTCH_COMPLETE";

/// The words of the completed command line, if the shell does not pass them as arguments.
static WORDS: OnceLock<Vec<OsString>> = OnceLock::new();

/// The shells with completions. Each inserts a candidate as one word that the shell does not expand.
pub const SHELLS: Shells<'static> = Shells(&[&bash::Bash, &Elvish, &typed::FISH, &powershell::Powershell, &typed::ZSH]);

/// The candidates for the last word. It drops candidates with control characters.
fn candidates(command: &mut clap::Command, words: Vec<OsString>, folder: Option<&Path>) -> io::Result<Vec<String>> {
    let last = words.len().saturating_sub(1);
    let found = engine::complete(command, words, last, folder)?;
    let texts = found.iter().map(|candidate| candidate.get_value().to_string_lossy().into_owned());
    Ok(texts.filter(|text| visible::without_controls(text) == *text).collect())
}

/// The column names of the first file on the command line that has some.
pub fn columns(current: &OsStr) -> Vec<CompletionCandidate> {
    let written = current.to_string_lossy();
    let passed = || std::env::args_os().skip_while(|word| word != "--").skip(1).collect();
    let words: Vec<OsString> = WORDS.get().cloned().unwrap_or_else(passed);
    let files = words.into_iter().skip(1).map(PathBuf::from).filter(|path| path.is_file());
    let is_list = |path: &PathBuf| path.extension().is_some_and(|ending| ending == "toml");
    let mut tables =
        files.filter(|path| !is_list(path)).filter_map(|path| Table::open(&[Input::File(path)], &Reading::default()).ok());
    let Some(table) = tables.next() else { return Vec::new() };
    let titles = (0..table.header.count_with_paths()).map(|column| table.header.title(column));
    // Names with terminal controls are not offered.
    let titles = titles.filter(|title| visible::without_controls(title) == *title && title.starts_with(&*written));
    titles.map(CompletionCandidate::new).collect()
}

/// Completions of a piece: after its name, and of its phrase.
pub fn pieces(current: &OsStr) -> Vec<CompletionCandidate> {
    steps(&current.to_string_lossy(), true)
}

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
