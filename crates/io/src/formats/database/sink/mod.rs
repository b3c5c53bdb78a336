//! Database tables as sinks. All tables of a run are written in one transaction.

#[cfg(feature = "postgres")]
mod postgres;
#[cfg(feature = "sqlite")]
mod sqlite;
#[cfg(any(feature = "postgres", feature = "sqlite"))]
mod update;

#[cfg(not(feature = "postgres"))]
mod postgres {
    pub fn open(_: &str, address: &super::Address) -> Result<Box<dyn super::Loader>, crate::Error> {
        Err(crate::formats::database::not_in_build(address))
    }
}
#[cfg(not(feature = "sqlite"))]
mod sqlite {
    pub fn open(_: &std::path::Path, address: &super::Address) -> Result<Box<dyn super::Loader>, crate::Error> {
        Err(crate::formats::database::not_in_build(address))
    }
}

use std::sync::{Arc, Mutex};

use crate::Error;
use crate::cells::Record;
use crate::formats::database::{Address, TablePlan, Target};
use crate::head;
use crate::pool::lock;
use crate::sink::Sink;

#[cfg(any(feature = "postgres", feature = "sqlite"))]
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
enum Holds {
    Text,
    Number,
    Other,
}

#[cfg(any(feature = "postgres", feature = "sqlite"))]
impl Holds {
    /// Whether a text would lose leading zeros, which may be part of a code.
    fn loses_zeros(self, text: &str) -> bool {
        let digits = text.strip_prefix(['+', '-']).unwrap_or(text).as_bytes();
        self == Holds::Number
            && matches!(digits, [b'0', b'0'..=b'9', ..])
            && digits.iter().all(|byte| byte.is_ascii_digit() || *byte == b'.')
    }
}

/// The error for such a text: table name and output row, column name and declared type.
#[cfg(any(feature = "postgres", feature = "sqlite"))]
fn lost_zeros((name, row): (&str, u64), (column, declared): (&str, &str), text: &str) -> Error {
    Error::Database {
        name: format!("{name}, row {row}"),
        why: format!("its column {column} is numeric ({declared}) and would strip the leading zeros of {text}"),
        help: "the table is unchanged; change the column to a text type, or write the piece as a number: as = \"number\" in a cut list".into(),
    }
}

/// Loads rows into the tables of a database and commits them.
trait Loader: Send {
    /// Adds an output table. Returns its number.
    ///
    /// # Errors
    /// The table cannot be written, for example because it exists.
    fn table(&mut self, target: Target) -> Result<usize, Error>;

    /// Prepares a table for rows.
    ///
    /// # Errors
    /// The table cannot have such columns.
    fn begin(&mut self, table: usize, plan: &TablePlan) -> Result<(), Error>;

    fn row(&mut self, table: usize, values: &[Record]) -> Result<(), Error>;

    /// Prepares the rows of a table for the commit.
    ///
    /// # Errors
    /// The table rejects them.
    fn settle(&mut self, table: usize) -> Result<(), Error>;

    fn added(&self) -> Vec<String>;

    /// Commits the prepared rows.
    ///
    /// # Errors
    /// The database rejects the commit; then no row is written.
    fn commit(&mut self) -> Result<(), Error>;
}

#[derive(Clone)]
pub struct Session {
    address: String,
    open: Arc<Mutex<Open>>,
}

struct Open {
    loader: Box<dyn Loader>,
    /// The number of prepared tables, and of those already placed.
    settled: usize,
    placed: usize,
}

impl Session {
    /// Connects to a database.
    ///
    /// # Errors
    /// The connection fails.
    pub fn open(address: &Address) -> Result<Session, Error> {
        let loader = match address {
            Address::Sqlite(path) => sqlite::open(path, address)?,
            Address::Postgres(uri) => postgres::open(uri, address)?,
        };
        Ok(Session { address: address.to_string(), open: Arc::new(Mutex::new(Open { loader, settled: 0, placed: 0 })) })
    }

    pub fn added(&self) -> Vec<String> {
        lock(&self.open).loader.added()
    }

    pub fn sink(&self, target: Target) -> Result<Table, Error> {
        let name = format!("the table {} of {}", target.table, self.address);
        let table = lock(&self.open).loader.table(target)?;
        Ok(Table { name, open: Arc::clone(&self.open), table, has_begun: false, pending: Vec::new() })
    }
}

pub struct Table {
    name: String,
    open: Arc<Mutex<Open>>,
    table: usize,
    has_begun: bool,
    pending: Vec<u8>,
}

impl Sink for Table {
    fn name(&self) -> &str {
        &self.name
    }

    fn put(&mut self, bytes: &[u8]) -> Result<(), Error> {
        self.pending.extend(bytes);
        let loader = &mut *lock(&self.open).loader;
        let mut at = 0;
        if !self.has_begun {
            let Some((plan, width)) = head::read(&self.pending) else { return Ok(()) };
            loader.begin(self.table, &plan)?;
            (self.has_begun, at) = (true, width);
        }
        let (mut values, mut end) = (Vec::new(), at);
        while let Some((record, width)) = Record::read(&self.pending[end..]) {
            end += width;
            if record == Record::End {
                loader.row(self.table, &values)?;
                values.clear();
                at = end;
            } else {
                values.push(record);
            }
        }
        self.pending.drain(..at);
        Ok(())
    }

    fn settle(&mut self) -> Result<(), Error> {
        let mut open = lock(&self.open);
        open.loader.settle(self.table)?;
        open.settled += 1;
        Ok(())
    }

    fn place(&mut self, _: bool) -> Result<(), Error> {
        let mut open = lock(&self.open);
        open.placed += 1;
        if open.placed == open.settled { open.loader.commit() } else { Ok(()) }
    }

    /// Until the last table is placed, no row is visible.
    fn take_back(&mut self) {}

    fn is_final(&self) -> bool {
        false
    }

    fn can_be_taken_back(&self) -> bool {
        false
    }
}
