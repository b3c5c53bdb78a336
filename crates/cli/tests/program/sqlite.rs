//! SQLite tables, read and written.

use std::time::Duration;

use insta::assert_snapshot;
use rusqlite::Connection;
use rusqlite::types::ValueRef;

use super::yard::{Yard, ignores};

/// A database with values of every kind, and names that need quotes.
const TABLES: &str = r#"
    CREATE TABLE Parts (code TEXT, "qty on hand" INTEGER, price REAL, "Note ""x""" VARCHAR(40), photo BLOB, "any");
    INSERT INTO Parts VALUES
        ('GRP-00041273-S7K2', 12, 1234.5, 'two' || char(10) || 'lines, "quoted"', x'00FF', 1),
        ('HNG-é411-B2', -3, 3.0, '', x'', 'text'),
        (NULL, NULL, 1e300, NULL, NULL, 2.5),
        ('中😀-1', 9223372036854775807, -0.000001, '00012', 'x', NULL);
    CREATE VIEW codes AS SELECT code FROM Parts WHERE code IS NOT NULL;
"#;

fn connection(yard: &Yard, name: &str) -> Connection {
    Connection::open(yard.path().join(name)).unwrap()
}

fn database() -> Yard {
    let yard = Yard::new();
    connection(&yard, "yard.db").execute_batch(TABLES).unwrap();
    yard
}

/// The definitions of tables, and their rows with value types.
fn shown(yard: &Yard, name: &str) -> String {
    let connection = connection(yard, name);
    let mut tables = connection.prepare("SELECT name, sql FROM sqlite_schema WHERE sql IS NOT NULL ORDER BY name").unwrap();
    let tables: Vec<(String, String)> =
        tables.query_map([], |row| Ok((row.get(0)?, row.get(1)?))).unwrap().map(Result::unwrap).collect();
    let mut shown = String::new();
    for (table, made) in tables {
        shown += &format!("{made}\n");
        let mut rows = connection.prepare(&format!("SELECT * FROM {table}")).unwrap();
        let count = rows.column_count();
        let mut rows = rows.query([]).unwrap();
        while let Some(row) = rows.next().unwrap() {
            let value = |column| match row.get_ref(column).unwrap() {
                ValueRef::Null => "null".to_owned(),
                ValueRef::Integer(number) => number.to_string(),
                ValueRef::Real(number) => format!("{number:?}"),
                ValueRef::Text(text) => format!("{:?}", std::str::from_utf8(text).unwrap()),
                ValueRef::Blob(bytes) => format!("{bytes:?}"),
            };
            let values: Vec<String> = (0..count).map(value).collect();
            shown += &format!("    {}\n", values.join(", "));
        }
    }
    shown
}

const FROM: [&str; 4] = ["--from", "sqlite:yard.db", "--table", "parts"];
const PIECE: [&str; 4] = ["-c", "code", "-p", "family: before \"-\""];

#[test]
fn every_command_reads_them() {
    let yard = database();
    let mut shown = String::new();
    let mut note = |words: &[&str]| {
        let ran = yard.run(words);
        shown += &format!("{words:?}: exit {}\n{}", ran.status, ran.shown());
    };
    note(&[&["carve"], &FROM[..], &PIECE, &["--without", "photo", "--to", "jsonl", "-q"]].concat());
    note(&[&["carve"], &FROM[..2], &["--table", "codes"], &PIECE, &["--to", "csv"]].concat());
    let query = ["--query", "SELECT code, count(*) AS n FROM parts GROUP BY code ORDER BY code DESC"];
    note(&[&["survey"], &FROM[..2], &query].concat());
    note(&[&["check"], &FROM[..], &PIECE, &["--check", "family: uppercase", "--rows", "1"]].concat());
    note(&[&["explain"], &FROM[..], &PIECE, &["--row", "4"]].concat());
    let report = yard.out(&[&["report", "-q", "--to", "json"], &FROM[..], &PIECE].concat());
    assert!(report.contains("the table") && report.contains("\"sha256\": null"), "{report}");
    note(&[&["draft"], &FROM[..], &["-c", "code", "--want", "GRP-00041273-S7K2 => GRP"]].concat());
    // A list can contain the query, and the draft's list does.
    note(&[&["draft"], &FROM[..2], &query, &["-c", "code", "--write", "code.cutlist.toml"]].concat());
    yard.write(
        "q.cutlist.toml",
        "[reading]\nquery = 'SELECT code FROM codes LIMIT 1'\n[piece.x]\nof = 'code'\ntake = 'first 3'\n",
    );
    note(&[&["carve"], &FROM[..2], &["-l", "q.cutlist.toml", "--to", "csv", "-q"]].concat());
    assert_snapshot!(shown);
    assert!(yard.read("code.cutlist.toml").contains("query = 'SELECT code, count(*)"));
}

#[test]
fn tables_are_written_in_one_transaction() {
    let yard = database();
    let ran = yard.run(
        &[
            &["carve"],
            &FROM[..],
            &["--to", "sqlite:yard.db", "--table", "Cut \"1\"", "--faults-table", "faults", "--offcuts-table", "aside"],
            &PIECE,
            &["--check", "family: length 3", "--columns", "code,qty on hand,any"],
        ]
        .concat(),
    );
    assert_eq!(ran.status, 3, "{}", ran.shown());
    // Offcuts have all columns, even those without text.
    assert!(ran.stderr.contains("the value of photo cannot be read as text"), "{}", ran.stderr);
    let query = "SELECT code, \"qty on hand\", price, \"any\" FROM parts";
    let carve = [&["carve"], &FROM[..2], &["--query", query, "--to", "sqlite:yard.db", "--table", "cut"], &PIECE].concat();
    let checked = ["--check", "family: length 3"];
    let beside = ["--faults-table", "faults", "--offcuts-table", "aside"];
    assert_snapshot!(yard.run(&[&carve[..], &checked, &beside].concat()).shown() + &shown(&yard, "yard.db"));
    // An existing table stays unless an option says otherwise, and rows are appended by column name.
    let mut said = String::new();
    let mut note = |words: &[&str]| {
        let ran = yard.run(words);
        said += &format!("exit {}\n{}", ran.status, ran.stderr);
    };
    note(&[&carve[..], &["-q"]].concat());
    note(&[&carve[..], &["--append"]].concat());
    note(&[&carve[..9], &["-c", "code", "-p", "other: first 1", "--append", "-q"]].concat());
    note(&[&carve[..9], &["-c", "code", "-p", "fresh: first 1", "--only-pieces", "--replace"]].concat());
    note(&[&carve[..9], &["-c", "code", "-p", "FRESH: first 1", "-p", "fresh: first 2", "--replace"]].concat());
    note(&[&carve[..], &checked, &["--strict", "--replace", "--faults-table", "faults"]].concat());
    note(&["carve", "parts.csv", "--to", "sqlite:none/at/all.db", "--table", "x", "-c", "code", "-p", "x: first 1"]);
    assert_snapshot!(said);
    let rows = |table: &str| -> (i64, String) {
        let rows = connection(&yard, "yard.db");
        let made = "SELECT sql FROM sqlite_schema WHERE name = ?1";
        let made = rows.query_row(made, [table], |row| row.get(0)).unwrap();
        (rows.query_row(&format!("SELECT count(*) FROM {table}"), [], |row| row.get(0)).unwrap(), made)
    };
    assert_eq!(rows("cut"), (4, "CREATE TABLE \"cut\" (\"fresh\" TEXT)".to_owned()));
    // The run with --strict wrote faults and no rows.
    assert_eq!(rows("faults").0, 1);
}

#[test]
fn conversion_to_and_from_other_formats() {
    let yard = database();
    yard.write(
        "parts.jsonl",
        "{\"code\":\"A-1\",\"n\":1,\"big\":12345678901234567890,\"ok\":true,\"r\":1.5,\"in\":[1]}\n{\"code\":\"B-2\"}\n",
    );
    yard.write(
        "t.cutlist.toml",
        "column = 'code'\n[piece.no]\ntake = 'after \"-\"'\nas = 'number'\n[piece.day]\ntake = 'whole'\nas = 'date'\n",
    );
    yard.out(&[
        "carve",
        "parts.jsonl",
        "-c",
        "code",
        "-p",
        "x: first 1",
        "--columns",
        "code,n,ok,r",
        "-o",
        "parts.parquet",
        "-q",
    ]);
    for (input, table) in [("parts.jsonl", "of_json"), ("parts.parquet", "of_parquet")] {
        yard.out(&["carve", input, "-l", "t.cutlist.toml", "--to", "sqlite:new.db", "--table", table, "-q"]);
    }
    assert_snapshot!(shown(&yard, "new.db"));
    // Any text survives a round trip.
    yard.write("odd.csv", "code,note\n007,\"a \"\"b\"\", c\"\n\"x\ny\",'\n,é😀\n");
    let of = ["-c", "code", "-p", "first: first 1"];
    yard.out(&[&["carve", "odd.csv", "--to", "sqlite:new.db", "--table", "odd", "-q"], &of[..]].concat());
    let query = ["--from", "sqlite:new.db", "--query", "SELECT code, note FROM odd", "--to", "csv", "-q"];
    assert_eq!(yard.out(&[&["carve"], &query[..], &of].concat()), yard.out(&[&["carve", "odd.csv", "-q"], &of[..]].concat()));
}

#[test]
fn columns_of_mixed_types_are_written_as_text() {
    let yard = Yard::new();
    let rows = "CREATE TABLE t (code TEXT, n); INSERT INTO t VALUES ('GRP-1', 5), ('HNG-2', NULL), ('ROP-3', 'x')";
    connection(&yard, "yard.db").execute_batch(rows).unwrap();
    let from = ["carve", "--from", "sqlite:yard.db", "--table", "t", "-c", "code", "-p", "family: first 3", "-q"];
    for out in ["t.parquet", "t.arrow"] {
        yard.out(&[&from[..], &["-o", out]].concat());
        let again = yard.out(&["carve", out, "-c", "code", "-p", "no: last 1", "--to", "csv", "-q"]);
        assert_eq!(again, "code,n,family,no\nGRP-1,5,GRP,1\nHNG-2,,HNG,2\nROP-3,x,ROP,3\n");
    }
}

#[test]
fn failures_have_a_reason_and_leave_no_files() {
    let yard = database();
    yard.write("text.csv", "code\nA-1\n");
    let mut said = String::new();
    let mut note = |words: &[&str]| {
        let ran = yard.run(words);
        said += &format!("{words:?}: exit {}\n{}", ran.status, ran.stderr);
    };
    note(&["survey", "--from", "sqlite:yard.db"]);
    note(&["survey", "--from", "sqlite:yard.db", "--table", "part"]);
    note(&["survey", "--from", "sqlite:none.db", "--table", "parts"]);
    note(&["survey", "--from", "sqlite:text.csv", "--table", "parts"]);
    note(&["survey", "--from", "sqlite:yard.db", "--query", "DELETE FROM parts"]);
    note(&["survey", "--from", "sqlite:yard.db", "--query", "SELECT kode FROM parts"]);
    note(&["survey", "--from", "sqlite:yard.db", "--query", "SELECT 1; SELECT 2"]);
    note(&["survey", "text.csv", "--from", "sqlite:yard.db", "--table", "parts"]);
    note(&["survey", "text.csv", "--table", "parts"]);
    note(&["survey", "text.csv", "--query", "SELECT 1"]);
    note(&[&["survey"], &FROM[..], &["--delimiter", ";"]].concat());
    note(&[&["carve"], &FROM[..], &PIECE].concat());
    note(&[&["carve"], &FROM[..], &PIECE, &["--to", "csv", "-q"]].concat());
    note(&[&["carve"], &FROM[..], &PIECE, &["--to", "sqlite:yard.db"]].concat());
    note(&["carve", "text.csv", "-c", "code", "-p", "x: first 1", "--to", "sqlite:new.db"]);
    note(&["carve", "text.csv", "-c", "code", "-p", "x: first 1", "--to", "sqlite:new.db", "--table", "x", "-o", "x.csv"]);
    note(&["carve", "text.csv", "-c", "code", "-p", "x: first 1", "--append", "-o", "x.csv"]);
    note(&["carve", "text.csv", "-c", "code", "-p", "x: first 1", "--to", "sqlite:text.csv", "--table", "x"]);
    note(&["carve", "text.csv", "-c", "kode", "-p", "x: first 1", "--to", "sqlite:new.db", "--table", "x"]);
    note(&["carve", "text.csv", "-c", "code", "-p", "code: first 1", "--to", "sqlite:new.db", "--table", "x"]);
    note(&[
        "carve",
        "text.csv",
        "-c",
        "code",
        "-p",
        "x: first 1",
        "--to",
        "sqlite:new.db",
        "--table",
        "x",
        "--faults-table",
        "X",
    ]);
    note(&["carve", "text.csv", "-c", "code", "-p", "x: first 1", "--to", "sqlite:new.db", "--table", "x", "--append"]);
    note(&[
        "carve",
        "text.csv",
        "-c",
        "code",
        "-p",
        "x: first 1",
        "--to",
        "sqlite:yard.db",
        "--table",
        "x",
        "--summary",
        "yard.db",
    ]);
    note(&["check", "text.csv", "-c", "code", "-p", "x: first 1", "--check", "x: digits", "--faults-table", "x"]);
    note(&["survey", "--from", "postgresql://nils:secret@db/yard?sslpassword=x", "--table", "parts"]);
    assert_snapshot!(said);
    assert_eq!(yard.names(), ["text.csv", "yard.db"], "a database that was not there is not there");
}

#[test]
fn a_lock_of_another_program_is_waited_for() {
    let yard = database();
    let locking = connection(&yard, "yard.db");
    locking.execute_batch("BEGIN EXCLUSIVE").unwrap();
    let carve =
        [&["carve"], &FROM[..], &PIECE, &["--columns", "code", "--to", "sqlite:yard.db", "--table", "cut", "-q"]].concat();
    let mut running = yard.child(&carve).spawn().unwrap();
    std::thread::sleep(Duration::from_millis(500));
    locking.execute_batch("COMMIT").unwrap();
    assert!(running.wait().unwrap().success());
    let rows = connection(&yard, "yard.db").query_row("SELECT count(*) FROM cut", [], |row| row.get::<_, i64>(0)).unwrap();
    assert_eq!(rows, 4);
}

#[test]
fn pieces_update_their_rows() {
    let yard = Yard::new();
    connection(&yard, "yard.db")
        .execute_batch(
            "CREATE TABLE parts (site TEXT, id INTEGER, code TEXT, PRIMARY KEY (site, id));
             INSERT INTO parts VALUES ('a', 1, 'GRP-1'), ('a', 2, 'HNG-2'), ('b', 1, NULL), ('b', 3, 'x-3')",
        )
        .unwrap();
    let update = ["carve", "--from", "sqlite:yard.db", "--table", "Parts", "-c", "code", "-p", "family: before \"-\""];
    let checked = ["--check", "family: uppercase", "--update"];
    let mut said = String::new();
    let mut note = |words: &[&str]| {
        let ran = yard.run(words);
        said += &format!("exit {}\n{}", ran.status, ran.stderr);
    };
    // Rows set aside stay unchanged.
    note(&[&update[..], &checked, &["site,id", "--offcuts-table", "aside"]].concat());
    yard.write("rows.csv", "code\nA-1\n");
    let query = ["--query", "SELECT id, code FROM parts WHERE code > ''"];
    note(&[&["carve"], &update[1..3], &query, &update[5..], &["--update", "id"]].concat());
    note(&["carve", "rows.csv", "-c", "code", "-p", "x: first 1", "--update", "code"]);
    note(&[&update[..], &["--update", "id"]].concat());
    note(&[&update[..], &["--update", "code"]].concat());
    note(&[&update[..], &["--update", "nr"]].concat());
    note(&[&update[..], &["--update", "site,site"]].concat());
    // The columns exist now and are updated.
    note(&[&update[..], &["-p", "no of code: after \"-\"", "--update", "site,id"]].concat());
    assert_snapshot!(said + &shown(&yard, "yard.db"));
}

#[test]
fn columns_store_values_without_loss_and_keys_follow_their_collation() {
    let yard = Yard::new();
    connection(&yard, "yard.db")
        .execute_batch(
            "CREATE TABLE parts (id TEXT COLLATE NOCASE, code TEXT, no INTEGER, price TEXT);
             INSERT INTO parts VALUES ('a', 'GRP-0007', 1, '1.50'), ('A', 'HNG-8', 2, '2')",
        )
        .unwrap();
    let update = ["carve", "--from", "sqlite:yard.db", "--table", "parts", "-c", "code", "-q", "-p"];
    let mut said = String::new();
    let mut note = |words: &[&str]| said += &yard.run(words).stderr;
    note(&[&update[..], &["family: before \"-\"", "--update", "id"]].concat());
    note(&[&update[..], &["no: after \"-\"", "--update", "no"]].concat());
    note(&[&update[..], &["Code: after \"-\"", "--update", "no"]].concat());
    note(&[&update[..], &["price: after \"-\"", "--update", "no"]].concat());
    note(&[&update[..], &["no: after \"-\"", "--update", "price"]].concat());
    yard.write("more.jsonl", "{\"code\":\"x-1\",\"no\":3,\"price\":2.50}\n{\"code\":\"x-2\",\"no\":null,\"price\":\"3\"}\n");
    yard.write("blank.csv", "code,no\ny-1,\n");
    for file in ["more.jsonl", "blank.csv"] {
        note(&[
            "carve",
            file,
            "-c",
            "code",
            "-p",
            "id: after \"-\"",
            "--to",
            "sqlite:yard.db",
            "--table",
            "parts",
            "--append",
            "-q",
        ]);
    }
    assert_snapshot!(said + &shown(&yard, "yard.db"));
}

#[test]
fn a_survey_skips_columns_of_bytes_and_reports_it() {
    let yard = Yard::new();
    let rows = "CREATE TABLE parts (code TEXT, raw BLOB); INSERT INTO parts VALUES ('GRP-1', x'ff00')";
    connection(&yard, "yard.db").execute_batch(rows).unwrap();
    let survey = ["survey", "--from", "sqlite:yard.db", "--table", "parts"];
    let ran = yard.run(&survey);
    assert_eq!(ran.status, 0, "{}", ran.shown());
    assert_eq!(ran.stderr, "skipped, because bytes, arrays and composite types have no text: raw\n");
    assert!(ran.stdout.contains("code") && !ran.stdout.contains("raw"), "{}", ran.shown());
    // A named column is read, and its value is an error.
    assert_eq!(yard.run(&[&survey[..], &["-c", "raw"]].concat()).status, 3);
}

#[test]
fn rows_changed_by_others_are_not_updated() {
    let yard = Yard::new();
    let writing = connection(&yard, "yard.db");
    writing
        .execute_batch(
            "PRAGMA journal_mode = WAL; CREATE TABLE parts (id INTEGER PRIMARY KEY, code TEXT);
             INSERT INTO parts VALUES (1, 'GRP-1'), (2, 'HNG-2'), (3, 'x-3');
             BEGIN IMMEDIATE; UPDATE parts SET code = 'TWR-9' WHERE id = 2",
        )
        .unwrap();
    let words =
        ["carve", "--from", "sqlite:yard.db", "--table", "parts", "-c", "code", "-p", "f: first 1", "--update", "id", "-q"];
    let child = yard.child(&words).stderr(std::process::Stdio::piped()).spawn().unwrap();
    // The run reads the old values and waits for the lock.
    std::thread::sleep(Duration::from_millis(1500));
    writing.execute_batch("COMMIT").unwrap();
    let said = child.wait_with_output().unwrap();
    assert_snapshot!(String::from_utf8(said.stderr).unwrap(), @r"
    error: the table parts of sqlite:yard.db: another program changed or deleted 1 of 3 rows
    help: the table is unchanged; run this again
    ");
    let columns = writing.prepare("SELECT * FROM parts").unwrap().column_count();
    assert_eq!((said.status.code(), columns), (Some(3), 2));
}

#[cfg(unix)]
#[test]
fn a_run_ended_in_the_middle_leaves_no_files() {
    if ignores(2) {
        return;
    }
    let yard = database();
    let before = std::fs::read(yard.path().join("yard.db")).unwrap();
    for (database, table) in [("new.db", "cut"), ("yard.db", "cut")] {
        let address = format!("sqlite:{database}");
        let words = ["carve", "-", "-c", "code", "-p", "x: first 1", "--to", &address, "--table", table];
        let mut child = yard.child(&words).stdin(std::process::Stdio::piped()).spawn().unwrap();
        let mut input = child.stdin.take().unwrap();
        let rows: String = (0..100_000).map(|row| format!("GRP-{row:08}\n")).collect();
        std::io::Write::write_all(&mut input, format!("code\n{rows}").as_bytes()).unwrap();
        std::thread::sleep(Duration::from_millis(300));
        // Like Ctrl-C in a terminal.
        assert!(std::process::Command::new("kill").args(["-INT", &child.id().to_string()]).status().unwrap().success());
        assert!(!child.wait().unwrap().success());
        drop(input);
        assert_eq!(yard.names(), ["yard.db"]);
    }
    assert!(std::fs::read(yard.path().join("yard.db")).unwrap() == before);
}

#[test]
fn a_signal_ends_the_transaction() {
    let yard = database();
    let rows: String = (0..100_000).map(|row| format!("GRP-{row:08},{}\n", "note ".repeat(20))).collect();
    yard.write("rows.csv", format!("code,note\n{rows}"));
    let count = "SELECT count(*) FROM sqlite_schema WHERE name LIKE 'cut%'";
    let journal = yard.path().join("yard.db-journal");
    for (signal, number) in [("-TERM", 15), ("-INT", 2), ("-HUP", 1)] {
        if ignores(number) {
            continue;
        }
        let words = ["carve", "rows.csv", "-c", "code", "-p", "x: first 1", "--to", "sqlite:yard.db", "--table", "cut", "-q"];
        let mut child = yard.child(&words).spawn().unwrap();
        while !journal.exists() {
            assert!(child.try_wait().unwrap().is_none(), "the run ended before it had a journal");
            std::thread::sleep(Duration::from_millis(1));
        }
        assert!(std::process::Command::new("kill").args([signal, &child.id().to_string()]).status().unwrap().success());
        assert_eq!(child.wait().unwrap().code(), None, "the signal is what ended it");
        assert!(!journal.exists(), "{:?}", yard.names());
        let found: i64 = Connection::open(yard.path().join("yard.db")).unwrap().query_row(count, [], |row| row.get(0)).unwrap();
        assert_eq!(found, 0, "{signal}");
    }
}
