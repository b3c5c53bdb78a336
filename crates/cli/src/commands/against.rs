use std::collections::{HashMap, HashSet};
use std::io::Write;
use std::str::FromStr;

use keen_notch_core::summary::Summary;
use keen_notch_core::survey::{Against, Change, SavedColumn, SavedSurvey, Survey};
use keen_notch_io::inputs::Inputs;
use keen_notch_io::source::input::Input;

use crate::args::{SurveyArgs, SurveyFormat};
use crate::commands::merge::{SavedFile, read};
use crate::console::{self, Console};
use crate::draw::survey::against::{self as draw, SurveyComparison};
use crate::exit::Exit;
use crate::failure::Failure;

#[derive(Debug, Clone, PartialEq)]
pub struct FailOn {
    what: String,
    /// The share that a change must exceed; 0 for any change.
    beyond: f64,
}

const WHAT: [&str; 11] =
    ["any", "new-shape", "shape-gone", "blanks", "new-values", "distinct", "delimiter", "length", "odd", "share", "column"];

impl FromStr for FailOn {
    type Err = String;

    fn from_str(text: &str) -> Result<FailOn, String> {
        let mut words = text.split_whitespace();
        let what = words.next().unwrap_or_default().to_owned();
        if !WHAT.contains(&what.as_str()) {
            return Err(format!("write {}; a share can follow, such as 'blanks 2%'", WHAT.join(", ")));
        }
        let share = words.next().map(|share| share.strip_suffix('%').and_then(|share| share.parse::<f64>().ok()));
        let share = match share {
            None => 0.0,
            Some(Some(share)) if (0.0..=100.0).contains(&share) && words.next().is_none() => share / 100.0,
            Some(_) => return Err(format!("a share can follow, such as '{what} 2%'")),
        };
        Ok(FailOn { what, beyond: share })
    }
}

impl FailOn {
    fn is_so(&self, against: &Against, (blank_before, blank_now): (u64, u64)) -> bool {
        let share = |count: u64, of: u64| if of == 0 { 0.0 } else { count as f64 / of as f64 };
        if self.what == "blanks" && self.beyond > 0.0 {
            return share(blank_now, against.now.0) - share(blank_before, against.before.0) > self.beyond;
        }
        let passes = |change: &&Change| {
            let of = if matches!(change, Change::ShapeWent { .. }) { against.before.1 } else { against.now.1 };
            (self.what == "any" || self.what == change.word()) && (self.beyond == 0.0 || share(change.size(), of) > self.beyond)
        };
        against.changes.iter().any(|change| passes(&change))
    }
}

impl std::fmt::Display for FailOn {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        f.write_str(&self.what)?;
        if self.beyond > 0.0 { write!(f, " {}%", (self.beyond * 1e4).round() / 100.0) } else { Ok(()) }
    }
}

pub fn base(input: &Input) -> Result<SavedSurvey, Failure> {
    match read(input)? {
        SavedFile::Survey(saved) => Ok(saved),
        SavedFile::Summary(_) => {
            let message = format!("{} is a summary, and no saved survey", input.name());
            Err(Failure::usage(message, "name a file that survey --save wrote"))
        }
    }
}

pub fn last(input: &Input) -> Result<Summary, Failure> {
    match read(input)? {
        SavedFile::Summary(summary) => Ok(*summary),
        SavedFile::Survey(_) => {
            let message = format!("{} is a saved survey, and no summary", input.name());
            Err(Failure::usage(message, "name a file that check --summary or carve --summary wrote"))
        }
    }
}

pub fn run(
    args: &SurveyArgs,
    (saved, base): (&SavedSurvey, &str),
    (titles, surveys, asked): (&[String], &[Survey], &[String]),
    (name, inputs): (&str, &Inputs),
    console: &Console,
) -> Result<Exit, Failure> {
    if saved.asked != asked {
        let message = format!("{base} was made with different pieces");
        return Err(Failure::usage(message, "survey the same columns or pieces as then"));
    }
    // The first of several columns with the same name wins.
    let by_name: HashMap<&str, &SavedColumn> =
        saved.columns.iter().rev().map(|column| (column.column.as_str(), column)).collect();
    let then = |title: &String| by_name.get(title.as_str()).copied();
    let now = titles.iter().zip(surveys);
    let both = now.clone().filter_map(|(title, survey)| Some((title, survey, then(title)?)));
    let columns: Vec<(String, Against)> =
        both.clone().map(|(title, survey, then)| (title.clone(), survey.against(then))).collect();
    let came: Vec<String> = now.map(|(title, _)| title).filter(|title| then(title).is_none()).cloned().collect();
    // With named columns, the others were not surveyed.
    let known: HashSet<&String> = titles.iter().collect();
    let went: Vec<String> = match args.columns.is_empty() {
        true => saved.columns.iter().map(|column| &column.column).filter(|column| !known.contains(column)).cloned().collect(),
        false => Vec::new(),
    };
    let is_so = |fail_on: &&FailOn| {
        let columns_differ = !came.is_empty() || !went.is_empty();
        (columns_differ && matches!(fail_on.what.as_str(), "any" | "column"))
            || both
                .clone()
                .zip(&columns)
                .any(|((_, survey, then), (_, against))| fail_on.is_so(against, (then.blank.count, survey.blank.count)))
    };
    let failed: Vec<String> = args.fail_on.iter().filter(is_so).map(ToString::to_string).collect();
    let compared =
        SurveyComparison { names: (name, base), inputs, columns: &columns, came: &came, went: &went, failed: &failed };
    let mut out = console::out();
    match args.to {
        SurveyFormat::Json => out.write_all(draw::json(&compared).as_bytes())?,
        SurveyFormat::Text => {
            for line in draw::lines(&compared, console.width.min(100)) {
                writeln!(out, "{line}")?;
            }
        }
    }
    out.flush()?;
    Ok(if failed.is_empty() { Exit::Done } else { Exit::Faults })
}
