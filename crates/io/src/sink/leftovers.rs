//! Temporary files beside outputs: their names, and the removal of leftovers.
//!
//! A run locks each of its files. After a kill or a power failure the lock is gone, and the next run with the same output removes the
//! file.

use std::ffi::OsString;
use std::fs;
use std::io;
use std::path::Path;
use std::sync::Arc;

use crate::sink::folder::Folder;
use crate::sink::unfinished::Beside;

const NEW: &str = ".part";
const OLD: &str = ".old";
/// Bytes of an output's name in the name of its temporary file. File systems limit names to 255 bytes.
const MOST_OF_NAME: usize = 180;
const TRIES: usize = 16;

fn prefix(place: &Path) -> String {
    let name = place.file_name().unwrap_or_default().to_string_lossy();
    format!(".{}.keen-notch-", &name[..name.floor_char_boundary(MOST_OF_NAME)])
}

/// Creates and locks a temporary file that only its owner can read.
pub fn create(folder: &Arc<Folder>, place: &Path) -> io::Result<(fs::File, Beside)> {
    let prefix = prefix(place);
    for _ in 0..TRIES {
        let file = tempfile::Builder::new().prefix(&prefix).suffix(NEW).tempfile_in(folder.path())?;
        // Without locks, no other run can lock the file to remove it.
        let _ = file.as_file().lock();
        // Another run may have removed the file before it was locked.
        if file.path().exists() {
            let (file, path) = file.keep().map_err(|error| error.error)?;
            return Ok((file, Beside::note(Arc::clone(folder), &path)));
        }
    }
    Err(io::Error::other("another program removes the temporary files beside it"))
}

/// Gives a file a second name before it is replaced: a link, or a copy on file systems without links.
///
/// # Errors
/// The folder accepts neither.
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
