//! Files that are being written, which must not be left where the program is ended from outside.

use std::fs;
use std::path::PathBuf;
use std::sync::{Mutex, MutexGuard};

use crate::pool::lock;

/// The files that are beside their places so far.
static FILES: Mutex<Vec<PathBuf>> = Mutex::new(Vec::new());
/// Held by whoever puts files in their places.
static PLACING: Mutex<()> = Mutex::new(());

/// Notes a file that is beside its place.
pub(super) fn note(path: PathBuf) {
    lock(&FILES).push(path);
}

/// Forgets a file that is complete now, or not there any more.
#[cfg(feature = "sqlite")]
pub(super) fn forget(path: &std::path::Path) {
    lock(&FILES).retain(|noted| noted != path);
}

/// Keeps [`remove`] waiting: files are being put in their places, all or none of them.
pub(super) fn hold() -> MutexGuard<'static, ()> {
    lock(&PLACING)
}

/// Removes the files that are not in their places, for a program that is about to be ended. Where outputs are just being put in
/// their places, it waits for that.
pub fn remove() {
    let _held = hold();
    for path in lock(&FILES).drain(..) {
        // Most that cannot be removed are no longer there: they are in their places.
        let _ = fs::remove_file(path);
    }
}
