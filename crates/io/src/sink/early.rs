//! Having a file written to its disk while the rest of it is still to come.

use std::fs;
use std::io;
use std::sync::mpsc::{SyncSender, sync_channel};
use std::thread::{self, JoinHandle};

/// Bytes after which the disk is asked again.
pub const EVERY: usize = 8 << 20;

/// Syncs a file on a thread of its own. What it has done need not be done at the end, when somebody waits for it.
pub struct EarlySync {
    ask: SyncSender<()>,
    thread: JoinHandle<io::Result<()>>,
}

impl EarlySync {
    /// For a file that is being written.
    ///
    /// # Errors
    /// Where there can be no second handle of it.
    pub fn of(file: &fs::File) -> io::Result<EarlySync> {
        let file = file.try_clone()?;
        let (ask, asked) = sync_channel(1);
        let thread = thread::Builder::new().spawn(move || asked.iter().try_for_each(|()| file.sync_data()))?;
        Ok(EarlySync { ask, thread })
    }

    /// Asks for what has been written so far. One that is asked while it still waits does all of it at once.
    pub fn ask(&self) {
        // Where it is full, it has been asked; where nobody listens, an error ended it, which the end tells.
        let _ = self.ask.try_send(());
    }

    /// Waits until it is done.
    ///
    /// # Errors
    /// The first that the disk gave: it would not give it again.
    pub fn finish(self) -> io::Result<()> {
        drop(self.ask);
        self.thread.join().unwrap_or_else(|_| Err(io::Error::other("the thread that writes the file back has stopped")))
    }
}

#[cfg(test)]
mod tests {
    use super::super::{Sink, commit_all, open};
    use super::*;
    use crate::files::RunFiles;

    #[test]
    fn a_file_that_is_synced_early_is_whole_and_not_there_before() {
        let folder = tempfile::tempdir().unwrap();
        let place = folder.path().join("out.csv");
        let mut sink: Box<dyn Sink> = open(&place, &RunFiles::default()).unwrap();
        let piece: Vec<u8> = (0..1 << 20).map(|n| b'a' + (n % 23) as u8).collect();
        // More than the disk is asked for several times.
        let pieces = 3 * EVERY / piece.len() + 1;
        (0..pieces).for_each(|_| sink.put(&piece).unwrap());
        assert!(!place.exists());
        commit_all(vec![sink]).unwrap();
        assert!(fs::read(&place).unwrap() == piece.repeat(pieces), "it is not what was written");
        assert_eq!(fs::read_dir(folder.path()).unwrap().count(), 1, "nothing is left beside it");
    }

    #[cfg(unix)]
    #[test]
    fn an_error_of_the_disk_is_told_at_the_end() {
        // Nothing can be synced through a pipe.
        let (reader, _writer) = io::pipe().unwrap();
        let file = fs::File::from(std::os::fd::OwnedFd::from(reader));
        let early = EarlySync::of(&file).unwrap();
        early.ask();
        assert!(early.finish().is_err());
    }
}
