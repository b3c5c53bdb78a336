//! A row and a piece, step by step.

use keen_notch_core::batch::Batch;
use keen_notch_core::carving::{BatchResults, Carving};
use keen_notch_core::column::Header;
use keen_notch_core::explain;
use keen_notch_core::gauge::Gauge;
use keen_notch_core::piece::{Piece, Source};

use super::ruler::{self, Mark};
use super::style::{self, paint};
use super::{long, steps, visible};

const MOST_TEXT: usize = 200;

#[derive(Clone, Copy)]
pub struct ExplainedRow<'a> {
    pub batch: &'a Batch<'a>,
    pub batch_results: &'a BatchResults,
    /// The row, as an index of the batch.
    pub index: usize,
}

/// The value of a piece in a row, on the ruler, and the effect of each step.
pub fn piece(
    (index, piece): (usize, &Piece),
    carving: &Carving,
    at: ExplainedRow,
    header: &Header,
    width: usize,
) -> Vec<String> {
    let (value, batch_results) = (|column: usize| at.batch.value(column, at.index), at.batch_results);
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
    match (&piece.source, carving.trace(index, at.batch, at.index), carving.column(index)) {
        (Source::Take { phrase, .. }, Some(trace), Some(column)) => {
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
