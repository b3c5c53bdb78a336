//! Addresses of databases and their tables.

pub mod encoder;
pub mod sink;
pub mod source;

mod passwords;
mod plan;
#[cfg(feature = "postgres")]
pub mod postgres;
#[cfg(feature = "sqlite")]
pub mod sqlite;

use crate::Error;
use crate::formats::descriptor::FormatDescriptor;
use crate::kind::{FormatInfo, Kind};
use crate::source::TableFormat;
use crate::source::input::Input;

pub use crate::source::address::{Address, Relation, What};
pub use passwords::{argument_without_passwords, without_passwords};
pub use plan::{PlannedColumn, TablePlan};

pub static INFO: FormatInfo = FormatInfo { name: "a database", has_types: true, ..FormatInfo::PLAIN };

pub static FORMAT: FormatDescriptor = FormatDescriptor {
    open: Some(|opening| match opening.input {
        Input::Database(relation) => Ok(Box::new(source::DatabaseRows::open(relation, opening.reading)?)),
        _ => Err(Error::Unreadable { name: opening.input.name(), format: INFO.name }),
    }),
    encoder: Some(|asked| Ok(Box::new(encoder::Database::for_output(asked)?))),
    ..FormatDescriptor::new(&INFO)
};

/// The column types of the source table in its database.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct TableDefinition {
    pub kind: &'static str,
    /// The type of each column; empty if it has none.
    pub types: Vec<String>,
    /// Whether each column has text. Bytes, arrays and composite types have none.
    pub have_text: Vec<bool>,
}

impl TableFormat for TableDefinition {
    fn kind(&self) -> Kind {
        &INFO
    }

    fn has_text(&self, column: usize) -> bool {
        self.have_text.get(column).is_none_or(|has_text| *has_text)
    }
}

#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Target {
    pub table: String,
    pub how: How,
}

#[derive(Debug, Clone, Copy, PartialEq, Eq, Default)]
pub enum How {
    #[default]
    New,
    Replace,
    Append,
    /// Update rows of an existing table. The first columns are the key.
    Update {
        keys: usize,
    },
}

/// The name as a quoted SQL identifier.
pub fn quoted(name: &str) -> String {
    format!("\"{}\"", name.replace('"', "\"\""))
}

#[cfg(not(all(feature = "postgres", feature = "sqlite")))]
pub(crate) fn not_in_build(address: &Address) -> Error {
    let (feature, kind) = match address {
        Address::Sqlite(_) => ("sqlite", "SQLite"),
        Address::Postgres(_) => ("postgres", "PostgreSQL"),
    };
    Error::Database {
        name: address.to_string(),
        why: format!("this build does not support {kind}"),
        help: crate::Remedy::DatabaseFeature(feature),
    }
}
