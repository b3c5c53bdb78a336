//! The secondary outputs of `carve` and `check`: offcuts, faults and the summary; and the line about all outputs.

use std::path::{Path, PathBuf};

use keen_notch_core::summary::{HashesOf, Part};
use keen_notch_io::carve::{Job, Outs, Report, carve};
use keen_notch_io::faults::{FaultFile, fault_table};
use keen_notch_io::files::RunFiles;
use keen_notch_io::formats::database::Target;
use keen_notch_io::formats::database::sink::Session;
use keen_notch_io::formats::{self, FileFormat};
use keen_notch_io::hashes::{HashFile, HashFormat};
use keen_notch_io::sink::{self, Sink};
use keen_notch_io::source::input::Input;
use keen_notch_io::source::{Ragged, Reading};
use keen_notch_io::table::Table;

use crate::args::{FaultArgs, TableArgs, refuse_address};
use crate::commands::inputs::names_of_part;
use crate::draw::visible;
use crate::failure::Failure;

pub struct Files {
    offcuts: Option<Box<dyn Sink>>,
    faults: Option<(Box<dyn Sink>, FileFormat)>,
    summary: Option<Box<dyn Sink>>,
    /// The hashes of rows beside the summary, with the name of the file.
    hashes: Option<(Box<dyn Sink>, String)>,
}

impl Files {
    pub fn create(
        (args, tables): (&FaultArgs, &TableArgs),
        session: Option<&Session>,
        files: &RunFiles,
        reading: &Reading,
    ) -> Result<Files, Failure> {
        // Only rows of delimited text can have too few or too many cells.
        let is_delimited = reading.from.and_then(|named| named.kind).is_none_or(|kind| kind.is_delimited());
        let sets_aside = reading.ragged == Ragged::SetAside && is_delimited;
        if sets_aside && args.offcuts.is_none() && tables.offcuts_table.is_none() {
            return Err(Failure::usage(
                "--ragged set-aside needs a file for rows with too few or too many cells",
                "add --offcuts FILE",
            ));
        }
        for path in [&args.offcuts, &args.faults, &args.summary].into_iter().flatten() {
            refuse_address(path, "--to")?;
        }
        let paths = [args.offcuts.as_deref(), args.faults.as_deref()].into_iter().flatten();
        paths.into_iter().try_for_each(|path| formats::check_output(path, FileFormat::of(path)))?;
        let of_faults = match &tables.faults_table {
            Some(_) => Some(FileFormat::DATABASE),
            None => args.faults.as_deref().map(FileFormat::of),
        };
        of_faults.map_or(Ok(()), |named| fault_table(named).map(drop))?;
        let sink = |path: &Option<PathBuf>, table: &Option<String>| -> Result<Option<Box<dyn Sink>>, Failure> {
            match (path, table, session) {
                (_, Some(table), Some(session)) => {
                    Ok(Some(Box::new(session.sink(Target { table: table.clone(), how: tables.how() })?)))
                }
                (Some(path), ..) => Ok(Some(formats::create_as(path, FileFormat::of(path), files)?)),
                _ => Ok(None),
            }
        };
        Ok(Files {
            offcuts: sink(&args.offcuts, &tables.offcuts_table)?,
            faults: sink(&args.faults, &tables.faults_table)?.zip(of_faults),
            summary: args.summary.as_deref().map(|path| formats::create(path, files)).transpose()?,
            hashes: None,
        })
    }

    /// Adds a file of hashes for a part with checks that compare rows.
    pub fn add_hashes(&mut self, args: &FaultArgs, part: Part, files: &RunFiles) -> Result<(), Failure> {
        let refused =
            |why: &str, help: &str| Err(Failure::usage(format!("`unique` compares each row with all others, {why}"), help));
        let only_some = format!("and part {part} has only some of them");
        let Some(summary) = args.summary.as_deref().filter(|path| !is_standard_output(path)) else {
            return refused(
                &only_some,
                "add --summary FILE: the hashes of the rows are written beside it, and `merge` compares them",
            );
        };
        if args.offcuts.is_some() {
            return refused(&format!("{only_some}: which rows belong in --offcuts is not known yet"), "remove --offcuts");
        }
        let path = hashes_beside(summary);
        let name = path.file_name().map_or(String::new(), |name| name.to_string_lossy().into_owned());
        self.hashes = Some((formats::create(&path, files)?, name));
        Ok(())
    }

    /// The file of hashes of the run, for its summary.
    pub fn hashes_of(&self, report: &Report) -> Option<HashesOf> {
        self.hashes.as_ref().map(|(_, file)| HashesOf { file: file.clone(), count: report.hashes })
    }

    pub fn carve(&mut self, table: &mut Table, job: &Job, rows: &mut dyn Sink) -> Result<Report, Failure> {
        let faults = match &mut self.faults {
            Some((out, named)) => Some(FaultFile::new(&mut **out, *named, table.is_continued())?),
            None => None,
        };
        let offcuts = self.offcuts.as_mut().map(|out| &mut **out as &mut dyn Sink);
        let hashes = self.hashes.as_mut().map(|(out, _)| HashFile::new(&mut **out, HashFormat::Text)).transpose()?;
        Ok(carve(table, job, &mut Outs { rows, offcuts, faults, hashes })?)
    }

    /// Writes the summary and puts the outputs in place: `rows` first, if they are kept.
    pub fn finish(mut self, rows: Option<Box<dyn Sink>>, summary: &str) -> Result<(), Failure> {
        if let Some(out) = &mut self.summary {
            out.put(summary.as_bytes())?;
        }
        let others = self
            .offcuts
            .into_iter()
            .chain(self.faults.map(|(out, _)| out))
            .chain(self.hashes.map(|(out, _)| out))
            .chain(self.summary);
        Ok(sink::commit_all(rows.into_iter().chain(others).collect())?)
    }
}

/// The file of hashes beside a summary: `cut-1.hashes.csv` for `cut-1.json`, compressed like it.
fn hashes_beside(summary: &Path) -> PathBuf {
    let compression = FileFormat::of(summary).compression;
    let name = if compression.is_some() { summary.with_extension("") } else { summary.to_owned() };
    let ending = compression.map_or("hashes.csv".to_owned(), |compression| format!("hashes.csv.{}", compression.ending()));
    name.with_extension(ending)
}

/// Whether the name of an output means standard output.
pub fn is_standard_output(path: &Path) -> bool {
    path.as_os_str() == "-"
}

pub fn writes_to_standard_output(args: &FaultArgs) -> bool {
    [&args.offcuts, &args.faults, &args.summary].into_iter().flatten().any(|path| is_standard_output(path))
}

/// The input and output of a run, in one or more lines. `out` is the output of the rows, and `is_kept` is whether they exist.
pub fn outcome(
    report: &Report,
    (inputs, part): (&[Input], Option<Part>),
    (out, is_kept): (Option<&str>, bool),
    (args, tables): (&FaultArgs, &TableArgs),
) -> Vec<String> {
    let counts = &report.totals.rows;
    let rows = match counts.read {
        0 if part.is_some() => "no rows: they belong to other parts".to_owned(),
        0 => "no rows, only a header".to_owned(),
        rows => visible::counted(rows, "row"),
    };
    let mut line = format!("{}: {rows}", names_of_part(inputs, part));
    if counts.left_out > 0 {
        line += &format!(", {} left out", visible::grouped(counts.left_out));
    }
    let to = out.map_or(String::new(), |name| format!(" to {name}"));
    if !is_kept {
        line += ", none written";
    } else if counts.kept < counts.read {
        line += &format!(", {} written{to}", visible::grouped(counts.kept));
    } else if counts.written != counts.kept || out.is_some() {
        line += ", written";
    }
    if is_kept && counts.written != counts.kept {
        line += &format!(" as {}", visible::counted(counts.written, "row"));
    }
    if is_kept && counts.kept == counts.read {
        line += &to;
    }
    let mut lines = vec![line];
    if counts.with_faults > 0 {
        let name = |path: &Option<PathBuf>, table: &Option<String>| {
            table.as_ref().map(|table| format!("the table {table}")).or(path.as_deref().map(name_of))
        };
        let aside = name(&args.offcuts, &tables.offcuts_table).map_or(String::new(), |name| format!(", set aside in {name}"));
        let listed_in =
            name(&args.faults, &tables.faults_table).map_or(String::new(), |name| format!("; each fault is in {name}"));
        lines.push(format!("{} with faults{aside}{listed_in}", visible::counted(counts.with_faults, "row")));
    }
    lines.iter().map(|line| visible::without_controls(line)).collect()
}

pub fn name_of(path: &Path) -> String {
    if is_standard_output(path) { "standard output".to_owned() } else { path.display().to_string() }
}
