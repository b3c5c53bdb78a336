//! The survey of a column by the values of another.

use anstyle::Style;
use keen_notch_core::survey::{Difference, DifferentProperty, Survey, differences};
use serde_json::{Value, json};

use super::distinct;
use crate::draw::style::{self, paint};
use crate::draw::{table, visible};

const MOST_WIDTH: usize = 100;
const MOST_GROUPS: usize = 40;
const MOST_UNLIKE: usize = 12;
/// For each group.
const MOST_DIFFERENCES: usize = 2;
/// The version of the JSON. It increases when a key changes its meaning or disappears.
const VERSION: u32 = 1;

/// The groups of a column, the largest first.
pub struct Groups<'a> {
    /// The columns with the value and the group.
    pub titles: (&'a str, &'a str),
    pub all: &'a [(String, Survey)],
}

impl Groups<'_> {
    fn rows(&self) -> u64 {
        self.all.iter().map(|(_, survey)| survey.rows).sum()
    }

    fn differences(&self) -> Vec<Vec<Difference>> {
        differences(&self.all.iter().map(|(_, survey)| survey).collect::<Vec<_>>())
    }
}

/// A line for each group, and how groups differ from the others.
pub fn lines(name: &str, groups: &Groups, width: usize) -> Vec<String> {
    let (width, (value, group)) = (width.min(MOST_WIDTH), groups.titles);
    let titles = format!("{} by {}", visible::value(value), visible::value(group));
    let counts = format!("{}, {}", visible::counted(groups.rows(), "row"), visible::counted(groups.all.len() as u64, "group"));
    let mut lines = vec![paint(style::HEAD, format!("{titles}, of {name}: {counts}")), String::new()];
    lines.extend(table::fitted(width, 18, |space| {
        let group = visible::value(group);
        let mut drawn = table::table([&*group, "rows", "blank", "distinct", "length", "commonest shape", "share"], usize::MAX);
        for index in [1, 2, 3, 4, 6] {
            table::align_right(&mut drawn, index);
        }
        for (group, survey) in groups.all.iter().take(MOST_GROUPS) {
            let shapes = survey.groups();
            let shape = shapes.first().map_or_else(String::new, |group| group.shape.to_string());
            let share = shapes.first().map_or_else(String::new, |group| visible::share(group.seen.count, survey.values()));
            let length = survey.lengths.range().map_or_else(String::new, |(least, most)| super::range(least, most));
            drawn.add_row(vec![
                table::cell(visible::clipped(&label(group), space / 2), style::HEAD),
                table::cell(visible::grouped(survey.rows), Style::new()),
                super::count_cell(survey.blank.count),
                table::cell(distinct(survey), Style::new()),
                table::cell(length, Style::new()),
                table::cell(visible::clipped(&shape, space * 2 / 3), Style::new()),
                table::cell(share, Style::new()),
            ]);
        }
        drawn
    }));
    if let Some(rest) = groups.all.get(MOST_GROUPS..).filter(|rest| !rest.is_empty()) {
        let rows = rest.iter().map(|(_, survey)| survey.rows).sum();
        let words = format!("and {} with {}", visible::counted(rest.len() as u64, "more group"), visible::counted(rows, "row"));
        lines.push(paint(style::QUIET, words));
    }
    lines.push(String::new());
    lines.extend(unlike(groups, width));
    lines
}

/// The groups that differ from the others, the largest first.
fn unlike(groups: &Groups, width: usize) -> Vec<String> {
    let all = groups.differences();
    let differing: Vec<(&String, &Vec<Difference>)> =
        groups.all.iter().map(|(group, _)| group).zip(&all).filter(|(_, found)| !found.is_empty()).collect();
    if differing.is_empty() {
        let words = if groups.all.len() < 2 {
            "there is no other group to compare"
        } else {
            "all groups have similar shapes and blanks"
        };
        return vec![words.to_owned()];
    }
    let mut lines = vec![paint(style::HEAD, "groups unlike the others")];
    for (group, found) in differing.iter().take(MOST_UNLIKE) {
        let what = found.iter().take(MOST_DIFFERENCES).map(words).collect::<Vec<_>>().join("; ");
        // A number and its % stay together.
        let line = format!("{}: {what}", label(group)).replace(" %", "\u{a0}%");
        let options = textwrap::Options::new(width).subsequent_indent("  ");
        lines.extend(textwrap::wrap(&line, options).into_iter().map(|line| line.replace('\u{a0}', " ")));
    }
    if differing.len() > MOST_UNLIKE {
        lines.push(paint(
            style::QUIET,
            format!("and {}", visible::counted((differing.len() - MOST_UNLIKE) as u64, "more group")),
        ));
    }
    lines
}

fn label(group: &str) -> String {
    if group.is_empty() { "(empty)".to_owned() } else { visible::value(group) }
}

/// `U3-d8 in 12.0 %, in 99.1 % elsewhere`
fn words(Difference { what, here, elsewhere }: &Difference) -> String {
    let what = match what {
        DifferentProperty::Blank => "blank".to_owned(),
        DifferentProperty::Shape(shape) => shape.to_string(),
    };
    let elsewhere = match elsewhere.0 {
        0 => "nowhere else".to_owned(),
        count => format!("in {} elsewhere", visible::share(count, elsewhere.1)),
    };
    let here = if here.0 == 0 { "none".to_owned() } else { visible::share(here.0, here.1) };
    format!("{what} in {here}, {elsewhere}")
}

pub fn json(groups: &Groups) -> String {
    let difference = |Difference { what, here, elsewhere }: &Difference| {
        let (what, shape) = match what {
            DifferentProperty::Blank => ("blank", None),
            DifferentProperty::Shape(shape) => ("shape", Some(shape.to_string())),
        };
        json!({
            "what": what, "shape": shape, "count": here.0, "of": here.1,
            "count_elsewhere": elsewhere.0, "of_elsewhere": elsewhere.1,
        })
    };
    let group = |((group, survey), found): (&(String, Survey), Vec<Difference>)| {
        let shapes = survey.groups();
        let shapes = shapes.iter().map(|group| json!({"shape": group.shape.to_string(), "values": group.seen.count}));
        json!({
            "group": group, "rows": survey.rows, "blank": survey.blank.count,
            "shapes": shapes.collect::<Vec<Value>>(),
            "differences": found.iter().map(difference).collect::<Vec<Value>>(),
        })
    };
    visible::json(&json!({
        "version": VERSION,
        "column": groups.titles.0,
        "by": groups.titles.1,
        "rows": groups.rows(),
        "groups": groups.all.iter().zip(groups.differences()).map(group).collect::<Vec<Value>>(),
    }))
}
