//! Database sources: a table, a view or a query, read ahead by a thread.
#![cfg_attr(
    not(any(feature = "postgres", feature = "sqlite")),
    allow(dead_code, reason = "a build without databases has no use for it")
)]

mod chunk;
#[cfg(feature = "postgres")]
mod postgres;
#[cfg(feature = "sqlite")]
mod sqlite;

#[cfg(not(feature = "postgres"))]
mod postgres {
    pub fn open(_: &str, _: &str, relation: &super::Relation) -> Result<super::OpenRelation, crate::Error> {
        Err(crate::formats::database::not_in_build(&relation.address))
    }
}
#[cfg(not(feature = "sqlite"))]
mod sqlite {
    pub fn open(_: &std::path::Path, _: &str, relation: &super::Relation) -> Result<super::OpenRelation, crate::Error> {
        Err(crate::formats::database::not_in_build(&relation.address))
    }
}

use std::sync::Arc;
use std::thread;

use crossbeam_channel::{Receiver, Sender, bounded};
use keen_notch_core::column::Header;

use crate::Error;
use crate::Remedy;
use crate::formats::database::source::chunk::DatabaseChunk;
use crate::formats::database::{Address, Relation, TableDefinition};
use crate::source::meter::Meter;
use crate::source::types::{ObservedTypes, Type};
use crate::source::{Chunk, Format, Reading, Source};

/// The approximate size of a chunk in bytes, and its maximum rows.
const CHUNK: usize = 384 << 10;
const MOST_ROWS: usize = 4096;
const AHEAD: usize = 2;

/// A message of the thread: a chunk, or `None` at the end.
type ReaderMessage = Result<Option<DatabaseChunk>, Error>;
type Read = Box<dyn FnOnce(Vec<usize>, RowSender) + Send>;

struct OpenRelation {
    columns: Vec<SourceColumn>,
    read: Read,
}

struct SourceColumn {
    name: String,
    declared: String,
    of: Option<Type>,
    has_text: bool,
}

pub struct DatabaseRows {
    name: String,
    header: Header,
    format: Format,
    types: Vec<ObservedTypes>,
    needed: Option<Vec<usize>>,
    max_row: usize,
    meter: Arc<Meter>,
    read: Option<Read>,
    chunks: Option<Receiver<ReaderMessage>>,
}

impl DatabaseRows {
    /// Finds a table or query.
    ///
    /// # Errors
    /// The connection fails, or the table does not exist.
    pub fn open(relation: &Relation, reading: &Reading) -> Result<DatabaseRows, Error> {
        let OpenRelation { columns, read } = match &relation.address {
            Address::Sqlite(path) => sqlite::open(path, &relation.address.to_string(), relation)?,
            Address::Postgres(uri) => postgres::open(uri, &relation.address.to_string(), relation)?,
        };
        let declared = TableDefinition {
            kind: relation.address.kind(),
            types: columns.iter().map(|column| column.declared.clone()).collect(),
            have_text: columns.iter().map(|column| column.has_text).collect(),
        };
        let seen = |column: &SourceColumn| ObservedTypes { first: column.of.map(|of| (of, 0)), other: None };
        Ok(DatabaseRows {
            name: relation.to_string(),
            format: Format::new(declared),
            types: columns.iter().map(seen).collect(),
            header: Header::Names(columns.into_iter().map(|column| column.name).collect()),
            needed: None,
            max_row: reading.max_row,
            meter: Arc::clone(&reading.meter),
            read: Some(read),
            chunks: None,
        })
    }
}

impl Source for DatabaseRows {
    fn name(&self) -> &str {
        &self.name
    }

    fn header(&self) -> &Header {
        &self.header
    }

    fn need(&mut self, columns: &[usize]) {
        self.needed = Some(columns.to_vec());
    }

    fn types(&self) -> &[ObservedTypes] {
        &self.types
    }

    fn next_chunk(&mut self) -> Result<Option<Box<dyn Chunk>>, Error> {
        if let Some(read) = self.read.take() {
            let (sender, receiver) = bounded(AHEAD);
            let columns = self.needed.take().unwrap_or_else(|| (0..self.header.count()).collect());
            let table: Arc<str> = self.name.as_str().into();
            let chunk = DatabaseChunk::new(table, columns.clone(), self.header.count(), 0);
            let giving = RowSender { header: self.header.clone(), sender, max_row: self.max_row, chunk };
            let started = thread::Builder::new().spawn(move || read(columns, giving));
            started.map_err(|error| Error::Database {
                name: self.name.clone(),
                why: format!("no thread can be started to read it ({error})"),
                help: "end other programs, or raise the limit of processes, such as ulimit -u".into(),
            })?;
            self.chunks = Some(receiver);
        }
        let Some(chunks) = &self.chunks else { return Ok(None) };
        match chunks.recv() {
            Ok(Ok(Some(chunk))) => {
                self.meter.add_bytes(chunk.text_bytes());
                Ok(Some(Box::new(chunk)))
            }
            Ok(Ok(None)) => {
                self.chunks = None;
                Ok(None)
            }
            Ok(Err(error)) => Err(error),
            // The thread always sends a last message.
            Err(_) => Err(broken(&self.name, "reading it ended early")),
        }
    }

    fn format(&self) -> Format {
        self.format.clone()
    }
}

fn broken(name: &str, why: impl Into<String>) -> Error {
    let help = "look at it with the database's own program, and run this again".into();
    Error::Database { name: name.to_owned(), why: why.into(), help }
}

fn too_long(name: &str, row: u64, limit: usize) -> Error {
    Error::Database {
        name: format!("{name}, row {row}"),
        why: format!("the row is longer than {limit} bytes"),
        help: Remedy::LongerRows,
    }
}

struct RowSender {
    header: Header,
    sender: Sender<ReaderMessage>,
    max_row: usize,
    chunk: DatabaseChunk,
}

impl RowSender {
    fn end_row(&mut self) -> Result<bool, Error> {
        if self.chunk.end_row() > self.max_row {
            return Err(too_long(self.chunk.source(), self.chunk.next_row() - 1, self.max_row));
        }
        if self.chunk.rows() < MOST_ROWS && self.chunk.size() < CHUNK {
            return Ok(true);
        }
        let next = self.chunk.next();
        Ok(self.sender.send(Ok(Some(std::mem::replace(&mut self.chunk, next)))).is_ok())
    }

    #[cold]
    fn too_long(&self) -> Error {
        too_long(self.chunk.source(), self.chunk.next_row(), self.max_row)
    }

    #[cold]
    fn no_text(&self, column: usize, why: &str) -> Error {
        Error::NoTextOf {
            name: self.chunk.source().to_owned(),
            column: self.header.title(column),
            row: self.chunk.next_row(),
            why: why.to_owned(),
        }
    }

    /// Sends the remaining rows, then the end or an error. The receiver may be gone.
    fn end(self, outcome: Result<(), Error>) {
        let is_more = outcome.is_ok() && self.chunk.rows() > 0;
        if is_more && self.sender.send(Ok(Some(self.chunk))).is_err() {
            return;
        }
        let _ = self.sender.send(outcome.map(|()| None));
    }
}
