//! Tables of keys and results, for `lookup`.

use std::sync::OnceLock;

use super::adds::ByteSet;
use super::pairs::{AT_A_TIME, Pairs, Record, are_same};
use crate::batch::{Buffer, Span};
use crate::phrase::ast::LookupSource;
use crate::text::case::fold;

/// The nearest keys that a message names.
const NEAREST: usize = 3;
/// Keys of more bytes are compared with similar texts as a whole.
const LONGEST_SIMILAR: usize = 24;
/// Texts of up to this many characters are similar if one differs, others if two differ.
const SHORT: usize = 4;
/// Limit for the index of similar keys, in entries of 8 bytes.
const MOST_SIMILAR: usize = 8 << 20;
const MOST_CANDIDATES: usize = 200;

/// Keys and their results.
///
/// A key takes at most 100 bytes beyond its texts.
///
/// ```
/// use keen_notch_core::runner::LookupTable;
///
/// let mut families = LookupTable::new(false);
/// families.add("GRP", "grip")?;
/// assert_eq!(families.get("GRP"), Some("grip"));
/// assert!(families.add("GRP", "group").is_err());
/// # Ok::<(), keen_notch_core::runner::LookupError>(())
/// ```
#[derive(Debug, Clone, Default)]
pub struct LookupTable {
    pairs: Pairs,
    added: ByteSet,
    any_case: bool,
    file: Option<Box<str>>,
    header: Option<Box<str>>,
    similar: OnceLock<SimilarKeys>,
}

/// A pair that a table cannot take.
///
/// ```
/// use keen_notch_core::runner::{LookupError, LookupTable};
///
/// let mut sizes = LookupTable::new(true);
/// sizes.add("s", "small")?;
/// assert_eq!(sizes.add("S", "short"), Err(LookupError::TwoResults("small".to_owned())));
/// # Ok::<(), LookupError>(())
/// ```
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum LookupError {
    /// The key has this result already.
    TwoResults(String),
    /// The texts take more than 4 GiB.
    TooLarge,
}

impl std::fmt::Display for LookupError {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        match self {
            LookupError::TwoResults(result) => write!(f, "the key has the result {result} already"),
            LookupError::TooLarge => f.write_str("the texts take more than 4 GiB"),
        }
    }
}

impl std::error::Error for LookupError {}

impl LookupTable {
    /// An empty table. With `any_case`, keys that differ only in case are the same.
    pub fn new(any_case: bool) -> LookupTable {
        LookupTable { any_case, ..LookupTable::default() }
    }

    /// An empty table for the columns of a file, and the header of its keys.
    pub fn of_file(source: &LookupSource, header: Option<&str>) -> LookupTable {
        let file = Some(source.keys.file.as_str().into());
        LookupTable { file, header: header.map(Into::into), ..LookupTable::new(source.any_case) }
    }

    /// Adds a key and its result.
    ///
    /// # Errors
    /// The key has another result, or the texts are too large.
    pub fn add(&mut self, key: &str, result: &str) -> Result<(), LookupError> {
        let folded;
        let key = if self.any_case {
            folded = fold(key);
            &*folded
        } else {
            key
        };
        if let Some(before) = self.result(key) {
            return if before == result { Ok(()) } else { Err(LookupError::TwoResults(before.to_owned())) };
        }
        self.added.add(result);
        self.pairs.add(key.as_bytes(), result.as_bytes()).ok_or(LookupError::TooLarge)
    }

    /// The result for a key.
    pub fn get(&self, key: &str) -> Option<&str> {
        if self.any_case { self.result(&fold(key)) } else { self.result(key) }
    }

    fn result(&self, key: &str) -> Option<&str> {
        self.pairs.find(key.as_bytes()).map(|result| str::from_utf8(result).unwrap_or_default())
    }

    fn pair(&self, record: Record) -> (&str, &str) {
        let text = |bytes| str::from_utf8(bytes).unwrap_or_default();
        self.pairs.pair(record).map_or(("", ""), |pair| (text(pair.key), text(pair.result)))
    }

    /// The number of keys.
    pub fn count(&self) -> usize {
        self.pairs.count()
    }

    /// The size of the texts, in bytes.
    pub fn bytes(&self) -> usize {
        self.pairs.bytes()
    }

    /// The pairs of keys and results, in insertion order.
    pub fn pairs(&self) -> impl Iterator<Item = (&str, &str)> {
        self.pairs.records().map(|record| self.pair(record))
    }

    /// The bytes that results have.
    pub(super) fn adds(&self) -> ByteSet {
        self.added
    }

    /// The file, if its header of the keys equals `text`.
    pub(crate) fn header_is(&self, text: &str) -> Option<&str> {
        let header = self.header.as_deref()?;
        let is_header = if self.any_case { fold(header) == fold(text) } else { header == text };
        if is_header && self.get(text).is_none() { self.file.as_deref() } else { None }
    }

    /// The same pairs for keys in any case; `None` if two keys that differ only in case have different results.
    pub(crate) fn in_any_case(&self) -> Option<LookupTable> {
        let mut table = LookupTable { file: self.file.clone(), header: self.header.clone(), ..LookupTable::new(true) };
        self.pairs().try_for_each(|(key, result)| table.add(key, result)).ok()?;
        Some(table)
    }

    /// Why a text has no result, as a sentence without a full stop.
    pub(super) fn why_missing(&self, text: &str) -> String {
        let shown = crate::phrase::words::text(text);
        let place = self.file.as_deref().unwrap_or("the table of `lookup`");
        if self.get(text).is_some() {
            return format!("{place} has no result for {shown}");
        }
        let nearest: Vec<String> = self.nearest(text).into_iter().map(crate::phrase::words::text).collect();
        match nearest.as_slice() {
            [] => format!("{shown} is not in {place}"),
            [only] => format!("{shown} is not in {place}; the nearest key is {only}"),
            several => format!("{shown} is not in {place}; the nearest keys are {}", crate::phrase::words::list(several)),
        }
    }

    /// The most similar keys, the nearest first: those that differ in spaces at the ends, case or leading zeros, or in one or two
    /// characters. Differences of characters are found by their common deletions (Mor, Fraenkel: A hash code method for detecting and
    /// correcting spelling errors, CACM 1982).
    pub fn nearest(&self, text: &str) -> Vec<&str> {
        let similar = self.similar.get_or_init(|| SimilarKeys::new(self));
        let loose_text = loose(text);
        let mut candidates: Vec<Record> = Vec::new();
        variants(&loose_text, |variant| {
            for record in similar.of(self.pairs.hash(variant.as_bytes())) {
                if candidates.len() < MOST_CANDIDATES && !candidates.contains(&record) {
                    candidates.push(record);
                }
            }
        });
        let allowed = if loose_text.chars().count() <= SHORT { 1 } else { 2 };
        let distance = |one: &str, other: &str| strsim::damerau_levenshtein(one, other);
        let mut ranked: Vec<(usize, usize, u32, &str)> = candidates
            .into_iter()
            .map(|record| (record, self.pair(record).0))
            .map(|(record, key)| (distance(&loose_text, &loose(key)), distance(text, key), record, key))
            .filter(|(edits, ..)| *edits <= allowed)
            .collect();
        ranked.sort_unstable();
        ranked.into_iter().take(NEAREST).map(|(.., key)| key).collect()
    }

    /// Replaces each text, which is ASCII, by its result, written to `buffer`.
    pub(super) fn write_plain(&self, text: &[u8], spans: &mut [Span], buffer: &mut Buffer) {
        let mut hashes = [0; AT_A_TIME];
        let mut lower = Vec::new();
        for spans in spans.chunks_mut(AT_A_TIME) {
            for (span, hash) in spans.iter().zip(&mut hashes) {
                let mut key = span.bytes(text);
                if self.any_case {
                    lower.clear();
                    lower.extend(key.iter().map(u8::to_ascii_lowercase));
                    key = &lower;
                }
                *hash = self.pairs.hash(key);
            }
            let keys: &[Span] = spans;
            let is_same = |index: usize, key: &[u8]| {
                let text = keys.get(index).map_or(&[][..], |span| span.bytes(text));
                if self.any_case { key.eq_ignore_ascii_case(text) } else { are_same(key, text) }
            };
            let mut results = [Span::default(); AT_A_TIME];
            self.pairs.find_all(&hashes[..keys.len()], is_same, |index, result| {
                let start = buffer.width();
                if !keys[index].is_empty() {
                    buffer.extend_within(result);
                }
                results[index] = Span::new(start, buffer.width());
            });
            spans.copy_from_slice(&results[..spans.len()]);
        }
    }
}

/// The keys by hashes of their variants, sorted.
#[derive(Debug, Clone, Default)]
struct SimilarKeys(Vec<(u32, Record)>);

impl SimilarKeys {
    fn new(table: &LookupTable) -> SimilarKeys {
        let mut hashes = Vec::new();
        for record in table.pairs.records() {
            let mut of_key = 0;
            variants(&loose(table.pair(record).0), |variant| {
                // A large table has room for the keys themselves.
                if of_key == 0 || hashes.len() < MOST_SIMILAR {
                    hashes.push((table.pairs.hash(variant.as_bytes()) as u32, record));
                }
                of_key += 1;
            });
        }
        hashes.sort_unstable();
        hashes.dedup();
        SimilarKeys(hashes)
    }

    fn of(&self, hash: u64) -> impl Iterator<Item = Record> {
        let hash = hash as u32;
        let first = self.0.partition_point(|(other, _)| *other < hash);
        let same = self.0[first..].iter().take_while(move |(other, _)| *other == hash);
        same.map(|(_, record)| *record)
    }
}

/// A text without spaces at its ends, case and leading zeros.
fn loose(text: &str) -> String {
    let folded = fold(text.trim());
    let without = folded.trim_start_matches('0');
    if without.is_empty() { folded.into_owned() } else { without.to_owned() }
}

/// Calls `see` with a text, and if it is short, with each text that lacks one of its characters.
fn variants(text: &str, mut see: impl FnMut(&str)) {
    see(text);
    if text.len() > LONGEST_SIMILAR {
        return;
    }
    let mut variant = String::with_capacity(text.len());
    for (at, c) in text.char_indices() {
        variant.clear();
        variant.push_str(&text[..at]);
        variant.push_str(&text[at + c.len_utf8()..]);
        see(&variant);
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    fn table(any_case: bool, pairs: &[(&str, &str)]) -> LookupTable {
        let mut table = LookupTable::new(any_case);
        pairs.iter().for_each(|(key, result)| table.add(key, result).unwrap());
        table
    }

    #[test]
    fn nearest_keys() {
        let families = table(false, &[("GRP", "grip"), ("HNG", "hanger"), ("007", "bolt"), ("GRIPPER", "")]);
        for (text, expected) in [
            ("grp ", &["GRP"][..]),
            ("GRX", &["GRP"]),
            ("GPR", &["GRP"]),
            ("7", &["007"]),
            ("0007", &["007"]),
            ("GRIPER", &["GRIPPER"]),
            ("BRAKE", &[]),
        ] {
            assert_eq!(families.nearest(text), expected, "{text}");
        }
    }

    #[test]
    fn a_key_in_any_case_has_one_result() {
        let mut both = table(false, &[("s", "small"), ("S", "short")]);
        assert!(both.in_any_case().is_none());
        assert_eq!(both.add("s", "tiny"), Err(LookupError::TwoResults("small".to_owned())));
        let one = table(true, &[("Ü-1", "a"), ("ü-1", "a")]);
        assert_eq!((one.count(), one.get("Ü-1"), one.get("u-1")), (1, Some("a"), None));
    }

    #[test]
    fn a_key_takes_little_memory() {
        let mut table = LookupTable::new(false);
        let keys = 1_000_000;
        (0..keys).for_each(|key| table.add(&format!("{key:08}"), "x").unwrap());
        assert!(table.pairs.memory() < table.bytes() + keys * 100, "{} bytes", table.pairs.memory());
        assert_eq!(table.get("00999999"), Some("x"));
    }
}
