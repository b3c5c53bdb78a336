//! Calls into packages that may panic on invalid files.

use std::cell::Cell;
#[cfg(any(feature = "columnar", feature = "workbooks"))]
use std::panic::{AssertUnwindSafe, catch_unwind};

thread_local! {
    static IS_GUARDED: Cell<bool> = const { Cell::new(false) };
}

/// Whether this thread is in such a call, whose panics are errors of a file, not internal errors.
pub fn is_guarded() -> bool {
    IS_GUARDED.get()
}

/// Calls a function; `None` if it panics.
#[cfg(any(feature = "columnar", feature = "workbooks"))]
pub fn guarded<R>(call: impl FnOnce() -> R) -> Option<R> {
    IS_GUARDED.set(true);
    let outcome = catch_unwind(AssertUnwindSafe(call));
    IS_GUARDED.set(false);
    outcome.ok()
}
