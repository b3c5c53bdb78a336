//! `--watch`: a command runs again when a file that it read has changed.

use std::collections::BTreeMap;
use std::fs;
use std::path::{Path, PathBuf};
use std::thread;
use std::time::{Duration, SystemTime};

use keen_notch_io::files::RunFiles;
use keen_notch_io::source::input::Input;

use crate::commands::inputs::read_twice;
use crate::console::Console;
use crate::draw::style::{self, paint};
use crate::draw::visible;
use crate::exit::Exit;
use crate::failure::Failure;

/// The time between two looks at the files. A file is read once it is the same in two looks, so not while it is being written.
const PAUSE: Duration = Duration::from_millis(200);
/// Looks until a missing file counts as gone. Many programs replace a file by removing it first.
const PATIENCE: usize = 10;

/// The size and time of modification of a file. `None` if it cannot be read.
type Stamp = Option<(u64, SystemTime)>;

/// Runs a command, and again after each change of a file that it read, until a signal ends the program. `run` gets the
/// outcome of the last run, for comparison.
///
/// Polling also works for folders of a network.
///
/// # Errors
/// The first run fails, or the reader of the output has closed the pipe. A later failure is printed, and the next change runs the command again.
pub fn watch<T>(mut run: impl FnMut(&RunFiles, &Console, Option<&T>) -> Result<T, Failure>) -> Result<Exit, Failure> {
    let (mut last, mut stamps) = (None, BTreeMap::new());
    loop {
        let console = Console::detect();
        let (known, begun) = (RunFiles::default(), SystemTime::now());
        match run(&known, &console, last.as_ref()) {
            Ok(outcome) => last = Some(outcome),
            Err(failure) if last.is_none() || failure.is_closed_pipe() => return Err(failure),
            Err(failure) => drop(failure.report(&console)),
        }
        for path in known.read_files() {
            // A file that changed while it was read for the first time is read again.
            let first = || stamp(&path).filter(|(_, changed)| *changed < begun);
            stamps.entry(path.clone()).or_insert_with(first);
        }
        let changed = next_change(&mut stamps);
        let time = jiff::Zoned::now().strftime("%H:%M:%S").to_string();
        let words = visible::without_controls(&format!("{time}  {}", changed.join(", ")));
        console.note(&format!("\n{}", paint(style::HEAD, visible::clipped(&words, console.width))));
    }
}

/// Refuses what cannot be read again.
pub fn can_watch(inputs: &[Input]) -> Result<(), Failure> {
    read_twice(inputs, "--watch reads the input again after each change", "save it as a file and name that")?;
    match inputs.iter().find(|input| matches!(input, Input::Database(relation) if relation.address.path().is_none())) {
        None => Ok(()),
        Some(input) => {
            let message = format!("--watch sees changes of files, and {} is no file", input.name());
            Err(Failure::usage(message, "remove --watch, or save the rows as a file"))
        }
    }
}

fn stamp(path: &Path) -> Stamp {
    let found = fs::metadata(path).ok()?;
    Some((found.len(), found.modified().ok()?))
}

/// Waits until files differ from their stamps and stay the same for a while. Notes their new stamps, and gives a sentence for each.
fn next_change(stamps: &mut BTreeMap<PathBuf, Stamp>) -> Vec<String> {
    let look = |stamps: &BTreeMap<PathBuf, Stamp>| -> BTreeMap<PathBuf, Stamp> {
        stamps.keys().map(|path| (path.clone(), stamp(path))).collect()
    };
    let (mut before, mut missing) = (look(stamps), 0);
    loop {
        thread::sleep(PAUSE);
        let now = look(stamps);
        let is_gone = now.iter().any(|(path, stamp)| stamp.is_none() && stamps[path].is_some());
        missing = if is_gone { missing + 1 } else { 0 };
        if now != *stamps && now == before && (missing == 0 || missing >= PATIENCE) {
            let changed = now.iter().filter(|(path, stamp)| stamps[*path] != **stamp);
            let words = changed
                .map(|(path, stamp)| format!("{} {}", path.display(), if stamp.is_none() { "is gone" } else { "has changed" }));
            let words = words.collect();
            *stamps = now;
            return words;
        }
        before = now;
    }
}
