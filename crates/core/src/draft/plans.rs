//! A cache of compiled steps.

use std::collections::HashMap;

use crate::phrase::Phrase;
use crate::program::{Program, Scratch};
use crate::text::unit::Unit;

#[derive(Debug, Default)]
pub struct Plans {
    known: HashMap<String, Option<Program>>,
    scratch: Scratch,
    done: usize,
}

/// The work limit of a search. It is the same on every machine.
const MOST_DONE: usize = 24 << 20;
/// The fixed cost of running a step, in bytes of text.
const STEP: usize = 64;

impl Plans {
    /// The results of a phrase for the texts that have one.
    pub fn each(&mut self, phrase: &str, texts: &[String]) -> Vec<String> {
        let Some(plan) = self.plan(phrase) else { return Vec::new() };
        let mut scratch = Scratch::default();
        let mut results = Vec::new();
        for text in texts {
            let cut = plan.cut(text, &mut scratch);
            if cut.state.is_there() {
                results.push(cut.text.to_owned());
            }
        }
        results
    }

    fn plan(&mut self, phrase: &str) -> Option<&Program> {
        if !self.known.contains_key(phrase) {
            self.known.insert(phrase.to_owned(), compile(phrase));
        }
        self.known.get(phrase)?.as_ref()
    }

    /// Records work on texts outside the cache.
    pub fn note_done<T: AsRef<str>>(&mut self, texts: &[T]) {
        self.done += STEP + texts.iter().map(|text| text.as_ref().len()).sum::<usize>();
    }

    pub fn are_exhausted(&self) -> bool {
        self.done > MOST_DONE
    }

    /// Runs a phrase on texts. `None` if it is invalid, if a result is missing, short or long, or if the work limit is reached.
    pub fn run<T: AsRef<str>>(&mut self, phrase: &str, texts: &[T]) -> Option<Vec<String>> {
        if self.are_exhausted() {
            return None;
        }
        self.note_done(texts);
        let mut scratch = std::mem::take(&mut self.scratch);
        let ran = self.plan(phrase).and_then(|plan| {
            let mut results = Vec::with_capacity(texts.len());
            for text in texts {
                let cut = plan.cut(text.as_ref(), &mut scratch);
                if !cut.state.is_there() || cut.state.short || cut.state.long {
                    return None;
                }
                results.push(cut.text.to_owned());
            }
            Some(results)
        });
        self.scratch = scratch;
        ran
    }
}

/// Compiles a phrase; `None` if it is invalid.
///
/// ```
/// assert!(keen_notch_core::draft::compile("first 3").is_some());
/// assert!(keen_notch_core::draft::compile("fist 3").is_none());
/// ```
pub fn compile(phrase: &str) -> Option<Program> {
    Program::new(&Phrase::parse(phrase).ok()?, Unit::Characters).ok()
}
