//! The keys, as the last line and the help pages name them.

use super::model::Field;
use super::page::Page;
use super::piece::Line;
use crate::draw::style::{self, paint};
use crate::draw::visible;

type KeyWords = (&'static str, &'static str);

const OF_LINES: [KeyWords; 17] = [
    ("Enter, Tab", "go down one line"),
    ("Shift-Tab", "go up one line"),
    ("→", "take the offered word, at the end of a line"),
    ("^R", "choose the next offer"),
    ("^W", "type the result that you want: phrases are searched for it"),
    ("mouse", "drag over characters of the value: phrases that take them are offered"),
    ("↑ ↓ PgUp PgDn", "look at another row"),
    ("^E", "explain the row: each piece, each step, each check"),
    ("^F", "show only rows that contain a text; also / on an empty line"),
    ("^L", "show other rows: first the ones that need attention, then each shape"),
    ("^N", "add a piece"),
    ("^O", "go to the next piece"),
    ("^T", "move the piece before the one above it"),
    ("^D", "remove the piece; ^Z brings it back"),
    ("^Z ^Y", "undo and redo, back to the start"),
    ("^S", "write the pieces to a cut list"),
    ("F1", "show this page; also ? on an empty line"),
];

const OF_COLUMNS: [KeyWords; 4] = [
    ("↑ ↓ PgUp PgDn", "go to another column"),
    ("letters", "show only columns with these letters in their names"),
    ("Enter", "take this column apart"),
    ("F1", "show this page"),
];

/// The keys for the last line, the most useful first.
pub fn of_foot(field: Field) -> &'static [KeyWords] {
    match field {
        Field::Piece(_) => &[
            ("F1", "keys"),
            ("Enter", "down"),
            ("^S", "write"),
            ("^E", "explain row"),
            ("^F", "filter"),
            ("^W", "want"),
            ("^N", "new piece"),
            ("^Z", "undo"),
        ],
        Field::Rows => {
            &[("?", "keys"), ("↑↓", "row"), ("/", "filter"), ("^L", "other rows"), ("^E", "explain row"), ("Enter", "name")]
        }
        Field::Filter => &[("Enter", "keep the filter"), ("↑↓", "row")],
        Field::Want => &[("Enter", "search phrases"), ("↑↓", "row")],
        Field::File => &[("Enter", "write the cut list")],
    }
}

/// The keys and the content of a line of a piece.
pub fn of_line(field: Field, escape: &str, width: usize) -> Page {
    let (title, words, examples): (_, _, &[KeyWords]) = match field {
        Field::Piece(Line::Name) => ("name", "The name of the new column.", &[]),
        Field::Piece(Line::Phrase) | Field::Want | Field::File => (
            "phrase",
            "The part of each value that the piece takes. `then` adds a step; `or` begins another way, for values where the first way fails. \
             All steps: keen-notch phrases.",
            &[
                ("first 3", "the first three characters"),
                ("section 2 by \"-\"", "the text between the first and the second -"),
                ("after last \" \" then upper", "the last word, in capitals"),
                ("match /WO:(\\d+)/ group 1 or \"none\"", "the match of a regular expression"),
            ],
        ),
        Field::Piece(Line::Check) => (
            "check",
            "Conditions for each result, with ; between them. A result that fails is a fault.",
            &[
                ("digits; length 8", "eight digits"),
                ("one of \"A\", \"B\"", "one of these texts"),
                ("unique", "no result twice"),
            ],
        ),
        Field::Piece(Line::When) => (
            "condition",
            "The rows that have the piece. Other rows stay empty, and no check asks for it there.",
            &[
                ("starts with \"GRP\"", "the value itself starts so"),
                ("depot: one of \"Summit\", \"Valley\"", "another column says so"),
            ],
        ),
        Field::Piece(Line::More) => (
            "more",
            "Other keys of the piece in the cut list, with commas between.",
            &[
                ("columns = 3", "several results become three columns"),
                ("optional = true", "a missing piece is no fault"),
                ("as = \"number\"", "the type, where the output has types"),
            ],
        ),
        Field::Rows | Field::Filter => {
            ("rows", "The first rows of the table with their results. Rows that need attention come first.", &[])
        }
    };
    let mut lines: Vec<String> = textwrap::wrap(words, width).into_iter().map(String::from).collect();
    lines.extend(examples.iter().map(|(example, words)| listed(example, words, 38, width)));
    lines.push(String::new());
    lines.extend(OF_LINES.iter().map(|(key, words)| listed(key, words, 15, width)));
    lines.push(listed("Esc", escape, 15, width));
    Page::new(format!("keys of the line: {title}"), lines)
}

pub fn of_columns(escape: &str, width: usize) -> Page {
    let keys = OF_COLUMNS.into_iter().chain([("Esc", escape)]);
    let lines = keys.map(|(key, words)| listed(key, words, 15, width)).collect();
    Page::new("keys of the list of columns".to_owned(), lines)
}

fn listed(key: &str, words: &str, most: usize, width: usize) -> String {
    let gap = " ".repeat(most.saturating_sub(visible::width(key)));
    let words = visible::clipped(words, width.saturating_sub(most.max(visible::width(key)) + 3));
    format!("  {key}{gap} {}", paint(style::QUIET, words))
}
