//! A proposed cut list for a column, with evidence for each line.

use super::checks::NEARLY_ALL;
use super::marks::spaced;
use super::places::by_position;
use super::plans::Plans;
use super::reading::{DraftPiece, Proposal, Reading, form, pieces, proof};
use super::structure::{Node, structure};
use crate::carving::NOT_MISSING;
use crate::phrase::quoted;
use crate::sightings::Sightings;
use crate::survey::{Delimiter, LONGEST_IN_SAMPLE, Survey};
use crate::toml_text::{toml_key, toml_text};
use crate::words::{counted, grouped};

/// A layout is proposed only if at least this share of the rows match.
const FITS: f64 = 0.9;
/// With fewer values, a rule may hold by chance.
const FEW_VALUES: u64 = 20;

#[derive(Debug, Clone, Default, PartialEq, Eq)]
pub struct Origin {
    pub input: String,
    pub column: String,
    /// The names of all columns, which the pieces must avoid.
    pub columns: Vec<String>,
    /// The keys of `[reading]` with their values in TOML.
    pub reading: Vec<(String, String)>,
}

impl Origin {
    pub(super) fn head(&self) -> String {
        let title = toml_text(&format!("Draft for {}", self.shown_column()));
        format!("title  = {title}\ncolumn = {}\n", toml_text(&self.column)) + &self.reading()
    }

    pub(super) fn reading(&self) -> String {
        if self.reading.is_empty() {
            return String::new();
        }
        let keys = self.reading.iter().map(|(key, value)| format!("{key} = {value}\n"));
        format!("\n[reading]\n{}", keys.collect::<String>())
    }

    pub(super) fn shown_column(&self) -> String {
        one_line(self.column.trim_matches('"'))
    }
}

/// A proposed cut list, with one or several readings, the likeliest first.
#[derive(Debug, Clone)]
pub struct Draft {
    origin: Origin,
    rows: u64,
    blank: u64,
    remarks: Vec<String>,
    pub readings: Vec<Reading>,
    is_trial: bool,
}

/// The results of running a reading on all rows.
#[derive(Debug, Clone, Default)]
pub struct Evidence {
    pub faulty: Sightings,
    /// The target and words of each check, with the failing rows.
    pub checks: Vec<(String, String, Sightings)>,
    /// The number of rows with each piece, in the order of the reading.
    pub filled: Vec<u64>,
}

/// Proposes a cut list for a column with these values. `None` if no value with text has at most 4096 bytes.
///
/// ```
/// use keen_notch_core::cutlist::CutList;
/// use keen_notch_core::draft::draft_of_values;
///
/// let list = draft_of_values("part_code", ["GRP-00041273", "HNG-00760251", "BRK-00031122"]).expect("there are values");
/// assert!(CutList::parse(&list, 0)?.bind(&["part_code"]).is_ok());
/// # Ok::<(), keen_notch_core::text_error::TextError>(())
/// ```
pub fn draft_of_values<'v>(column: &str, values: impl IntoIterator<Item = &'v str>) -> Option<String> {
    let origin = Origin { column: column.to_owned(), ..Origin::default() };
    Some(draft(origin, &Survey::of_values(values))?.list(0))
}

/// Proposes a cut list for a fully surveyed column, from the survey and its sample. `None` if no value with text has at most 4096 bytes.
///
/// ```
/// use keen_notch_core::draft::{Origin, draft};
/// use keen_notch_core::survey::{Depth, Survey};
///
/// let mut survey = Survey::new(Depth::Full);
/// (1..=50).for_each(|row| survey.observe(row, &format!("GRP-{:05}", row * 37)));
/// let origin = Origin { input: "parts.csv".to_owned(), column: "part_code".to_owned(), ..Origin::default() };
/// let draft = draft(origin, &survey).expect("there are values");
/// assert!(draft.list(0).contains("[piece."));
/// ```
pub fn draft(origin: Origin, survey: &Survey) -> Option<Draft> {
    let texts: Vec<String> = survey.sample().into_iter().map(|row| row.value).collect();
    if texts.is_empty() {
        return None;
    }
    let mut plans = Plans::default();
    let mut node = structure(&texts, true, &mut plans);
    let mut remarks = Vec::new();
    if pieces(&node, &[]).is_empty() {
        // Constant parts need no piece, unless there is no other part.
        node = structure(&texts[..1], true, &mut plans);
        remarks.push(format!("Nearly every value is the same, such as {}.", quoted(&clipped(&texts[0]))));
    }
    let mut readings = vec![reading(&node, heading(&node, survey), &origin.columns)];
    let (first_pieces, is_whole) = match &readings[0].proposal {
        Proposal::Pieces { pieces, .. } => (pieces.clone(), matches!(node, Node::Leaf(_))),
        Proposal::Layout(_) => (Vec::new(), true),
    };
    if !is_whole && let Some(form) = form(&node, &first_pieces) {
        readings.push(Reading {
            heading: "The same pieces by a layout, a picture of the whole value; take one or the other.".to_owned(),
            proposal: Proposal::Layout(form),
        });
    }
    if let Some(places) = by_position(&texts).filter(|places| *places != node) {
        let is_one_length = survey.lengths.range().is_some_and(|(least, most)| least == most);
        let share = if is_one_length { "all" } else { "most" };
        let heading = format!("Another reading: {share} values have the same length, so they can be cut by position.");
        let other = reading(&places, heading, &origin.columns);
        if phrases(&other) != phrases(&readings[0]) {
            readings.push(other);
        }
    }
    if let Some(dates) = super::dates::reading(&texts, &origin.columns, &mut plans) {
        readings[0].heading = format!("Another reading: {}", readings[0].heading);
        readings.insert(0, dates);
    }
    if let Some(keys) = super::keys::reading(&texts, &origin.columns, &mut plans) {
        // The order of keys may vary, so no reading by position is right.
        readings = vec![keys];
    } else if is_whole && let Some(other) = at_first_mark(survey, &origin.columns, &texts, &mut plans) {
        readings.push(other);
    }
    if survey.lengths.range().is_some_and(|(_, most)| most > LONGEST_IN_SAMPLE) {
        remarks.push(format!("The draft ignores values of more than {LONGEST_IN_SAMPLE} bytes. The checks still ran on them."));
    }
    if survey.values() < FEW_VALUES {
        remarks.push(match survey.values() {
            1 => "The column has a single value, so these rules may not fit other values.".to_owned(),
            values => format!("The column has only {values} values, so these rules may hold by chance."),
        });
    }
    Some(Draft { origin, rows: survey.rows, blank: survey.blank.count, remarks, readings, is_trial: false })
}

fn reading(node: &Node, heading: String, taken: &[String]) -> Reading {
    let pieces = pieces(node, taken);
    let proof = proof(node, &pieces).filter(|_| !matches!(node, Node::Leaf(_)));
    Reading { heading, proposal: Proposal::Pieces { pieces, proof } }
}

fn phrases(reading: &Reading) -> Vec<&str> {
    match &reading.proposal {
        Proposal::Pieces { pieces, .. } => pieces.iter().map(|piece| piece.take.as_str()).collect(),
        Proposal::Layout(_) => Vec::new(),
    }
}

/// Values without a common delimiter may still be cut at a mark that many of them have.
fn at_first_mark(survey: &Survey, taken: &[String], texts: &[String], plans: &mut Plans) -> Option<Reading> {
    let delimiters = survey.delimiters();
    let mark = delimiters.iter().max_by_key(|delimiter| delimiter.values)?;
    if mark.values * 4 < survey.values() {
        return None;
    }
    let written = quoted(&spaced(&mark.character, texts));
    let expected = mark.values as f64 >= NEARLY_ALL * survey.values() as f64;
    let all = [(format!("before {written} or whole"), true), (format!("after {written}"), expected)];
    let mut pieces: Vec<DraftPiece> = Vec::new();
    for (index, (take, expected)) in all.into_iter().enumerate() {
        let names = (1..).map(|n| if n == 1 { format!("part_{}", index + 1) } else { format!("part_{}_{n}", index + 1) });
        let name = names.into_iter().find(|name| !taken.contains(name))?;
        let found = plans.each(&take, texts);
        if found.is_empty() {
            return None;
        }
        pieces.push(DraftPiece { name, take, expected, known: super::checks::known(&found) });
    }
    let heading =
        format!("Another reading: cut at the first {written}, which {} have.", of(mark.values, survey.values(), "values"));
    Some(Reading { heading, proposal: Proposal::Pieces { pieces, proof: None } })
}

fn heading(node: &Node, survey: &Survey) -> String {
    let delimiters = survey.delimiters();
    let of_mark = |mark: &str| delimiters.iter().find(|delimiter| delimiter.character == mark);
    let values = survey.values();
    match node {
        Node::Sections { by, parts } => {
            let counted = of_mark(by).map_or(0, |mark: &Delimiter| {
                mark.sections.iter().filter(|(count, _)| *count == parts.len()).map(|(_, seen)| seen.count).sum()
            });
            format!("{} have {} sections by {}.", of(counted, values, "values"), number(parts.len()), quoted(by))
        }
        Node::Brackets { marks: (open, close), .. } => {
            let counted = of_mark(open.trim()).map_or(0, |mark| mark.values);
            let shown = format!("{}…{}", open.trim(), close.trim());
            format!("{} have something in brackets, {shown}, and are cut there first.", of(counted, values, "values"))
        }
        Node::Optional { by, at_start, .. } => {
            let counted = of_mark(by.trim()).map_or(0, |mark| mark.values);
            let side = if *at_start { "before" } else { "after" };
            format!("Only {} have {}: the part {side} it is missing in the others.", of(counted, values, "values"), quoted(by))
        }
        Node::Joined(_) => {
            let group = survey.groups().into_iter().next();
            let (shape, count) = group.map_or((String::new(), 0), |group| (group.shape.to_string(), group.seen.count));
            format!(
                "The values have no delimiter, but letters turn into digits at the same position: {} have the shape {shape}.",
                of(count, values, "values")
            )
        }
        _ => nothing_to_cut(survey, &delimiters),
    }
}

fn nothing_to_cut(survey: &Survey, delimiters: &[Delimiter]) -> String {
    let groups = survey.groups();
    let range = survey.lengths.range().map_or_else(String::new, |(least, most)| match (least, most) {
        (least, most) if least == most => format!("{least} characters each"),
        (least, most) => format!("{least} to {most} characters"),
    });
    if groups.iter().all(|group| group.shape.symbols().eq(['d']) && group.shape.parts.len() == 1) {
        return format!("The values consist of digits, {range}. They have no place to cut, so this draft only checks them.");
    }
    let steadiest = delimiters.iter().max_by_key(|delimiter| delimiter.values);
    match steadiest {
        None => {
            format!("The values have no common delimiter ({range}) and no steady position, so they stay whole.")
        }
        Some(mark) => {
            let counts = mark.sections.iter().take(3).map(|(sections, seen)| match sections {
                1 => format!("not there in {}", grouped(seen.count)),
                sections => format!("{} sections in {}", number(*sections), grouped(seen.count)),
            });
            let counts: Vec<String> = counts.collect();
            format!(
                "No mark divides nearly all values ({range}) in the same way, so they are left whole. {}: {}.",
                quoted(&mark.character),
                counts.join(", ")
            )
        }
    }
}

impl Draft {
    /// The draft with the checks that its text only mentions, to try them too.
    pub fn trial(&self) -> Draft {
        Draft { is_trial: true, ..self.clone() }
    }

    pub fn list(&self, reading: usize) -> String {
        let body = self.readings.get(reading).map_or_else(String::new, |reading| self.body(reading, None));
        format!("{}\n{body}", self.origin.head())
    }

    /// The whole draft: the first reading as rules, the others as comments, each with its counts.
    pub fn text(&self, proved: &[Evidence]) -> String {
        let input = &self.origin.input;
        let mut text =
            format!("# Drafted from {} of {}: {}", self.origin.shown_column(), one_line(input), counted(self.rows, "row"));
        text += &match self.blank {
            0 => ", and no blank ones.\n".to_owned(),
            blank => format!(", {} of them blank.\n", grouped(blank)),
        };
        for remark in &self.remarks {
            text += &format!("# {remark}\n");
        }
        text += "# Read it, name the pieces, and run it with carve -l. Until then it changes no data.\n";
        text += &self.origin.head();
        for (index, reading) in self.readings.iter().enumerate() {
            let proof = proved.get(index);
            if index == 0 {
                text += &format!("\n# {}\n\n{}", capital(&reading.heading), self.body(reading, proof));
                continue;
            }
            let fits = proof.is_some_and(|proof| {
                let good = self.rows.saturating_sub(self.blank.max(proof.faulty.count));
                matches!(reading.proposal, Proposal::Pieces { .. }) || good as f64 >= FITS * (self.rows - self.blank) as f64
            });
            if !fits {
                continue;
            }
            text += &format!("\n# {}\n#\n", reading.heading);
            for line in self.body(reading, proof).lines() {
                text += &if line.is_empty() { "#\n".to_owned() } else { format!("# {line}\n") };
            }
        }
        text
    }

    fn is_dropped(&self, of: &str, words: &str, proved: Option<&Evidence>) -> bool {
        let bound = (1.0 - NEARLY_ALL) * (self.rows - self.blank) as f64 + self.blank_faults(words) as f64;
        found(proved, of, words).is_some_and(|seen| seen.count as f64 > bound.max(1.0))
    }

    /// The number of blank values, which fail `required` but are no reason to drop it.
    fn blank_faults(&self, words: &str) -> u64 {
        if words == "required" { self.blank } else { 0 }
    }

    fn body(&self, reading: &Reading, proved: Option<&Evidence>) -> String {
        match &reading.proposal {
            Proposal::Layout(form) => self.layout(form, proved),
            Proposal::Pieces { pieces, proof } => {
                let mut text = String::new();
                for (index, piece) in pieces.iter().enumerate() {
                    if index > 0 {
                        text.push('\n');
                    }
                    text += &self.piece(piece, index, proved);
                }
                if let Some(proof) = proof
                    && !self.is_dropped("proof", proof, proved)
                {
                    text += "\n# The joined pieces must rebuild the value, so that no character is lost between them.\n";
                    text += &self.announced("proof", proof, "it", proved);
                    text += &format!("[proof]\n{} = {}\n", toml_key(&self.origin.column), toml_text(proof));
                }
                text
            }
        }
    }

    fn piece(&self, piece: &DraftPiece, index: usize, proved: Option<&Evidence>) -> String {
        let mut text = String::new();
        if let Some(filled) = proved.and_then(|proved| proved.filled.get(index)) {
            let such_as: Vec<String> = piece.known.such_as.iter().map(|text| quoted(&clipped(text))).collect();
            text += &format!("# In {}, such as {}.\n", of(*filled, self.rows, "rows"), such_as.join(", "));
        }
        let (dropped, kept): (Vec<String>, Vec<String>) =
            piece.checks().into_iter().partition(|check| self.is_dropped(&piece.name, check, proved));
        for check in &kept {
            text += &self.announced(&piece.name, check, &format!("`{check}`"), proved);
        }
        // Checks imply that the piece is present.
        let is_asked = !kept.is_empty() && !kept.iter().any(|check| check == "required");
        // A dropped `required` has counted them together with blank values.
        let missing = match dropped.iter().find(|check| *check == "required") {
            Some(required) => found(proved, &piece.name, required).map(|seen| seen.count.saturating_sub(self.blank)),
            None if self.is_dropped(&piece.name, NOT_MISSING, proved) => {
                found(proved, &piece.name, NOT_MISSING).map(|seen| seen.count)
            }
            None => None,
        };
        let is_optional = is_asked && missing.is_some_and(|missing| missing > 0);
        if let (true, Some(missing)) = (is_optional, missing) {
            text += &format!("# Missing in {}, which is no fault where it is optional.\n", of(missing, self.rows, "rows"));
        } else if is_asked {
            text += &self.announced(&piece.name, NOT_MISSING, &format!("`{NOT_MISSING}`"), proved);
        }
        for check in &dropped {
            if let Some(seen) = found(proved, &piece.name, check) {
                text += &format!("# Not proposed: `{check}`, which {} break.\n", of(seen.count, self.rows, "rows"));
            }
        }
        let stricter = piece.known.stricter();
        if let Some(stricter) = &stricter
            && let Some(seen) = found(proved, &piece.name, stricter)
            && !self.is_dropped(&piece.name, stricter, proved)
        {
            let broken = match seen.count {
                0 => String::new(),
                count => format!(", which {} will not meet{}", counted(count, "row"), rows_in_words(seen, ": ")),
            };
            text += &format!("# Only a few distinct values; a stricter check: {stricter}{broken}\n");
        }
        text += &format!("[piece.{}]\ntake  = {}\n", toml_key(&piece.name), toml_text(&piece.take));
        if !kept.is_empty() {
            text += if is_optional { "optional = true\n" } else { "" };
            let checks: Vec<String> = kept.iter().map(|check| toml_text(check)).collect();
            text += &format!("check = [{}]\n", checks.join(", "));
        }
        if let (true, Some(stricter)) = (self.is_trial, stricter) {
            text += &format!("warn  = {}\n", toml_text(&stricter));
        }
        text
    }

    fn layout(&self, form: &str, proved: Option<&Evidence>) -> String {
        let mut text = String::new();
        if let Some(proved) = proved {
            let good = self.rows - proved.faulty.count;
            let good = capital(&of(good, self.rows, "rows"));
            text += &format!("# {good} have it{}.\n", rows_in_words(&proved.faulty, "; the others are "));
        }
        text + &format!("[layout.{}]\nform = [{}]\n", toml_key(&self.origin.column), toml_text(form))
    }

    fn announced(&self, of: &str, words: &str, called: &str, proved: Option<&Evidence>) -> String {
        match found(proved, of, words) {
            Some(seen) if seen.count > 0 => {
                format!("# {} will not meet {called}{}.\n", counted(seen.count, "row"), rows_in_words(seen, ": "))
            }
            _ => String::new(),
        }
    }
}

fn found<'p>(proved: Option<&'p Evidence>, of: &str, words: &str) -> Option<&'p Sightings> {
    let checks = &proved?.checks;
    checks.iter().find(|(name, check, _)| name == of && check == words).map(|(_, _, seen)| seen)
}

/// `: rows 17, 44, 81 …`, or an empty text if no row is known.
fn rows_in_words(seen: &Sightings, lead: &str) -> String {
    if seen.rows.is_empty() {
        return String::new();
    }
    let rows: Vec<String> = seen.rows.iter().map(|row| grouped(*row)).collect();
    let more = if seen.count > seen.rows.len() as u64 { " …" } else { "" };
    format!("{lead}row{} {}{more}", if seen.count == 1 { "" } else { "s" }, rows.join(", "))
}

/// `9 984 of 10 000 rows`, `all 200 rows`
pub(super) fn of(part: u64, whole: u64, things: &str) -> String {
    match (part == whole, whole) {
        (true, 1) => format!("the one {}", things.trim_end_matches('s')),
        (true, _) => format!("all {} {things}", grouped(whole)),
        (false, _) => format!("{} of {} {things}", grouped(part), grouped(whole)),
    }
}

fn number(n: usize) -> String {
    let words = ["no", "one", "two", "three", "four", "five", "six", "seven", "eight", "nine"];
    words.get(n).map_or_else(|| n.to_string(), |word| (*word).to_owned())
}

fn capital(text: &str) -> String {
    let mut chars = text.chars();
    chars.next().map_or_else(String::new, |first| first.to_uppercase().chain(chars).collect())
}

const MOST_SHOWN: usize = 30;

pub(super) fn clipped(text: &str) -> String {
    let end = crate::text::characters::notch(text, MOST_SHOWN);
    if end < text.len() { format!("{}…", &text[..end]) } else { text.to_owned() }
}

/// The text on one line, so that it cannot end a comment.
pub(super) fn one_line(text: &str) -> String {
    text.chars().map(|c| if c.is_control() { ' ' } else { c }).collect()
}
