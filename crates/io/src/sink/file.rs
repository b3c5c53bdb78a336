//! Files that are whole or not there at all.

use std::fs;
use std::io::{self, BufWriter, Write};
use std::path::{Path, PathBuf};

use tempfile::NamedTempFile;

use super::early::{self, EarlySync};
use super::{Sink, unfinished};
use crate::Error;
use crate::source::input::Input;

/// A file being written: beside its place until it is committed, then renamed into it.
///
/// What is no ordinary file (a device, a named pipe) is written to directly.
pub struct File {
    name: String,
    writer: Writer,
}

enum Writer {
    Beside(Beside),
    Direct(fs::File),
}

/// A file beside its place.
struct Beside {
    file: BufWriter<NamedTempFile>,
    place: PathBuf,
    /// Bytes written since the disk was asked for them last.
    unasked: usize,
    early: Option<EarlySync>,
}

impl Beside {
    fn put(&mut self, bytes: &[u8]) -> io::Result<()> {
        self.file.write_all(bytes)?;
        self.unasked += bytes.len();
        if self.unasked >= early::EVERY {
            self.unasked = 0;
            if self.early.is_none() {
                self.early = Some(EarlySync::of(self.file.get_ref().as_file())?);
            }
            self.early.iter().for_each(EarlySync::ask);
        }
        Ok(())
    }

    fn settle(&mut self) -> io::Result<()> {
        self.file.flush()?;
        self.early.take().map_or(Ok(()), EarlySync::finish)?;
        self.file.get_ref().as_file().sync_data()
    }
}

impl File {
    /// Begins to write to `path`.
    ///
    /// # Errors
    /// Where it is one of `inputs`, a folder, or its folder cannot be written to.
    pub fn create(path: &Path, inputs: &[Input]) -> Result<File, Error> {
        let name = path.display().to_string();
        if is_input(path, inputs) {
            return Err(Error::OutputIsInput { name });
        }
        let failed = |source| Error::Write { name: name.clone(), source };
        // If the path is a link, the file that it points to is replaced and the link stays.
        let place = fs::canonicalize(path).unwrap_or_else(|_| path.to_owned());
        let existing = fs::metadata(&place).ok();
        if existing.as_ref().is_some_and(fs::Metadata::is_dir) {
            return Err(Error::Write { name, source: io::ErrorKind::IsADirectory.into() });
        }
        if existing.as_ref().is_some_and(|existing| !existing.is_file()) {
            let file = fs::File::options().write(true).open(&place).map_err(failed)?;
            return Ok(File { name, writer: Writer::Direct(file) });
        }
        let folder = place.parent().filter(|folder| !folder.as_os_str().is_empty()).unwrap_or(Path::new("."));
        let mut builder = tempfile::Builder::new();
        builder.prefix(".keen-notch-").suffix(".part");
        let permissions = existing.map(|existing| existing.permissions());
        if let Some(permissions) = permissions.clone().or_else(new_file_permissions) {
            builder.permissions(permissions);
        }
        let file = builder.tempfile_in(folder).map_err(failed)?;
        unfinished::note(file.path().to_owned());
        let beside = Beside { file: BufWriter::new(file), place, unasked: 0, early: None };
        Ok(File { name, writer: Writer::Beside(beside) })
    }
}

impl Sink for File {
    fn name(&self) -> &str {
        &self.name
    }

    fn put(&mut self, bytes: &[u8]) -> Result<(), Error> {
        let written = match &mut self.writer {
            Writer::Beside(beside) => beside.put(bytes),
            Writer::Direct(file) => file.write_all(bytes),
        };
        written.map_err(|source| Error::Write { name: self.name.clone(), source })
    }

    fn settle(&mut self) -> Result<(), Error> {
        let written = match &mut self.writer {
            Writer::Beside(beside) => beside.settle(),
            Writer::Direct(file) => file.flush(),
        };
        written.map_err(|source| Error::Write { name: self.name.clone(), source })
    }

    fn commit(self: Box<Self>) -> Result<(), Error> {
        let File { name, writer: Writer::Beside(Beside { file, place, .. }) } = *self else { return Ok(()) };
        let failed = |source| Error::Write { name, source };
        let file = match file.into_parts() {
            (file, Ok(_)) => file,
            (_, Err(error)) => return Err(failed(io::Error::other(error))),
        };
        match file.persist(&place) {
            Ok(_) => {
                // The name lasts once its folder is written too. Not every system lets a folder be opened for that.
                let folder = place.parent().filter(|folder| !folder.as_os_str().is_empty()).unwrap_or(Path::new("."));
                let _ = fs::File::open(folder).and_then(|folder| folder.sync_all());
                Ok(())
            }
            Err(error) => Err(failed(error.error)),
        }
    }
}

/// Whether `path` is one of the inputs, by whatever name.
pub fn is_input(path: &Path, inputs: &[Input]) -> bool {
    inputs.iter().filter_map(Input::path).any(|input| same_file::is_same_file(path, input).unwrap_or(false))
}

/// What an ordinary new file gets, less what the user's mask takes away.
#[cfg(unix)]
fn new_file_permissions() -> Option<fs::Permissions> {
    use std::os::unix::fs::PermissionsExt;
    Some(fs::Permissions::from_mode(0o666))
}

#[cfg(not(unix))]
fn new_file_permissions() -> Option<fs::Permissions> {
    None
}
