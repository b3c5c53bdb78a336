//! Duplicates across parts: `merge` compares the hashes that the runs wrote beside their summaries.

use std::path::{Path, PathBuf};

use keen_notch_core::repeats::{Repeated, Repeats, RowHash};
use keen_notch_core::summary::{Level, RowOf, Summary};
use keen_notch_io::Error;
use keen_notch_io::faults::{FaultFile, FaultRow, fault_table};
use keen_notch_io::files::RunFiles;
use keen_notch_io::formats::{self, FileFormat};
use keen_notch_io::inputs::Inputs;
use keen_notch_io::sink::Sink;
use keen_notch_io::source::input::Input;
use keen_notch_io::{hashes, spill};

use crate::args::refuse_address;
use crate::failure::Failure;

/// The file of hashes of a part.
pub struct PartHashes {
    path: PathBuf,
    count: u64,
    /// The number of rows of the part.
    rows: u64,
}

impl PartHashes {
    /// The files of some summaries, each with its path. `None` if no run wrote hashes.
    pub fn of<'a>(summaries: impl Iterator<Item = (&'a Path, &'a Summary)>) -> Result<Option<Vec<PartHashes>>, Failure> {
        let (mut found, mut without) = (Vec::new(), None);
        for (path, summary) in summaries {
            match &summary.hashes {
                Some(hashes) => {
                    let path = path.with_file_name(&hashes.file);
                    found.push(PartHashes { path, count: hashes.count, rows: summary.rows.read });
                }
                None => without = Some(path),
            }
        }
        match (found.first(), without) {
            (None, _) => Ok(None),
            (Some(_), None) => Ok(Some(found)),
            (Some(first), Some(path)) => {
                let message = format!("{} goes with hashes to compare, and {} has none", first.path.display(), path.display());
                Err(Failure::usage(message, "make all parts with the same options"))
            }
        }
    }
}

/// The output for duplicates, with its format.
pub struct RepeatsOutput {
    pub sink: Box<dyn Sink>,
    named: FileFormat,
}

impl RepeatsOutput {
    pub fn create(path: &Path, known: &RunFiles) -> Result<RepeatsOutput, Failure> {
        refuse_address(path, "--to")?;
        let named = FileFormat::of(path);
        formats::check_output(path, named)?;
        fault_table(named)?;
        Ok(RepeatsOutput { sink: formats::create_as(path, named, known)?, named })
    }
}

/// Compares the rows of all parts, within a memory limit in bytes, and adds the duplicates to their merged summary.
pub fn compare(all: &mut Summary, parts: &[PartHashes], memory: usize, out: Option<&mut RepeatsOutput>) -> Result<(), Failure> {
    let inputs = Inputs::of_rows(&all.inputs);
    let mut repeats = Repeats::new(all, spill::memory(memory));
    let mut file = out.map(|out| FaultFile::new(&mut *out.sink, out.named, false)).transpose()?;
    let mut before = 0;
    for part in parts {
        let input = Input::File(part.path.clone());
        let count = hashes::read(&input, |hashes| {
            let of_table: Vec<RowHash> = hashes.iter().map(|hash| RowHash { row: before + hash.row, ..*hash }).collect();
            let mut written = Ok(());
            let compared = repeats.compare(&of_table, |repeated| {
                if let (Some(file), Ok(())) = (&mut file, &written) {
                    written = write(file, &repeated, all, &inputs);
                }
            });
            compared.map_err(Error::of_store)?;
            written
        })?;
        if count != part.count {
            let message = format!("{} has {count} hashes, and its summary says {}", part.path.display(), part.count);
            return Err(Failure::file(message, "make the part again"));
        }
        before += part.rows;
    }
    if let Some(file) = &mut file {
        file.end()?;
    }
    repeats.add_to(all, |row| {
        let (input, row) = inputs.locate(row);
        RowOf { file: inputs.name(input).to_owned(), row }
    });
    Ok(())
}

fn write(file: &mut FaultFile, repeated: &Repeated, all: &Summary, inputs: &Inputs) -> Result<(), Error> {
    let Some(check) = all.checks.get(repeated.check) else { return Ok(()) };
    let (input, row) = inputs.locate(repeated.row);
    file.write(&FaultRow {
        file: inputs.name(input),
        row,
        line: None,
        column: check.column.as_deref().unwrap_or_default(),
        piece: &check.of,
        only_warns: check.level == Level::Warning,
        value: "",
        result: "",
        check: &check.check,
        violation: &repeated.violation(check, &inputs.row_label(repeated.first)),
    })
}
