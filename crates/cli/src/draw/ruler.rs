//! The ruler: a value with the positions of its characters from both ends.

use std::borrow::Cow;
use std::collections::BTreeSet;
use std::ops::Range;

use anstyle::Style;
use keen_notch_core::gauge::Gauge;
use keen_notch_core::text::kind::Kind;
use keen_notch_core::text::names::stand_in;

use super::style::{self, paint};
use super::visible;

const NAME_WIDTH: usize = 12;
struct Layout {
    cell: usize,
    per_line: usize,
    upright: bool,
}

impl Layout {
    /// Numbers are horizontal on up to `most_wide` lines of characters; longer values have vertical numbers.
    fn new(gauge: &Gauge, width: usize, most_wide: usize) -> Layout {
        let count = gauge.characters.len();
        let space = width.saturating_sub(NAME_WIDTH).max(10);
        let widest = (0..count).map(|index| visible::width(&shown(gauge, index))).max().unwrap_or(1);
        let cell = widest.max(format!("-{count}").len()) + 1;
        if count * cell <= most_wide * space {
            Layout { cell, per_line: per_line(space / cell, count), upright: false }
        } else {
            let cell = widest.max(1);
            Layout { cell, per_line: per_line(space / cell, count), upright: true }
        }
    }
}

/// The number of characters on a line with room for `most`. Several lines hold whole tens, which are easier to count.
fn per_line(most: usize, count: usize) -> usize {
    if most > 10 && count > most { most - most % 10 } else { most.max(1) }
}

pub struct Mark<'a> {
    pub name: &'a str,
    /// The indices of its characters.
    pub ranges: Vec<Range<usize>>,
    pub style: Style,
}

impl<'a> Mark<'a> {
    pub fn taken(name: &'a str, ranges: Vec<Range<usize>>) -> Mark<'a> {
        Mark { name, ranges, style: style::TAKEN }
    }

    fn covers(&self, index: usize) -> bool {
        self.ranges.iter().any(|range| range.contains(&index))
    }
}

/// Maximum lines of characters for a shortened value.
const MOST_LINES: usize = 6;

/// Draws the ruler in `width` columns, with a line for each mark. Up to `most_wide` lines of characters have horizontal numbers.
pub fn draw(gauge: &Gauge, marks: &[Mark], width: usize, most_wide: usize) -> Vec<String> {
    draw_lines(gauge, marks, width, most_wide, usize::MAX).0
}

/// Draws the ruler of a value that may be long: its first and last lines, and lines where marks begin or end.
pub fn draw_around(gauge: &Gauge, marks: &[Mark], width: usize) -> Vec<String> {
    draw_placed(gauge, marks, width, MOST_LINES).0
}

/// Draws `most_lines` lines of characters, and returns the positions of characters.
pub fn draw_placed(gauge: &Gauge, marks: &[Mark], width: usize, most_lines: usize) -> (Vec<String>, Vec<CharacterPlaces>) {
    draw_lines(gauge, marks, width, 1, most_lines)
}

/// The screen position of adjacent characters, relative to the ruler.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct CharacterPlaces {
    pub lines: Range<usize>,
    characters: Range<usize>,
    cell: usize,
}

impl CharacterPlaces {
    /// The index of the character in a column, or of the nearest one.
    pub fn character(&self, column: usize) -> usize {
        let cell = column.saturating_sub(NAME_WIDTH) / self.cell.max(1);
        (self.characters.start + cell).min(self.characters.end.saturating_sub(1))
    }
}

fn by_line(ranges: &[Range<usize>], lines: usize, per_line: usize) -> Vec<Vec<Range<usize>>> {
    let mut of_lines = vec![Vec::new(); lines];
    for range in ranges.iter().filter(|range| !range.is_empty()) {
        let touched = range.start / per_line..(range.end - 1) / per_line + 1;
        of_lines.iter_mut().take(touched.end).skip(touched.start).for_each(|of_line| of_line.push(range.clone()));
    }
    of_lines
}

fn draw_lines<'a>(
    gauge: &Gauge,
    marks: &[Mark<'a>],
    width: usize,
    most_wide: usize,
    most_lines: usize,
) -> (Vec<String>, Vec<CharacterPlaces>) {
    let layout = Layout::new(gauge, width, most_wide);
    let count = gauge.characters.len();
    let starts: Vec<usize> = (0..count).step_by(layout.per_line).collect();
    let mut shown: BTreeSet<usize> = (0..starts.len()).collect();
    if starts.len() > most_lines {
        let ends =
            marks.iter().rev().flat_map(|mark| &mark.ranges).flat_map(|range| [range.start, range.end.saturating_sub(1)]);
        shown = BTreeSet::from([0, starts.len() - 1]);
        for line in ends.map(|at| at / layout.per_line) {
            if shown.len() < most_lines {
                shown.insert(line);
            }
        }
    }
    let marks_of_lines: Vec<Vec<Vec<Range<usize>>>> =
        marks.iter().map(|mark| by_line(&mark.ranges, starts.len(), layout.per_line)).collect();
    let (mut lines, mut places, mut next) = (Vec::new(), Vec::new(), 0);
    for index in shown {
        let start = starts[index];
        let line = start..(start + layout.per_line).min(count);
        if start > 0 {
            lines.push(String::new());
        }
        if index > next {
            let left_out = format!("characters {} to {start} are left out", starts[next] + 1);
            lines.extend([paint(style::QUIET, left_out), String::new()]);
        }
        next = index + 1;
        let first = lines.len();
        lines.extend(numbers("from left", &line, &layout, |index| (index + 1).to_string()));
        let on_line = |(mark, ranges): (&Mark<'a>, &Vec<Vec<Range<usize>>>)| Mark { ranges: ranges[index].clone(), ..*mark };
        let marks: Vec<Mark> = marks.iter().zip(&marks_of_lines).map(on_line).collect();
        lines.push(characters(gauge, &line, &layout, &marks));
        lines.extend(marks.iter().filter_map(|mark| bars(gauge, mark, &line, &layout)));
        lines.extend(numbers("from right", &line, &layout, |index| {
            if layout.upright { (count - index).to_string() } else { format!("-{}", count - index) }
        }));
        places.push(CharacterPlaces { lines: first..lines.len(), characters: line, cell: layout.cell });
    }
    (lines, places)
}

fn shown<'a>(gauge: &Gauge<'a>, index: usize) -> Cow<'a, str> {
    visible::character(&gauge.value[gauge.characters[index].clone()])
}

fn margin(name: &str) -> String {
    format!("{:<NAME_WIDTH$}", visible::clipped(&visible::without_controls(name), NAME_WIDTH - 2))
}

fn numbers(name: &str, line: &Range<usize>, layout: &Layout, number: impl Fn(usize) -> String) -> Vec<String> {
    let numbers: Vec<String> = line.clone().map(number).collect();
    if !layout.upright {
        let text: String = numbers.iter().map(|number| format!("{number:>width$}", width = layout.cell)).collect();
        return vec![paint(style::QUIET, margin(name) + &text)];
    }
    let digits = numbers.iter().map(String::len).max().unwrap_or(1);
    (0..digits)
        .map(|row| {
            let text: String = numbers
                .iter()
                .map(|number| {
                    let digit = (row + number.len()).checked_sub(digits).and_then(|at| number.get(at..=at)).unwrap_or(" ");
                    format!("{digit:>width$}", width = layout.cell)
                })
                .collect();
            let name = if row + 1 == digits { margin(name) } else { margin("") };
            paint(style::QUIET, (name + &text).trim_end())
        })
        .collect()
}

fn characters(gauge: &Gauge, line: &Range<usize>, layout: &Layout, marks: &[Mark]) -> String {
    let mut text = margin("");
    let first_odd = gauge.oddities.partition_point(|oddity| oddity.last <= line.start);
    let odd_on_line: Vec<_> = gauge.oddities[first_odd..].iter().take_while(|oddity| oddity.first <= line.end).collect();
    for index in line.clone() {
        let character = &gauge.value[gauge.characters[index].clone()];
        let shown = shown(gauge, index);
        text.push_str(&" ".repeat(layout.cell.saturating_sub(visible::width(&shown))));
        let is_odd = odd_on_line.iter().any(|oddity| (oddity.first..=oddity.last).contains(&(index + 1)));
        let style = if stand_in(character).is_some() {
            // A space between words is not unusual.
            if is_odd { style::UNSEEN } else { style::QUIET }
        } else if let Some(mark) = marks.iter().rev().find(|mark| mark.covers(index)) {
            mark.style
        } else if Kind::of(character) == Kind::Punctuation {
            style::DELIMITER
        } else {
            style::HEAD
        };
        text.push_str(&paint(style, &*shown));
    }
    text
}

fn bars(gauge: &Gauge, mark: &Mark, line: &Range<usize>, layout: &Layout) -> Option<String> {
    let mut bars = String::new();
    let mut column = 0;
    for range in &mark.ranges {
        let on_line = range.start.max(line.start)..range.end.min(line.end);
        if on_line.is_empty() {
            continue;
        }
        let lead = layout.cell - visible::width(&shown(gauge, on_line.start)).min(layout.cell);
        let start = (on_line.start - line.start) * layout.cell + lead;
        let end = (on_line.end - line.start) * layout.cell;
        bars += &" ".repeat(start.saturating_sub(column));
        bars += &"━".repeat(end.saturating_sub(start.max(column)));
        column = end.max(column);
    }
    (!bars.is_empty()).then(|| paint(mark.style, margin(mark.name) + &bars))
}
