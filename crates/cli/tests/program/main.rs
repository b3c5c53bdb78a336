//! The program as built, run on files in a temporary folder.

#![allow(clippy::unwrap_used, clippy::expect_used, clippy::panic, reason = "a test that cannot go on has failed")]

mod against;
mod binary_workbooks;
mod bounds;
mod carve;
mod check;
mod columnar;
mod columns;
mod compressed;
mod cutlists;
mod demo;
mod documents;
mod draft;
mod each_stream;
mod endings;
mod errors;
mod escapes;
mod everyday;
mod explain;
mod fixed_width;
mod folders;
mod gauge;
mod hints;
mod json;
mod json_lines;
mod long_rows;
mod lookup;
mod memory;
mod outputs;
mod parts;
mod phrases;
#[cfg(unix)]
mod report;
mod round_trip;
mod row_numbers;
mod safe_files;
mod shells;
#[cfg(feature = "sqlite")]
mod sqlite;
mod survey;
#[cfg(unix)]
mod terminal;
#[cfg(unix)]
mod try_lists;
#[cfg(unix)]
mod try_session;
#[cfg(unix)]
mod trying;
mod verdict;
mod watch;
mod workbook_cells;
mod workbooks;
mod yard;
