//! Atomic files.

use std::ffi::OsStr;
use std::fs;
use std::io::{self, BufWriter, Seek, SeekFrom, Write};
use std::path::{Path, PathBuf};
use std::sync::Arc;

use crate::Error;
use crate::sink::early;
use crate::sink::early::EarlySync;
use crate::sink::folder::Folder;
use crate::sink::unfinished::Beside;
use crate::sink::{Sink, leftovers};

/// A temporary file beside its destination, renamed when complete.
pub struct File {
    name: String,
    place: PathBuf,
    folder: Arc<Folder>,
    stage: Stage,
    /// The bytes so far, including reserved ones.
    end: u64,
    unasked: usize,
    early: Option<EarlySync>,
}

/// Room in a file for later bytes.
pub struct Reserved {
    #[cfg_attr(not(unix), expect(dead_code))]
    file: Arc<fs::File>,
    #[cfg_attr(not(unix), expect(dead_code))]
    at: u64,
    name: String,
}

impl Reserved {
    /// Writes exactly the reserved bytes.
    ///
    /// # Errors
    /// They cannot be written.
    pub fn write(self, bytes: &[u8]) -> Result<(), Error> {
        #[cfg(unix)]
        let written = std::os::unix::fs::FileExt::write_all_at(&*self.file, bytes, self.at);
        #[cfg(not(unix))]
        let written = {
            let _ = bytes;
            Err(io::ErrorKind::Unsupported.into())
        };
        written.map_err(|source| Error::Write { name: self.name, source, is_half_written: false })
    }
}

enum Stage {
    Beside(BufWriter<Arc<fs::File>>, Beside),
    New,
    Replaced(Option<Old>),
    Gone,
}

struct Old {
    beside: Beside,
    /// Kept open because it is locked, so that other runs see it in use.
    _file: Option<fs::File>,
}

impl File {
    /// Starts a file for `place`, which must not be a link; `name` is its label for messages.
    ///
    /// # Errors
    /// The existing file is not writable, or the folder accepts no files.
    pub(crate) fn create(name: String, place: PathBuf) -> Result<File, Error> {
        let failed = |source| Error::Write { name: name.clone(), source, is_half_written: false };
        may_be_written(&place).map_err(failed)?;
        let folder = Arc::new(Folder::of(&place));
        leftovers::remove(&folder, &place);
        let (file, beside) = leftovers::create(&folder, &place).map_err(failed)?;
        let stage = Stage::Beside(BufWriter::new(Arc::new(file)), beside);
        Ok(File { name, place, folder, stage, end: 0, unasked: 0, early: None })
    }

    fn failed(&self, source: io::Error) -> Error {
        Error::Write { name: self.name.clone(), source, is_half_written: false }
    }

    fn write(&mut self, bytes: &[u8]) -> io::Result<()> {
        let Stage::Beside(file, _) = &mut self.stage else { return Err(io::ErrorKind::NotFound.into()) };
        file.write_all(bytes)?;
        self.count(bytes.len());
        Ok(())
    }

    /// Counts bytes, and requests a sync from time to time.
    fn count(&mut self, bytes: usize) {
        let Stage::Beside(file, _) = &self.stage else { return };
        self.end += bytes as u64;
        self.unasked += bytes;
        if self.unasked >= early::EVERY {
            self.unasked = 0;
            if self.early.is_none() {
                // Without a thread, everything is synced at the end.
                self.early = EarlySync::of(file.get_ref()).ok();
            }
            self.early.iter().for_each(EarlySync::ask);
        }
    }

    /// Reserves the next bytes of the file. `put` continues after them.
    #[cfg(unix)]
    fn reserved(&mut self, bytes: usize) -> io::Result<Option<Reserved>> {
        let Stage::Beside(file, _) = &mut self.stage else { return Err(io::ErrorKind::NotFound.into()) };
        file.seek(SeekFrom::Start(self.end + bytes as u64))?;
        let reserved = Reserved { file: Arc::clone(file.get_ref()), at: self.end, name: self.name.clone() };
        self.count(bytes);
        Ok(Some(reserved))
    }

    /// Elsewhere, a write at a position moves the position of the file.
    #[cfg(not(unix))]
    fn reserved(&mut self, _bytes: usize) -> io::Result<Option<Reserved>> {
        Ok(None)
    }

    fn sync(&mut self) -> io::Result<()> {
        let Stage::Beside(file, _) = &mut self.stage else { return Ok(()) };
        file.flush()?;
        self.early.take().map_or(Ok(()), EarlySync::finish)?;
        let file = file.get_ref();
        permit(file, fs::metadata(&self.place).ok().as_ref())?;
        file.sync_all()
    }

    fn file_name(&self) -> &OsStr {
        self.place.file_name().unwrap_or_default()
    }

    fn put_in_place(&mut self, keeps_old: bool) -> io::Result<()> {
        // Keep the lock until the rename.
        let Stage::Beside(file, beside) = std::mem::replace(&mut self.stage, Stage::Gone) else { return Ok(()) };
        let (_locked, rest) = file.into_parts();
        rest.map_err(io::Error::other)?;
        if self.folder.has_moved() {
            return Err(io::ErrorKind::NotFound.into());
        }
        let was_there = self.place.exists();
        let old = if keeps_old && was_there { Some(keep(&self.folder, &self.place)?) } else { None };
        beside.put_in_place(self.file_name())?;
        self.stage = if was_there { Stage::Replaced(old) } else { Stage::New };
        // A rename is durable after a sync of the folder.
        self.folder.sync();
        Ok(())
    }
}

impl Sink for File {
    fn name(&self) -> &str {
        &self.name
    }

    fn put(&mut self, bytes: &[u8]) -> Result<(), Error> {
        self.write(bytes).map_err(|source| self.failed(source))
    }

    fn reserve(&mut self, bytes: usize) -> Result<Option<Reserved>, Error> {
        self.reserved(bytes).map_err(|source| self.failed(source))
    }

    fn settle(&mut self) -> Result<(), Error> {
        self.sync().map_err(|source| self.failed(source))
    }

    fn place(&mut self, keeps_old: bool) -> Result<(), Error> {
        self.put_in_place(keeps_old).map_err(|source| self.failed(source))
    }

    fn take_back(&mut self) {
        let _ = match std::mem::replace(&mut self.stage, Stage::Gone) {
            Stage::Replaced(Some(old)) => old.beside.put_in_place(self.file_name()).is_ok(),
            Stage::New => self.folder.remove(self.file_name()).is_ok(),
            Stage::Beside(..) | Stage::Replaced(None) | Stage::Gone => false,
        };
    }

    fn is_final(&self) -> bool {
        false
    }
}

fn keep(folder: &Arc<Folder>, place: &Path) -> io::Result<Old> {
    let file = fs::File::open(place).ok().filter(|file| file.try_lock().is_ok());
    Ok(Old { beside: leftovers::keep(folder, place)?, _file: file })
}

/// Whether the file may be created or overwritten. Replacing a file requires only permission for its folder.
fn may_be_written(place: &Path) -> io::Result<()> {
    match fs::metadata(place) {
        Ok(found) if found.is_dir() => Err(io::ErrorKind::IsADirectory.into()),
        // Some users may open every file.
        Ok(found) if found.permissions().readonly() => Err(io::ErrorKind::PermissionDenied.into()),
        Ok(_) => fs::File::options().write(true).open(place).map(drop),
        Err(_) => Ok(()),
    }
}

/// Copies the owner and permissions of the replaced file as far as possible; otherwise sets those of a new file.
#[cfg(unix)]
fn permit(file: &fs::File, old: Option<&fs::Metadata>) -> io::Result<()> {
    use std::os::unix::fs::{MetadataExt, PermissionsExt, fchown};

    use rustix::fs::Mode;

    let mode = match old {
        None => {
            // Reading the mask requires setting it. Files created meanwhile get only owner permissions.
            let mask = rustix::process::umask(Mode::RWXG | Mode::RWXO);
            rustix::process::umask(mask);
            0o666 & !mask.bits()
        }
        Some(old) => {
            // setuid and setgid applied to the old content.
            let mode = old.mode() & 0o777;
            let _ = fchown(file, Some(old.uid()), None);
            let is_of_group = fchown(file, None, Some(old.gid())).is_ok();
            // Permissions of the old group do not apply to another group, except those for everybody.
            if is_of_group { mode } else { mode & !0o070 | (mode & 0o007) << 3 & mode }
        }
    };
    file.set_permissions(fs::Permissions::from_mode(mode))
}

#[cfg(not(unix))]
fn permit(file: &fs::File, old: Option<&fs::Metadata>) -> io::Result<()> {
    old.map_or(Ok(()), |old| file.set_permissions(old.permissions()))
}

#[cfg(all(test, unix))]
mod tests {
    use super::*;
    use crate::sink::commit_all;

    #[test]
    fn reserved_bytes_are_written_in_any_order_between_others() {
        let folder = tempfile::tempdir().unwrap();
        let place = folder.path().join("out.csv");
        let mut sink = File::create("out.csv".to_owned(), place.clone()).unwrap();
        sink.put(b"head\n").unwrap();
        let first = sink.reserve(4).unwrap().unwrap();
        sink.put(b"--").unwrap();
        let second = sink.reserve(3).unwrap().unwrap();
        sink.put(b"\nend").unwrap();
        second.write(b"two").unwrap();
        first.write(b"one ").unwrap();
        commit_all(vec![Box::new(sink)]).unwrap();
        assert_eq!(fs::read_to_string(&place).unwrap(), "head\none --two\nend");
    }
}
