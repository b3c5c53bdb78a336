//! Steps that have been compiled, each once.

use std::collections::HashMap;

use crate::phrase::Phrase;
use crate::program::{Program, Scratch};
use crate::text::unit::Unit;

/// Compiled steps, by how they are written.
#[derive(Debug, Default)]
pub struct Plans {
    known: HashMap<String, Option<Program>>,
    scratch: Scratch,
    /// What has been done so far, in bytes that steps were run on.
    done: usize,
}

/// How much is done before a search ends: the same on every machine.
const MOST_DONE: usize = 24 << 20;
/// What it costs to run a step, in bytes of text that are run through in the same time.
const STEP: usize = 64;

impl Plans {
    /// What a phrase gives of those texts for which it gives something.
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

    /// Notes that something else has been done on texts.
    pub fn note_done<T: AsRef<str>>(&mut self, texts: &[T]) {
        self.done += STEP + texts.iter().map(|text| text.as_ref().len()).sum::<usize>();
    }

    /// Whether so much has been done that nothing more is.
    pub fn are_exhausted(&self) -> bool {
        self.done > MOST_DONE
    }

    /// Runs a phrase on texts. `None` where it is none, or where a result is missing, short or long, or where enough has been done.
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

/// A phrase made ready; `None` where it cannot be right.
///
/// ```
/// assert!(keen_notch_core::draft::compile("first 3").is_some());
/// assert!(keen_notch_core::draft::compile("fist 3").is_none());
/// ```
pub fn compile(phrase: &str) -> Option<Program> {
    Program::new(&Phrase::parse(phrase).ok()?, Unit::Characters).ok()
}
