//! Fitting a value to a form, in time linear in its length, whatever the form.
//!
//! A form is compiled to a small program whose threads all move on with each character, in the order in which
//! they are preferred (R. Pike's machine, as in R. Cox, Regular Expression Matching: the Virtual Machine
//! Approach, 2009). It keeps what each thread would have gone on with, so that a value which fits no form can
//! be told where it stopped fitting. This defines what fits; [`super::walk`] does the same for most plain values, faster.

use std::ops::Range;

use super::form::{Field, Form, Item};
use crate::program::ClassPlan;
use crate::text::characters;

/// Where a field begins and ends, in bytes.
pub type Place = (usize, usize);

/// No place: the field is not there.
pub const NOWHERE: Place = (usize::MAX, usize::MAX);

/// How many characters fitted, and the steps that wanted something else then.
#[derive(Debug, Default)]
pub struct Stuck {
    /// The number of characters.
    pub at: usize,
    /// The steps.
    pub wanted: Vec<u32>,
}

/// Memory for fitting, used again from value to value.
#[derive(Debug, Default)]
pub struct Scratch {
    characters: Vec<Range<usize>>,
    now: Threads,
    next: Threads,
    sights: Sights,
}

/// The last begin or end of a field that a thread has seen, by its index among all; none before the first.
type Seen = Option<u32>;

/// The begins and ends of fields that threads have seen. Those of threads that parted ways are shared: each leads to the one before.
#[derive(Debug, Default)]
struct Sights {
    all: Vec<Sight>,
    /// How many there may be before those that nobody leads to are taken out.
    most: usize,
}

/// A field began or ended.
#[derive(Debug, Clone, Copy)]
struct Sight {
    before: Seen,
    field: u32,
    is_end: bool,
    at: usize,
}

/// Sights that are kept before any are taken out.
const FEW_SIGHTS: usize = 1 << 12;

impl Sights {
    fn add(&mut self, before: Seen, field: usize, is_end: bool, at: usize) -> Seen {
        self.all.push(Sight { before, field: field as u32, is_end, at });
        Some(self.all.len() as u32 - 1)
    }

    /// What led to one, from the last to the first.
    fn back_from(&self, seen: Seen) -> impl Iterator<Item = &Sight> {
        std::iter::successors(seen.and_then(|at| self.all.get(at as usize)), |sight| {
            sight.before.and_then(|at| self.all.get(at as usize))
        })
    }

    /// Writes down where the fields are that led to one.
    fn write(&self, seen: Seen, fields: &mut [Place]) {
        fields.fill(NOWHERE);
        for sight in self.back_from(seen) {
            let place = &mut fields[sight.field as usize];
            *if sight.is_end { &mut place.1 } else { &mut place.0 } = sight.at;
        }
    }

    /// Takes out those that no thread leads to, if there are many: so there are never many more than the threads need.
    fn tidy(&mut self, threads: &mut Threads) {
        if self.all.len() <= self.most.max(FEW_SIGHTS) {
            return;
        }
        let mut kept = Sights::default();
        for (_, seen) in &mut threads.list {
            let sights: Vec<Sight> = self.back_from(*seen).copied().collect();
            *seen = None;
            for Sight { field, is_end, at, .. } in sights.into_iter().rev() {
                *seen = kept.add(*seen, field as usize, is_end, at);
            }
        }
        kept.most = 2 * kept.all.len();
        *self = kept;
    }
}

/// A form made ready.
#[derive(Debug)]
pub struct Machine {
    pub(super) steps: Vec<Step>,
}

/// A step of a machine.
#[derive(Debug)]
pub enum Step {
    /// Goes on if the character is this one.
    Literal(Box<str>),
    /// Goes on if the character is of the class; any is, where there is none.
    OfField {
        /// The class.
        class: Option<Box<ClassPlan>>,
        /// The field.
        name: Box<str>,
    },
    /// Goes on at the first, or else at the second.
    Either(usize, usize),
    /// A field begins here.
    Begin(usize),
    /// A field ends here.
    End(usize),
    /// The form is done: the value must be too.
    Done,
}

/// Threads in the order in which they are preferred: the step each is at, and the last that it has seen.
#[derive(Debug, Default)]
struct Threads {
    list: Vec<(usize, Seen)>,
    /// Steps that a thread is at already.
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
                    // As many of its class as let the rest fit.
                    Some(_) => self.join(fork, Step::Either),
                    // As few as let the rest fit: leaving comes before going on.
                    None => self.join(fork, |inside, after| Step::Either(after, inside)),
                }
            }
            // As many as let the rest fit.
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

    /// A place to part ways, to be filled in when both ways are known.
    fn fork(&mut self) -> usize {
        self.steps.push(Step::Done);
        self.steps.len() - 1
    }

    /// Fills in a fork whose inside ends here.
    fn join(&mut self, fork: usize, either: fn(usize, usize) -> Step) {
        self.steps[fork] = either(fork + 1, self.steps.len());
    }

    /// Where the fields are, or how many characters fitted and what was wanted then.
    pub fn run(&self, value: &str, fields: &mut [Place], scratch: &mut Scratch) -> Result<(), Stuck> {
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
                return Err(Stuck { at, wanted: now.steps() });
            }
            std::mem::swap(now, next);
            sights.tidy(now);
        }
        match now.list.iter().find(|(step, _)| matches!(self.steps[*step], Step::Done)) {
            Some((_, seen)) => {
                sights.write(*seen, fields);
                Ok(())
            }
            None => Err(Stuck { at: characters.len(), wanted: now.steps() }),
        }
    }

    /// Adds a thread at a step, having gone on to those that read a character.
    fn follow(&self, step: usize, at: usize, seen: Seen, sights: &mut Sights, threads: &mut Threads) {
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
    /// The steps that the threads are at.
    fn steps(&self) -> Vec<u32> {
        self.list.iter().map(|(step, _)| *step as u32).collect()
    }

    fn clear(&mut self, steps: usize) {
        self.list.clear();
        self.there.clear();
        self.there.resize(steps, false);
    }
}
