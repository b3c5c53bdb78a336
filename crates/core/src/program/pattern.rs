//! Compiled regular expressions. The engine takes linear time for every pattern.

use std::cell::Cell;
use std::ops::Range;
use std::sync::{Arc, OnceLock};

use regex_automata::meta::{BuildError, Config, Regex as Engine};
use regex_automata::util::primitives::NonMaxUsize;
use regex_automata::util::syntax;
use regex_automata::{Anchored, Input};
use regex_syntax::ast::Span as PatternSpan;
use regex_syntax::hir::{Class, HirKind};

use super::linear_matches::{self, LinearMatches, LinearPattern};
use crate::phrase::ast::{Group, Pattern, Regex, Span};
use crate::phrase::{ErrorKind, PhraseError};

const LIMIT: usize = 10 << 20;
const MOST_TOGETHER: usize = 128 << 20;

pub(crate) type Slots = Vec<Option<NonMaxUsize>>;

#[derive(Debug, Clone)]
pub(crate) struct CompiledRegex {
    engine: Engine,
    pattern: Box<str>,
    syntax: syntax::Config,
    /// The engine for many matches in a long text, if the usual engine may scan far ahead for each.
    linear: Arc<OnceLock<Option<LinearPattern>>>,
}

impl CompiledRegex {
    pub(crate) fn find(&self, text: &str, at: usize) -> Option<Range<usize>> {
        if at > text.len() {
            return None;
        }
        self.engine.search(&Input::new(text).range(at..)).map(|found| found.range())
    }

    pub(crate) fn matches<'r, 't>(&'r self, text: &'t str) -> Matches<'r, 't> {
        Matches { compiled: self, text, given: 0, linear: None }
    }

    fn linear(&self) -> Option<&LinearPattern> {
        let made = || {
            let may_look_ahead = linear_matches::has_unbounded_lookahead(&self.pattern, self.syntax);
            may_look_ahead.then(|| LinearPattern::new(&self.pattern, self.syntax, LIMIT)).flatten()
        };
        self.linear.get_or_init(made).as_ref()
    }

    pub(crate) fn starts(&self, text: &str) -> bool {
        self.engine.is_match(Input::new(text).anchored(Anchored::Yes))
    }

    pub(crate) fn is_match(&self, text: &str) -> bool {
        self.engine.is_match(text)
    }

    pub(crate) fn find_groups(&self, text: &str, at: usize, most: usize, slots: &mut Slots) -> bool {
        if at > text.len() {
            return false;
        }
        slots.clear();
        slots.resize((most + 1) * 2, None);
        self.engine.search_slots(&Input::new(text).range(at..), slots).is_some()
    }

    pub(crate) fn group_number(&self, name: &str) -> Option<usize> {
        let info = self.engine.group_info();
        match name.parse::<usize>() {
            Ok(number) => (number < self.engine.captures_len()).then_some(number),
            Err(_) => info.to_index(regex_automata::PatternID::ZERO, name),
        }
    }

    /// The number of its groups, without the whole match.
    pub(crate) fn group_count(&self) -> usize {
        self.engine.captures_len().saturating_sub(1)
    }

    fn groups(&self) -> String {
        let names: Vec<String> = self
            .engine
            .group_info()
            .pattern_names(regex_automata::PatternID::ZERO)
            .enumerate()
            .skip(1)
            .map(|(number, name)| name.map_or(number.to_string(), str::to_owned))
            .collect();
        if names.is_empty() {
            "it has none: put parentheses around the part that you want".to_owned()
        } else {
            format!("it has {}", names.join(", "))
        }
    }
}

pub(crate) struct Matches<'r, 't> {
    compiled: &'r CompiledRegex,
    text: &'t str,
    given: usize,
    linear: Option<Box<LinearMatches<'r, 't>>>,
}

/// In shorter texts, or for fewer matches, the lookahead of an engine does not matter.
const FEW_BYTES: usize = 1024;
const FEW_MATCHES: usize = 8;

impl Matches<'_, '_> {
    /// The first match at or after byte `at`, which must not decrease between calls. Writes the groups to `slots`, up to its length.
    pub(crate) fn next(&mut self, at: usize, groups: Option<(usize, &mut Slots)>) -> Option<Range<usize>> {
        self.given += 1;
        if self.linear.is_none() && self.given > FEW_MATCHES && self.text.len().saturating_sub(at) > FEW_BYTES {
            self.linear = self.compiled.linear().map(|pattern| Box::new(LinearMatches::new(pattern, self.text, at)));
        }
        let Some((most, slots)) = groups else {
            return match &mut self.linear {
                None => self.compiled.find(self.text, at),
                Some(linear) => linear.find(at, &mut []),
            };
        };
        match &mut self.linear {
            None => self.compiled.find_groups(self.text, at, most, slots).then(|| group(slots, 0)).flatten(),
            Some(linear) => {
                slots.clear();
                slots.resize((most + 1) * 2, None);
                linear.find(at, slots)
            }
        }
    }
}

pub(crate) fn group(slots: &Slots, number: usize) -> Option<Range<usize>> {
    let (start, end) = (slots.get(number * 2)?.as_ref()?, slots.get(number * 2 + 1)?.as_ref()?);
    Some(start.get()..end.get())
}

pub(crate) fn compile(regex: &Regex) -> Result<CompiledRegex, PhraseError> {
    compile_as(regex, |pattern| pattern.to_owned())
}

pub(crate) fn compile_whole(regex: &Regex) -> Result<CompiledRegex, PhraseError> {
    // Compile the pattern alone first, so that errors refer to it as written.
    compile(regex)?;
    compile_as(regex, |pattern| format!(r"\A(?:{pattern}{})\z", line_end(regex)))
}

pub(crate) fn compile_end(regex: &Regex) -> Result<CompiledRegex, PhraseError> {
    compile(regex)?;
    compile_as(regex, |pattern| format!(r"(?:{pattern}{})\z", line_end(regex)))
}

/// With the flag x, a comment can extend to the end of the pattern, so a line end must follow it.
fn line_end(regex: &Regex) -> &'static str {
    if regex.flags.contains('x') { "\n" } else { "" }
}

/// Compiles a regular expression as a marker. It must not match the empty text.
pub(crate) fn marker(regex: &Regex) -> Result<CompiledRegex, PhraseError> {
    let compiled = compile(regex)?;
    let matches_nothing = regex_syntax::ParserBuilder::new()
        .ignore_whitespace(regex.flags.contains('x'))
        .build()
        .parse(&regex.pattern)
        .is_ok_and(|hir| hir.properties().minimum_len() == Some(0));
    if matches_nothing {
        return Err(PhraseError {
            kind: ErrorKind::MatchesNothing,
            span: regex.span.clone(),
            help: "let it match one character at least: `+` instead of `*`, or leave a `?` out".to_owned(),
        });
    }
    Ok(compiled)
}

pub(crate) fn any_case(text: &str) -> Result<CompiledRegex, PhraseError> {
    let pattern = regex_syntax::escape(text);
    compile(&Regex { pattern, flags: "i".to_owned(), span: 0..0 })
}

pub(crate) fn any_case_end(text: &str) -> Result<CompiledRegex, PhraseError> {
    let pattern = regex_syntax::escape(text);
    compile_end(&Regex { pattern, flags: "i".to_owned(), span: 0..0 })
}

fn compile_as(regex: &Regex, write: impl FnOnce(&str) -> String) -> Result<CompiledRegex, PhraseError> {
    let syntax = syntax::Config::new()
        .case_insensitive(regex.flags.contains('i'))
        .multi_line(regex.flags.contains('m'))
        .dot_matches_new_line(regex.flags.contains('s'))
        .ignore_whitespace(regex.flags.contains('x'));
    let config = Config::new().nfa_size_limit(Some(LIMIT)).utf8_empty(true);
    let pattern = write(&regex.pattern).into_boxed_str();
    let engine = Engine::builder().configure(config).syntax(syntax).build(&pattern);
    let engine = engine.map_err(|error| refused(regex, &error))?;
    if Together::takes(engine.memory_usage()) > MOST_TOGETHER {
        return Err(too_large(regex, ErrorKind::RegexesTooLarge { limit: MOST_TOGETHER }));
    }
    Ok(CompiledRegex { engine, pattern, syntax, linear: Arc::default() })
}

thread_local! {
    /// The compiled size on this thread, while it is counted.
    static TOGETHER: Cell<Option<usize>> = const { Cell::new(None) };
}

/// Limits the regular expressions that this thread compiles to [`MOST_TOGETHER`] bytes in total, while it exists.
pub(crate) struct Together(());

impl Together {
    pub(crate) fn begin() -> Together {
        TOGETHER.set(Some(0));
        Together(())
    }

    fn takes(more: usize) -> usize {
        let together = TOGETHER.get().map(|before| before + more);
        TOGETHER.set(together);
        together.unwrap_or(0)
    }
}

impl Drop for Together {
    fn drop(&mut self) {
        TOGETHER.set(None);
    }
}

fn too_large(regex: &Regex, kind: ErrorKind) -> PhraseError {
    PhraseError {
        kind,
        span: regex.span.clone(),
        help: "ask for fewer repetitions: a count such as {1000} is written out that many times".to_owned(),
    }
}

fn refused(regex: &Regex, error: &BuildError) -> PhraseError {
    let Some(syntax) = error.syntax_error() else {
        return too_large(regex, ErrorKind::RegexTooLarge { limit: LIMIT });
    };
    let (reason, span) = match syntax {
        regex_syntax::Error::Parse(error) => (error.kind().to_string(), Some(error.span())),
        regex_syntax::Error::Translate(error) => (error.kind().to_string(), Some(error.span())),
        other => (other.to_string(), None),
    };
    PhraseError {
        kind: ErrorKind::BadRegex(reason),
        span: span.map_or(regex.span.clone(), |span| in_phrase(regex, span)),
        help: r"correct the pattern; a backslash makes a special character literal: \( \. \+".to_owned(),
    }
}

fn in_phrase(regex: &Regex, span: &PatternSpan) -> Span {
    let start = regex.span.start + 1;
    start + span.start.offset..start + span.end.offset
}

#[derive(Debug, Clone)]
pub(crate) struct PatternPlan {
    pub(crate) compiled: CompiledRegex,
    pub(crate) group: usize,
    /// The text and the class, if the pattern is a text followed by a group of one or more characters of a class, and that group is the
    /// result. ASCII texts then need no engine.
    pub(super) run_after: Option<RunAfter>,
}

impl PatternPlan {
    pub(crate) fn new(pattern: &Pattern) -> Result<PatternPlan, PhraseError> {
        let compiled = compile(&pattern.regex)?;
        let group = match &pattern.group {
            None => 0,
            Some(group) => number_of(&compiled, group)?,
        };
        let run_after = if group == 1 { run_after(&pattern.regex) } else { None };
        Ok(PatternPlan { compiled, group, run_after })
    }

    /// The next of `matches` at or after byte `at`, and its group if the group took part.
    pub(crate) fn next(
        &self,
        matches: &mut Matches,
        at: usize,
        slots: &mut Slots,
    ) -> Option<(Range<usize>, Option<Range<usize>>)> {
        if self.group == 0 {
            let found = matches.next(at, None)?;
            return Some((found.clone(), Some(found)));
        }
        let found = matches.next(at, Some((self.group, slots)))?;
        Some((found, group(slots, self.group)))
    }
}

type RunAfter = (Vec<u8>, Box<[bool; 256]>, bool);

/// The text and class of a pattern such as `WO:([0-9]+)`, and whether the class is ASCII.
fn run_after(regex: &Regex) -> Option<RunAfter> {
    if !regex.flags.is_empty() {
        return None;
    }
    let parsed = regex_syntax::parse(&regex.pattern).ok()?;
    let HirKind::Concat(parts) = parsed.kind() else { return None };
    let [prefix, group] = parts.as_slice() else { return None };
    let (HirKind::Literal(prefix), HirKind::Capture(group)) = (prefix.kind(), group.kind()) else { return None };
    let HirKind::Repetition(run) = group.sub.kind() else { return None };
    if run.min != 1 || run.max.is_some() || !run.greedy || !prefix.0.is_ascii() {
        return None;
    }
    let HirKind::Class(Class::Unicode(class)) = run.sub.kind() else { return None };
    let mut table = Box::new([false; 256]);
    for byte in 0..128u8 {
        let c = char::from(byte);
        table[usize::from(byte)] = class.iter().any(|range| (range.start()..=range.end()).contains(&c));
    }
    let is_ascii = class.iter().all(|range| range.end().is_ascii());
    Some((prefix.0.to_vec(), table, is_ascii))
}

pub(crate) enum Simple {
    Text(Vec<u8>),
    One(Vec<u8>),
    Run(Vec<u8>),
}

pub(crate) fn simple(regex: &Regex) -> Option<Simple> {
    if !regex.flags.is_empty() {
        return None;
    }
    let ascii = |class: &Class| {
        let Class::Unicode(class) = class else { return Vec::new() };
        let has = |byte: &u8| class.iter().any(|range| (range.start()..=range.end()).contains(&char::from(*byte)));
        (0..128).filter(has).collect::<Vec<u8>>()
    };
    match regex_syntax::parse(&regex.pattern).ok()?.into_kind() {
        HirKind::Literal(text) if text.0.is_ascii() => Some(Simple::Text(text.0.to_vec())),
        HirKind::Class(class) => Some(Simple::One(ascii(&class))),
        HirKind::Repetition(run) if run.min == 1 && run.max.is_none() && run.greedy => match run.sub.kind() {
            HirKind::Class(class) => Some(Simple::Run(ascii(class))),
            _ => None,
        },
        _ => None,
    }
}

fn number_of(compiled: &CompiledRegex, group: &Group) -> Result<usize, PhraseError> {
    compiled.group_number(&group.name).ok_or_else(|| PhraseError {
        kind: ErrorKind::NoSuchGroup(group.name.clone()),
        span: group.span.clone(),
        help: compiled.groups(),
    })
}

#[derive(Debug, Clone)]
pub(crate) struct Template(Vec<TemplatePart>);

#[derive(Debug, Clone)]
enum TemplatePart {
    Text(String),
    Group(usize),
}

impl Template {
    pub(crate) fn text(text: &str) -> Template {
        Template(vec![TemplatePart::Text(text.to_owned())])
    }

    /// A text in which `$1`, `${1}` and `${name}` are groups of `compiled`, and `$$` is a dollar.
    pub(crate) fn with_groups(text: &str, span: &Span, compiled: &CompiledRegex) -> Result<Template, PhraseError> {
        let mut parts = Vec::new();
        let mut rest = text;
        while let Some(dollar) = rest.find('$') {
            parts.push(TemplatePart::Text(rest[..dollar].to_owned()));
            let after = &rest[dollar + 1..];
            let name_in_braces = after.strip_prefix('{').and_then(|name| name.split_once('}')).map(|(name, _)| name);
            let digits = &after[..after.find(|c: char| !c.is_ascii_digit()).unwrap_or(after.len())];
            let (name, width) = match name_in_braces {
                _ if after.starts_with('$') => {
                    parts.push(TemplatePart::Text("$".to_owned()));
                    rest = &after[1..];
                    continue;
                }
                Some(name) => (name, name.len() + 2),
                None => (digits, digits.len()),
            };
            if name.is_empty() {
                return Err(PhraseError {
                    kind: ErrorKind::NoSuchGroup("$".to_owned()),
                    span: span.clone(),
                    help: "write `$1` or `${name}` for a group, and `$$` for a dollar".to_owned(),
                });
            }
            let group = Group { name: name.to_owned(), span: span.clone() };
            parts.push(TemplatePart::Group(number_of(compiled, &group)?));
            rest = &after[width..];
        }
        parts.push(TemplatePart::Text(rest.to_owned()));
        Ok(Template(parts))
    }

    pub(crate) fn texts(&self) -> impl Iterator<Item = &str> {
        self.0.iter().filter_map(|part| if let TemplatePart::Text(text) = part { Some(text.as_str()) } else { None })
    }

    pub(crate) fn greatest_group(&self) -> Option<usize> {
        self.0.iter().filter_map(|part| if let TemplatePart::Group(number) = part { Some(*number) } else { None }).max()
    }

    pub(crate) fn write(&self, text: &str, slots: &Slots, out: &mut String) {
        for part in &self.0 {
            match part {
                TemplatePart::Text(text) => out.push_str(text),
                TemplatePart::Group(number) => out.push_str(group(slots, *number).map_or("", |range| &text[range])),
            }
        }
    }
}
