//! What a table that is written is to look like: what the encoder tells the sink, ahead of the rows.

use serde::{Deserialize, Serialize};

use crate::source::types::Type;

/// A table that is written.
#[derive(Debug, Clone, PartialEq, Eq, Default, Serialize, Deserialize)]
pub struct TablePlan {
    /// Its columns, in their order.
    pub columns: Vec<PlannedColumn>,
}

/// A column of it.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
pub struct PlannedColumn {
    /// What it is called.
    pub name: String,
    /// What its values are.
    pub of: Type,
    /// A kind of database, and its type there: that which it was read from, or one that has a type for its values which others lack.
    pub declared: Option<(String, String)>,
    /// The column of the table whose value was read here: rows in which it is another one by now are not to be written.
    pub read_from: Option<String>,
}

impl PlannedColumn {
    /// The type that it had in a database of that kind.
    pub fn declared_in(&self, kind: &str) -> Option<&str> {
        self.declared.as_ref().filter(|(of, _)| of == kind).map(|(_, declared)| declared.as_str())
    }
}
