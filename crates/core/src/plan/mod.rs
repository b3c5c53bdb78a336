//! Phrases with their meaning: a checked plan, compiled once and run on every value.

mod cut;
mod finish;
mod op;
mod sections;
mod state;
mod trace;

pub use cut::{Cut, Scratch};
pub use op::Plan;
pub(crate) use sections::occurrences;
pub use state::State;
pub use trace::{BranchTrace, Seen, StepTrace, Trace};
