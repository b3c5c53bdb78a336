use keen_notch_core::carving::Carving;
use keen_notch_core::column::{ColumnRef, Header};
use keen_notch_io::carve::Job;
use keen_notch_io::files::RunFiles;
use keen_notch_io::formats::database::sink::Session;
use keen_notch_io::formats::database::{Address, How, Target, What};
use keen_notch_io::source::input::Input;

use crate::args::{CarveArgs, FormatOrDatabase, ReadingArgs, TableArgs};
use crate::commands::outputs::name_of;
use crate::failure::Failure;

pub struct OutputTable {
    pub address: Address,
    pub table: String,
    pub how: How,
}

impl OutputTable {
    /// The output table of `--to` and `--table`, or the input table with `--update`; `None` if there is none.
    pub fn of(args: &CarveArgs, inputs: &[Input], table: Option<String>) -> Result<Option<OutputTable>, Failure> {
        if !args.update.is_empty() {
            let (address, table) = updated(inputs)?;
            let how = How::Update { keys: args.update.len() };
            return Ok(Some(OutputTable { address: address.clone(), table: table.to_owned(), how }));
        }
        let (Some(FormatOrDatabase::Database(address)), Some(table)) = (&args.to, table) else { return Ok(None) };
        if let Some(path) = &args.out {
            let message = format!("two outputs for the rows: {address} and {}", name_of(path));
            return Err(Failure::usage(message, "remove -o or --to"));
        }
        Ok(Some(OutputTable { address: address.clone(), table, how: args.tables.how() }))
    }

    pub fn target(&self) -> Target {
        Target { table: self.table.clone(), how: self.how }
    }

    pub fn outcome(&self) -> String {
        let OutputTable { address, table, how } = self;
        match how {
            How::Update { .. } => format!("the rows of the table {table} of {address}"),
            How::New => format!("the new table {table} of {address}"),
            How::Replace => format!("a new table {table} of {address}, which replaced the old one"),
            How::Append => format!("the table {table} of {address}, after the rows that it had"),
        }
    }
}

fn updated(inputs: &[Input]) -> Result<(&Address, &str), Failure> {
    match inputs {
        [Input::Database(relation)] => match &relation.what {
            What::Table(table) => Ok((&relation.address, table)),
            What::Query(_) | What::Unsaid => {
                let help = "name the table with --table NAME, and leave --query out";
                Err(Failure::usage("--update writes into the input table, but the input is not a table", help))
            }
        },
        _ => Err(Failure::usage(
            "--update writes into the input table, but the input is not a database",
            "name it, such as --from sqlite:yard.db --table parts",
        )),
    }
}

pub fn keys(args: &CarveArgs, carving: &Carving, header: &Header) -> Result<Vec<usize>, Failure> {
    if let Some(piece) = carving.rows_piece() {
        return Err(Failure::usage(
            format!("{} writes a row for each result, and --update only changes existing rows", carving.name(piece)),
            "give it `columns`, write a separate table with --to, or leave the piece out",
        ));
    }
    let mut found = Vec::with_capacity(args.update.len());
    for key in &args.update {
        let index = ColumnRef::parse(key).find(header)?;
        if found.contains(&index) || (0..carving.count()).any(|piece| carving.name(piece) == header.title(index)) {
            let message =
                format!("--update has the column {} as its key, but it is named twice or is also a piece", header.title(index));
            return Err(Failure::usage(message, "name each key column once, and write no piece to it"));
        }
        found.push(index);
    }
    Ok(found)
}

/// The indices of the source columns of all pieces, except key columns. An update fails if one of their values has changed since the run
/// read it.
pub fn compared(job: &Job, keys: &[usize]) -> Vec<usize> {
    let carving = job.carving();
    let mut columns: Vec<usize> = (0..carving.count()).flat_map(|piece| carving.sources(piece)).copied().collect();
    columns.sort_unstable();
    columns.dedup();
    columns.retain(|column| !keys.contains(column));
    columns
}

/// The connection for output tables, if any: to the output database, otherwise to the input database.
pub fn session(
    written: Option<&OutputTable>,
    reading: &ReadingArgs,
    tables: &TableArgs,
    files: &RunFiles,
) -> Result<Option<Session>, Failure> {
    let read = if let Some(FormatOrDatabase::Database(address)) = &reading.from { Some(address) } else { None };
    let are_written = written.is_some() || tables.faults_table.is_some() || tables.offcuts_table.is_some();
    match (tables.first(), written.map(|written| &written.address).or(read)) {
        (_, Some(address)) if are_written => {
            // Other outputs must not be the database file.
            if let Some(file) = address.path() {
                files.reads(&Input::File(file.to_owned()))?;
            }
            Ok(Some(Session::open(address)?))
        }
        (None, _) => Ok(None),
        (Some(option), Some(_)) => Err(Failure::usage(
            format!("{option} needs an output table"),
            "name the database to write to, such as --to sqlite:yard.db, or leave the option out",
        )),
        (Some(option), None) => Err(Failure::usage(
            format!("{option} needs a database"),
            "name the input database, such as --from sqlite:yard.db, or in carve the output database with --to; or remove the option",
        )),
    }
}
