//! `draft`: a first cut list from the data, or a phrase from examples.

mod joined;
mod wanted;

use std::io::Write;
use std::path::Path;

use keen_notch_core::carving::Carving;
use keen_notch_core::column::ColumnRef;
use keen_notch_core::cutlist::{CutList, Reading as ListReading};
use keen_notch_core::draft::{self, Contradiction, Evidence, Example, Origin, RankedPhrase};
use keen_notch_core::piece::Rules;
use keen_notch_core::program::{Program, Setting};
use keen_notch_core::survey::{Depth, LONGEST_IN_SAMPLE, Survey};
use keen_notch_core::text::unit::Unit;
use keen_notch_io::draft::{prove, try_phrases};
use keen_notch_io::files::RunFiles;
use keen_notch_io::formats;
use keen_notch_io::sink;
use keen_notch_io::source::input::Input;
use keen_notch_io::survey::survey;
use keen_notch_io::table::Table;
use keen_notch_io::view::View;

use crate::args::{self, DraftArgs, ReadingArgs};
use crate::commands::inputs::{self, InputArgs, inputs, names, read_twice};
use crate::console::{self, Console};
use crate::draw::rerun;
use crate::draw::style::{self, paint};
use crate::draw::wanted as draw;
use crate::failure::{Failure, Text};
use crate::progress::Progress;

use self::wanted::Wanted;

pub fn run(args: &DraftArgs, console: &Console) -> Result<(), Failure> {
    let known = RunFiles::default();
    let (inputs, _) =
        inputs(args.of.file.as_slice(), InputArgs::to_read(&args.reading, &ListReading::default()), &known, console)?;
    read_twice(&inputs, "a draft reads its input more than once", "save it as a file and name that")?;
    match &args.write {
        Some(path) => refuse_to_replace(path)?,
        None => known.prints()?,
    }
    let reading = args.reading.reading(&Default::default())?;
    let progress = Progress::of(&inputs, &reading.meter, args.quiet, true);
    let mut table = inputs::table(&inputs, (&args.reading, &reading), console, args.quiet)?;
    let threads = args.threads.count();
    let wanted = Wanted::read(args, &table.header, &known)?;
    let named = wanted.column.or(args::column(args.of.column.as_deref()));
    let is_joined = !wanted.joined.is_empty();
    let from_data = wanted.examples.is_empty() && !is_joined;
    let column = match is_joined {
        true => 0,
        false => table.find(|header| Ok::<_, Failure>(ColumnRef::find_or_only(named.as_ref(), header)?))?,
    };
    let origin = origin(&inputs, column, &table, &args.reading);
    let drafted = if is_joined {
        joined::draft(&wanted.joined, &origin, &mut table, (threads, console))?
    } else if from_data {
        let text = of_data(&origin, column, &mut table, threads)?;
        DraftText { shown: text.lines().map(str::to_owned).collect(), list: text }
    } else {
        from_examples(&wanted.examples, &origin, column, &mut table, (threads, console))?
    };
    drop(progress);
    inputs::say_replaced(&reading.meter, console, args.quiet);
    match &args.write {
        None => {
            let mut out = console::out();
            for line in &drafted.shown {
                writeln!(out, "{line}")?;
            }
            out.flush()?;
        }
        Some(path) => {
            refuse_to_replace(path)?;
            let mut out = formats::create(path, &known)?;
            out.put(drafted.list.as_bytes())?;
            sink::commit_all(vec![out])?;
            if !args.quiet {
                if !from_data {
                    drafted.shown.iter().for_each(|line| console.note(line));
                    console.note("");
                }
                let list = path.display().to_string();
                // Examples give pieces without checks, and a list without checks cannot be checked.
                let (command, why) = if from_data { ("check", "see its faults") } else { ("carve", "add the pieces") };
                let words = [vec![command.to_owned()], rerun::inputs(&inputs, &args.reading)].concat();
                let words = rerun::command(&[words, vec!["-l".to_owned(), list.clone()]].concat());
                console.note(&format!("{list} is written. To {why}: {}", paint(style::TAKEN, words)));
                if args.of.file.is_some() && from_data {
                    console.note(&format!("Next month's file: {}", paint(style::TAKEN, rerun::next_month(&list))));
                }
            }
        }
    }
    Ok(())
}

/// The shown lines of a draft, and its cut list.
struct DraftText {
    shown: Vec<String>,
    list: String,
}

/// An existing file may contain work, so it is never replaced.
fn refuse_to_replace(path: &Path) -> Result<(), Failure> {
    if path.symlink_metadata().is_err() {
        return Ok(());
    }
    Err(Failure::file(format!("{} already exists", path.display()), "a draft never replaces a file; give another name"))
}

fn look(table: &mut Table, column: usize, threads: usize) -> Result<Survey, Failure> {
    let mut surveys = survey(table, View::Columns(&[column]), Depth::Full, None, threads)?.surveys;
    Ok(surveys.pop().unwrap_or_else(|| Survey::new(Depth::Full)))
}

fn origin(inputs: &[Input], column: usize, table: &Table, args: &ReadingArgs) -> Origin {
    let header = &table.header;
    let columns = header.names().unwrap_or_default().to_vec();
    Origin {
        input: names(inputs),
        column: rerun::column_of_piece(header, column),
        columns,
        reading: rerun::reading_of_list(args, &table.format),
    }
}

fn of_data(origin: &Origin, column: usize, table: &mut Table, threads: usize) -> Result<String, Failure> {
    let survey = look(table, column, threads)?;
    let Some(draft) = draft::draft(origin.clone(), &survey) else {
        let message = match survey.rows {
            0 => format!("{} has no rows", origin.input),
            rows if survey.blank.count == rows => format!("every value of {} is blank", origin.column),
            _ => {
                let message = format!(
                    "every value of {} has more than {LONGEST_IN_SAMPLE} bytes, which is too long for a code",
                    origin.column
                );
                return Err(Failure::usage(message, "`survey` shows the content of each column"));
            }
        };
        return Err(Failure::usage(message, "a draft needs values; `survey` shows the content of each column"));
    };
    let mut proved = Vec::new();
    for index in 0..draft.readings.len() {
        proved.push(run_list(draft.trial().list(index), column, table, threads)?);
    }
    Ok(draft.text(&proved))
}

/// Runs a drafted list on all rows.
fn run_list(list: String, column: usize, table: &Table, threads: usize) -> Result<Evidence, Failure> {
    let text = Text { name: Some("the draft".to_owned()), text: list };
    let wanted: Rules = CutList::parse(&text.text, 0).map_err(|error| Failure::text_error(&text, error))?.wanted;
    let mut table = table.again()?;
    let main = ColumnRef::Number(column + 1);
    let setting = Setting::new(Unit::Characters);
    let carving = Carving::new(&wanted, Some(&main), &setting, &table.header)
        .map_err(|unbound| Failure::text_error(&text, unbound.error))?;
    Ok(prove(&mut table, carving, threads)?)
}

fn from_examples(
    examples: &[Example],
    origin: &Origin,
    column: usize,
    table: &mut Table,
    (threads, console): (usize, &Console),
) -> Result<DraftText, Failure> {
    let lookups = draft::search_lookups(examples);
    let searched = if lookups.found.is_empty() { draft::search_with_kinds(examples) } else { lookups };
    let found = &searched.found;
    if found.is_empty() && searched.was_cut_short {
        let message = "no phrase was found; not all were tried, because the examples are long";
        return Err(Failure::usage(message, "give examples of shorter values, or more of them with fewer parts"));
    }
    if found.is_empty() {
        return Err(no_phrase(examples));
    }
    let sample = look(table, column, threads)?.sample();
    let ranked: Vec<RankedPhrase> = draft::rank(found, examples, &sample);
    let plans: Vec<Program> = ranked.iter().filter_map(|ranked| draft::compile(&ranked.phrase)).collect();
    let tried = try_phrases(&mut table.again()?, column, &plans)?;
    let list = draft::wanted_list(origin, examples, &ranked, &tried.gives, tried.rows);
    let shown = draw::draw(&origin.column, (examples, &searched), &ranked, &tried, console.width);
    Ok(DraftText { shown, list })
}

fn no_phrase(examples: &[Example]) -> Failure {
    let shown = |index: &usize| format!("{} => {}", examples[*index].value, examples[*index].result);
    let slip = "look for a slip in them; codes of two kinds need two phrases, joined by `or` or chosen by `if`";
    match draft::contradiction(examples) {
        Contradiction::Alone(alone) => {
            let all: Vec<String> = alone.iter().map(|index| format!("'{}'", shown(index))).collect();
            let help = "phrases take one part of a value and tidy it; they do not reorder parts or join them";
            Failure::usage(format!("no phrase that was tried gives {}", all.join(" or ")), help)
        }
        Contradiction::Pairs(pairs) => {
            let all: Vec<String> =
                pairs.iter().map(|(first, second)| format!("'{}' and '{}'", shown(first), shown(second))).collect();
            Failure::usage(format!("no phrase that was tried fits both of {}", all.join("; ")), slip)
        }
        Contradiction::OddOneOut(odd, phrase) => Failure::usage(
            format!("no phrase that was tried fits all examples: without '{}', `{phrase}` does", shown(&odd)),
            slip,
        ),
        Contradiction::Together => Failure::usage(
            format!("no phrase that was tried fits all {} examples, although each pair has one", examples.len()),
            slip,
        ),
    }
}
