//! What a report says, before it is a page or JSON.

use serde::Serialize;

use keen_notch_core::summary::Summary;

/// The version of the JSON: it grows when a key changes its meaning or goes.
pub const VERSION: u32 = 1;

/// All that a report says.
#[derive(Debug, Serialize)]
pub struct Page {
    /// The [`VERSION`] of its keys.
    pub version: u32,
    /// What the cut list says it is for, or the names of the files.
    pub title: String,
    /// When it was made: local time, to the minute.
    pub made: String,
    /// The verdict in one clause.
    pub verdict: String,
    /// Whether all checks passed, without a doubt.
    pub is_good: bool,
    /// What was read.
    pub files: Vec<File>,
    /// The counts, as `--summary` has them.
    pub summary: Summary,
    /// What does not meet each check that some rows do not meet.
    pub faults: Vec<Faults>,
    /// The columns that the list reads.
    pub columns: Vec<Column>,
    /// What was noticed beside.
    pub hints: Vec<Hint>,
    /// The cut list in plain words.
    pub list: Vec<Explained>,
    /// What is new since surveys and summaries of before.
    #[serde(skip_serializing_if = "Vec::is_empty")]
    pub changes: Vec<Changes>,
}

/// A file that was read.
#[derive(Debug, Serialize)]
pub struct File {
    /// What it is called.
    pub name: String,
    /// Its size in bytes.
    pub bytes: Option<u64>,
    /// Its SHA-256, in hexadecimal digits: FIPS 180-4.
    pub sha256: Option<String>,
}

/// What does not meet a check.
#[derive(Debug, Serialize)]
pub struct Faults {
    /// The number of the check among those of the summary.
    pub check: usize,
    /// The most frequent results that do not, with the number of rows.
    pub results: Vec<Counted>,
    /// Rows with other results.
    pub other_rows: u64,
    /// The first rows.
    pub rows: Vec<FaultyRow>,
}

/// A text, and how often it is there.
#[derive(Debug, Serialize)]
pub struct Counted {
    /// The text.
    pub text: String,
    /// How often.
    pub count: u64,
}

/// A row that does not meet a check.
#[derive(Debug, Serialize)]
pub struct FaultyRow {
    /// What it was read from.
    pub file: String,
    /// Its number there, from 1.
    pub row: u64,
    /// The line that it begins on, where it has one.
    pub line: Option<u64>,
    /// The value, in stretches.
    pub value: Vec<Stretch>,
    /// What is wrong, in a sentence without its full stop.
    pub detail: String,
}

/// A stretch of a value.
#[derive(Debug, Serialize)]
pub struct Stretch {
    /// Its text.
    pub text: String,
    /// What it is.
    pub is: Mark,
}

/// What a stretch of a value is.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize)]
#[serde(rename_all = "lowercase")]
pub enum Mark {
    /// Beside the piece.
    Beside,
    /// In the piece.
    Piece,
    /// Where it went wrong.
    Wrong,
}

/// A column, as a survey shows it.
#[derive(Debug, Serialize)]
pub struct Column {
    /// What it is called.
    pub name: String,
    /// Rows with nothing but white space.
    pub blank: u64,
    /// How many different values there are, in words.
    pub distinct: String,
    /// The shapes, the commonest first.
    pub shapes: Vec<Shape>,
    /// Values of other shapes.
    pub other_shapes: u64,
    /// Lengths from one to another, with the number of values.
    pub lengths: Vec<(usize, usize, u64)>,
    /// What is at each position, where most values have one length.
    pub positions: Vec<Position>,
    /// Invisible and look-alike characters and the like.
    pub odd: Vec<Counted>,
}

/// A shape of values.
#[derive(Debug, Serialize)]
pub struct Shape {
    /// The shape.
    pub shape: String,
    /// The first value that has it.
    pub example: String,
    /// The number of values.
    pub count: u64,
}

/// What is at a position.
#[derive(Debug, Serialize)]
pub struct Position {
    /// What is there, the commonest first.
    pub contents: Vec<Content>,
}

/// What may be at a position.
#[derive(Debug, Serialize)]
pub struct Content {
    /// A character, or what characters are called.
    pub what: String,
    /// Whether it is one character.
    pub is_character: bool,
    /// The number of values.
    pub count: u64,
}

/// Something that was noticed.
#[derive(Debug, Serialize)]
pub struct Hint {
    /// What, with rows.
    pub words: String,
    /// What to do about it: words, or commands.
    pub fixes: Vec<String>,
}

/// A piece or another part of the list in plain words.
#[derive(Debug, Serialize)]
pub struct Explained {
    /// What it is called.
    pub name: String,
    /// What it does, a sentence each.
    pub sentences: Vec<String>,
    /// The phrase, if there is one.
    pub phrase: Option<String>,
}

/// What is new since a file that was saved.
#[derive(Debug, Serialize)]
pub struct Changes {
    /// The file.
    pub since: String,
    /// A sentence each, with the shares before and now where they have such.
    pub told: Vec<Change>,
}

/// Something new.
#[derive(Debug, Serialize)]
pub struct Change {
    /// What it is about: a column or a check.
    pub of: String,
    /// A sentence without its full stop.
    pub words: String,
    /// The share before, and now.
    pub shares: Option<(f64, f64)>,
}
