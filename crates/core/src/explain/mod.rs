//! Phrases, conditions and pieces in plain words, for someone who has not learned the language.

mod conditions;
mod markers;
mod steps;

use crate::phrase::ast::{Body, Condition, Phrase};
use crate::piece::{BuildPart, Piece, Shape, Source, Wanted};

pub use markers::text as quoted;

/// A phrase in plain words: one sentence a branch.
///
/// ```
/// # use keen_notch_core::{explain, phrase::Phrase};
/// let phrase = Phrase::parse(r#"section 2 by "-" then upper or "none""#)?;
/// assert_eq!(explain::phrase(&phrase), [
///     "Divide the text at every “-” and take part 2; then put it in upper case.",
///     "Where that is missing: write “none”.",
/// ]);
/// # Ok::<(), keen_notch_core::phrase::PhraseError>(())
/// ```
pub fn phrase(phrase: &Phrase) -> Vec<String> {
    phrase.branches.iter().enumerate().map(|(index, branch)| sentence(index, &branch.body)).collect()
}

fn sentence(index: usize, body: &Body) -> String {
    let words = match body {
        Body::Literal(text) if text.is_empty() => "leave the cell blank, and do not count it as missing".to_owned(),
        Body::Literal(text) => format!("write {}", markers::text(text)),
        Body::Steps(all) => {
            let mut several = false;
            let mut words = Vec::with_capacity(all.len());
            for (index, step) in all.iter().enumerate() {
                words.push(steps::step(&step.kind, several, index == 0));
                several =
                    (several || step.kind.gives_several()) && !matches!(step.kind, crate::phrase::ast::StepKind::Joined(_));
            }
            words.join("; then ")
        }
    };
    match index {
        0 => capitalized(&words) + ".",
        1 => format!("Where that is missing: {words}."),
        _ => format!("Where that is missing too: {words}."),
    }
}

/// What is wanted of a run beside its pieces: layouts, proofs, and which rows are kept; one sentence each.
pub fn rest(wanted: &Wanted) -> Vec<String> {
    let mut sentences = Vec::new();
    for layout in &wanted.layouts {
        let forms: Vec<_> = layout.forms.iter().map(|form| form.source.as_str()).collect();
        let names = list(&layout.names().iter().map(ToString::to_string).collect::<Vec<_>>());
        sentences.push(format!(
            "The layout of {} gives {names}: {}. A value that does not fit is a fault.",
            layout.column,
            forms.join(", or else ")
        ));
    }
    for proof in &wanted.proofs {
        let parts: Vec<_> = proof.parts.iter().map(build_part).collect();
        sentences.push(format!(
            "Put together, {} must make {} again; it is a fault where they do not.",
            list(&parts),
            proof.column
        ));
    }
    for keep in &wanted.keep {
        sentences.push(format!("Only rows are kept in which {} {}.", keep.of, condition(&keep.condition)));
    }
    if let Some(unique) = &wanted.unique {
        let of: Vec<_> = unique.of.iter().map(|(of, _)| of.to_string()).collect();
        sentences.push(format!("Together, {} must be unlike those of any other row.", list(&of)));
    }
    sentences
}

/// A condition in plain words, as what a text does: `has 8 characters`, `does not start with “X”`.
pub fn condition(condition: &Condition) -> String {
    conditions::condition(condition)
}

/// What a piece does beside its phrase, one sentence each: how it is built, when it is taken, where its
/// results go, what it must meet.
pub fn piece(piece: &Piece) -> Vec<String> {
    let mut sentences = match &piece.source {
        Source::Take { phrase, .. } => self::phrase(phrase),
        Source::Field { .. } => vec!["It is named in the layout.".to_owned()],
        Source::Build { parts, .. } => {
            vec![format!("Put together {}.", list(&parts.iter().map(build_part).collect::<Vec<_>>()))]
        }
    };
    if let Some(when) = &piece.when {
        let of = when.column.as_ref().map_or("its column".to_owned(), ToString::to_string);
        let condition = self::condition(&when.condition);
        sentences.insert(0, format!("Only in rows where {of} {condition}; elsewhere the piece is missing."));
    }
    match piece.shape {
        Shape::One => {}
        Shape::Columns(n) => sentences.push(format!(
            "Each result gets a column of its own, {0}_1 to {0}_{n}; a row with more than {n} has a fault.",
            piece.name
        )),
        Shape::AutoColumns => {
            sentences.push(format!(
                "Each result gets a column of its own, {0}_1, {0}_2 and so on, as many as the data needs.",
                piece.name
            ));
        }
        Shape::Rows => sentences.push("Each result gets an output row of its own; the other columns are repeated.".to_owned()),
    }
    if piece.replace {
        sentences.push("It takes the place of the column of its name.".to_owned());
    }
    for (only_warns, words) in [(false, "It is a fault unless it"), (true, "It is counted, but no fault, unless it")] {
        let conditions = piece.checks.iter().filter(|check| check.only_warns == only_warns);
        let conditions: Vec<_> = conditions.map(|check| condition(&check.condition)).collect();
        if !conditions.is_empty() {
            sentences.push(format!("{words} {}.", list(&conditions)));
        }
    }
    sentences
}

fn build_part(part: &BuildPart) -> String {
    match part {
        BuildPart::Text(text) => markers::text(text),
        BuildPart::Name(name, _) => name.to_string(),
    }
}

/// Things with commas between them, and `and` before the last.
fn list(things: &[String]) -> String {
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
    use super::*;

    #[test]
    fn every_form_of_the_reference_has_words() {
        let mut words = Vec::new();
        for entry in crate::phrase::reference::entries() {
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
