use std::sync::Arc;

use jiff::civil::{Date, DateTime};
use jiff::fmt::strtime::{self, BrokenDownTime};

use super::day::DayPlan;
use crate::phrase::ast::{DateFormat, DateOutput};
use crate::phrase::reference::DATE_FIELDS;
use crate::phrase::{ErrorKind, PhraseError};

#[derive(Debug, Clone)]
pub(crate) struct DatePlan {
    format: String,
    fields: Vec<Field>,
    /// The first possible year of `%y`, if given.
    from: Option<i16>,
    /// The format of the result; `None` for ISO 8601.
    output: Option<String>,
    /// The fast path.
    day: Option<Arc<DayPlan>>,
}

const LETTERS: [(&str, &str); 11] = [
    ("yyyy", "%Y"),
    ("mmmm", "%B"),
    ("mmm", "%b"),
    ("yy", "%y"),
    ("mm", "%m"),
    ("dd", "%d"),
    ("hh", "%H"),
    ("ss", "%S"),
    ("m", "%m"),
    ("d", "%d"),
    ("y", "%Y"),
];

/// The strftime format for letters such as `dd.mm.yyyy`; `None` without such letters.
fn with_fields(letters: &str) -> Option<String> {
    if letters.contains('%') {
        return None;
    }
    let (mut rest, mut meant, mut has_hour) = (letters.to_lowercase(), String::new(), false);
    while let Some(c) = rest.chars().next() {
        let (letters, field) = LETTERS.iter().find(|(letters, _)| rest.starts_with(letters)).copied().unzip();
        // `mm` after hours means minutes.
        meant += match field {
            Some("%m") if has_hour => "%M",
            Some(field) => field,
            None => &rest[..c.len_utf8()],
        };
        has_hour |= field == Some("%H");
        rest.drain(..letters.map_or(c.len_utf8(), str::len));
    }
    meant.contains('%').then_some(meant)
}

#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(super) enum Field {
    Char(char),
    Digits { least: usize, most: usize },
    Padded(usize),
    Letters,
    Offset,
}

impl DatePlan {
    pub(crate) fn new(format: &DateFormat) -> Result<DatePlan, PhraseError> {
        let refused = |reason: String| PhraseError {
            kind: ErrorKind::BadDateFormat(reason),
            span: format.span.clone(),
            help: match with_fields(&format.text) {
                Some(meant) if DatePlan::new(&DateFormat { text: meant.clone(), ..format.clone() }).is_ok() => {
                    format!("write `date \"{meant}\"`")
                }
                _ => format!("write it like `date \"%Y-%m-%d\"`; the fields are {DATE_FIELDS}"),
            },
        };
        let written_out = written_out(&format.text);
        let fields = fields(&written_out).map_err(refused)?;
        if format.from.is_some() && !written_out.contains("%y") {
            return Err(refused("`from` sets the century of %y, and the format has no %y".to_owned()));
        }
        let day = DayPlan::new(&written_out, &fields, format.from, None).map(Arc::new);
        let plan = DatePlan { format: written_out, fields, from: format.from, output: None, day };
        match plan.sample().and_then(|parsed| iso(&parsed)) {
            Ok(date) if date.starts_with("2034-11-27") => Ok(plan),
            Ok(_) => Err(refused("it does not say the whole day".to_owned())),
            Err(reason) => Err(refused(reason)),
        }
    }

    /// The plan with a format for its results.
    ///
    /// # Errors
    /// The format is invalid, or needs a time of day that the dates lack.
    pub(crate) fn with_output(self, output: &DateOutput) -> Result<DatePlan, PhraseError> {
        const TIMES: [&str; 9] = ["%H", "%M", "%S", "%I", "%p", "%f", "%z", "%T", "%R"];
        let written = self.sample().and_then(|parsed| {
            let has_time = TIMES.iter().any(|field| output.text.contains(field));
            match () {
                () if !output.text.contains('%') => Err("the format of the result has no field".to_owned()),
                () if has_time && parsed.hour().is_none() => {
                    Err("the result has a time of day, and the dates have none".to_owned())
                }
                () => write(&parsed, &output.text),
            }
        });
        match written {
            Ok(_) => {
                let day = DayPlan::new(&self.format, &self.fields, self.from, Some(&output.text)).map(Arc::new);
                Ok(DatePlan { output: Some(output.text.clone()), day, ..self })
            }
            Err(reason) => {
                let help = match with_fields(&output.text).filter(|meant| self.writes(meant)) {
                    Some(meant) => format!("write `as \"{meant}\"`"),
                    None => format!("write it like `as \"%d.%m.%Y\"`; the fields are {DATE_FIELDS}"),
                };
                Err(PhraseError { kind: ErrorKind::BadDateFormat(reason), span: output.span.clone(), help })
            }
        }
    }

    fn writes(&self, format: &str) -> bool {
        self.sample().and_then(|parsed| write(&parsed, format)).is_ok()
    }

    pub(crate) fn output(&self) -> Option<&str> {
        self.output.as_deref()
    }

    /// A date above the middle of every field, as the format reads it. It reveals fields that the format lacks.
    fn sample(&self) -> Result<BrokenDownTime, String> {
        let sample = DateTime::constant(2034, 11, 27, 16, 45, 38, 0).to_zoned(jiff::tz::TimeZone::UTC);
        let written = sample.and_then(|sample| BrokenDownTime::from(&sample).to_string(&self.format));
        written.and_then(|written| strtime::parse(&self.format, written)).map_err(|error| error.to_string())
    }

    /// Parses a date and formats it.
    pub(crate) fn read(&self, text: &str) -> Option<String> {
        match &self.day {
            Some(day) => day.read(text.as_bytes()).map(|date| day.write(date).text().to_owned()),
            None => self.read_any(text),
        }
    }

    /// Parses a date, without its time.
    pub(crate) fn date(&self, text: &str) -> Option<Date> {
        match &self.day {
            Some(day) => day.read(text.as_bytes()),
            None => self.parse(text)?.to_date().ok(),
        }
    }

    pub(super) fn reads(&self, text: &str) -> bool {
        match &self.day {
            Some(day) => day.read(text.as_bytes()).is_some(),
            None => self.read_any(text).is_some(),
        }
    }

    pub(super) fn day(&self) -> Option<&Arc<DayPlan>> {
        self.day.as_ref()
    }

    fn parse(&self, text: &str) -> Option<BrokenDownTime> {
        if !self.fields.iter().try_fold(text, |rest, field| field.after(rest))?.is_empty() {
            return None;
        }
        let mut parsed = strtime::parse(&self.format, text).ok()?;
        if let (Some(from), Some(year)) = (self.from, parsed.year()) {
            parsed.set_year(Some(from + (year - from).rem_euclid(100))).ok()?;
        }
        Some(parsed)
    }

    /// The definition.
    fn read_any(&self, text: &str) -> Option<String> {
        let parsed = self.parse(text)?;
        match &self.output {
            None => iso(&parsed).ok(),
            Some(output) => write(&parsed, output).ok(),
        }
    }
}

impl Field {
    fn after(self, text: &str) -> Option<&str> {
        let digits = |text: &str, most: usize| text.bytes().take(most).take_while(u8::is_ascii_digit).count();
        match self {
            Field::Char(c) => text.strip_prefix(c),
            Field::Digits { least, most } => {
                Some(digits(text, most)).filter(|count| *count >= least).map(|count| &text[count..])
            }
            Field::Padded(width) => {
                let spaces = text.bytes().take(width - 1).take_while(|byte| *byte == b' ').count();
                let count = digits(&text[spaces..], width - spaces);
                (count > 0).then(|| &text[spaces + count..])
            }
            Field::Letters => {
                let rest = text.trim_start_matches(char::is_alphabetic);
                (rest.len() < text.len()).then_some(rest)
            }
            Field::Offset => {
                let rest = text.strip_prefix(['+', '-'])?;
                let after = rest.trim_start_matches(|c: char| c.is_ascii_digit() || c == ':');
                (after.len() < rest.len()).then_some(after)
            }
        }
    }
}

fn written_out(format: &str) -> String {
    // A doubled percent sign is not an abbreviation.
    let whole = [("%F", "%Y-%m-%d"), ("%D", "%m/%d/%y"), ("%T", "%H:%M:%S"), ("%R", "%H:%M")];
    format
        .split("%%")
        .map(|part| whole.iter().fold(part.to_owned(), |part, (one, all)| part.replace(one, all)))
        .collect::<Vec<_>>()
        .join("%%")
}

fn fields(format: &str) -> Result<Vec<Field>, String> {
    let mut fields = Vec::new();
    // Indices of fields that may have one digit less, because their neighbours are not digits.
    let mut narrow = Vec::new();
    let mut chars = format.chars();
    while let Some(c) = chars.next() {
        if c != '%' {
            fields.push(Field::Char(c));
            continue;
        }
        let exactly = |count| Field::Digits { least: count, most: count };
        fields.push(match chars.next() {
            Some('%') => Field::Char('%'),
            Some('Y') => exactly(4),
            Some('y') => exactly(2),
            Some('m' | 'd' | 'H' | 'M' | 'S' | 'I') => {
                narrow.push(fields.len());
                exactly(2)
            }
            Some('j') => {
                narrow.push(fields.len());
                exactly(3)
            }
            Some('e' | 'k' | 'l') => Field::Padded(2),
            Some('f') => Field::Digits { least: 1, most: 9 },
            Some('b' | 'B' | 'h' | 'a' | 'A' | 'p' | 'P') => Field::Letters,
            Some('z') => Field::Offset,
            Some(other) => return Err(format!("it has the unsupported field %{other}")),
            None => return Err("it ends in a lone %".to_owned()),
        });
    }
    for place in narrow {
        let is_apart = |beside: Option<&Field>| matches!(beside, Some(Field::Char(c)) if !c.is_ascii_digit());
        let (before, after) = (place.checked_sub(1).and_then(|before| fields.get(before)), fields.get(place + 1));
        let is_beside_digits = [before, after].iter().any(|beside| matches!(beside, Some(Field::Digits { .. })));
        if (is_apart(before) || is_apart(after))
            && !is_beside_digits
            && let Some(Field::Digits { least, .. }) = fields.get_mut(place)
        {
            *least = 1;
        }
    }
    Ok(fields)
}

/// The date in a format that has only fields of the date that was read.
fn write(parsed: &BrokenDownTime, format: &str) -> Result<String, String> {
    let day = parsed.to_date().map_err(|error| error.to_string())?;
    let mut all = BrokenDownTime::from(day);
    if parsed.hour().is_some() {
        all = BrokenDownTime::from(parsed.to_datetime().map_err(|error| error.to_string())?);
        all.set_offset(parsed.offset());
    }
    all.to_string(format).map_err(|error| error.to_string())
}

fn iso(parsed: &BrokenDownTime) -> Result<String, String> {
    let day = parsed.to_date().map_err(|error| error.to_string())?;
    if parsed.hour().is_none() {
        return Ok(day.to_string());
    }
    let time = parsed.to_datetime().map_err(|error| error.to_string())?;
    let offset = parsed.offset().map(|offset| {
        let minutes = offset.seconds() / 60;
        let sign = if minutes < 0 { '-' } else { '+' };
        format!("{sign}{:02}:{:02}", minutes.abs() / 60, minutes.abs() % 60)
    });
    Ok(format!("{time}{}", offset.unwrap_or_default()))
}

#[cfg(test)]
mod tests {
    use proptest::prelude::*;
    use proptest::sample::select;

    use super::*;

    const FORMATS: [&str; 14] = [
        "%Y-%m-%d",
        "%d.%m.%y",
        "%d%m%Y",
        "%m/%d/%Y",
        "%y%m%d",
        "%d %m, %Y",
        "%d%%%m-%y",
        "%F",
        "%D",
        "%m-%d%Y",
        "%d1%m-%Y",
        "%Y-%m-%d %d",
        "%d %b %Y",
        "%dé%m/%Y",
    ];

    proptest! {
        #![proptest_config(ProptestConfig::with_cases(1000))]

        #[test]
        fn dates_of_digits_are_read_and_written_by_definition(
            format in select(FORMATS.as_slice()),
            output in select(vec!["", "%F", "%d.%m.%Y", "%y%m%d", "%Y", "é%d"]),
            from in proptest::option::of(0i16..9999),
            year in 0i16..=9999,
            month in 1i8..=12,
            day in 1i8..=31,
            at in 0usize..12,
            put in select(vec!["", "0", "9", " ", "-", "é", "31"]),
        ) {
            let format = DateFormat { text: format.to_owned(), from, span: 0..0 };
            let Ok(mut plan) = DatePlan::new(&format) else { return Ok(()) };
            if !output.is_empty() {
                plan = plan.with_output(&DateOutput { text: output.to_owned(), span: 0..0 }).unwrap();
            }
            let date = DateTime::new(year, month, day.min(28), 0, 0, 0, 0).unwrap();
            let written = BrokenDownTime::from(date).to_string(&plan.format).unwrap().replace("28", &day.to_string());
            let change = |(index, c): (usize, char)| if index == at { put.to_owned() } else { c.to_string() };
            let changed = written.char_indices().map(change).collect();
            for text in [written, changed] {
                prop_assert_eq!(plan.read(&text), plan.read_any(&text), "{:?} as {:?} of {:?}", format, output, text);
            }
        }
    }
}
