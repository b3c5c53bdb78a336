//! Compiled phrases and conditions, and their evaluation.

mod adds;
mod class;
mod compile;
mod condition;
mod cut;
mod date;
mod describe;
mod finish;
mod kernel;
mod linear_matches;
mod matcher;
mod missing;
pub(crate) mod number;
mod one;
mod op;
mod pattern;
mod results;
mod run;
mod setting;
mod state;
mod trace;

pub use adds::ByteSet;
pub(crate) use class::ClassPlan;
pub(crate) use compile::refuse_several;
pub use condition::ConditionPlan;
pub(crate) use date::DatePlan;
pub(crate) use matcher::Matcher;
pub(crate) use number::NumberPlan;
pub use one::{Cut, Cuts, Scratch};
pub use op::{Gate, Program};
pub(crate) use pattern::Together as RegexesTogether;
pub use results::Results;
pub use run::Work;
pub use setting::{GetList, List, ListTexts, NoList, Setting};
pub use state::State;
pub use trace::{BranchTrace, StepTrace, Trace, TracedText};
