//! `schema`: the JSON Schema of cut lists, or the output columns of a list.

use std::io::Write;

use keen_notch_core::carving::OutColumn;
use keen_notch_core::column::Header;
use keen_notch_core::value_type::ValueType;
use keen_notch_io::carve::Job;
use keen_notch_io::files::RunFiles;
use serde_json::{Value, json};

use crate::args::SchemaArgs;
use crate::commands::inputs::{InputArgs, inputs, table};
use crate::console::{self, Console};
use crate::draw::visible;
use crate::failure::Failure;
use crate::rules::{Pieces, RuleArgs};

/// The version of the output. It increases when a key changes its meaning or disappears.
const VERSION: u32 = 1;

pub fn run(args: &SchemaArgs, console: &Console) -> Result<(), Failure> {
    if args.lists.is_empty() {
        return Ok(console::out().write_all(keen_notch_core::cutlist::schema().as_bytes())?);
    }
    let known = RunFiles::default();
    let column = args.column.as_deref();
    let rules = RuleArgs { lists: &args.lists, column, allow_outside: args.allow_outside, ..RuleArgs::default() };
    let mut pieces = Pieces::read(&rules, &known)?;
    pieces.compares_elsewhere = args.compare_column.is_some();
    let (header, carving) = match (&args.columns, &args.file) {
        (Some(columns), _) => {
            let header = Header::Names(columns.clone());
            let carving = pieces.bind(column, &header)?;
            (header, carving)
        }
        (None, file) => {
            let files = file.as_slice();
            let (found, _) = inputs(files, InputArgs::to_read(&args.reading, &pieces.reading), &known, console)?;
            let reading = args.reading.reading(&pieces.reading)?;
            let mut opened = table(&found, (&args.reading, &reading), console, true)?;
            let carving = opened.find(|header| pieces.bind(column, header))?;
            (opened.header, carving)
        }
    };
    if let Some(piece) = carving.auto_pieces().first() {
        let message = format!("how many columns {} fills depends on the rows", carving.name(*piece));
        return Err(Failure::usage(message, "say how many columns, such as `columns = 3`"));
    }
    let reads: Vec<String> = carving.used_columns().into_iter().map(|column| header.title(column)).collect();
    let originals: Vec<usize> = (0..header.count()).collect();
    let mut job = Job::new(carving, &header, &originals, 0);
    let lists = [(&args.faults_column, OutColumn::Faults), (&args.compare_column, OutColumn::Compared)];
    for (title, column) in lists {
        if let Some(title) = title {
            job = job.with_list_column(column, title);
        }
    }
    let written = json!({
        "version": VERSION,
        "program": env!("CARGO_PKG_VERSION"),
        "columns": columns(&job),
        "reads": reads,
        "files": pieces.listed_files(),
        "of_files": of_files(&pieces),
        "compares_rows": job.carving().looks_back(),
        "numbers_rows": job.carving().numbers_rows(),
        "checks": checks(&job),
    });
    known.prints()?;
    Ok(console::out().write_all(visible::json(&written).as_bytes())?)
}

/// The settings for files.
fn of_files(pieces: &Pieces) -> Vec<String> {
    let reading = pieces.reading.keys().into_iter().map(|key| format!("[reading] {key}"));
    reading.chain(pieces.widths.as_ref().map(|_| "[writing] widths".to_owned())).collect()
}

fn columns(job: &Job) -> Vec<Value> {
    let column = |(column, title): (&OutColumn, &String)| match *column {
        OutColumn::Original(_) | OutColumn::OfInput(_) | OutColumn::Reason => json!({ "name": title, "type": "as it is" }),
        OutColumn::Piece { piece, .. } => {
            let of = job.carving().value_type(piece).map_or("text", ValueType::words);
            json!({ "name": title, "type": of, "piece": job.carving().name(piece) })
        }
        OutColumn::Faults => json!({ "name": title, "type": "list of faults" }),
        OutColumn::Compared => json!({ "name": title, "type": "list of hashes" }),
    };
    job.columns().iter().zip(job.titles()).map(column).collect()
}

fn checks(job: &Job) -> Vec<Value> {
    let check = |check: &keen_notch_core::carving::CheckName| {
        let level = if check.only_warns { "warning" } else { "fault" };
        json!({ "of": check.of, "check": check.words, "level": level, "implied": check.is_implied, "elsewhere": check.is_elsewhere })
    };
    job.checks().iter().map(check).collect()
}
