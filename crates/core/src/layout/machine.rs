//! Fitting a value to forms, in time linear in its length, whatever the form.
//!
//! A form is compiled to a small program whose threads all move on with each character, in the order in which
//! they are preferred (R. Pike's machine, as in R. Cox, Regular Expression Matching: the Virtual Machine
//! Approach, 2009). It keeps what each thread would have liked to see, so that a value which fits no form can
//! be told where it stopped fitting.

use std::ops::Range;

use super::Layout;
use super::form::{Field, Form, Item};
use crate::check::{Violation, ViolationKind, described};
use crate::program::ClassPlan;
use crate::text::characters;

/// A layout made ready.
#[derive(Debug)]
pub struct LayoutPlan {
    forms: Vec<Machine>,
    fields: usize,
}

/// The form a value has: its number from 0, and where each field stands, in bytes.
#[derive(Debug, Clone, PartialEq, Eq, Default)]
pub struct Fit {
    /// Which form, from 0.
    pub form: usize,
    /// Where each of the layout's pieces stands; none for one that is not there.
    pub fields: Places,
}

/// Room for fitting, reused from value to value.
#[derive(Debug, Default)]
pub struct Room {
    characters: Vec<Range<usize>>,
    now: Threads,
    next: Threads,
}

#[derive(Debug)]
struct Machine {
    steps: Vec<Step>,
}

#[derive(Debug)]
enum Step {
    /// Goes on if the character is this one.
    Literal(Box<str>),
    /// Goes on if the character is of the class; any is, where there is none.
    OfField {
        class: Option<Box<ClassPlan>>,
        name: Box<str>,
    },
    /// Goes on at the first, or else at the second.
    Either(usize, usize),
    /// A field begins, or ends, here.
    Begin(usize),
    End(usize),
    /// The form is done: the value must be too.
    Done,
}

/// Threads in the order in which they are preferred: the step each is at, and the fields it has seen.
#[derive(Debug, Default)]
struct Threads {
    list: Vec<(usize, Vec<(usize, usize)>)>,
    /// Steps that a thread is at already.
    there: Vec<bool>,
}

/// Where each field stands, in bytes; none for one that is not there.
type Places = Vec<Option<Range<usize>>>;

/// How many characters fitted, and what was wanted then.
#[derive(Debug, Default)]
struct Stuck {
    at: usize,
    wanted: Vec<String>,
}

/// No place.
const NOWHERE: usize = usize::MAX;

impl LayoutPlan {
    /// Makes a layout ready.
    pub fn new(layout: &Layout) -> LayoutPlan {
        let names = layout.names();
        LayoutPlan { forms: layout.forms.iter().map(|form| Machine::new(form, &names)).collect(), fields: names.len() }
    }

    /// The first form that the value has; otherwise which form came nearest, where it stopped, and what it
    /// wanted there.
    ///
    /// # Errors
    /// Where the value has none of the forms.
    pub fn fit(&self, value: &str, room: &mut Room) -> Result<Fit, Violation> {
        room.characters.clear();
        room.characters.extend(characters::ranges(value));
        let mut nearest: Option<(usize, Stuck)> = None;
        for (form, program) in self.forms.iter().enumerate() {
            match program.run(value, self.fields, room) {
                Ok(fields) => return Ok(Fit { form, fields }),
                Err(stuck) if nearest.as_ref().is_none_or(|(_, nearest)| stuck.at > nearest.at) => {
                    nearest = Some((form, stuck))
                }
                Err(_) => {}
            }
        }
        let (form, Stuck { at, wanted }) = nearest.unwrap_or_default();
        let wanted = wanted.join(" or ");
        let which = if self.forms.len() > 1 { format!("form {} comes nearest: ", form + 1) } else { String::new() };
        let detail = match room.characters.get(at) {
            Some(range) => {
                format!("{which}character {} is {}; {wanted} was expected", at + 1, described(&value[range.clone()]))
            }
            None if at == 0 => "it is blank".to_owned(),
            None => format!("{which}it ends behind character {at}; {wanted} was expected there"),
        };
        Err(Violation { kind: ViolationKind::WrongLayout, detail, at: Some(at + 1) })
    }
}

impl Machine {
    fn new(form: &Form, names: &[&str]) -> Machine {
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
            // As few as let the rest fit: leaving comes before going on.
            None => {
                let fork = self.fork();
                self.steps.push(one());
                self.steps.push(Step::Either(fork, fork));
                self.join(fork, |inside, behind| Step::Either(behind, inside));
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

    /// Where the fields stand, or how many characters fitted and what was wanted then.
    fn run(&self, value: &str, fields: usize, room: &mut Room) -> Result<Places, Stuck> {
        let Room { characters, now, next } = room;
        now.clear(self.steps.len());
        self.follow(0, 0, &mut vec![(NOWHERE, NOWHERE); fields], now);
        for (at, range) in characters.iter().enumerate() {
            let character = &value[range.clone()];
            next.clear(self.steps.len());
            for (step, seen) in &mut now.list {
                let goes_on = match &self.steps[*step] {
                    Step::Literal(literal) => **literal == *character,
                    Step::OfField { class, .. } => class.as_ref().is_none_or(|class| class.has(character)),
                    _ => false,
                };
                if goes_on {
                    self.follow(*step + 1, range.end, seen, next);
                }
            }
            if next.list.is_empty() {
                return Err(Stuck { at, wanted: self.wanted(now) });
            }
            std::mem::swap(now, next);
        }
        match now.list.iter().find(|(step, _)| matches!(self.steps[*step], Step::Done)) {
            Some((_, seen)) => Ok(seen.iter().map(|(start, end)| (*end != NOWHERE).then_some(*start..*end)).collect()),
            None => Err(Stuck { at: characters.len(), wanted: self.wanted(now) }),
        }
    }

    /// Adds a thread at a step, having gone on to those that read a character.
    fn follow(&self, step: usize, at: usize, seen: &mut Vec<(usize, usize)>, threads: &mut Threads) {
        if std::mem::replace(&mut threads.there[step], true) {
            return;
        }
        match self.steps[step] {
            Step::Either(first, second) => {
                self.follow(first, at, seen, threads);
                self.follow(second, at, seen, threads);
            }
            Step::Begin(field) => {
                let before = std::mem::replace(&mut seen[field], (at, NOWHERE));
                self.follow(step + 1, at, seen, threads);
                seen[field] = before;
            }
            Step::End(field) => {
                let before = std::mem::replace(&mut seen[field].1, at);
                self.follow(step + 1, at, seen, threads);
                seen[field].1 = before;
            }
            Step::Literal(_) | Step::OfField { .. } | Step::Done => threads.list.push((step, seen.clone())),
        }
    }

    /// What the threads would have gone on with, in words.
    fn wanted(&self, threads: &Threads) -> Vec<String> {
        let mut wanted: Vec<String> = Vec::new();
        for (step, _) in &threads.list {
            let words = match &self.steps[*step] {
                Step::Literal(literal) => described(literal),
                Step::OfField { class, name } => {
                    format!("{} of {name}", class.as_ref().map_or("a character".to_owned(), |class| class.one()))
                }
                _ => "the end".to_owned(),
            };
            if !wanted.contains(&words) {
                wanted.push(words);
            }
        }
        wanted
    }
}

impl Threads {
    fn clear(&mut self, steps: usize) {
        self.list.clear();
        self.there.clear();
        self.there.resize(steps, false);
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::column::ColumnRef;

    fn layout(forms: &[&str]) -> Layout {
        let forms = forms.iter().map(|form| Form::parse(form).unwrap()).collect();
        Layout { column: ColumnRef::Number(1), column_span: 0..0, forms, origin: 0 }
    }

    /// The fields as `name=text`, or the detail of the violation.
    fn fit(forms: &[&str], value: &str) -> String {
        let layout = layout(forms);
        match LayoutPlan::new(&layout).fit(value, &mut Room::default()) {
            Ok(fit) => {
                let fields = layout.names().into_iter().zip(fit.fields);
                fields.filter_map(|(name, range)| Some(format!("{name}={}", &value[range?]))).collect::<Vec<_>>().join(" ")
            }
            Err(violation) => violation.detail,
        }
    }

    const CODE: &str = "<family 3 uppercase>-<serial 8 digits>-<grade 4>";
    const SHORT: &str = "<family 2 uppercase><serial 6 digits>";

    #[test]
    fn values_that_fit() {
        for (forms, value, expected) in [
            (&[CODE, SHORT][..], "GRP-00041273-S7K2", "family=GRP serial=00041273 grade=S7K2"),
            (&[CODE, SHORT], "HN004127", "family=HN serial=004127"),
            (&["<a>-<b>"], "x-y-z", "a=x b=y-z"),
            (&["<a 1 to 3><b 1 to 3>"], "wxyz", "a=wxy b=z"),
            (&["<a digits>[-<b>]"], "12-x", "a=12 b=x"),
            (&["<a digits>[-<b>]"], "12", "a=12"),
            (&["<<<a>>>"], "<x>", "a=x"),
            (&["[[<a>]]"], "[x]", "a=x"),
            (&["<a 1><b>"], "u\u{308}東", "a=u\u{308} b=東"),
            (&["[<a 2 digits>[.<b 2 digits>]-]<c>"], "12.34-z", "a=12 b=34 c=z"),
            (&["<\"crew no\" 2 digits>"], "12", "crew no=12"),
        ] {
            assert_eq!(fit(forms, value), expected, "{forms:?} {value}");
        }
    }

    #[test]
    fn values_that_do_not_fit_say_where() {
        for (forms, value, expected) in [
            (&[CODE][..], "GRP-0004127O-S7K2", "character 12 is the letter O; a digit of serial was expected"),
            (&[CODE], "GRP-00041273", "it ends behind character 12; \"-\" was expected there"),
            (&[CODE], "GRP-00041273-S7K2 ", "character 18 is a space; the end was expected"),
            (&[CODE, SHORT], "GRP–00041273-S7K2", "form 1 comes nearest: character 4 is en dash (U+2013); \"-\" was expected"),
            (&[CODE, SHORT], "HN00412X", "form 2 comes nearest: character 8 is the letter X; a digit of serial was expected"),
            (&["<a digits>[-<b>]"], "12x", "character 3 is the letter x; \"-\" or the end or a digit of a was expected"),
            (&[CODE], "", "it is blank"),
        ] {
            assert_eq!(fit(forms, value), expected, "{forms:?} {value}");
        }
    }

    #[test]
    fn hostile_values_take_linear_time() {
        let value = "a".repeat(20_000) + "!";
        let detail = fit(&["<a letters><b letters><c letters>[<d letters>]x"], &value);
        assert!(detail.starts_with("character 20001 is"), "{detail}");
    }

    #[test]
    fn forms_that_cannot_be_right() {
        for (form, at_fault, message) in [
            ("abc", "abc", "the form has no piece"),
            ("<a", "<a", "a piece is not closed"),
            ("<a>-<a>", "<a>", "the piece a stands twice in the form"),
            ("<a 0 digits>", "0", "a width of 0"),
            ("<a 5 to 3>", "5 to 3", "the range runs backwards"),
            ("<a digit>", "digit", "a class such as `digits` was expected, not `digit`"),
            ("<>", "", "a name is missing at the end"),
            ("<a>[x", "[x", "a bracket is not closed"),
            ("<a>]", "]", "] closes nothing"),
            ("<a 20000>", "<a 20000>", "the form is more than 10000 characters wide"),
        ] {
            let error = Form::parse(form).unwrap_err();
            assert_eq!(error.message, message, "{form}");
            assert!(form[error.span.clone()].contains(at_fault) || at_fault.starts_with(&form[error.span]), "{form}");
        }
    }
}
