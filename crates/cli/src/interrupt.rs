//! Signals that end the program: Ctrl-C, termination, or a closed terminal.

use std::thread;

use keen_notch_io::sink::remove_unfinished;
use signal_hook::consts::{SIGHUP, SIGINT, SIGTERM};
use signal_hook::iterator::Signals;
use signal_hook::low_level::emulate_default_handler;

/// Removes temporary files at such a signal, then ends the program with the signal's own status.
pub fn leave_nothing() {
    let ignored = ignored();
    let listened_to = [SIGINT, SIGTERM, SIGHUP].into_iter().filter(|signal| ignored >> (signal - 1) & 1 == 0);
    // Without signal handling, temporary files may remain; the run continues anyway.
    let Ok(mut signals) = Signals::new(listened_to) else { return };
    let _ = thread::Builder::new().spawn(move || {
        if let Some(signal) = signals.forever().next() {
            remove_unfinished();
            crate::try_ui::give_back();
            let _ = emulate_default_handler(signal);
        }
    });
}

/// The signals that the parent process ignores, as with `nohup`: one bit per signal, from 1. They stay ignored. Only Linux reports them.
fn ignored() -> u64 {
    let status = std::fs::read_to_string("/proc/self/status").unwrap_or_default();
    let mask = status.lines().find_map(|line| line.strip_prefix("SigIgn:"));
    mask.and_then(|mask| u64::from_str_radix(mask.trim(), 16).ok()).unwrap_or(0)
}
