//! `merge`: merges the summaries or saved surveys of the parts of a table.

use std::io::Write;
use std::path::{Path, PathBuf};

use keen_notch_core::summary::{Apart, Part, Summary, VERSION};
use keen_notch_core::survey::{SAVED_VERSION, SavedColumn, SavedKind, SavedSurvey};
use keen_notch_core::verdict::Verdict;
use keen_notch_io::files::RunFiles;
use keen_notch_io::formats;
use keen_notch_io::inputs::Inputs;
use keen_notch_io::sink::{self, Sink};
use keen_notch_io::source::Reading;
use keen_notch_io::source::input::Input;
use serde::Deserialize;

use crate::args::{self, MergeArgs};
use crate::commands::outputs::name_of;
use crate::commands::repeats::{self, PartHashes, RepeatsOutput};
use crate::console::{self, Console};
use crate::draw::survey::{self, SurveyedColumn};
use crate::draw::{faults, summary, verdict, visible};
use crate::failure::Failure;

struct Read<T> {
    name: String,
    path: PathBuf,
    of_part: T,
}

trait OfPart {
    fn part(&mut self) -> &mut Option<Part>;

    fn append(&mut self, later: Self) -> Result<(), Apart>;
}

impl OfPart for Summary {
    fn part(&mut self) -> &mut Option<Part> {
        &mut self.part
    }

    fn append(&mut self, later: Summary) -> Result<(), Apart> {
        Summary::append(self, later)
    }
}

impl OfPart for SavedSurvey {
    fn part(&mut self) -> &mut Option<Part> {
        &mut self.part
    }

    fn append(&mut self, later: SavedSurvey) -> Result<(), Apart> {
        SavedSurvey::append(self, later)
    }
}

pub fn run(args: &MergeArgs, console: &Console) -> Result<(), Failure> {
    let known = RunFiles::default();
    let inputs: Vec<Input> = args.files.iter().map(|path| args::input(path)).collect();
    inputs.iter().try_for_each(|input| known.reads(input))?;
    let out: Option<Box<dyn Sink>> = match &args.out {
        Some(path) => Some(formats::create(path, &known)?),
        None => known.prints().map(|()| None)?,
    };
    let mut duplicates = args.faults.as_deref().map(|path| RepeatsOutput::create(path, &known)).transpose()?;
    let shows = out.is_none() && console.shows_tables;
    let (mut summaries, mut surveys) = (Vec::new(), Vec::new());
    for input in &inputs {
        let (name, path) = (input.name(), input.path().unwrap_or(Path::new("")).to_owned());
        match read(input)? {
            SavedFile::Summary(of_part) => summaries.push(Read { name, path, of_part: *of_part }),
            SavedFile::Survey(of_part) => surveys.push(Read { name, path, of_part }),
        }
    }
    if let (Some(summary), Some(survey)) = (summaries.first(), surveys.first()) {
        let message = format!("{} is a summary, and {} is a survey", summary.name, survey.name);
        return Err(Failure::usage(message, "merge one or the other"));
    }
    let parts = visible::counted(inputs.len() as u64, "part");
    let (json, lines) = if surveys.is_empty() {
        let summaries = in_order(summaries)?;
        let hashes = PartHashes::of(summaries.iter().map(|read| (read.path.as_path(), &read.of_part)))?;
        let mut all = merged(summaries)?;
        all.hashes = None;
        if let Some(hashes) = hashes {
            repeats::compare(&mut all, &hashes, args.memory.0, duplicates.as_mut())?;
        } else {
            refuse_faults(args, "no part has hashes to compare")?;
        }
        (summary::json(&all), of_summary(&all, &parts, console.width))
    } else {
        refuse_faults(args, "surveys have no duplicates")?;
        let all = merged(in_order(surveys)?)?;
        (survey::saved(&all), of_survey(&all, &parts, console.width))
    };
    let others = duplicates.into_iter().map(|out| out.sink);
    match out {
        Some(mut out) => {
            out.put(json.as_bytes())?;
            sink::commit_all(others.chain([out]).collect())?;
        }
        None if shows => {
            let mut out = console::out();
            for line in &lines {
                writeln!(out, "{line}")?;
            }
            out.flush()?;
            sink::commit_all(others.collect())?;
        }
        None => {
            sink::commit_all(others.collect())?;
            console::out().write_all(json.as_bytes())?;
        }
    }
    if !shows && !args.quiet {
        lines.iter().for_each(|line| console.note(line));
    }
    if let (Some(path), false) = (&args.out, args.quiet) {
        console.note(&visible::without_controls(&format!("all of it is in {}", name_of(path))));
    }
    Ok(())
}

fn refuse_faults(args: &MergeArgs, why: &str) -> Result<(), Failure> {
    match args.faults {
        None => Ok(()),
        Some(_) => Err(Failure::usage(format!("--faults lists the duplicates of all parts, and {why}"), "remove --faults")),
    }
}

fn of_summary(all: &Summary, parts: &str, width: usize) -> Vec<String> {
    let mut lines = summary::draw(all, width);
    let verdict = all.verdict(0);
    if !matches!(verdict, Verdict::Passed { .. } | Verdict::Unchecked) && all.rows.read > 0 {
        lines.push(String::new());
        lines.extend(faults::table(all, None, width));
    }
    let without_hints = if matches!(verdict, Verdict::Passed { .. }) { " (summaries do not hold hints)" } else { "" };
    let rows = visible::counted(all.rows.read, "row");
    let words = format!("{parts}: {rows}: {}{without_hints}", verdict::words(&verdict, all));
    lines.extend([String::new()]);
    lines.extend(textwrap::wrap(&words, width).into_iter().map(String::from));
    lines
}

fn of_survey(all: &SavedSurvey, parts: &str, width: usize) -> Vec<String> {
    let (surveys, inputs) = (all.columns.iter().map(SavedColumn::survey).collect::<Vec<_>>(), Inputs::of_rows(&all.inputs));
    let columns = all.columns.iter().zip(&surveys);
    let surveyed = columns.map(|(column, survey)| SurveyedColumn {
        title: &column.column,
        word: &column.column,
        survey,
        inputs: &inputs,
        is_piece: !all.asked.is_empty(),
        fine: false,
    });
    survey::in_brief(parts, None, &surveyed.collect::<Vec<_>>(), None, width)
}

pub enum SavedFile {
    Summary(Box<Summary>),
    Survey(SavedSurvey),
}

pub fn read(input: &Input) -> Result<SavedFile, Failure> {
    #[derive(Deserialize)]
    struct PartVersion {
        version: u64,
        #[serde(default)]
        kind: Option<SavedKind>,
    }
    let name = input.name();
    let bytes = input.read_whole(&Reading::default())?;
    let help = "name files that carve or check wrote with --summary, or survey with --save";
    let wrong = |why: &str| Failure::usage(format!("{name} is neither a summary nor a saved survey: {why}"), help);
    let PartVersion { version, kind } = serde_json::from_slice(&bytes).map_err(|error| wrong(&error.to_string()))?;
    let (what, own) = match kind {
        None => ("summary", VERSION),
        Some(SavedKind::Survey) => ("survey", SAVED_VERSION),
    };
    if version != u64::from(own) {
        let message = format!("{name} is a {what} of version {version}, and this program reads version {own}");
        return Err(Failure::usage(message, "make it again with this program"));
    }
    let broken = |error: serde_json::Error| wrong(&error.to_string());
    match kind {
        None => serde_json::from_slice(&bytes).map(|summary| SavedFile::Summary(Box::new(summary))).map_err(broken),
        Some(SavedKind::Survey) => {
            let saved: SavedSurvey = serde_json::from_slice(&bytes).map_err(broken)?;
            if saved.is_sound() { Ok(SavedFile::Survey(saved)) } else { Err(wrong("it counts more values than rows")) }
        }
    }
}

fn in_order<T: OfPart>(mut parts: Vec<Read<T>>) -> Result<Vec<Read<T>>, Failure> {
    let Some((numbered, part)) = parts.iter_mut().find_map(|read| Some((read.name.clone(), (*read.of_part.part())?))) else {
        return Ok(parts);
    };
    for Read { name, of_part, .. } in &mut parts {
        let of = *of_part.part();
        if of.is_none_or(|other| other.of != part.of) {
            let is = of.map_or("of a whole run".to_owned(), |part| format!("of part {part}"));
            let message = format!("{numbered} is of part {part}, and {name} is {is}");
            return Err(Failure::usage(message, "merge all parts of a single set"));
        }
    }
    let mut numbered: Vec<(u32, Read<T>)> =
        parts.into_iter().map(|mut read| (read.of_part.part().map_or(0, |part| part.number), read)).collect();
    numbered.sort_by_key(|(number, _)| *number);
    let all = |number| Part { number, of: part.of };
    if let Some(two) = numbered.windows(2).find(|two| two[0].0 == two[1].0) {
        let message = format!("{} and {} are both of part {}", two[0].1.name, two[1].1.name, all(two[0].0));
        return Err(Failure::usage(message, "name each part once"));
    }
    match (1..=part.of)
        .zip(numbered.iter().map(|(number, _)| Some(*number)).chain([None]))
        .find(|(wanted, found)| Some(*wanted) != *found)
    {
        Some((number, _)) => Err(Failure::usage(
            format!("part {} is missing", all(number)),
            format!("name the file of every part; --part {} makes it", all(number)),
        )),
        None => Ok(numbered.into_iter().map(|(_, read)| read).collect()),
    }
}

fn merged<T: OfPart>(parts: Vec<Read<T>>) -> Result<T, Failure> {
    let mut all: Option<(String, T)> = None;
    for Read { name, of_part, .. } in parts {
        match &mut all {
            None => all = Some((name, of_part)),
            Some((first, all)) => all.append(of_part).map_err(|apart| refused(&apart, first, &name))?,
        }
    }
    match all {
        Some((_, mut all)) => {
            *all.part() = None;
            Ok(all)
        }
        None => Err(Failure::usage("no files to merge", "name files that --summary or --save wrote")),
    }
}

fn refused(apart: &Apart, first: &str, name: &str) -> Failure {
    let span = |rows: &std::ops::Range<u64>| match rows.end.saturating_sub(rows.start) {
        0 | 1 => format!("row {}", visible::grouped(rows.start)),
        _ => format!("rows {} to {}", visible::grouped(rows.start), visible::grouped(rows.end - 1)),
    };
    let line = |of: &str, line: &Option<String>| match line {
        Some(line) => format!("\n  {of}: {line}"),
        None => format!("\n  {of}: (no further line)"),
    };
    match apart {
        Apart::Programs(one, other) => Failure::usage(
            format!("{first} comes from version {one} of the program, and {name} from version {other}"),
            "make all parts with the same version",
        ),
        Apart::Asked(one, other) => Failure::usage(
            format!("{name} comes from a different cut list than {first}:{}{}", line(first, one), line(name, other)),
            "make all parts with the same cut list",
        ),
        Apart::Listed(file) => Failure::usage(
            format!("{name} comes from a run with other values in {file} than {first}"),
            format!("make all parts with the same {file}"),
        ),
        Apart::Columns(one, other) => Failure::usage(
            format!("{name} is of a table with other columns than {first}:\n  {first}: {one}\n  {name}: {other}"),
            "merge parts of one table",
        ),
        Apart::Compared => Failure::usage(
            "`unique` compares each row with all others, and these runs compared theirs only with their own",
            "check it in one run over all rows, and merge runs of a cut list without it",
        ),
        Apart::Twice(file, rows) => Failure::usage(
            format!("{} of {file} are in two of the files, {name} the second", span(rows)),
            "name each part once",
        ),
        Apart::Between(file, rows) => Failure::usage(
            format!("{} of {file} are missing from the files before {name}", span(rows)),
            "name the files of all parts, in the order of their rows",
        ),
        _ => Failure::usage(format!("{first} and {name} are not parts of one run"), "merge parts of one run"),
    }
}
