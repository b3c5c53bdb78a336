//! The progress of a long run, on the last line of a terminal.

use std::io::IsTerminal;
use std::sync::Arc;
use std::sync::mpsc::{self, Sender};
use std::thread::{self, JoinHandle};
use std::time::Duration;

use indicatif::{ProgressBar, ProgressDrawTarget, ProgressState, ProgressStyle};
use keen_notch_io::source::input::Input;
use keen_notch_io::source::meter::Meter;

use crate::draw::visible;

const PATIENCE: Duration = Duration::from_millis(500);
const TICK: Duration = Duration::from_millis(120);

pub struct Progress {
    shown: Option<(Sender<()>, JoinHandle<()>)>,
}

impl Progress {
    /// Shows the progress of a meter over the inputs. Shows none if `quiet`, if standard error is not a terminal, or if rows go into a
    /// pipe, whose reader may use the terminal too.
    pub fn of(inputs: &[Input], meter: &Arc<Meter>, quiet: bool, rows_go_elsewhere: bool) -> Progress {
        if quiet || !std::io::stderr().is_terminal() || !(rows_go_elsewhere || is_quiet_place()) {
            return Progress { shown: None };
        }
        let size = size(inputs);
        let meter = Arc::clone(meter);
        let (sender, over) = mpsc::channel();
        let thread = thread::Builder::new().spawn(move || {
            if over.recv_timeout(PATIENCE) != Err(mpsc::RecvTimeoutError::Timeout) {
                return;
            }
            let bar = bar(size, &meter);
            while over.recv_timeout(TICK) == Err(mpsc::RecvTimeoutError::Timeout) {
                bar.set_position(meter.bytes());
                bar.tick();
            }
            bar.finish_and_clear();
        });
        // A run continues without progress.
        Progress { shown: thread.ok().map(|thread| (sender, thread)) }
    }
}

impl Drop for Progress {
    fn drop(&mut self) {
        if let Some((sender, thread)) = self.shown.take() {
            drop(sender);
            // The line is cleared before other output.
            let _ = thread.join();
        }
    }
}

fn is_quiet_place() -> bool {
    let stdout = std::io::stdout();
    if stdout.is_terminal() {
        return true;
    }
    #[cfg(unix)]
    {
        use std::os::fd::AsFd;
        let owned = stdout.as_fd().try_clone_to_owned().map(std::fs::File::from);
        owned.and_then(|file| file.metadata()).is_ok_and(|found| found.is_file())
    }
    #[cfg(not(unix))]
    false
}

fn size(inputs: &[Input]) -> Option<u64> {
    let size = |input: &Input| {
        let found = std::fs::metadata(input.path()?).ok()?;
        found.is_file().then_some(found.len())
    };
    inputs.iter().map(size).sum()
}

fn bar(size: Option<u64>, meter: &Arc<Meter>) -> ProgressBar {
    let bar = match size {
        Some(size) => ProgressBar::with_draw_target(Some(size), ProgressDrawTarget::stderr()),
        None => ProgressBar::with_draw_target(None, ProgressDrawTarget::stderr()),
    };
    let template = match size {
        Some(_) => "{percent:>3} % {bar:24} {rows}, {binary_bytes_per_sec}, {eta} left",
        None => "{rows}, {binary_bytes} read, {binary_bytes_per_sec}",
    };
    let meter = Arc::clone(meter);
    let style = ProgressStyle::with_template(template).unwrap_or_else(|_| ProgressStyle::default_bar());
    bar.set_style(style.progress_chars("█▉▊▋▌▍▎▏ ").with_key(
        "rows",
        move |_: &ProgressState, line: &mut dyn std::fmt::Write| {
            let _ = write!(line, "{}", visible::counted(meter.rows(), "row"));
        },
    ));
    bar.set_elapsed(PATIENCE);
    bar
}
