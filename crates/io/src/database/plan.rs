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
    /// A database kind and the column type there.
    pub declared: Option<(String, String)>,
    /// The source column with this value at the time of reading. An update compares it and does not write it.
    pub read_from: Option<String>,
}

impl PlannedColumn {
    /// The type that it had in a database of that kind.
    pub fn declared_in(&self, kind: &str) -> Option<&str> {
        self.declared.as_ref().filter(|(of, _)| of == kind).map(|(_, declared)| declared.as_str())
    }
}
