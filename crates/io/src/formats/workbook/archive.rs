//! The containers of workbooks: archives and compound files.

use std::io::{Cursor, Read};
use std::sync::Arc;

use zip::ZipArchive;

use crate::Error;
use crate::Remedy;
use crate::formats::workbook::ReadSheet;
use crate::formats::workbook::{binary, office_open, open_document};
use crate::guarded::guarded;
use crate::source::Reading;

pub type Bytes = Cursor<Arc<[u8]>>;

/// Reads the requested or the first sheet. Returns the cells, the name of the sheet and the number of sheets.
///
/// # Errors
/// The workbook cannot be read, or has no such sheet.
pub(super) fn read(name: &str, bytes: Vec<u8>, reading: &Reading) -> Result<ReadSheet, Error> {
    let bytes: Bytes = Cursor::new(Arc::from(bytes));
    if bytes.get_ref().starts_with(binary::START) {
        return guarded(|| binary::read(name, bytes, reading)).unwrap_or_else(|| Err(broken(name)));
    }
    let mut archive = ZipArchive::new(bytes).map_err(|_| broken(name))?;
    if (0..archive.len()).any(|index| archive.by_index_raw(index).is_ok_and(|part| part.encrypted())) {
        return Err(encrypted(name));
    }
    let unpacked = unpacked_size(&mut archive).ok_or_else(|| broken(name))?;
    if unpacked > reading.memory as u64 {
        let why = format!("decompressed, it has {unpacked} bytes, which exceeds the limit");
        let help = Remedy::MoreMemoryOrText;
        return Err(Error::BadFile { name: name.to_owned(), why, help });
    }
    let outcome = match open_document::is_one(&mut archive) {
        true => guarded(|| open_document::read(name, archive, reading)),
        false => guarded(|| office_open::read(name, archive, reading)),
    };
    outcome.unwrap_or_else(|| Err(broken(name)))
}

pub fn broken(name: &str) -> Error {
    let why = "it is damaged or not a workbook".to_owned();
    let help = Remedy::SaveAgainOrFormat;
    Error::BadFile { name: name.to_owned(), why, help }
}

pub fn encrypted(name: &str) -> Error {
    let why = "it is encrypted with a password".to_owned();
    Error::BadFile { name: name.to_owned(), why, help: "save it without a password".into() }
}

fn unpacked_size(archive: &mut ZipArchive<Bytes>) -> Option<u64> {
    (0..archive.len()).try_fold(0_u64, |all, index| all.checked_add(archive.by_index_raw(index).ok()?.size()))
}

/// A part of an archive; `None` if it is missing, damaged, or longer than stated.
pub fn part(archive: &mut ZipArchive<Bytes>, name: &str) -> Option<Vec<u8>> {
    let part = archive.by_name(name).ok()?;
    let (size, mut bytes) = (part.size(), Vec::new());
    part.take(size.saturating_add(1)).read_to_end(&mut bytes).ok()?;
    (bytes.len() as u64 <= size).then_some(bytes)
}
