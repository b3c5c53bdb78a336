//! The benchmark's job on JSON Lines as a good engineer writes it in an afternoon: serde_json and regex, one thread, buffers used
//! again. Reads the file that is named, writes to standard output.
//!
//! usage: lines-by-hand FILE
//!
//! Every member is kept; what is added is what `by-hand` adds.
use std::fs::File;
use std::io::{self, BufRead, BufReader, BufWriter, Write};

use regex::Regex;
use serde_json::{Map, Value};

fn main() -> Result<(), Box<dyn std::error::Error>> {
    let path = std::env::args().nth(1).ok_or("usage: lines-by-hand FILE")?;
    let mut reader = BufReader::with_capacity(1 << 20, File::open(path)?);
    let mut writer = BufWriter::with_capacity(1 << 20, io::stdout().lock());
    let order = Regex::new("WO:([0-9]+)")?;
    let number = Regex::new(r"[0-9]+(?:\.[0-9]+)?")?;
    let checks = [Regex::new("^[A-Z]{3}$")?, Regex::new("^[0-9]{8}$")?, Regex::new("^[A-Z0-9]{4}$")?];
    let mut line = String::new();
    while reader.read_line(&mut line)? > 0 {
        let mut row: Map<String, Value> = serde_json::from_str(&line)?;
        let text = |name: &str| row.get(name).and_then(Value::as_str).unwrap_or_default();

        let code = text("part_code");
        let at = |place: usize| place.min(code.len());
        let pieces = [&code[..at(3)], &code[at(4)..at(12)], &code[code.len().saturating_sub(4)..]];
        let mut faults = pieces.iter().zip(&checks).filter(|(piece, check)| !check.is_match(piece)).count();
        let [family, serial, grade] = pieces.map(str::to_owned);

        let mut sections = text("crew_id").split('-').skip(1);
        let crew = sections.next().unwrap_or_default();
        let team = sections.next().unwrap_or_default().to_owned();
        let crew_no = if crew.is_empty() { String::new() } else { format!("{crew:0>6}") };

        let (mailbox, domain) = text("email").split_once('@').unwrap_or_default();
        let (mailbox, domain) = (mailbox.to_ascii_lowercase(), domain.to_owned());

        let reference = text("reference");
        let found = order.captures(reference).and_then(|found| found.get(1));
        faults += usize::from(found.is_none());
        let found = found.map_or("", |found| found.as_str()).to_owned();
        let person = reference.split_once('(').and_then(|(_, rest)| rest.split_once(')')).map(|(person, _)| person);
        let person = person.unwrap_or_default().to_owned();
        let size = number.find_iter(reference).last().map_or("", |found| found.as_str()).to_owned();

        for (name, piece) in [
            ("family", family),
            ("serial", serial),
            ("grade", grade),
            ("team", team),
            ("crew_no", crew_no),
            ("mailbox", mailbox),
            ("domain", domain),
            ("order", found),
            ("person", person),
            ("size", size),
        ] {
            row.insert(name.to_owned(), Value::String(piece));
        }
        row.insert("faults".to_owned(), faults.into());
        serde_json::to_writer(&mut writer, &row)?;
        writer.write_all(b"\n")?;
        line.clear();
    }
    writer.flush()?;
    Ok(())
}
