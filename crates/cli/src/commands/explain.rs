//! `explain`: a cut list in words, or its effect on one row, step by step.

use std::io::Write;
use std::ops::ControlFlow;

use keen_notch_core::carving::Carving;
use keen_notch_core::column::Header;
use keen_notch_core::cutlist::Reading as ListReading;
use keen_notch_core::explain;
use keen_notch_core::gauge::Gauge;
use keen_notch_core::piece::{Piece, Source};
use keen_notch_core::text::unit::Unit;
use keen_notch_io::files::RunFiles;
use keen_notch_io::table::{RowAt, Table};
use keen_notch_io::view::View;

use crate::args::{ExplainArgs, FormatOrDatabase};
use crate::commands::run::{InputArgs, inputs, say_replaced};
use crate::console::{self, Console};
use crate::draw::ruler::{self, Mark};
use crate::draw::style::{self, paint};
use crate::draw::{long, rows, steps, visible};
use crate::failure::Failure;
use crate::rules::{Pieces, RuleArgs};

const MOST_TEXT: usize = 200;

pub fn run(args: &ExplainArgs, console: &Console) -> Result<(), Failure> {
    // The first path is a cut list, unless options give the rules.
    let is_said = !args.lists.is_empty() || !args.pieces.is_empty() || !args.layouts.is_empty();
    let (lists, rest) = if is_said { (&args.lists[..], &args.paths[..]) } else { args.paths.split_at(1) };
    let is_database = matches!(args.reading.from, Some(FormatOrDatabase::Database(_)));
    if let [_, second, ..] = rest {
        let message = format!("{} is one file too many", second.display());
        return Err(Failure::usage(message, "name one table: explain FILE -l CUTLIST --row N"));
    }
    let column = args.column.as_deref();
    let known = RunFiles::default();
    known.prints()?;
    let allow_outside = args.allow_outside;
    let rules = RuleArgs { lists, layouts: &args.layouts, pieces: &args.pieces, column, allow_outside, ..RuleArgs::default() };
    let pieces = Pieces::read(&rules, &known)?;
    let lines = match rest.first() {
        None if !is_database && args.row.or(args.line).is_some() => {
            return Err(Failure::usage("no table given for the row", "name it: explain CUTLIST FILE --row N"));
        }
        None if !is_database => list(&pieces, console.width),
        file => {
            let ragged = args.ragged.or(pieces.reading.ragged);
            let reading = args.reading.reading(&ListReading { ragged, ..pieces.reading.clone() })?;
            let mut table = super::run::table(
                &inputs(
                    file.map(std::slice::from_ref).unwrap_or_default(),
                    InputArgs::to_read(&args.reading, &pieces.reading),
                    &known,
                    console,
                )?
                .0,
                (&args.reading, &reading),
                console,
                false,
            )?;
            let carving = table.find(|header| pieces.bind(column, header))?;
            let lines = row(args, &pieces, &carving, &mut table, console.width)?;
            say_replaced(&reading.meter, console, false);
            lines
        }
    };
    let mut out = console::out();
    for line in lines {
        writeln!(out, "{line}")?;
    }
    Ok(out.flush()?)
}

fn list(pieces: &Pieces, width: usize) -> Vec<String> {
    let mut lines = Vec::new();
    if let Some(title) = &pieces.title {
        lines.push(paint(style::HEAD, visible::without_controls(title)));
    }
    let mut about = visible::counted(pieces.wanted.pieces.len() as u64, "piece");
    if let Some(main) = pieces.main() {
        about += &format!(", from the column {main} unless another is named");
    }
    about += match pieces.unit {
        Unit::Characters => "",
        Unit::Codepoints => "; positions and widths count code points",
        Unit::Bytes => "; positions and widths count bytes",
    };
    lines.push(visible::without_controls(&about));
    let wrap = |sentence: &str| {
        let options = textwrap::Options::new(width).initial_indent("  ").subsequent_indent("    ");
        textwrap::wrap(&visible::without_controls(sentence), options).into_iter().map(String::from).collect::<Vec<_>>()
    };
    let rest = explain::rest(&pieces.wanted);
    if !rest.is_empty() {
        lines.push(String::new());
        lines.extend(rest.iter().flat_map(|sentence| wrap(sentence)));
    }
    for piece in &pieces.wanted.pieces {
        lines.push(String::new());
        lines.push(head(piece));
        lines.extend(explain::piece(piece).iter().flat_map(|sentence| wrap(sentence)));
        if let Source::Take { phrase, .. } = &piece.source {
            lines.push(paint(style::QUIET, format!("  in the list: {}", visible::value(phrase.source.trim()))));
        }
    }
    lines
}

fn head(piece: &Piece) -> String {
    let from = match &piece.source {
        Source::Take { of: Some(of), .. } => format!("  from {of}"),
        Source::Take { of: None, .. } => String::new(),
        Source::Field { .. } => "  from a layout".to_owned(),
        Source::Build { .. } => "  built".to_owned(),
    };
    format!("{}{}", paint(style::HEAD, visible::value(&piece.name)), paint(style::QUIET, visible::without_controls(&from)))
}

fn row(
    args: &ExplainArgs,
    pieces: &Pieces,
    carving: &Carving,
    table: &mut Table,
    width: usize,
) -> Result<Vec<String>, Failure> {
    let (header, format) = (table.header.clone(), table.format.clone());
    let mut count = 0_u64;
    let mut lines = Vec::new();
    let mut last_line = 0;
    table.each_row(View::Pieces(carving), |at| {
        count += 1;
        let is_it = match (args.row, args.line) {
            (_, Some(wanted)) => {
                last_line = at.lines.1;
                (at.lines.0..=last_line).contains(&wanted)
            }
            (row, None) => count == row.unwrap_or(1),
        };
        if !is_it {
            return ControlFlow::Continue(());
        }
        lines.push(paint(style::HEAD, rows::on_line(&count.to_string(), at.lines.0, &format)));
        for (index, piece) in pieces.wanted.pieces.iter().enumerate() {
            lines.push(String::new());
            lines.extend(piece_of_row(index, piece, carving, at, &header, width));
        }
        ControlFlow::Break(())
    })?;
    if !lines.is_empty() {
        return Ok(lines);
    }
    Err(match args.line {
        Some(wanted) => Failure::usage(
            format!("no row is on line {wanted}: the last one ends on line {last_line}"),
            "give the line of a row: this is the header's",
        ),
        None => Failure::usage(
            format!("no row {}: the table has {}", args.row.unwrap_or(1), visible::counted(count, "row")),
            "rows are counted from 1, without the header",
        ),
    })
}

fn piece_of_row(index: usize, piece: &Piece, carving: &Carving, at: &RowAt, header: &Header, width: usize) -> Vec<String> {
    let (value, batch_results) = (|column: usize| at.value(column), at.batch_results);
    let from = carving.column(index).map_or("built".to_owned(), |column| format!("from {}", header.title(column)));
    let mut lines =
        vec![format!("{}  {}", paint(style::HEAD, visible::value(&piece.name)), paint(style::QUIET, visible::value(&from)))];
    if let (Some(column), Some(when)) = (carving.fails_when(index, at.batch, at.index), &piece.when) {
        let condition = explain::condition(&keen_notch_core::phrase::ast::Condition {
            negated: !when.condition.negated,
            ..when.condition.clone()
        });
        let words = format!(
            "not taken: {} {condition} (\"{}\")",
            header.title(column),
            visible::clipped_value(value(column), MOST_TEXT)
        );
        lines.extend(looked_at(&words, width));
        return lines;
    }
    match (&piece.source, carving.program(index), carving.column(index)) {
        (Source::Take { phrase, .. }, Some(plan), Some(column)) => {
            let trace = plan.trace(value(column));
            let names = steps::names(&trace);
            if value(column).is_empty() {
                lines.push(paint(style::QUIET, "the value is blank"));
            }
            if value(column).len() > long::VERY_LONG {
                let taken = trace.taken.first().cloned().unwrap_or(0..0);
                lines.extend(long::draw(&piece.name, value(column), &taken, width));
            } else {
                let gauge = Gauge::new(value(column));
                lines.extend(ruler::draw_around(&gauge, &steps::marks(&gauge, &trace, &names), width));
            }
            lines.extend(steps::draw(&phrase.source, &trace));
            lines.push(if names.len() == 1 {
                format!("{} {}", visible::value(phrase.source.trim()), steps::result(&trace))
            } else {
                steps::result(&trace)
            });
        }
        _ => {
            if let Source::Field { layout, .. } = &piece.source
                && let Some(violation) = carving.layout_violation(*layout, at.batch, batch_results, at.index)
            {
                lines.extend(looked_at(&format!("the value does not fit its layout: {}", violation.detail), width));
                return lines;
            }
            let results = batch_results.piece(index);
            let item = results.items(at.index).next();
            if let (Some(column), Some(item)) = (carving.column(index), item)
                && let values = at.batch.column(column)
                && let Some(place) = results.place(at.index, item, values, results.texts(values).get(item))
            {
                if value(column).len() > long::VERY_LONG {
                    lines.extend(long::draw(&piece.name, value(column), &place, width));
                } else {
                    let gauge = Gauge::new(value(column));
                    let mark = Mark::taken(&piece.name, std::iter::once(gauge.covered(&place)).collect());
                    lines.extend(ruler::draw_around(&gauge, &[mark], width));
                }
            }
            let text = item.map_or("", |item| carving.texts(index, at.batch, batch_results).get(item));
            let words: Vec<_> = explain::piece(piece).into_iter().take(1).collect();
            lines.push(visible::without_controls(&words.concat()));
            lines.push(format!(
                "→ \"{}\"  {}",
                visible::clipped_value(text, MOST_TEXT),
                paint(style::TAKEN, results.state(at.index))
            ));
        }
    }
    lines
}

fn looked_at(words: &str, width: usize) -> Vec<String> {
    let words = visible::without_controls(words);
    let options = textwrap::Options::new(width).subsequent_indent("  ");
    textwrap::wrap(&words, options).iter().map(|line| paint(style::LOOK, line)).collect()
}
