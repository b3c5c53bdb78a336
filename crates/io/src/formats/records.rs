//! A format of the tests: records with a line `key: value` for each column and a blank line at the end.

use keen_notch_core::batch::Buffer;
use keen_notch_core::column::Header;

use crate::Error;
use crate::encode::rows::OutRows;
use crate::encode::{Encodable, Encoder, Extend, Out, OutputSchema};
use crate::formats::descriptor::{FormatDescriptor, Opening};
use crate::kind::{FormatInfo, Kind};
use crate::source::memory::{MemoryChunk, MemorySource};
use crate::source::{CellKind, Format, TableFormat};

static INFO: FormatInfo = FormatInfo { name: "records", endings: &["rec"], ..FormatInfo::TEXT };

pub static FORMAT: FormatDescriptor = FormatDescriptor {
    open: Some(|opening| Ok(Box::new(open(opening)?))),
    encoder: Some(|asked| Ok(Box::new(Records(asked.shape.clone())))),
    ..FormatDescriptor::new(&INFO)
};

#[derive(Debug)]
struct RecordFormat;

impl TableFormat for RecordFormat {
    fn kind(&self) -> Kind {
        &INFO
    }
}

fn open(Opening { input, reading, .. }: Opening) -> Result<MemorySource, Error> {
    let text = String::from_utf8_lossy(&input.read_whole(reading)?).into_owned();
    let members = |line| str::split_once(line, ": ").unwrap_or((line, ""));
    let keys: Vec<String> = text.lines().take_while(|line| !line.is_empty()).map(|line| members(line).0.to_owned()).collect();
    let mut rows = MemoryChunk::new(input.name(), keys.len());
    for (index, line) in text.lines().enumerate().filter(|(_, line)| !line.is_empty()) {
        if keys.first().is_some_and(|first| first == members(line).0) {
            rows.begin_row(index as u64 + 1);
        }
        rows.push(CellKind::Text, members(line).1);
    }
    Ok(MemorySource::new(Header::Names(keys), Format::new(RecordFormat), rows))
}

struct Records(OutputSchema);

impl Encoder for Records {
    fn begin(&self, _: &mut Buffer) -> bool {
        true
    }

    fn encode(&self, input: &Encodable, out: &mut Out) -> Result<(), Error> {
        let mut titles = self.0.titles.iter().cycle();
        OutRows::new(input, &self.0).each_cell(input, &self.0, |cell| match (cell.text(), &mut titles) {
            (Some(text), titles) => out.extend(format!("{}: {text}\n", titles.next().map_or("", |title| title)).as_bytes()),
            (None, _) => out.extend(b"\n"),
        });
        Ok(())
    }
}
