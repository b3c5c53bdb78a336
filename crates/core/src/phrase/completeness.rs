//! Every step and condition stands in the reference. All other tests of the language run its examples, so a step that is missing
//! there fails to compile here.

use std::collections::BTreeSet;

use super::ast::{Body, ConditionKind, StepKind};
use super::reference::{CONDITIONS, entries};
use super::{Condition, Phrase};

macro_rules! variants {
    ($all:ident, $name_of:ident, $of:ident: $($variant:ident),+ $(,)?) => {
        const $all: &[&str] = &[$(stringify!($variant)),+];

        fn $name_of(kind: &$of) -> &'static str {
            match kind {
                $($of::$variant { .. } => stringify!($variant)),+
            }
        }
    };
}

variants!(
    STEPS, step, StepKind:
    Whole, First, Last, Char, CharsTo, CharsFor, DropFirst, DropLast, Before, After, From, Through, Between, Sections, AllSections,
    Number, AllNumbers, Run, AllRuns, Match, AllMatches, AllGroups, Length, PositionOf, CountOf, Whether, If, Text, Joined, Trim, Squeeze, Upper, Lower,
    Title, Keep, DropClass, Replace, Pad, Clip, Prefix, Suffix, PlainNumber, PlainDigits, AddCheckDigit, LookupIn, LookupPairs, RowNumber,
    Date,
);

variants!(
    ALL_CONDITIONS, condition, ConditionKind:
    Required, Blank, Length, Class, Fits, StartsWith, EndsWith, Contains, ContainsWord, OneOf, ListedIn, Range, Days, Date, Email,
    CheckDigit, Unique, SameAs, All, Any,
);

#[test]
fn the_reference_has_every_step_and_condition() {
    let phrases = entries().flat_map(|entry| entry.examples.iter().map(|(_, phrase)| *phrase).chain([entry.form]));
    let mut steps = BTreeSet::new();
    for phrase in phrases {
        let Ok(phrase) = Phrase::parse(phrase) else { continue };
        for branch in &phrase.branches {
            let Body::Steps(of_branch) = &branch.body else { continue };
            steps.extend(of_branch.iter().map(|found| step(&found.kind)));
        }
    }
    let conditions: BTreeSet<&str> = CONDITIONS
        .entries
        .iter()
        .filter_map(|entry| Condition::parse(entry.form).ok())
        .map(|found| condition(&found.kind))
        .collect();
    let missing = |all: &[&'static str], found: &BTreeSet<&str>| -> Vec<&str> {
        all.iter().copied().filter(|name| !found.contains(name)).collect()
    };
    assert_eq!((missing(STEPS, &steps), missing(ALL_CONDITIONS, &conditions)), (vec![], vec![]));
}
