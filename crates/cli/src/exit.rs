//! Exit statuses.

use std::process::ExitCode;

use keen_notch_core::summary::Summary;

use crate::args::FailOn;

#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Exit {
    Done,
    /// 1: success, but checks found faults, or a condition of `--fail-on` holds.
    Faults,
    Usage,
    /// 3: an input cannot be read, or an output cannot be written.
    File,
}

impl Exit {
    /// The status of a run without faults: 1 with `--fail-on empty` if the summary has gaps.
    pub fn of_gaps(fail_on: Option<FailOn>, summary: &Summary) -> Exit {
        match fail_on {
            Some(FailOn::Empty) if summary.has_gaps() => Exit::Faults,
            Some(FailOn::Empty) | None => Exit::Done,
        }
    }
}

impl From<Exit> for ExitCode {
    fn from(exit: Exit) -> ExitCode {
        ExitCode::from(match exit {
            Exit::Done => 0,
            Exit::Faults => 1,
            Exit::Usage => 2,
            Exit::File => 3,
        })
    }
}
