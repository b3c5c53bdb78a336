//! All pieces of a run together, bound to the columns of a table: what is worked out of each row.

mod bind;
mod judge;
mod row;

pub use bind::{Carving, OutColumn, Unbound};
pub use judge::{CheckName, Fault, Memory};
pub use row::Workspace;
