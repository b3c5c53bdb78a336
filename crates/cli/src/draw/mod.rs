//! Text output: tables, the ruler, and visible characters.

pub mod bar;
pub mod comparison;
pub mod explained;
pub mod faults;
pub mod hints;
pub mod joined;
pub mod long;
pub mod marked;
pub mod preview;
pub mod rerun;
pub mod rows;
pub mod ruler;
pub mod shell;
pub mod since;
pub mod steps;
pub mod style;
pub mod summary;
pub mod survey;
pub mod table;
pub mod verdict;
pub mod visible;
pub mod wanted;
