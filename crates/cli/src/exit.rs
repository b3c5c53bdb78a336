//! How the program ends.

use std::process::ExitCode;

/// The exit status.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Exit {
    /// 0: done.
    Done,
    /// 1: done, and checks found faults.
    Faults,
    /// 2: the command line or the cut list is wrong.
    Usage,
    /// 3: an input cannot be read, or an output cannot be written.
    File,
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
