//! Temporary files that a signal must remove.

use std::ffi::{OsStr, OsString};
use std::io;
use std::path::Path;
use std::sync::atomic::{AtomicBool, Ordering};
use std::sync::{Arc, Condvar, Mutex, MutexGuard, PoisonError};

use crate::pool::lock;
use crate::sink::folder::Folder;

/// Folders and names of temporary files beside outputs.
static FILES: Mutex<Vec<(Arc<Folder>, OsString)>> = Mutex::new(Vec::new());
static PLACING: Mutex<()> = Mutex::new(());

/// The number of open transactions in database files. Without an end, each would leave a journal that readers cannot resolve.
static TRANSACTIONS: Mutex<usize> = Mutex::new(0);
static NO_TRANSACTION: Condvar = Condvar::new();
static HAS_ENDED: AtomicBool = AtomicBool::new(false);

/// An open transaction, until it is dropped. [`remove`] waits for it.
#[cfg(feature = "sqlite")]
pub(crate) struct Transaction(());

#[cfg(feature = "sqlite")]
impl Transaction {
    /// Counts a transaction. Its owner ends it soon after [`has_ended`] is true.
    pub(crate) fn begin() -> Transaction {
        *lock(&TRANSACTIONS) += 1;
        Transaction(())
    }
}

#[cfg(feature = "sqlite")]
impl Drop for Transaction {
    fn drop(&mut self) {
        *lock(&TRANSACTIONS) -= 1;
        NO_TRANSACTION.notify_all();
    }
}

#[cfg(feature = "sqlite")]
pub(crate) fn has_ended() -> bool {
    HAS_ENDED.load(Ordering::Relaxed)
}

/// A temporary file beside an output. Dropping it removes the file, unless the file has become the output.
#[derive(Debug)]
pub(crate) struct Beside {
    folder: Arc<Folder>,
    name: OsString,
}

impl Beside {
    pub(crate) fn note(folder: Arc<Folder>, path: &Path) -> Beside {
        let name = path.file_name().unwrap_or_default().to_owned();
        lock(&FILES).push((Arc::clone(&folder), name.clone()));
        Beside { folder, name }
    }

    pub(crate) fn put_in_place(self, place: &OsStr) -> io::Result<()> {
        self.folder.rename(&self.name, place)?;
        self.stay();
        Ok(())
    }

    pub(crate) fn stay(mut self) {
        self.forget();
        self.name.clear();
    }

    fn forget(&self) {
        lock(&FILES).retain(|(folder, name)| !Arc::ptr_eq(folder, &self.folder) || *name != self.name);
    }
}

impl Drop for Beside {
    fn drop(&mut self) {
        if !self.name.is_empty() {
            self.forget();
            // A file that was never created cannot be removed.
            let _ = self.folder.remove(&self.name);
        }
    }
}

/// Blocks [`remove`] while files are put in place.
pub(crate) fn hold() -> MutexGuard<'static, ()> {
    lock(&PLACING)
}

/// Removes temporary files before the program ends. Waits for open transactions, and until outputs are in place if that has started.
pub fn remove() {
    HAS_ENDED.store(true, Ordering::Relaxed);
    let mut transactions = lock(&TRANSACTIONS);
    while *transactions > 0 {
        transactions = NO_TRANSACTION.wait(transactions).unwrap_or_else(PoisonError::into_inner);
    }
    drop(transactions);
    let _held = hold();
    for (folder, name) in lock(&FILES).drain(..) {
        // A file that cannot be removed is usually in place already.
        let _ = folder.remove(&name);
    }
}
