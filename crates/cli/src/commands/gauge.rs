//! `gauge`: a value on the ruler.

use keen_notch_core::cutlist::Reading as ListReading;
use std::io::{self, BufRead as _, BufReader, IsTerminal as _, Read as _, Write};
use std::ops::ControlFlow;

use keen_notch_core::column::ColumnRef;
use keen_notch_core::gauge::{Delimiter, Gauge, Run};
use keen_notch_core::phrase::Phrase;
use keen_notch_core::piece::{Piece, Source};
use keen_notch_core::program::{Program, Setting, Trace};
use keen_notch_core::text::unit::Unit;

use keen_notch_io::files::RunFiles;
use keen_notch_io::source::input::Input;
use keen_notch_io::view::View;

use crate::args::{self, GaugeArgs};
use crate::commands::inputs::{self, InputArgs, inputs, say_replaced};
use crate::console::{self, Console};
use crate::draw::ruler::{self, Mark};
use crate::draw::style::{self, paint};
use crate::draw::{comparison, long, steps, table, visible};
use crate::failure::Failure;
use crate::rules::{Pieces, RuleArgs, today};

/// Lines of characters with full numbers, before the ruler becomes denser.
const MOST_WIDE: usize = 3;
const MOST_RUN: usize = 60;
/// With more runs, several share a line.
const MOST_RUN_LINES: usize = 16;

/// More of standard input is not read, in bytes.
const MOST_INPUT: u64 = 16 << 20;

const MOST_SECTION: usize = 20;
const MOST_SECTIONS: usize = 160;

/// Limits for a long value without `--all`: ruler lines, runs, delimiters, and positions.
const MOST_RULERS: usize = 4;
const MOST_RUNS: usize = 60;
const MOST_DELIMITERS: usize = 12;
const MOST_PLACES: usize = 20;

struct GaugePhrase {
    source: String,
    name: String,
    plan: Program,
}

struct GaugeValue {
    title: String,
    value: String,
    /// The number of its row, from 1.
    row: u64,
}

pub fn run(args: &GaugeArgs, console: &Console) -> Result<(), Failure> {
    let phrases = args.pieces.iter().map(|text| shown(text, args.pieces.len() == 1)).collect::<Result<Vec<_>, _>>()?;
    let values = values(args, console)?;
    let mut out = console::out();
    if let (None, true, [first, second]) = (&args.file, phrases.is_empty(), values.as_slice()) {
        for line in comparison::draw(&first.value, &second.value, console.width, args.all) {
            writeln!(out, "{line}")?;
        }
        writeln!(out)?;
    }
    for (index, value) in values.iter().enumerate() {
        if index > 0 {
            writeln!(out)?;
        }
        for line in draw(value, &phrases, console.width, args.all) {
            writeln!(out, "{line}")?;
        }
    }
    out.flush()?;
    Ok(())
}

/// A phrase, or a piece as for `carve`. If it is not `alone`, its words identify it.
fn shown(text: &str, alone: bool) -> Result<GaugePhrase, Failure> {
    let (name, phrase) = match (Phrase::parse(text), Piece::parse(text, 0)) {
        (Ok(phrase), _) => (if alone { "taken" } else { text.trim() }.to_owned(), phrase),
        (Err(_), Ok(Piece { name, source: Source::Take { phrase, .. }, .. })) => (name, phrase),
        (Err(error), _) => return Err(Failure::phrase(text, error)),
    };
    // Files are named from the current folder.
    let files = Pieces::read(&RuleArgs::default(), &RunFiles::default())?;
    let setting = Setting { files: &files, today: &|| Some(today()), ..Setting::new(Unit::Characters) };
    let plan = Program::with(&phrase, &setting).map_err(|error| Failure::phrase(&phrase.source, error))?;
    Ok(GaugePhrase { source: phrase.source, name, plan })
}

fn values(args: &GaugeArgs, console: &Console) -> Result<Vec<GaugeValue>, Failure> {
    if args.file.is_none() && args.values.is_empty() {
        return lines_of_input(args.rows);
    }
    let Some(file) = &args.file else {
        let value = |value: &String| GaugeValue { title: String::new(), value: value.clone(), row: 1 };
        return Ok(args.values.iter().map(value).collect());
    };
    let known = RunFiles::default();
    known.prints()?;
    let (inputs, _) =
        inputs(std::slice::from_ref(file), InputArgs::to_read(&args.reading, &ListReading::default()), &known, console)?;
    let reading = args.reading.reading(&Default::default())?;
    let mut table = inputs::table(&inputs, (&args.reading, &reading), console, false)?;
    let named = args::column(args.column.as_deref());
    let column = table.find(|header| Ok::<_, Failure>(ColumnRef::find_or_only(named.as_ref(), header)?))?;
    let title = table.header.title(column);
    let mut values = Vec::new();
    if args.rows > 0 {
        table.each_row(View::Columns(&[column]), |row| {
            if args.row.is_some_and(|wanted| row.place.1 < wanted) {
                return ControlFlow::Continue(());
            }
            let title = format!("row {}, {title}: ", visible::grouped(row.number));
            values.push(GaugeValue { title, value: row.value(column).to_owned(), row: row.place.1 });
            let most = if args.row.is_some() { 1 } else { args.rows };
            if values.len() < most { ControlFlow::Continue(()) } else { ControlFlow::Break(()) }
        })?;
    }
    if let (Some(wanted), true) = (args.row, values.is_empty()) {
        let message = format!("{} has no row {wanted}", inputs.first().map_or_else(String::new, Input::name));
        return Err(Failure::usage(message, "rows are numbered from 1, without the header"));
    }
    say_replaced(&reading.meter, console, false);
    Ok(values)
}

/// The first lines of standard input.
fn lines_of_input(most: usize) -> Result<Vec<GaugeValue>, Failure> {
    if io::stdin().is_terminal() {
        return Err(Failure::usage(
            "gauge needs a value",
            "write one, such as gauge 'GRP-00041273-S7K2', or a file with --file",
        ));
    }
    let mut input = BufReader::new(io::stdin().lock().take(MOST_INPUT));
    let mut lines: Vec<String> = Vec::new();
    let mut line = Vec::new();
    while lines.len() < most && input.read_until(b'\n', &mut line)? > 0 {
        if input.get_ref().limit() == 0 && line.last() != Some(&b'\n') {
            return Err(Failure::usage("standard input is too long for the ruler", "gauge shows values of up to 16 MiB"));
        }
        let text = String::from_utf8(std::mem::take(&mut line)).map_err(|error| {
            let byte = error.utf8_error().valid_up_to() + 1;
            let message = format!("line {} of standard input is not UTF-8, from byte {byte}", lines.len() + 1);
            Failure::usage(message, "read it as a file, with --encoding: gauge --file -")
        })?;
        let text = text.strip_suffix('\n').unwrap_or(&text);
        lines.push(text.strip_suffix('\r').unwrap_or(text).to_owned());
    }
    let title = |number: usize| if lines.len() > 1 { format!("line {number}: ") } else { String::new() };
    let value = |(number, line): (usize, &String)| GaugeValue { title: title(number), value: line.clone(), row: number as u64 };
    Ok((1..).zip(&lines).map(value).collect())
}

fn draw(of: &GaugeValue, phrases: &[GaugePhrase], width: usize, all: bool) -> Vec<String> {
    let GaugeValue { title, value, row } = of;
    if value.len() > long::VERY_LONG && !all {
        return draw_long(of, phrases, width);
    }
    let gauge = Gauge::new(value);
    let mut lines = vec![headline(title, &gauge, width)];
    let traces: Vec<(&GaugePhrase, Trace)> = phrases.iter().map(|shown| (shown, shown.plan.trace_row(value, *row))).collect();
    if !value.is_empty() {
        let marks: Vec<_> = traces
            .iter()
            .map(|(shown, trace)| Mark::taken(&shown.name, trace.taken.iter().map(|bytes| gauge.covered(bytes)).collect()))
            .collect();
        let drawn = ruler::draw(&gauge, &marks, width, MOST_WIDE);
        // A phrase can mark any part.
        let is_whole = all || !marks.is_empty();
        let end = drawn.iter().enumerate().filter(|(_, line)| line.is_empty()).nth(MOST_RULERS - 1).map(|(at, _)| at);
        match end.filter(|_| !is_whole) {
            Some(end) => {
                lines.extend(drawn.into_iter().take(end));
                lines.push(paint(style::QUIET, "and so on; --all shows all of it"));
            }
            None => lines.extend(drawn),
        }
    }
    if visible::value(value).contains(visible::AND_MORE) && !value.contains(visible::AND_MORE) {
        let words = format!("{} stands for the further code points of a character", visible::AND_MORE);
        lines.push(paint(style::QUIET, words));
    }
    if !traces.is_empty() {
        for (shown, trace) in &traces {
            lines.push(String::new());
            lines.extend(steps::draw(&shown.source, trace));
            lines.push(format!("{} {}", visible::without_controls(shown.source.trim()), steps::result(trace)));
        }
    }
    if !value.is_empty() {
        lines.extend(runs(&gauge, width, all));
        lines.extend(delimiters(&gauge, width, all));
    }
    if !gauge.oddities.is_empty() {
        lines.push(String::new());
        lines.push(paint(style::HEAD, "spaces, invisible and look-alike characters"));
        for oddity in &gauge.oddities {
            let place = span(oddity.first - 1..oddity.last);
            lines.push(format!("{place:>9}  {}", paint(style::UNSEEN, &oddity.what)));
        }
    }
    lines
}

fn draw_long(GaugeValue { title, value, row }: &GaugeValue, phrases: &[GaugePhrase], width: usize) -> Vec<String> {
    let bytes = visible::counted(value.len() as u64, "byte");
    let mut lines = vec![paint(style::HEAD, visible::without_controls(&format!("{title}a value of {bytes}")))];
    if phrases.is_empty() {
        lines.extend(long::draw("it begins", value, &(0..0), width).pop());
        lines.extend(long::draw("it ends", value, &(value.len()..value.len()), width).pop());
    }
    for shown in phrases {
        let trace = shown.plan.trace_row(value, *row);
        if let Some(taken) = trace.taken.first() {
            lines.extend(long::draw(&shown.name, value, taken, width));
        }
        lines.push(format!("{} {}", visible::without_controls(shown.source.trim()), steps::result(&trace)));
    }
    lines.push(paint(style::QUIET, "it is too long for a ruler; --all shows all of it"));
    lines
}

/// The value and its sizes in one line. The value is shortened to fit; the ruler shows all of it.
fn headline(title: &str, gauge: &Gauge, width: usize) -> String {
    let (characters, code_points, bytes) = (gauge.characters.len(), gauge.code_points, gauge.value.len());
    let mut sizes = visible::counted(characters as u64, "character");
    if code_points != characters {
        sizes += &format!(", {}", visible::counted(code_points as u64, "code point"));
    }
    if bytes != characters {
        sizes += &format!(", {}", visible::counted(bytes as u64, "byte"));
    }
    if characters == 0 {
        sizes += ": a blank value";
    }
    let title = visible::without_controls(title);
    let space = width.saturating_sub(visible::width(&title) + visible::width(&sizes) + 2).max(20);
    let value = visible::clipped_value(gauge.value, space);
    format!("{title}{}  {}", paint(style::HEAD, value), paint(style::QUIET, sizes))
}

fn span(range: std::ops::Range<usize>) -> String {
    if range.len() == 1 { range.end.to_string() } else { format!("{} to {}", range.start + 1, range.end) }
}

fn runs(gauge: &Gauge, width: usize, all: bool) -> Vec<String> {
    let text = |run: &Run| visible::clipped(&visible::value(&gauge.value[bytes(gauge, &run.characters)]), MOST_RUN);
    let mut lines = vec![String::new()];
    if gauge.runs.len() <= MOST_RUN_LINES {
        let mut drawn = table::table(["run", "kind", "positions", "length", "text"], usize::MAX);
        for (index, run) in gauge.runs.iter().enumerate() {
            let (place, length) = (span(run.characters.clone()), run.characters.len());
            drawn.add_row([(index + 1).to_string(), run.kind.to_string(), place, length.to_string(), text(run)]);
        }
        lines.extend(table::lines(&drawn));
        return lines;
    }
    lines.push(paint(style::HEAD, "runs: which, positions, text"));
    let most = if all { usize::MAX } else { MOST_RUNS };
    let entries = gauge.runs.iter().enumerate().take(most);
    let entries: Vec<_> =
        entries.map(|(index, run)| format!("{:>3}  {:>10}  {}", index + 1, span(run.characters.clone()), text(run))).collect();
    let widest = entries.iter().map(|entry| visible::width(entry)).max().unwrap_or(1) + 3;
    for line in entries.chunks((width / widest).max(1)) {
        let cells = line.iter().map(|entry| format!("{entry}{}", " ".repeat(widest - visible::width(entry))));
        lines.push(cells.collect::<String>().trim_end().to_owned());
    }
    lines.extend(more(gauge.runs.len().saturating_sub(most), "run"));
    lines
}

fn more(count: usize, of: &str) -> Option<String> {
    let words = || format!("and {}; --all shows all of them", visible::counted(count as u64, &format!("more {of}")));
    (count > 0).then(|| paint(style::QUIET, words()))
}

fn bytes(gauge: &Gauge, characters: &std::ops::Range<usize>) -> std::ops::Range<usize> {
    gauge.characters[characters.start].start..gauge.characters[characters.end - 1].end
}

fn delimiters(gauge: &Gauge, width: usize, all: bool) -> Vec<String> {
    if gauge.delimiters.is_empty() {
        return Vec::new();
    }
    let mut drawn = table::table(["delimiter", "from left", "from right", "sections"], usize::MAX);
    let count = gauge.characters.len();
    let (most, most_places) = if all { (usize::MAX, usize::MAX) } else { (MOST_DELIMITERS, MOST_PLACES) };
    for delimiter in gauge.delimiters.iter().take(most) {
        let places = delimiter.places.iter().take(most_places);
        let mut from_left: Vec<_> = places.clone().map(usize::to_string).collect();
        let mut from_right: Vec<_> = places.map(|place| format!("-{}", count + 1 - place)).collect();
        if delimiter.places.len() > most_places {
            [&mut from_left, &mut from_right].into_iter().for_each(|places| places.push("…".to_owned()));
        }
        let character = visible::value(delimiter.character);
        drawn.add_row([character, from_left.join(" "), from_right.join(" "), sections(gauge, delimiter)]);
    }
    drawn.set_content_arrangement(comfy_table::ContentArrangement::Dynamic).set_width(u16::try_from(width).unwrap_or(u16::MAX));
    let mut lines = vec![String::new()];
    lines.extend(table::lines(&drawn));
    lines.extend(more(gauge.delimiters.len().saturating_sub(most), "delimiter"));
    lines
}

fn sections(gauge: &Gauge, delimiter: &Delimiter) -> String {
    let texts = delimiter.sections.iter().map(|range| match &gauge.value[range.clone()] {
        "" => "(empty)".to_owned(),
        section => visible::clipped(&visible::value(section), MOST_SECTION),
    });
    let texts: Vec<_> = texts.collect();
    visible::clipped(&format!("{}: {}", texts.len(), texts.join(" | ")), MOST_SECTIONS)
}
