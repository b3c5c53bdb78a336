//! Completion of unfinished phrases.

use super::parse::{self, Next};
use super::token::{TokenKind, tokens};
use super::{ErrorKind, quoted};

/// Completions to list first, the likeliest first. `not` and parentheses come last.
const LIKELIER: [Next; 4] = [Next::Marker, Next::Word("then"), Next::Word("joined"), Next::Word("or")];

#[derive(Debug, Clone, Copy, Default)]
pub struct CompletionContext<'a> {
    /// CompletionContext markers, such as the delimiters of a column.
    pub markers: &'a [&'a str],
    pub columns: &'a [String],
    /// Formats of dates, such as those of a column.
    pub dates: &'a [&'a str],
    /// Files for `lookup in` and `listed in`.
    pub files: &'a [String],
}

/// Completions of an unfinished phrase or condition.
#[derive(Debug, Clone, Default, PartialEq, Eq)]
pub struct Upcoming {
    /// The byte where a completion starts.
    pub from: usize,
    pub words: Vec<String>,
}

/// Completions at the end of a phrase, including those of its last word. They contain no numbers, regular expressions or unknown texts.
///
/// ```
/// use keen_notch_core::phrase::{CompletionContext, next_of_phrase};
///
/// let known = CompletionContext { markers: &["-"], ..CompletionContext::default() };
/// assert_eq!(next_of_phrase("section 2", known).words, [" by"]);
/// assert_eq!(next_of_phrase("section 2 by ", known).words[0], "\"-\"");
/// assert_eq!(next_of_phrase("sec", known).words, ["section", "sections"]);
/// ```
pub fn next_of_phrase(source: &str, known: CompletionContext) -> Upcoming {
    upcoming(source, known, false)
}

/// Completions at the end of a condition.
///
/// ```
/// use keen_notch_core::phrase::{CompletionContext, next_of_condition};
///
/// let columns = ["crew_id".to_owned(), "crew name".to_owned()];
/// let known = CompletionContext { columns: &columns, ..CompletionContext::default() };
/// assert_eq!(next_of_condition("same as ", known).words, ["crew_id", "\"crew name\""]);
/// ```
pub fn next_of_condition(source: &str, known: CompletionContext) -> Upcoming {
    upcoming(source, known, true)
}

fn upcoming(source: &str, known: CompletionContext, is_condition: bool) -> Upcoming {
    let after = |source: &str| -> Vec<String> {
        let mut next = parse::next(source, is_condition).unwrap_or_default();
        let rest = |next: &Next| LIKELIER.len() + usize::from([Next::Word("not"), Next::Word("(")].contains(next));
        next.sort_by_key(|next| LIKELIER.iter().position(|likelier| likelier == next).unwrap_or_else(|| rest(next)));
        next.into_iter().flat_map(|next| words(next, known)).collect()
    };
    let tokens = match tokens(source) {
        Ok(tokens) => tokens,
        // An unfinished text.
        Err(error) if matches!(error.kind, ErrorKind::UnclosedText(_)) => {
            let from = error.span.start;
            let begun = source[from..].replace('\'', "\"");
            let words = after(&source[..from]).into_iter().filter(|word| word.starts_with(&begun)).collect();
            return Upcoming { from, words };
        }
        Err(_) => return Upcoming::default(),
    };
    match tokens.last().filter(|last| last.span.end == source.len()) {
        None => Upcoming { from: source.len(), words: after(source) },
        Some(last) => {
            let (from, begun) = (last.span.start, &source[last.span.clone()]);
            let goes_on = |word: &String| word.len() > begun.len() && word.starts_with(begun);
            let mut words: Vec<String> = after(&source[..from]).into_iter().filter(goes_on).collect();
            if words.is_empty() {
                let space = if last.kind == TokenKind::Open { "" } else { " " };
                return Upcoming {
                    from: source.len(),
                    words: after(source).iter().map(|word| format!("{space}{word}")).collect(),
                };
            }
            // The last word may already be complete.
            words.extend(after(source).iter().map(|word| format!("{begun} {word}")));
            Upcoming { from, words }
        }
    }
}

fn words(next: Next, known: CompletionContext) -> Vec<String> {
    match next {
        Next::Word(word) => vec![word.to_owned()],
        Next::Marker => known.markers.iter().map(|marker| quoted(marker)).collect(),
        Next::DateFormat => known.dates.iter().map(|format| quoted(format)).collect(),
        Next::File => known.files.iter().map(|file| quoted(file)).collect(),
        Next::Column => known.columns.iter().map(|column| column_name(column)).collect(),
    }
}

fn column_name(column: &str) -> String {
    match tokens(column).as_deref() {
        Ok([token]) if token.is_word() && token.span == (0..column.len()) => column.to_owned(),
        _ => quoted(column),
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::phrase::ast::{Condition, Phrase};
    use crate::phrase::reference;
    use crate::program::Program;
    use crate::text::unit::Unit;

    const MARKERS: [&str; 4] = ["-", "(", ")", ";"];

    fn known(columns: &[String]) -> CompletionContext<'_> {
        CompletionContext { markers: &MARKERS, columns, dates: &["%d.%m.%Y"], files: &[] }
    }

    fn after(source: &str) -> Vec<String> {
        next_of_phrase(source, known(&[])).words
    }

    #[test]
    fn completions_follow_the_grammar() {
        for (source, expected) in [
            ("sec", "section sections"),
            ("section", "sections section last"),
            ("section 2", "by"),
            ("section 2 by ", "\"-\" \"(\" \")\" \";\" digits letters uppercase lowercase alphanumeric spaces punctuation any"),
            (
                "section 2 by",
                "\"-\"  \"(\"  \")\"  \";\"  digits  letters  uppercase  lowercase  alphanumeric  spaces  punctuation  any",
            ),
            ("section 2 by \"", "\"-\" \"(\" \")\" \";\""),
            ("section 2 by '(", "\"(\""),
            ("section 2 by \"-\" ", "then or any skipping"),
            ("section 2 by \"-\" skipping ", "empty"),
            ("first 3 th", "then"),
            ("first 3 x", ""),
            ("numbers ", "then joined or signed like"),
            ("numbers then pad left to 3 with \"0\" ", "then joined or"),
            ("numbers joined with \",\" ", "then or"),
            ("chars 5 ", "for to"),
            ("chars 5 to ", "end last"),
            ("chars 5 to 3 ", ""),
            ("length in ", "characters codepoints bytes"),
            ("whether check digit ", "luhn gs1 isbn10 mod97 mod11-2 iban verhoeff damm"),
            ("whether one of \"A\" ", "then or any"),
            ("whether (blank ", "or and )"),
            ("whether (blank or length 3) ", "then or"),
            ("between \"(\" ", "any and"),
            (
                "before ",
                "\"-\" \"(\" \")\" \";\" 2nd last digits letters uppercase lowercase alphanumeric spaces punctuation any",
            ),
            ("plain ", "number digits"),
            ("date ", "\"%d.%m.%Y\""),
            ("date \"%Y%m%d\" as ", "\"%d.%m.%Y\""),
            ("\"none\" ", "or"),
            ("first 3 then nothing ", ""),
            ("match /(/ ", "then or group"),
            ("match \"x", ""),
            ("clip to 3 ", "then or with"),
        ] {
            let words: Vec<String> = after(source);
            assert_eq!(words.join(" ").trim(), expected, "{source}");
        }
        let columns = ["crew_id".to_owned(), "crew name".to_owned()];
        assert_eq!(next_of_condition("same as ", known(&columns)).words, ["crew_id", "\"crew name\""]);
        let files = ["families.csv".to_owned(), "sites.csv".to_owned()];
        let known_files = CompletionContext { files: &files, ..known(&[]) };
        assert_eq!(next_of_phrase("first 3 then lookup in ", known_files).words, ["\"families.csv\"", "\"sites.csv\""]);
        assert_eq!(next_of_condition("listed in \"s", known_files).words, ["\"sites.csv\""]);
        // The name may already be complete.
        assert_eq!(next_of_condition("same as crew", known(&columns)).words, ["crew_id", "crew or", "crew any", "crew and"]);
        let conditions = next_of_condition("", known(&[])).words;
        assert!(conditions[0] == "required" && conditions.ends_with(&["not".to_owned(), "(".to_owned()]), "{conditions:?}");
        assert!(next_of_condition("not ", known(&[])).words.contains(&"blank".to_owned()));
        assert_eq!(next_of_condition("uppercase ", known(&[])).words, ["or", "and"]);
    }

    /// Every example of the reference can be typed by completion, except for numbers, dates and unknown texts.
    #[test]
    fn every_word_of_the_reference_is_offered() {
        let steps = reference::entries()
            .flat_map(|entry| [entry.form].into_iter().chain(entry.examples.iter().map(|(_, phrase)| *phrase)));
        let conditions = reference::CONDITIONS.entries.iter().map(|entry| entry.form);
        let phrases = steps.map(|phrase| (phrase, false)).chain(conditions.map(|condition| (condition, true)));
        let mut words = 0;
        for (phrase, is_condition) in phrases {
            for token in tokens(phrase).unwrap().iter().filter(|token| token.is_word()) {
                let word = &phrase[token.span.clone()];
                let before = &phrase[..token.span.start];
                // Names and dates are arbitrary.
                if before.ends_with("group ") || before.ends_with("same as ") || word.starts_with(|c: char| c.is_ascii_digit())
                {
                    continue;
                }
                let offered = upcoming(before, known(&[]), is_condition).words;
                assert!(offered.iter().any(|offered| offered == word), "{phrase}: {word} is not among {offered:?}");
                words += 1;
            }
        }
        assert!(words > 150, "{words}");
    }

    /// Every completion leads to a valid phrase or an unfinished one.
    #[test]
    fn every_offered_word_is_valid() {
        let after_several = ["numbers then ", "whether ", "sections by \"-\" then first 3 then "];
        let starts = reference::entries().map(|entry| entry.form).chain(after_several);
        for start in starts.flat_map(|form| (0..=form.len()).filter(|at| form.is_char_boundary(*at)).map(|at| &form[..at])) {
            let Upcoming { from, words } = next_of_phrase(start, known(&[]));
            for word in words {
                let phrase = format!("{}{word}", &start[..from]);
                let outcome = Phrase::parse(&phrase);
                match &outcome {
                    Ok(parsed) => match Program::new(parsed, Unit::Characters) {
                        Ok(_) => {}
                        Err(error) => assert!(matches!(error.kind, ErrorKind::NoList(_)), "{phrase}: {error}"),
                    },
                    Err(error) => assert_eq!(error.span.start, phrase.len(), "{phrase}: {error:?}"),
                }
            }
        }
        for word in next_of_condition("", known(&[])).words {
            let outcome = Condition::parse(&word);
            assert!(outcome.as_ref().map_or_else(|error| error.span.start == word.len(), |_| true), "{word}: {outcome:?}");
        }
    }
}
