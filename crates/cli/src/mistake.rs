//! A mistake of the program's own: it ends like any other failure, with a line that says what to do.

use std::io::Write;
use std::panic::{self, AssertUnwindSafe, PanicHookInfo};

use crate::console;
use crate::exit::Exit;

/// Calls what a mistake may be in. One that shows ends the run with the status of a failure; outputs that were not finished
/// are not put in their places.
pub fn guarded(run: impl FnOnce() -> Exit) -> Exit {
    panic::set_hook(Box::new(say));
    let outcome = panic::catch_unwind(AssertUnwindSafe(run));
    let _ = panic::take_hook();
    outcome.unwrap_or(Exit::File)
}

fn say(mistake: &PanicHookInfo) {
    if keen_notch_io::is_guarded() {
        return;
    }
    // What is said is to be seen, and not on a screen that goes away.
    crate::trying::give_back();
    let what = mistake.payload_as_str().unwrap_or("it does not say which");
    let place = mistake.location().map_or(String::new(), |place| format!(" ({}, line {})", place.file(), place.line()));
    // Nobody is left to be told that it could not be told.
    let _ = writeln!(console::err(), "error: keen-notch made a mistake and stopped: {what}{place}");
    let _ = writeln!(console::err(), "help: no output file was written; please report it, with the command and what it read");
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_mistake_on_any_thread_is_a_failure() {
        assert_eq!(guarded(|| Exit::Done), Exit::Done);
        let worker = || {
            std::thread::scope(|scope| drop(scope.spawn(|| panic!("on a thread"))));
            Exit::Done
        };
        assert_eq!(guarded(worker), Exit::File);
    }
}
