//! Examples for `--want`: a value and its wanted result.

use super::dates;
use crate::text_error::TextError;

const MOST_BYTES: usize = 1000;

const ARROW: &str = " => ";

#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Example {
    pub value: String,
    pub result: String,
}

impl Example {
    /// Parses `VALUE => RESULT`. Spaces count, except for one on each side of the arrow.
    ///
    /// ```
    /// use keen_notch_core::draft::Example;
    ///
    /// let example = Example::parse("GRP-00041273 => 41273")?;
    /// assert_eq!((example.value.as_str(), example.result.as_str()), ("GRP-00041273", "41273"));
    /// # Ok::<(), keen_notch_core::text_error::TextError>(())
    /// ```
    ///
    /// # Errors
    /// Where the arrow is missing or a side is empty.
    pub fn parse(text: &str) -> Result<Example, TextError> {
        let Some(at) = text.rfind(ARROW) else {
            let bare = ["=>", "=", "->", "→"].iter().find_map(|arrow| text.find(arrow).map(|at| at..at + arrow.len()));
            if let Some(span) = bare.clone().filter(|span| span.end == text.len() && text.ends_with("=>")) {
                return Err(empty_result(span));
            }
            if let Some(span) = bare.clone().filter(|span| span.start == 0 && text.starts_with("=>")) {
                return Err(TextError::new("the value is empty", span, "put a value of the column before the arrow"));
            }
            let help = "write the value, a space, =>, a space, and the result: 'GRP-00041273-S7K2 => 41273'";
            return Err(TextError::new("the arrow => is missing", bare.unwrap_or(text.len()..text.len()), help));
        };
        let example = Example { value: text[..at].to_owned(), result: text[at + ARROW.len()..].to_owned() };
        if example.value.is_empty() {
            return Err(TextError::new(
                "the value is empty",
                0..at + ARROW.len(),
                "put a value of the column before the arrow",
            ));
        }
        if example.result.is_empty() {
            return Err(empty_result(at..text.len()));
        }
        Ok(example)
    }
}

/// Checks that each result can come from its value: the value contains its characters, in any case, except for a prefix, a suffix or
/// padding.
///
/// ```
/// use keen_notch_core::draft::{Example, check};
///
/// assert!(check(&[Example::parse("GRP-00041273 => 41273")?]).is_ok());
/// assert!(check(&[Example::parse("GRP-1 => X9Q")?, Example::parse("HNG-2 => ZZ")?]).is_err());
/// # Ok::<(), keen_notch_core::text_error::TextError>(())
/// ```
///
/// # Errors
/// The index of an example whose result cannot; the span is in that result.
pub fn check(examples: &[Example]) -> Result<(), (usize, TextError)> {
    let (before, after) = common_ends(examples);
    for (index, example) in examples.iter().enumerate() {
        example.check(before, after).map_err(|error| (index, error))?;
    }
    Ok(())
}

/// The number of examples whose results cannot come from their values.
pub(super) fn count_foreign(examples: &[Example]) -> usize {
    let (before, after) = common_ends(examples);
    examples.iter().filter(|example| example.check(before, after).is_err()).count()
}

impl Example {
    fn check(&self, before: usize, after: usize) -> Result<(), TextError> {
        if self.value.is_empty() {
            return Err(TextError::new("the value is empty", 0..0, "give a value of the column"));
        }
        if self.result.is_empty() {
            return Err(empty_result(0..0));
        }
        if self.value.len() > MOST_BYTES {
            let message = format!("an example of more than {MOST_BYTES} bytes");
            return Err(TextError::new(message, 0..0, "give a shorter value of the column"));
        }
        if !dates::steps(&[&self.value], &[&self.result]).is_empty() {
            return Ok(());
        }
        let value = folded(&self.value);
        let has = |c: char| folded(&c.to_string()).chars().all(|c| value.contains(c));
        let foreign = |text: &str| text.contains(|c| !has(c));
        let mut core = before..self.result.len() - after;
        loop {
            let text = &self.result[core.clone()];
            let is_word = |c: char| c.is_alphanumeric();
            let first =
                text.find(|c| !is_word(c)).map_or(text.len(), |at| at + text[at..].chars().next().map_or(0, char::len_utf8));
            let last = text.rfind(|c| !is_word(c)).unwrap_or(0);
            match (text.chars().next(), text.chars().next_back()) {
                (Some(c), _) if !has(c) => core.start += c.len_utf8(),
                (_, Some(c)) if !has(c) => core.end -= c.len_utf8(),
                _ if first < text.len() && foreign(&text[..first]) => core.start += first,
                _ if last > 0 && foreign(&text[last..]) => core.end = core.start + last,
                _ => break,
            }
        }
        let text = &self.result[core.clone()];
        let (culprit, all) = match text.chars().find(|c| !has(*c)) {
            Some(culprit) => (core.start + text.find(culprit).unwrap_or(0), text),
            // No text is left that could come from the value, unless all results share it.
            None if text.is_empty() && !self.result.contains(has) => (0, self.result.as_str()),
            None => return Ok(()),
        };
        let width = self.result[culprit..].chars().next().map_or(0, char::len_utf8);
        let help = match text {
            "" => "a phrase extracts a part of the value, and the value contains no part of this result",
            _ => {
                "characters that the value does not have can only be added before a piece, after it, or as padding; to look results up, give an example of each"
            }
        };
        let message = format!("{} cannot come from the value", characters(all.chars().filter(|c| !has(*c))));
        Err(TextError::new(message, culprit..culprit + width, help))
    }
}

/// The numbers of bytes that several results share at their starts and ends, in whole characters.
fn common_ends(examples: &[Example]) -> (usize, usize) {
    let [first, rest @ ..] = examples else { return (0, 0) };
    if rest.is_empty() {
        return (0, 0);
    }
    let first = first.result.as_str();
    let shortest = examples.iter().map(|example| example.result.len()).min().unwrap_or(0);
    let same = |a: &mut dyn Iterator<Item = char>, b: &mut dyn Iterator<Item = char>| -> usize {
        a.zip(b).take_while(|(a, b)| a == b).map(|(a, _)| a.len_utf8()).sum()
    };
    let before = rest.iter().map(|other| same(&mut first.chars(), &mut other.result.chars())).min().unwrap_or(0);
    let after = rest.iter().map(|other| same(&mut first.chars().rev(), &mut other.result.chars().rev())).min().unwrap_or(0);
    (before, after.min(shortest - before))
}

fn empty_result(span: std::ops::Range<usize>) -> TextError {
    let help = "put after the arrow what the value should give; a blank result needs no phrase";
    TextError::new("the result is empty", span, help)
}

pub(super) fn folded(text: &str) -> String {
    text.to_lowercase()
}

fn characters(all: impl Iterator<Item = char>) -> String {
    let mut seen: Vec<String> = Vec::new();
    for c in all {
        let shown = crate::phrase::quoted(&c.to_string());
        if !seen.contains(&shown) {
            seen.push(shown);
        }
    }
    seen.join(", ")
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn examples_are_read() {
        let example = Example::parse("HNG-1   => 1").unwrap();
        assert_eq!((example.value.as_str(), example.result.as_str()), ("HNG-1  ", "1"));
        let example = Example::parse("a => b => b").unwrap();
        assert_eq!((example.value.as_str(), example.result.as_str()), ("a => b", "b"));
    }

    #[test]
    fn invalid_examples() {
        for (text, expected) in [
            ("GRP-1", "the arrow => is missing"),
            ("GRP-1 -> 1", "the arrow => is missing"),
            ("GRP-1=>1", "the arrow => is missing"),
            (" => x", "the value is empty"),
            ("=> x", "the value is empty"),
            ("GRP-1 => ", "the result is empty"),
            ("GRP-1 =>", "the result is empty"),
        ] {
            let error = Example::parse(text).unwrap_err();
            assert_eq!(error.message, expected, "{text}");
            assert!(text.get(error.span.clone()).is_some(), "{text}: {:?}", error.span);
        }
    }

    #[test]
    fn impossible_results() {
        let checked = |texts: &[&str]| {
            let examples: Vec<_> = texts.iter().map(|text| Example::parse(text).unwrap()).collect();
            check(&examples)
        };
        for (texts, expected) in [
            (vec!["GRP-1 => XY"], "\"X\", \"Y\" cannot come from the value"),
            (vec!["GRP-1 => GxR"], "\"x\" cannot come from the value"),
            (vec!["A 1 B 2 => 1 X 2"], "\"X\" cannot come from the value"),
            (vec!["GRP-1 => 1", "HNG-2 => 7"], "\"7\" cannot come from the value"),
        ] {
            let (index, error) = checked(&texts).unwrap_err();
            assert_eq!((index, error.message.as_str()), (texts.len() - 1, expected), "{texts:?}");
        }
        for texts in [
            vec!["GRP-1 => grp"],
            vec!["GRP-1 => 0001"],
            vec!["GRP-1 => WO-1 mm"],
            vec!["GRP-1 => PART 1"],
            vec!["GRP-1 => P9R1", "GRP-2 => P9R2"],
            vec!["GRP-1 => 1", "GRP-1 => 1"],
        ] {
            assert!(checked(&texts).is_ok(), "{texts:?}");
        }
    }
}
