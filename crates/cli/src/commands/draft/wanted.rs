//! The examples of `--want` and `--want-file`: of one column, or of several by name.

use std::ops::ControlFlow;
use std::path::Path;

use keen_notch_core::column::{ColumnRef, Header};
use keen_notch_core::draft::{self, Example, JoinedExample};
use keen_notch_io::files::RunFiles;
use keen_notch_io::source::Reading;
use keen_notch_io::table::Table;
use keen_notch_io::view::View;

use crate::args::{self, DraftArgs};
use crate::failure::{Failure, Text};

const PAIR: [&str; 2] = ["value", "result"];

#[derive(Default)]
pub struct Wanted {
    pub examples: Vec<Example>,
    /// The column of the examples, if they name it.
    pub column: Option<ColumnRef>,
    /// Examples with values of several columns, all with the same columns in the same order.
    pub joined: Vec<JoinedExample>,
}

impl Wanted {
    pub fn read(args: &DraftArgs, header: &Header, files: &RunFiles) -> Result<Wanted, Failure> {
        let columns: Vec<String> = (0..header.count_with_paths()).map(|column| header.title(column)).collect();
        let (mut examples, mut joined) = (Vec::new(), Vec::new());
        for text in &args.want {
            let whole = || Text { name: None, text: text.clone() };
            // With -c, a value can be anything.
            let named = if args.of.column.is_none() { JoinedExample::parse(text, &columns) } else { None };
            match named {
                Some(example) => joined.push(example.map_err(|error| Failure::text_error(&whole(), error))?),
                None => examples.push(Example::parse(text).map_err(|error| Failure::text_error(&whole(), error))?),
            }
        }
        if let Some(path) = &args.want_file {
            of_file(path, &columns, (&mut examples, &mut joined), files)?;
        }
        if let (Some(example), Some(_)) = (examples.first(), joined.first()) {
            let message = format!("the value {} names no column, and others do", example.value);
            return Err(Failure::usage(message, "write COLUMN=VALUE in all examples, with ; between the columns"));
        }
        let [first, rest @ ..] = &mut joined[..] else {
            check(&examples, args)?;
            return Ok(Wanted { examples, ..Wanted::default() });
        };
        let order: Vec<usize> = first.values.iter().map(|(column, _)| *column).collect();
        for example in rest {
            let at = |(column, _): &(usize, String)| order.iter().position(|first| first == column).unwrap_or(usize::MAX);
            example.values.sort_by_key(at);
            if !example.values.iter().map(|(column, _)| column).eq(&order) {
                let names: Vec<&str> = order.iter().map(|column| columns[*column].as_str()).collect();
                let message = format!("an example has other columns than {}", names.join(" and "));
                return Err(Failure::usage(message, "give values of the same columns in all examples"));
            }
        }
        if let [column] = order[..] {
            let examples = joined
                .into_iter()
                .filter_map(|example| Some(Example { value: example.values.into_iter().next()?.1, result: example.result }));
            let examples: Vec<Example> = examples.collect();
            check(&examples, args)?;
            return Ok(Wanted { examples, column: Some(ColumnRef::Number(column + 1)), joined: Vec::new() });
        }
        Ok(Wanted { joined, ..Wanted::default() })
    }
}

/// Reads examples from the columns `value` and `result` of a file, or from columns of the table and `result`.
fn of_file(
    path: &Path,
    columns: &[String],
    (examples, joined): (&mut Vec<Example>, &mut Vec<JoinedExample>),
    files: &RunFiles,
) -> Result<(), Failure> {
    let input = args::input(path);
    files.reads(&input)?;
    let mut table = Table::open(&[input], &Reading::default())?;
    let header = table.header.clone();
    let place = |name: &str| ColumnRef::Name(name.to_owned()).find(&header).ok();
    let others = (0..header.count_with_paths()).filter(|column| Some(*column) != place(PAIR[1]));
    let named: Option<Vec<(usize, usize)>> =
        others.map(|column| Some((column, columns.iter().position(|name| *name == header.title(column))?))).collect();
    let (value, result, named) = match (place(PAIR[0]), place(PAIR[1]), named) {
        (Some(value), Some(result), _) => (Some(value), result, Vec::new()),
        (None, Some(result), Some(named)) if !named.is_empty() => (None, result, named),
        _ => {
            let message = format!("{} has no columns called value and result", path.display());
            let help =
                "write a line `value,result` first, then a line for each example; or instead of value, columns of the table";
            return Err(Failure::usage(message, help));
        }
    };
    let needed: Vec<usize> = value.into_iter().chain(named.iter().map(|(column, _)| *column)).chain([result]).collect();
    let before = examples.len() + joined.len();
    table.each_row(View::Columns(&needed), |row| {
        let result = row.value(result).to_owned();
        match value {
            Some(value) => examples.push(Example { value: row.value(value).to_owned(), result }),
            None => {
                let values = named.iter().map(|(column, of_table)| (*of_table, row.value(*column).to_owned()));
                joined.push(JoinedExample { values: values.collect(), result });
            }
        }
        ControlFlow::Continue(())
    })?;
    if examples.len() + joined.len() == before {
        return Err(Failure::usage(format!("{} has no examples", path.display()), "add a line for each example"));
    }
    Ok(())
}

/// Refuses results that cannot come from their values, unless a lookup gives them.
fn check(examples: &[Example], args: &DraftArgs) -> Result<(), Failure> {
    if !draft::search_lookups(examples).found.is_empty() {
        return Ok(());
    }
    draft::check(examples).map_err(|(index, error)| {
        let Example { value, result } = &examples[index];
        match args.want.get(index) {
            Some(text) => Failure::text_error(&Text { name: None, text: text.clone() }, error.moved(text.len() - result.len())),
            None => {
                let name = args.want_file.as_deref().map_or(String::new(), |path| path.display().to_string());
                let row = index - args.want.len() + 1;
                Failure::usage(format!("{name}, row {row}, {value} => {result}: {}", error.message), error.help)
            }
        }
    })
}
