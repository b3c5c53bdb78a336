//! The readable survey: tables with bars, at most 100 columns wide.

pub mod against;
mod bars;
pub mod dates;
mod frequent;
pub mod groups;
mod json;
pub mod numbers;
mod positions;
mod shapes;

use anstyle::Style;
use keen_notch_core::survey::{Count, Delimiter, Survey};
use keen_notch_io::inputs::Inputs;

pub use json::{saved, text as json};

use super::rows::in_words;
use super::shell::quoted;
use super::style::{self, paint};
use super::{table, visible};

const MOST_WIDTH: usize = 100;
const MOST_LENGTHS: usize = 10;
const MOST_DELIMITERS: usize = 8;
const MOST_SECTIONS: usize = 4;

#[derive(Debug, Clone, Copy)]
pub struct SurveyedColumn<'a> {
    pub title: &'a str,
    /// The title, or what else names the column on a command line.
    pub word: &'a str,
    pub survey: &'a Survey,
    pub inputs: &'a Inputs,
    /// Whether it is a piece, which is blank if it is missing.
    pub is_piece: bool,
    pub fine: bool,
}

/// A line for each column. `again` is the given command, if it can be repeated.
pub fn in_brief(name: &str, again: Option<&str>, columns: &[SurveyedColumn], sample: Option<u64>, width: usize) -> Vec<String> {
    let width = width.min(MOST_WIDTH);
    let rows = columns.first().map_or(0, |column| column.survey.rows);
    let mut lines = vec![paint(style::HEAD, format!("{name}: {}", what_was_read(rows, columns.len(), sample))), String::new()];
    if rows == 0 {
        return lines;
    }
    // A saved survey has no values.
    let has_examples = columns.iter().any(|column| column.survey.groups().iter().any(|group| !group.example.is_empty()));
    // The name, the most frequent shape and its example share the available width.
    lines.extend(table::fitted(width, 18, |space| {
        let heads = ["column", "blank", "distinct", "length", "commonest shape", "share", "such as"];
        let shown = if has_examples { &heads[..] } else { &heads[..heads.len() - 1] };
        let mut drawn = table::table(shown.iter().copied(), usize::MAX);
        for index in [1, 2, 3, 5] {
            table::align_right(&mut drawn, index);
        }
        for SurveyedColumn { title, survey, .. } in columns {
            let groups = survey.groups();
            let commonest = groups.first();
            let length = survey.lengths.range().map_or_else(String::new, |(least, most)| range(least, most));
            let shape = commonest.map_or_else(String::new, |group| group.shape.to_string());
            let example = commonest.map_or_else(String::new, |group| visible::value(&group.example));
            let share = commonest.map_or(String::new(), |group| visible::share(group.seen.count, survey.values()));
            let mut row = vec![
                table::cell(visible::clipped(&visible::value(title), (space / 2).min(24)), style::HEAD),
                count_cell(survey.blank.count),
                table::cell(distinct(survey), Style::new()),
                table::cell(length, Style::new()),
                table::cell(visible::clipped(&shape, space * 3 / 5), Style::new()),
                table::cell(share, Style::new()),
                table::cell(visible::clipped(&example, space * 2 / 5), style::QUIET),
            ];
            row.truncate(shown.len());
            drawn.add_row(row);
        }
        drawn
    }));
    lines.push(String::new());
    let symbols: Vec<String> = columns
        .iter()
        .flat_map(|column| column.survey.groups().into_iter().take(1))
        .flat_map(|group| group.shape.symbols().map(String::from).collect::<Vec<_>>())
        .collect();
    lines.extend(shapes::legend(&symbols.concat(), width));
    // The most interesting column has a shape with many parts.
    let parts = |column: &&SurveyedColumn| column.survey.groups().first().map_or(0, |group| group.shape.parts.len().min(12));
    let first = columns.iter().rev().max_by_key(parts).map_or("COLUMN", |column| column.word);
    if let Some(again) = again {
        lines.push(format!("A column in depth: {}", paint(style::TAKEN, format!("{again} -c {}", quoted(first)))));
    }
    lines
}

pub fn in_depth(name: &str, columns: &[SurveyedColumn], sample: Option<u64>, width: usize) -> Vec<String> {
    let width = width.min(MOST_WIDTH);
    let mut lines = Vec::new();
    for column in columns {
        if !lines.is_empty() {
            lines.push(String::new());
        }
        lines.extend(page(name, column, sample, width));
    }
    lines
}

pub struct MatchingRow {
    pub input: usize,
    /// Its number in the input, from 1.
    pub row: u64,
    pub line: u64,
    pub value: String,
}

/// The rows of a shape, with the file in the last column if there are several.
pub fn rows(title: &str, inputs: &Inputs, found: &[MatchingRow], width: usize) -> Vec<String> {
    let file = inputs.are_several().then_some("file");
    let mut drawn = table::table(["row", "line", title].into_iter().chain(file), usize::MAX);
    let names = found.iter().filter(|_| file.is_some()).map(|found| visible::width(inputs.name(found.input)) + 2);
    let space = width.saturating_sub(24 + names.max().unwrap_or(0)).max(20);
    for found in found {
        let value = visible::clipped(&visible::value(&found.value), space);
        let file = file.map(|_| visible::value(inputs.name(found.input)));
        drawn.add_row([visible::grouped(found.row), visible::grouped(found.line), value].into_iter().chain(file));
    }
    for index in 0..2 {
        table::align_right(&mut drawn, index);
    }
    table::lines(&drawn)
}

fn what_was_read(rows: u64, columns: usize, sample: Option<u64>) -> String {
    let columns = visible::counted(columns as u64, "column");
    match sample {
        Some(sample) if rows >= sample => format!("{columns}, the first {} only, as requested", visible::counted(rows, "row")),
        _ => format!("{columns}, {}", if rows == 0 { "no rows".to_owned() } else { visible::counted(rows, "row") }),
    }
}

fn page(name: &str, column: &SurveyedColumn, sample: Option<u64>, width: usize) -> Vec<String> {
    let survey = column.survey;
    let head = format!("{} of {name}", visible::value(column.title));
    let mut lines = vec![paint(style::HEAD, head), String::new()];
    let mut fact = |name: &str, fact: String| lines.push(format!("{} {fact}", paint(style::QUIET, format!("{name:<9}"))));
    fact(
        "rows",
        match sample {
            Some(sample) if survey.rows >= sample => {
                format!("{}: the first ones only, as requested", visible::grouped(survey.rows))
            }
            _ => visible::grouped(survey.rows),
        },
    );
    fact("blank", blank(column));
    if survey.values() == 0 {
        return lines;
    }
    fact("distinct", distinct_in_words(survey));
    if let Some((least, most)) = survey.lengths.range() {
        let words = match survey.lengths.median() {
            _ if least == most => format!("{}, all of them", visible::counted(least as u64, "character")),
            Some(median) => format!("{} characters; the median is {}", range(least, most), visible::grouped(median as u64)),
            None => format!("{} characters", range(least, most)),
        };
        fact("length", words);
    }
    lines.push(String::new());
    // Information for writing rules comes first.
    let frequent = frequent::draw(column, width);
    let are_shown = frequent.are_all;
    let (first, later) = if are_shown { (frequent.lines, Vec::new()) } else { (Vec::new(), frequent.lines) };
    lines.extend(first);
    lines.extend(shapes::draw(column, width));
    lines.extend(section("most frequent values", later));
    lines.extend(section("numbers", numbers::draw(column, are_shown, width)));
    lines.extend(section("dates", dates::draw(column, are_shown)));
    lines.extend(section("position by position", positions::draw(column, width)));
    lines.extend(section("divided by", delimiters(column, width)));
    lines.extend(section("spaces, invisible and look-alike characters", oddities(column, width)));
    lines.extend(section("lengths in characters", lengths(survey)));
    lines
}

fn section(head: &str, lines: Vec<String>) -> Vec<String> {
    if lines.is_empty() {
        return lines;
    }
    [String::new(), paint(style::HEAD, head)].into_iter().chain(lines).collect()
}

fn blank(SurveyedColumn { survey, inputs, is_piece, .. }: &SurveyedColumn) -> String {
    let rows = &survey.blank;
    match rows.count {
        0 => "none".to_owned(),
        count if count == survey.rows => "all of them".to_owned(),
        count => {
            let spaces = match survey.spaces_only {
                0 => String::new(),
                spaces => format!(", {} of them with white space", visible::grouped(spaces)),
            };
            let words = if *is_piece { ": blank, missing or not asked" } else { "" };
            format!("{}{spaces} ({}){words}", visible::grouped(count), in_words(inputs, rows))
        }
    }
}

pub fn distinct(survey: &Survey) -> String {
    match survey.distinct() {
        Count::Exact(count) => visible::grouped(count),
        Count::About(count) => format!("~ {}", visible::grouped(rounded(count))),
    }
}

fn distinct_in_words(survey: &Survey) -> String {
    match survey.distinct() {
        Count::Exact(count) if count == survey.values() => format!("{}: no value twice", visible::grouped(count)),
        Count::Exact(count) => visible::grouped(count),
        Count::About(count) => format!(
            "about {} (an estimate; it is within {:.1} % nearly always)",
            visible::grouped(rounded(count)),
            survey.distinct_error() * 300.0
        ),
    }
}

/// An estimate rounded to three digits; more are not significant.
fn rounded(count: u64) -> u64 {
    let unit = 10u64.pow(count.max(1).ilog10().saturating_sub(2));
    (count + unit / 2) / unit * unit
}

fn lengths(survey: &Survey) -> Vec<String> {
    let bars = survey.lengths.bars(MOST_LENGTHS);
    bars::draw(&bars.iter().map(|bar| (range(bar.from, bar.to), bar.count)).collect::<Vec<_>>())
}

fn delimiters(SurveyedColumn { survey, inputs, .. }: &SurveyedColumn, width: usize) -> Vec<String> {
    let all = survey.delimiters();
    if all.is_empty() {
        return Vec::new();
    }
    let mut lines = table::fitted(width, 12, |space| {
        let mut drawn = table::table(["", "in values", "sections it makes"], usize::MAX);
        table::align_right(&mut drawn, 1);
        for delimiter in all.iter().take(MOST_DELIMITERS) {
            drawn.add_row(vec![
                table::cell(visible::quoted(&delimiter.character), style::HEAD),
                table::cell(visible::share(delimiter.values, survey.values()), Style::new()),
                table::cell(visible::clipped(&sections(delimiter, inputs), space), Style::new()),
            ]);
        }
        drawn
    });
    if all.len() > MOST_DELIMITERS {
        let rest: Vec<String> = all[MOST_DELIMITERS..].iter().map(|delimiter| visible::quoted(&delimiter.character)).collect();
        lines.push(paint(style::QUIET, visible::clipped(&format!("and {}", rest.join(" ")), width)));
    }
    lines
}

/// `3 in 9 960 values; 2 in 12 (rows 17, 44 …); 1 in 6`
fn sections(delimiter: &Delimiter, inputs: &Inputs) -> String {
    let shown = delimiter.sections.iter().enumerate().take(MOST_SECTIONS).map(|(index, (sections, seen))| {
        let many = if *sections >= 1000 { " or more" } else { "" };
        let rows = if index > 0 && !seen.rows.is_empty() { format!(" ({})", in_words(inputs, seen)) } else { String::new() };
        let sections = if *sections == 1 { "none".to_owned() } else { format!("{sections}{many}") };
        format!("{sections} in {}{rows}", visible::grouped(seen.count))
    });
    let mut words = shown.collect::<Vec<_>>().join("; ");
    if let Some(more) = delimiter.sections.len().checked_sub(MOST_SECTIONS).filter(|more| *more > 0) {
        words += &format!("; {more} more numbers of sections");
    }
    words
}

fn oddities(SurveyedColumn { survey, inputs, .. }: &SurveyedColumn, width: usize) -> Vec<String> {
    let all = survey.oddities();
    if all.is_empty() {
        return Vec::new();
    }
    let lines = table::fitted(width, 12, |space| {
        let mut drawn = table::table(["", "values", ""], usize::MAX);
        table::align_right(&mut drawn, 1);
        for (oddity, seen) in &all {
            drawn.add_row(vec![
                table::cell(visible::clipped(&oddity.to_string(), space), style::UNSEEN),
                table::cell(visible::grouped(seen.count), Style::new()),
                table::cell(in_words(inputs, seen), style::QUIET),
            ]);
        }
        drawn
    });
    // The heading above names the columns.
    lines.into_iter().skip(2).collect()
}

fn range(least: usize, most: usize) -> String {
    let [least_shown, most_shown] = [least, most].map(|length| visible::grouped(length as u64));
    if least == most { least_shown } else { format!("{least_shown} to {most_shown}") }
}

fn count_cell(count: u64) -> comfy_table::Cell {
    match count {
        0 => table::cell("0", style::QUIET),
        count => table::cell(visible::grouped(count), style::LOOK),
    }
}
