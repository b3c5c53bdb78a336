//! Offers: completions, or phrases for wanted results.

use std::ops::Range;

use keen_notch_core::draft::{self, Example};
use keen_notch_core::phrase::{CompletionContext, Phrase, Upcoming, next_of_condition, next_of_phrase};
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
}

impl Offers {
    pub fn chosen(&self) -> Option<&str> {
        self.all.get(self.chosen).map(String::as_str)
    }

    pub fn words(line: Line, text: &str, sample: &Sample) -> Offers {
        let markers: Vec<&str> = sample.delimiters.iter().map(String::as_str).collect();
        let columns: Vec<String> = (0..sample.header.count_with_paths()).map(|column| sample.header.title(column)).collect();
        let known = CompletionContext { markers: &markers, columns: &columns, dates: &sample.dates, files: &sample.files };
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
                (start, next)
            }
            Line::More => {
                let start = text.rfind(',').map_or(0, |comma| comma + 1);
                let begun = text[start..].trim_start();
                let words = MORE.iter().filter(|key| key.starts_with(begun) && key.len() > begun.len());
                (text.len() - begun.len(), Upcoming { from: 0, words: words.map(|key| (*key).to_owned()).collect() })
            }
        };
        Offers { from: start + from, all: words, ..Offers::default() }
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
