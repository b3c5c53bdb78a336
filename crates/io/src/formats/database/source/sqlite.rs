use std::fmt::Write;
use std::path::Path;

use rusqlite::limits::Limit;
use rusqlite::types::ValueRef;
use rusqlite::{Connection, ErrorCode, Statement};

use crate::Error;
use crate::formats::database::source::{OpenRelation, RowSender, SourceColumn};
use crate::formats::database::sqlite::{Affinity, Use, connect, failed, table, tables};
use crate::formats::database::{Relation, What, quoted};
use crate::source::CellKind;
use crate::source::numbers::push_real;
use crate::source::types::Type;

pub fn open(path: &Path, address: &str, relation: &Relation) -> Result<OpenRelation, Error> {
    let name = relation.to_string();
    let connection = connect(path, address, Use::Read)?;
    let query = match &relation.what {
        What::Table(wanted) => format!("SELECT * FROM {}", quoted(&table(&connection, address, wanted)?)),
        What::Query(query) => query.clone(),
        What::Unsaid => {
            let tables = tables(&connection).map_err(|error| failed(&name, &error))?;
            return Err(Error::WhichDatabaseTable { of: name, tables });
        }
    };
    let columns = {
        let statement = connection.prepare(&query).map_err(|error| failed(&name, &error))?;
        if statement.column_count() == 0 || !statement.readonly() {
            let why = "the query returns no rows, or would change the database".to_owned();
            return Err(Error::Database { name, why, help: "begin the query with SELECT or WITH".into() });
        }
        columns(&statement)
    };
    let read = move |needed: Vec<usize>, mut giving: RowSender| {
        let outcome = read(&connection, &query, &needed, &mut giving, &name);
        giving.end(outcome);
    };
    Ok(OpenRelation { columns, read: Box::new(read) })
}

fn columns(statement: &Statement) -> Vec<SourceColumn> {
    let column = |column: rusqlite::Column| {
        let declared = column.decl_type().unwrap_or_default().to_owned();
        let has_text = !declared.eq_ignore_ascii_case("BLOB");
        SourceColumn { name: column.name().to_owned(), of: type_of(&declared), declared, has_text }
    };
    statement.columns().map(column).collect()
}

/// The type of most values of a column. Single values can differ.
fn type_of(declared: &str) -> Option<Type> {
    match Affinity::of(declared) {
        Affinity::Integer => Some(Type::Whole),
        Affinity::Real => Some(Type::Number),
        Affinity::Text | Affinity::Numeric | Affinity::Blob => None,
    }
}

fn read(connection: &Connection, query: &str, needed: &[usize], giving: &mut RowSender, name: &str) -> Result<(), Error> {
    let failed = |error: rusqlite::Error| failed(name, &error);
    // SQLite checks the length before it allocates memory.
    let most = i32::try_from(giving.max_row).unwrap_or(i32::MAX);
    connection.set_limit(Limit::SQLITE_LIMIT_LENGTH, most).map_err(failed)?;
    let mut statement = connection.prepare(query).map_err(failed)?;
    let mut rows = statement.query([]).map_err(failed)?;
    let is_too_long = |error: &rusqlite::Error| error.sqlite_error_code() == Some(ErrorCode::TooBig);
    loop {
        let row = match rows.next() {
            Ok(Some(row)) => row,
            Ok(None) => break,
            Err(error) if is_too_long(&error) => return Err(giving.too_long()),
            Err(error) => return Err(failed(error)),
        };
        for column in needed {
            let value = row.get_ref(*column).map_err(failed)?;
            let pushed = giving.chunk.push(|text| push(value, text));
            pushed.map_err(|why| giving.no_text(*column, why))?;
        }
        if !giving.end_row()? {
            break;
        }
    }
    Ok(())
}

fn push(value: ValueRef, out: &mut String) -> Result<CellKind, &'static str> {
    Ok(match value {
        ValueRef::Null => CellKind::Nothing,
        ValueRef::Integer(number) => {
            // Writing to a string cannot fail.
            let _ = write!(out, "{number}");
            CellKind::Number
        }
        ValueRef::Real(number) => push_real(number, out),
        ValueRef::Text(bytes) => {
            out.push_str(simdutf8::basic::from_utf8(bytes).map_err(|_| "its bytes are not UTF-8")?);
            CellKind::Text
        }
        ValueRef::Blob(_) => return Err("it holds bytes, which have no text"),
    })
}
