//! `survey`: describes the columns of a table.

use keen_notch_core::cutlist::Reading as ListReading;
use std::io::Write;
use std::ops::ControlFlow;
use std::path::Path;

use keen_notch_core::column::Header;
use keen_notch_core::summary;
use keen_notch_core::survey::{Depth, Group, Members, SAVED_VERSION, SavedColumn, SavedKind, SavedSurvey, Shape, Survey};
use keen_notch_core::widths::Widths;
use keen_notch_core::words;
use keen_notch_io::files::RunFiles;
use keen_notch_io::formats::{self, FileFormat, json_lines};
use keen_notch_io::sink::{Sink, commit_all, standard_output};
use keen_notch_io::source::Reading;
use keen_notch_io::source::input::Input;
use keen_notch_io::survey::{MatchingRow, Surveyed, rows_of, survey, write_rows};
use keen_notch_io::table::Table;
use keen_notch_io::view::View;

use crate::args::{self, ReadingArgs, SurveyArgs, SurveyFormat};
use crate::commands::against;
use crate::commands::against::SurveyedTable;
use crate::commands::inputs::{self, InputArgs, can_be_parted, inputs, names_of_part, read_twice, say_replaced};
use crate::commands::outputs::name_of;
use crate::commands::survey_by;
use crate::commands::survey_targets::{Bound, SurveyTargets};
use crate::commands::watch;
use crate::console::{self, Console};
use crate::draw::since::{self, ColumnOutcome, SurveyOutcome};
use crate::draw::survey::{self as draw, SurveyedColumn};
use crate::draw::{rerun, shell, visible};
use crate::exit::Exit;
use crate::failure::Failure;
use crate::progress::Progress;

/// Maximum and minimum number of lines to examine for common blanks.
const MOST_LINES: usize = 1_000;
const LEAST_LINES: usize = 5;

const MOST_ROWS: usize = 40;

pub fn run(args: &SurveyArgs, console: &Console) -> Result<Exit, Failure> {
    if args.watch && args.to == SurveyFormat::Json {
        return Err(Failure::usage("--watch shows changes in words, and not as json", "remove --to json"));
    }
    let once = |known: &RunFiles, console: &Console, last: Option<&SurveyOutcome>| {
        let begun = Begun::read(args, known, console)?;
        let looked = SurveyTargets::read(args, known)?;
        columns(args, begun, &looked, last, console)
    };
    if args.watch {
        return watch::watch(|known, console, last| once(known, console, last).map(|(_, outcome)| outcome));
    }
    let known = RunFiles::default();
    if args.by.is_none() && args.rows_of.is_none() {
        return once(&known, console, None).map(|(exit, _)| exit);
    }
    let Begun { inputs, reading, .. } = Begun::read(args, &known, console)?;
    match (&args.by, &args.rows_of) {
        (Some(by), _) => survey_by::run(args, by, (&inputs, &reading), &known, console)?,
        (None, shape) => {
            let looked = SurveyTargets::read(args, &known)?;
            rows(args, shape.as_deref().unwrap_or_default(), (&inputs, &reading), &looked, console)?;
        }
    }
    Ok(Exit::Done)
}

/// The inputs and outputs of a survey, before the table is opened.
struct Begun {
    inputs: Vec<Input>,
    reading: Reading,
    /// The survey of `--against` with its name.
    base: Option<(SavedSurvey, String)>,
    saved_to: Option<Box<dyn Sink>>,
}

impl Begun {
    fn read(args: &SurveyArgs, known: &RunFiles, console: &Console) -> Result<Begun, Failure> {
        let (inputs, _) = inputs(&args.files, InputArgs::to_read(&args.reading, &ListReading::default()), known, console)?;
        if args.watch {
            watch::can_watch(&inputs)?;
        }
        known.prints()?;
        can_be_parted(&inputs, args.part.part)?;
        let base = args.against.as_deref().map(args::input);
        base.iter().try_for_each(|input| known.reads(input))?;
        let base = base.map(|input| Ok::<_, Failure>((against::base(&input)?, input.name()))).transpose()?;
        let saved_to = args.save.as_deref().map(|path| formats::create(path, known)).transpose()?;
        let all_columns = args.columns.is_empty() && args.pieces.is_empty();
        let parts = args.part.part.map(|part| part.of);
        let reading = Reading { all_columns, parts, ..args.reading.reading(&Default::default())? };
        Ok(Begun { inputs, reading, base, saved_to })
    }
}

/// Surveys columns or pieces. `last` is the outcome of the last run, if the run is watched.
fn columns(
    args: &SurveyArgs,
    Begun { inputs, reading, base, saved_to }: Begun,
    looked: &SurveyTargets,
    last: Option<&SurveyOutcome>,
    console: &Console,
) -> Result<(Exit, SurveyOutcome), Failure> {
    let progress = Progress::of(&inputs, &reading.meter, args.quiet, true);
    let mut table = inputs::table(&inputs, (&args.reading, &reading), console, args.quiet)?;
    let asked = looked.asked();
    let mut looked = table.find(|header| looked.bind(header))?;
    if reading.all_columns {
        leave_out_unreadable(&mut looked, &table, args.quiet, console);
    }
    if let Some(part) = args.part.part {
        table.take_part(part)?;
    }
    let view = looked.view();
    let (titles, nths, words) = (view.titles(&table.header), view.nths(&table.header), view.words(&table.header));
    let in_depth = !args.columns.is_empty() || !args.pieces.is_empty() || titles.len() == 1;
    let depth = if in_depth { Depth::Full } else { Depth::Brief };
    let Surveyed { surveys, inputs: of_rows, rows: read } =
        survey(&mut table, looked.view(), depth, args.sample, args.threads.count())?;
    let kept = surveys.first().map_or(read, |survey| survey.rows);
    drop(progress);
    say_replaced(&reading.meter, console, args.quiet);
    let surveyed: Vec<SurveyedColumn> = titles
        .iter()
        .zip(&words)
        .zip(&surveys)
        .map(|((title, word), survey)| SurveyedColumn {
            title,
            word,
            survey,
            inputs: &of_rows,
            is_piece: !args.pieces.is_empty(),
            fine: args.fine,
        })
        .collect();
    let name = names_of_part(&inputs, args.part.part);
    let mut exit = Exit::Done;
    let mut out = console::out();
    if let Some((saved, base)) = &base {
        let now = SurveyedTable { name: &name, titles: &titles, nths: &nths, surveys: &surveys, inputs: &of_rows };
        exit = against::run(args, (saved, base), now, &asked, console)?;
    } else if args.to == SurveyFormat::Json {
        out.write_all(draw::json(&surveyed, in_depth, args.sample).as_bytes())?;
    } else {
        let lines = if in_depth {
            draw::in_depth(&name, &surveyed, args.sample, console.width)
        } else {
            draw::in_brief(&name, Some(&again(&inputs, &args.reading)), &surveyed, args.sample, console.width)
        };
        for line in lines {
            writeln!(out, "{line}")?;
        }
    }
    out.flush()?;
    if kept < read && !args.quiet {
        console.note(&format!("--keep leaves out {} of {} rows", visible::grouped(read - kept), visible::grouped(read)));
    }
    if let (Some(sink), Some(path)) = (saved_to, &args.save) {
        let saved = saved((&titles, &nths, &surveys), of_rows.rows(read), args.with_examples);
        save(&SavedSurvey { asked, part: args.part.part, ..saved }, sink, path, args.quiet, console)?;
    }
    let named = titles.iter().map(String::as_str).zip(nths).zip(&surveys).filter(|_| args.watch);
    let outcome =
        SurveyOutcome { columns: named.map(|(name, survey)| ColumnOutcome::new(against::label(name), survey)).collect() };
    if let Some(last) = last {
        since::of_surveys(last, &outcome, console.width).iter().for_each(|line| console.note(line));
    }
    if !args.quiet && base.is_none() && last.is_none() {
        propose_widths(&table, &name, &again(&inputs, &args.reading), console)?;
    }
    Ok((exit, outcome))
}

fn propose_widths(table: &Table, name: &str, again: &str, console: &Console) -> Result<(), Failure> {
    if let Some(widths) = proposed_widths(table)? {
        let words = format!("{again} --widths {}", shell::quoted(&widths.to_string()));
        console.note(&visible::without_controls(&format!("{name} may be fixed-width text; to read it as such: {words}")));
    }
    Ok(())
}

fn save(saved: &SavedSurvey, mut sink: Box<dyn Sink>, path: &Path, is_quiet: bool, console: &Console) -> Result<(), Failure> {
    sink.put(draw::saved(saved).as_bytes())?;
    commit_all(vec![sink])?;
    if !is_quiet {
        console.note(&visible::without_controls(&format!("the survey is saved in {}", name_of(path))));
    }
    Ok(())
}

/// Leaves out the columns without text, and says so.
fn leave_out_unreadable(looked: &mut Bound, table: &Table, is_quiet: bool, console: &Console) {
    let Some(columns) = looked.columns_mut() else { return };
    let left_out: Vec<usize> = columns.extract_if(.., |column| !table.format.has_text(*column)).collect();
    let titles = View::Columns(&left_out).titles(&table.header).join(", ");
    if !left_out.is_empty() && !is_quiet {
        let words = format!("skipped, because bytes, arrays and composite types have no text: {titles}");
        console.note(&visible::without_controls(&words));
    }
}

pub fn saved(
    (titles, nths, surveys): (&[String], &[usize], &[Survey]),
    inputs: Vec<summary::Input>,
    with_examples: bool,
) -> SavedSurvey {
    let columns = titles.iter().zip(nths).zip(surveys);
    SavedSurvey {
        version: SAVED_VERSION,
        kind: SavedKind::Survey,
        program: env!("CARGO_PKG_VERSION").to_owned(),
        asked: Vec::new(),
        part: None,
        inputs,
        columns: columns
            .map(|((title, nth), survey)| SavedColumn { nth: *nth, ..SavedColumn::new(title, survey, with_examples) })
            .collect(),
    }
}

/// The fixed-width columns of a text that was read as delimited and has one column, if they can be inferred.
fn proposed_widths(table: &Table) -> Result<Option<Widths>, Failure> {
    let Header::Names(names) = &table.header else { return Ok(None) };
    let ([name], Some(_), false) = (names.as_slice(), table.format.delimiter(), table.is_read_once()) else { return Ok(None) };
    let mut lines = vec![name.clone()];
    table.again()?.each_row(View::Columns(&[0]), |row| {
        lines.push(row.value(0).to_owned());
        if lines.len() < MOST_LINES { ControlFlow::Continue(()) } else { ControlFlow::Break(()) }
    })?;
    let lines: Vec<&str> = lines.iter().map(String::as_str).collect();
    Ok(if lines.len() < LEAST_LINES { None } else { Widths::of_lines(&lines) })
}

fn again(inputs: &[Input], reading: &ReadingArgs) -> String {
    let mut words = vec!["survey".to_owned()];
    words.extend(rerun::files(inputs));
    words.extend(rerun::reading(reading, &Default::default()));
    rerun::command(&words)
}

fn rows(
    args: &SurveyArgs,
    shape: &str,
    (inputs, reading): (&[Input], &Reading),
    looked: &SurveyTargets,
    console: &Console,
) -> Result<(), Failure> {
    read_twice(inputs, "the rows of a shape are found by reading the input twice", "save it as a file and name that")?;
    let progress = Progress::of(inputs, &reading.meter, args.quiet, true);
    let mut table = Table::open(inputs, reading)?;
    let bound = table.find(|header| looked.bind_one(header))?;
    let mut surveys = survey(&mut table, bound.view(), Depth::Full, args.sample, args.threads.count())?.surveys;
    let survey = surveys.pop().unwrap_or_else(|| Survey::new(Depth::Full));
    drop(progress);
    say_replaced(&reading.meter, console, args.quiet);
    let groups = find(&survey, shape)?;
    let mut members = survey.members(&groups);
    let mut table = table.again()?;
    if args.to == SurveyFormat::Text && console.shows_tables {
        let all: u64 = groups.iter().map(|group| group.seen.count).sum();
        return rows_as_table(&mut table, bound.view(), &mut members, all, console);
    }
    let kind = match args.to {
        SurveyFormat::Text => None,
        SurveyFormat::Json => Some(&json_lines::INFO),
    };
    let mut out = standard_output();
    write_rows(&mut table, bound.view(), &mut members, args.sample, FileFormat { kind, compression: None }, &mut *out)?;
    Ok(commit_all(vec![out])?)
}

fn rows_as_table(table: &mut Table, view: View, members: &mut Members, all: u64, console: &Console) -> Result<(), Failure> {
    let mut found: Vec<draw::MatchingRow> = Vec::new();
    rows_of(table, view, members, None, |MatchingRow { input, row, line, value }| {
        found.push(draw::MatchingRow { input, row, line, value: value.to_owned() });
        if found.len() < MOST_ROWS && (found.len() as u64) < all { ControlFlow::Continue(()) } else { ControlFlow::Break(()) }
    })?;
    let mut out = console::out();
    let title = view.titles(&table.header).into_iter().next().unwrap_or_default();
    for line in draw::rows(&title, &table.inputs, &found, console.width) {
        writeln!(out, "{line}")?;
    }
    if all > found.len() as u64 {
        writeln!(out, "{} in all; into a pipe or a file, the list is CSV", visible::counted(all, "row"))?;
    }
    Ok(out.flush()?)
}

/// The groups for a shape on the command line: a displayed one, or otherwise all fine ones that match it.
fn find(survey: &Survey, shape: &str) -> Result<Vec<Group>, Failure> {
    let groups = survey.groups();
    let as_shown = groups.iter().chain(&survey.fine_groups()).find(|group| is_shown_as(&group.shape, shape)).cloned();
    if let Some(group) = as_shown {
        return Ok(vec![group]);
    }
    let shown: Vec<String> = groups.iter().map(|group| group.shape.to_string()).collect();
    let Some(wanted) = Shape::parse(shape) else { return Err(no_shape(shape, &shown)) };
    let with: Vec<Group> = survey.fine_groups().into_iter().filter(|group| wanted.has_shape(&group.shape)).collect();
    if with.is_empty() { Err(no_shape(shape, &shown)) } else { Ok(with) }
}

fn is_shown_as(shape: &Shape, text: &str) -> bool {
    shape.to_string() == text || Shape::parse(text).is_some_and(|read| read == *shape)
}

fn no_shape(shape: &str, shown: &[String]) -> Failure {
    let help = match words::nearest(shape, shown.iter().map(String::as_str)) {
        Some(near) => format!("did you mean {near}? The survey of the column shows its shapes"),
        None => "write it as the survey of the column shows it, such as U3-d8-X4".to_owned(),
    };
    Failure::usage(format!("no value of the column has the shape {shape}"), help)
}
