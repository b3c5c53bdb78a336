//! The original columns of the output: `--columns`, `--without` and `--only-pieces`.

use std::collections::HashSet;

use keen_notch_core::column::{ColumnIndex, ColumnRef, Header};
use keen_notch_core::phrase::text_at;
use keen_notch_io::carve::Job;

use crate::args::CarveArgs;
use crate::failure::Failure;

pub struct OriginalColumns {
    /// Their indices in the table, in the order of the output.
    pub columns: Vec<usize>,
    /// New titles of some of them.
    pub titles: Vec<(usize, String)>,
}

impl OriginalColumns {
    pub fn of(args: &CarveArgs, header: &Header) -> Result<OriginalColumns, Failure> {
        let mut wanted = OriginalColumns { columns: Vec::new(), titles: Vec::new() };
        if args.only_pieces {
            return Ok(wanted);
        }
        let index = ColumnIndex::new(header);
        let find = |column: &str| index.find(&ColumnRef::parse(column));
        let Some(columns) = &args.columns else {
            let without = args.without.iter().flat_map(|columns| split(columns, ',')).map(find);
            let without = without.collect::<Result<HashSet<_>, _>>()?;
            wanted.columns = (0..header.count()).filter(|column| !without.contains(column)).collect();
            return Ok(wanted);
        };
        let mut seen = HashSet::new();
        for text in split(columns, ',') {
            // A column can have such a name.
            let (title, column) = match (split(text, '=').as_slice(), find(text)) {
                ([title, column], Err(_)) => (Some(title.trim()), find(column)?),
                (_, column) => (None, column?),
            };
            if column >= header.count() {
                let path = header.title(column);
                let message = format!("--columns names {path}, which is a path and no column");
                let name = path.rsplit('.').next().unwrap_or_default();
                return Err(Failure::usage(message, format!("make it a piece: -p '{name} of {path}: whole'")));
            }
            if !seen.insert(column) {
                let message = format!("--columns names {} twice", header.title(column));
                return Err(Failure::usage(message, "name each column once"));
            }
            wanted.columns.push(column);
            if let Some(title) = title {
                let title = match ColumnRef::parse(title) {
                    ColumnRef::Name(title) => title,
                    ColumnRef::Number(number) => format!("#{number}"),
                };
                if title.is_empty() {
                    let message = format!("--columns gives {} no name", header.title(column));
                    return Err(Failure::usage(message, "write it like --columns 'part=part_code'"));
                }
                wanted.titles.push((column, title));
            }
        }
        Ok(wanted)
    }

    /// The job with the new titles. `is_headless`: the output has no place for them.
    pub fn rename(&self, mut job: Job, header: &Header, is_headless: bool) -> Result<Job, Failure> {
        if let (true, Some((_, title))) = (is_headless, self.titles.first()) {
            let message = format!("--columns gives the name {title}, and the output has no header");
            return Err(Failure::usage(message, "add --out-header yes, or remove the name"));
        }
        for (column, title) in &self.titles {
            job = job.with_title(*column, title).ok_or_else(|| {
                let message = format!("--columns renames {0}, but a piece replaces {0}", header.title(*column));
                Failure::usage(message, "give the name to the piece")
            })?;
        }
        let is_doubled = |title: &String| job.titles().iter().filter(|other| *other == title).count() > 1;
        match self.titles.iter().find(|(_, title)| is_doubled(title)) {
            Some((_, title)) => {
                let message = format!("two columns of the output would have the name {title}");
                Err(Failure::usage(message, "use another name in --columns"))
            }
            None => Ok(job),
        }
    }
}

/// Splits a text at the delimiters outside quotes.
fn split(text: &str, delimiter: char) -> Vec<&str> {
    let (mut parts, mut start, mut at) = (Vec::new(), 0, 0);
    while let Some(c) = text[at..].chars().next() {
        let before = text[start..at].trim_end();
        let is_start = before.is_empty() || before.ends_with('=');
        match text_at(text, at) {
            Ok((_, end)) if is_start && text[at..].starts_with(['"', '\'']) => at = end,
            _ => {
                if c == delimiter {
                    parts.push(&text[start..at]);
                    start = at + c.len_utf8();
                }
                at += c.len_utf8();
            }
        }
    }
    parts.push(&text[start..]);
    parts
}
