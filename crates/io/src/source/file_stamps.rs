//! Detects changes of files between two readings.

use std::fs::Metadata;
use std::path::{Path, PathBuf};
use std::time::SystemTime;

use crate::Error;
use crate::source::input::Input;

#[derive(Debug, Clone, Default)]
pub struct FileStamps(Vec<(PathBuf, Stamp)>);

#[derive(Debug, Clone, PartialEq, Eq)]
struct Stamp {
    bytes: u64,
    modified: Option<SystemTime>,
    file: Option<(u64, u64)>,
}

impl Stamp {
    fn of(path: &Path) -> Option<Stamp> {
        let found = path.metadata().ok().filter(Metadata::is_file)?;
        Some(Stamp { bytes: found.len(), modified: found.modified().ok(), file: identity(&found) })
    }
}

#[cfg(unix)]
fn identity(found: &Metadata) -> Option<(u64, u64)> {
    use std::os::unix::fs::MetadataExt;
    Some((found.dev(), found.ino()))
}

#[cfg(not(unix))]
fn identity(_: &Metadata) -> Option<(u64, u64)> {
    None
}

impl FileStamps {
    /// Records the state of all inputs that are regular files.
    pub fn of(inputs: &[Input]) -> FileStamps {
        let stamp = |path: &Path| Some((path.to_owned(), Stamp::of(path)?));
        FileStamps(inputs.iter().filter_map(Input::path).filter_map(stamp).collect())
    }

    /// Compares the files with their recorded state.
    ///
    /// # Errors
    /// A file has another size, modification time or inode.
    pub fn check(&self) -> Result<(), Error> {
        match self.0.iter().find(|(path, before)| Stamp::of(path).as_ref() != Some(before)) {
            Some((path, _)) => Err(Error::InputChanged { name: path.display().to_string() }),
            None => Ok(()),
        }
    }
}
