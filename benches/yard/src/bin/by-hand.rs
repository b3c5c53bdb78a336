//! The benchmark's job as a good engineer writes it in an afternoon: the csv and regex crates, one thread, records and
//! buffers used again. Reads the file that is named, writes to standard output.
//!
//! usage: by-hand FILE
//!
//! Every column is kept; what is added is what `benches/yard.cutlist.toml` asks for, and how many of its checks a row
//! fails. Positions count bytes, which are characters in ASCII only.
use std::io;

use csv::{ByteRecord, ReaderBuilder, WriterBuilder};
use regex::bytes::Regex;

const ADDED: [&str; 11] =
    ["family", "serial", "grade", "team", "crew_no", "mailbox", "domain", "order", "person", "size", "faults"];

fn main() -> Result<(), Box<dyn std::error::Error>> {
    let path = std::env::args().nth(1).ok_or("usage: by-hand FILE")?;
    let mut reader = ReaderBuilder::new().buffer_capacity(1 << 20).from_path(path)?;
    let mut writer = WriterBuilder::new().buffer_capacity(1 << 20).from_writer(io::stdout().lock());
    let mut header = reader.byte_headers()?.clone();
    ADDED.iter().for_each(|name| header.push_field(name.as_bytes()));
    writer.write_byte_record(&header)?;

    let order = Regex::new("WO:([0-9]+)")?;
    let number = Regex::new(r"[0-9]+(?:\.[0-9]+)?")?;
    let checks = [Regex::new("^[A-Z]{3}$")?, Regex::new("^[0-9]{8}$")?, Regex::new("^[A-Z0-9]{4}$")?];
    let mut places = order.capture_locations();
    let (mut record, mut padded, mut lower) = (ByteRecord::new(), Vec::new(), Vec::new());
    while reader.read_byte_record(&mut record)? {
        record.iter().try_for_each(|cell| writer.write_field(cell))?;

        let code = &record[1];
        let at = |place: usize| place.min(code.len());
        let pieces = [&code[..at(3)], &code[at(4)..at(12)], &code[code.len().saturating_sub(4)..]];
        let mut faults = pieces.iter().zip(&checks).filter(|(piece, check)| !check.is_match(piece)).count();
        pieces.iter().try_for_each(|piece| writer.write_field(piece))?;

        let mut sections = record[2].split(|byte| *byte == b'-').skip(1);
        let crew = sections.next().unwrap_or_default();
        writer.write_field(sections.next().unwrap_or_default())?;
        padded.clear();
        padded.resize(6usize.saturating_sub(crew.len()), b'0');
        padded.extend_from_slice(crew);
        writer.write_field(if crew.is_empty() { &[][..] } else { &padded })?;

        let (mailbox, domain) = parted(&record[3], b'@').unwrap_or_default();
        lower.clear();
        lower.extend(mailbox.iter().map(u8::to_ascii_lowercase));
        writer.write_field(&lower)?;
        writer.write_field(domain)?;

        let reference = &record[4];
        let found = order.captures_read(&mut places, reference).and_then(|_| places.get(1));
        faults += usize::from(found.is_none());
        writer.write_field(found.map_or(&[][..], |(start, end)| &reference[start..end]))?;
        let person = parted(reference, b'(').and_then(|(_, rest)| parted(rest, b')')).map(|(person, _)| person);
        writer.write_field(person.unwrap_or_default())?;
        writer.write_field(number.find_iter(reference).last().map_or(&[][..], |found| found.as_bytes()))?;
        writer.write_field(faults.to_string())?;
        writer.write_record(None::<&[u8]>)?;
    }
    writer.flush()?;
    Ok(())
}

/// What is before the first of a byte, and what is after it.
fn parted(text: &[u8], byte: u8) -> Option<(&[u8], &[u8])> {
    let at = text.iter().position(|other| *other == byte)?;
    Some((&text[..at], &text[at + 1..]))
}
