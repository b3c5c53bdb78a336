//! The structure of an output table, which the encoder sends to the sink before the rows.

use serde::{Deserialize, Serialize};

use crate::source::types::Type;

#[derive(Debug, Clone, PartialEq, Eq, Default, Serialize, Deserialize)]
pub struct TablePlan {
    pub columns: Vec<PlannedColumn>,
}

#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
pub struct PlannedColumn {
    pub name: String,
    pub of: Type,
    /// A kind of database and the column type there.
    pub declared: Option<(String, String)>,
    /// The source column with this value at the time of reading. An update compares it and does not write it.
    pub read_from: Option<String>,
}

impl PlannedColumn {
    pub fn declared_in(&self, kind: &str) -> Option<&str> {
        self.declared.as_ref().filter(|(of, _)| of == kind).map(|(_, declared)| declared.as_str())
    }
}
