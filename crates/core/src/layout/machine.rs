//! Matching of a value against a form, in time linear in the value.
//!
//! A form is compiled to a program for a virtual machine. All threads advance with each character, in order of preference (R. Cox,
//! Regular Expression Matching: the Virtual Machine Approach, 2009, after R. Pike). The machine records what each thread expected, so it
//! can report where a value stops matching. It defines the result; [`super::walk`] is a faster equivalent for most plain values.

use std::ops::Range;

use super::form::{Field, Form, Item};
use crate::program::ClassPlan;
use crate::text::characters;

/// The start and end of a field, in bytes.
pub type FieldSpan = (usize, usize);

/// An absent field.
pub const NOWHERE: FieldSpan = (usize::MAX, usize::MAX);

/// The position where a value stops matching, and the steps that expected another character.
#[derive(Debug, Default)]
pub struct Mismatch {
    pub at: usize,
    pub wanted: Vec<u32>,
}

#[derive(Debug, Default)]
pub struct Scratch {
    characters: Vec<Range<usize>>,
    now: Threads,
    next: Threads,
    sights: FieldEvents,
}

/// The index of the latest event of a thread; `None` before the first.
type EventIndex = Option<u32>;

#[derive(Debug, Default)]
struct FieldEvents {
    all: Vec<FieldEvent>,
    most: usize,
}

#[derive(Debug, Clone, Copy)]
struct FieldEvent {
    before: EventIndex,
    field: u32,
    is_end: bool,
    at: usize,
}

const FEW_SIGHTS: usize = 1 << 12;

impl FieldEvents {
    fn add(&mut self, before: EventIndex, field: usize, is_end: bool, at: usize) -> EventIndex {
        self.all.push(FieldEvent { before, field: field as u32, is_end, at });
        Some(self.all.len() as u32 - 1)
    }

    fn back_from(&self, seen: EventIndex) -> impl Iterator<Item = &FieldEvent> {
        std::iter::successors(seen.and_then(|at| self.all.get(at as usize)), |sight| {
            sight.before.and_then(|at| self.all.get(at as usize))
        })
    }

    fn write(&self, seen: EventIndex, fields: &mut [FieldSpan]) {
        fields.fill(NOWHERE);
        for sight in self.back_from(seen) {
            let place = &mut fields[sight.field as usize];
            *if sight.is_end { &mut place.1 } else { &mut place.0 } = sight.at;
        }
    }

    /// Removes unreachable events if there are many, so that memory stays proportional to the threads.
    fn tidy(&mut self, threads: &mut Threads) {
        if self.all.len() <= self.most.max(FEW_SIGHTS) {
            return;
        }
        let mut kept = FieldEvents::default();
        for (_, seen) in &mut threads.list {
            let sights: Vec<FieldEvent> = self.back_from(*seen).copied().collect();
            *seen = None;
            for FieldEvent { field, is_end, at, .. } in sights.into_iter().rev() {
                *seen = kept.add(*seen, field as usize, is_end, at);
            }
        }
        kept.most = 2 * kept.all.len();
        *self = kept;
    }
}

#[derive(Debug)]
pub struct Machine {
    pub(super) steps: Vec<Step>,
}

#[derive(Debug)]
pub enum Step {
    Literal(Box<str>),
    OfField { class: Option<Box<ClassPlan>>, name: Box<str> },
    Either(usize, usize),
    Begin(usize),
    End(usize),
    Done,
}

#[derive(Debug, Default)]
struct Threads {
    list: Vec<(usize, EventIndex)>,
    there: Vec<bool>,
}

impl Machine {
    /// Compiles a form; `names` are the fields of the layout.
    pub fn new(form: &Form, names: &[&str]) -> Machine {
        let mut program = Machine { steps: Vec::new() };
        program.items(&form.items, names);
        program.steps.push(Step::Done);
        program
    }

    fn items(&mut self, items: &[Item], names: &[&str]) {
        for item in items {
            match item {
                Item::Text(text) => {
                    self.steps.extend(characters::ranges(text).map(|range| Step::Literal(text[range].into())));
                }
                Item::Optional(items) => {
                    let fork = self.fork();
                    self.items(items, names);
                    self.join(fork, Step::Either);
                }
                Item::Field(field) => {
                    let number = names.iter().position(|name| *name == field.name).unwrap_or(0);
                    self.steps.push(Step::Begin(number));
                    self.field(field);
                    self.steps.push(Step::End(number));
                }
            }
        }
    }

    fn field(&mut self, field: &Field) {
        let one = || Step::OfField {
            class: field.class.as_ref().map(|class| Box::new(ClassPlan::new(class))),
            name: field.name.as_str().into(),
        };
        self.steps.extend((0..field.from).map(|_| one()));
        match field.to {
            None => {
                let fork = self.fork();
                self.steps.push(one());
                self.steps.push(Step::Either(fork, fork));
                match field.class {
                    // Greedy.
                    Some(_) => self.join(fork, Step::Either),
                    // Lazy: leaving is preferred to staying.
                    None => self.join(fork, |inside, after| Step::Either(after, inside)),
                }
            }
            // Greedy, up to a limit.
            Some(to) => {
                let forks: Vec<usize> = (field.from..to)
                    .map(|_| {
                        let fork = self.fork();
                        self.steps.push(one());
                        fork
                    })
                    .collect();
                for fork in forks {
                    self.join(fork, Step::Either);
                }
            }
        }
    }

    fn fork(&mut self) -> usize {
        self.steps.push(Step::Done);
        self.steps.len() - 1
    }

    fn join(&mut self, fork: usize, either: fn(usize, usize) -> Step) {
        self.steps[fork] = either(fork + 1, self.steps.len());
    }

    /// Matches a value and returns its fields, or the position where it stops matching.
    pub fn run(&self, value: &str, fields: &mut [FieldSpan], scratch: &mut Scratch) -> Result<(), Mismatch> {
        let Scratch { characters, now, next, sights } = scratch;
        characters.clear();
        characters.extend(characters::ranges(value));
        now.clear(self.steps.len());
        sights.all.clear();
        self.follow(0, 0, None, sights, now);
        for (at, range) in characters.iter().enumerate() {
            let character = &value[range.clone()];
            next.clear(self.steps.len());
            for (step, seen) in &now.list {
                let goes_on = match &self.steps[*step] {
                    Step::Literal(literal) => **literal == *character,
                    Step::OfField { class, .. } => class.as_ref().is_none_or(|class| class.has(character)),
                    _ => false,
                };
                if goes_on {
                    self.follow(*step + 1, range.end, *seen, sights, next);
                }
            }
            if next.list.is_empty() {
                return Err(Mismatch { at, wanted: now.steps() });
            }
            std::mem::swap(now, next);
            sights.tidy(now);
        }
        match now.list.iter().find(|(step, _)| matches!(self.steps[*step], Step::Done)) {
            Some((_, seen)) => {
                sights.write(*seen, fields);
                Ok(())
            }
            None => Err(Mismatch { at: characters.len(), wanted: now.steps() }),
        }
    }

    fn follow(&self, step: usize, at: usize, seen: EventIndex, sights: &mut FieldEvents, threads: &mut Threads) {
        if std::mem::replace(&mut threads.there[step], true) {
            return;
        }
        match self.steps[step] {
            Step::Either(first, second) => {
                self.follow(first, at, seen, sights, threads);
                self.follow(second, at, seen, sights, threads);
            }
            Step::Begin(field) => {
                let seen = sights.add(seen, field, false, at);
                self.follow(step + 1, at, seen, sights, threads);
            }
            Step::End(field) => {
                let seen = sights.add(seen, field, true, at);
                self.follow(step + 1, at, seen, sights, threads);
            }
            Step::Literal(_) | Step::OfField { .. } | Step::Done => threads.list.push((step, seen)),
        }
    }
}

impl Threads {
    fn steps(&self) -> Vec<u32> {
        self.list.iter().map(|(step, _)| *step as u32).collect()
    }

    fn clear(&mut self, steps: usize) {
        self.list.clear();
        self.there.clear();
        self.there.resize(steps, false);
    }
}
