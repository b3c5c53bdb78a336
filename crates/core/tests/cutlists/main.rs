//! Cut lists: parsing, errors with their places, and results for rows.
#![allow(clippy::unwrap_used, clippy::expect_used, clippy::panic, reason = "a test that cannot go on has failed")]

use std::sync::Arc;

use keen_notch_core::batch::{Batch, Column};
use keen_notch_core::carving::{BatchResults, BatchRows, Carving, Judged, Memory, OutColumn, TableRows, Totals};
use keen_notch_core::column::Header;
use keen_notch_core::cutlist::{self, CutList};
use keen_notch_core::phrase::ast::{ListSource, LookupSource};
use keen_notch_core::program::{Files, List, ListTexts, LookupTable, NoList, Setting};
use keen_notch_core::runner::Runner;
use keen_notch_core::text::unit::Unit;

const HEADER: [&str; 3] = ["part_code", "crew_id", "depot"];

fn header() -> Header {
    Header::Names(HEADER.map(String::from).to_vec())
}

/// A cut list bound to the columns of `HEADER`, or the wrong words with the message and the help.
fn bound(file: &str) -> Result<Carving, (String, String, String)> {
    let refused = |error: keen_notch_core::text_error::TextError| (file[error.span].to_owned(), error.message, error.help);
    let list = CutList::parse(file, 0).map_err(refused)?;
    let main = list.column.as_ref().map(|main| &main.column);
    Carving::new(&list.wanted, main, &setting(list.unit), &header()).map_err(|unbound| refused(unbound.error))
}

fn setting(unit: Unit) -> Setting<'static> {
    Setting { unit, today: &|| Some("2025-11-03".to_owned()), files: &Teams }
}

struct Teams;

impl Files for Teams {
    fn list(&self, source: &ListSource) -> Result<List, NoList> {
        match (source.file.as_str(), &source.column) {
            ("teams.csv", None) => {
                let header = source.has_header.then(|| "team".into());
                Ok(Arc::new(ListTexts { texts: ["RIG", "EL"].map(Box::from).into(), header }))
            }
            (file, _) => Err(NoList { reason: format!("{file} is not there"), help: "look for it".to_owned() }),
        }
    }

    fn lookup(&self, source: &LookupSource) -> Result<Arc<LookupTable>, NoList> {
        self.list(&source.keys)?;
        let mut table = LookupTable::of_file(source, Some("team"));
        [("RIG", "rigging"), ("EL", "electrics")].iter().for_each(|(key, result)| table.add(key, result).unwrap());
        Ok(Arc::new(table))
    }
}

/// A run: the kept rows with their results, and the counts.
struct Run {
    judged: Judged<TableRows<'static>>,
    totals: Totals,
}

impl Run {
    fn new(carving: &Carving, rows: &[[&str; 3]]) -> Run {
        let columns = (0..3).map(|column| Column::of(rows.iter().map(|row| row[column]))).collect();
        let rows = TableRows::new(rows.len() as u32, columns);
        let carved = carving.carve(rows, BatchResults::default()).map_err(|refused| refused.error).unwrap();
        let compared = carving.compare_one(carved, 0, &mut Memory::default()).unwrap();
        let mut totals = Totals::new(carving, carving.checks().len());
        Run { judged: carving.judge(compared, &mut totals), totals }
    }

    fn with<R>(&mut self, call: impl FnOnce(&Batch, &mut BatchResults) -> R) -> R {
        let (rows, results) = self.judged.parts();
        rows.with_batch(|batch| call(batch, results))
    }
}

fn row(file: &str, values: [&str; 3]) -> Vec<(String, String, String)> {
    let carving = bound(file).unwrap();
    let mut run = Run::new(&carving, &[values]);
    let cell = |column: OutColumn| {
        let title = carving.title(column, &header());
        match column {
            OutColumn::OfInput(_) | OutColumn::Faults | OutColumn::Compared | OutColumn::Reason => {
                unreachable!("nobody asked for it")
            }
            OutColumn::Original(index) => (title, values[index].to_owned(), "original".to_owned()),
            OutColumn::Piece { piece, result } => {
                let text = run.with(|batch, batch_results| {
                    let item = batch_results.piece(piece).items(0).nth(result);
                    item.map_or(String::new(), |item| carving.texts(piece, batch, batch_results).get(item).to_owned())
                });
                (title, text, run.judged.results().piece(piece).state(0).to_string())
            }
        }
    };
    carving.out_columns(&[0, 1, 2]).into_iter().map(cell).collect()
}

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
fn several_results_are_pieces_of_their_own() {
    let list = "column = 'part_code'
[piece.code]
take = 'sections by \"-\"'
columns = ['kind', 'serial', 'grade']
[piece.code.serial]
as = 'number'
check = 'length 8'
[piece.label]
build = '{grade}/{kind}'
[rows]
keep = 'kind: not one of \"BRK\"'
unique = ['kind', 'serial']";
    assert_eq!(pieces(list, ROW), ["kind=GRP", "serial=00041273", "grade=S7K2", "label=S7K2/GRP"]);
    assert_eq!(pieces(list, ["GRP--S7K2", "", ""]), ["kind=GRP", "serial= (missing)", "grade=S7K2", "label=S7K2/GRP"]);
    assert_eq!(pieces(list, ["GRP", "", ""]), ["kind=GRP", "serial= (missing)", "grade= (missing)", "label=/GRP (short)"]);
    assert_eq!(pieces(list, ["", "", ""]), ["kind= (blank)", "serial= (blank)", "grade= (blank)", "label= (blank)"]);
    let faults = |value: &str| {
        let found = faults(list, [value, "", ""]);
        found.into_iter().map(|(of, kind, detail)| format!("{of}: {kind}: {detail}")).collect::<Vec<_>>()
    };
    assert_eq!(
        faults("GRP-1-2-3"),
        ["code: too-many-results: 4 results for 3 columns", "serial: too-short: it has 1 character, not 8",]
    );
    assert_eq!(faults("GRP"), ["serial: missing: the phrase gives only 1 result, and no 2nd one"]);
    assert_eq!(faults("GRP--7"), ["serial: missing: the 2nd result is empty"]);
    // Made texts, a fallback, and the names of groups.
    let made =
        "column = 'part_code'\n[piece.a]\ntake = '''groups of /(?<fam>[A-Z]+)-(?<no>[0-9]+)?/ then prefix \"<\" or \"none\"'''";
    assert_eq!(pieces(made, ["GRP-7", "", ""]), ["fam=<GRP", "no=<7"]);
    assert_eq!(pieces(made, ["GRP-x", "", ""]), ["fam=<GRP", "no= (missing)"]);
    assert_eq!(pieces(made, ["7", "", ""]), ["fam=none (fallback)", "no= (missing)"]);
}

/// The faults of one row: the piece, the kind and the explanation of each.
fn faults(list: &str, values: [&str; 3]) -> Vec<(String, String, String)> {
    let mut runner = Runner::new(&CutList::parse(list, 0).unwrap(), header(), &setting(Unit::Characters)).unwrap();
    let output = runner.push(values.iter().map(|value| Column::of([*value])).collect()).unwrap();
    output.faults().map(|fault| (fault.of, fault.violation.kind.to_string(), fault.violation.detail)).collect()
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
    assert_eq!(pieces(list, ["HNG-1", "a:b", "Valley"]), ["a= (not asked)", "b= (not asked)", "c= (not asked)"]);
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
    let run = Run::new(&carving, &[ROW]);
    let count = |piece| run.judged.results().piece(piece).items(0).len();
    assert_eq!((carving.rows_piece(), count(0), carving.auto_pieces(), count(1)), (Some(0), 3, vec![1], 3));
    carving.set_columns(1, 3);
    assert_eq!(carving.out_columns(&[]).len(), 4);
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
    let faults = judged(
        &carving,
        &[["GRP-00041273-S7K2", "", ""], ["GRP-0004127O-S7K2", "", ""], ["GRP-00000000", "", ""], ["GRP", "", ""]],
    );
    assert_eq!(
        faults,
        [
            "1: part columns = 2: 3 results for 2 columns",
            "2: serial digits: character 8 is the letter O; a digit was expected",
            "2: part columns = 2: 3 results for 2 columns",
            "3: serial not one of \"00000000\" (warns): it is “00000000”",
            "3: grade required: `section 3 by \"-\"` has no match in “GRP-00000000”",
            "4: serial not missing: `section 2 by \"-\"` has no match in “GRP”",
            "4: grade required: `section 3 by \"-\"` has no match in “GRP”",
        ]
    );
}

/// The failures in some rows: row, target, check, detail. The tallies must agree.
fn judged(carving: &Carving, rows: &[[&str; 3]]) -> Vec<String> {
    let checks = carving.checks();
    let (mut faulted, mut warned, mut said) = (0, 0, Vec::new());
    let mut run = Run::new(carving, rows);
    let kept = run.judged.rows().numbers().to_vec();
    run.with(|batch, batch_results| {
        for failure in batch_results.failures_by_row().to_vec() {
            let fault = carving.fault(failure, batch, batch_results, &|row| format!("row {row}"));
            let check = &checks[fault.check];
            let warns = if check.only_warns { " (warns)" } else { "" };
            let row = kept[failure.row as usize];
            said.push(format!("{row}: {} {}{warns}: {}", check.of, check.words, fault.violation.detail));
            *if check.only_warns { &mut warned } else { &mut faulted } += u64::from(check.piece.is_some());
        }
    });
    let counted = run.totals.pieces.iter().fold((0, 0), |(f, w), tally| (f + tally.faulted, w + tally.warned));
    assert!(counted.0 <= faulted && counted.1 <= warned && (counted.0 > 0) == (faulted > 0) && (counted.1 > 0) == (warned > 0));
    said
}

/// The table of the design about checks on absent pieces.
#[test]
fn checks_on_missing_pieces() {
    let list = |more: &str| {
        format!(
            "column = 'part_code'\n[piece.a]\ntake = 'plain number like \"1,234.5\"'\nwhen = 'depot: not one of \"no\"'\n{more}"
        )
    };
    let rows = [["1,250", "", ""], [" ", "", ""], ["n/a", "", ""], ["42x", "", ""], ["1.234,56", "", ""], ["n/a", "", "no"]];
    let nothing = |row: u64, check: &str, text: &str| {
        format!("{row}: a {check}: “{text}” is not a number that `plain number like \"1,234.5\"` can read")
    };
    let missing = |check: &str| [nothing(3, check, "n/a"), nothing(4, check, "42x"), nothing(5, check, "1.234,56")].to_vec();
    let with_blank = [vec!["2: a required: the value is blank".to_owned()], missing("required")].concat();
    for (more, expected) in [
        ("check = 'range 0 to 2000000'", missing("not missing")),
        ("check = ['required', 'range 0 to 2000000']", with_blank),
        ("check = 'range 0 to 2000000'\noptional = true", vec![]),
        ("check = 'blank'", vec!["1: a blank: it is not blank".to_owned()]),
        ("check = 'not blank'", [vec!["2: a not blank: the value is blank".to_owned()], missing("not blank")].concat()),
        ("check = 'not required'", vec!["1: a not required: it is present".to_owned()]),
        // A warning about absence leaves it a fault.
        ("check = 'range 0 to 2000000'\nwarn = 'blank'", {
            [vec!["1: a blank (warns): it is not blank".to_owned()], missing("not missing")].concat()
        }),
        ("warn = 'range 0 to 2000000'", missing("not missing (warns)")),
        ("", vec![]),
    ] {
        assert_eq!(judged(&bound(&list(more)).unwrap(), &rows), expected, "{more}");
    }
    let carving = bound(&list("check = 'digits'\n[piece.b]\nbuild = '{a}{crew_id}'\nhidden = true\ncheck = 'digits'")).unwrap();
    assert_eq!(carving.out_columns(&[]).len(), 1, "b is hidden");
    let run = Run::new(&carving, &rows);
    let states = |piece: usize| (0..6).map(|row| run.judged.results().piece(piece).state(row).to_string()).collect::<Vec<_>>();
    assert_eq!(states(0), ["filled", "blank", "missing", "missing", "missing", "not asked"]);
    assert_eq!(states(1), ["short", "blank", "missing", "missing", "missing", "blank"]);
    let of_others =
        bound("column = 'part_code'\n[piece.a]\ntake = 'after \"-\" then upper or after \"/\"'\ncheck = 'letters'").unwrap();
    assert_eq!(
        judged(&of_others, &[["x", "", ""]]),
        ["1: a not missing: `after \"-\"` has no match in “x”; the branch after `or` has no match either"]
    );
    let of_dates = "column = 'part_code'\n[piece.a]\ntake = 'date \"%d.%m.%Y\" or date \"%Y-%m-%d\" or date \"%Y%m%d\"'\ncheck = 'required'";
    assert_eq!(
        judged(&bound(of_dates).unwrap(), &[["31.2.2026", "", ""]]),
        [
            "1: a required: “31.2.2026” is not a date that `date \"%d.%m.%Y\"`, `date \"%Y-%m-%d\"` or `date \"%Y%m%d\"` can read"
        ]
    );
}

/// White space is blank for every check and for the number of checked values.
#[test]
fn white_space_is_blank() {
    let rows = [[" \t", "", ""], ["\u{3000}", "", ""], ["7", "", ""]];
    for (check, faults, checked) in [
        ("digits", vec![], 1),
        ("length 1", vec![], 1),
        ("not one of \"x\"", vec![], 1),
        ("unique", vec![], 1),
        ("same as crew_id", vec!["3: a same as crew_id: crew_id has \"\""], 1),
        ("required", vec!["1: a required: it has only white space", "2: a required: it has only white space"], 3),
        ("not blank", vec!["1: a not blank: it is blank", "2: a not blank: it is blank"], 3),
        ("blank", vec!["3: a blank: it is not blank"], 3),
    ] {
        let carving = bound(&format!("column = 'part_code'\n[piece.a]\ntake = 'whole'\ncheck = '{check}'")).unwrap();
        assert_eq!(judged(&carving, &rows), faults, "{check}");
        assert_eq!(Run::new(&carving, &rows).totals.checked[0], checked, "{check}");
    }
    let typed = bound("column = 'part_code'\n[piece.a]\ntake = 'whole'\nas = 'number'").unwrap();
    assert!(judged(&typed, &rows).is_empty());
}

#[test]
fn checks_on_other_columns_and_rows() {
    let list = "column = 'crew_id'
[piece.no]
take = 'section 2 by \"-\"'
check = ['unique', 'not same as depot']
[piece.team]
take = 'section 3 by \"-\"'
check = ['listed in \"teams.csv\"', 'same as \"depot\"']
[rows]
unique = ['team', 'part_code']";
    let rows = [["a", "2019-1-RIG", "RIG"], ["a", "2020-1-RIG", "1"], ["b", "2021-2-OPS", "OPS"], ["c", "x", "y"]];
    assert_eq!(
        judged(&bound(list).unwrap(), &rows),
        [
            "2: no unique: row 1 has it too",
            "2: no not same as depot: it is the same as depot",
            "2: team same as \"depot\": depot has \"1\"",
            "2: rows unique: team + part_code: row 1 has the same values together",
            "3: team listed in \"teams.csv\": it is not listed in teams.csv",
            "4: no not missing: `section 2 by \"-\"` has no match in “x”",
            "4: team not missing: `section 3 by \"-\"` has no match in “x”",
        ]
    );
}

#[test]
fn results_seen_before_where_rows_are_left_out() {
    let list = "column = 'part_code'
[piece.each]
take = 'runs of digits'
columns = 2
check = ['unique']
[rows]
keep = ['depot: not one of \"out\"', 'part_code: unique']";
    let rows = [["1-2", "", "out"], ["3-4", "", ""], ["3-4", "", ""], ["5-6", "", ""], ["7-3", "", ""]];
    // Rows 1 and 3 are left out: the text of row 1 is not remembered, and row 5 repeats only its second number.
    assert_eq!(judged(&bound(list).unwrap(), &rows), ["5: each unique: row 2 has it too"]);
}

#[test]
fn details_of_violations() {
    for (check, value, kind, detail, at) in [
        ("length 8", "1234567", "too-short", "it has 7 characters, not 8", None),
        ("length 8", "1", "too-short", "it has 1 character, not 8", None),
        ("length 2 to 3", "1234", "too-long", "it has 4 characters, not 2 to 3", None),
        ("blank", "x", "not-blank", "it is not blank", None),
        ("digits", "12 4", "wrong-character", "character 3 is a space; a digit was expected", Some(3)),
        (
            "uppercase and digits",
            "A\u{2013}",
            "wrong-character",
            "character 2 is en dash (U+2013); an upper-case letter or a digit was expected",
            Some(2),
        ),
        ("fits /[A-Z]+/", "x", "does-not-fit", "it does not fit the regular expression /[A-Z]+/", None),
        ("starts with \"G\"", "x", "wrong-end", "it does not start with “G”", None),
        ("contains \"-\"", "x", "lacks", "it does not contain “-”", None),
        ("one of \"RIG\", \"OPS\"", "RIGS", "not-listed", "it is not an allowed value; did you mean RIG?", None),
        ("range 1 to 9", "x", "not-a-number", "it is not a number", None),
        ("range 1 to 9", "10", "out-of-range", "it is not a number from 1 to 9", None),
        ("date \"%Y\u{2d}%m-%d\"", "2025-13-01", "not-a-date", "it is not a date written as “%Y-%m-%d”", None),
        ("email", "a..b@c.example", "not-an-email", "it has two dots in a row", Some(2)),
        ("check digit luhn", "79927398710", "wrong-check-digit", "its check digit is not correct", None),
        ("not digits", "12", "not-allowed", "it consists of digits only", None),
    ] {
        let condition = keen_notch_core::phrase::ast::Condition::parse(check).unwrap();
        let plan = keen_notch_core::program::ConditionPlan::new(&condition, &setting(Unit::Characters)).unwrap();
        assert!(!plan.holds(value), "{check} {value}");
        let violation = plan.violation(value);
        assert_eq!((violation.kind.word(), violation.detail.as_str(), violation.at), (kind, detail, at), "{check} {value}");
    }
}

#[test]
fn layouts_and_proofs() {
    let list = "column = 'part_code'
[layout.part_code]
form = ['<family 3 uppercase>-<serial 8 digits>-<grade 4>', '<family 2 uppercase><serial 6 digits>']
[proof]
part_code = '{family}-{serial}-{grade}'
[piece.label]
build = '{family}/{grade}'";
    assert_eq!(pieces(list, ROW), ["family=GRP", "serial=00041273", "grade=S7K2", "label=GRP/S7K2"]);
    assert_eq!(pieces(list, ["HN004127", "", ""]), ["family=HN", "serial=004127", "grade= (missing)", "label=HN/ (short)"]);
    let rows = [ROW, ["HN004127", "", ""], ["GRP-0004127O-S7K2", "", ""]];
    assert_eq!(
        judged(&bound(list).unwrap(), &rows),
        [
            "2: proof {family}-{serial}-{grade}: the pieces give \"HN-004127-\" instead",
            "3: layout <family 3 uppercase>-<serial 8 digits>-<grade 4> or <family 2 uppercase><serial 6 digits>: \
             form 1 is nearest: character 12 is the letter O; a digit of serial was expected",
            "3: proof {family}-{serial}-{grade}: its pieces are missing, so it cannot be rebuilt",
        ]
    );
}

#[test]
fn rows_that_are_kept() {
    let list =
        "column = 'part_code'\n[piece.family]\ntake = 'first 3'\n[rows]\nkeep = ['family: one of \"GRP\"', 'depot: not blank']";
    let carving = bound(list).unwrap();
    let run = Run::new(&carving, &[ROW, ["HNG-1", "", "x"], ["GRP-1", "", ""]]);
    assert_eq!(run.judged.rows().numbers(), [1]);
}

#[test]
fn conditions_on_other_columns_and_rows_before() {
    let list = "column = 'part_code'
[piece.a]
when = 'same as crew_id'
take = 'first 1'
[piece.b]
when = 'crew_id: not same as depot'
take = 'first 1'
[rows]
keep = ['part_code: unique', 'depot: not same as part_code']";
    assert_eq!(pieces(list, ["x", "x", "y"]), ["a=x", "b=x"]);
    assert_eq!(pieces(list, ["x", "y", "y"]), ["a= (not asked)", "b= (not asked)"]);
    let carving = bound(list).unwrap();
    let rows = [["x", "", "y"], ["x", "", "z"], ["y", "", "y"], ["y", "", "z"], ["", "", "z"], ["", "", "z"]];
    // The second x is a duplicate; the first y belongs to another depot; blanks are never duplicates.
    assert_eq!(Run::new(&carving, &rows).judged.rows().numbers(), [1, 5, 6]);
}

#[test]
fn units_are_named_once() {
    let list = "unit = 'bytes'\ncolumn = 'depot'\n[piece.a]\ntake = 'length'";
    assert_eq!(pieces(list, ["", "", "Führung"]), ["a=8"]);
}

#[test]
fn errors_have_positions() {
    let take = "[piece.a]\ntake = ";
    for (file, at_fault, message, help) in [
        (
            "tittle = 'x'\n[piece.a]\ntake = 'whole'",
            "tittle",
            "unknown key `tittle`",
            "did you mean `title`? The keys here are title, column",
        ),
        ("[piece.a]\ntak = 'whole'", "tak", "unknown key `tak`", "did you mean `take`?"),
        ("[piece.a]\ntake = 'whole'\ncheck = 7", "7", "this is an integer, not a string or a list of strings", ""),
        ("[piece.a]\ntake = 'whole'\ncheck = 'digit'", "digit", "`digit` is not a condition", "did you mean `digits`?"),
        (
            "[piece.a]\ntake = 'whole'\ncheck = 'required'\noptional = true",
            "true",
            "a piece is `required` or optional, not both",
            "remove one",
        ),
        ("[piece.a]\ntake = whole", "whole", "", "a cut list is TOML"),
        ("[piece.a]\ntake = 7", "7", "this is an integer, not a string", "write the value in quotes"),
        ("unit = 'inches'\n[piece.a]\ntake = 'whole'", "'inches'", "unknown variant `inches`", ""),
        ("", "", "the cut list has no piece", "[piece.family]"),
        ("[piece.a]", "a", "the piece has neither `take` nor `build`", "take = 'first 3'"),
        ("[piece.a]\ntake = 'whole'\nbuild = 'x'", "'x'", "a piece has `take` or `build`, not both", "remove `"),
        (&format!("{take}'chars 0 to 3'"), "0", "positions start at 1", "write `chars 1 to 3`"),
        (&format!("{take}\"before \\\"-\\\" then frist 2\""), "frist", "`frist` is not a step", "did you mean `first`?"),
        (&format!("{take}'''\nwhole then\nuper'''"), "uper", "`uper` is not a step", "did you mean `upper`?"),
        (&format!("{take}'match /a(b)/ group 2'\nof = 'depot'"), "2", "the regular expression has no group 2", "it has 1"),
        (&format!("{take}'whole'\nof = 'part_cod'"), "'part_cod'", "no column part_cod", "did you mean part_code?"),
        (&format!("{take}'whole'"), "a", "no column is named", "the columns are part_code, crew_id, depot"),
        (
            &format!("{take}'numbers'\nof = '#1'"),
            "numbers",
            "the phrase gives several results, but has no place for them",
            "columns = [\"kind\", \"serial\"]`",
        ),
        (&format!("{take}'number'\nof = '#1'\ncolumns = 3"), "3", "the phrase gives a single result", "`numbers`"),
        (&format!("{take}'numbers'\nof = '#1'\ncolumns = 0"), "0", "this is not a number of columns", "\"auto\""),
        (
            &format!("{take}'numbers'\nof = '#1'\ncolumns = \"all\""),
            "\"all\"",
            "this is not a number of columns",
            "from 1 to 1000",
        ),
        (
            &format!("{take}'numbers'\nof = '#1'\ncolumns = 2\nrows = true"),
            "2",
            "results fill columns or rows, not both",
            "remove `",
        ),
        (&format!("{take}'whole'\nof = '#1'\nwhen = 'depot: one of'"), "", "a text in quotes is missing at the end", "write"),
        (&format!("{take}'whole'\nof = '#1'\nwhen = 'depott: required'"), "depott", "no column depott", "did you mean depot?"),
        (
            &format!("{take}'whole'\nof = '#1'\ncheck = ['digit']"),
            "digit",
            "`digit` is not a condition",
            "did you mean `digits`?",
        ),
        (
            "[piece.a]\nbuild = '{b}'\n[piece.b]\nbuild = 'x{a}'",
            "{a}",
            "b is built from a, which is built from it",
            "break the circle",
        ),
        ("[piece.a]\nbuild = '{a}'", "{a}", "a is built from a, which is built from it", "break the circle"),
        ("[piece.a]\ntake = 'whole'\ncolumns = ['x', 'y']", "['x', 'y']", "the phrase gives a single result", "`numbers`"),
        ("[piece.a]\ntake = 'numbers'\ncolumns = ['x', 7]", "['x', 7]", "a name of a column is a string", "columns = ["),
        ("[piece.a]\ntake = 'numbers'\ncolumns = []", "[]", "this is not a number of columns", "names such as"),
        ("[piece.a]\ntake = 'numbers'\ncolumns = ['x', 'x']", "['x', 'x']", "two pieces have the name x", "a name of its own"),
        (
            "[piece.a]\ntake = 'numbers'\ncolumns = ['x', 'y']\n[piece.a.other]\ncheck = 'digits'",
            "other",
            "a has no column other",
            "its columns are x, y",
        ),
        ("[piece.a]\ntake = 'numbers'\n[piece.a.z]\ncheck = 'digits'", "z", "a has no column z", "columns = [\"z\"]"),
        (
            "[piece.a]\ntake = 'numbers'\ncolumns = ['x', 'y']\n[piece.a.x]\ntake = 'first 1'",
            "'first 1'",
            "this key is for the whole piece",
            "[piece.a]",
        ),
        (
            "[piece.a]\ntake = 'numbers'\ncolumns = ['x', 'y']\n[piece.a.x]\ncheck = 'digit'",
            "digit",
            "`digit` is not a condition",
            "digits",
        ),
        (
            "[piece.a]\ntake = 'numbers'\ncolumns = ['x', 'y']\n[piece.a.x]\nchek = 'digits'",
            "chek",
            "unknown key `chek`",
            "did you mean `check`?",
        ),
        ("[piece.a]\nbuild = '{depto}'", "{depto}", "no piece or column depto", "did you mean depot?"),
        ("[piece.a]\nbuild = '{depot'", "{depot", "a brace is not closed", "close it"),
        ("[piece.a]\nbuild = '{}'", "{}", "the braces are empty", "{family}"),
        ("[piece.a]\nbuild = 'x'\nof = 'depot'", "'depot'", "a piece with `build` has no source column", "in braces"),
        (
            "[piece.a]\nbuild = 'x'\nwhen = 'digits'",
            "digits",
            "a piece with `build` has no source column, so the condition must name one",
            "COLUMN: CONDITION",
        ),
        (
            "[piece.depot]\nof = 'depot'\ntake = 'whole'",
            "depot",
            "the piece depot has the name of a column of the table",
            "`replace = true`",
        ),
        (
            "[piece.site]\nof = 'depot'\ntake = 'whole'\nreplace = true",
            "site",
            "the piece site replaces no column: no column site",
            "remove `replace`",
        ),
        (
            "[piece.a]\nof = '#1'\ntake = 'numbers'\nrows = true\n[piece.b]\nof = '#1'\ntake = 'runs'\nrows = true",
            "b",
            "a and b both want an output row for each result",
            "keep it in one of them",
        ),
        (
            "[piece.a]\nof = '#1'\ntake = 'numbers'\ncolumns = 2\n[piece.a_2]\nof = '#1'\ntake = 'whole'",
            "a_2",
            "two columns of the output would have the name a_2",
            "use another name",
        ),
        ("[layout.part_code]\nform = ['<a 3 digit>']", "digit", "a class such as `digits` was expected", "write"),
        ("[layout.part_code]\nform = []", "part_code", "the layout has no form", "add one"),
        ("[layout.part_cod]\nform = ['<a>']", "part_cod", "no column part_cod", "did you mean part_code?"),
        (
            "[layout.part_code]\nform = ['<depot>']",
            "part_code",
            "the piece depot has the name of a column of the table",
            "use another name",
        ),
        ("[piece.a]\nbuild = 'x'\n[proof]\npart_code = '{b}'", "{b}", "no piece or column b", ""),
        (
            "[piece.a]\nbuild = 'x'\n[rows]\nkeep = ['required']",
            "required",
            "the condition names no column or piece",
            "COLUMN: CONDITION",
        ),
        ("[piece.a]\nbuild = 'x'\n[rows]\nkeep = ['site: required']", "site", "no piece or column site", "the columns are"),
        ("[piece.a]\nbuild = 'x'\n[rows]\nunique = ['depott']", "'depott'", "no piece or column depott", "did you mean depot?"),
        (
            "[piece.a]\nbuild = 'x'\ncheck = ['same as depott']",
            "'same as depott'",
            "no piece or column depott",
            "did you mean depot?",
        ),
        (
            "[piece.a]\nbuild = 'x'\ncheck = ['listed in \"x.csv\"']",
            "'listed in \"x.csv\"'",
            "x.csv is not there",
            "look for it",
        ),
        (
            &format!("{take}'whole'\nof = '#1'\ncheck = ['length 2 to 3', 'digits', 'length 4 to']"),
            "'length 4 to'",
            "no text can have both lengths",
            "length 2 to 3",
        ),
        ("[piece.a]\ntake = 'whole'\n[piece.a]\ntake = 'whole'", "a", "duplicate key", "a cut list is TOML"),
    ] {
        let (found, said, offered) = bound(file).map(drop).expect_err(file);
        assert_eq!(found, at_fault, "{file}: {said}");
        assert!(said.starts_with(message), "{file}: {said}");
        assert!(offered.contains(help), "{file}: {offered}");
    }
}

#[test]
fn the_schema_has_the_keys_and_values_of_cut_lists() {
    let schema: serde_json::Value = serde_json::from_str(cutlist::schema()).unwrap();
    let of_table = |table: &str| if table.is_empty() { &schema } else { &schema["$defs"][table] };
    for (table, list) in [
        ("", "zzz = 1"),
        ("piece", "[piece.a]\nzzz = 1"),
        ("layout", "[layout.a]\nzzz = 1"),
        ("rows", "[rows]\nzzz = 1"),
        ("reading", "[reading]\nzzz = 1"),
        ("writing", "[writing]\nzzz = 1"),
    ] {
        let help = CutList::parse(list, 0).unwrap_err().help;
        let mut keys: Vec<&str> = help.split("eys here are ").nth(1).unwrap_or_else(|| panic!("{help}")).split(", ").collect();
        keys.sort_unstable();
        let mut known: Vec<&str> = of_table(table)["properties"].as_object().unwrap().keys().map(String::as_str).collect();
        known.sort_unstable();
        assert_eq!(keys, known, "{table}");
        // The other keys of a piece are its columns.
        let others = &of_table(table)["additionalProperties"];
        assert!(if table == "piece" { others["$ref"] == "#/$defs/part" } else { others == false }, "{table}");
    }
    for key in schema["$defs"]["part"]["properties"].as_object().unwrap().keys() {
        let value = match key.as_str() {
            "check" | "warn" => "'digits'",
            "as" => "'number'",
            _ => "true",
        };
        let list = format!("[piece.a]\ntake = 'numbers'\ncolumns = ['x', 'y']\n[piece.a.y]\n{key} = {value}\n");
        assert!(CutList::parse(&list, 0).is_ok(), "{list}");
    }
    let piece = "[piece.a]\ntake = 'numbers'\n";
    for key in of_table("piece")["properties"].as_object().unwrap().keys() {
        let error = CutList::parse(&format!("{piece}[piece.a.{key}]\n"), 0).unwrap_err();
        assert!(!error.message.contains("no column"), "{key} is a key of the piece: {}", error.message);
    }
    for (table, key, rest) in [("", "unit", piece), ("reading", "ragged", ""), ("piece", "as", "take = 'first 1'\n")] {
        for value in of_table(table)["properties"][key]["enum"].as_array().unwrap() {
            let list = match table {
                "" => format!("{key} = {value}\n{rest}"),
                "piece" => format!("[piece.a]\n{key} = {value}\n{rest}"),
                _ => format!("{piece}[{table}]\n{key} = {value}\n"),
            };
            assert!(CutList::parse(&list, 0).is_ok(), "{list}");
        }
    }
    let most = of_table("piece")["properties"]["columns"]["anyOf"][0]["maximum"].as_u64().unwrap();
    assert!(CutList::parse(&format!("{piece}columns = {most}"), 0).is_ok());
    assert!(CutList::parse(&format!("{piece}columns = {}", most + 1), 0).is_err());
}
