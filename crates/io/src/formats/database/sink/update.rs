//! Updates of existing rows by key: SQL that SQLite and PostgreSQL share.

use crate::Error;
use crate::Remedy;
use crate::formats::database::{PlannedColumn, TablePlan, quoted};

/// Rows in a temporary table that update those of another.
pub struct Update<'p> {
    /// Their columns; the first ones are the key.
    pub plan: &'p TablePlan,
    pub keys: usize,
    pub waiting: &'p str,
    pub table: &'p str,
    pub name: &'p str,
}

impl Update<'_> {
    fn columns(&self) -> (Vec<String>, Vec<String>) {
        let is_written = |column: &&PlannedColumn| column.read_from.is_none();
        let mut key: Vec<String> = self.plan.columns.iter().filter(is_written).map(|column| quoted(&column.name)).collect();
        let others = key.split_off(self.keys.min(key.len()));
        (key, others)
    }

    /// Queries that return a row if the key is not unique, each with the reason.
    pub fn checks(&self) -> [(String, &'static str); 2] {
        let (key, _) = self.columns();
        let are_null: Vec<String> = key.iter().map(|key| format!("{key} IS NULL")).collect();
        let (waiting, are_null, key) = (self.waiting, are_null.join(" OR "), key.join(", "));
        [
            (format!("SELECT 1 FROM {waiting} WHERE {are_null} LIMIT 1"), "is null in some rows"),
            (format!("SELECT 1 FROM {waiting} GROUP BY {key} HAVING count(*) > 1 LIMIT 1"), "is the same in several rows"),
        ]
    }

    pub fn no_key(&self, why: &str) -> Error {
        let keys: Vec<&str> = self.plan.columns.iter().take(self.keys).map(|column| column.name.as_str()).collect();
        Error::Database { name: self.name.to_owned(), why: format!("{} {why}", keys.join(", ")), help: Remedy::NameKeys }
    }

    /// The UPDATE statement. It skips rows with a changed source value. `exact` wraps a column in an expression that compares character
    /// by character.
    pub fn statement(&self, exact: impl Fn(&str) -> String) -> String {
        let (key, others) = self.columns();
        let read = self.plan.columns.iter().filter_map(|column| Some((column.read_from.as_ref()?, &column.name)));
        let unchanged = read.map(|(kept, given)| {
            let [kept, given] = [("kept", kept), ("given", given)].map(|(of, name)| exact(&format!("{of}.{}", quoted(name))));
            format!("{kept} IS NOT DISTINCT FROM {given}")
        });
        let set: Vec<String> = others.iter().map(|column| format!("{column} = given.{column}")).collect();
        let same: Vec<String> = key.iter().map(|key| format!("kept.{key} = given.{key}")).chain(unchanged).collect();
        let (table, waiting) = (self.table, self.waiting);
        format!("UPDATE {table} AS kept SET {} FROM {waiting} AS given WHERE {}", set.join(", "), same.join(" AND "))
    }

    /// Checks that all rows were updated.
    ///
    /// # Errors
    /// Some rows have disappeared or changed.
    pub fn all_written(&self, written: u64, given: u64) -> Result<(), Error> {
        if written == given {
            return Ok(());
        }
        Err(Error::Database {
            name: self.name.to_owned(),
            why: match given.saturating_sub(written) {
                0 => format!("the run read {given} rows, and the table now has {written} with these keys"),
                1 => format!("another program changed or deleted 1 of {given} rows"),
                changed => format!("another program changed or deleted {changed} of {given} rows"),
            },
            help: "the table is unchanged; run this again".into(),
        })
    }
}
