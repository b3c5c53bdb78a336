//! The content of a report, before rendering.

use serde::Serialize;

use keen_notch_core::summary::Summary;

/// The version of the JSON. It increases when a key changes its meaning or disappears.
pub const VERSION: u32 = 2;

#[derive(Debug, Serialize)]
pub struct Page {
    pub version: u32,
    /// The title of the cut list, or the names of the files.
    pub title: String,
    pub made: String,
    pub verdict: String,
    /// Whether all checks passed without doubt.
    pub is_good: bool,
    pub files: Vec<File>,
    pub summary: Summary,
    pub faults: Vec<Faults>,
    /// The first rows with faults.
    pub rows: Vec<RowFaults>,
    pub columns: Vec<PageColumn>,
    pub hints: Vec<Hint>,
    pub list: Vec<RuleText>,
    #[serde(skip_serializing_if = "Vec::is_empty")]
    pub changes: Vec<Changes>,
}

#[derive(Debug, Serialize)]
pub struct File {
    pub name: String,
    pub bytes: Option<u64>,
    /// Its SHA-256 (FIPS 180-4) in hexadecimal digits.
    pub sha256: Option<String>,
}

#[derive(Debug, Serialize)]
pub struct Faults {
    pub check: usize,
    /// The most frequent failing texts.
    pub results: Vec<TextCount>,
    /// The number of other failing texts; at least, unless they are all counted.
    pub other_results: u64,
    pub are_counted: bool,
    pub other_rows: u64,
    /// The first rows.
    pub rows: Vec<FaultyRow>,
}

/// A row with all its faults and warnings.
#[derive(Debug, Serialize)]
pub struct RowFaults {
    pub file: String,
    pub row: u64,
    pub line: Option<u64>,
    pub faults: Vec<RowFault>,
}

#[derive(Debug, Serialize)]
pub struct RowFault {
    pub check: usize,
    pub value: Vec<Stretch>,
    pub detail: String,
}

#[derive(Debug, Serialize)]
pub struct TextCount {
    pub text: String,
    pub count: u64,
}

#[derive(Debug, Serialize)]
pub struct FaultyRow {
    pub file: String,
    pub row: u64,
    /// The line where it begins, if it has lines.
    pub line: Option<u64>,
    pub value: Vec<Stretch>,
    /// The explanation, as a sentence without a full stop.
    pub detail: String,
}

#[derive(Debug, Serialize)]
pub struct Stretch {
    pub text: String,
    pub is: Mark,
}

#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize)]
#[serde(rename_all = "lowercase")]
pub enum Mark {
    Beside,
    Piece,
    Wrong,
}

#[derive(Debug, Serialize)]
pub struct PageColumn {
    pub name: String,
    pub blank: u64,
    pub distinct: String,
    pub shapes: Vec<ShapeCount>,
    pub other_shapes: u64,
    pub lengths: Vec<(usize, usize, u64)>,
    /// The content of each position, if most values have one length.
    pub positions: Vec<Position>,
    pub odd: Vec<TextCount>,
    /// The distribution of numbers or dates.
    pub quantities: Option<Quantities>,
}

#[derive(Debug, Serialize)]
pub struct Quantities {
    pub words: Vec<String>,
    pub bars: Vec<(String, u64)>,
}

#[derive(Debug, Serialize)]
pub struct ShapeCount {
    pub shape: String,
    pub example: String,
    pub count: u64,
}

#[derive(Debug, Serialize)]
pub struct Position {
    pub contents: Vec<Content>,
}

#[derive(Debug, Serialize)]
pub struct Content {
    pub what: String,
    pub is_character: bool,
    pub count: u64,
}

#[derive(Debug, Serialize)]
pub struct Hint {
    pub words: String,
    pub fixes: Vec<String>,
}

#[derive(Debug, Serialize)]
pub struct RuleText {
    pub name: String,
    pub sentences: Vec<String>,
    pub phrase: Option<String>,
}

#[derive(Debug, Serialize)]
pub struct Changes {
    pub since: String,
    pub changes: Vec<Change>,
}

#[derive(Debug, Serialize)]
pub struct Change {
    pub of: String,
    pub words: String,
    pub shares: Option<(f64, f64)>,
}
