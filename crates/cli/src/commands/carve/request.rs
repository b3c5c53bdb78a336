//! What the command line asks for, checked before a table or an output is opened.

use std::path::Path;

use keen_notch_io::files::RunFiles;
use keen_notch_io::formats::{self, FileFormat};

use crate::args::{self, CarveArgs, FormatOrDatabase};
use crate::commands::database::OutputTable;
use crate::commands::outputs::is_standard_output;
use crate::commands::request::{Asked, Request};
use crate::console::Console;
use crate::failure::Failure;
use crate::rules::RuleArgs;

pub struct CarveRequest<'a> {
    pub args: &'a CarveArgs,
    pub run: Request<'a>,
    /// The output table, if rows go to a database.
    pub written: Option<OutputTable>,
    /// The output format as named, without a kind if it follows the input.
    pub named: FileFormat,
    pub named_aside: FileFormat,
}

impl<'a> CarveRequest<'a> {
    pub fn read(args: &'a CarveArgs, known: &RunFiles, console: &Console) -> Result<CarveRequest<'a>, Failure> {
        let mut run = Request::read(asked(args), known, console)?;
        args.out.iter().try_for_each(|out| args::refuse_address(out, "--to"))?;
        let written = OutputTable::of(args, &run.inputs, run.table_to_write.take())?;
        run.pieces.take_places = !args.update.is_empty();
        run.pieces.compares_elsewhere = args.compare_column.is_some();
        let named = output_format(args, written.as_ref());
        let named_aside = match &args.tables.offcuts_table {
            Some(_) => FileFormat::DATABASE,
            None => args.faults.offcuts.as_deref().map(FileFormat::of).unwrap_or_default(),
        };
        // Rows that stay objects keep all their members.
        let keeps_objects = |named: FileFormat| named.kind.is_none_or(|kind| kind.has_objects);
        let takes_all = !args.only_pieces && args.columns.is_none() && !keeps_objects(named);
        // Typed formats need the types before the first row.
        run.reading.all_columns = takes_all || !keeps_objects(named_aside) || named.kind.is_some_and(|kind| kind.has_types);
        formats::check_output(args.out.as_deref().unwrap_or(Path::new("standard output")), named)?;
        if let (Some(part), true) = (args.part.part, args.tables.replace) {
            let message = format!("with --replace, the table of part {part} would replace the rows of earlier parts");
            return Err(Failure::usage(message, "add the rows of each part with --append"));
        }
        Ok(CarveRequest { args, run, written, named, named_aside })
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

fn asked(args: &CarveArgs) -> Asked<'_> {
    Asked {
        rules: RuleArgs {
            lists: &args.lists,
            pieces: &args.pieces,
            keep: &args.rows_to_keep.keep,
            column: args.column.as_deref(),
            ..RuleArgs::of_faults(&args.faults)
        },
        files: &args.files,
        reading: &args.reading,
        ragged: args.faults.ragged,
        part: args.part.part,
        quiet: args.quiet,
        writes_table: matches!(args.to, Some(FormatOrDatabase::Database(_))),
    }
}

fn goes_to_file(args: &CarveArgs) -> bool {
    args.out.as_ref().is_some_and(|path| !is_standard_output(path))
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
