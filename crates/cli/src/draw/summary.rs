//! The summary of a run: the states of each piece.

use anstyle::Style;
use keen_notch_core::summary::{PieceCounts, Summary};
use keen_notch_core::tally::Tally;

use super::style::{self, paint};
use super::{table, visible};

/// A count of the summary: its heading, its source in a tally, and its meaning.
struct Count {
    head: &'static str,
    of: fn(&Tally) -> u64,
    means: &'static str,
}

const COUNTS: [Count; 8] = [
    Count {
        head: "short",
        of: |tally| tally.short,
        means: "the value ended before the piece was complete, or a part of a built piece is missing; the available text was kept",
    },
    Count { head: "long", of: |tally| tally.long, means: "wider than the padding; kept unchanged" },
    Count { head: "blank", of: |tally| tally.blank, means: "the value was empty or white space" },
    Count {
        head: "missing",
        of: |tally| tally.missing,
        means: "the value has text, but the phrase found no result, so the cell is blank; `or` adds an alternative",
    },
    Count { head: "not asked", of: |tally| tally.not_asked, means: "`when` does not hold for the row, so the cell is blank" },
    Count { head: "fallback", of: |tally| tally.fallback, means: "taken from a branch after `or`" },
    Count { head: "warned", of: |tally| tally.warned, means: "failed a check under `warn`" },
    Count { head: "faulted", of: |tally| tally.faulted, means: "failed a check, or had more results than columns" },
];

/// The counts of a tally with their names, filled results first.
pub fn counts(tally: &Tally) -> impl Iterator<Item = (&'static str, u64)> {
    std::iter::once(("filled", tally.filled)).chain(COUNTS.iter().map(|count| (count.head, (count.of)(tally))))
}

/// Draws the filled values of each piece and the states that occurred, and explains these. If the table is too wide, it has no source
/// columns.
pub fn draw(summary: &Summary, width: usize) -> Vec<String> {
    if summary.pieces.is_empty() {
        return Vec::new();
    }
    let occurs = |count: &&Count| summary.pieces.iter().any(|piece| (count.of)(&piece.tally) > 0);
    let counts: Vec<&Count> = COUNTS.iter().filter(occurs).collect();
    let drawn = [true, false].map(|with_source| draw_counts(summary, &counts, with_source));
    let narrowest = drawn.len() - 1;
    let drawn = &drawn[drawn.iter().position(|drawn| table::width(drawn) <= width).unwrap_or(narrowest)];
    let mut lines = vec![String::new()];
    lines.extend(table::lines(drawn));
    let meaning = counts.into_iter().map(|count| format!("{}: {}", count.head, count.means));
    let wrapped = meaning.flat_map(|line| {
        textwrap::wrap(&line, textwrap::Options::new(width).subsequent_indent("  "))
            .into_iter()
            .map(String::from)
            .collect::<Vec<_>>()
    });
    lines.extend(wrapped.map(|line| paint(style::QUIET, line)));
    lines
}

fn draw_counts(summary: &Summary, counts: &[&Count], with_source: bool) -> comfy_table::Table {
    let counts = || counts.iter();
    let source = with_source.then_some("from");
    let heads = ["piece"].into_iter().chain(source).chain(["filled"]).chain(counts().map(|count| count.head));
    let mut drawn = table::table(heads, 1 + usize::from(with_source));
    for PieceCounts { name, column, tally } in &summary.pieces {
        let mut row = vec![table::cell(visible::value(name), style::HEAD)];
        if with_source {
            row.push(table::cell(visible::value(column.as_deref().unwrap_or("(built)")), Style::new()));
        }
        row.push(table::cell(visible::grouped(tally.filled), Style::new()));
        row.extend(counts().map(|count| match (count.of)(tally) {
            0 => table::cell("0", style::QUIET),
            n => table::cell(visible::grouped(n), style::LOOK),
        }));
        drawn.add_row(row);
    }
    drawn
}

pub fn json(summary: &Summary) -> String {
    visible::json(&serde_json::to_value(summary).unwrap_or_default())
}
