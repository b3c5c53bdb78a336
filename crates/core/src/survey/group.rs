//! Merging similar shapes, so that a column of codes gives a few lines and rare shapes remain visible.
//!
//! Shapes are merged only if they have the same characters between their words. Each word position is examined over all values. If nearly
//! all words there have one make (such as capitals, digits, or a capital followed by lowercase letters), that make stays separate from
//! the others. If the makes vary, one set of kinds covers them. Lengths are treated in the same way.

use std::collections::{BTreeMap, HashMap};

use indexmap::{IndexMap, map};

use super::fine::{What, decode};
use super::kinds::Kinds;
use super::shape::{Shape, ShapePart};
use super::shapes::{Entry, Shapes, slots};
use crate::sightings::Sightings;

/// A make with at least this share of the values stays separate.
const NEARLY_ALL: f64 = 0.95;
/// Up to this many makes that share nearly all values also stay separate.
const FEW: usize = 3;
/// Each of them must have this many values on average; otherwise they may be chance.
const EACH_HAS: u64 = 4;
/// A length with at least this share of the words stays separate.
const STEADY: f64 = 0.9;
/// Lengths with at least this share are common if no length stays separate.
const COMMON: f64 = 0.01;

/// The values of one shape.
///
/// ```
/// use keen_notch_core::survey::Survey;
///
/// let survey = Survey::of_values(["GRP-00041273", "HNG-00760251", "GRP-00041273", "?"]);
/// let groups: Vec<_> = survey.groups().iter().map(|group| (group.shape.to_string(), group.seen.count)).collect();
/// assert_eq!(groups, [("U3-d8".to_owned(), 3), ("?".to_owned(), 1)]);
/// ```
#[derive(Debug, Clone)]
pub struct Group {
    pub shape: Shape,
    pub seen: Sightings,
    /// The first value, shortened if long.
    pub example: String,
    pub(super) keys: Vec<Box<[u8]>>,
}

impl Group {
    fn add(&mut self, other: Group) {
        if other.seen.rows.first() < self.seen.rows.first() {
            self.example = other.example;
        }
        self.seen.add(&other.seen);
        self.keys.extend(other.keys);
    }
}

struct Member<'s> {
    slots: Vec<Slot>,
    key: &'s [u8],
    values: &'s Entry,
}

struct Slot {
    /// The kinds of its runs in order; empty if only the set of kinds is known.
    make: Vec<Kinds>,
    kinds: Kinds,
    /// The lengths of its runs; a single one if the runs are unknown.
    widths: Vec<(usize, usize)>,
    what: Option<What>,
}

pub fn groups(shapes: &Shapes) -> Vec<Group> {
    let mut by_skeleton: BTreeMap<Vec<Option<What>>, Vec<Member>> = BTreeMap::new();
    for member in members(shapes) {
        let skeleton = member.slots.iter().map(|slot| slot.what.clone()).collect();
        by_skeleton.entry(skeleton).or_default().push(member);
    }
    let mut groups = Vec::new();
    for members in by_skeleton.into_values() {
        for members in by_kinds(members) {
            groups.extend(by_widths(members).into_iter().map(|members| group(&members)));
        }
    }
    // A fine and a coarse shape can have the same text.
    let mut by_shape: IndexMap<Shape, Group> = IndexMap::new();
    for group in groups {
        match by_shape.entry(group.shape.clone()) {
            map::Entry::Vacant(place) => {
                place.insert(group);
            }
            map::Entry::Occupied(mut known) => known.get_mut().add(group),
        }
    }
    let mut groups: Vec<Group> = by_shape.into_values().collect();
    sort(&mut groups);
    groups
}

pub fn each(shapes: &Shapes) -> Vec<Group> {
    let mut groups: Vec<_> = members(shapes).map(|member| group(&[member])).collect();
    sort(&mut groups);
    groups
}

fn sort(groups: &mut [Group]) {
    groups.sort_by(|a, b| b.seen.count.cmp(&a.seen.count).then_with(|| a.seen.rows.cmp(&b.seen.rows)));
}

fn members(shapes: &Shapes) -> impl Iterator<Item = Member<'_>> {
    let fine = shapes.fine().into_iter().map(|(key, values)| {
        let runs = decode(key);
        let slots = slots(&runs).map(|runs| {
            let make: Vec<_> = runs.iter().filter_map(|run| kinds_of(&run.what)).collect();
            Slot {
                kinds: make.iter().fold(Kinds::default(), |all, kinds| all.with(*kinds)),
                what: make.is_empty().then(|| runs[0].what.clone()),
                make,
                widths: runs.iter().map(|run| (run.count, run.count)).collect(),
            }
        });
        Member { slots: slots.collect(), key, values }
    });
    let merged = shapes.merged().into_iter().map(|(key, merged)| {
        let runs = merged.runs();
        let slots = slots(&runs).zip(&merged.widths).map(|(runs, widths)| {
            let kinds: Vec<_> = runs.iter().filter_map(|run| kinds_of(&run.what)).collect();
            Slot {
                make: if kinds.len() == 1 { kinds.clone() } else { Vec::new() },
                what: kinds.is_empty().then(|| runs[0].what.clone()),
                kinds: kinds.into_iter().fold(Kinds::default(), Kinds::with),
                widths: vec![*widths],
            }
        });
        Member { slots: slots.collect(), key, values: &merged.values }
    });
    fine.chain(merged)
}

fn kinds_of(what: &What) -> Option<Kinds> {
    if let What::Kind(kinds) = what { Some(*kinds) } else { None }
}

fn by_kinds(members: Vec<Member<'_>>) -> Vec<Vec<Member<'_>>> {
    let count = members.first().map_or(0, |member| member.slots.len());
    let classes: Vec<HashMap<(Vec<Kinds>, Kinds), usize>> = (0..count).map(|slot| makes(&members, slot)).collect();
    part(members, |member| {
        let slots = member.slots.iter().zip(&classes);
        slots.map(|(slot, classes)| classes.get(&(slot.make.clone(), slot.kinds)).copied().unwrap_or(0)).collect()
    })
}

/// A class for each word; words of one class belong together.
fn makes(members: &[Member], slot: usize) -> HashMap<(Vec<Kinds>, Kinds), usize> {
    let mut counts: BTreeMap<(Vec<Kinds>, Kinds), u64> = BTreeMap::new();
    for member in members {
        let slot = &member.slots[slot];
        *counts.entry((slot.make.clone(), slot.kinds)).or_default() += member.values.seen.count;
    }
    let mut left: Vec<_> = counts.into_iter().collect();
    left.sort_by_key(|(_, count)| std::cmp::Reverse(*count));
    let mut classes = HashMap::new();
    let mut class = 0;
    while !left.is_empty() {
        let total: u64 = left.iter().map(|(_, count)| count).sum();
        let mut before = 0;
        let most = left.iter().take_while(|(_, count)| {
            let goes_on = (before as f64) < NEARLY_ALL * total as f64;
            before += count;
            goes_on
        });
        let most = most.count();
        if most == 1 || (most <= FEW && total >= EACH_HAS * most as u64) {
            for (make, _) in left.drain(..most) {
                classes.insert(make, class);
                class += 1;
            }
            continue;
        }
        // With many makes, the most frequent mixture absorbs all makes that it contains.
        let mixture = left.iter().map(|((_, kinds), _)| *kinds).find(|kinds| kinds.is_mixed());
        let within = |kinds: Kinds| mixture.map_or(kinds == left[0].0.1, |mixture| kinds.is_within(mixture));
        let (taken, rest): (Vec<_>, Vec<_>) = left.iter().cloned().partition(|((_, kinds), _)| within(*kinds));
        classes.extend(taken.into_iter().map(|(make, _)| (make, class)));
        class += 1;
        left = rest;
    }
    classes
}

/// Divides members by the lengths of their words, and of their runs if these match.
fn by_widths(members: Vec<Member<'_>>) -> Vec<Vec<Member<'_>>> {
    let count = members.first().map_or(0, |member| member.slots.len());
    let same: Vec<bool> = (0..count).map(|slot| has_one_make(&members, slot)).collect();
    let widths = |member: &Member| -> Vec<(usize, usize)> {
        let slots = member.slots.iter().zip(&same);
        slots.flat_map(|(slot, same)| if *same { slot.widths.clone() } else { vec![slot.width()] }).collect()
    };
    let count = members.first().map_or(0, |member| widths(member).len());
    let ranges: Vec<Vec<(usize, usize)>> = (0..count)
        .map(|index| {
            let mut counts: BTreeMap<usize, u64> = BTreeMap::new();
            members.iter().for_each(|member| {
                *counts.entry(widths(member)[index].1).or_default() += member.values.seen.count;
            });
            width_ranges(&counts)
        })
        .collect();
    part(members, |member| {
        let widths = widths(member);
        let place = |(width, ranges): (&(usize, usize), &Vec<(usize, usize)>)| {
            ranges.iter().position(|(least, most)| (least..=most).contains(&&width.1)).unwrap_or(0)
        };
        widths.iter().zip(&ranges).map(place).collect()
    })
}

fn has_one_make(members: &[Member], slot: usize) -> bool {
    let first = &members[0].slots[slot];
    members.iter().all(|member| {
        let slot = &member.slots[slot];
        slot.make == first.make && slot.widths.len() == first.widths.len()
    })
}

fn width_ranges(counts: &BTreeMap<usize, u64>) -> Vec<(usize, usize)> {
    let total: u64 = counts.values().sum();
    let Some((&steady, &most)) = counts.iter().max_by_key(|(_, count)| **count) else { return Vec::new() };
    let is_common = |count: u64| count as f64 >= COMMON * total as f64;
    let (least, most) = if most as f64 >= STEADY * total as f64 {
        (steady, steady)
    } else {
        let mut common = counts.iter().filter(|(_, count)| is_common(**count)).map(|(width, _)| *width);
        let least = common.next().unwrap_or(steady);
        let most = common.next_back().unwrap_or(least);
        // Lengths adjacent to common ones are not exceptions.
        let shorter = counts.keys().rev().filter(|width| **width < least);
        let longer = counts.keys().filter(|width| **width > most);
        let least = shorter.fold(least, |least, width| if least - width == 1 { *width } else { least });
        (least, longer.fold(most, |most, width| if width - most == 1 { *width } else { most }))
    };
    let mut ranges = vec![(least, most)];
    let shorter: Vec<usize> = counts.range(..least).map(|(width, _)| *width).collect();
    let longer: Vec<usize> = counts.range(most + 1..).map(|(width, _)| *width).collect();
    for widths in [shorter, longer] {
        match widths.as_slice() {
            [] => {}
            few if few.len() <= FEW => ranges.extend(few.iter().map(|width| (*width, *width))),
            [first, .., last] => ranges.push((*first, *last)),
            [_] => {}
        }
    }
    ranges
}

/// Divides members by a key, in the order of first occurrence.
fn part<'s>(members: Vec<Member<'s>>, key: impl Fn(&Member) -> Vec<usize>) -> Vec<Vec<Member<'s>>> {
    let mut parts: IndexMap<Vec<usize>, Vec<Member>> = IndexMap::new();
    for member in members {
        parts.entry(key(&member)).or_default().push(member);
    }
    parts.into_values().collect()
}

impl Slot {
    fn width(&self) -> (usize, usize) {
        self.widths.iter().fold((0, 0), |(least, most), (a, b)| (least + a, most + b))
    }
}

fn group(members: &[Member]) -> Group {
    let count = members.first().map_or(0, |member| member.slots.len());
    let mut parts = Vec::new();
    for index in 0..count {
        let slots = || members.iter().map(|member| &member.slots[index]);
        let range = |widths: &dyn Fn(&Slot) -> (usize, usize)| {
            slots().map(widths).reduce(|(a, b), (least, most)| (a.min(least), b.max(most))).unwrap_or((0, 0))
        };
        let first = &members[0].slots[index];
        if let Some(what) = &first.what {
            let (least, most) = range(&Slot::width);
            parts.push(ShapePart { what: what.clone(), least, most });
        } else if has_one_make(members, index) && !first.make.is_empty() {
            for (run, kinds) in first.make.iter().enumerate() {
                let (least, most) = range(&|slot| slot.widths[run]);
                parts.push(ShapePart { what: What::Kind(*kinds), least, most });
            }
        } else {
            let kinds = slots().fold(Kinds::default(), |all, slot| all.with(slot.kinds));
            let (least, most) = range(&Slot::width);
            parts.push(ShapePart { what: What::Kind(kinds), least, most });
        }
    }
    let mut group = Group {
        shape: Shape { parts },
        seen: Sightings::default(),
        example: String::new(),
        keys: members.iter().map(|member| member.key.into()).collect(),
    };
    members.iter().for_each(|member| group.seen.add(&member.values.seen));
    let first = members.iter().min_by_key(|member| member.values.seen.rows.first());
    group.example = first.map_or_else(String::new, |member| member.values.example.clone());
    group
}
