//! All pieces of a run together, bound to the columns of a table: what is worked out of each row.

mod asked;
mod bind;
mod judge;
mod row;
mod swift;

pub use asked::Memory;
pub use bind::{Carving, OutColumn, Unbound};
pub use judge::{CheckName, Fault};
pub use row::Workspace;
pub use swift::Swift;
