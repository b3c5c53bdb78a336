use std::collections::HashSet;
use std::io::Write;

use keen_notch_core::summary::Summary;
use keen_notch_core::survey::{Against, SavedSurvey, Survey};
use keen_notch_io::inputs::Inputs;
use keen_notch_io::source::input::Input;

use crate::args::{FailOnChange, SurveyArgs, SurveyFormat};
use crate::commands::merge::{SavedFile, read};
use crate::console::{self, Console};
use crate::draw::survey::against::{self as draw, SurveyComparison};
use crate::exit::Exit;
use crate::failure::Failure;

/// The surveys of a table, with the name of the table and the titles of its columns.
pub struct SurveyedTable<'a> {
    pub name: &'a str,
    pub titles: &'a [String],
    /// The number of each column among the columns of its title, from 1.
    pub nths: &'a [usize],
    pub surveys: &'a [Survey],
    pub inputs: &'a Inputs,
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
    SurveyedTable { name, titles, nths, surveys, inputs }: SurveyedTable,
    asked: &[String],
    console: &Console,
) -> Result<Exit, Failure> {
    if saved.asked != asked {
        let message = format!("{base} was made with different pieces");
        return Err(Failure::usage(message, "survey the same columns or pieces as then"));
    }
    let by_name = saved.by_name();
    let then = |name: (&str, usize)| by_name.get(&name).copied();
    let now = titles.iter().map(String::as_str).zip(nths.iter().copied());
    let both = now.clone().zip(surveys).filter_map(|(name, survey)| Some((name, survey, then(name)?)));
    let columns: Vec<(String, Against)> =
        both.clone().map(|(name, survey, then)| (label(name), survey.against(then))).collect();
    let came: Vec<String> = now.clone().filter(|name| then(*name).is_none()).map(label).collect();
    // With named columns, the others were not surveyed.
    let known: HashSet<(&str, usize)> = now.collect();
    let names = saved.columns.iter().map(|column| (column.column.as_str(), column.nth));
    let went: Vec<String> = match args.columns.is_empty() {
        true => names.filter(|name| !known.contains(name)).map(label).collect(),
        false => Vec::new(),
    };
    let is_so = |fail_on: &&FailOnChange| {
        let columns_differ = !came.is_empty() || !went.is_empty();
        (columns_differ && fail_on.is_about_columns())
            || both
                .clone()
                .zip(&columns)
                .any(|((_, survey, then), (_, against))| fail_on.is_so(against, (then.blank.count, survey.blank.count)))
    };
    let failed: Vec<String> = args.fail_on.iter().filter(is_so).map(ToString::to_string).collect();
    let rows = surveys.first().map_or(0, |survey| survey.rows);
    let compared =
        SurveyComparison { names: (name, base), inputs, rows, columns: &columns, came: &came, went: &went, failed: &failed };
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

/// The name of a column. Further columns of that name also have a number.
pub fn label((title, nth): (&str, usize)) -> String {
    if nth == 1 { title.to_owned() } else { format!("{title} (number {nth} of that name)") }
}
