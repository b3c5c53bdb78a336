//! Plain-language descriptions of pieces and of all rules of a run.

use crate::column::ColumnRef;
use crate::phrase::ast::Condition;
use crate::phrase::words::{self, list};
pub use crate::phrase::words::{condition, phrase};
use crate::piece::{BuildPart, OutputForm, Piece, Rules, Source};
use crate::text::unit::Unit;

/// The rule that `today` adds to the rules of a run.
pub fn today(date: &str) -> String {
    format!("Today is {date}.")
}

/// The rules of a run, one per line. Runs with equal lines have equal rules. `main` is the default source column.
///
/// ```
/// use keen_notch_core::column::ColumnRef;
/// use keen_notch_core::cutlist::CutList;
/// use keen_notch_core::{explain, text::unit::Unit};
///
/// let list = CutList::parse("[piece.family]\ntake = 'first 3'\ncheck = ['uppercase']", 0)?;
/// let asked = explain::asked(&list.wanted, Some(&ColumnRef::parse("part_code")), Unit::Characters);
/// assert_eq!(asked, ["family of part_code: first 3. It is a fault unless it consists of upper-case letters only."]);
/// # Ok::<(), keen_notch_core::text_error::TextError>(())
/// ```
pub fn asked(wanted: &Rules, main: Option<&ColumnRef>, unit: Unit) -> Vec<String> {
    let counted = match unit {
        Unit::Characters => None,
        Unit::Codepoints => Some("Positions and widths count code points.".to_owned()),
        Unit::Bytes => Some("Positions and widths count bytes.".to_owned()),
    };
    let line = |piece: &Piece| {
        let taken = match &piece.source {
            Source::Take { of, phrase, .. } => {
                let of = of.as_ref().or(main).map_or(String::new(), |of| format!(" of {of}"));
                format!("{}{of}: {}.", piece.name, phrase.source.trim())
            }
            Source::Field { .. } | Source::Build { .. } | Source::Part { .. } => {
                format!("{}: {}", piece.name, taken(piece).join(" "))
            }
        };
        std::iter::once(taken).chain(when(piece)).chain(beside(piece)).collect::<Vec<_>>().join(" ")
    };
    counted.into_iter().chain(rest(wanted)).chain(wanted.pieces.iter().map(line)).collect()
}

/// The rules beyond the pieces, one sentence each: layouts, proofs and `[rows]`.
///
/// ```
/// use keen_notch_core::{cutlist::CutList, explain};
///
/// let list = CutList::parse("[piece.family]\ntake = 'first 3'\n[rows]\nkeep = ['family: uppercase']", 0)?;
/// assert!(explain::rest(&list.wanted).join("\n").contains("family"));
/// # Ok::<(), keen_notch_core::text_error::TextError>(())
/// ```
pub fn rest(wanted: &Rules) -> Vec<String> {
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
        sentences.push(format!("{} must rebuild {}; otherwise it is a fault.", list(&parts), proof.column));
    }
    for keep in &wanted.keep {
        sentences.push(format!("Keeps only rows where {} {}.", keep.of, condition(&keep.condition)));
    }
    if let Some(unique) = &wanted.unique {
        let of: Vec<_> = unique.of.iter().map(|(of, _)| of.to_string()).collect();
        sentences.push(format!("The combination of {} must be unique.", list(&of)));
    }
    sentences
}

/// The rules of a piece beyond its phrase, one sentence each: its parts, its `when`, its outputs and its checks.
///
/// ```
/// use keen_notch_core::{explain, piece::Piece};
///
/// let lines = explain::piece(&Piece::parse("family of part_code: first 3", 0)?);
/// assert!(lines.join("\n").contains("the first 3 characters"));
/// # Ok::<(), keen_notch_core::text_error::TextError>(())
/// ```
pub fn piece(piece: &Piece) -> Vec<String> {
    when(piece).into_iter().chain(taken(piece)).chain(beside(piece)).collect()
}

fn taken(piece: &Piece) -> Vec<String> {
    match &piece.source {
        Source::Take { phrase, .. } => words::phrase(phrase),
        Source::Field { .. } => vec!["It is named in the layout.".to_owned()],
        Source::Part { of, result } => vec![format!("It is result {} of {of}.", result + 1)],
        Source::Build { parts, .. } => {
            vec![format!("Join {}.", list(&parts.iter().map(build_part).collect::<Vec<_>>()))]
        }
    }
}

fn when(piece: &Piece) -> Option<String> {
    let when = piece.when.as_ref()?;
    let of = when.column.as_ref().map_or("its column".to_owned(), ToString::to_string);
    let condition = condition(&when.condition);
    Some(format!("Only in rows where {of} {condition}. Other rows have no piece and no checks."))
}

fn beside(piece: &Piece) -> Vec<String> {
    let mut sentences = Vec::new();
    match piece.shape {
        OutputForm::One => {}
        OutputForm::Columns(n) => sentences.push(format!(
            "Each result gets a column of its own, {0}_1 to {0}_{n}; a row with more than {n} has a fault.",
            piece.name
        )),
        OutputForm::Parts(n) => {
            sentences.push(format!("Each result is a piece of its own; a row with more than {n} has a fault."))
        }
        OutputForm::AutoColumns => {
            sentences.push(format!(
                "Each result gets its own column: {0}_1, {0}_2 and so on. The data sets the number of columns.",
                piece.name
            ));
        }
        OutputForm::Rows => {
            sentences.push("Each result gets an output row of its own; the other columns are repeated.".to_owned())
        }
    }
    if piece.replace {
        sentences.push("It replaces the column with its name.".to_owned());
    }
    if piece.hidden && !matches!(piece.shape, OutputForm::Parts(_)) {
        sentences.push("It is not written: other pieces use it, or it is only checked.".to_owned());
    }
    if piece.optional {
        sentences.push("It can be missing: its checks then pass.".to_owned());
    }
    for (only_warns, words) in [(false, "It is a fault"), (true, "It is a warning, not a fault,")] {
        let checks = || piece.checks.iter().filter(|check| check.only_warns == only_warns).map(|check| &check.condition);
        let unless: Vec<_> = checks().filter(|asked| !asked.negated).map(condition).collect();
        if !unless.is_empty() {
            sentences.push(format!("{words} unless it {}.", list(&unless)));
        }
        // A negated condition reads better without a double negation.
        let ifs = checks().filter(|asked| asked.negated).map(|asked| Condition { negated: false, ..asked.clone() });
        sentences.extend(ifs.map(|asked| format!("{words} if it {}.", condition(&asked))));
    }
    sentences
}

fn build_part(part: &BuildPart) -> String {
    match part {
        BuildPart::Text(text) => words::text(text),
        BuildPart::Name(name, _) => name.to_string(),
    }
}
