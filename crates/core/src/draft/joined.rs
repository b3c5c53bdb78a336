//! Examples with values of several columns: a phrase for each column, and a template that joins their results.
//!
//! The result of the first example is divided into texts and segments, one segment for each column. The phrases that give a segment come
//! from the search for one column. The other examples decide between the divisions: there, the same texts and phrases must give the result.

use std::collections::BTreeMap;

use indexmap::IndexMap;

use super::dates;
use super::example::{Example, folded};
use super::list::{Origin, of, one_line};
use super::plans::compile;
use super::rank::{RankedPhrase, rank};
use super::search::{FoundPhrase, search};
use crate::phrase::quoted;
use crate::piece::column_in_head;
use crate::program::Scratch;
use crate::survey::Row;
use crate::text_error::TextError;
use crate::toml_text::{toml_key, toml_text};

const MOST_COLUMNS: usize = 4;
const MOST_CHARACTERS: usize = 60;
const MOST_DIVISIONS: usize = 24;
const MOST_TRIED: usize = 20_000;
/// The cost of a character between the segments.
const OF_TEXT: f64 = 0.05;

/// The values of some columns, and the wanted result.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct JoinedExample {
    /// The columns, by number, with their values.
    pub values: Vec<(usize, String)>,
    pub result: String,
}

impl JoinedExample {
    /// Parses `COLUMN=VALUE; COLUMN=VALUE => RESULT`. `None` if the text does not begin with one of the columns and `=`.
    ///
    /// ```
    /// use keen_notch_core::draft::JoinedExample;
    ///
    /// let columns = ["name", "year"].map(str::to_owned);
    /// let example = JoinedExample::parse("name=Ines; year=2019 => INES19", &columns).unwrap()?;
    /// assert_eq!(example.values, [(0, "Ines".to_owned()), (1, "2019".to_owned())]);
    /// assert!(JoinedExample::parse("GRP-1 => 1", &columns).is_none());
    /// # Ok::<(), keen_notch_core::text_error::TextError>(())
    /// ```
    ///
    /// # Errors
    /// Where the arrow is missing, a side is empty, or a column is named twice.
    pub fn parse(text: &str, columns: &[String]) -> Option<Result<JoinedExample, TextError>> {
        named(text, columns)?;
        Some(Example::parse(text).and_then(|example| {
            let mut values: Vec<(usize, String)> = Vec::new();
            let mut at = 0;
            while let Some((column, width)) = named(&example.value[at..], columns) {
                let begin = at + width;
                let rest = &example.value[begin..];
                // A value goes on to the next column that is named.
                let ends = rest.match_indices(';').find_map(|(end, _)| {
                    let after = &rest[end + 1..];
                    let space = after.len() - after.trim_start().len();
                    named(after.trim_start(), columns).map(|_| (end, end + 1 + space))
                });
                let (end, next) = ends.unwrap_or((rest.len(), rest.len()));
                if values.iter().any(|(known, _)| *known == column) {
                    let message = format!("the column {} is given twice", columns[column]);
                    return Err(TextError::new(message, at..begin, "give each column once"));
                }
                values.push((column, rest[..end].to_owned()));
                at = begin + next;
            }
            Ok(JoinedExample { values, result: example.result })
        }))
    }
}

/// The column that a text begins with, and the number of bytes of its name and the `=` after it. The longest name counts.
fn named(text: &str, columns: &[String]) -> Option<(usize, usize)> {
    let found = columns.iter().enumerate().filter_map(|(column, name)| {
        let quoted = quoted(name);
        let is_named =
            |name: &str| text.strip_prefix(name).is_some_and(|rest| rest.starts_with('=') && !rest.starts_with("=>"));
        [name.as_str(), &quoted]
            .into_iter()
            .find(|name| !name.is_empty() && is_named(name))
            .map(|name| (column, name.len() + 1))
    });
    found.max_by_key(|(_, width)| *width)
}

/// A phrase for each column, and how their results are joined.
#[derive(Debug, Clone)]
pub struct JoinedDraft {
    pub parts: Vec<JoinedPart>,
    /// The texts before, between and after the parts.
    pub texts: Vec<String>,
}

#[derive(Debug, Clone)]
pub struct JoinedPart {
    pub column: usize,
    /// The best phrases for the part, the best first.
    pub phrases: Vec<RankedPhrase>,
}

/// A division of the first result: the texts, and between them the segments, each with the index of its column in the examples.
#[derive(Debug, Clone, PartialEq)]
struct Division {
    texts: Vec<String>,
    segments: Vec<(usize, String)>,
}

/// Searches phrases and a template that give all results. All examples have the same columns in the same order; `samples` has rows of each.
/// `None` if no tried phrases give the results.
///
/// ```
/// use keen_notch_core::draft::{JoinedExample, search_joined};
/// use keen_notch_core::survey::Row;
///
/// let columns = ["name", "year"].map(str::to_owned);
/// let examples = [JoinedExample::parse("name=Ines; year=2019 => INES19", &columns).unwrap()?];
/// let rows = |values: [&str; 2]| values.map(|value| Row { row: 1, value: value.to_owned() }).to_vec();
/// let found = search_joined(&examples, &[rows(["Ines", "Bram"]), rows(["2019", "2024"])]).unwrap();
/// let phrases: Vec<&str> = found.parts.iter().map(|part| &*part.phrases[0].phrase).collect();
/// assert_eq!(phrases, ["upper", "last 2"]);
/// # Ok::<(), keen_notch_core::text_error::TextError>(())
/// ```
pub fn search_joined(examples: &[JoinedExample], samples: &[Vec<Row>]) -> Option<JoinedDraft> {
    let first = examples.first()?;
    let mut known: BTreeMap<(usize, String), Vec<FoundPhrase>> = BTreeMap::new();
    let mut best: Option<(f64, JoinedDraft)> = None;
    for division in divisions(first) {
        let phrases: Vec<Vec<FoundPhrase>> = division
            .segments
            .iter()
            .map(|(place, segment)| {
                let search = || {
                    let value = first.values[*place].1.clone();
                    search(&[Example { value, result: segment.clone() }]).found
                };
                known.entry((*place, segment.clone())).or_insert_with(search).clone()
            })
            .collect();
        let Some((cost, draft)) = of_division(&division, &phrases, examples, samples) else { continue };
        if best.as_ref().is_none_or(|(least, _)| cost < *least) {
            best = Some((cost, draft));
        }
    }
    best.map(|(_, draft)| draft)
}

/// The best phrases of a division that give all results, with their cost.
fn of_division(
    division: &Division,
    phrases: &[Vec<FoundPhrase>],
    examples: &[JoinedExample],
    samples: &[Vec<Row>],
) -> Option<(f64, JoinedDraft)> {
    // Phrases with the same results for all examples are alike.
    let alike: Vec<IndexMap<Vec<String>, Vec<FoundPhrase>>> = division
        .segments
        .iter()
        .zip(phrases)
        .map(|((place, _), found)| {
            let mut alike: IndexMap<Vec<String>, Vec<FoundPhrase>> = IndexMap::new();
            for phrase in found {
                if let Some(results) = results(&phrase.phrase, examples.iter().map(|example| &example.values[*place].1)) {
                    alike.entry(results).or_default().push(phrase.clone());
                }
            }
            alike
        })
        .collect();
    let chosen = choose(&alike, &mut Vec::new(), &|chosen| {
        examples.iter().enumerate().all(|(index, example)| {
            let mut joined = division.texts[0].clone();
            for (results, text) in chosen.iter().zip(&division.texts[1..]) {
                joined += &results[index];
                joined += text;
            }
            joined == example.result
        })
    })?;
    let mut cost = OF_TEXT * division.texts.iter().map(|text| text.chars().count()).sum::<usize>() as f64;
    let mut parts = Vec::new();
    for (((place, _), results), alike) in division.segments.iter().zip(&chosen).zip(&alike) {
        let found = &alike[results];
        let values = examples.iter().map(|example| &example.values[*place].1);
        let pairs: Vec<Example> =
            values.zip(results).map(|(value, result)| Example { value: value.clone(), result: result.clone() }).collect();
        let sample = samples.get(*place).map_or(&[][..], Vec::as_slice);
        let ranked = rank(found, &pairs, sample);
        let best = ranked.first()?;
        let misses = (sample.len() - best.gives) as f64 / sample.len().max(1) as f64;
        cost += misses + found.iter().find(|phrase| phrase.phrase == best.phrase).map_or(0.0, |phrase| phrase.cost);
        parts.push(JoinedPart { column: examples[0].values[*place].0, phrases: ranked });
    }
    Some((cost, JoinedDraft { parts, texts: division.texts.clone() }))
}

/// The first choice of results, one for each segment, that a test accepts. Cheap phrases come first.
fn choose(
    alike: &[IndexMap<Vec<String>, Vec<FoundPhrase>>],
    chosen: &mut Vec<Vec<String>>,
    accepts: &dyn Fn(&[Vec<String>]) -> bool,
) -> Option<Vec<Vec<String>>> {
    let Some(next) = alike.get(chosen.len()) else { return accepts(chosen).then(|| chosen.clone()) };
    for results in next.keys() {
        chosen.push(results.clone());
        let found = choose(alike, chosen, accepts);
        chosen.pop();
        if found.is_some() {
            return found;
        }
    }
    None
}

/// The results of a phrase for some values; `None` if one is missing.
fn results<'v>(phrase: &str, values: impl Iterator<Item = &'v String>) -> Option<Vec<String>> {
    let (plan, mut scratch) = (compile(phrase)?, Scratch::default());
    values
        .map(|value| {
            let cut = plan.cut(value, &mut scratch);
            cut.state.is_there().then(|| cut.text.to_owned())
        })
        .collect()
}

/// Divisions of the result into texts and one segment for each column. Fewer characters between the segments come first.
fn divisions(example: &JoinedExample) -> Vec<Division> {
    let characters: Vec<char> = example.result.chars().collect();
    if characters.len() > MOST_CHARACTERS || !(1..=MOST_COLUMNS).contains(&example.values.len()) {
        return Vec::new();
    }
    let plain: Vec<String> = example.values.iter().map(|(_, value)| letters(value)).collect();
    let mut search = Divisions { example, characters, plain, used: Vec::new(), found: Vec::new(), tried: 0 };
    search.go_on(0, String::new(), &mut Vec::new());
    let mut found = search.found;
    found.sort_by_key(|division| division.texts.iter().map(|text| text.chars().count()).sum::<usize>());
    found.truncate(MOST_DIVISIONS);
    found
}

struct Divisions<'e> {
    example: &'e JoinedExample,
    characters: Vec<char>,
    /// The letters and digits of each value, in lower case.
    plain: Vec<String>,
    used: Vec<usize>,
    found: Vec<Division>,
    tried: usize,
}

impl Divisions<'_> {
    /// Continues at a character, after a text and the parts before it.
    fn go_on(&mut self, at: usize, text: String, parts: &mut Vec<(String, usize, String)>) {
        self.tried += 1;
        if self.tried > MOST_TRIED {
            return;
        }
        if self.used.len() == self.example.values.len() {
            let rest: String = self.characters[at..].iter().collect();
            if self.is_text(&rest) {
                let texts = parts.iter().map(|(before, ..)| before.clone()).chain([text + &rest]).collect();
                let segments = parts.iter().map(|(_, place, segment)| (*place, segment.clone())).collect();
                self.found.push(Division { texts, segments });
            }
            return;
        }
        for place in (0..self.example.values.len()).filter(|place| !self.used.contains(place)).collect::<Vec<_>>() {
            // The longest segments first.
            for end in (at + 1..=self.characters.len()).rev() {
                let segment: String = self.characters[at..end].iter().collect();
                if self.may_come_from(place, &segment) {
                    self.used.push(place);
                    parts.push((text.clone(), place, segment));
                    self.go_on(end, String::new(), parts);
                    parts.pop();
                    self.used.pop();
                }
            }
        }
        if let Some(c) = self.characters.get(at)
            && self.is_text(&c.to_string())
        {
            self.go_on(at + 1, format!("{text}{c}"), parts);
        }
    }

    /// Whether a text can stand between segments: it contains no letter or digit of a value.
    fn is_text(&self, text: &str) -> bool {
        !letters(text).chars().any(|c| self.plain.iter().any(|value| value.contains(c)))
    }

    /// Whether a segment has letters or digits, all in a row in the value; or it is a date of the value, or its number with other zeros.
    fn may_come_from(&self, place: usize, segment: &str) -> bool {
        let plain = letters(segment);
        let ends = segment.chars().next().zip(segment.chars().next_back());
        let has_ends = ends.is_some_and(|(first, last)| first.is_alphanumeric() && last.is_alphanumeric());
        let trimmed = plain.trim_start_matches('0');
        has_ends
            && (self.plain[place].contains(&plain)
                || (trimmed.len() >= 2 && trimmed.len() < plain.len() && self.plain[place].contains(trimmed))
                || !dates::steps(&[&self.example.values[place].1], &[segment]).is_empty())
    }
}

fn letters(text: &str) -> String {
    folded(text).chars().filter(|c| c.is_alphanumeric()).collect()
}

impl JoinedDraft {
    /// The names of the parts, and the name of the piece that joins them. No column has one of these names.
    pub fn names(&self, columns: &[String]) -> (Vec<String>, String) {
        let mut names: Vec<String> = Vec::new();
        let free = |wished: String, names: &[String]| {
            let others = (2..).map(|n| format!("{wished}_{n}"));
            let is_free = |name: &String| !columns.contains(name) && !names.contains(name);
            std::iter::once(wished.clone()).chain(others).find(is_free).unwrap_or_default()
        };
        for part in &self.parts {
            let column = columns.get(part.column).map_or("column", String::as_str);
            let plain: String = column.chars().map(|c| if c.is_alphanumeric() { c } else { '_' }).collect();
            let name = free(format!("{}_part", plain.trim_matches('_')), &names);
            names.push(name);
        }
        let joined = free("joined".to_owned(), &names);
        (names, joined)
    }

    /// The template that joins the parts.
    pub fn template(&self, names: &[String]) -> String {
        let escaped = |text: &String| text.replace('{', "{{").replace('}', "}}");
        let mut template = escaped(&self.texts[0]);
        for (name, text) in names.iter().zip(&self.texts[1..]) {
            template += &format!("{{{name}}}{}", escaped(text));
        }
        template
    }

    /// A cut list with the parts, hidden, and the piece that joins them. `gives` has the number of rows with each piece; without it, the
    /// list has no comments.
    pub fn list(&self, origin: &Origin, examples: &[JoinedExample], (gives, rows): (&[u64], u64)) -> String {
        let (names, joined) = self.names(&origin.columns);
        let title = |column: usize| origin.columns.get(column).map_or("", String::as_str);
        let mut text = format!("# Drafted from {}, as these examples want it:\n", one_line(&origin.input));
        for example in examples {
            let values = example.values.iter().map(|(column, value)| format!("{} {}", one_line(title(*column)), quoted(value)));
            text += &format!("#   {} => {}\n", values.collect::<Vec<_>>().join(", "), quoted(&example.result));
        }
        text += &origin.reading();
        let shown = |piece: usize| {
            gives.get(piece).map_or(String::new(), |gives| format!("# A result for {}.\n", of(*gives, rows, "rows")))
        };
        for (index, (part, name)) in self.parts.iter().zip(&names).enumerate() {
            let take = part.phrases.first().map_or("whole", |best| best.phrase.as_str());
            text += &format!(
                "\n{}[piece.{}]\nof = {}\n",
                shown(index),
                toml_key(name),
                toml_text(&column_in_head(title(part.column)))
            );
            text += &format!("take = {}\nhidden = true\n", toml_text(take));
            for other in part.phrases.iter().skip(1) {
                text += &format!("# Or this: take = {}\n", toml_text(&other.phrase));
            }
        }
        text +=
            &format!("\n{}[piece.{}]\nbuild = {}\n", shown(names.len()), toml_key(&joined), toml_text(&self.template(&names)));
        text
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    fn found(columns: &[&str], examples: &[&str]) -> Option<(String, Vec<String>)> {
        let columns: Vec<String> = columns.iter().map(|column| (*column).to_owned()).collect();
        let examples: Vec<JoinedExample> =
            examples.iter().map(|text| JoinedExample::parse(text, &columns).unwrap().unwrap()).collect();
        let sample = |place: usize| -> Vec<Row> {
            (1..).zip(&examples).map(|(row, example)| Row { row, value: example.values[place].1.clone() }).collect()
        };
        let samples: Vec<Vec<Row>> = (0..examples[0].values.len()).map(sample).collect();
        let draft = search_joined(&examples, &samples)?;
        let (names, _) = draft.names(&columns);
        Some((draft.template(&names), draft.parts.iter().map(|part| part.phrases[0].phrase.clone()).collect()))
    }

    #[test]
    fn results_are_divided_among_the_columns() {
        for (columns, examples, template, phrases) in [
            (
                &["name", "year"][..],
                &["name=Ines; year=2019 => INES19"][..],
                "{name_part}{year_part}",
                &["upper", "last 2"][..],
            ),
            (&["name", "year"], &["year=2019; name=Ines => 2019-ines"], "{year_part}-{name_part}", &["whole", "lower"]),
            (
                &["code", "depot", "day"],
                &["code=GRP-00041273; depot=Summit; day=02.08.2016 => GRP/2016-08-02 (Summit)"],
                "{code_part}/{day_part} ({depot_part})",
                &["before \"-\"", "date \"%d.%m.%Y\"", "whole"],
            ),
            // The second example decides: the team follows the last hyphen.
            (
                &["crew", "depot"],
                &["crew=2019-RIG; depot=Summit => SumRIG", "crew=2020-11-IT; depot=Valley => ValIT"],
                "{depot_part}{crew_part}",
                &["first 3", "after last \"-\""],
            ),
            (&["a b", "joined"], &["\"a b\"=x{1; joined=7 => x7"], "{a_b_part}{joined_part}", &["before \"{\"", "whole"]),
        ] {
            let (found, parts) = found(columns, examples).unwrap();
            assert_eq!((found.as_str(), parts.iter().map(String::as_str).collect::<Vec<_>>().as_slice()), (template, phrases));
        }
        // No phrases give these.
        assert_eq!(found(&["name", "year"], &["name=Ines; year=2019 => Bram"]), None);
        assert_eq!(found(&["name", "year"], &["name=Ines; year=2019 => INES19", "name=Bram; year=2020 => 20BRAM"]), None);
    }

    #[test]
    fn columns_and_values_are_told_apart() {
        let columns = ["name", "name=x", "qty"].map(str::to_owned);
        let parsed = |text: &str| JoinedExample::parse(text, &columns).map(|parsed| parsed.map_err(|error| error.message));
        let example = |values: &[(usize, &str)], result: &str| {
            let values = values.iter().map(|(column, value)| (*column, (*value).to_owned())).collect();
            Some(Ok(JoinedExample { values, result: result.to_owned() }))
        };
        assert_eq!(parsed("name=a;b; qty=1 => 1"), example(&[(0, "a;b"), (2, "1")], "1"));
        assert_eq!(parsed("name=x=2;qty=1 => 1"), example(&[(1, "2"), (2, "1")], "1"));
        assert_eq!(parsed("qty=a; other=b => 1"), example(&[(2, "a; other=b")], "1"));
        assert_eq!(parsed("depot=a => 1"), None);
        assert_eq!(parsed("qty=1; qty=2 => 1"), Some(Err("the column qty is given twice".to_owned())));
        assert_eq!(parsed("qty=1"), Some(Err("the arrow => is missing".to_owned())));
        assert_eq!(parsed("qty=1 => "), Some(Err("the result is empty".to_owned())));
    }
}
