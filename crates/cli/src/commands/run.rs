//! What `carve` and `check` have in common: inputs, pieces, checks and the files of a run.

use std::io::{self, IsTerminal};
use std::path::{Path, PathBuf};

use keen_notch_core::carving::Carving;
use keen_notch_core::column::ColumnRef;
use keen_notch_io::carve::{Job, Outs, Report, carve, measure};
use keen_notch_io::faults::{FaultFile, FaultFormat};
use keen_notch_io::sink::{File, Sink};
use keen_notch_io::source::Reading;
use keen_notch_io::source::input::Input;
use keen_notch_io::table::Table;

use crate::args::{self, FaultArgs, RaggedArg};
use crate::commands::pieces::Pieces;
use crate::console::Console;
use crate::draw::visible;
use crate::failure::Failure;

/// The inputs of a run.
pub fn inputs(files: &[PathBuf], console: &Console) -> Result<Vec<Input>, Failure> {
    let inputs: Vec<Input> =
        if files.is_empty() { vec![Input::Stdin] } else { files.iter().map(|path| args::input(path)).collect() };
    if inputs.iter().filter(|input| **input == Input::Stdin).count() > 1 {
        return Err(Failure::usage("standard input is named twice", "name - once: it can be read only once"));
    }
    if inputs.contains(&Input::Stdin) && io::stdin().is_terminal() {
        console.note("reading standard input from the terminal; end it with Ctrl-D");
    }
    Ok(inputs)
}

/// What the inputs are called in one line.
pub fn names(inputs: &[Input]) -> String {
    let names: Vec<_> = inputs.iter().map(Input::name).collect();
    if names.len() > 3 { format!("{} files", names.len()) } else { names.join(", ") }
}

/// Opens the inputs and binds the pieces to them; pieces that fill as many columns as the data needs are
/// measured first.
pub fn open(
    inputs: &[Input],
    reading: &Reading,
    pieces: &Pieces,
    column: Option<&ColumnRef>,
) -> Result<(Table, Carving), Failure> {
    let mut table = Table::open(inputs, reading)?;
    let mut carving = pieces.bind(column, &table.header)?;
    if let [first, ..] = carving.auto_pieces().as_slice() {
        if inputs.contains(&Input::Stdin) {
            let message = format!("the columns of {} are left to the data, which must be read twice", carving.name(*first));
            return Err(Failure::usage(message, "name a file instead of standard input, or say how many columns"));
        }
        for (piece, columns) in measure(&mut table, &carving)? {
            carving.set_columns(piece, columns);
        }
        if let Some((_, title)) = carving.doubled_title(&table.header) {
            return Err(Failure::usage(
                format!("two columns of the output would be called {title}"),
                "use another name for the piece",
            ));
        }
        table = Table::open(inputs, reading)?;
    }
    Ok((table, carving))
}

/// The files that a run writes beside its rows.
pub struct Files {
    offcuts: Option<Box<File>>,
    faults: Option<(Box<File>, FaultFormat)>,
    summary: Option<Box<File>>,
}

impl Files {
    /// Begins to write them. `out` is the file of the rows, if there is one.
    pub fn create(args: &FaultArgs, out: Option<&Path>, inputs: &[Input]) -> Result<Files, Failure> {
        let given: Vec<&Path> =
            [out, args.offcuts.as_deref(), args.faults.as_deref(), args.summary.as_deref()].into_iter().flatten().collect();
        for (index, path) in given.iter().enumerate() {
            if given[..index].contains(path) {
                return Err(Failure::usage(
                    format!("two outputs would be written to {}", path.display()),
                    "give each a file of its own",
                ));
            }
        }
        if args.ragged == RaggedArg::SetAside && args.offcuts.is_none() {
            return Err(Failure::usage("--ragged set-aside has no place to set rows aside", "add --offcuts FILE"));
        }
        let create = |path: &Option<PathBuf>| -> Result<Option<Box<File>>, Failure> {
            path.as_ref().map(|path| Ok(Box::new(File::create(path, inputs)?))).transpose()
        };
        Ok(Files {
            offcuts: create(&args.offcuts)?,
            faults: create(&args.faults)?.zip(args.faults.as_deref().map(FaultFormat::of)),
            summary: create(&args.summary)?,
        })
    }

    /// Carves the table into `rows`.
    pub fn carve(&mut self, table: &mut Table, job: &Job, rows: &mut dyn Sink) -> Result<Report, Failure> {
        let header = table.header.clone();
        let faults = match &mut self.faults {
            Some((out, format)) => Some(FaultFile::new(&mut **out, *format, &header)?),
            None => None,
        };
        let offcuts = self.offcuts.as_mut().map(|out| &mut **out as &mut dyn Sink);
        Ok(carve(table, job, &mut Outs { rows, offcuts, faults })?)
    }

    /// Writes the summary and puts the files in their places.
    pub fn finish(self, summary: &str) -> Result<(), Failure> {
        if let Some(mut out) = self.summary {
            out.put(summary.as_bytes())?;
            out.commit()?;
        }
        for out in self.offcuts.into_iter().chain(self.faults.map(|(out, _)| out)) {
            out.commit()?;
        }
        Ok(())
    }
}

/// What was read and where it went, in one line or more.
pub fn outcome(report: &Report, inputs: &[Input], out: Option<&Path>, args: &FaultArgs) -> Vec<String> {
    let rows = match report.counts.rows {
        0 => "no rows: there is only a header".to_owned(),
        rows => visible::counted(rows, "row"),
    };
    let mut line = format!("{}: {rows}", names(inputs));
    if report.counts.left_out > 0 {
        line += &format!(", {} left out", visible::grouped(report.counts.left_out));
    }
    let to = out.map_or(String::new(), |path| format!(" to {}", path.display()));
    if report.counts.rows_kept < report.counts.rows {
        line += &format!(", {} of them written{to}", visible::grouped(report.counts.rows_kept));
    } else if report.counts.rows_out != report.counts.rows_kept || out.is_some() {
        line += ", written";
    }
    if report.counts.rows_out != report.counts.rows_kept {
        line += &format!(" as {}", visible::counted(report.counts.rows_out, "row"));
    }
    if report.counts.rows_kept == report.counts.rows {
        line += &to;
    }
    let mut lines = vec![line];
    if report.counts.faulty > 0 {
        let aside = args.offcuts.as_ref().map_or(String::new(), |path| format!(", set aside in {}", path.display()));
        let told = args.faults.as_ref().map_or(String::new(), |path| format!("; each fault is in {}", path.display()));
        lines.push(format!("{} with faults{aside}{told}", visible::counted(report.counts.faulty, "row")));
    }
    lines.iter().map(|line| visible::without_controls(line)).collect()
}
