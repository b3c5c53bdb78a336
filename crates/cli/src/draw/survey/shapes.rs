//! The shapes of a column, with bars and examples.

use std::collections::BTreeSet;

use anstyle::Style;
use keen_notch_core::survey::{Group, Kinds};
use keen_notch_io::inputs::Inputs;

use super::SurveyedColumn;
use crate::draw::rows::{self, in_words};
use crate::draw::style::{self, paint};
use crate::draw::{bar, table, visible};

const MOST_SHAPES: usize = 16;
const MOST_FINE: usize = 1000;
const BAR: usize = 16;
const NARROW_BAR: usize = 8;
const MOST_SHAPE_WIDTH: usize = 34;
const LEAST_EXAMPLE_WIDTH: usize = 18;

pub fn draw(column: &SurveyedColumn, width: usize) -> Vec<String> {
    let survey = column.survey;
    let groups = if column.fine { survey.fine_groups() } else { survey.groups() };
    let most = if column.fine { MOST_FINE } else { MOST_SHAPES };
    let shown = &groups[..groups.len().min(most)];
    let widest = shown.iter().map(|group| visible::width(&group.shape.to_string())).max().unwrap_or(0);
    let mut lines = if widest <= MOST_SHAPE_WIDTH { side_by_side(shown, column, width) } else { stacked(shown, column, width) };
    lines.extend(the_rest(&groups[shown.len()..], column));
    lines.push(String::new());
    let symbols: String = shown.iter().flat_map(|group| group.shape.symbols().collect::<Vec<_>>()).collect();
    lines.extend(legend(&symbols, width));
    lines
}

fn side_by_side(groups: &[Group], SurveyedColumn { survey, inputs, .. }: &SurveyedColumn, width: usize) -> Vec<String> {
    let draw = |rows: RowsOf, space: usize| {
        let mut drawn = table::table(["shape", "values", "share", "", "such as", ""], usize::MAX);
        for index in 1..3 {
            table::align_right(&mut drawn, index);
        }
        for group in groups {
            drawn.add_row(vec![
                table::cell(group.shape.to_string(), style::HEAD),
                table::cell(visible::grouped(group.seen.count), Style::new()),
                table::cell(visible::share(group.seen.count, survey.values()), Style::new()),
                table::cell(format!("{:<BAR$}", bar::lying(group.seen.count, survey.values(), BAR)), Style::new()),
                table::cell(visible::clipped(&visible::value(&group.example), space), Style::new()),
                table::cell(rows(group, inputs), style::QUIET),
            ]);
        }
        drawn
    };
    // If examples would be shortened, only one row of each shape is named.
    let rows: RowsOf = if table::width(&draw(rows_of, LEAST_EXAMPLE_WIDTH)) > width { first_row } else { rows_of };
    table::fitted(width, 12, |space| draw(rows, space))
}

fn stacked(groups: &[Group], SurveyedColumn { survey, inputs, .. }: &SurveyedColumn, width: usize) -> Vec<String> {
    table::fitted(width, 20, |space| {
        let mut drawn = table::table(["values", "share", "", "shape, and such as"], usize::MAX);
        for index in 0..2 {
            table::align_right(&mut drawn, index);
        }
        for group in groups {
            let bar = bar::lying(group.seen.count, survey.values(), NARROW_BAR);
            drawn.add_row(vec![
                table::cell(visible::grouped(group.seen.count), Style::new()),
                table::cell(visible::share(group.seen.count, survey.values()), Style::new()),
                table::cell(format!("{bar:<NARROW_BAR$}"), Style::new()),
                table::cell(visible::clipped(&group.shape.to_string(), space), style::HEAD),
            ]);
            let example = format!("{}: {}", rows_of(group, inputs), visible::value(&group.example));
            let blank = || table::cell("", Style::new());
            drawn.add_row(vec![blank(), blank(), blank(), table::cell(visible::clipped(&example, space), style::QUIET)]);
        }
        drawn
    })
}

/// Frequent shapes name one row, rare ones their first rows.
fn rows_of(group: &Group, inputs: &Inputs) -> String {
    match group.seen.count {
        count if count <= 5 => in_words(inputs, &group.seen),
        _ => first_row(group, inputs),
    }
}

fn first_row(group: &Group, inputs: &Inputs) -> String {
    format!("row {}", group.seen.rows.first().map_or_else(String::new, |row| rows::number(inputs, *row)))
}

type RowsOf = fn(&Group, &Inputs) -> String;

fn the_rest(rest: &[Group], column: &SurveyedColumn) -> Vec<String> {
    let mut lines = Vec::new();
    if !rest.is_empty() {
        let values: u64 = rest.iter().map(|group| group.seen.count).sum();
        let more = if column.fine { "" } else { "; --fine shows each" };
        lines.push(format!(
            "and {} in {}{more}",
            visible::counted(rest.len() as u64, "more shape"),
            visible::counted(values, "value")
        ));
    }
    let others = column.survey.other_shapes();
    if others.count > 0 {
        lines.push(format!(
            "and {} with shapes of more parts, which are counted together",
            visible::counted(others.count, "value")
        ));
    } else if column.survey.shapes_overflowed() {
        lines.push(paint(
            style::QUIET,
            "more shapes than can be counted one by one: where very many have the same marks between their words, \
             they are counted together",
        ));
    }
    lines
}

/// The meaning of the letters in some shapes.
pub fn legend(symbols: &str, width: usize) -> Vec<String> {
    let symbols: BTreeSet<char> = symbols.chars().collect();
    let order = "UdLAXxW";
    let known = order.chars().filter(|symbol| symbols.contains(symbol));
    // A letter and its meaning stay on one line.
    let words: Vec<String> =
        known.map(|symbol| format!("{symbol} {}", Kinds::meaning(symbol)).replace(' ', "\u{a0}")).collect();
    if words.is_empty() {
        return Vec::new();
    }
    let text = format!("{}; any other character is itself", words.join(", "));
    textwrap::wrap(&text, width).into_iter().map(|line| paint(style::QUIET, line.replace('\u{a0}', " "))).collect()
}
