//! `survey --by`: a column, broken down by the values of another.

use std::io::Write as _;

use keen_notch_io::files::RunFiles;
use keen_notch_io::source::Reading;
use keen_notch_io::source::input::Input;
use keen_notch_io::survey::{Collected, survey_by};

use crate::args::{SurveyArgs, SurveyFormat};
use crate::commands::inputs::{self, names_of_part, say_replaced};
use crate::commands::survey_targets::SurveyTargets;
use crate::console::{self, Console};
use crate::draw::survey::groups::{self as draw, Groups};
use crate::failure::Failure;
use crate::progress::Progress;

pub fn run(
    args: &SurveyArgs,
    by: &str,
    (inputs, reading): (&[Input], &Reading),
    known: &RunFiles,
    console: &Console,
) -> Result<(), Failure> {
    let targets = SurveyTargets::read_by(args, by, known)?;
    let progress = Progress::of(inputs, &reading.meter, args.quiet, true);
    let mut table = inputs::table(inputs, (&args.reading, reading), console, args.quiet)?;
    let bound = table.find(|header| targets.bind(header))?;
    if let Some(part) = args.part.part {
        table.take_part(part)?;
    }
    let view = bound.bound.view();
    let titles = targets.titles(&view.titles(&table.header));
    let Collected { all, .. } = survey_by(&mut table, (view, bound.places), args.sample, args.threads.count())?;
    drop(progress);
    say_replaced(&reading.meter, console, args.quiet);
    let all = all.by_size();
    let groups = Groups { titles: (&titles[1], &titles[0]), all: &all };
    let mut out = console::out();
    match args.to {
        SurveyFormat::Json => out.write_all(draw::json(&groups).as_bytes())?,
        SurveyFormat::Text => {
            for line in draw::lines(&names_of_part(inputs, args.part.part), &groups, console.width) {
                writeln!(out, "{line}")?;
            }
        }
    }
    Ok(out.flush()?)
}
