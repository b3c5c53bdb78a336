//! Phrases and conditions in plain language.

mod conditions;
mod markers;
mod steps;

use super::ast::{Body, Branch, Phrase, StepKind};

pub use conditions::condition;
pub use markers::text;

/// A phrase in plain language, one sentence per branch.
///
/// ```
/// # use keen_notch_core::phrase::{Phrase, words};
/// let phrase = Phrase::parse(r#"section 2 by "-" then upper or "none""#)?;
/// assert_eq!(words::phrase(&phrase), [
///     "Divide the text at every “-” and take part 2; then put it in upper case.",
///     "Where that is missing: write “none”.",
/// ]);
/// # Ok::<(), keen_notch_core::phrase::PhraseError>(())
/// ```
pub fn phrase(phrase: &Phrase) -> Vec<String> {
    phrase.branches.iter().enumerate().map(|(index, branch)| sentence(index, branch)).collect()
}

fn sentence(index: usize, branch: &Branch) -> String {
    let words = match &branch.body {
        Body::Literal(text) if text.is_empty() => "leave the cell blank, and do not count it as missing".to_owned(),
        Body::Literal(text) => format!("write {}", markers::text(text)),
        Body::Steps(all) => {
            let (mut several, mut asked) = (false, String::new());
            let mut words = Vec::with_capacity(all.len());
            for (index, step) in all.iter().enumerate() {
                let step_words = steps::step(&step.kind, several, index == 0);
                // The first conditions come before a colon.
                match &step.kind {
                    StepKind::If { .. } if words.is_empty() => asked += &format!("{step_words}: "),
                    _ => words.push(step_words),
                }
                several = (several || step.kind.gives_several()) && !matches!(step.kind, StepKind::Joined(_));
            }
            if words.is_empty() {
                words.push("take the whole text".to_owned());
            }
            asked + &words.join("; then ")
        }
    };
    match index {
        _ if branch.is_else => format!("Otherwise: {words}."),
        0 => capitalized(&words) + ".",
        1 => format!("Where that is missing: {words}."),
        _ => format!("Where that is missing too: {words}."),
    }
}

pub(crate) fn list(things: &[String]) -> String {
    match things {
        [] => String::new(),
        [only] => only.clone(),
        [rest @ .., last] => format!("{} and {last}", rest.join(", ")),
    }
}

fn capitalized(words: &str) -> String {
    let mut chars = words.chars();
    chars.next().map_or(String::new(), |first| first.to_uppercase().collect::<String>() + chars.as_str())
}

#[cfg(test)]
mod tests {
    use super::super::ast::Condition;
    use super::*;

    #[test]
    fn every_form_of_the_reference_has_words() {
        let mut words = Vec::new();
        for entry in super::super::reference::entries() {
            for phrase in std::iter::once(entry.form).chain(entry.examples.iter().map(|(_, phrase)| *phrase)) {
                let parsed = Phrase::parse(phrase).unwrap();
                words.push(format!("{phrase}\n    {}", super::phrase(&parsed).join("\n    ")));
            }
        }
        words.dedup();
        insta::assert_snapshot!(words.join("\n"));
    }

    #[test]
    fn conditions_have_words() {
        let words: Vec<_> = [
            "required",
            "not blank",
            "length 8",
            "length 4 to 8",
            "length 4 to",
            "digits",
            "not uppercase",
            "letters and any of \"-/\"",
            r"fits /[A-Z]{3}/",
            "starts with \"GRP\" any case",
            "not ends with digits",
            "contains any of \"-/\"",
            "contains word \"WO\"",
            "one of \"A\", \"B\", \"C\"",
            "not one of \"none\"",
            "listed in \"sites.csv\" column \"site\"",
            "range 1 to 999",
            "range to 5.5",
            "date \"%Y-%m-%d\"",
            "email",
            "check digit luhn",
            "unique",
            "same as crew_id",
        ]
        .iter()
        .map(|text| format!("{text}: it {}", condition(&Condition::parse(text).unwrap())))
        .collect();
        insta::assert_snapshot!(words.join("\n"));
    }
}
