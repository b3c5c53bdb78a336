//! Connections to PostgreSQL, with settings from the address, the environment, a password file and a service file, as in libpq:
//! <https://www.postgresql.org/docs/current/libpq-connect.html>.

mod settings;
mod tls;

use std::time::Duration;

use postgres::{Client, NoTls};

use crate::Error;
use crate::formats::database::postgres::settings::Settings;
use crate::formats::database::quoted;

const PATIENCE: Duration = Duration::from_secs(30);

/// Formats of values, regardless of the settings of the server: ISO 8601, UTC, and all digits of numbers.
const STYLE: &str = "SET datestyle = 'ISO, YMD'; SET timezone = 'UTC'; SET intervalstyle = 'iso_8601'; \
                     SET extra_float_digits = 1; SET bytea_output = 'hex'; SET client_encoding = 'UTF8'";

/// Connects to a server; `name` is its label for messages.
///
/// # Errors
/// The address is invalid, or the connection fails.
pub fn connect(uri: &str, name: &str) -> Result<Client, Error> {
    let settings = Settings::read(uri, &|key| std::env::var(key).ok()).map_err(|why| Error::Database {
        name: name.to_owned(),
        why,
        help: "write postgresql://USER@HOST:PORT/DATABASE; missing settings come from PGHOST, PGUSER …, a service file or a password file".into(),
    })?;
    let mut config: postgres::Config = settings.config();
    if config.get_connect_timeout().is_none() {
        config.connect_timeout(PATIENCE);
    }
    config.application_name("keen-notch");
    let connected = match settings.tls() {
        None => config.connect(NoTls),
        Some(how) => config.connect(tls::connector(how).map_err(|why| Error::Database {
            name: name.to_owned(),
            why,
            help: "name a file of certificates in PEM with sslrootcert=FILE, or leave sslmode out".into(),
        })?),
    };
    let mut client = connected.map_err(|error| failed(name, &error))?;
    client.batch_execute(STYLE).map_err(|error| failed(name, &error))?;
    Ok(client)
}

const PASSWORD: &str = "give the password with PGPASSWORD or in a private password file (~/.pgpass, chmod 600), and the user with USER@ in the address";

pub fn failed(name: &str, error: &postgres::Error) -> Error {
    let Some(db_error) = error.as_db_error() else {
        let cause = std::error::Error::source(error).map_or(String::new(), |cause| format!(" ({cause})"));
        if cause.contains("password missing") {
            let why = "the server requires a password".to_owned();
            return Error::Database { name: name.to_owned(), why, help: PASSWORD.into() };
        }
        if cause.contains("certificate") {
            let help = "name a file with its certificate or its issuer's certificate: sslrootcert=FILE".into();
            return Error::Database {
                name: name.to_owned(),
                why: format!("the server's certificate is not trusted{cause}"),
                help,
            };
        }
        let why = if error.is_closed() { "the server has ended the connection".to_owned() } else { format!("{error}{cause}") };
        let help = "no rows were written; check that the server is running and reachable, then run this again".into();
        return Error::Database { name: name.to_owned(), why, help };
    };
    let detail = [db_error.detail(), db_error.where_()].into_iter().flatten().collect::<Vec<_>>().join("; ");
    let detail = if detail.is_empty() { String::new() } else { format!(" ({detail})") };
    let help = match db_error.code().code() {
        "28P01" | "28000" => PASSWORD,
        "42501" => "ask the database administrator for this permission",
        "3D000" => "name another database at the end of the address",
        "53100" => "make room on the server's disk",
        "2BP01" => "no rows were written; drop the objects that depend on the table first, or write to another table",
        "55P03" => "another program has locked the table; run this again when it has finished",
        "57P01" | "57P02" | "57P03" => "the server is shutting down; run this again when it is up",
        code if code.starts_with("22") => "no rows were written; correct the value, or change the type of the column",
        code if code.starts_with("42") => "correct the query, or the names in it",
        _ => "no rows were written; correct the cause that the server names",
    };
    Error::Database { name: name.to_owned(), why: format!("{}{detail}", db_error.message()), help: help.into() }
}

/// A table or view.
#[derive(Debug, Clone)]
pub struct Relation {
    pub oid: u32,
    /// Its schema and name as quoted SQL identifiers.
    pub sql: String,
}

/// Finds a table or view by its exact name or in lowercase, with or without a schema.
///
/// # Errors
/// The query fails.
pub fn find(client: &mut Client, wanted: &str) -> Result<Option<Relation>, postgres::Error> {
    let found = client.query_opt(
        "SELECT c.oid, n.nspname, c.relname FROM pg_class c JOIN pg_namespace n ON n.oid = c.relnamespace \
         WHERE c.relkind IN ('r', 'v', 'm', 'p', 'f') AND (pg_table_is_visible(c.oid) AND c.relname::text IN ($1, lower($1)) \
             OR n.nspname || '.' || c.relname IN ($1, lower($1))) \
         ORDER BY c.relname::text = $1 DESC, n.nspname || '.' || c.relname = $1 DESC, pg_table_is_visible(c.oid) DESC LIMIT 1",
        &[&wanted],
    )?;
    let relation = |row: postgres::Row| {
        let (schema, name): (String, String) = (row.get(1), row.get(2));
        Relation { oid: row.get(0), sql: format!("{}.{}", quoted(&schema), quoted(&name)) }
    };
    Ok(found.map(relation))
}

/// The tables and views on the search path.
///
/// # Errors
/// The query fails.
pub fn tables(client: &mut Client) -> Result<Vec<String>, postgres::Error> {
    let rows = client.query(
        "SELECT relname FROM pg_class WHERE relkind IN ('r', 'v', 'm', 'p', 'f') AND pg_table_is_visible(oid) \
         AND relnamespace NOT IN ('pg_catalog'::regnamespace, 'information_schema'::regnamespace) ORDER BY relname",
        &[],
    )?;
    Ok(rows.into_iter().map(|row| row.get(0)).collect())
}
