//! `report`: a page to share.

mod data;

use std::io::{self, Write};
use std::path::Path;

use keen_notch_core::carving::Carving;
use keen_notch_core::column::Header;
use keen_notch_core::survey::Depth;
use keen_notch_core::verdict::Verdict;
use keen_notch_io::carve::{Job, Outs, carve};
use keen_notch_io::files::RunFiles;
use keen_notch_io::formats;
use keen_notch_io::sink::{self, Sink, Stream};
use keen_notch_io::source::input::Input;
use keen_notch_io::survey::{Surveyed, survey};
use keen_notch_io::view::View;

use crate::args::{self, ReportArgs, ReportFormat};
use crate::commands::against::SurveyedTable;
use crate::commands::inputs::{names, read_twice, say_replaced};
use crate::commands::merge::{SavedFile, read};
use crate::commands::outputs::name_of;
use crate::commands::request::{Asked, Request};
use crate::console::{self, Console};
use crate::draw::survey::SurveyedColumn;
use crate::draw::{hints, verdict, visible};
use crate::exit::Exit;
use crate::failure::Failure;
use crate::progress::Progress;
use crate::report::{self, Hint, Page};
use crate::rules::RuleArgs;

use data::{changes, column, faults, file, list, rows_with_faults};

pub fn run(args: &ReportArgs, console: &Console) -> Result<Exit, Failure> {
    let is_json = args.to.map_or_else(|| is_json(args.out.as_deref()), |format| Ok(format == ReportFormat::Json))?;
    let known = RunFiles::default();
    let request = Request::read(asked(args), &known, console)?;
    let Request { inputs, reading, pieces, .. } = &request;
    read_twice(inputs, "a report reads its inputs twice", "save it as a file and name that")?;
    let before = saved(args, &known)?;
    let out = output(args, &known, console)?;
    let progress = Progress::of(inputs, &reading.meter, args.quiet, true);
    let (mut table, carving) = request.open(console)?;
    let header = table.header.clone();
    let job = plan(args, &request, &header, carving);
    let mut nowhere = Stream::new("nowhere", io::sink());
    let found = carve(&mut table, &job, &mut Outs::of_rows(&mut nowhere))?;
    let summary = found.summary(&job, &header, request.made_by());
    let mut again = table.again()?;
    let looked = job.carving().used_columns();
    let carving = job.carving();
    // The plots show the rows that were checked.
    let view = match carving.keeps_every_row() || carving.looks_back() {
        true => View::Columns(&looked),
        false => View::Kept { columns: Some(&looked), carving },
    };
    let Surveyed { surveys, inputs: of_rows, .. } = survey(&mut again, view, Depth::Full, None, args.threads.count())?;
    drop(progress);
    let files = inputs.iter().map(file).collect::<Result<_, _>>()?;
    // The hashes belong to the checked bytes.
    again.check_unchanged()?;
    let (titles, nths) = (view.titles(&header), view.nths(&header));
    let advice = hints::describe(&found, &job, &header, pieces, &request.rerun());
    let verdict = summary.verdict(advice.len());
    let now = SurveyedTable { name: &names(inputs), titles: &titles, nths: &nths, surveys: &surveys, inputs: &of_rows };
    let page = Page {
        version: report::VERSION,
        title: pieces.title.clone().unwrap_or_else(|| names(inputs)),
        made: jiff::Zoned::now().strftime("%-d %B %Y, %H:%M %Z").to_string(),
        verdict: verdict::sentence(&verdict, &summary),
        is_good: matches!(verdict, Verdict::Passed { .. }),
        files,
        faults: faults(&found, &job, &table, args.rows),
        rows: rows_with_faults(&found, &job, &table, args.rows),
        columns: titles
            .iter()
            .zip(&surveys)
            .map(|(title, survey)| {
                column(&SurveyedColumn { title, word: title, survey, inputs: &of_rows, is_piece: false, fine: false })
            })
            .collect(),
        hints: advice.into_iter().map(|(words, fixes)| Hint { words, fixes }).collect(),
        list: list(pieces),
        changes: before.iter().map(|(name, before)| changes(name, before, &summary, &now)).collect(),
        summary,
    };
    render(&page, is_json, out)?;
    if !args.quiet {
        let to = args.out.as_deref().map_or(String::new(), |path| format!(", in {}", name_of(path)));
        let words = verdict::words(&verdict, &page.summary);
        console.note(&visible::without_controls(&format!("{}: {words}{to}", names(inputs))));
    }
    say_replaced(&reading.meter, console, args.quiet);
    Ok(Exit::of_gaps(args.fail_on, &page.summary))
}

fn asked(args: &ReportArgs) -> Asked<'_> {
    Asked {
        rules: RuleArgs {
            lists: &args.lists,
            layouts: &args.layouts,
            pieces: &args.pieces,
            checks: &args.checks,
            keep: &args.rows_to_keep.keep,
            column: args.column.as_deref(),
            allow_outside: args.allow_outside,
            files_below: None,
        },
        files: &args.files,
        reading: &args.reading,
        ragged: args.ragged,
        part: None,
        quiet: args.quiet,
        writes_table: false,
    }
}

fn plan(args: &ReportArgs, request: &Request, header: &Header, carving: Carving) -> Job {
    Job::new(carving, header, &[], 0)
        .without_rows()
        .with_samples_of_each(args.rows)
        .with_failing()
        .with_diagnostics(request.diagnostics())
        .with_threads(args.threads.count())
}

fn saved(args: &ReportArgs, known: &RunFiles) -> Result<Vec<(String, SavedFile)>, Failure> {
    let inputs: Vec<Input> = args.against.iter().map(|path| args::input(path)).collect();
    inputs.iter().try_for_each(|input| known.reads(input))?;
    inputs.iter().map(|input| Ok((input.name(), read(input)?))).collect()
}

fn output(args: &ReportArgs, known: &RunFiles, console: &Console) -> Result<Option<Box<dyn Sink>>, Failure> {
    let out = match &args.out {
        Some(path) => Some(formats::create(path, known)?),
        None => known.prints().map(|()| None)?,
    };
    if out.is_none() && console.shows_tables {
        return Err(Failure::usage("a page cannot be shown in a terminal", "name a file for it: -o page.html"));
    }
    Ok(out)
}

fn render(page: &Page, is_json: bool, out: Option<Box<dyn Sink>>) -> Result<(), Failure> {
    let text = match is_json {
        // Serializing texts, numbers and lists cannot fail.
        true => visible::json(&serde_json::to_value(page).unwrap_or_default()),
        false => visible::without_controls(&report::html(page)),
    };
    match out {
        None => console::out().write_all(text.as_bytes())?,
        Some(mut out) => {
            out.put(text.as_bytes())?;
            sink::commit_all(vec![out])?;
        }
    }
    Ok(())
}

/// Whether the output is JSON, by its extension. A page has the extension `.html` or `.htm`, or no extension.
fn is_json(out: Option<&Path>) -> Result<bool, Failure> {
    let Some((out, extension)) = out.and_then(|out| Some((out, out.extension()?.to_str()?.to_ascii_lowercase()))) else {
        return Ok(false);
    };
    match extension.as_str() {
        "json" => Ok(true),
        "html" | "htm" => Ok(false),
        _ => {
            let page = out.with_extension("html");
            let message = format!("{}: .{extension} is not the extension of a report", out.display());
            Err(Failure::usage(message, format!("name it {}, or give the format with --to html or --to json", page.display())))
        }
    }
}
