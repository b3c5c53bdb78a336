//! Patterns that match a plain text without backtracking, such as `([A-Z]+)-([0-9]+)`.
//!
//! Each run of a class ends at a byte of another class, so a pattern matches in one way. A match at the start is the first match. If the
//! start does not match, the engine searches the text.

use regex_syntax::ParserBuilder;
use regex_syntax::hir::{Class, Hir, HirKind, Look};

use crate::phrase::ast::Regex;

/// Patterns with more groups use the engine.
pub(super) const MOST_GROUPS: usize = 16;

/// The start and end of each group, in bytes; empty for a group without a match.
pub(super) type Places = [(usize, usize); MOST_GROUPS];

#[derive(Debug, Clone)]
pub(super) struct StraightPattern(Box<[Step]>);

#[derive(Debug, Clone)]
enum Step {
    Text(Box<[u8]>),
    Run { class: Box<[bool; 256]>, least: usize, most: usize },
    Open(usize),
    Close(usize),
    End,
}

impl StraightPattern {
    /// `None` for other patterns.
    pub(super) fn new(regex: &Regex) -> Option<StraightPattern> {
        let has = |flag| regex.flags.contains(flag);
        let mut parser = ParserBuilder::new();
        parser.case_insensitive(has('i')).multi_line(has('m')).dot_matches_new_line(has('s')).ignore_whitespace(has('x'));
        let mut steps = Vec::new();
        add(&parser.build().parse(&regex.pattern).ok()?, &mut steps)?;
        let is_straight = (0..steps.len()).all(|step| has_one_end(&steps, step));
        is_straight.then(|| StraightPattern(steps.into()))
    }

    /// Reads the groups of a match at the start of a plain text.
    #[inline]
    pub(super) fn read(&self, text: &[u8], places: &mut Places) -> bool {
        let mut at = 0;
        for step in &self.0 {
            match step {
                Step::Text(wanted) => match text.get(at..).is_some_and(|rest| rest.starts_with(wanted)) {
                    true => at += wanted.len(),
                    false => return false,
                },
                Step::Run { class, least, most } => {
                    let rest = text.get(at..).unwrap_or_default().iter().take(*most);
                    let count = rest.take_while(|byte| class[usize::from(**byte)]).count();
                    if count < *least {
                        return false;
                    }
                    at += count;
                }
                Step::Open(group) => places[*group] = (at, at),
                Step::Close(group) => places[*group].1 = at,
                Step::End if at < text.len() => return false,
                Step::End => {}
            }
        }
        true
    }
}

fn add(hir: &Hir, steps: &mut Vec<Step>) -> Option<()> {
    match hir.kind() {
        HirKind::Empty => {}
        HirKind::Literal(text) if text.0.is_ascii() => steps.push(Step::Text(text.0.clone())),
        HirKind::Class(class) => steps.push(Step::Run { class: table(class)?, least: 1, most: 1 }),
        HirKind::Repetition(run) if run.greedy => {
            let class = match run.sub.kind() {
                HirKind::Class(class) => table(class)?,
                HirKind::Literal(text) if text.0.len() == 1 && text.0.is_ascii() => {
                    let mut class = Box::new([false; 256]);
                    class[usize::from(text.0[0])] = true;
                    class
                }
                _ => return None,
            };
            let most = run.max.map_or(usize::MAX, |most| most as usize);
            steps.push(Step::Run { class, least: run.min as usize, most });
        }
        HirKind::Capture(group) => {
            let number = (group.index as usize).checked_sub(1).filter(|number| *number < MOST_GROUPS)?;
            steps.push(Step::Open(number));
            add(&group.sub, steps)?;
            steps.push(Step::Close(number));
        }
        HirKind::Concat(parts) => parts.iter().try_for_each(|part| add(part, steps))?,
        HirKind::Look(Look::Start) if steps.iter().all(|step| matches!(step, Step::Open(_))) => {}
        HirKind::Look(Look::End) => steps.push(Step::End),
        _ => return None,
    }
    Some(())
}

/// The ASCII members of a class.
fn table(class: &Class) -> Option<Box<[bool; 256]>> {
    let Class::Unicode(class) = class else { return None };
    let mut table = Box::new([false; 256]);
    for byte in 0..128u8 {
        let c = char::from(byte);
        table[usize::from(byte)] = class.iter().any(|range| (range.start()..=range.end()).contains(&c));
    }
    Some(table)
}

/// Whether a run can end in one place only: the next byte is never in its class.
fn has_one_end(steps: &[Step], run: usize) -> bool {
    let Step::Run { class, least, most } = &steps[run] else { return true };
    if least == most {
        return true;
    }
    for next in &steps[run + 1..] {
        match next {
            Step::Open(_) | Step::Close(_) => {}
            Step::End => return true,
            Step::Text(text) => return text.first().is_none_or(|first| !class[usize::from(*first)]),
            Step::Run { class: other, least, .. } => {
                if (0..128).any(|byte| class[byte] && other[byte]) {
                    return false;
                }
                if *least > 0 {
                    return true;
                }
            }
        }
    }
    true
}

#[cfg(test)]
mod tests {
    use proptest::prelude::*;
    use proptest::sample::select;

    use super::*;
    use crate::program::pattern;

    fn regex(pattern: &str, flags: &str) -> Regex {
        Regex { pattern: pattern.to_owned(), flags: flags.to_owned(), span: 0..0 }
    }

    #[test]
    fn patterns_with_one_way_to_match() {
        for pattern in ["([A-Z]+)-([0-9]+)-(.+)", "^(?<a>a{2,3})b*(c)$", "(ab)(\\d?)x", "x"] {
            assert!(StraightPattern::new(&regex(pattern, "")).is_some(), "{pattern}");
        }
        for pattern in ["(.*)-(.*)", "(ab|c)", "(a)?b", "([a-z]+)(a)", "(a+?)b", "x^a", "(\\w+)(\\d*)7"] {
            assert!(StraightPattern::new(&regex(pattern, "")).is_none(), "{pattern}");
        }
    }

    proptest! {
        #![proptest_config(ProptestConfig::with_cases(500))]

        #[test]
        fn a_match_at_the_start_is_that_of_the_engine(
            parts in proptest::collection::vec(select(vec!["([A-B]+)", "(-)", "-", "([0-9]{2,3})", "(x*)", "[a-c]?", "(.+)", "(A)", "$", "^", "(\\W)", "é"]), 1..6),
            flags in select(vec!["", "i", "s", "m"]), texts in proptest::collection::vec("[AaBb07x. \\-]{0,8}", 1..8),
        ) {
            let regex = regex(&parts.concat(), flags);
            let (Some(straight), Ok(engine)) = (StraightPattern::new(&regex), pattern::compile(&regex)) else { return Ok(()) };
            let count = engine.group_count();
            for text in texts {
                let (mut places, mut slots) = (Places::default(), Vec::new());
                let is_found = engine.find_groups(&text, 0, count, &mut slots);
                let whole = is_found.then(|| pattern::group(&slots, 0)).flatten();
                let is_read = straight.read(text.as_bytes(), &mut places);
                prop_assert_eq!(is_read, whole.is_some_and(|whole| whole.start == 0), "{:?} {}", regex, text);
                for number in (1..=count).filter(|_| is_read) {
                    let found = pattern::group(&slots, number).unwrap();
                    prop_assert_eq!((found.start, found.end), places[number - 1], "{:?} {}", regex, text);
                }
            }
        }
    }
}
