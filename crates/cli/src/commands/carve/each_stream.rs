//! Tables one after another on standard input, for an engine that keeps the program running: each is answered by a stream of its rows and
//! a stream of its summary.

use std::io::{self, BufRead};

use keen_notch_io::Error;
use keen_notch_io::carve::{Outs, carve};
use keen_notch_io::files::RunFiles;
use keen_notch_io::formats::columnar::ARROW_STREAM;
use keen_notch_io::formats::own_table::{OwnColumn, OwnTable, Value};
use keen_notch_io::formats::{FileFormat, with_format};
use keen_notch_io::hashes::HashFile;
#[cfg(feature = "columnar")]
use keen_notch_io::hashes::HashFormat;
use keen_notch_io::sink::{self, Sink, Stream};
use keen_notch_io::source::input::Input;

use super::plan;
use super::request::CarveRequest;
use crate::args::{CarveArgs, StreamAnswer};
use crate::console::Console;
use crate::draw::summary;
use crate::exit::Exit;
use crate::failure::Failure;

const STREAM: FileFormat = FileFormat { kind: Some(&ARROW_STREAM), compression: None };

pub fn run(args: &CarveArgs, answer: StreamAnswer, console: &Console) -> Result<Exit, Failure> {
    let mut request = CarveRequest::read(args, &RunFiles::default(), console)?;
    let is_arrow = |named: FileFormat| named.kind.is_some_and(|kind| kind.in_a_pipe == Some(&ARROW_STREAM));
    let reads_streams = request.run.inputs == [Input::Stdin] && request.run.reading.from.is_some_and(is_arrow);
    if !reads_streams || !is_arrow(request.named) {
        let message = "--each-stream reads Arrow streams from standard input, and writes Arrow streams to standard output";
        return Err(Failure::usage(message, "write: keen-notch carve - --from arrow --to arrow --each-stream rows -q"));
    }
    request.run.pieces.compares_elsewhere |= answer == StreamAnswer::Hashes;
    request.run.reading.stops_at_end_of_stream = true;
    while has_another()? {
        request.run.pieces.forget_today();
        answer_one(&request, answer, console)?;
    }
    Ok(Exit::Done)
}

fn has_another() -> Result<bool, Error> {
    let mut stdin = io::stdin().lock();
    let start = stdin.fill_buf().map_err(|source| Error::Read { name: Input::Stdin.name(), source })?;
    Ok(!start.is_empty())
}

fn answer_one(request: &CarveRequest, answer: StreamAnswer, console: &Console) -> Result<(), Failure> {
    let (mut table, carving) = request.run.open(console)?;
    let job = plan::job(request, &table, carving, STREAM, 0)?;
    let mut rows = match answer {
        StreamAnswer::Rows => with_format(sink::standard_output(), STREAM)?,
        StreamAnswer::Hashes | StreamAnswer::Summary => Box::new(Stream::new("nowhere", io::sink())),
    };
    let job = if answer == StreamAnswer::Rows { job } else { job.without_rows() };
    let mut out = sink::standard_output();
    let hashes = hashes(answer, &mut *out)?;
    let report = carve(&mut table, &job, &mut Outs { hashes, ..Outs::of_rows(&mut *rows) })?;
    sink::commit_all(vec![rows, out])?;
    let summary = summary::json(&report.summary(&job, &table.header, request.run.made_by()));
    let mut out = with_format(sink::standard_output(), STREAM)?;
    let mut table = OwnTable::new(STREAM, b',', &[OwnColumn { title: "summary".to_owned(), is_count: false }])?;
    table.begin(&mut *out)?;
    table.row(&[Value::Text(&summary)], &mut *out)?;
    table.end(&mut *out)?;
    Ok(sink::commit_all(vec![out])?)
}

#[cfg(feature = "columnar")]
fn hashes(answer: StreamAnswer, out: &mut dyn Sink) -> Result<Option<HashFile<'_>>, Error> {
    (answer == StreamAnswer::Hashes).then(|| HashFile::new(out, HashFormat::Arrow)).transpose()
}

/// Without the format, no stream has been read.
#[cfg(not(feature = "columnar"))]
fn hashes(_: StreamAnswer, _: &mut dyn Sink) -> Result<Option<HashFile<'_>>, Error> {
    Ok(None)
}
