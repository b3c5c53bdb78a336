//! Writing tables of PostgreSQL, by `COPY … FROM STDIN` in its text format.
//!
//! A new table is written under another name until all rows have come, so that nobody who reads the old one has to wait, and rows may come from
//! it. Rows that are added wait in a temporary table.

use std::io::Write;

use postgres::Client;
use postgres::error::SqlState;

use super::update::Update;
use super::{BY_NAME, Loader};
use crate::Error;
use crate::cells::Record;
use crate::database::postgres::{connect, failed, find, tables};
use crate::database::{Address, How, PlannedColumn, TablePlan, Target, quoted};
use crate::source::types::Type;

/// Bytes of rows that are handed to the server together.
const HELD: usize = 1 << 20;

/// The tables that are written.
struct Tables {
    client: Client,
    address: String,
    tables: Vec<Table>,
    has_begun: bool,
}

struct Table {
    target: Target,
    /// What it is called, with its schema where one was said, as SQL takes it; and its name alone.
    sql: String,
    name: String,
    /// Where the rows are until they are settled.
    waiting: String,
    columns: String,
    plan: TablePlan,
    /// The columns that it gets, where it is there.
    added: Vec<PlannedColumn>,
    /// Rows that the server has not got, and how many it has.
    rows: Vec<u8>,
    held: u64,
    given: u64,
    is_settled: bool,
}

/// Connects to a server.
///
/// # Errors
/// Where it does not let anybody in.
pub fn open(uri: &str, address: &Address) -> Result<Box<dyn Loader>, Error> {
    let address = address.to_string();
    Ok(Box::new(Tables { client: connect(uri, &address)?, address, tables: Vec::new(), has_begun: false }))
}

impl Tables {
    fn run(&mut self, statements: &str) -> Result<(), Error> {
        self.client.batch_execute(statements).map_err(|error| failed(&self.address, &error))
    }

    /// Gives the rows of a table that wait to the server.
    fn give(&mut self, table: usize) -> Result<(), Error> {
        let Table { waiting, columns, rows, held, given, target, .. } = &mut self.tables[table];
        if rows.is_empty() {
            return Ok(());
        }
        let copy = format!("COPY {waiting} ({columns}) FROM STDIN");
        let outcome = self.client.copy_in(&copy).and_then(|mut copy| {
            // What the server says against a row comes at the end.
            let _ = copy.write_all(rows);
            copy.finish()
        });
        outcome.map_err(|error| {
            // COPY x, line 3, column note: "…"
            let place = error.as_db_error().and_then(|said| said.where_()).unwrap_or_default();
            let line = place
                .split_once(", line ")
                .and_then(|(_, line)| line.split(|c: char| !c.is_ascii_digit()).next()?.parse::<u64>().ok());
            let row = match line {
                Some(line) => format!("row {}", *given + line),
                None => format!("rows {} to {}", *given + 1, *given + *held),
            };
            let column = place.split_once(", column ").map_or(String::new(), |(_, column)| format!(" (column {column})"));
            let name = format!("the table {} of {}, {row}", target.table, self.address);
            match (failed(&name, &error), error.as_db_error()) {
                (Error::Database { name, help, .. }, Some(said)) => {
                    Error::Database { name, why: format!("{}{column}", said.message()), help }
                }
                (error, _) => error,
            }
        })?;
        rows.clear();
        *given += std::mem::take(held);
        Ok(())
    }
}

/// What a column is declared as: as it was in another table of PostgreSQL, and else by what its values are.
fn declaration(column: &PlannedColumn) -> String {
    let declared = column.declared_in("PostgreSQL").unwrap_or(match column.of {
        Type::Text => "text",
        Type::Whole | Type::BigWhole => "bigint",
        Type::LongWhole => "numeric",
        Type::Number => "double precision",
        Type::Truth => "boolean",
        Type::Date => "date",
        Type::Nested => "jsonb",
    });
    format!("{} {declared}", quoted(&column.name))
}

/// Writes a value as the format has it.
fn push(record: &Record, out: &mut Vec<u8>) {
    let text = match record {
        Record::Text(text) | Record::Date(text) | Record::Digits(text) => *text,
        Record::Number(number) | Record::Shown(number, _) => return out.extend(number.to_string().as_bytes()),
        Record::Truth(truth) => return out.push(if *truth { b't' } else { b'f' }),
        Record::Blank | Record::Sheet(_) | Record::End => return out.extend(b"\\N"),
    };
    let mut rest = text.as_bytes();
    while let Some(place) = rest.iter().position(|byte| matches!(byte, b'\\' | b'\n' | b'\r' | b'\t')) {
        out.extend(&rest[..place]);
        out.extend(match rest[place] {
            b'\n' => b"\\n",
            b'\r' => b"\\r",
            b'\t' => b"\\t",
            _ => b"\\\\",
        });
        rest = &rest[place + 1..];
    }
    out.extend(rest);
}

impl Tables {
    /// Writes the rows of a table into those that are there.
    fn update(&mut self, table: usize, keys: usize) -> Result<(), Error> {
        let Tables { client, address, tables, .. } = self;
        let Table { target, sql, waiting, plan, added, given, .. } = &tables[table];
        let name = format!("the table {} of {address}", target.table);
        let update = Update { plan, keys, waiting, table: sql, name: &name };
        let refused = |error: postgres::Error| failed(&name, &error);
        for (looked, why) in update.checks() {
            if client.query_opt(&looked, &[]).map_err(refused)?.is_some() {
                return Err(update.no_key(why));
            }
        }
        let added = added.iter().map(|column| format!("ALTER TABLE {sql} ADD COLUMN {}; ", declaration(column)));
        client.batch_execute(&format!("{}ANALYZE {waiting}", added.collect::<String>())).map_err(refused)?;
        let written = client.execute(&update.statement(), &[]).map_err(refused)?;
        update.all_written(written, *given)
    }
}

impl Loader for Tables {
    fn table(&mut self, target: Target) -> Result<usize, Error> {
        let of = |error: postgres::Error| failed(&self.address, &error);
        let schema = target.table.split_once('.').map(|(schema, name)| (schema.to_owned(), name.to_owned()));
        let schema = match schema {
            Some((schema, name)) => {
                let known = self.client.query_opt("SELECT 1 FROM pg_namespace WHERE nspname = $1", &[&schema]).map_err(of)?;
                known.map(|_| (schema, name))
            }
            None => None,
        };
        let (sql, name) = match &schema {
            Some((schema, name)) => (format!("{}.{}", quoted(schema), quoted(name)), name.clone()),
            None => (quoted(&target.table), target.table.clone()),
        };
        let found = self.client.query_opt("SELECT 1 FROM pg_class WHERE oid = to_regclass($1::text)", &[&sql]).map_err(of)?;
        let sql = match (target.how, found) {
            (How::New, Some(_)) => return Err(Error::TableIsThere { table: target.table, of: self.address.clone() }),
            (How::Append | How::Update { .. }, None) => match find(&mut self.client, &target.table).map_err(of)? {
                // In small letters, as SQL takes it.
                Some(found) => found.sql,
                None => {
                    let tables = tables(&mut self.client).map_err(of)?;
                    return Err(Error::NoDatabaseTable { name: target.table, of: self.address.clone(), tables });
                }
            },
            _ => sql,
        };
        if self.tables.iter().any(|other| other.sql == sql) {
            return Err(Error::OneTableTwice { table: target.table });
        }
        let number = self.tables.len();
        let schema = schema.map_or(String::new(), |(schema, _)| format!("{}.", quoted(&schema)));
        let waiting = match target.how {
            How::Append | How::Update { .. } => format!("pg_temp.keen_notch_{number}"),
            How::New | How::Replace => format!("{schema}{}", quoted(&format!("keen_notch_{}_{number}", std::process::id()))),
        };
        let (columns, plan, added, rows) = (String::new(), TablePlan::default(), Vec::new(), Vec::with_capacity(HELD));
        let table = Table { target, sql, name, waiting, columns, plan, added, rows, held: 0, given: 0, is_settled: false };
        self.tables.push(table);
        Ok(number)
    }

    fn begin(&mut self, table: usize, plan: &TablePlan) -> Result<(), Error> {
        if !self.has_begun {
            self.run("BEGIN")?;
            self.has_begun = true;
        }
        let names: Vec<String> = plan.columns.iter().map(|column| quoted(&column.name)).collect();
        let columns = names.join(", ");
        let Table { target, sql, waiting, added, .. } = &mut self.tables[table];
        let made = match target.how {
            How::Append => {
                let name = waiting.trim_start_matches("pg_temp.");
                format!("CREATE TEMP TABLE {name} ON COMMIT DROP AS SELECT {columns} FROM {sql} WITH NO DATA")
            }
            How::Update { .. } => {
                let mut declared = Vec::new();
                for column in &plan.columns {
                    let asked = "SELECT format_type(atttypid, atttypmod) FROM pg_attribute \
                                 WHERE attrelid = $1::text::regclass AND attname = $2::text AND NOT attisdropped";
                    let found = self.client.query_opt(asked, &[&*sql, &column.name]);
                    match found.map_err(|error| failed(&self.address, &error))? {
                        Some(row) => declared.push(format!("{} {}", quoted(&column.name), row.get::<_, String>(0))),
                        None => {
                            declared.push(declaration(column));
                            added.push(column.clone());
                        }
                    }
                }
                let name = waiting.trim_start_matches("pg_temp.").to_owned();
                format!("CREATE TEMP TABLE {name} ({}) ON COMMIT DROP", declared.join(", "))
            }
            How::New | How::Replace => {
                let declared: Vec<String> = plan.columns.iter().map(declaration).collect();
                format!("CREATE TABLE {waiting} ({})", declared.join(", "))
            }
        };
        let name = format!("the table {} of {}", target.table, self.address);
        self.client.batch_execute(&made).map_err(|error| match failed(&name, &error) {
            Error::Database { name, why, .. } if error.code() == Some(&SqlState::UNDEFINED_COLUMN) => {
                Error::Database { name, why, help: BY_NAME.to_owned() }
            }
            error => error,
        })?;
        self.tables[table].columns = columns;
        self.tables[table].plan = plan.clone();
        Ok(())
    }

    fn row(&mut self, table: usize, values: &[Record]) -> Result<(), Error> {
        let Table { rows, held, .. } = &mut self.tables[table];
        for (place, value) in values.iter().enumerate() {
            if place > 0 {
                rows.push(b'\t');
            }
            push(value, rows);
        }
        rows.push(b'\n');
        *held += 1;
        if rows.len() >= HELD { self.give(table) } else { Ok(()) }
    }

    fn settle(&mut self, table: usize) -> Result<(), Error> {
        self.give(table)?;
        let Table { target, sql, name, waiting, columns, is_settled, .. } = &mut self.tables[table];
        *is_settled = true;
        let renamed = format!("ALTER TABLE {waiting} RENAME TO {}", quoted(name));
        let statements = match target.how {
            How::New => renamed,
            How::Replace => format!("DROP TABLE IF EXISTS {sql}; {renamed}"),
            How::Append => format!("INSERT INTO {sql} ({columns}) SELECT {columns} FROM {waiting}"),
            How::Update { keys } => return self.update(table, keys),
        };
        self.run(&statements)
    }

    fn added(&self) -> Vec<String> {
        self.tables.iter().flat_map(|table| &table.added).map(|column| column.name.clone()).collect()
    }

    fn commit(&mut self) -> Result<(), Error> {
        let unsettled = self.tables.iter().filter(|table| !table.is_settled && !table.columns.is_empty());
        let dropped: String = unsettled.map(|table| format!("DROP TABLE {}; ", table.waiting)).collect();
        self.run(&format!("{dropped}COMMIT"))
    }
}
