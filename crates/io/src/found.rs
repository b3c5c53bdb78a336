//! The files of a path: the file itself, all files of a folder, or the matches of a pattern.

use std::collections::BTreeMap;
use std::fs;
use std::path::{Path, PathBuf};

use keen_notch_core::words;

use crate::Error;
use crate::formats::FileFormat;

/// The files of a path.
///
/// ```
/// use keen_notch_io::found::files;
///
/// let folder = tempfile::tempdir()?;
/// for name in ["b.csv", "a.csv", "_SUCCESS"] {
///     std::fs::write(folder.path().join(name), "code\nGRP-1\n")?;
/// }
/// let found = files(folder.path(), None)?;
/// assert!(found.files.len() == 2 && found.files[0].ends_with("a.csv"));
/// # Ok::<(), Box<dyn std::error::Error>>(())
/// ```
#[derive(Debug, Clone, Default, PartialEq, Eq)]
pub struct FoundFiles {
    /// In the order of their paths.
    pub files: Vec<PathBuf>,
    /// The number of files in a folder with unknown endings, which are skipped.
    pub left_out: usize,
}

/// Finds the files of a path. A folder stands for all files in it and below, without hidden files (`.`, `_`). The files must have one
/// format, or `named` chooses it. A path with `*`, `?` or `[` that is no file is a pattern.
///
/// # Errors
/// A folder is unreadable or empty, or has files of several formats; a pattern is wrong, or has no match.
pub fn files(path: &Path, named: Option<FileFormat>) -> Result<FoundFiles, Error> {
    if path.is_dir() {
        return of_folder(path, named);
    }
    let is_pattern = path.to_str().is_some_and(|text| text.contains(['*', '?', '[']));
    if !is_pattern || path.symlink_metadata().is_ok() {
        return Ok(FoundFiles { files: vec![path.to_owned()], left_out: 0 });
    }
    let pattern = path.to_str().unwrap_or_default();
    let wrong = |why: String| Error::WrongPattern { pattern: pattern.to_owned(), why };
    // As in a folder, hidden files do not match.
    let options = glob::MatchOptions { require_literal_leading_dot: true, ..glob::MatchOptions::default() };
    let found = glob::glob_with(pattern, options).map_err(|error| wrong(error.msg.to_owned()))?;
    // A folder that cannot be read has no files for the user either.
    let mut files: Vec<PathBuf> = found.flatten().filter(|file| file.is_file()).collect();
    files.sort();
    if files.is_empty() { Err(wrong("no file matches it".to_owned())) } else { Ok(FoundFiles { files, left_out: 0 }) }
}

fn of_folder(folder: &Path, named: Option<FileFormat>) -> Result<FoundFiles, Error> {
    let mut all = Vec::new();
    walk(folder, &mut all)?;
    all.sort();
    let kind = |file: &PathBuf| FileFormat::of(file).kind;
    let mut endings: BTreeMap<String, usize> = BTreeMap::new();
    for file in &all {
        let ending = file.extension().map_or("no ending".to_owned(), |ending| format!(".{}", ending.to_string_lossy()));
        *endings.entry(ending).or_default() += 1;
    }
    let listed = || {
        let files = |(ending, count): (&String, &usize)| format!("{ending} ({})", words::counted(*count as u64, "file"));
        endings.iter().map(files).collect::<Vec<_>>().join(", ")
    };
    let refused = |what: &str| Error::FolderOf { name: folder.display().to_string(), what: what.to_owned() };
    if all.is_empty() {
        return Err(refused("is an empty folder"));
    }
    let named = named.and_then(|named| named.kind);
    let known: Vec<PathBuf> = all.iter().filter(|file| kind(file).is_some()).cloned().collect();
    let files = match (named, known.first().and_then(kind)) {
        // Files of the named format; without such endings, all files.
        (Some(named), _) => {
            let of_named: Vec<PathBuf> = all.iter().filter(|file| kind(file) == Some(named)).cloned().collect();
            if of_named.is_empty() { all.clone() } else { of_named }
        }
        (None, None) => return Err(refused(&format!("is a folder without a file of a known format: it has {}", listed()))),
        (None, first) if known.iter().any(|file| kind(file) != first) => {
            return Err(refused(&format!("is a folder with files of several formats: {}", listed())));
        }
        (None, _) => known,
    };
    Ok(FoundFiles { left_out: all.len() - files.len(), files })
}

fn walk(folder: &Path, files: &mut Vec<PathBuf>) -> Result<(), Error> {
    let failed = |source| Error::Read { name: folder.display().to_string(), source };
    for entry in fs::read_dir(folder).map_err(failed)? {
        let entry = entry.map_err(failed)?;
        let name = entry.file_name();
        if name.to_string_lossy().starts_with(['.', '_']) {
            continue;
        }
        let path = entry.path();
        // A link to a folder could lead back up.
        if entry.file_type().map_err(failed)?.is_dir() {
            walk(&path, files)?;
        } else if path.is_file() {
            files.push(path);
        }
    }
    Ok(())
}
