//! The folder of an output. It is held open, so that the files of a run are found in it even if it is renamed meanwhile.

use std::ffi::OsStr;
use std::path::{Path, PathBuf};
use std::{fs, io};

#[cfg(unix)]
use rustix::fs::{AtFlags, linkat, renameat, unlinkat};

/// A folder. Where it cannot be opened, its files are found by its path.
#[derive(Debug)]
pub struct Folder {
    path: PathBuf,
    #[cfg(unix)]
    handle: Option<fs::File>,
}

impl Folder {
    /// The folder of a path.
    pub fn of(path: &Path) -> Folder {
        let path = path.parent().filter(|folder| !folder.as_os_str().is_empty()).unwrap_or(Path::new(".")).to_owned();
        Folder {
            #[cfg(unix)]
            handle: fs::File::open(&path).ok(),
            path,
        }
    }

    /// Its path when the run began.
    pub fn path(&self) -> &Path {
        &self.path
    }

    /// Whether another folder has its path now, or none.
    pub fn has_moved(&self) -> bool {
        #[cfg(unix)]
        if let Some(handle) = &self.handle {
            use std::os::unix::fs::MetadataExt;
            let id = |found: fs::Metadata| (found.dev(), found.ino());
            return handle.metadata().map(id).ok() != fs::metadata(&self.path).map(id).ok();
        }
        false
    }

    /// Renames a file in it.
    pub fn rename(&self, from: &OsStr, to: &OsStr) -> io::Result<()> {
        #[cfg(unix)]
        if let Some(handle) = &self.handle {
            return Ok(renameat(handle, from, handle, to)?);
        }
        fs::rename(self.path.join(from), self.path.join(to))
    }

    /// Gives a file in it a second name.
    pub fn link(&self, from: &OsStr, to: &OsStr) -> io::Result<()> {
        #[cfg(unix)]
        if let Some(handle) = &self.handle {
            return Ok(linkat(handle, from, handle, to, AtFlags::empty())?);
        }
        fs::hard_link(self.path.join(from), self.path.join(to))
    }

    /// Removes a file of it.
    pub fn remove(&self, name: &OsStr) -> io::Result<()> {
        #[cfg(unix)]
        if let Some(handle) = &self.handle {
            return Ok(unlinkat(handle, name, AtFlags::empty())?);
        }
        fs::remove_file(self.path.join(name))
    }

    /// Writes its names to the disk. Not every system lets a folder be opened for that.
    pub fn sync(&self) {
        #[cfg(unix)]
        if let Some(handle) = &self.handle {
            let _ = handle.sync_all();
        }
    }
}
