//! Writes PostgreSQL tables with `COPY … FROM STDIN` in text format.
//!
//! A new table has a temporary name until it is complete, so readers of the old one do not wait, and the rows can come from it. Rows to
//! append wait in a temporary table.

use std::io::Write;
use std::thread;
use std::time::{Duration, Instant};

use keen_notch_core::text::blank::is_blank;
use postgres::error::SqlState;
use postgres::{Client, SimpleQueryMessage};

use crate::Error;
use crate::Remedy;
use crate::cells::Record;
use crate::formats::database::postgres::{connect, failed, find, tables};
use crate::formats::database::sink::update::Update;
use crate::formats::database::sink::{Holds, Loader, lost_zeros};
use crate::formats::database::{Address, How, PlannedColumn, TablePlan, Target, quoted};
use crate::source::types::Type;

const HELD: usize = 1 << 20;

const SHUTDOWN: &str = "57P";
/// Time limit and interval of queries for the outcome of a transaction. A signal waits for the outcome.
const OUTCOME_PATIENCE: Duration = Duration::from_secs(3);
const OUTCOME_STEP: Duration = Duration::from_millis(200);

struct Tables {
    client: Client,
    uri: String,
    address: String,
    tables: Vec<Table>,
    has_begun: bool,
}

struct Table {
    target: Target,
    sql: String,
    name: String,
    waiting: String,
    columns: String,
    plan: TablePlan,
    /// The declared type of each column, and how it stores values.
    holds: Vec<(String, Holds)>,
    added: Vec<PlannedColumn>,
    rows: Vec<u8>,
    held: u64,
    given: u64,
    is_settled: bool,
}

pub fn open(uri: &str, address: &Address) -> Result<Box<dyn Loader>, Error> {
    let address = address.to_string();
    let client = connect(uri, &address)?;
    Ok(Box::new(Tables { client, uri: uri.to_owned(), address, tables: Vec::new(), has_begun: false }))
}

impl Tables {
    fn run(&mut self, statements: &str) -> Result<(), Error> {
        self.client.batch_execute(statements).map_err(|error| failed(&self.address, &error))
    }

    /// Asks the server for the outcome of a transaction after the connection has ended. `number` is the number of the transaction.
    ///
    /// # Errors
    /// The transaction was aborted, or the server does not answer.
    fn ask_for_outcome(&self, number: &str, error: &postgres::Error) -> Result<(), Error> {
        let start = Instant::now();
        while start.elapsed() < OUTCOME_PATIENCE {
            let status = connect(&self.uri, &self.address)
                .ok()
                .and_then(|mut client| first_text(&mut client, &format!("SELECT txid_status({number})")).ok().flatten());
            match status.as_deref() {
                Some("committed") => return Ok(()),
                Some("aborted") => return Err(failed(&self.address, error)),
                // The server may not have noticed yet, or may be restarting.
                _ => thread::sleep(OUTCOME_STEP),
            }
        }
        Err(Error::Database {
            name: self.address.clone(),
            why: "the connection ended while the server committed, and the server cannot be asked: the tables may have been written"
                .to_owned(),
            help: "look at the tables when the server can be reached, before you run this again".into(),
        })
    }

    fn give(&mut self, table: usize) -> Result<(), Error> {
        let Table { waiting, columns, rows, held, given, target, .. } = &mut self.tables[table];
        if rows.is_empty() {
            return Ok(());
        }
        let copy = format!("COPY {waiting} ({columns}) FROM STDIN");
        let outcome = self.client.copy_in(&copy).and_then(|mut copy| {
            // The server reports an invalid row at the end.
            let _ = copy.write_all(rows);
            copy.finish()
        });
        outcome.map_err(|error| {
            // COPY x, line 3, column note: "…"
            let place = error.as_db_error().and_then(|db_error| db_error.where_()).unwrap_or_default();
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
                (Error::Database { name, help, .. }, Some(db_error)) => {
                    Error::Database { name, why: format!("{}{column}", db_error.message()), help }
                }
                (error, _) => error,
            }
        })?;
        rows.clear();
        *given += std::mem::take(held);
        Ok(())
    }
}

fn first_text(client: &mut Client, query: &str) -> Result<Option<String>, postgres::Error> {
    let messages = client.simple_query(query)?;
    Ok(messages.iter().find_map(|message| match message {
        SimpleQueryMessage::Row(row) => row.get(0).map(str::to_owned),
        _ => None,
    }))
}

/// The declared type of a column: as in another PostgreSQL table, or by the type of its values.
fn declaration(column: &PlannedColumn) -> String {
    format!("{} {}", quoted(&column.name), declared(column))
}

fn declared(column: &PlannedColumn) -> &str {
    column.declared_in("PostgreSQL").unwrap_or(match column.of {
        Type::Text => "text",
        Type::Whole | Type::BigWhole => "bigint",
        Type::LongWhole => "numeric",
        Type::Number => "double precision",
        Type::Truth => "boolean",
        Type::Date => "date",
        Type::Nested => "jsonb",
    })
}

/// How a column stores values. Unknown types count as text.
fn holds(declared: &str) -> Holds {
    let is = |types: &[&str]| {
        types.iter().any(|of| declared.strip_prefix(of).is_some_and(|rest| !rest.starts_with(char::is_alphanumeric)))
    };
    match () {
        () if declared.ends_with("[]") => Holds::Other,
        () if is(&["smallint", "integer", "bigint", "numeric", "real", "double precision", "oid", "money"]) => Holds::Number,
        () if is(&["date", "timestamp", "time", "interval", "boolean", "uuid", "json", "jsonb", "inet", "cidr"]) => {
            Holds::Other
        }
        () => Holds::Text,
    }
}

/// The reason to refuse a table or column name: PostgreSQL truncates long names.
fn name_is_too_long(client: &mut Client, plan: &TablePlan, table: &str) -> Result<Option<String>, postgres::Error> {
    let most: String = client.query_one("SHOW max_identifier_length", &[])?.get(0);
    let most = most.parse().unwrap_or(usize::MAX);
    let mut names = plan.columns.iter().map(|column| column.name.as_str()).chain([table]);
    let long = names.find(|name| name.len() > most);
    Ok(long.map(|long| format!("PostgreSQL truncates names to {most} bytes, and {long} has {}", long.len())))
}

struct ExistingColumn {
    name: String,
    declared: String,
    collated: String,
}

fn places(client: &mut Client, table: &str) -> Result<Vec<ExistingColumn>, postgres::Error> {
    let asked = "SELECT attname::text, format_type(atttypid, atttypmod), quote_ident(nspname) || '.' || quote_ident(collname) \
                 FROM pg_attribute LEFT JOIN pg_collation ON pg_collation.oid = attcollation \
                 LEFT JOIN pg_namespace ON pg_namespace.oid = collnamespace \
                 WHERE attrelid = $1::text::regclass AND attnum > 0 AND NOT attisdropped";
    let place = |row: &postgres::Row| {
        let (declared, collation): (String, Option<String>) = (row.get(1), row.get(2));
        let collated = collation.map_or(declared.clone(), |collation| format!("{declared} COLLATE {collation}"));
        ExistingColumn { name: row.get(0), declared, collated }
    };
    Ok(client.query(asked, &[&table])?.iter().map(place).collect())
}

fn push(record: &Record, holds: Holds, out: &mut Vec<u8>) {
    let text = match record {
        Record::Text(text) if holds != Holds::Text && is_blank(text) => return out.extend(b"\\N"),
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
        // Some types, such as json, have no equality operator.
        let statement = update.statement(|column| format!("{column}::text COLLATE \"C\""));
        let written = client.execute(&statement, &[]).map_err(refused)?;
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
                // In lowercase, as in SQL.
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
        let (columns, plan, holds, added) = (String::new(), TablePlan::default(), Vec::new(), Vec::new());
        let (rows, held, given, is_settled) = (Vec::with_capacity(HELD), 0, 0, false);
        let table = Table { target, sql, name, waiting, columns, plan, holds, added, rows, held, given, is_settled };
        self.tables.push(table);
        Ok(number)
    }

    fn begin(&mut self, table: usize, plan: &TablePlan) -> Result<(), Error> {
        if !self.has_begun {
            self.run("BEGIN")?;
            self.has_begun = true;
        }
        let of = |error: postgres::Error| failed(&self.address, &error);
        let Table { target, sql, waiting, added, name: table_name, .. } = &mut self.tables[table];
        let name = format!("the table {} of {}", target.table, self.address);
        if let Some(why) = name_is_too_long(&mut self.client, plan, table_name).map_err(of)? {
            return Err(Error::Database { name, why, help: "the table is unchanged; choose a shorter name".into() });
        }
        let names: Vec<String> = plan.columns.iter().map(|column| quoted(&column.name)).collect();
        let columns = names.join(", ");
        let places = match target.how {
            How::Append | How::Update { .. } => places(&mut self.client, sql).map_err(of)?,
            How::New | How::Replace => Vec::new(),
        };
        let place = |column: &PlannedColumn| {
            let name = column.read_from.as_ref().unwrap_or(&column.name);
            places.iter().find(|place| place.name == *name)
        };
        let type_of = |column: &PlannedColumn| place(column).map_or(declared(column), |place| &place.declared).to_owned();
        let holds: Vec<(String, Holds)> = plan
            .columns
            .iter()
            .map(type_of)
            .map(|declared| (declared.clone(), crate::formats::database::sink::postgres::holds(&declared)))
            .collect();
        let made = match target.how {
            How::Append => {
                let name = waiting.trim_start_matches("pg_temp.");
                format!("CREATE TEMP TABLE {name} ON COMMIT DROP AS SELECT {columns} FROM {sql} WITH NO DATA")
            }
            How::Update { .. } => {
                let mut declared = Vec::new();
                for column in &plan.columns {
                    match place(column) {
                        // With the collation of the table, so that the check for duplicate keys agrees with the UPDATE.
                        Some(place) => declared.push(format!("{} {}", quoted(&column.name), place.collated)),
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
        self.client.batch_execute(&made).map_err(|error| match failed(&name, &error) {
            Error::Database { name, why, .. } if error.code() == Some(&SqlState::UNDEFINED_COLUMN) => {
                Error::Database { name, why, help: Remedy::MatchColumns }
            }
            error => error,
        })?;
        self.tables[table].columns = columns;
        self.tables[table].plan = plan.clone();
        self.tables[table].holds = holds;
        Ok(())
    }

    fn row(&mut self, table: usize, values: &[Record]) -> Result<(), Error> {
        let Table { target, plan, holds, rows, held, given, .. } = &mut self.tables[table];
        for (place, (value, (declared, holds))) in values.iter().zip(&*holds).enumerate() {
            if let Record::Text(text) = value
                && holds.loses_zeros(text)
            {
                let name = format!("the table {} of {}", target.table, self.address);
                return Err(lost_zeros((&name, *given + *held + 1), (&plan.columns[place].name, declared), text));
            }
            if place > 0 {
                rows.push(b'\t');
            }
            push(value, *holds, rows);
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
        // With the number, another connection can ask for the outcome.
        let number = first_text(&mut self.client, "SELECT txid_current()").map_err(|error| failed(&self.address, &error))?;
        match self.client.batch_execute(&format!("{dropped}COMMIT")) {
            Ok(()) => Ok(()),
            Err(error) if error.code().is_some_and(|code| !code.code().starts_with(SHUTDOWN)) => {
                Err(failed(&self.address, &error))
            }
            Err(error) => self.ask_for_outcome(number.as_deref().unwrap_or("0"), &error),
        }
    }
}
