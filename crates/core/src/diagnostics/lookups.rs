//! Observations about `lookup`: texts that it does not find, and why.

use std::sync::Arc;

use crate::phrase::Phrase;
use crate::phrase::ast::{Body, ListSource, LookupSource, Span, Step, StepKind};
use crate::program::{Files, List, LookupTable, NoList, Program, Scratch, Setting};
use crate::sightings::Sightings;
use crate::text::unit::Unit;

/// Limit for the values on which changes are tried.
const MOST: usize = 1000;

/// The files of a phrase, for trying changes of it.
#[derive(Debug, Clone, Default)]
pub struct ReadFiles {
    lists: Vec<(ListSource, List)>,
    lookups: Vec<(LookupSource, Arc<LookupTable>)>,
}

impl ReadFiles {
    /// The files that the steps and conditions of a phrase name, as far as they are available.
    pub fn of(phrase: &Phrase, files: &dyn Files) -> ReadFiles {
        let mut read = ReadFiles::default();
        for step in steps(phrase) {
            match &step.kind {
                StepKind::LookupIn(source) => {
                    read.lookups.extend(files.lookup(source).ok().map(|table| (source.clone(), table)));
                }
                StepKind::If { condition, .. } | StepKind::Whether(condition) => condition.each_list(&mut |source| {
                    read.lists.extend(files.list(source).ok().map(|list| (source.clone(), list)));
                }),
                _ => {}
            }
        }
        read
    }
}

impl Files for ReadFiles {
    fn list(&self, source: &ListSource) -> Result<List, NoList> {
        let known = self.lists.iter().find(|(known, _)| known == source).map(|(_, list)| Arc::clone(list));
        known.ok_or_else(|| NoList { reason: source.file.clone(), help: String::new() })
    }

    fn lookup(&self, source: &LookupSource) -> Result<Arc<LookupTable>, NoList> {
        let known = self.lookups.iter().find(|(known, _)| known == source);
        let in_any_case = || {
            let exact = LookupSource { any_case: false, ..source.clone() };
            let (_, table) = self.lookups.iter().find(|(known, _)| source.any_case && *known == exact)?;
            table.in_any_case().map(Arc::new)
        };
        let table = known.map(|(_, table)| Arc::clone(table)).or_else(in_any_case);
        table.ok_or_else(|| NoList { reason: source.keys.file.clone(), help: String::new() })
    }
}

fn steps(phrase: &Phrase) -> impl Iterator<Item = &Step> {
    phrase.branches.iter().flat_map(|branch| match &branch.body {
        Body::Steps(steps) => steps.as_slice(),
        Body::Literal(_) => &[],
    })
}

/// Values without a result, for a phrase with a lookup in its first branch.
#[derive(Debug, Clone)]
pub struct LookupDiagnostics {
    /// The lookup, as bytes of the trimmed phrase.
    at: Span,
    source: Option<LookupSource>,
    unfound: Vec<(u64, String)>,
    has_more: bool,
}

/// A change of the phrase that finds most of the texts.
pub struct BetterLookup {
    pub phrase: String,
    pub because: &'static str,
    pub found: Sightings,
}

impl LookupDiagnostics {
    pub fn new(phrase: &Phrase) -> Option<LookupDiagnostics> {
        let Body::Steps(steps) = &phrase.branches.first()?.body else { return None };
        let blanks = phrase.source.len() - phrase.source.trim_start().len();
        steps.iter().find_map(|step| {
            let source = match &step.kind {
                StepKind::LookupIn(source) => Some(source.clone()),
                StepKind::LookupPairs { .. } => None,
                _ => return None,
            };
            let at = step.span.start - blanks..step.span.end - blanks;
            Some(LookupDiagnostics { at, source, unfound: Vec::new(), has_more: false })
        })
    }

    pub fn note(&mut self, row: u64, value: &str) {
        match self.unfound.len() < MOST {
            true => self.unfound.push((row, value.to_owned())),
            false => self.has_more = true,
        }
    }

    pub fn append(&mut self, later: &LookupDiagnostics, offset: u64) {
        let lacking = MOST - self.unfound.len();
        self.has_more |= later.has_more || later.unfound.len() > lacking;
        self.unfound.extend(later.unfound.iter().take(lacking).map(|(row, value)| (row + offset, value.clone())));
    }

    /// Whether only the first values without a result were kept.
    pub fn has_more(&self) -> bool {
        self.has_more
    }

    /// The file, if there is one.
    pub fn file(&self) -> Option<&str> {
        self.source.as_ref().map(|source| source.keys.file.as_str())
    }

    /// The values that are looked up and not found.
    pub fn unfound(&self, phrase: &str, files: &ReadFiles) -> Sightings {
        self.texts(phrase, files).into_iter().fold(Sightings::default(), |mut seen, (row, ..)| {
            seen.note(row);
            seen
        })
    }

    /// The values whose text equals the header that was skipped.
    pub fn headers(&self, phrase: &str, files: &ReadFiles) -> Option<(String, Sightings)> {
        let table = files.lookup(self.source.as_ref()?).ok()?;
        let mut headers = self.texts(phrase, files).into_iter().filter(|(.., text)| table.header_is(text).is_some()).peekable();
        let text = headers.peek().map(|(.., text)| text.clone())?;
        let mut seen = Sightings::default();
        headers.for_each(|(row, ..)| seen.note(row));
        Some((text, seen))
    }

    /// The values without a result for their lookup, with their rows and the texts that were looked up.
    fn texts(&self, phrase: &str, files: &ReadFiles) -> Vec<(u64, &str, String)> {
        let Some(program) = program(phrase, files) else { return Vec::new() };
        let text = |(row, value): &'_ (u64, String)| {
            let trace = program.trace(value);
            let last = trace.branches.first()?.steps.last().filter(|step| step.span == self.at && step.after.is_empty())?;
            Some((*row, last.before.first()?.text.clone()))
        };
        self.unfound.iter().filter_map(|kept| text(kept).map(|(row, text)| (row, kept.1.as_str(), text))).collect()
    }

    /// A change that finds most of the texts and keeps the results for `sample`.
    pub fn better(&self, phrase: &str, files: &ReadFiles, sample: &[String]) -> Option<BetterLookup> {
        let texts = self.texts(phrase, files);
        let before = program(phrase, files)?;
        let mut scratch = Scratch::default();
        let mut given = |program: &Program, value: &str| {
            let cut = program.cut(value, &mut scratch);
            (cut.state.is_there() && !cut.state.fallback).then(|| cut.text.to_owned())
        };
        let kept: Vec<(&String, String)> =
            sample.iter().filter_map(|value| given(&before, value).map(|result| (value, result))).collect();
        let mut best: Option<BetterLookup> = None;
        for (changed, because) in self.changes(phrase, files) {
            let Some(program) = program(&changed, files) else { continue };
            if !kept.iter().all(|(value, result)| given(&program, value).as_ref() == Some(result)) {
                continue;
            }
            let mut found = Sightings::default();
            texts.iter().filter(|(_, value, _)| given(&program, value).is_some()).for_each(|(row, ..)| found.note(*row));
            let most = best.as_ref().map_or(texts.len() as u64 / 2, |best| best.found.count);
            if found.count > most {
                best = Some(BetterLookup { phrase: changed, because, found });
            }
        }
        best
    }

    fn changes(&self, phrase: &str, files: &ReadFiles) -> Vec<(String, &'static str)> {
        let (Some(before), Some(lookup), Some(after)) =
            (phrase.get(..self.at.start), phrase.get(self.at.clone()), phrase.get(self.at.end..))
        else {
            return Vec::new();
        };
        let mut steps = vec![("trim then ".to_owned(), "spaces at an end"), ("plain number then ".to_owned(), "leading zeros")];
        steps.extend(self.key_width(files).map(|width| (format!("pad left to {width} with \"0\" then "), "leading zeros")));
        let mut changes: Vec<(String, &str)> =
            steps.into_iter().map(|(step, because)| (format!("{before}{step}{lookup}{after}"), because)).collect();
        changes.push((format!("{before}{lookup} any case{after}"), "their case"));
        changes.push((format!("{before}trim then {lookup} any case{after}"), "spaces at an end and their case"));
        changes
    }

    /// The width of the keys, if all are digits of one width.
    fn key_width(&self, files: &ReadFiles) -> Option<usize> {
        let table = files.lookup(self.source.as_ref()?).ok()?;
        let width = table.pairs().next()?.0.len();
        let is_of_it = |key: &str| key.len() == width && key.bytes().all(|byte| byte.is_ascii_digit());
        table.pairs().all(|(key, _)| is_of_it(key)).then_some(width)
    }
}

/// The compiled phrase with its files; `None` if it is invalid, or needs other columns.
pub fn program(phrase: &str, files: &ReadFiles) -> Option<Program> {
    Program::with(&Phrase::parse(phrase).ok()?, &Setting { files, ..Setting::new(Unit::Characters) }).ok()
}
