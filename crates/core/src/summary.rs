//! The summary of a run. Summaries of consecutive parts of a table merge to the summary of a single run.

pub use crate::carving::RowCounts;
pub use crate::sightings::Sightings;
pub use crate::tally::Tally;

use std::fmt;
use std::ops::Range;
use std::str::FromStr;

use serde::{Deserialize, Serialize};

use crate::carving::{Carving, CheckName, Totals};
use crate::check::unique_texts::UniqueTexts;
use crate::column::Header;
use crate::phrase::ast::{ListSource, LookupSource};
use crate::program::{List, LookupTable};
use crate::sightings::ROWS;

#[doc(hidden)]
/// The version of the format. It increases when a key changes its meaning or disappears.
pub const VERSION: u32 = 4;

/// The counts of a run, with its pieces and checks.
///
/// ```
/// use keen_notch_core::{Column, cutlist::CutList};
///
/// let mut runner = CutList::parse("[piece.no]\ntake = 'last 3'\ncheck = 'digits'\n", 0)?.bind(&["code"])?.with_name("codes");
/// runner.push(vec![Column::of(["GRP-001", "GRP-0o2"])])?;
/// let summary = runner.finish();
/// assert_eq!((summary.rows.read, summary.rows.with_faults), (2, 1));
/// # Ok::<(), Box<dyn std::error::Error>>(())
/// ```
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
pub struct Summary {
    pub version: u32,
    pub program: String,
    pub asked: Vec<String>,
    /// The files of `listed in`.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub listed: Vec<ListFile>,
    /// The part of the inputs, for a run with `--part`.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub part: Option<Part>,
    pub inputs: Vec<Input>,
    /// The file with the hashes of rows, for a part with checks that compare rows.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub hashes: Option<HashesOf>,
    #[serde(default, skip_serializing_if = "is_false")]
    pub rows_compared: bool,
    pub rows: RowCounts,
    pub pieces: Vec<PieceCounts>,
    pub checks: Vec<CheckCounts>,
    /// The number of invalid byte sequences read as U+FFFD.
    pub replacements: u64,
}

/// The hashes of the rows of a part, which `merge` compares.
///
/// ```
/// use keen_notch_core::summary::HashesOf;
///
/// let hashes = HashesOf { file: "cut-1.hashes.csv".to_owned(), count: 2 };
/// assert_eq!(hashes.count, 2);
/// ```
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
pub struct HashesOf {
    /// The name of the file, in the folder of the summary.
    pub file: String,
    /// The number of hashes.
    pub count: u64,
}

/// A list that a run compared with.
///
/// ```
/// use keen_notch_core::runner::{List, ListTexts};
/// use keen_notch_core::summary::ListFile;
/// use keen_notch_core::phrase::ast::ListSource;
///
/// let source = ListSource { file: "teams.csv".to_owned(), column: Some("team".to_owned()), has_header: true };
/// let values = List::new(ListTexts { texts: ["RIG".into(), "EL".into()].into(), header: None });
/// let file = ListFile::new(&source, &values);
/// assert_eq!((file.file.as_str(), file.values), ("team of teams.csv", 2));
/// ```
#[derive(Debug, Clone, PartialEq, Eq, PartialOrd, Ord, Serialize, Deserialize)]
pub struct ListFile {
    /// Its name as in the cut list, with the column if given.
    pub file: String,
    /// The number of its values, or of the keys of `lookup`.
    pub values: u64,
    /// A hash of the values, or of the keys and results, independent of their order.
    pub hash: String,
}

/// A part of the inputs.
///
/// ```
/// use keen_notch_core::summary::Part;
///
/// assert_eq!("2/3".parse(), Ok(Part { number: 2, of: 3 }));
/// ```
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Serialize, Deserialize)]
pub struct Part {
    /// Its number, from 1.
    pub number: u32,
    pub of: u32,
}

/// An input, or consecutive rows of it.
///
/// ```
/// use keen_notch_core::{Column, cutlist::CutList};
///
/// let mut runner = CutList::parse("[piece.no]\ntake = 'last 3'\ncheck = 'digits'\n", 0)?.bind(&["code"])?.with_name("codes");
/// runner.push(vec![Column::of(["GRP-001", "GRP-0o2"])])?;
/// let summary = runner.finish();
/// assert_eq!((summary.inputs[0].name.as_str(), summary.inputs[0].rows), ("codes", 2));
/// # Ok::<(), Box<dyn std::error::Error>>(())
/// ```
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
pub struct Input {
    pub name: String,
    /// The number of the first row read, from 1.
    pub first_row: u64,
    /// The number of rows read.
    pub rows: u64,
    /// Whether it is a stream. A later stream with the same name continues it.
    #[serde(default, skip_serializing_if = "is_false")]
    pub stream: bool,
}

impl ListFile {
    pub fn new(source: &ListSource, values: &List) -> ListFile {
        let ListSource { file, column, .. } = source;
        let file = column.as_ref().map_or(file.clone(), |column| format!("{column} of {file}"));
        // A sum is independent of the order.
        let hash = values.texts.iter().fold(0_u128, |all, value| all.wrapping_add(UniqueTexts::hash([&**value]).bits()));
        ListFile { file, values: values.texts.len() as u64, hash: format!("{hash:032x}") }
    }

    pub fn of_lookup(LookupSource { keys, give, .. }: &LookupSource, table: &LookupTable) -> ListFile {
        let named = [give, &keys.column].into_iter().flatten().map(|column| format!("{column} of ")).collect::<String>();
        let file = named + &keys.file;
        let hash = table.pairs().fold(0_u128, |all, (key, result)| all.wrapping_add(UniqueTexts::hash([key, result]).bits()));
        ListFile { file, values: table.count() as u64, hash: format!("{hash:032x}") }
    }
}

fn is_false(is: &bool) -> bool {
    !is
}

/// The counts of a piece.
///
/// ```
/// use keen_notch_core::{Column, cutlist::CutList};
///
/// let mut runner = CutList::parse("[piece.no]\ntake = 'last 3'\ncheck = 'digits'\n", 0)?.bind(&["code"])?.with_name("codes");
/// runner.push(vec![Column::of(["GRP-001", "GRP-0o2"])])?;
/// let summary = runner.finish();
/// assert_eq!((summary.pieces[0].name.as_str(), summary.pieces[0].tally.filled), ("no", 2));
/// # Ok::<(), Box<dyn std::error::Error>>(())
/// ```
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
pub struct PieceCounts {
    pub name: String,
    pub column: Option<String>,
    #[serde(flatten)]
    pub tally: Tally,
}

/// The counts of a check.
///
/// ```
/// use keen_notch_core::{Column, cutlist::CutList};
///
/// let mut runner = CutList::parse("[piece.no]\ntake = 'last 3'\ncheck = 'digits'\n", 0)?.bind(&["code"])?.with_name("codes");
/// runner.push(vec![Column::of(["GRP-001", "GRP-0o2"])])?;
/// let summary = runner.finish();
/// let check = &summary.checks[0];
/// assert_eq!((check.of.as_str(), check.check.as_str(), check.checked, check.rows), ("no", "digits", 2, 1));
/// # Ok::<(), Box<dyn std::error::Error>>(())
/// ```
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
pub struct CheckCounts {
    /// The target: a piece, the column of a layout or proof, or `rows`.
    pub of: String,
    pub column: Option<String>,
    pub check: String,
    pub level: Level,
    pub implied: bool,
    #[serde(default, skip_serializing_if = "is_false")]
    pub elsewhere: bool,
    /// Rows with a value that it looked at. Blank values are not checked.
    pub checked: u64,
    pub rows: u64,
    /// The first failing rows.
    pub first_rows: Vec<RowOf>,
}

/// The effect of failing a check.
///
/// ```
/// use keen_notch_core::summary::Level;
/// use keen_notch_core::{Column, cutlist::CutList};
///
/// let mut runner = CutList::parse("[piece.no]\ntake = 'last 3'\nwarn = 'digits'\n", 0)?.bind(&["code"])?;
/// let output = runner.push(vec![Column::of(["GRP-0o2"])])?;
/// assert_eq!(output.faults().map(|fault| fault.level).collect::<Vec<_>>(), [Level::Warning]);
/// # Ok::<(), Box<dyn std::error::Error>>(())
/// ```
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "lowercase")]
pub enum Level {
    Fault,
    Warning,
}

/// A row of an input.
///
/// ```
/// use keen_notch_core::{Column, cutlist::CutList};
///
/// let mut runner = CutList::parse("[piece.no]\ntake = 'last 3'\ncheck = 'digits'\n", 0)?.bind(&["code"])?.with_name("codes");
/// runner.push(vec![Column::of(["GRP-001", "GRP-0o2"])])?;
/// let summary = runner.finish();
/// let first = &summary.checks[0].first_rows[0];
/// assert_eq!((first.file.as_str(), first.row), ("codes", 2));
/// # Ok::<(), Box<dyn std::error::Error>>(())
/// ```
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
pub struct RowOf {
    pub file: String,
    /// The number of the row in the input, from 1.
    pub row: u64,
}

impl Carving {
    /// The counts of its pieces.
    pub fn piece_counts(&self, totals: &Totals, header: &Header) -> Vec<PieceCounts> {
        let count = |(piece, tally): (usize, &Tally)| PieceCounts {
            name: self.name(piece).to_owned(),
            column: self.column(piece).map(|column| header.title(column)),
            tally: *tally,
        };
        // A piece whose results are pieces of their own is counted through them.
        totals.pieces.iter().enumerate().filter(|(piece, _)| !self.is_divided(*piece)).map(count).collect()
    }
}

#[doc(hidden)]
/// The counts of checks, from the failing rows and the number of checked rows of each. `row_of` locates a row of the run.
pub fn check_counts(
    checks: &[CheckName],
    header: &Header,
    totals: &Totals,
    row_of: impl Fn(&u64) -> RowOf,
) -> Vec<CheckCounts> {
    let count = |((check, failed), checked): ((&CheckName, &Sightings), &u64)| CheckCounts {
        of: check.of.clone(),
        column: check.column.map(|column| header.title(column)),
        check: check.words.clone(),
        level: if check.only_warns { Level::Warning } else { Level::Fault },
        implied: check.is_implied,
        elsewhere: check.is_elsewhere,
        checked: *checked,
        rows: failed.count,
        first_rows: failed.rows.iter().map(&row_of).collect(),
    };
    checks.iter().zip(&totals.failed).zip(&totals.checked).map(count).collect()
}

/// Why two summaries cannot be merged. The first value belongs to the first summary.
///
/// ```
/// use keen_notch_core::cutlist::CutList;
///
/// let summary = |take: &str| {
///     let list = CutList::parse(&format!("[piece.no]\ntake = '{take}'\n"), 0)?;
///     Ok::<_, Box<dyn std::error::Error>>(list.bind(&["code"])?.finish())
/// };
/// let mut first = summary("last 3")?;
/// assert_eq!(first.append(summary("last 3")?), Ok(()));
/// assert!(first.append(summary("last 4")?).is_err());
/// # Ok::<(), Box<dyn std::error::Error>>(())
/// ```
#[derive(Debug, Clone, PartialEq, Eq)]
#[non_exhaustive]
pub enum Apart {
    Programs(String, String),
    /// Different rules: the first line that differs; `None` if one has no further line.
    Asked(Option<String>, Option<String>),
    /// Different values in a file of `listed in`.
    Listed(String),
    /// Different columns or checks: the first difference.
    Columns(String, String),
    /// Each run compared its own rows; no run compared rows of both.
    Compared,
    /// Both contain these rows of an input.
    Twice(String, Range<u64>),
    /// Rows of an input are missing before those of the second.
    Between(String, Range<u64>),
}

fn differing<'a, T: PartialEq>(first: &'a [T], second: &'a [T]) -> Option<(Option<&'a T>, Option<&'a T>)> {
    let most = first.len().max(second.len());
    (0..most).map(|index| (first.get(index), second.get(index))).find(|(first, second)| first != second)
}

impl Summary {
    /// Adds the summary of the rows that follow.
    ///
    /// # Errors
    /// The summaries are not consecutive parts of one run.
    pub fn append(&mut self, later: Summary) -> Result<(), Apart> {
        self.compare(&later)?;
        let shift = take_inputs(&mut self.inputs, &later.inputs)?;
        for (all, of_later) in self.pieces.iter_mut().zip(&later.pieces) {
            all.tally.add(&of_later.tally);
        }
        for (all, of_later) in self.checks.iter_mut().zip(later.checks) {
            all.checked += of_later.checked;
            all.rows += of_later.rows;
            let left = ROWS.saturating_sub(all.first_rows.len());
            let first = of_later.first_rows.into_iter().take(left);
            let shifted = |RowOf { file, row }: RowOf| match &shift {
                Some((name, by)) if *name == file => RowOf { file, row: row + by },
                _ => RowOf { file, row },
            };
            all.first_rows.extend(first.map(shifted));
        }
        self.rows.add(&later.rows);
        self.replacements += later.replacements;
        self.part = None;
        Ok(())
    }

    fn compare(&self, later: &Summary) -> Result<(), Apart> {
        if self.program != later.program {
            return Err(Apart::Programs(self.program.clone(), later.program.clone()));
        }
        Apart::if_asked_otherwise(&self.asked, &later.asked)?;
        if self.rows_compared && self.rows.read > 0 && later.rows.read > 0 {
            return Err(Apart::Compared);
        }
        if let Some((first, second)) = differing(&self.listed, &later.listed) {
            return Err(Apart::Listed(first.or(second).map_or(String::new(), |listed| listed.file.clone())));
        }
        let pieces = |of: &Summary| of.pieces.iter().map(PieceCounts::about).collect::<Vec<_>>();
        let checks = |of: &Summary| of.checks.iter().map(CheckCounts::about).collect::<Vec<_>>();
        Apart::if_others(&pieces(self), &pieces(later))?;
        Apart::if_others(&checks(self), &checks(later))
    }
}

impl Apart {
    pub(crate) fn if_asked_otherwise(first: &[String], second: &[String]) -> Result<(), Apart> {
        match differing(first, second) {
            Some((first, second)) => Err(Apart::Asked(first.cloned(), second.cloned())),
            None => Ok(()),
        }
    }

    pub(crate) fn if_others(first: &[String], second: &[String]) -> Result<(), Apart> {
        let words = |of: Option<&String>| of.map_or("nothing".to_owned(), String::clone);
        match differing(first, second) {
            Some((first, second)) => Err(Apart::Columns(words(first), words(second))),
            None => Ok(()),
        }
    }
}

/// Adds the inputs of later rows. Rows of a continued stream are numbered on.
pub(crate) fn take_inputs(inputs: &mut Vec<Input>, later: &[Input]) -> Result<Option<(String, u64)>, Apart> {
    let mut shift = None;
    for (index, input) in later.iter().enumerate() {
        let last = inputs.last_mut().filter(|last| index == 0 && last.name == input.name);
        if let Some(last) = last {
            let next = last.first_row + last.rows;
            if last.stream && input.stream && input.first_row == 1 {
                shift = Some((last.name.clone(), next - 1));
            } else if input.first_row > next {
                return Err(Apart::Between(input.name.clone(), next..input.first_row));
            } else if input.first_row < next {
                return Err(Apart::Twice(input.name.clone(), input.first_row..next.min(input.first_row + input.rows)));
            }
            last.rows += input.rows;
            continue;
        }
        if let Some(known) = inputs.iter().find(|known| known.name == input.name) {
            let (first, end) = (known.first_row.max(input.first_row), known.first_row + known.rows);
            return Err(Apart::Twice(input.name.clone(), first..end.min(input.first_row + input.rows).max(first)));
        }
        inputs.push(input.clone());
    }
    Ok(shift)
}

impl PieceCounts {
    fn about(&self) -> String {
        match &self.column {
            Some(column) => format!("the piece {} of {column}", self.name),
            None => format!("the piece {}", self.name),
        }
    }
}

impl CheckCounts {
    pub fn is_same(&self, other: &CheckCounts) -> bool {
        (&self.of, &self.check, self.level) == (&other.of, &other.check, other.level)
    }

    fn about(&self) -> String {
        let level = if self.level == Level::Warning { ", which warns" } else { "" };
        let elsewhere = if self.elsewhere { ", which another program evaluates" } else { "" };
        format!("the check `{}` of {}{level}{elsewhere}", self.check, self.of)
    }
}

impl FromStr for Part {
    type Err = NoPart;

    fn from_str(words: &str) -> Result<Part, NoPart> {
        let (number, of) = words.split_once('/').ok_or(NoPart)?;
        let part = Part { number: number.parse().map_err(|_| NoPart)?, of: of.parse().map_err(|_| NoPart)? };
        if (1..=part.of).contains(&part.number) { Ok(part) } else { Err(NoPart) }
    }
}

/// An invalid part.
///
/// ```
/// use keen_notch_core::summary::Part;
///
/// let error = "4/3".parse::<Part>().unwrap_err();
/// assert_eq!(error.to_string(), "write the number of the part and the number of parts, such as 3/8");
/// ```
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct NoPart;

impl fmt::Display for NoPart {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.write_str("write the number of the part and the number of parts, such as 3/8")
    }
}

impl std::error::Error for NoPart {}

impl fmt::Display for Part {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        write!(f, "{}/{}", self.number, self.of)
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    /// A run over rows of an input that all fail a check.
    fn run(name: &str, first_row: u64, rows: u64) -> Summary {
        let first_rows = (first_row..first_row + rows).take(ROWS).map(|row| RowOf { file: name.to_owned(), row }).collect();
        Summary {
            version: VERSION,
            program: "1".to_owned(),
            asked: vec!["no: last 1".to_owned()],
            listed: Vec::new(),
            part: None,
            hashes: None,
            rows_compared: false,
            inputs: vec![Input { name: name.to_owned(), first_row, rows, stream: name == "stream" }],
            rows: RowCounts { read: rows, with_faults: rows, ..RowCounts::default() },
            pieces: vec![PieceCounts {
                name: "no".to_owned(),
                column: None,
                tally: Tally { filled: rows, ..Tally::default() },
            }],
            checks: vec![CheckCounts {
                of: "no".to_owned(),
                column: None,
                check: "digits".to_owned(),
                level: Level::Fault,
                implied: false,
                elsewhere: false,
                checked: rows,
                rows,
                first_rows,
            }],
            replacements: 0,
        }
    }

    fn all(parts: &[Summary]) -> Result<Summary, Apart> {
        let mut all = parts[0].clone();
        parts[1..].iter().try_for_each(|part| all.append(part.clone()))?;
        Ok(all)
    }

    #[test]
    fn parts_of_an_input_are_the_whole() {
        let whole = run("a", 1, 9);
        assert_eq!(all(&[run("a", 1, 3), run("a", 4, 0), run("a", 4, 6)]), Ok(whole));
        assert_eq!(all(&[run("stream", 1, 3), run("stream", 1, 0), run("stream", 1, 6)]), Ok(run("stream", 1, 9)));
        let two = all(&[run("a", 1, 3), run("b", 1, 6)]).unwrap();
        let rows: Vec<_> = two.checks[0].first_rows.iter().map(|row| (row.file.as_str(), row.row)).collect();
        assert_eq!(rows, [("a", 1), ("a", 2), ("a", 3), ("b", 1), ("b", 2)]);
        assert_eq!((two.inputs.len(), two.rows.read, two.pieces[0].tally.filled), (2, 9, 9));
    }

    #[test]
    fn a_part_has_a_number_up_to_that_of_all() {
        assert_eq!("3/8".parse(), Ok(Part { number: 3, of: 8 }));
        for wrong in ["0/8", "9/8", "3", "3/", "a/b", "3/8/1", "-1/2", "1/0"] {
            assert_eq!(wrong.parse::<Part>(), Err(NoPart), "{wrong}");
        }
    }

    #[test]
    fn others_are_refused() {
        let change = |change: &dyn Fn(&mut Summary)| {
            let mut second = run("b", 1, 1);
            change(&mut second);
            all(&[run("a", 1, 1), second]).unwrap_err()
        };
        let asked = |line: &str| Some(line.to_owned());
        assert_eq!(change(&|second| second.program = "2".to_owned()), Apart::Programs("1".to_owned(), "2".to_owned()));
        assert_eq!(
            change(&|second| second.asked[0] = "no: last 2".to_owned()),
            Apart::Asked(asked("no: last 1"), asked("no: last 2"))
        );
        assert_eq!(change(&|second| second.asked.clear()), Apart::Asked(asked("no: last 1"), None));
        let compared = Summary { rows_compared: true, ..run("a", 1, 1) };
        assert_eq!(all(&[compared.clone(), Summary { rows_compared: true, ..run("b", 1, 1) }]), Err(Apart::Compared));
        assert!(all(&[compared, Summary { rows_compared: true, ..run("b", 1, 0) }]).is_ok());
        let listed = ListFile { file: "depots.csv".to_owned(), values: 1, hash: "0".to_owned() };
        assert_eq!(change(&|second| second.listed.push(listed.clone())), Apart::Listed("depots.csv".to_owned()));
        assert!(matches!(change(&|second| second.checks[0].level = Level::Warning), Apart::Columns(..)));
        assert_eq!(all(&[run("a", 1, 3), run("a", 3, 2)]), Err(Apart::Twice("a".to_owned(), 3..4)));
        assert_eq!(all(&[run("a", 1, 3), run("b", 1, 2), run("a", 1, 3)]), Err(Apart::Twice("a".to_owned(), 1..4)));
        assert_eq!(all(&[run("a", 1, 3), run("a", 6, 2)]), Err(Apart::Between("a".to_owned(), 4..6)));
    }
}
