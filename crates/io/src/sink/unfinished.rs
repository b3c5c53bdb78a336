//! Files that are being written, which must not be left where the program is ended from outside.

use std::fs;
use std::path::PathBuf;
use std::sync::atomic::{AtomicBool, Ordering};
use std::sync::{Condvar, Mutex, MutexGuard, PoisonError};

use crate::pool::lock;

/// The files that are beside their places so far.
static FILES: Mutex<Vec<PathBuf>> = Mutex::new(Vec::new());
/// Held by whoever puts files in their places.
static PLACING: Mutex<()> = Mutex::new(());

/// The number of open transactions in database files. Without an end, each would leave a journal that readers cannot resolve.
static TRANSACTIONS: Mutex<usize> = Mutex::new(0);
static NO_TRANSACTION: Condvar = Condvar::new();
/// Whether a signal has ended the program.
static HAS_ENDED: AtomicBool = AtomicBool::new(false);

/// An open transaction, until it is dropped. [`remove`] waits for it.
#[cfg(feature = "sqlite")]
pub(super) struct Transaction(());

#[cfg(feature = "sqlite")]
impl Transaction {
    /// Counts a transaction. Its owner ends it soon after [`has_ended`] is true.
    pub(super) fn begin() -> Transaction {
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

/// Whether a signal has ended the program.
#[cfg(feature = "sqlite")]
pub(super) fn has_ended() -> bool {
    HAS_ENDED.load(Ordering::Relaxed)
}

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

/// Removes the files that are not in their places, for a program that is about to be ended. It waits until open transactions have ended,
/// and until outputs are in their places if that has begun.
pub fn remove() {
    HAS_ENDED.store(true, Ordering::Relaxed);
    let mut transactions = lock(&TRANSACTIONS);
    while *transactions > 0 {
        transactions = NO_TRANSACTION.wait(transactions).unwrap_or_else(PoisonError::into_inner);
    }
    drop(transactions);
    let _held = hold();
    for path in lock(&FILES).drain(..) {
        // Most that cannot be removed are no longer there: they are in their places.
        let _ = fs::remove_file(path);
    }
}
