//! Reading files by a package that may not be up to what is in them.

use std::cell::Cell;
#[cfg(any(feature = "columnar", feature = "workbooks"))]
use std::panic::{AssertUnwindSafe, catch_unwind};

thread_local! {
    static IS_GUARDED: Cell<bool> = const { Cell::new(false) };
}

/// Whether this thread is in code whose panics are errors of a file and no mistakes of the program: whoever reports panics has nothing
/// to say of them.
pub fn is_guarded() -> bool {
    IS_GUARDED.get()
}

/// Calls something; `None` where it panics.
#[cfg(any(feature = "columnar", feature = "workbooks"))]
pub fn guarded<R>(call: impl FnOnce() -> R) -> Option<R> {
    IS_GUARDED.set(true);
    let outcome = catch_unwind(AssertUnwindSafe(call));
    IS_GUARDED.set(false);
    outcome.ok()
}
