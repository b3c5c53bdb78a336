//! The files of a run, identified as files, not by name. No file may be both input and output, or output twice.

use std::fs::{self, Metadata};
use std::io;
use std::path::{Path, PathBuf};
use std::sync::{Arc, Mutex};

use keen_notch_core::words;

use crate::Error;
use crate::pool::lock;
use crate::source::input::Input;

const MOST_LINKS: usize = 40;

/// The files that a run reads and writes. Copies share their state.
///
/// ```
/// use keen_notch_io::files::RunFiles;
/// use keen_notch_io::formats;
/// use keen_notch_io::source::input::Input;
///
/// let folder = tempfile::tempdir()?;
/// let parts = folder.path().join("parts.csv");
/// std::fs::write(&parts, "part_code\nGRP-1\n")?;
/// let files = RunFiles::default();
/// files.reads(&Input::File(parts))?;
/// assert!(formats::create(&folder.path().join("./parts.csv"), &files).is_err());
/// # Ok::<(), Box<dyn std::error::Error>>(())
/// ```
#[derive(Debug, Clone, Default)]
pub struct RunFiles(Arc<Mutex<FileSet>>);

#[derive(Debug, Default)]
struct FileSet {
    read: Vec<NamedFile>,
    written: Vec<NamedFile>,
}

#[derive(Debug)]
struct NamedFile {
    name: String,
    /// The path of an input that has one.
    path: Option<PathBuf>,
    identity: Identity,
}

#[derive(Debug, PartialEq, Eq)]
enum Identity {
    StandardOutput,
    There(FileId),
    /// A new file, by its folder without links and its name.
    New(PathBuf),
}

#[cfg(unix)]
type FileId = (u64, u64);
#[cfg(not(unix))]
type FileId = PathBuf;

#[derive(Debug, PartialEq, Eq)]
pub(crate) enum Destination {
    StandardOutput,
    Direct(PathBuf),
    /// A regular file, which is created or replaced as a whole.
    File(PathBuf),
}

impl RunFiles {
    /// Adds an input.
    ///
    /// # Errors
    /// It is an output.
    pub fn reads(&self, input: &Input) -> Result<(), Error> {
        let found = match input {
            Input::Stdin => standard::input(),
            Input::File(path) => fs::metadata(path).and_then(|found| file_id(&found, path).map(|id| (id, found))).ok(),
            Input::Memory(..) | Input::Database(_) => None,
        };
        // Only writing to a regular file changes it.
        let Some((id, _)) = found.filter(|(_, found)| found.is_file()) else { return Ok(()) };
        let identity = Identity::There(id);
        let mut known = lock(&self.0);
        if let Some(output) = known.written.iter().find(|output| output.identity == identity) {
            return Err(Error::OutputIsInput { name: output.name.clone(), input: input.name() });
        }
        known.read.push(NamedFile { name: input.name(), path: input.path().map(Path::to_owned), identity });
        Ok(())
    }

    /// The paths of the files that were read, in the order of reading.
    pub fn read_files(&self) -> Vec<PathBuf> {
        lock(&self.0).read.iter().filter_map(|file| file.path.clone()).collect()
    }

    /// Adds output on standard output.
    ///
    /// # Errors
    /// Standard output is a file that is an input or another output.
    pub fn prints(&self) -> Result<(), Error> {
        let found = standard::output().filter(|(_, found)| found.is_file());
        let identity = found.map_or(Identity::StandardOutput, |(id, _)| Identity::There(id));
        self.note_output("standard output".to_owned(), identity)
    }

    /// Resolves an output and adds it.
    ///
    /// # Errors
    /// It is an input, another output or a folder, or its folder does not exist.
    pub(crate) fn writes(&self, path: &Path) -> Result<Destination, Error> {
        let name = path.display().to_string();
        let failed = |source| Error::Write { name: name.clone(), source, is_half_written: false };
        let place = if path.as_os_str() == "-" { Destination::StandardOutput } else { resolve(path).map_err(failed)? };
        let path = match &place {
            Destination::StandardOutput => return self.prints().map(|()| place),
            Destination::Direct(path) | Destination::File(path) => path,
        };
        let identity = match fs::metadata(path) {
            Ok(found) if found.is_dir() => return Err(failed(io::ErrorKind::IsADirectory.into())),
            // Several outputs can share a terminal or the null device.
            Ok(found) if !found.is_file() && is_device(&found) => return Ok(place),
            Ok(found) => Identity::There(file_id(&found, path).map_err(failed)?),
            Err(_) => Identity::New(path.clone()),
        };
        self.note_output(name, identity)?;
        Ok(place)
    }

    fn note_output(&self, name: String, identity: Identity) -> Result<(), Error> {
        let mut known = lock(&self.0);
        if let Some(input) = known.read.iter().find(|input| input.identity == identity) {
            return Err(Error::OutputIsInput { name, input: input.name.clone() });
        }
        if let Some(other) = known.written.iter().find(|other| other.identity == identity) {
            return Err(Error::OneFileTwice { name, other: other.name.clone() });
        }
        known.written.push(NamedFile { name, path: None, identity });
        Ok(())
    }
}

/// Finds a file with a similar name in the folder of a missing file. Either the extension or the stem is the same.
pub fn nearest(missing: &Path) -> Option<String> {
    let folder = missing.parent().filter(|folder| !folder.as_os_str().is_empty()).unwrap_or(Path::new("."));
    let entries = fs::read_dir(folder).ok()?.flatten().filter(|entry| entry.path().is_file());
    let names: Vec<String> = entries.filter_map(|entry| entry.file_name().into_string().ok()).collect();
    let (stem, extension) = missing.file_name()?.to_str()?.split_once('.')?;
    let parts = || names.iter().filter_map(|name| name.split_once('.'));
    let alike = parts().filter(|(_, other)| *other == extension).map(|(stem, _)| stem);
    let name = match words::nearest(stem, alike) {
        Some(nearest) => format!("{nearest}.{extension}"),
        None => parts().find(|(other, _)| *other == stem).map(|(stem, extension)| format!("{stem}.{extension}"))?,
    };
    Some(missing.with_file_name(name).display().to_string())
}

/// Follows links: the target of a link is created or replaced, and the link stays.
fn resolve(path: &Path) -> io::Result<Destination> {
    let mut path = path.to_owned();
    for _ in 0..MOST_LINKS {
        let name = path.file_name().ok_or(io::ErrorKind::IsADirectory)?.to_owned();
        let folder = path.parent().filter(|folder| !folder.as_os_str().is_empty()).unwrap_or(Path::new("."));
        let folder = fs::canonicalize(folder)?;
        path = folder.join(&name);
        if let Some(descriptor) = standard::descriptor(&folder, &name) {
            return Ok(if descriptor == 1 { Destination::StandardOutput } else { Destination::Direct(path) });
        }
        match fs::symlink_metadata(&path) {
            Ok(found) if found.is_symlink() => path = folder.join(fs::read_link(&path)?),
            Ok(found) if found.is_file() || found.is_dir() => return Ok(Destination::File(path)),
            Ok(_) => return Ok(Destination::Direct(path)),
            Err(error) if error.kind() == io::ErrorKind::NotFound => return Ok(Destination::File(path)),
            Err(error) => return Err(error),
        }
    }
    Err(io::Error::other("its links go round in a circle"))
}

#[cfg(unix)]
fn file_id(found: &Metadata, _: &Path) -> io::Result<FileId> {
    use std::os::unix::fs::MetadataExt;
    Ok((found.dev(), found.ino()))
}

#[cfg(not(unix))]
fn file_id(_: &Metadata, path: &Path) -> io::Result<FileId> {
    fs::canonicalize(path)
}

#[cfg(unix)]
fn is_device(found: &Metadata) -> bool {
    std::os::unix::fs::FileTypeExt::is_char_device(&found.file_type())
}

#[cfg(not(unix))]
fn is_device(_: &Metadata) -> bool {
    true
}

#[cfg(unix)]
mod standard {
    use std::ffi::OsStr;
    use std::fs::{File, Metadata};
    use std::io;
    use std::os::fd::{AsFd, BorrowedFd};
    use std::path::Path;

    use super::{FileId, file_id};

    fn found(descriptor: BorrowedFd) -> Option<(FileId, Metadata)> {
        let file = File::from(descriptor.try_clone_to_owned().ok()?);
        let found = file.metadata().ok()?;
        Some((file_id(&found, Path::new("")).ok()?, found))
    }

    pub fn input() -> Option<(FileId, Metadata)> {
        found(io::stdin().as_fd())
    }

    pub fn output() -> Option<(FileId, Metadata)> {
        found(io::stdout().as_fd())
    }

    /// The number of an open descriptor, if the name refers to one, such as `/dev/stdout`.
    pub fn descriptor(folder: &Path, name: &OsStr) -> Option<u32> {
        let number = name.to_str()?.parse().ok()?;
        let of_process = folder.starts_with("/proc") && folder.ends_with("fd");
        (of_process || folder == Path::new("/dev/fd")).then_some(number)
    }
}

#[cfg(not(unix))]
mod standard {
    use std::ffi::OsStr;
    use std::fs::Metadata;
    use std::path::Path;

    use super::FileId;

    pub fn input() -> Option<(FileId, Metadata)> {
        None
    }

    pub fn output() -> Option<(FileId, Metadata)> {
        None
    }

    pub fn descriptor(_: &Path, _: &OsStr) -> Option<u32> {
        None
    }
}

#[cfg(all(test, unix))]
mod tests {
    use std::os::unix::fs::symlink;

    use super::*;

    #[test]
    fn files_are_identified_under_any_name() {
        let folder = tempfile::tempdir().unwrap();
        let at = |name: &str| folder.path().join(name);
        fs::write(at("in.csv"), "a\n").unwrap();
        fs::create_dir(at("sub")).unwrap();
        fs::hard_link(at("in.csv"), at("hard.csv")).unwrap();
        symlink("in.csv", at("soft.csv")).unwrap();
        symlink("new.csv", at("dangling.csv")).unwrap();
        symlink(folder.path(), at("sub/up")).unwrap();
        for name in ["in.csv", "sub/../in.csv", "sub/up/in.csv", "hard.csv", "soft.csv"] {
            let files = RunFiles::default();
            files.reads(&Input::File(at("in.csv"))).unwrap();
            assert!(matches!(files.writes(&at(name)), Err(Error::OutputIsInput { .. })), "{name}");
            let files = RunFiles::default();
            files.writes(&at(name)).unwrap();
            assert!(matches!(files.reads(&Input::File(at("in.csv"))), Err(Error::OutputIsInput { .. })), "{name}");
        }
        let files = RunFiles::default();
        let place = fs::canonicalize(folder.path()).unwrap().join("new.csv");
        assert_eq!(files.writes(&at("dangling.csv")).unwrap(), Destination::File(place));
        for name in ["new.csv", "sub/../new.csv", "sub/up/new.csv", "dangling.csv"] {
            assert!(matches!(files.writes(&at(name)), Err(Error::OneFileTwice { .. })), "{name}");
        }
        // A file with that name in another folder is a different file.
        files.writes(&at("sub/new.csv")).unwrap();
        symlink("b", at("a")).unwrap();
        symlink("a", at("b")).unwrap();
        for name in ["a", "sub", "sub/..", "gone/out.csv"] {
            assert!(matches!(files.writes(&at(name)), Err(Error::Write { .. })), "{name}");
        }
        for _ in 0..2 {
            assert_eq!(files.writes(Path::new("/dev/null")).unwrap(), Destination::Direct("/dev/null".into()));
        }
    }
}
