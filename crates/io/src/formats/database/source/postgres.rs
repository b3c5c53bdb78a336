//! Reads PostgreSQL with `COPY … TO STDOUT`, line by line.
//!
//! Its text format: <https://www.postgresql.org/docs/current/sql-copy.html>.

use std::borrow::Cow;
use std::io::BufRead;

use postgres::Client;
use postgres::types::{Kind, Type as ServerType};

use crate::Error;
use crate::formats::database::postgres::{connect, failed, find, tables};
use crate::formats::database::source::{OpenRelation, RowSender, SourceColumn};
use crate::formats::database::{Relation, What};
use crate::source::CellKind;
use crate::source::types::Type;

pub fn open(uri: &str, address: &str, relation: &Relation) -> Result<OpenRelation, Error> {
    let name = relation.to_string();
    let mut client = connect(uri, address)?;
    let refused = |error: postgres::Error| failed(&name, &error);
    let table = match &relation.what {
        What::Query(_) => None,
        What::Table(wanted) => match find(&mut client, wanted).map_err(refused)? {
            Some(table) => Some(table),
            None => {
                let tables = tables(&mut client).map_err(refused)?;
                return Err(Error::NoDatabaseTable { name: wanted.clone(), of: address.to_owned(), tables });
            }
        },
        What::Unsaid => {
            let tables = tables(&mut client).map_err(refused)?;
            return Err(Error::WhichDatabaseTable { of: address.to_owned(), tables });
        }
    };
    let query = match (&relation.what, &table) {
        (What::Query(query), _) => query.trim().trim_end_matches(';').to_owned(),
        (_, table) => format!("SELECT * FROM {}", table.as_ref().map_or("", |table| &table.sql)),
    };
    // The server refuses a query that changes data.
    client.batch_execute("BEGIN TRANSACTION ISOLATION LEVEL REPEATABLE READ READ ONLY").map_err(refused)?;
    let statement = client.prepare(&query).map_err(refused)?;
    if statement.columns().is_empty() {
        let help = "begin the query with SELECT or WITH".into();
        return Err(Error::Database { name, why: "the query returns no rows".to_owned(), help });
    }
    let types: Vec<ServerType> = statement.columns().iter().map(|column| column.type_().clone()).collect();
    let mut declared = Vec::with_capacity(types.len());
    for (index, column) in statement.columns().iter().enumerate() {
        let of = match &table {
            Some(table) => client.query_one(
                "SELECT format_type(atttypid, atttypmod) FROM pg_attribute WHERE attrelid = $1 AND attname = $2",
                &[&table.oid, &column.name()],
            ),
            None => client.query_one("SELECT format_type($1, NULL)", &[&types[index].oid()]),
        };
        declared.push(of.and_then(|row| row.try_get::<_, Option<String>>(0)).map_err(refused)?.unwrap_or_default());
    }
    let names: Vec<String> = statement.columns().iter().map(|column| column.name().to_owned()).collect();
    let columns = names.iter().zip(&types).zip(declared).map(|((name, of), declared)| SourceColumn {
        name: name.clone(),
        declared,
        of: type_of(of),
        has_text: no_text(of).is_none(),
    });
    let columns = columns.collect();
    let read = move |needed: Vec<usize>, mut giving: RowSender| {
        let asked = SourceQuery { query, types };
        let outcome = asked.read(&mut client, &needed, &mut giving, &name);
        giving.end(outcome);
    };
    Ok(OpenRelation { columns, read: Box::new(read) })
}

/// The type of values, if the column type determines it.
fn type_of(of: &ServerType) -> Option<Type> {
    Some(match *of {
        ServerType::BOOL => Type::Truth,
        ServerType::INT2 | ServerType::INT4 | ServerType::INT8 | ServerType::OID => Type::Whole,
        ServerType::FLOAT4 | ServerType::FLOAT8 => Type::Number,
        ServerType::DATE => Type::Date,
        ServerType::JSON | ServerType::JSONB => Type::Nested,
        _ => return None,
    })
}

fn no_text(of: &ServerType) -> Option<&'static str> {
    match (of, of.kind()) {
        (&ServerType::BYTEA, _) => Some("it holds bytes (bytea), which have no text"),
        (_, Kind::Array(_)) => Some("it is an array, which has no text"),
        (_, Kind::Composite(_)) => Some("it is a composite value, which has no text"),
        _ => None,
    }
}

#[derive(Debug, Clone, Copy, PartialEq, Eq)]
enum Length {
    /// Not at all: a text of this type has at most 150 000 bytes.
    Bounded,
    Text,
    /// As the text that a cast makes.
    Cast,
}

fn length(of: &ServerType) -> Length {
    match (of.kind(), of) {
        (Kind::Domain(base), _) => length(base),
        (Kind::Enum(_) | Kind::Pseudo, _) => Length::Bounded,
        (_, &ServerType::TEXT | &ServerType::VARCHAR | &ServerType::BPCHAR) => Length::Text,
        (
            _,
            &(ServerType::BOOL
            | ServerType::CHAR
            | ServerType::CIDR
            | ServerType::DATE
            | ServerType::FLOAT4
            | ServerType::FLOAT8
            | ServerType::INET
            | ServerType::INT2
            | ServerType::INT4
            | ServerType::INT8
            | ServerType::INTERVAL
            | ServerType::MACADDR
            | ServerType::MACADDR8
            | ServerType::MONEY
            | ServerType::NAME
            | ServerType::NUMERIC
            | ServerType::OID
            | ServerType::TIME
            | ServerType::TIMESTAMP
            | ServerType::TIMESTAMPTZ
            | ServerType::TIMETZ
            | ServerType::UUID),
        ) => Length::Bounded,
        _ => Length::Cast,
    }
}

struct SourceQuery {
    query: String,
    types: Vec<ServerType>,
}

impl SourceQuery {
    /// The query for some columns, and whether each row ends with a cell that holds its length in bytes if that exceeds `max_row`. The
    /// values of such a row are null. Without this limit, the client package would keep a row of up to 1 GB in memory.
    ///
    /// `OFFSET 0` makes the server compute each value once, and preserves the order of rows.
    fn sql(&self, needed: &[usize], max_row: usize) -> (String, bool) {
        let names: Vec<String> = (0..self.types.len()).map(|column| format!("c{column}")).collect();
        let given = format!("(SELECT * FROM ({}\n) AS relation OFFSET 0) AS given({})", self.query, names.join(", "));
        let names: Vec<&str> = needed.iter().map(|column| names[*column].as_str()).collect();
        let lengths = needed.iter().map(|column| length(&self.types[*column])).collect::<Vec<_>>();
        let terms = names.iter().zip(&lengths).filter_map(|(name, length)| match length {
            Length::Bounded => None,
            Length::Text => Some(format!("coalesce(octet_length({name}), 0)::bigint")),
            Length::Cast => Some(format!("coalesce(octet_length({name}::text), 0)::bigint")),
        });
        let size = terms.collect::<Vec<_>>().join(" + ");
        if size.is_empty() {
            return (format!("SELECT {} FROM {given}", names.join(", ")), false);
        }
        let is_over = format!("size > {max_row}");
        let cells = names.iter().zip(&lengths).map(|(name, length)| match length {
            Length::Bounded => (*name).to_owned(),
            Length::Text | Length::Cast => format!("CASE WHEN {is_over} THEN NULL ELSE {name} END"),
        });
        let cells = cells.collect::<Vec<_>>().join(", ");
        let over = format!("CASE WHEN {is_over} THEN size END");
        (
            format!("SELECT {cells}, {over} FROM (SELECT {}, {size} AS size FROM {given} OFFSET 0) AS sized", names.join(", ")),
            true,
        )
    }

    fn read(&self, client: &mut Client, needed: &[usize], giving: &mut RowSender, name: &str) -> Result<(), Error> {
        for column in needed {
            if let Some(why) = no_text(&self.types[*column]) {
                return Err(giving.no_text(*column, why));
            }
        }
        let (query, has_length) = self.sql(needed, giving.max_row);
        let ended = |error: std::io::Error| match error.get_ref().and_then(|source| source.downcast_ref::<postgres::Error>()) {
            Some(error) => failed(name, error),
            None => crate::formats::database::source::broken(name, error.to_string()),
        };
        let copied = client.copy_out(&format!("COPY ({query}) TO STDOUT"));
        let mut lines = copied.map_err(|error| failed(name, &error))?;
        let mut line = Vec::new();
        loop {
            line.clear();
            if lines.read_until(b'\n', &mut line).map_err(ended)? == 0 {
                return Ok(());
            }
            if line.last() == Some(&b'\n') {
                line.pop();
            }
            let Ok(text) = simdutf8::basic::from_utf8(&line) else {
                return Err(crate::formats::database::source::broken(name, "the server sent text that is not UTF-8"));
            };
            if has_length && !text.ends_with("\t\\N") {
                return Err(giving.too_long());
            }
            let mut cells = text.split('\t');
            for column in needed {
                let cell = cells.next().unwrap_or_default();
                let of = &self.types[*column];
                let _ = giving.chunk.push(|out| Ok::<_, std::convert::Infallible>(push(cell, of, out)));
            }
            if !giving.end_row()? {
                return Ok(());
            }
        }
    }
}

fn push(cell: &str, of: &ServerType, out: &mut String) -> CellKind {
    if cell == "\\N" {
        return CellKind::Nothing;
    }
    let value = unescaped(cell);
    match *of {
        ServerType::BOOL => {
            out.push_str(if &*value == "t" { "true" } else { "false" });
            CellKind::Truth
        }
        ServerType::INT2
        | ServerType::INT4
        | ServerType::INT8
        | ServerType::OID
        | ServerType::NUMERIC
        | ServerType::FLOAT4
        | ServerType::FLOAT8 => {
            out.push_str(&value);
            // NaN and Infinity are not numbers in other formats.
            if value.ends_with(|c: char| c.is_ascii_digit()) { CellKind::Number } else { CellKind::Text }
        }
        ServerType::TIMESTAMP | ServerType::TIMESTAMPTZ => {
            // 2025-03-01 08:05:30.5+00; dates before year 1 end in BC, and infinity has no space.
            let (moment, zone) = value.strip_suffix("+00").map_or((&*value, ""), |moment| (moment, "Z"));
            match moment.split_once(' ') {
                Some((day, time)) if !time.contains(' ') => out.extend([day, "T", time, zone]),
                _ => out.push_str(&value),
            }
            CellKind::Date
        }
        ServerType::DATE => {
            out.push_str(&value);
            CellKind::Date
        }
        ServerType::JSON | ServerType::JSONB => {
            out.push_str(&value);
            CellKind::Nested
        }
        _ => {
            out.push_str(&value);
            CellKind::Text
        }
    }
}

fn unescaped(cell: &str) -> Cow<'_, str> {
    let Some(first) = memchr::memchr(b'\\', cell.as_bytes()) else { return Cow::Borrowed(cell) };
    let mut value = String::with_capacity(cell.len());
    value.push_str(&cell[..first]);
    let mut chars = cell[first..].chars();
    while let Some(c) = chars.next() {
        if c != '\\' {
            value.push(c);
            continue;
        }
        match chars.next() {
            Some('b') => value.push('\u{8}'),
            Some('f') => value.push('\u{C}'),
            Some('n') => value.push('\n'),
            Some('r') => value.push('\r'),
            Some('t') => value.push('\t'),
            Some('v') => value.push('\u{B}'),
            Some(other) => value.push(other),
            None => {}
        }
    }
    Cow::Owned(value)
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn values_as_phrases_read_them() {
        for (cell, of, shown, kind) in [
            ("\\N", ServerType::TEXT, "", CellKind::Nothing),
            ("\\\\N", ServerType::TEXT, "\\N", CellKind::Text),
            ("a\\tb\\nc\\\\d\\re\\bf\\vg\\f", ServerType::TEXT, "a\tb\nc\\d\re\u{8}f\u{B}g\u{C}", CellKind::Text),
            ("", ServerType::TEXT, "", CellKind::Text),
            ("t", ServerType::BOOL, "true", CellKind::Truth),
            ("f", ServerType::BOOL, "false", CellKind::Truth),
            ("12.340", ServerType::NUMERIC, "12.340", CellKind::Number),
            ("NaN", ServerType::NUMERIC, "NaN", CellKind::Text),
            ("-Infinity", ServerType::FLOAT8, "-Infinity", CellKind::Text),
            ("1e+300", ServerType::FLOAT8, "1e+300", CellKind::Number),
            ("2025-03-01", ServerType::DATE, "2025-03-01", CellKind::Date),
            ("2025-03-01 08:05:30", ServerType::TIMESTAMP, "2025-03-01T08:05:30", CellKind::Date),
            ("2025-03-01 08:05:30.5+00", ServerType::TIMESTAMPTZ, "2025-03-01T08:05:30.5Z", CellKind::Date),
            ("0044-03-15 00:00:00 BC", ServerType::TIMESTAMP, "0044-03-15 00:00:00 BC", CellKind::Date),
            ("infinity", ServerType::TIMESTAMPTZ, "infinity", CellKind::Date),
            ("08:05:30", ServerType::TIME, "08:05:30", CellKind::Text),
            ("{\"a\": \"x\\\\\"\"}", ServerType::JSONB, "{\"a\": \"x\\\"\"}", CellKind::Nested),
        ] {
            let mut out = String::new();
            assert_eq!((push(cell, &of, &mut out), out.as_str()), (kind, shown), "{cell}");
        }
    }
}
