//! What the command line asks for, checked before a table or an output is opened.

use std::path::Path;

use keen_notch_io::files::RunFiles;
use keen_notch_io::formats::{self, FileFormat};
use keen_notch_io::source::Reading;
use keen_notch_io::source::input::Input;

use crate::args::{self, CarveArgs, FormatOrDatabase};
use crate::commands::database::OutputTable;
use crate::commands::run;
use crate::commands::run::InputArgs;
use crate::console::Console;
use crate::failure::Failure;
use crate::rules::{Pieces, RuleArgs};

pub struct Request<'a> {
    pub args: &'a CarveArgs,
    pub pieces: Pieces,
    pub inputs: Vec<Input>,
    pub reading: Reading,
    /// The output table, if rows go to a database.
    pub written: Option<OutputTable>,
    /// The output format as named, without a kind if it follows the input.
    pub named: FileFormat,
    pub named_aside: FileFormat,
}

impl<'a> Request<'a> {
    pub fn read(args: &'a CarveArgs, rules: &RuleArgs, known: &RunFiles, console: &Console) -> Result<Request<'a>, Failure> {
        let mut pieces = Pieces::read(rules, known)?;
        let to_database = matches!(args.to, Some(FormatOrDatabase::Database(_)));
        let reading_args = InputArgs { reading: &args.reading, list: &pieces.reading, writes_table: to_database };
        let (inputs, table_name) = run::inputs(&args.files, reading_args, known, console)?;
        args.out.iter().try_for_each(|out| args::refuse_address(out, "--to"))?;
        let written = OutputTable::of(args, &inputs, table_name)?;
        pieces.take_places = !args.update.is_empty();
        pieces.compares_elsewhere = args.compare_column.is_some();
        let named = output_format(args, written.as_ref());
        let named_aside = match &args.tables.offcuts_table {
            Some(_) => FileFormat::DATABASE,
            None => args.faults.offcuts.as_deref().map(FileFormat::of).unwrap_or_default(),
        };
        // Rows that stay objects keep all their members.
        let keeps_objects = |named: FileFormat| named.kind.is_none_or(|kind| kind.has_objects);
        let takes_all = !args.only_pieces && args.columns.is_none() && !keeps_objects(named);
        let reading = Reading {
            // Typed formats need the types before the first row.
            all_columns: takes_all || !keeps_objects(named_aside) || named.kind.is_some_and(|kind| kind.has_types),
            ..args.faults.reading(&args.reading, &pieces.reading)?
        };
        formats::check_output(args.out.as_deref().unwrap_or(Path::new("standard output")), named)?;
        if let (Some(part), true) = (args.part.part, args.tables.replace) {
            let message = format!("with --replace, the table of part {part} would replace the rows of earlier parts");
            return Err(Failure::usage(message, "add the rows of each part with --append"));
        }
        Ok(Request { args, pieces, inputs, reading, written, named, named_aside })
    }

    /// Whether the sink of the rows is open before the format is known: a named output, also if its name means standard output.
    pub fn has_sink(&self) -> bool {
        self.written.is_some() || self.args.out.is_some()
    }

    /// Whether the rows go to a file or a table, and not to standard output.
    pub fn has_named_output(&self) -> bool {
        self.written.is_some() || goes_to_file(self.args)
    }
}

fn goes_to_file(args: &CarveArgs) -> bool {
    args.out.as_ref().is_some_and(|path| !run::is_standard_output(path))
}

fn output_format(args: &CarveArgs, written: Option<&OutputTable>) -> FileFormat {
    let option = match (written, &args.to) {
        (Some(_), _) => Some(FileFormat::DATABASE),
        (None, Some(FormatOrDatabase::Format(named))) => Some(*named),
        (None, _) => None,
    };
    let named = option.or(args.out.as_deref().map(FileFormat::of)).unwrap_or_default();
    if goes_to_file(args) { named } else { named.in_a_pipe() }
}
