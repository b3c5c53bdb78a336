//! What happens where the program is ended from outside: by Ctrl-C, by the system, or by a terminal that closes.

use std::thread;

use keen_notch_io::sink::remove_unfinished;
use signal_hook::consts::{SIGHUP, SIGINT, SIGTERM};
use signal_hook::iterator::Signals;
use signal_hook::low_level::emulate_default_handler;

/// From now on, nothing is left half-written where one of these signals comes; then the program ends as if nobody had
/// listened, so that its status says which it was.
pub fn leave_nothing() {
    // Without signals, files are left: that is no reason not to run.
    let Ok(mut signals) = Signals::new([SIGINT, SIGTERM, SIGHUP]) else { return };
    thread::spawn(move || {
        if let Some(signal) = signals.forever().next() {
            remove_unfinished();
            let _ = emulate_default_handler(signal);
        }
    });
}
