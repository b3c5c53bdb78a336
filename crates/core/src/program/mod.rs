//! Phrases with their meaning: a checked plan, compiled once and run on every value.

mod class;
mod compile;
mod condition;
mod cut;
mod date;
mod finish;
mod hits;
mod many;
mod matcher;
mod number;
mod op;
mod parts;
mod pattern;
mod quick;
mod setting;
mod state;
mod trace;

pub(crate) use class::ClassPlan;
pub use compile::refuse_several;
pub use condition::ConditionPlan;
pub use cut::{Cut, Cuts, Held, Outcome, Scratch};
pub(crate) use hits::Hits;
pub(crate) use many::Many;
pub use many::{CutColumn, Made};
pub(crate) use matcher::Matcher;
pub use op::Program;
pub use setting::{GetList, List, NoList, Setting};
pub use state::State;
pub use trace::{BranchTrace, Seen, StepTrace, Trace};
