//! What people see: tables, the ruler, and characters made visible.

pub mod ruler;
pub mod style;
pub mod table;
pub mod visible;
