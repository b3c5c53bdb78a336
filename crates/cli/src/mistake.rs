//! Panics end the program like other failures, with a message.

use std::io::Write;
use std::panic::{self, AssertUnwindSafe, PanicHookInfo};

use crate::console;
use crate::exit::Exit;

/// Runs the program. A panic ends it with the status of a failure, and unfinished outputs are removed.
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
    // The message must appear outside the alternate screen.
    crate::try_ui::give_back();
    let what = mistake.payload_as_str().unwrap_or("no message");
    let place = mistake.location().map_or(String::new(), |place| format!(" ({}, line {})", place.file(), place.line()));
    // A write error here cannot be reported.
    let _ = writeln!(console::err(), "error: internal error: {what}{place}");
    let _ = writeln!(console::err(), "help: no output file was written; please report it with the command and its input");
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
