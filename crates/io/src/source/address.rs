//! Addresses of databases, and tables and queries in them.

use std::fmt;
use std::path::{Path, PathBuf};

#[derive(Debug, Clone, PartialEq, Eq)]
pub enum Address {
    Sqlite(PathBuf),
    /// A PostgreSQL server, as a connection URI of libpq. It may contain a password, which is never shown.
    Postgres(String),
}

const SQLITE: &str = "sqlite:";
const POSTGRES: [&str; 2] = ["postgresql://", "postgres://"];

impl Address {
    /// Parses an address; `None` if it is not one.
    ///
    /// ```
    /// use keen_notch_io::source::address::Address;
    ///
    /// assert_eq!(Address::parse("sqlite:yard.db").unwrap().to_string(), "sqlite:yard.db");
    /// assert_eq!(Address::parse("postgresql://nils:secret@db/yard").unwrap().to_string(), "postgresql://nils@db/yard");
    /// assert_eq!(Address::parse("csv"), None);
    /// ```
    pub fn parse(text: &str) -> Option<Address> {
        if let Some(path) = text.strip_prefix(SQLITE) {
            return Some(Address::Sqlite(path.strip_prefix("//").unwrap_or(path).into()));
        }
        POSTGRES.iter().any(|start| text.starts_with(start)).then(|| Address::Postgres(text.to_owned()))
    }

    /// Whether a text was probably meant as an address.
    pub fn is_meant(text: &str) -> bool {
        let start = text.split(['/', ' ', '@']).next().unwrap_or_default().to_ascii_lowercase();
        text.contains("://")
            || text.contains("host=")
            || text.contains("dbname=")
            || (start.starts_with("postgres") && text.contains('/'))
            || (start.contains(':') && ["sql", "postgres", "pg"].iter().any(|name| start.contains(name)))
    }

    pub fn path(&self) -> Option<&Path> {
        if let Address::Sqlite(path) = self { Some(path) } else { None }
    }

    pub fn kind(&self) -> &'static str {
        match self {
            Address::Sqlite(_) => "SQLite",
            Address::Postgres(_) => "PostgreSQL",
        }
    }
}

impl fmt::Display for Address {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        match self {
            Address::Sqlite(path) => write!(f, "{SQLITE}{}", path.display()),
            Address::Postgres(uri) => f.write_str(&without_password(uri)),
        }
    }
}

fn without_password(uri: &str) -> String {
    let (scheme, rest) = uri.split_once("://").unwrap_or(("postgresql", uri));
    let (rest, options) = rest.split_once('?').map_or((rest, None), |(rest, options)| (rest, Some(options)));
    // A password can contain any character except these.
    let (user, place) = match rest.rsplit_once('@') {
        Some((user, place)) => (Some(user.split(':').next().unwrap_or_default()), place),
        None => (None, rest),
    };
    let user = user.map_or(String::new(), |user| format!("{user}@"));
    let is_secret = |option: &&str| option.split('=').next().is_some_and(|key| key.to_ascii_lowercase().contains("password"));
    let options: Vec<&str> =
        options.iter().flat_map(|options| options.split('&')).filter(|option| !is_secret(option)).collect();
    let options = if options.is_empty() { String::new() } else { format!("?{}", options.join("&")) };
    format!("{scheme}://{user}{place}{options}")
}

#[derive(Debug, Clone, PartialEq, Eq)]
pub enum What {
    Table(String),
    Query(String),
    Unsaid,
}

#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Relation {
    pub address: Address,
    pub what: What,
}

impl fmt::Display for Relation {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        match &self.what {
            What::Table(name) => write!(f, "the table {name} of {}", self.address),
            What::Query(_) => write!(f, "the query of {}", self.address),
            What::Unsaid => self.address.fmt(f),
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn passwords_are_not_shown() {
        for (uri, shown) in [
            ("postgresql://db/yard", "postgresql://db/yard"),
            ("postgres://nils@db:5433/yard?sslmode=require", "postgres://nils@db:5433/yard?sslmode=require"),
            ("postgresql://nils:p@ss:w/rd@db/yard", "postgresql://nils@db/yard"),
            ("postgresql://nils:@/yard?host=/run/pg&password=x&sslpassword=y", "postgresql://nils@/yard?host=/run/pg"),
            ("postgresql:///yard?PASSWORD=x", "postgresql:///yard"),
        ] {
            assert_eq!(Address::parse(uri).map(|address| address.to_string()).as_deref(), Some(shown));
        }
        assert_eq!(Address::parse("sqlite:///tmp/a.db"), Some(Address::Sqlite("/tmp/a.db".into())));
        assert_eq!(Address::parse("sqlite:a.db"), Some(Address::Sqlite("a.db".into())));
        assert_eq!(Address::parse("/a/sqlite:a.db"), None);
    }
}
