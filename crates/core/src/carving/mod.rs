//! All pieces of a run together, bound to the columns of a table: what is worked out of each row.

mod asked;
mod batch;
mod bind;
mod judge;
mod row;
mod shared;

pub use asked::Memory;
pub use batch::{Batch, Values};
pub use bind::{Carving, OutColumn, Unbound};
pub use judge::{CheckName, Fault};
pub use row::Workspace;
