//! Offers: completions, or phrases for wanted results.

use std::ops::Range;

use keen_notch_core::dates;
use keen_notch_core::draft::{self, Example};
use keen_notch_core::phrase::{CompletionContext, Phrase, Upcoming, next_of_condition, next_of_phrase, quoted};
use keen_notch_core::piece::column_in_head;
use keen_notch_core::program::Program;
use keen_notch_core::text::characters;
use keen_notch_core::text::unit::Unit;

use super::piece::{Line, MORE, conditions};
use super::sample::Sample;

#[derive(Debug, Clone, Default, PartialEq, Eq)]
pub struct Offers {
    /// The byte of the line where an accepted offer starts.
    pub from: usize,
    pub all: Vec<String>,
    pub chosen: usize,
    /// Whether they are phrases, of which the selected one is already in the line.
    pub are_phrases: bool,
    /// The offered formats of dates.
    pub(super) dates: Vec<DateFormat>,
}

#[derive(Debug, Clone, PartialEq, Eq)]
pub(super) struct DateFormat {
    format: &'static str,
    /// A text of the column that has the format.
    example: Option<String>,
}

/// The formats of texts, each with its first example, then the usual formats.
fn date_formats(texts: &[String]) -> Vec<DateFormat> {
    let found = dates::recognised(texts);
    let example = |row: u64| texts.get(usize::try_from(row).ok()?.checked_sub(1)?).cloned();
    let of_texts = found.iter().map(|found| DateFormat { format: found.format, example: example(found.earliest.row) });
    let usual = dates::usual().filter(|format| found.iter().all(|found| found.format != *format));
    of_texts.chain(usual.map(|format| DateFormat { format, example: None })).collect()
}

impl Offers {
    pub fn chosen(&self) -> Option<&str> {
        self.all.get(self.chosen).map(String::as_str)
    }

    /// The completions of a line. Formats of dates are recognised in `texts`, the texts behind the line.
    pub fn words(line: Line, text: &str, sample: &Sample, texts: impl FnOnce() -> Vec<String>) -> Offers {
        let markers: Vec<&str> = sample.delimiters.iter().map(String::as_str).collect();
        let header = &sample.rows.header;
        let columns: Vec<String> = (0..header.count_with_paths()).map(|column| header.title(column)).collect();
        let dates = if text.contains("date") { date_formats(&texts()) } else { Vec::new() };
        let formats: Vec<&str> = dates.iter().map(|date| date.format).collect();
        let known = CompletionContext { markers: &markers, columns: &columns, dates: &formats, files: &sample.files };
        let (start, Upcoming { from, words }) = match line {
            Line::Name => return Offers::default(),
            Line::Phrase => (0, next_of_phrase(text, known)),
            Line::Check => {
                let (start, condition) = conditions(text).pop().unwrap_or_default();
                (start, next_of_condition(condition, known))
            }
            Line::When => {
                // After the name of another column.
                let start = text.find(": ").map_or(0, |colon| colon + 2);
                let mut next = next_of_condition(&text[start..], known);
                // `when` cannot depend on other rows.
                next.words.retain(|word| word != "unique");
                let names = columns.iter().map(|column| format!("{}:", column_in_head(column)));
                let names: Vec<String> = names.filter(|name| start == 0 && name.starts_with(text)).collect();
                if !names.is_empty() {
                    // Completions after a complete word start at another byte, where no name fits.
                    next.words.retain(|_| next.from == 0);
                    next.from = 0;
                    next.words.extend(names);
                }
                (start, next)
            }
            Line::More => {
                let start = text.rfind(',').map_or(0, |comma| comma + 1);
                let begun = text[start..].trim_start();
                let words = MORE.iter().filter(|key| key.starts_with(begun) && key.len() > begun.len());
                (text.len() - begun.len(), Upcoming { from: 0, words: words.map(|key| (*key).to_owned()).collect() })
            }
        };
        Offers { from: start + from, all: words, dates, ..Offers::default() }
    }

    /// The example of an offered format of dates.
    pub fn example(&self, word: &str) -> Option<&str> {
        let of_word = |date: &&DateFormat| word.trim_start() == quoted(date.format);
        self.dates.iter().find(of_word)?.example.as_deref()
    }

    pub fn phrases(wanted: &[WantedResult], sample: &Sample, unit: Unit) -> Offers {
        let examples: Vec<Example> = wanted.iter().map(|wanted| wanted.example.clone()).collect();
        let mut found = draft::search_with_kinds(&examples).found;
        found.retain(|found| wanted.iter().all(|wanted| wanted.is_given_by(&found.phrase, unit)));
        let ranked = draft::rank(&found, &examples, &sample.ranked());
        Offers { all: ranked.into_iter().map(|ranked| ranked.phrase).collect(), are_phrases: true, ..Offers::default() }
    }
}

#[derive(Debug, Clone)]
pub struct WantedResult {
    pub example: Example,
    /// The byte range of the result in the value, if it was marked.
    pub place: Option<Range<usize>>,
}

impl WantedResult {
    fn is_given_by(&self, phrase: &str, unit: Unit) -> bool {
        let Ok(program) = Phrase::parse(phrase).and_then(|phrase| Program::new(&phrase, unit)) else { return false };
        let trace = program.trace(&self.example.value);
        let is_result = matches!(trace.results.as_slice(), [result] if result.text == self.example.result);
        is_result && self.place.as_ref().is_none_or(|place| trace.taken == std::slice::from_ref(place))
    }
}

pub fn by_position(value: &str, place: &Range<usize>) -> String {
    let first = characters::count(&value[..place.start]) + 1;
    match characters::count(&value[place.clone()]) {
        1 => format!("char {first}"),
        count if first == 1 => format!("first {count}"),
        count => format!("chars {first} to {}", first + count - 1),
    }
}
