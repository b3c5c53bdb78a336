//! Outputs that are whole or not there at all.

use std::fs::{self, File};
use std::io::{self, BufWriter, Write};
use std::path::{Path, PathBuf};

use tempfile::NamedTempFile;

use crate::Error;
use crate::source::input::Input;

/// A file being written: beside its place until it is done, then renamed into it.
///
/// What is no ordinary file (a device, a named pipe) is written to as it stands.
pub struct Output {
    name: String,
    writer: Writer,
}

enum Writer {
    Beside { file: BufWriter<NamedTempFile>, place: PathBuf },
    Direct(File),
}

impl Output {
    /// Begins to write to `path`.
    ///
    /// # Errors
    /// Where it is one of `inputs`, a folder, or its folder cannot be written to.
    pub fn create(path: &Path, inputs: &[Input]) -> Result<Output, Error> {
        let name = path.display().to_string();
        if is_input(path, inputs) {
            return Err(Error::OutputIsInput { name });
        }
        let failed = |source| Error::Write { name: name.clone(), source };
        // Behind a link, the file itself is replaced and the link stays.
        let place = fs::canonicalize(path).unwrap_or_else(|_| path.to_owned());
        let existing = fs::metadata(&place).ok();
        if existing.as_ref().is_some_and(fs::Metadata::is_dir) {
            return Err(Error::Write { name, source: io::ErrorKind::IsADirectory.into() });
        }
        if existing.as_ref().is_some_and(|existing| !existing.is_file()) {
            let file = File::options().write(true).open(&place).map_err(failed)?;
            return Ok(Output { name, writer: Writer::Direct(file) });
        }
        let folder = place.parent().filter(|folder| !folder.as_os_str().is_empty()).unwrap_or(Path::new("."));
        let mut builder = tempfile::Builder::new();
        builder.prefix(".keen-notch-").suffix(".part");
        let permissions = existing.map(|existing| existing.permissions());
        if let Some(permissions) = permissions.clone().or_else(new_file_permissions) {
            builder.permissions(permissions);
        }
        let file = builder.tempfile_in(folder).map_err(failed)?;
        Ok(Output { name, writer: Writer::Beside { file: BufWriter::new(file), place } })
    }

    /// Writes some bytes.
    ///
    /// # Errors
    /// Where they cannot be written.
    pub fn put(&mut self, bytes: &[u8]) -> Result<(), Error> {
        self.write_all(bytes).map_err(|source| Error::Write { name: self.name.clone(), source })
    }

    /// Puts the file in its place. Without this, nothing is left of it.
    ///
    /// # Errors
    /// Where the last bytes cannot be written, or the file cannot be put in its place.
    pub fn finish(self) -> Result<(), Error> {
        let name = self.name;
        let failed = |source| Error::Write { name: name.clone(), source };
        match self.writer {
            Writer::Direct(mut file) => file.flush().map_err(failed),
            Writer::Beside { file, place } => {
                let file = file.into_inner().map_err(|error| failed(error.into_error()))?;
                file.persist(place).map(drop).map_err(|error| failed(error.error))
            }
        }
    }
}

impl Write for Output {
    fn write(&mut self, bytes: &[u8]) -> io::Result<usize> {
        match &mut self.writer {
            Writer::Beside { file, .. } => file.write(bytes),
            Writer::Direct(file) => file.write(bytes),
        }
    }

    fn flush(&mut self) -> io::Result<()> {
        match &mut self.writer {
            Writer::Beside { file, .. } => file.flush(),
            Writer::Direct(file) => file.flush(),
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
