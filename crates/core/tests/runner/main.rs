//! The library's usual way in.
#![allow(clippy::unwrap_used, clippy::expect_used, clippy::panic, reason = "a test that cannot go on has failed")]

#[allow(dead_code, reason = "a test does not call `main`")]
#[path = "../../examples/embed.rs"]
mod embed;

use insta::assert_snapshot;
use keen_notch_core::batch::Column;
use keen_notch_core::column::Header;
use keen_notch_core::cutlist::CutList;
use keen_notch_core::phrase::ast::ListSource;
use keen_notch_core::program::{Files, List, ListTexts, NoList, Setting};
use keen_notch_core::runner::{PushError, Runner};
use keen_notch_core::summary::Apart;
use keen_notch_core::text::unit::Unit;

fn runner() -> Runner {
    let list = "column = 'code'\n[piece.no]\ntake = 'numbers'\ncolumns = 2\ncheck = 'digits'\n[rows]\nkeep = 'code: unique'\n";
    CutList::parse(list, 0).unwrap().bind(&["code", "depot"]).unwrap()
}

fn columns(codes: &[&str], depots: &[&str]) -> Vec<Column<'static>> {
    vec![Column::of(codes.iter().copied()), Column::of(depots.iter().copied())]
}

#[test]
fn the_example() {
    let mut out = Vec::new();
    embed::run(&mut out).unwrap();
    assert_snapshot!(String::from_utf8(out).unwrap(), @r#"
    row 1: GRP-00041273-S7K2 gives Some("00041273")
    row 2: HNG-0076025l-N9P4 gives Some("0076025l")
    row 2: digits of serial: character 8 is the letter l; a digit was expected
    row 4: BRK gives None
    row 5: GRP-00041273-S7K2 gives Some("00041273")
    row 6: TWR-00051007-C4D8 gives Some("00051007")
    row 4: not missing of serial: `section 2 by "-"` has no match in “BRK”
    row 5: unique of serial: row 1 has it too
    6 rows, 1 left out, 3 with faults
    "#);
}

#[test]
fn refused_batches_change_nothing() {
    let mut runner = runner();
    assert!(matches!(runner.push(vec![Column::of(["1"])]), Err(PushError::Columns { expected: 2, found: 1 })));
    let refused = runner.push(columns(&["1", "2"], &["East"])).unwrap_err();
    assert_eq!(refused.to_string(), "the columns of the batch have different numbers of values");
    let output = runner.push(columns(&["1", "2"], &["East", "West"])).unwrap();
    assert_eq!(output.rows(), [1, 2]);
    assert_eq!(runner.finish().rows.read, 2);
}

#[test]
fn batches_carved_elsewhere_give_the_same_run() {
    let batches: Vec<Vec<String>> =
        (0..40).map(|batch| (0..batch).map(|row| format!("c{}", batch * row % 50)).collect()).collect();
    let columns =
        |codes: &Vec<String>| vec![Column::of(codes.iter().map(String::as_str)), Column::of(codes.iter().map(|_| "East"))];
    let (mut alone, mut threads) = (runner(), runner());
    let carved: Vec<_> = std::thread::scope(|scope| {
        let begun: Vec<_> = batches
            .iter()
            .map(|codes| {
                let carver = threads.carver();
                scope.spawn(move || carver.carve(columns(codes), 0))
            })
            .collect();
        begun.into_iter().map(|thread| thread.join().unwrap().unwrap()).collect()
    });
    for (codes, carved) in batches.iter().zip(carved) {
        let expected = alone.push(columns(codes)).unwrap();
        let output = threads.take(carved).unwrap();
        assert_eq!(output.rows(), expected.rows());
    }
    let summary = alone.finish();
    assert_eq!((summary.rows.kept, summary.rows.read), (50, 780));
    assert_eq!(threads.finish(), summary);
}

#[test]
fn a_batch_of_another_runner_is_refused() {
    let mut runner = runner();
    let foreign = CutList::parse("[piece.a]\ntake = 'whole'\n", 0).unwrap().bind(&["x"]).unwrap();
    let batch = foreign.carver().carve(vec![Column::of(["1"])], 0).unwrap();
    assert!(matches!(runner.take(batch), Err(PushError::OtherRunner)));
    assert_eq!(runner.finish().rows.read, 0);
}

#[test]
fn row_numbers_count_all_batches_and_the_rows_left_out() {
    let list = "[piece.no]\ntake = 'row number'\n[rows]\nkeep = 'code: not blank'\n";
    let mut runner = CutList::parse(list, 0).unwrap().bind(&["code"]).unwrap();
    let no = runner.piece("no").unwrap();
    runner.push(vec![Column::of(["a", "b"])]).unwrap();
    let output = runner.push(vec![Column::of(["", "c"])]).unwrap();
    assert_eq!(output.text(no, 0), Some("4"));
    let carver = runner.carver();
    let refused = runner.take(carver.carve(vec![Column::of(["d"])], 3).unwrap()).unwrap_err();
    assert_eq!(refused.to_string(), "the batch was carved after 3 rows, and comes after 4");
    let output = runner.take(carver.carve(vec![Column::of(["d"])], 4).unwrap()).unwrap();
    assert_eq!(output.text(no, 0), Some("5"));
}

#[test]
fn rows_and_pieces_that_do_not_exist_are_empty() {
    let mut runner = runner();
    assert!(runner.piece("serial").is_none());
    let no = runner.piece("no").unwrap();
    let other = CutList::parse("[piece.a]\ntake = 'whole'\n[piece.b]\ntake = 'whole'\n", 0).unwrap().bind(&["x"]).unwrap();
    let foreign = other.piece("b").unwrap();
    let output = runner.push(columns(&["a1b2c3", "", "a1b2c3"], &["", "", ""])).unwrap();
    assert_eq!(output.rows(), [1, 2], "the third row repeats the first");
    assert_eq!(output.texts(no, 0).collect::<Vec<_>>(), ["1", "2", "3"]);
    assert_eq!((output.text(no, 1), output.text(no, 2), output.text(foreign, 0)), (None, None, None));
    assert_eq!((output.state(no, 9), output.state(foreign, 0), output.value(7, 0), output.value(0, 9)), (None, None, "", ""));
    assert!(output.is_faulty(0) && !output.is_faulty(1) && !output.is_faulty(9));
    let faults: Vec<_> = output.faults().map(|fault| (fault.row, fault.condition, fault.violation.detail)).collect();
    assert_eq!(faults, [(1, "columns = 2".to_owned(), "3 results for 2 columns".to_owned())]);
}

#[test]
fn summaries_of_parts_merge() {
    let list = CutList::parse("[piece.no]\nof = 'code'\ntake = 'after \"-\"'\ncheck = 'digits'\n", 0).unwrap();
    let run = |codes: &[&[&str]]| {
        let mut runner = list.bind(&["code"]).unwrap().with_name("codes");
        for codes in codes {
            runner.push(vec![Column::of(codes.iter().copied())]).unwrap();
        }
        runner.finish()
    };
    let whole = run(&[&["a-1", "a-x"], &["b", "c-7"]]);
    let (mut first, second) = (run(&[&["a-1", "a-x"]]), run(&[&["b"], &["c-7"]]));
    first.append(second).unwrap();
    assert_eq!(first, whole);
    assert_eq!((whole.checks[0].rows, whole.checks[0].first_rows[0].row), (1, 2));
}

struct Depots(List);

impl Files for Depots {
    fn list(&self, _source: &ListSource) -> Result<List, NoList> {
        Ok(List::clone(&self.0))
    }
}

#[test]
fn parts_with_different_lists_do_not_merge() {
    let list =
        CutList::parse("[piece.no]\nof = 'depot'\ntake = 'whole'\ncheck = 'listed in \"depots.csv\" column \"name\"'\n", 0)
            .unwrap();
    let run = |depot: &str| {
        let depots = Depots(List::new(ListTexts { texts: [depot.into()].into(), header: None }));
        let mut runner = Runner::new(
            &list,
            Header::Names(vec!["depot".to_owned()]),
            &Setting { files: &depots, ..Setting::new(Unit::Characters) },
        )
        .unwrap();
        runner.push(vec![Column::of(["East"])]).unwrap();
        runner.finish()
    };
    let mut first = run("East");
    assert_eq!((first.listed[0].file.as_str(), first.listed[0].values, first.rows.with_faults), ("name of depots.csv", 1, 0));
    assert_eq!(first.append(run("West")), Err(Apart::Listed("name of depots.csv".to_owned())));
    assert_eq!(first.append(run("East")), Ok(()));
    assert_eq!(first.rows.read, 2);
}
