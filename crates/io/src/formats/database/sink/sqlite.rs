//! Writes SQLite tables.
//!
//! Rows wait in a temporary table, so the database is locked only while they are copied. Other programs can use it until then, and the
//! rows can come from the same file.

use std::path::{Path, PathBuf};
use std::sync::Arc;
use std::thread;
use std::time::Duration;

use keen_notch_core::number_format::{DIGITS, digits};
use keen_notch_core::text::blank::is_blank;
use rusqlite::Connection;
use rusqlite::types::{ToSqlOutput, Value, ValueRef};

use crate::Error;
use crate::Remedy;
use crate::cells::Record;
use crate::formats::database::INFO;
use crate::formats::database::sink::update::Update;
use crate::formats::database::sink::{Holds, Loader, lost_zeros};
use crate::formats::database::sqlite::{Affinity, PATIENCE, Use, connect, failed, tables};
use crate::formats::database::{Address, How, PlannedColumn, TablePlan, Target, quoted};
use crate::sink::folder::Folder;
use crate::sink::unfinished;
use crate::sink::unfinished::{Beside, Transaction};
use crate::source::CellKind;
use crate::source::numbers::push_real;
use crate::source::types::Type;

const PROGRESS: i32 = 10_000;

struct Tables {
    connection: Connection,
    address: String,
    tables: Vec<Table>,
    added: Vec<String>,
    new: Vec<Beside>,
    transaction: Option<Transaction>,
}

struct Table {
    target: Target,
    plan: TablePlan,
    holds: Vec<(String, Holds)>,
    insert: String,
    given: u64,
}

/// Opens or creates a database.
///
/// # Errors
/// The file is not a database.
pub fn open(path: &Path, address: &Address) -> Result<Box<dyn Loader>, Error> {
    let (is_new, address) = (!path.exists(), address.to_string());
    let mut connection = connect(path, &address, Use::Write)?;
    let of = |error| failed(&address, &error);
    // A signal interrupts statements and waits for locks, so that the transaction can be rolled back.
    connection.progress_handler(PROGRESS, Some(unfinished::has_ended)).map_err(of)?;
    connection.busy_handler(Some(wait)).map_err(of)?;
    let journal = PathBuf::from(format!("{}-journal", path.display()));
    let folder = Arc::new(Folder::of(path));
    let note = |path: &Path| Beside::note(Arc::clone(&folder), path);
    let new = if is_new { vec![note(path), note(&journal)] } else { Vec::new() };
    Ok(Box::new(Tables { connection, address, tables: Vec::new(), added: Vec::new(), new, transaction: None }))
}

fn wait(tries: i32) -> bool {
    const STEP: Duration = Duration::from_millis(10);
    thread::sleep(STEP);
    STEP * tries.unsigned_abs() < PATIENCE && !unfinished::has_ended()
}

impl Tables {
    fn failed(&self, error: &rusqlite::Error) -> Error {
        failed(&self.address, error)
    }

    fn run(&self, statements: &str) -> Result<(), Error> {
        self.connection.execute_batch(statements).map_err(|error| self.failed(&error))
    }
}

fn declaration(column: &PlannedColumn) -> String {
    format!("{} {}", quoted(&column.name), declared(column))
}

fn declared(column: &PlannedColumn) -> &str {
    column.declared_in("SQLite").unwrap_or(match column.of {
        Type::Whole | Type::BigWhole => "INTEGER",
        Type::Number => "REAL",
        Type::Truth => "BOOLEAN",
        Type::Date => "DATE",
        // More digits than a SQLite number stores.
        Type::LongWhole | Type::Text | Type::Nested => "TEXT",
    })
}

fn holds(declared: &str) -> Holds {
    match Affinity::of(declared) {
        Affinity::Text => Holds::Text,
        Affinity::Numeric | Affinity::Integer | Affinity::Real => Holds::Number,
        Affinity::Blob => Holds::Other,
    }
}

fn number(text: &str) -> ValueRef<'_> {
    if let Ok(whole) = text.parse() {
        return ValueRef::Integer(whole);
    }
    let is_kept = |number: f64| {
        let mut shown = String::new();
        number.is_finite() && (digits(text) <= DIGITS || push_real(number, &mut shown) == CellKind::Number && shown == text)
    };
    match text.parse() {
        Ok(number) if is_kept(number) => ValueRef::Real(number),
        _ => ValueRef::Text(text.as_bytes()),
    }
}

fn value<'r>(record: &Record<'r>, holds: Holds) -> ToSqlOutput<'r> {
    ToSqlOutput::Borrowed(match record {
        Record::Text(text) if holds == Holds::Number && is_blank(text) => ValueRef::Null,
        Record::Text(text) | Record::Date(text) => ValueRef::Text(text.as_bytes()),
        // A text column would store a float in its shortest form.
        Record::Digits(digits) if holds == Holds::Text => ValueRef::Text(digits.as_bytes()),
        Record::Digits(digits) => number(digits),
        Record::Number(number) | Record::Shown(number, _) if holds == Holds::Text => {
            let mut shown = String::new();
            push_real(*number, &mut shown);
            return ToSqlOutput::Owned(Value::Text(shown));
        }
        Record::Number(number) | Record::Shown(number, _) => ValueRef::Real(*number),
        Record::Truth(truth) => ValueRef::Integer((*truth).into()),
        Record::Blank | Record::Sheet(_) | Record::End => ValueRef::Null,
    })
}

impl Tables {
    fn update(&self, table: usize, keys: usize) -> Result<(), Error> {
        let Table { target, plan, given, .. } = &self.tables[table];
        let name = format!("the table {} of {}", target.table, self.address);
        let (sql, waiting) = (format!("main.{}", quoted(&target.table)), format!("temp.keen_notch_{table}"));
        let update = Update { plan, keys, waiting: &waiting, table: &sql, name: &name };
        for (looked, why) in update.checks() {
            let found = self.connection.prepare(&looked).and_then(|mut statement| statement.exists([]));
            if found.map_err(|error| self.failed(&error))? {
                return Err(update.no_key(why));
            }
        }
        let added = plan.columns.iter().filter(|column| self.added.contains(&column.name));
        let added = added.map(|column| format!("ALTER TABLE {sql} ADD COLUMN {}; ", declaration(column)));
        self.run(&added.collect::<String>())?;
        let statement = update.statement(|column| format!("{column} COLLATE BINARY"));
        let written = self.connection.execute(&statement, []).map_err(|error| self.failed(&error))?;
        update.all_written(written as u64, *given)
    }
}

struct ExistingColumn {
    declared: String,
    collation: Option<String>,
}

impl ExistingColumn {
    fn of(connection: &Connection, target: &Target, column: &PlannedColumn) -> ExistingColumn {
        let is_there = matches!(target.how, How::Append | How::Update { .. });
        let name = column.read_from.as_ref().unwrap_or(&column.name);
        let found = is_there.then(|| connection.column_metadata(Some("main"), &*target.table, name));
        let text = |text: Option<std::ffi::CString>| text.and_then(|text| text.into_string().ok());
        match found {
            Some(Ok((declared, collation, ..))) => ExistingColumn {
                declared: text(declared).unwrap_or_default(),
                collation: text(collation).filter(|collation| !collation.eq_ignore_ascii_case("BINARY")),
            },
            // A new column.
            _ => ExistingColumn { declared: declared(column).to_owned(), collation: None },
        }
    }
}

impl Loader for Tables {
    fn table(&mut self, target: Target) -> Result<usize, Error> {
        let all = tables(&self.connection).map_err(|error| self.failed(&error))?;
        // Names that differ only in case are equal.
        let is_it = |table: &&String| table.eq_ignore_ascii_case(&target.table);
        let is_there = all.iter().any(|table| is_it(&table));
        match target.how {
            How::New if is_there => {
                return Err(Error::TableIsThere { table: target.table, of: self.address.clone() });
            }
            How::Append | How::Update { .. } if !is_there => {
                return Err(Error::NoDatabaseTable { name: target.table, of: self.address.clone(), tables: all });
            }
            _ => {}
        }
        if self.tables.iter().any(|other| other.target.table.eq_ignore_ascii_case(&target.table)) {
            return Err(Error::OneTableTwice { table: target.table });
        }
        let (plan, holds, insert) = (TablePlan::default(), Vec::new(), String::new());
        self.tables.push(Table { target, plan, holds, insert, given: 0 });
        Ok(self.tables.len() - 1)
    }

    fn begin(&mut self, table: usize, plan: &TablePlan) -> Result<(), Error> {
        let names: Vec<String> = plan.columns.iter().map(|column| quoted(&column.name)).collect();
        // A column without a type stores values unchanged.
        for (index, column) in plan.columns.iter().enumerate() {
            if plan.columns[..index].iter().any(|other| other.name.eq_ignore_ascii_case(&column.name)) {
                return Err(Error::DoubledTitle { title: column.name.clone(), format: INFO.name });
            }
        }
        let begin = if self.connection.is_autocommit() { "BEGIN; " } else { "" };
        let target = &self.tables[table].target;
        let (mut waiting, mut holds) = (Vec::with_capacity(names.len()), Vec::with_capacity(names.len()));
        for (column, name) in plan.columns.iter().zip(&names) {
            let place = ExistingColumn::of(&self.connection, target, column);
            // With the collation of the table, so that the check for duplicate keys agrees with the UPDATE.
            waiting.push(place.collation.map_or(name.clone(), |collation| format!("{name} COLLATE {}", quoted(&collation))));
            holds.push((place.declared.clone(), crate::formats::database::sink::sqlite::holds(&place.declared)));
        }
        self.run(&format!("{begin}CREATE TEMP TABLE keen_notch_{table} ({})", waiting.join(", ")))?;
        if let How::Update { .. } = target.how {
            let looked = format!("SELECT * FROM main.{}", quoted(&target.table));
            let statement = self.connection.prepare(&looked).map_err(|error| failed(&self.address, &error))?;
            let kept: Vec<&str> = statement.column_names().collect();
            for column in plan.columns.iter().filter(|column| column.read_from.is_none() && !kept.contains(&&*column.name)) {
                if let Some(other) = kept.iter().find(|other| other.eq_ignore_ascii_case(&column.name)) {
                    return Err(Error::Database {
                        name: format!("the table {} of {}", target.table, self.address),
                        why: format!("its column {other} and the piece {} have the same name in SQLite", column.name),
                        help: Remedy::from(format!(
                            "the table is unchanged; name the piece {other} to overwrite that column, or choose another name"
                        )),
                    });
                }
                self.added.push(column.name.clone());
            }
        }
        if target.how == How::Append {
            // The columns must exist before the first row is written.
            let looked = format!("SELECT {} FROM main.{}", quoted_columns(plan, &target.table), quoted(&target.table));
            self.connection.prepare(&looked).map_err(|error| Error::Database {
                name: format!("the table {} of {}", target.table, self.address),
                why: error.to_string(),
                help: Remedy::MatchColumns,
            })?;
        }
        let marks = vec!["?"; names.len()].join(", ");
        self.tables[table].insert = format!("INSERT INTO temp.keen_notch_{table} VALUES ({marks})");
        self.tables[table].plan = plan.clone();
        self.tables[table].holds = holds;
        Ok(())
    }

    fn row(&mut self, table: usize, values: &[Record]) -> Result<(), Error> {
        let Table { target, plan, holds, given, .. } = &self.tables[table];
        for ((record, (declared, holds)), column) in values.iter().zip(holds).zip(&plan.columns) {
            if let Record::Text(text) = record
                && holds.loses_zeros(text)
            {
                let name = format!("the table {} of {}", target.table, self.address);
                return Err(lost_zeros((&name, given + 1), (&column.name, declared), text));
            }
        }
        let put = || {
            let mut statement = self.connection.prepare_cached(&self.tables[table].insert)?;
            for ((place, record), (_, holds)) in (1..).zip(values).zip(holds) {
                statement.raw_bind_parameter(place, value(record, *holds))?;
            }
            statement.raw_execute().map(drop)
        };
        put().map_err(|error| failed(&self.address, &error))?;
        self.tables[table].given += 1;
        Ok(())
    }

    fn settle(&mut self, table: usize) -> Result<(), Error> {
        self.transaction.get_or_insert_with(Transaction::begin);
        let outcome = self.write(table);
        let outcome = self.end_if_failed(outcome);
        // The signal ends the program with its status. `commit` must not wait for that, because it runs while outputs are placed.
        while outcome.is_err() && unfinished::has_ended() {
            thread::park();
        }
        outcome
    }

    fn added(&self) -> Vec<String> {
        self.added.clone()
    }

    fn commit(&mut self) -> Result<(), Error> {
        let outcome = self.run("COMMIT");
        self.end_if_failed(outcome)?;
        self.transaction = None;
        self.new.drain(..).for_each(Beside::stay);
        Ok(())
    }
}

impl Tables {
    fn write(&self, table: usize) -> Result<(), Error> {
        let Table { target, plan, .. } = &self.tables[table];
        let name = quoted(&target.table);
        let columns: Vec<String> = plan.columns.iter().map(declaration).collect();
        let made = format!("CREATE TABLE main.{name} ({});", columns.join(", "));
        let ready = match target.how {
            How::New => made,
            How::Replace => format!("DROP TABLE IF EXISTS main.{name}; {made}"),
            How::Append => String::new(),
            How::Update { keys } => return self.update(table, keys),
        };
        let named: Vec<String> = plan.columns.iter().map(|column| quoted(&column.name)).collect();
        let named = named.join(", ");
        self.run(&format!(
            "{ready} INSERT INTO main.{name} ({named}) SELECT {named} FROM temp.keen_notch_{table} ORDER BY rowid;"
        ))
    }

    fn end_if_failed(&mut self, outcome: Result<(), Error>) -> Result<(), Error> {
        if outcome.is_err() {
            // SQLite does so itself after some errors.
            let _ = self.connection.execute_batch("ROLLBACK");
            self.transaction = None;
        }
        outcome
    }
}

/// The columns with the table name, because SQLite reads an unknown quoted name as a text.
fn quoted_columns(plan: &TablePlan, table: &str) -> String {
    let columns: Vec<String> =
        plan.columns.iter().map(|column| format!("{}.{}", quoted(table), quoted(&column.name))).collect();
    columns.join(", ")
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn numbers_keep_their_digits() {
        for (text, kept) in [
            ("-3", ValueRef::Integer(-3)),
            ("9223372036854775807", ValueRef::Integer(i64::MAX)),
            ("9223372036854775808", ValueRef::Text(b"9223372036854775808")),
            ("1234.500", ValueRef::Real(1234.5)),
            ("0.30000000000000004", ValueRef::Real(0.1 + 0.2)),
            ("1e+300", ValueRef::Real(1e300)),
            ("1e999", ValueRef::Text(b"1e999")),
            ("12345678901234567.25", ValueRef::Text(b"12345678901234567.25")),
        ] {
            assert_eq!(value(&Record::Digits(text), Holds::Number), ToSqlOutput::Borrowed(kept), "{text}");
            assert_eq!(value(&Record::Digits(text), Holds::Text), ToSqlOutput::Borrowed(ValueRef::Text(text.as_bytes())));
        }
    }
}
