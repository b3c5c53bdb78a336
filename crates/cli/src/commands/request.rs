//! The request of a command: its rules, its inputs, and the settings for reading. It is checked before a table is opened.

use std::path::PathBuf;

use keen_notch_core::carving::Carving;
use keen_notch_core::cutlist::{RaggedRows, Reading as ListReading};
use keen_notch_core::diagnostics::Diagnostics;
use keen_notch_core::summary::Part;
use keen_notch_io::carve::{MadeBy, measure};
use keen_notch_io::files::RunFiles;
use keen_notch_io::source::Reading;
use keen_notch_io::source::input::Input;
use keen_notch_io::table::Table;

use crate::args::ReadingArgs;
use crate::commands::inputs::{self, InputArgs};
use crate::console::Console;
use crate::draw::rerun::Rerun;
use crate::failure::Failure;
use crate::rules::{Pieces, RuleArgs, today};

/// The arguments of a command about its rules and inputs.
pub struct Asked<'a> {
    pub rules: RuleArgs<'a>,
    pub files: &'a [PathBuf],
    pub reading: &'a ReadingArgs,
    pub ragged: Option<RaggedRows>,
    pub part: Option<Part>,
    pub quiet: bool,
    /// Whether the command can write a table of a database.
    pub writes_table: bool,
}

pub struct Request<'a> {
    pub asked: Asked<'a>,
    pub pieces: Pieces,
    pub inputs: Vec<Input>,
    pub reading: Reading,
    /// The output table, for a command that can write one.
    pub table_to_write: Option<String>,
}

impl<'a> Request<'a> {
    pub fn read(asked: Asked<'a>, known: &RunFiles, console: &Console) -> Result<Request<'a>, Failure> {
        let pieces = Pieces::read(&asked.rules, known)?;
        Request::with_pieces(asked, pieces, known, console)
    }

    pub fn with_pieces(asked: Asked<'a>, pieces: Pieces, known: &RunFiles, console: &Console) -> Result<Request<'a>, Failure> {
        let input_args = InputArgs { reading: asked.reading, list: &pieces.reading, writes_table: asked.writes_table };
        let (inputs, table_to_write) = inputs::inputs(asked.files, input_args, known, console)?;
        let ragged = asked.ragged.or(pieces.reading.ragged);
        let reading = asked.reading.reading(&ListReading { ragged, ..pieces.reading.clone() })?;
        let reading = Reading { parts: asked.part.map(|part| part.of), ..reading };
        Ok(Request { asked, pieces, inputs, reading, table_to_write })
    }

    /// Opens the inputs and binds the pieces.
    pub fn bind(&self, console: &Console) -> Result<(Table, Carving), Failure> {
        let Asked { rules, reading, quiet, .. } = &self.asked;
        let mut table = inputs::table(&self.inputs, (reading, &self.reading), console, *quiet)?;
        let carving = table.find(|header| self.pieces.bind(rules.column, header))?;
        Ok((table, carving))
    }

    /// As [`Request::bind`], for a run over all rows or a part. Counts the columns of pieces with `columns = "auto"`.
    pub fn open(&self, console: &Console) -> Result<(Table, Carving), Failure> {
        let inputs = &self.inputs;
        inputs::can_be_parted(inputs, self.asked.part)?;
        let (mut table, mut carving) = self.bind(console)?;
        if let Some(part) = self.asked.part {
            let refused = |why: &str, help| Err(Failure::usage(format!("{why}, and part {part} has only some of them"), help));
            if let Some(piece) = carving.auto_pieces().first() {
                let why = format!("how many columns {} fills depends on all rows", carving.name(*piece));
                return refused(&why, "say how many columns, such as `columns = 3`");
            }
            if carving.looks_back()
                && let Err(why) = carving.leave_comparing()
            {
                return refused(why, "use it in one run over all rows, with a separate cut list");
            }
            table.take_part(part)?;
        }
        if let [first, ..] = carving.auto_pieces().as_slice() {
            let why = format!("how many columns {} fills depends on the data, which must be read twice", carving.name(*first));
            inputs::read_twice(inputs, &why, "save it as a file and name that, or say how many columns")?;
            for (piece, columns) in measure(&mut table, &carving)? {
                carving.set_columns(piece, columns);
            }
            if let Some((_, title)) = carving.doubled_title(&table.header) {
                return Err(Failure::usage(
                    format!("two columns of the output would have the name {title}"),
                    "use another name for the piece",
                ));
            }
            table = table.again()?;
        }
        Ok((table, carving))
    }

    /// The part, if `merge` must still compare its rows with the rows of the others.
    pub fn part_to_compare(&self, carving: &Carving) -> Option<Part> {
        self.asked.part.filter(|_| carving.leaves_comparing() && !self.pieces.compares_elsewhere)
    }

    /// Diagnostics for the pieces, with the current date if necessary. Finding the date takes longer than a short run.
    pub fn diagnostics(&self) -> Diagnostics {
        let diagnostics = Diagnostics::new(&self.pieces.wanted.pieces, &self.pieces);
        match diagnostics.give_dates() {
            true => diagnostics.with_today(today()),
            false => diagnostics,
        }
    }

    pub fn made_by(&self) -> MadeBy {
        MadeBy { part: self.asked.part, ..self.pieces.made_by(self.asked.rules.column) }
    }

    /// The command line, for commands to paste.
    pub fn rerun(&self) -> Rerun<'_> {
        let Asked { rules, reading, ragged, .. } = &self.asked;
        Rerun { rules, inputs: &self.inputs, reading, ragged: *ragged, of_lists: &self.pieces.reading }
    }
}
