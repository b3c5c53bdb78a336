//! What happens where the program is ended from outside: by Ctrl-C, by the system, or by a terminal that closes.

use std::thread;

use keen_notch_io::sink::remove_unfinished;
use signal_hook::consts::{SIGHUP, SIGINT, SIGTERM};
use signal_hook::iterator::Signals;
use signal_hook::low_level::emulate_default_handler;

/// From now on, nothing is left half-written where one of these signals comes; then the program ends as if nobody had
/// listened, so that its status says which it was.
pub fn leave_nothing() {
    let ignored = ignored();
    let listened_to = [SIGINT, SIGTERM, SIGHUP].into_iter().filter(|signal| ignored >> (signal - 1) & 1 == 0);
    // Without signals, files are left: that is no reason not to run.
    let Ok(mut signals) = Signals::new(listened_to) else { return };
    let _ = thread::Builder::new().spawn(move || {
        if let Some(signal) = signals.forever().next() {
            remove_unfinished();
            crate::trying::give_back();
            let _ = emulate_default_handler(signal);
        }
    });
}

/// The signals that whoever started the program had it ignore, as `nohup` does, one bit a signal from 1. They stay ignored. Only
/// Linux says which.
fn ignored() -> u64 {
    let status = std::fs::read_to_string("/proc/self/status").unwrap_or_default();
    let mask = status.lines().find_map(|line| line.strip_prefix("SigIgn:"));
    mask.and_then(|mask| u64::from_str_radix(mask.trim(), 16).ok()).unwrap_or(0)
}
