//! Syncing a file while it is still being written.

use std::fs;
use std::io;
use std::sync::mpsc::{SyncSender, sync_channel};
use std::thread::{self, JoinHandle};

/// Bytes between syncs.
pub const EVERY: usize = 8 << 20;

/// Syncs a file on a separate thread, which leaves less work for the end.
pub struct EarlySync {
    ask: SyncSender<()>,
    thread: JoinHandle<io::Result<()>>,
}

impl EarlySync {
    pub fn of(file: &fs::File) -> io::Result<EarlySync> {
        let file = file.try_clone()?;
        let (ask, asked) = sync_channel(1);
        let thread = thread::Builder::new().spawn(move || asked.iter().try_for_each(|()| file.sync_data()))?;
        Ok(EarlySync { ask, thread })
    }

    /// Requests a sync of everything written so far. Pending requests are merged.
    pub fn ask(&self) {
        // A full queue already holds a request. If the thread has ended, `finish` returns its error.
        let _ = self.ask.try_send(());
    }

    /// Waits for the thread.
    ///
    /// # Errors
    /// The first error of the disk, which it would not report again.
    pub fn finish(self) -> io::Result<()> {
        drop(self.ask);
        self.thread.join().unwrap_or_else(|_| Err(io::Error::other("the thread that syncs the file has stopped")))
    }
}

#[cfg(test)]
mod tests {
    use super::super::{File, Sink, commit_all};
    use super::*;

    #[test]
    fn an_early_synced_file_is_complete() {
        let folder = tempfile::tempdir().unwrap();
        let place = folder.path().join("out.csv");
        let mut sink: Box<dyn Sink> = Box::new(File::create("out.csv".to_owned(), place.clone()).unwrap());
        let piece: Vec<u8> = (0..1 << 20).map(|n| b'a' + (n % 23) as u8).collect();
        // More than several intervals.
        let pieces = 3 * EVERY / piece.len() + 1;
        (0..pieces).for_each(|_| sink.put(&piece).unwrap());
        assert!(!place.exists());
        commit_all(vec![sink]).unwrap();
        assert!(fs::read(&place).unwrap() == piece.repeat(pieces), "it is not what was written");
        assert_eq!(fs::read_dir(folder.path()).unwrap().count(), 1, "nothing is left beside it");
    }

    #[cfg(unix)]
    #[test]
    fn a_disk_error_is_reported_at_the_end() {
        // A pipe cannot be synced.
        let (reader, _writer) = io::pipe().unwrap();
        let file = fs::File::from(std::os::fd::OwnedFd::from(reader));
        let early = EarlySync::of(&file).unwrap();
        early.ask();
        assert!(early.finish().is_err());
    }
}
