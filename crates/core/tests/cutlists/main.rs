//! Cut lists: what is read out of them, what is refused and where, and what they make of a row.
#![allow(clippy::unwrap_used, clippy::expect_used, clippy::panic, reason = "a test that cannot go on has failed")]

use keen_notch_core::carving::{Carving, OutColumn, Workspace};
use keen_notch_core::column::Header;
use keen_notch_core::cutlist::{self, CutList};
use keen_notch_core::tally::Tally;

const HEADER: [&str; 3] = ["part_code", "crew_id", "depot"];

fn header() -> Header {
    Header::Names(HEADER.map(String::from).to_vec())
}

/// The carving of a cut list on the columns of `HEADER`, or the words at fault with the message and the mend.
fn bound(file: &str) -> Result<Carving, (String, String, String)> {
    let refused = |refusal: keen_notch_core::refusal::Refusal| (file[refusal.span].to_owned(), refusal.message, refusal.mend);
    let list = CutList::parse(file, 0).map_err(refused)?;
    let main = list.column.as_ref().map(|main| &main.column);
    Carving::new(&list.pieces, main, list.unit, &header()).map_err(|unbound| refused(unbound.refusal))
}

/// The row that a cut list makes of another: name, text, state.
fn row(file: &str, values: [&str; 3]) -> Vec<(String, String, String)> {
    let carving = bound(file).unwrap();
    let mut work = Workspace::default();
    let value = |column: usize| values[column];
    carving.run(&value, &mut work);
    let cell = |column: OutColumn| {
        let title = carving.title(column, &header());
        match column {
            OutColumn::Original(index) => (title, values[index].to_owned(), "original".to_owned()),
            OutColumn::Piece { piece, result } => {
                (title, carving.text(piece, result, &value, &work).to_owned(), work.state(piece).to_string())
            }
        }
    };
    carving.out_columns(&header(), false).into_iter().map(cell).collect()
}

/// The pieces alone, as `name=text (state)`.
fn pieces(file: &str, values: [&str; 3]) -> Vec<String> {
    let cells = row(file, values).into_iter().filter(|(_, _, state)| state != "original");
    cells
        .map(
            |(name, text, state)| if state == "filled" { format!("{name}={text}") } else { format!("{name}={text} ({state})") },
        )
        .collect()
}

const ROW: [&str; 3] = ["GRP-00041273-S7K2", "2019-0385-RIG", "Summit"];

#[test]
fn pieces_come_in_the_order_of_the_file() {
    let list = "column = 'part_code'\n[piece.zeta]\ntake = 'first 1'\n[piece.alpha]\ntake = 'last 1'\n[piece.mid]\nof = '#2'\ntake = 'first 4'";
    assert_eq!(pieces(list, ROW), ["zeta=G", "alpha=2", "mid=2019"]);
}

#[test]
fn built_pieces() {
    let list = "column = 'part_code'
[piece.label]
build = '{{{family}/{team}}} {depot}'
[piece.family]
take = 'first 3'
[piece.team]
of = 'crew_id'
take = 'section 3 by \"-\" or \"none\"'
[piece.both]
build = '{label}|{family}'";
    assert_eq!(pieces(list, ROW)[0], "label={GRP/RIG} Summit");
    assert_eq!(pieces(list, ROW)[3], "both={GRP/RIG} Summit|GRP");
    assert_eq!(pieces(list, ["", "x", ""])[0], "label={/none}  (short)");
    let list = "column = 'part_code'\n[piece.a]\ntake = 'char 99'\n[piece.b]\nbuild = '<{a}>'\n[piece.c]\nbuild = 'fixed'";
    assert_eq!(pieces(list, ROW), ["a= (missing)", "b= (missing)", "c=fixed"]);
}

#[test]
fn conditions_of_pieces() {
    let list = "column = 'part_code'
[piece.a]
when = 'starts with \"GRP\"'
take = 'last 4'
[piece.b]
when = 'depot: one of \"Summit\", \"x: y\"'
take = 'first 3'
[piece.c]
when = '\"crew_id\": not contains \":\"'
build = '{a}!'";
    assert_eq!(pieces(list, ROW), ["a=S7K2", "b=GRP", "c=S7K2!"]);
    assert_eq!(pieces(list, ["HNG-1", "a:b", "Valley"]), ["a= (missing)", "b= (missing)", "c= (missing)"]);
}

#[test]
fn columns_rows_and_replacing() {
    let list = "column = 'part_code'\n[piece.part]\ntake = 'sections by \"-\"'\ncolumns = 4";
    assert_eq!(pieces(list, ROW), ["part_1=GRP", "part_2=00041273", "part_3=S7K2", "part_4="]);
    let names: Vec<_> = row("[piece.crew_id]\nof = 'crew_id'\ntake = 'first 4'\nreplace = true", ROW);
    assert_eq!(names[1], ("crew_id".to_owned(), "2019".to_owned(), "filled".to_owned()));
    assert_eq!(names.len(), 3);
    let list = "column = 'part_code'\n[piece.part]\ntake = 'sections by \"-\" or \"none\"'\nrows = true\n[piece.all]\ntake = 'numbers'\ncolumns = \"auto\"";
    let mut carving = bound(list).unwrap();
    let mut work = Workspace::default();
    carving.run(&|column: usize| ROW[column], &mut work);
    assert_eq!((carving.rows_piece(), work.count(0), carving.auto_pieces(), work.count(1)), (Some(0), 3, vec![1], 3));
    carving.set_columns(1, 3);
    assert_eq!(carving.out_columns(&header(), true).len(), 4);
}

#[test]
fn checks_are_counted() {
    let list = "column = 'part_code'
[piece.serial]
take = 'section 2 by \"-\"'
check = ['digits', 'length 8']
warn = ['not one of \"00000000\"']
[piece.grade]
take = 'section 3 by \"-\"'
check = ['required']
[piece.part]
take = 'sections by \"-\"'
columns = 2";
    let carving = bound(list).unwrap();
    let mut tallies = vec![Tally::default(); 3];
    let mut work = Workspace::default();
    for code in ["GRP-00041273-S7K2", "GRP-0004127O-S7K2", "GRP-00000000", "GRP"] {
        let value = |column: usize| if column == 0 { code } else { "" };
        carving.run(&value, &mut work);
        carving.count_row(&value, &work, &mut tallies);
    }
    // A missing serial passes what is asked of serials; a missing grade does not pass `required`.
    let counts: Vec<_> = tallies.iter().map(|tally| (tally.faulted, tally.warned, tally.missing)).collect();
    assert_eq!(counts, [(1, 1, 1), (2, 0, 2), (2, 0, 0)]);
}

#[test]
fn units_are_said_once() {
    let list = "unit = 'bytes'\ncolumn = 'depot'\n[piece.a]\ntake = 'length'";
    assert_eq!(pieces(list, ["", "", "Führung"]), ["a=8"]);
}

#[test]
fn what_is_refused_and_where() {
    let take = "[piece.a]\ntake = ";
    for (file, at_fault, message, mend) in [
        (
            "tittle = 'x'\n[piece.a]\ntake = 'whole'",
            "tittle",
            "there is no key `tittle`",
            "did you mean `title`? The keys here are title, column",
        ),
        ("[piece.a]\ntak = 'whole'", "tak", "there is no key `tak`", "did you mean `take`?"),
        ("[piece.a]\ntake = 'whole'\ncheck = 'digits'", "'digits'", "a list is expected here", "put it in brackets"),
        ("[piece.a]\ntake = whole", "whole", "", "a cut list is TOML"),
        ("[piece.a]\ntake = 7", "7", "invalid type: integer `7`, expected a string", "the kind that is expected"),
        ("unit = 'inches'\n[piece.a]\ntake = 'whole'", "'inches'", "unknown variant `inches`", ""),
        ("", "", "the cut list has no piece", "[piece.family]"),
        ("[piece.a]", "a", "the piece says neither `take` nor `build`", "take = 'first 3'"),
        ("[piece.a]\ntake = 'whole'\nbuild = 'x'", "'x'", "a piece is taken or built, not both", "keep one"),
        (&format!("{take}'chars 0 to 3'"), "0", "positions start at 1", "write `chars 1 to 3`"),
        (&format!("{take}\"before \\\"-\\\" then frist 2\""), "frist", "`frist` is no step", "did you mean `first`?"),
        (&format!("{take}'''\nwhole then\nuper'''"), "uper", "`uper` is no step", "did you mean `upper`?"),
        (&format!("{take}'match /a(b)/ group 2'\nof = 'depot'"), "2", "the regular expression has no group 2", "it has 1"),
        (&format!("{take}'whole'\nof = 'part_cod'"), "'part_cod'", "there is no column part_cod", "did you mean part_code?"),
        (&format!("{take}'whole'"), "a", "no column is named", "the columns are part_code, crew_id, depot"),
        (
            &format!("{take}'numbers'\nof = '#1'"),
            "numbers",
            "the phrase gives several results, and nothing says where they go",
            "`columns = 3`",
        ),
        (&format!("{take}'number'\nof = '#1'\ncolumns = 3"), "3", "the phrase gives a single result", "`numbers`"),
        (&format!("{take}'numbers'\nof = '#1'\ncolumns = 0"), "0", "this is no number of columns", "\"auto\""),
        (
            &format!("{take}'numbers'\nof = '#1'\ncolumns = \"all\""),
            "\"all\"",
            "this is no number of columns",
            "from 1 to 1000",
        ),
        (
            &format!("{take}'numbers'\nof = '#1'\ncolumns = 2\nrows = true"),
            "2",
            "results fill columns or rows, not both",
            "keep one",
        ),
        (&format!("{take}'whole'\nof = '#1'\nwhen = 'depot: one of'"), "", "a text in quotes is missing at the end", "write"),
        (
            &format!("{take}'whole'\nof = '#1'\nwhen = 'depott: required'"),
            "depott",
            "there is no column depott",
            "did you mean depot?",
        ),
        (&format!("{take}'whole'\nof = '#1'\ncheck = ['digit']"), "digit", "`digit` is no condition", "did you mean `digits`?"),
        (
            "[piece.a]\nbuild = '{b}'\n[piece.b]\nbuild = 'x{a}'",
            "{a}",
            "b is built of a, which is built of it in turn",
            "break the circle",
        ),
        ("[piece.a]\nbuild = '{a}'", "{a}", "a is built of a, which is built of it in turn", "break the circle"),
        ("[piece.a]\nbuild = '{depto}'", "{depto}", "there is no piece or column depto", "did you mean depot?"),
        ("[piece.a]\nbuild = '{depot'", "{depot", "a brace is not closed", "close it"),
        ("[piece.a]\nbuild = '{}'", "{}", "there is nothing between the braces", "{family}"),
        ("[piece.a]\nbuild = 'x'\nof = 'depot'", "'depot'", "a piece that is built comes from no column", "in braces"),
        (
            "[piece.a]\nbuild = 'x'\nwhen = 'digits'",
            "digits",
            "a piece that is built comes from no column, so the condition must name one",
            "COLUMN: CONDITION",
        ),
        (
            "[piece.depot]\nof = 'depot'\ntake = 'whole'",
            "depot",
            "the piece depot is called like a column of the table",
            "`replace = true`",
        ),
        (
            "[piece.site]\nof = 'depot'\ntake = 'whole'\nreplace = true",
            "site",
            "the piece site replaces no column: there is no column site",
            "leave `replace` out",
        ),
        (
            "[piece.a]\nof = '#1'\ntake = 'numbers'\nrows = true\n[piece.b]\nof = '#1'\ntake = 'runs'\nrows = true",
            "b",
            "a and b both ask for an output row a result",
            "let one of them",
        ),
        (
            "[piece.a]\nof = '#1'\ntake = 'numbers'\ncolumns = 2\n[piece.a_2]\nof = '#1'\ntake = 'whole'",
            "a_2",
            "two columns of the output would be called a_2",
            "otherwise",
        ),
        ("[piece.a]\ntake = 'whole'\n[piece.a]\ntake = 'whole'", "a", "duplicate key", "a cut list is TOML"),
    ] {
        let (found, said, offered) = bound(file).map(drop).expect_err(file);
        assert_eq!(found, at_fault, "{file}: {said}");
        assert!(said.starts_with(message), "{file}: {said}");
        assert!(offered.contains(mend), "{file}: {offered}");
    }
}

#[test]
fn the_schema_is_that_of_the_lists() {
    let schema: serde_json::Value = serde_json::from_str(&cutlist::schema()).unwrap();
    let validator = jsonschema::validator_for(&schema).unwrap();
    let is_valid = |file: &str| {
        let list: serde_json::Value = toml::from_str(file).unwrap();
        validator.is_valid(&list)
    };
    for list in ["parts", "crew", "references", "figures"] {
        let path = format!("{}/../cli/demo/{list}.cutlist.toml", env!("CARGO_MANIFEST_DIR"));
        assert!(is_valid(&std::fs::read_to_string(path).unwrap()), "{list}");
    }
    assert!(is_valid(
        "unit = 'bytes'\n[piece.a]\ntake = 'numbers'\ncolumns = \"auto\"\n[layout.x]\nform = ['<a>']\n[proof]\nx = '{a}'\n[rows]\nkeep = []"
    ));
    for wrong in [
        "tittle = ''",
        "[piece.a]\ntak = ''",
        "[piece.a]\ntake = ''\ncolumns = \"all\"",
        "[piece.a]\ntake = ''\ncolumns = 0",
        "unit = 'inches'",
    ] {
        assert!(!is_valid(wrong), "{wrong}");
    }
}
