//! Drafts: phrases from examples, and cut lists from data.

mod access;
mod checks;
mod cuts;
mod dates;
mod edges;
mod example;
mod finishes;
mod joined;
mod keys;
mod kinds;
mod list;
mod lookups;
mod marks;
mod naming;
mod places;
mod plans;
mod rank;
mod reading;
mod search;
mod structure;
mod wanted;

#[doc(hidden)]
pub use example::{Example, check};
#[doc(hidden)]
pub use joined::{JoinedDraft, JoinedPart};
pub use joined::{JoinedExample, search_joined};
#[doc(hidden)]
pub use kinds::search_with_kinds;
pub use list::draft_of_values;
#[doc(hidden)]
pub use list::{Draft, Evidence, Origin, draft};
pub use lookups::search_lookups;
#[doc(hidden)]
pub use plans::compile;
#[doc(hidden)]
pub use rank::{RankedPhrase, differ, rank};
#[doc(hidden)]
pub use reading::{DraftPiece, Proposal, Reading};
#[doc(hidden)]
pub use search::{Contradiction, FoundPhrase, SearchResult, contradiction, fits, search};
#[doc(hidden)]
pub use wanted::list as wanted_list;
