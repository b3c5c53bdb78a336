//! Files beside the place of an output: what they are called, and what becomes of those whose run is dead.
//!
//! A run holds a lock on each of its own. Where it is killed or the power fails, the lock goes and the file stays; the next run
//! with the same output takes it away.

use std::ffi::OsString;
use std::fs;
use std::io;
use std::path::Path;
use std::sync::Arc;

use super::folder::Folder;
use super::unfinished::Beside;

/// What the name of a file that is being written ends in.
const NEW: &str = ".part";
/// What the name of a file that was replaced, and may come back, ends in.
const OLD: &str = ".old";
/// The most bytes of an output's name that are part of the name beside it: systems allow 255 in all.
const MOST_OF_NAME: usize = 180;
/// How often it is tried to have a file of one's own.
const TRIES: usize = 16;

/// What the names of all files beside a place begin with.
fn prefix(place: &Path) -> String {
    let name = place.file_name().unwrap_or_default().to_string_lossy();
    format!(".{}.keen-notch-", &name[..name.floor_char_boundary(MOST_OF_NAME)])
}

/// Makes a file beside its place that nobody else can read, and locks it.
pub fn create(folder: &Arc<Folder>, place: &Path) -> io::Result<(fs::File, Beside)> {
    let prefix = prefix(place);
    for _ in 0..TRIES {
        let file = tempfile::Builder::new().prefix(&prefix).suffix(NEW).tempfile_in(folder.path())?;
        // Where there are no locks, nobody can lock it to take it away.
        let _ = file.as_file().lock();
        // Another run may have taken it for a leftover before it was locked.
        if file.path().exists() {
            let (file, path) = file.keep().map_err(|error| error.error)?;
            return Ok((file, Beside::note(Arc::clone(folder), &path)));
        }
    }
    Err(io::Error::other("another program removes the temporary files beside it"))
}

/// Makes a second name for a file that is about to be replaced, beside it: a link, or a copy on file systems without links.
///
/// # Errors
/// The folder takes neither.
pub fn keep(folder: &Arc<Folder>, place: &Path) -> io::Result<Beside> {
    let mut builder = tempfile::Builder::new();
    let prefix = prefix(place);
    builder.prefix(&prefix).suffix(OLD);
    let link = |path: &Path| folder.link(place.file_name().unwrap_or_default(), path.file_name().unwrap_or_default());
    let kept = match builder.make_in(folder.path(), link) {
        Ok(named) => named.into_temp_path(),
        Err(_) => {
            let copied = builder.tempfile_in(folder.path())?.into_temp_path();
            fs::copy(place, &copied)?;
            copied
        }
    };
    let path = kept.keep().map_err(|error| error.error)?;
    Ok(Beside::note(Arc::clone(folder), &path))
}

/// Removes what dead runs have left beside a place. What cannot be removed stays.
pub fn remove(folder: &Folder, place: &Path) {
    let prefix = prefix(place);
    let is_leftover = |name: &OsString| {
        let name = name.to_string_lossy();
        name.starts_with(&prefix) && (name.ends_with(NEW) || name.ends_with(OLD))
    };
    let Ok(entries) = fs::read_dir(folder.path()) else { return };
    for path in entries.flatten().filter(|entry| is_leftover(&entry.file_name())).map(|entry| entry.path()) {
        if fs::File::open(&path).is_ok_and(|file| file.try_lock().is_ok()) {
            let _ = fs::remove_file(path);
        }
    }
}
