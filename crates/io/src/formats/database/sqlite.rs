//! SQLite databases.

use std::path::Path;
use std::time::Duration;

use rusqlite::{Connection, ErrorCode, OpenFlags};

use crate::Error;
use crate::Remedy;

/// How long to wait for the lock of another program.
pub const PATIENCE: Duration = Duration::from_secs(10);

#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Use {
    Read,
    Write,
}

/// The affinity of a column (<https://www.sqlite.org/datatype3.html>, section 3.1).
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Affinity {
    Text,
    Numeric,
    /// As [`Affinity::Numeric`], for whole numbers.
    Integer,
    Real,
    Blob,
}

impl Affinity {
    /// The affinity of a column with this declared type.
    pub fn of(declared: &str) -> Affinity {
        let declared = declared.to_ascii_uppercase();
        let has = |parts: &[&str]| parts.iter().any(|part| declared.contains(part));
        match () {
            () if has(&["INT"]) => Affinity::Integer,
            () if has(&["CHAR", "CLOB", "TEXT"]) => Affinity::Text,
            () if has(&["BLOB"]) || declared.is_empty() => Affinity::Blob,
            () if has(&["REAL", "FLOA", "DOUB"]) => Affinity::Real,
            () => Affinity::Numeric,
        }
    }
}

/// Opens a database; `name` is its label for messages.
///
/// # Errors
/// The file does not exist or is not a database.
pub fn connect(path: &Path, name: &str, to: Use) -> Result<Connection, Error> {
    let flags = match to {
        Use::Read => OpenFlags::SQLITE_OPEN_READ_ONLY,
        Use::Write => OpenFlags::SQLITE_OPEN_READ_WRITE | OpenFlags::SQLITE_OPEN_CREATE,
    };
    let connection = Connection::open_with_flags(path, flags | OpenFlags::SQLITE_OPEN_NO_MUTEX);
    let connection = connection.map_err(|error| failed(name, &error))?;
    connection.busy_timeout(PATIENCE).map_err(|error| failed(name, &error))?;
    // SQLite reads the file only here.
    let looked = connection.query_row("SELECT count(*) FROM sqlite_schema", [], |row| row.get::<_, i64>(0));
    looked.map_err(|error| failed(name, &error))?;
    Ok(connection)
}

pub fn failed(name: &str, error: &rusqlite::Error) -> Error {
    let is_other_file = error.sqlite_error_code() == Some(ErrorCode::NotADatabase);
    let help = match error.sqlite_error_code() {
        Some(ErrorCode::CannotOpen) => "check the name of the file and its folder",
        Some(ErrorCode::DatabaseBusy | ErrorCode::DatabaseLocked) => {
            "another program is writing to it; run this again when it has finished"
        }
        Some(ErrorCode::ReadOnly) => "the program needs write permission for the file and its folder",
        Some(ErrorCode::DiskFull) => "free space on its disk, or on the disk for temporary files (TMPDIR)",
        _ if matches!(error, rusqlite::Error::SqlInputError { .. } | rusqlite::Error::MultipleStatement) => {
            "correct the query: a single SELECT, in the syntax of the sqlite3 program"
        }
        _ => "inspect it with the program sqlite3",
    };
    let why = match error {
        rusqlite::Error::SqliteFailure(_, Some(message)) => message.clone(),
        rusqlite::Error::SqlInputError { msg, .. } => msg.clone(),
        rusqlite::Error::MultipleStatement => "more than one statement".to_owned(),
        error => error.to_string(),
    };
    Error::Database { name: name.to_owned(), why, help: if is_other_file { Remedy::DatabaseOrFormat } else { help.into() } }
}

/// The exact name of a table or view, ignoring case.
///
/// # Errors
/// The table does not exist.
pub fn table(connection: &Connection, name: &str, wanted: &str) -> Result<String, Error> {
    let tables = tables(connection).map_err(|error| failed(name, &error))?;
    let exact = tables.iter().find(|table| *table == wanted);
    let found = exact.or_else(|| tables.iter().find(|table| table.eq_ignore_ascii_case(wanted)));
    found.cloned().ok_or_else(|| Error::NoDatabaseTable { name: wanted.to_owned(), of: name.to_owned(), tables })
}

pub fn tables(connection: &Connection) -> rusqlite::Result<Vec<String>> {
    let of = "SELECT name FROM sqlite_schema WHERE type IN ('table', 'view') AND name NOT LIKE 'sqlite\\_%' ESCAPE '\\' ORDER BY name";
    connection.prepare(of)?.query_map([], |row| row.get(0))?.collect()
}
