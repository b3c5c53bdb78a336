//! Drafts: phrases from examples, and cut lists from data.

mod access;
mod checks;
mod cuts;
mod example;
mod finishes;
mod list;
mod marks;
mod naming;
mod places;
mod plans;
mod rank;
mod reading;
mod search;
mod structure;
mod wanted;

pub use example::{Example, check};
pub use list::{Draft, Evidence, Origin, draft, draft_of_values};
pub use plans::compile;
pub use rank::{RankedPhrase, differ, rank};
pub use reading::{DraftPiece, Proposal, Reading};
pub use search::{Contradiction, FoundPhrase, SearchResult, contradiction, fits, search};
pub use wanted::list as wanted_list;
