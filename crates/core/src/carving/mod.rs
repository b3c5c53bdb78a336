//! Pieces bound to the columns of a table, and their evaluation on batches of rows.

mod batch_results;
mod bind;
mod condition;
mod judge;
mod memory;
mod plans;
mod run;
mod steps;
mod table_rows;
mod totals;

pub use batch_results::{BatchResults, Failure};
pub use bind::{BindError, Carving, OutColumn};
pub use judge::{CheckName, Fault, NOT_MISSING};
pub use memory::{MakeStore, Memory, RowComparison};
pub use run::TooLarge;
pub use steps::{BatchRows, Carved, Compared, Judged, NextStep, Refused};
pub use table_rows::TableRows;
pub use totals::{RowCounts, Totals};
