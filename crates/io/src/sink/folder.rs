//! The folder of an output. An open handle finds the files of a run even if somebody renames the folder.

use std::ffi::OsStr;
use std::path::{Path, PathBuf};
use std::{fs, io};

#[cfg(unix)]
use rustix::fs::{AtFlags, linkat, renameat, unlinkat};

/// A folder. Without a handle, its methods use its path.
#[derive(Debug)]
pub struct Folder {
    path: PathBuf,
    #[cfg(unix)]
    handle: Option<fs::File>,
}

impl Folder {
    pub fn of(path: &Path) -> Folder {
        let path = path.parent().filter(|folder| !folder.as_os_str().is_empty()).unwrap_or(Path::new(".")).to_owned();
        Folder {
            #[cfg(unix)]
            handle: fs::File::open(&path).ok(),
            path,
        }
    }

    pub fn path(&self) -> &Path {
        &self.path
    }

    /// Whether the path no longer leads to this folder.
    pub fn has_moved(&self) -> bool {
        #[cfg(unix)]
        if let Some(handle) = &self.handle {
            use std::os::unix::fs::MetadataExt;
            let id = |found: fs::Metadata| (found.dev(), found.ino());
            return handle.metadata().map(id).ok() != fs::metadata(&self.path).map(id).ok();
        }
        false
    }

    pub fn rename(&self, from: &OsStr, to: &OsStr) -> io::Result<()> {
        #[cfg(unix)]
        if let Some(handle) = &self.handle {
            return Ok(renameat(handle, from, handle, to)?);
        }
        fs::rename(self.path.join(from), self.path.join(to))
    }

    pub fn link(&self, from: &OsStr, to: &OsStr) -> io::Result<()> {
        #[cfg(unix)]
        if let Some(handle) = &self.handle {
            return Ok(linkat(handle, from, handle, to, AtFlags::empty())?);
        }
        fs::hard_link(self.path.join(from), self.path.join(to))
    }

    pub fn remove(&self, name: &OsStr) -> io::Result<()> {
        #[cfg(unix)]
        if let Some(handle) = &self.handle {
            return Ok(unlinkat(handle, name, AtFlags::empty())?);
        }
        fs::remove_file(self.path.join(name))
    }

    /// Syncs the directory entries, if the system supports that.
    pub fn sync(&self) {
        #[cfg(unix)]
        if let Some(handle) = &self.handle {
            let _ = handle.sync_all();
        }
    }
}
