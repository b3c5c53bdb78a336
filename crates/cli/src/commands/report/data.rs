use std::fs::File;
use std::io::Read;

use keen_notch_core::carving::Fault;
use keen_notch_core::dates::RecognisedDates;
use keen_notch_core::explain;
use keen_notch_core::gauge::Gauge;
use keen_notch_core::piece::Source;
use keen_notch_core::summary::Summary;
use keen_notch_core::survey::{Content as At, Count};
use keen_notch_core::text::characters;
use keen_notch_io::carve::{FaultyRow as Sample, Job, Report};
use keen_notch_io::source::input::Input;
use keen_notch_io::table::Table;
use sha2::{Digest, Sha256};

use crate::commands::against::{SurveyedTable, label};
use crate::commands::merge::SavedFile;
use crate::draw::survey::{SurveyedColumn, dates, numbers};
use crate::draw::survey::{against, distinct};
use crate::draw::visible;
use crate::failure::Failure;
use crate::report::{
    self, Change, Changes, Content, Faults, FaultyRow, Mark, PageColumn, Position, Quantities, RowFault, RowFaults, RuleText,
    ShapeCount, Stretch, TextCount,
};
use crate::rules::Pieces;

const MOST_RESULTS: usize = 100;
const MOST_SHAPES: usize = 20;
const LENGTH_BARS: usize = 30;
/// Characters of a value to show on either side of the error or the start of the piece.
const AROUND: usize = 100;
const MOST_RESULT_WIDTH: usize = 120;

/// An input file with its size and hash.
pub fn file(input: &Input) -> Result<report::File, Failure> {
    let name = input.name();
    let Some(path) = input.path() else { return Ok(report::File { name, bytes: None, sha256: None }) };
    let failed = |source| Failure::from(keen_notch_io::Error::Read { name: input.name(), source });
    let (mut file, mut hasher) = (File::open(path).map_err(failed)?, Sha256::new());
    let (mut buffer, mut bytes) = (vec![0; 1 << 18], 0);
    loop {
        match file.read(&mut buffer).map_err(failed)? {
            0 => break,
            read => {
                hasher.update(&buffer[..read]);
                bytes += read as u64;
            }
        }
    }
    let hash = hasher.finalize().iter().map(|byte| format!("{byte:02x}")).collect();
    Ok(report::File { name, bytes: Some(bytes), sha256: Some(hash) })
}

/// The faults of each check, with its first `most` rows.
pub fn faults(found: &Report, job: &Job, table: &Table, most: usize) -> Vec<Faults> {
    let of_check = |check: usize| {
        let top = found.failing[check].top(MOST_RESULTS);
        let results = top.texts.into_iter();
        let rows = found.samples.iter().filter_map(|sample| {
            let (fault, value) = sample.faults.iter().find(|(fault, _)| fault.check == check)?;
            let (file, row, line) = place(found, sample, table);
            Some(FaultyRow { file, row, line, value: of_fault(fault, value), detail: detail(fault) })
        });
        Faults {
            check,
            results: results
                .map(|(text, count)| TextCount { text: visible::clipped(text, MOST_RESULT_WIDTH), count })
                .collect(),
            other_results: top.other_texts,
            are_counted: top.are_counted,
            other_rows: top.other_rows,
            // Further rows of this check can be there because of another check.
            rows: rows.take(most).collect(),
        }
    };
    (0..job.checks().len()).filter(|check| found.totals.failed[*check].count > 0).map(of_check).collect()
}

/// The first `most` rows with faults. The samples contain them: each is among the first `most` rows of its checks.
pub fn rows_with_faults(found: &Report, job: &Job, table: &Table, most: usize) -> Vec<RowFaults> {
    let is_faulty = |sample: &&Sample| sample.faults.iter().any(|(fault, _)| !job.checks()[fault.check].only_warns);
    let of_row = |sample: &Sample| {
        let (file, row, line) = place(found, sample, table);
        let faults = sample.faults.iter();
        let faults =
            faults.map(|(fault, value)| RowFault { check: fault.check, value: of_fault(fault, value), detail: detail(fault) });
        RowFaults { file, row, line, faults: faults.collect() }
    };
    found.samples.iter().filter(is_faulty).take(most).map(of_row).collect()
}

/// The file of a row, its number there, and its line.
fn place(found: &Report, sample: &Sample, table: &Table) -> (String, u64, Option<u64>) {
    let (input, row) = found.inputs.locate(sample.row);
    (found.inputs.name(input).to_owned(), row, table.format.kind().has_lines.then_some(sample.line))
}

fn of_fault(fault: &Fault, value: &str) -> Vec<Stretch> {
    stretches(value, fault.place, fault.violation.at.map(|at| at.saturating_sub(1)))
}

fn detail(fault: &Fault) -> String {
    visible::clipped(&fault.violation.detail, 3 * MOST_RESULT_WIDTH)
}

/// A value in segments: outside the piece, the piece, and the wrong character. Of a long value, the surroundings.
fn stretches(value: &str, place: Option<(usize, usize)>, wrong: Option<usize>) -> Vec<Stretch> {
    let gauge = Gauge::new(value);
    let ranges: Vec<_> = characters::ranges(value).collect();
    let piece = place.map_or(0..0, |(start, end)| gauge.covered(&(start..end)));
    let at = wrong.map(|at| piece.start + at).filter(|at| *at < piece.end.max(piece.start + 1) && *at < ranges.len());
    let middle = at.unwrap_or(piece.start);
    let (from, to) = (middle.saturating_sub(AROUND), middle.saturating_add(AROUND).min(ranges.len()));
    let mut stretches: Vec<Stretch> = Vec::new();
    let mut push = |text: &str, is: Mark| match stretches.last_mut() {
        Some(last) if last.is == is => last.text += text,
        _ => stretches.push(Stretch { text: text.to_owned(), is }),
    };
    if from > 0 {
        push("…", Mark::Beside);
    }
    for (index, range) in ranges.iter().enumerate().take(to).skip(from) {
        let is = match () {
            () if at == Some(index) => Mark::Wrong,
            () if piece.contains(&index) => Mark::Piece,
            () => Mark::Beside,
        };
        push(&visible::character(&value[range.clone()]), is);
    }
    if to < ranges.len() {
        push("…", Mark::Beside);
    }
    stretches
}

/// The numbers or the dates of a column.
fn quantities(column: &SurveyedColumn) -> Option<Quantities> {
    if let Some(numbers) = column.survey.numbers() {
        let style = numbers.style.map_or_else(String::new, |style| format!(", like {}", visible::quoted(style)));
        let share = visible::share(numbers.count, column.survey.values());
        let quartiles = numbers::named_quartiles(&numbers).map(|(name, value)| format!("{name} {value}")).join(", ");
        let words = [format!("{share} of the values are numbers{style}: {quartiles}")];
        let words = words.into_iter().chain(numbers::far(&numbers, column.inputs)).collect();
        return Some(Quantities { words, bars: numbers::named_bars(&numbers) });
    }
    let dates = column.survey.dates();
    let found = dates.recognised();
    let first = found.first()?;
    let reads = |date: &RecognisedDates| {
        let share = visible::share(date.texts, column.survey.values());
        format!(
            "date {} reads {share} of the values, from {} to {}",
            visible::quoted(date.format),
            date.earliest.date,
            date.latest.date
        )
    };
    let words = found.iter().map(reads).chain(dates::after_today(&dates, column.inputs, first)).collect();
    let bars = dates.bars(first.format).into_iter().map(|bar| (bar.period, bar.count)).collect();
    Some(Quantities { words, bars })
}

pub fn column(surveyed: &SurveyedColumn) -> PageColumn {
    let (name, survey) = (surveyed.title, surveyed.survey);
    let groups = survey.groups();
    let others: u64 = groups.iter().skip(MOST_SHAPES).map(|group| group.seen.count).sum();
    let position = |position: &keen_notch_core::survey::Position| Position {
        contents: position
            .contents
            .iter()
            .map(|(content, seen)| {
                let (what, is_character) = match content {
                    At::Character(character) => (visible::character(character).into_owned(), true),
                    At::Kind(kinds) => (kinds.class().to_owned(), false),
                    At::Other => ("other characters".to_owned(), false),
                };
                Content { what, is_character, count: seen.count }
            })
            .collect(),
    };
    PageColumn {
        name: name.to_owned(),
        blank: survey.blank.count,
        distinct: match survey.distinct() {
            Count::Exact(_) => distinct(survey),
            Count::About(count) => format!("about {}", visible::grouped(count)),
        },
        shapes: groups
            .iter()
            .take(MOST_SHAPES)
            .map(|group| ShapeCount { shape: group.shape.to_string(), example: group.example.clone(), count: group.seen.count })
            .collect(),
        other_shapes: others + survey.other_shapes().count,
        lengths: survey.lengths.bars(LENGTH_BARS).iter().map(|bar| (bar.from, bar.to, bar.count)).collect(),
        positions: survey.positions().map_or(Vec::new(), |(_, positions)| positions.iter().map(position).collect()),
        odd: survey
            .oddities()
            .into_iter()
            .map(|(oddity, seen)| TextCount { text: oddity.to_string(), count: seen.count })
            .collect(),
        quantities: quantities(surveyed),
    }
}

pub fn list(pieces: &Pieces) -> Vec<RuleText> {
    let rest = explain::rest(&pieces.wanted);
    let rest = (!rest.is_empty()).then(|| RuleText { name: String::new(), sentences: rest, phrase: None });
    let piece = |piece: &keen_notch_core::piece::Piece| {
        let from = match &piece.source {
            Source::Take { of: Some(of), .. } => format!(" from {of}"),
            Source::Take { of: None, .. } => pieces.main().map_or(String::new(), |main| format!(" from {main}")),
            Source::Field { .. } | Source::Build { .. } | Source::Part { .. } => String::new(),
        };
        let phrase = if let Source::Take { phrase, .. } = &piece.source { Some(phrase.source.trim().to_owned()) } else { None };
        RuleText { name: format!("{}{from}", piece.name), sentences: explain::piece(piece), phrase }
    };
    rest.into_iter().chain(pieces.wanted.pieces.iter().map(piece)).collect()
}

pub fn changes(
    name: &str,
    before: &SavedFile,
    summary: &Summary,
    SurveyedTable { titles, nths, surveys, inputs, .. }: &SurveyedTable,
) -> Changes {
    let changes = match before {
        SavedFile::Survey(saved) => {
            let by_name = saved.by_name();
            let then = |name: (&str, usize)| by_name.get(&name).copied();
            let names = titles.iter().map(String::as_str).zip(nths.iter().copied());
            let both = names.clone().zip(*surveys).filter_map(|(name, survey)| Some((name, survey.against(then(name)?))));
            let changed = both.flat_map(|(name, against)| {
                let described = against::describe(&against, inputs);
                described.into_iter().map(|(words, shares)| Change { of: label(name), words, shares }).collect::<Vec<_>>()
            });
            let came = names.filter(|name| then(*name).is_none());
            let came = came.map(|name| Change { of: label(name), words: "the column did not exist".to_owned(), shares: None });
            came.chain(changed).collect()
        }
        SavedFile::Summary(then) => {
            let share = |count: u64, of: u64| count as f64 / of.max(1) as f64;
            let changed = summary.checks.iter().filter_map(|check| {
                let was = then.checks.iter().find(|was| check.is_same(was));
                let (before, now) = (was.map_or(0, |was| was.rows), check.rows);
                let words = match was {
                    None if check.implied => return None,
                    None => format!("{} ({}), not checked before", check.check, visible::counted(now, "row")),
                    Some(_) if before == now => return None,
                    Some(_) => {
                        format!("{}: {} now, {} before", check.check, visible::counted(now, "row"), visible::grouped(before))
                    }
                };
                let shares = was.map(|was| (share(before, was.checked), share(now, check.checked)));
                Some(Change { of: check.of.clone(), words, shares })
            });
            changed.collect()
        }
    };
    Changes { since: name.to_owned(), changes }
}
