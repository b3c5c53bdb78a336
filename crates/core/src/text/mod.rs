//! Characters, their kinds and their names.

pub mod blank;
pub mod bytes;
pub mod case;
pub mod characters;
pub mod digits;
pub mod formula;
pub mod kind;
pub mod look_alikes;
pub mod names;
pub mod unit;
