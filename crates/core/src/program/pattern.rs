//! Regular expressions, compiled once. The engine's time is linear in the text, whatever the pattern.

use std::cell::Cell;
use std::ops::Range;
use std::sync::{Arc, OnceLock};

use regex_automata::meta::{BuildError, Config, Regex as Engine};
use regex_automata::util::primitives::NonMaxUsize;
use regex_automata::util::syntax;
use regex_automata::{Anchored, Input};
use regex_syntax::ast::Span as PatternSpan;
use regex_syntax::hir::{Class, HirKind};

use super::far::{self, Far, FarPattern};
use crate::phrase::ast::{Group, Pattern, Regex, Span};
use crate::phrase::{ErrorKind, PhraseError};

/// The largest compiled form, in bytes.
const LIMIT: usize = 10 << 20;
/// The largest compiled forms of the pieces of a run together, in bytes.
const MOST_TOGETHER: usize = 128 << 20;

/// Where the engine leaves the groups it found.
pub(crate) type Slots = Vec<Option<NonMaxUsize>>;

/// A compiled regular expression.
#[derive(Debug, Clone)]
pub(crate) struct Compiled {
    engine: Engine,
    /// What it was compiled of.
    pattern: Box<str>,
    syntax: syntax::Config,
    /// What finds many matches in a long text, where the engine may look far ahead for each. Made when it is first asked for.
    far: Arc<OnceLock<Option<FarPattern>>>,
}

impl Compiled {
    /// The first match at or after byte `at`.
    pub(crate) fn find(&self, text: &str, at: usize) -> Option<Range<usize>> {
        if at > text.len() {
            return None;
        }
        self.engine.search(&Input::new(text).range(at..)).map(|found| found.range())
    }

    /// The matches in a text, from left to right.
    pub(crate) fn matches<'r, 't>(&'r self, text: &'t str) -> Matches<'r, 't> {
        Matches { compiled: self, text, given: 0, far: None }
    }

    /// What finds all matches in linear time, where the engine does not.
    fn far(&self) -> Option<&FarPattern> {
        let made = || {
            let may_be_far = far::looks_far(&self.pattern, self.syntax);
            may_be_far.then(|| FarPattern::new(&self.pattern, self.syntax, LIMIT)).flatten()
        };
        self.far.get_or_init(made).as_ref()
    }

    /// Whether the text from its start on matches.
    pub(crate) fn starts(&self, text: &str) -> bool {
        self.engine.is_match(Input::new(text).anchored(Anchored::Yes))
    }

    /// Whether there is a match at all.
    pub(crate) fn is_match(&self, text: &str) -> bool {
        self.engine.is_match(text)
    }

    /// Finds the first match at or after byte `at` with its groups up to `most`.
    pub(crate) fn find_groups(&self, text: &str, at: usize, most: usize, slots: &mut Slots) -> bool {
        if at > text.len() {
            return false;
        }
        slots.clear();
        slots.resize((most + 1) * 2, None);
        self.engine.search_slots(&Input::new(text).range(at..), slots).is_some()
    }

    /// The number of a group that is written as a number or a name.
    pub(crate) fn group_number(&self, name: &str) -> Option<usize> {
        let info = self.engine.group_info();
        match name.parse::<usize>() {
            Ok(number) => (number < self.engine.captures_len()).then_some(number),
            Err(_) => info.to_index(regex_automata::PatternID::ZERO, name),
        }
    }

    /// The names of the groups there are, for a message.
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

/// The matches of a regular expression in a text, looked for one after the other.
pub(crate) struct Matches<'r, 't> {
    compiled: &'r Compiled,
    text: &'t str,
    given: usize,
    far: Option<Box<Far<'r, 't>>>,
}

/// In texts up to so many bytes, or for so many matches, it does not matter how far an engine looks ahead.
const FEW_BYTES: usize = 1024;
const FEW_MATCHES: usize = 8;

impl Matches<'_, '_> {
    /// The first match at or after byte `at`, which is not before those that were given. Where `slots` has room for groups, their
    /// places are left there.
    pub(crate) fn next(&mut self, at: usize, groups: Option<(usize, &mut Slots)>) -> Option<Range<usize>> {
        self.given += 1;
        if self.far.is_none() && self.given > FEW_MATCHES && self.text.len().saturating_sub(at) > FEW_BYTES {
            self.far = self.compiled.far().map(|pattern| Box::new(Far::new(pattern, self.text, at)));
        }
        let Some((most, slots)) = groups else {
            return match &mut self.far {
                None => self.compiled.find(self.text, at),
                Some(far) => far.find(at, &mut []),
            };
        };
        match &mut self.far {
            None => self.compiled.find_groups(self.text, at, most, slots).then(|| group(slots, 0)).flatten(),
            Some(far) => {
                slots.clear();
                slots.resize((most + 1) * 2, None);
                far.find(at, slots)
            }
        }
    }
}

/// The group `number` that the last search left in `slots`.
pub(crate) fn group(slots: &Slots, number: usize) -> Option<Range<usize>> {
    let (start, end) = (slots.get(number * 2)?.as_ref()?, slots.get(number * 2 + 1)?.as_ref()?);
    Some(start.get()..end.get())
}

/// Compiles a regular expression.
pub(crate) fn compile(regex: &Regex) -> Result<Compiled, PhraseError> {
    compile_as(regex, |pattern| pattern.to_owned())
}

/// Compiles one that must match the whole text.
pub(crate) fn compile_whole(regex: &Regex) -> Result<Compiled, PhraseError> {
    // Errors are told of the pattern as it was written, so it is tried by itself first.
    compile(regex)?;
    compile_as(regex, |pattern| format!(r"\A(?:{pattern}{})\z", line_end(regex)))
}

/// Compiles one that must match up to the end of the text.
pub(crate) fn compile_end(regex: &Regex) -> Result<Compiled, PhraseError> {
    compile(regex)?;
    compile_as(regex, |pattern| format!(r"(?:{pattern}{})\z", line_end(regex)))
}

/// With the flag x a comment may run up to the end of the pattern, where nothing may be put after it.
fn line_end(regex: &Regex) -> &'static str {
    if regex.flags.contains('x') { "\n" } else { "" }
}

/// Compiles a regular expression that is looked for as a marker, and so must not match the empty text.
pub(crate) fn marker(regex: &Regex) -> Result<Compiled, PhraseError> {
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

/// A text in any case, by Unicode's simple case folding.
pub(crate) fn any_case(text: &str) -> Result<Compiled, PhraseError> {
    let pattern = regex_syntax::escape(text);
    compile(&Regex { pattern, flags: "i".to_owned(), span: 0..0 })
}

/// The same at the end of a text.
pub(crate) fn any_case_end(text: &str) -> Result<Compiled, PhraseError> {
    let pattern = regex_syntax::escape(text);
    compile_end(&Regex { pattern, flags: "i".to_owned(), span: 0..0 })
}

fn compile_as(regex: &Regex, write: impl FnOnce(&str) -> String) -> Result<Compiled, PhraseError> {
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
    Ok(Compiled { engine, pattern, syntax, far: Arc::default() })
}

thread_local! {
    /// The bytes of the compiled forms of this thread, while they are counted.
    static TOGETHER: Cell<Option<usize>> = const { Cell::new(None) };
}

/// While there is one, the regular expressions that this thread compiles may take no more than [`MOST_TOGETHER`] bytes together.
pub(crate) struct Together(());

impl Together {
    /// Begins to count.
    pub(crate) fn begin() -> Together {
        TOGETHER.set(Some(0));
        Together(())
    }

    /// Counts some more bytes, and gives how many there are; none while they are not counted.
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

/// A place in the pattern, as a place in the phrase.
fn in_phrase(regex: &Regex, span: &PatternSpan) -> Span {
    let start = regex.span.start + 1;
    start + span.start.offset..start + span.end.offset
}

/// A pattern with the group that is wanted of it.
#[derive(Debug, Clone)]
pub(crate) struct PatternPlan {
    pub(crate) compiled: Compiled,
    pub(crate) group: usize,
    /// A text and a class, where the pattern is that text and then a group of one or more of that class, and the
    /// group is what is wanted: in a text of ASCII only, that takes no engine.
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

    /// The next of `matches` at or after byte `at`, and the group wanted of it if it took part.
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

/// The text and the class of a pattern such as `WO:([0-9]+)`, and whether all characters of that are ASCII.
type RunAfter = (Vec<u8>, Box<[bool; 256]>, bool);

/// These, of a pattern that is such a one.
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

/// A regular expression that in plain texts is no more than this.
pub(crate) enum Simple {
    /// A text.
    Text(Vec<u8>),
    /// One character of these.
    One(Vec<u8>),
    /// As many characters of these as there are, one at least.
    Run(Vec<u8>),
}

/// What a regular expression is in plain texts, where it is something simple.
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

fn number_of(compiled: &Compiled, group: &Group) -> Result<usize, PhraseError> {
    compiled.group_number(&group.name).ok_or_else(|| PhraseError {
        kind: ErrorKind::NoSuchGroup(group.name.clone()),
        span: group.span.clone(),
        help: compiled.groups(),
    })
}

/// What replaces a match: texts and groups of it, one after the other.
#[derive(Debug, Clone)]
pub(crate) struct Template(Vec<TemplatePart>);

#[derive(Debug, Clone)]
enum TemplatePart {
    Text(String),
    Group(usize),
}

impl Template {
    /// A text as it is.
    pub(crate) fn text(text: &str) -> Template {
        Template(vec![TemplatePart::Text(text.to_owned())])
    }

    /// A text in which `$1`, `${1}` and `${name}` are groups of `compiled`, and `$$` is a dollar.
    pub(crate) fn with_groups(text: &str, span: &Span, compiled: &Compiled) -> Result<Template, PhraseError> {
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

    /// The texts in it.
    pub(crate) fn texts(&self) -> impl Iterator<Item = &str> {
        self.0.iter().filter_map(|part| if let TemplatePart::Text(text) = part { Some(text.as_str()) } else { None })
    }

    /// The greatest group asked for, if any is.
    pub(crate) fn greatest_group(&self) -> Option<usize> {
        self.0.iter().filter_map(|part| if let TemplatePart::Group(number) = part { Some(*number) } else { None }).max()
    }

    /// Writes it after `out`, with the groups that `slots` holds of `text`.
    pub(crate) fn write(&self, text: &str, slots: &Slots, out: &mut String) {
        for part in &self.0 {
            match part {
                TemplatePart::Text(text) => out.push_str(text),
                TemplatePart::Group(number) => out.push_str(group(slots, *number).map_or("", |range| &text[range])),
            }
        }
    }
}
