//! Record batches in and out.
#![allow(clippy::unwrap_used, clippy::expect_used, clippy::panic, reason = "a test that cannot go on has failed")]

use std::sync::Arc;

use arrow_array::cast::AsArray;
use arrow_array::types::{Date32Type, Float64Type, Int32Type};
use arrow_array::{
    Array, ArrayRef, DictionaryArray, Int64Array, LargeStringArray, NullArray, RecordBatch, StringArray, StringViewArray,
};
use keen_notch_core::arrow::ArrowPushError;
use keen_notch_core::batch::Column;
use keen_notch_core::cutlist::CutList;
use keen_notch_core::runner::{PushError, Runner};

const CODES: [Option<&str>; 5] = [Some("GRP-1-é"), None, Some("HNG-22"), Some("BRK"), Some("GRP-1-x")];

fn arrays() -> Vec<ArrayRef> {
    let dictionary: DictionaryArray<Int32Type> = CODES.into_iter().collect();
    // A slice starts within its buffer.
    let longer = StringArray::from([&[Some("before")], &CODES[..], &[None]].concat());
    vec![
        Arc::new(StringArray::from(CODES.to_vec())),
        Arc::new(LargeStringArray::from(CODES.to_vec())),
        Arc::new(StringViewArray::from(CODES.to_vec())),
        Arc::new(dictionary),
        Arc::new(longer.slice(1, CODES.len())),
    ]
}

fn runner(list: &str) -> Runner {
    CutList::parse(list, 0).unwrap().bind(&["code", "no"]).unwrap()
}

fn batch(codes: ArrayRef) -> RecordBatch {
    let rows = codes.len() as i64;
    let numbers: ArrayRef = Arc::new((1..=rows).collect::<Int64Array>());
    RecordBatch::try_from_iter_with_nullable([("code", codes, true), ("no", numbers, true)]).unwrap()
}

fn texts(array: &ArrayRef) -> Vec<Option<&str>> {
    array.as_string::<i32>().iter().collect()
}

#[test]
fn every_kind_of_text_gives_what_plain_columns_give() {
    let list = "[piece.serial]\nof = 'code'\ntake = 'section 2 by \"-\"'\ncheck = ['digits', 'unique']\n";
    let mut plain = runner(list);
    let codes = Column::of(CODES.map(Option::unwrap_or_default));
    let expected: Vec<_> = plain.push(vec![codes, Column::of([""; 5])]).unwrap().faults().collect();
    let summary = plain.finish();
    for codes in arrays() {
        let batch = batch(codes);
        let mut runner = runner(list);
        let (carved, output) = runner.push_record_batch(&batch).unwrap();
        assert_eq!(output.faults().collect::<Vec<_>>(), expected, "{:?}", batch.schema());
        assert_eq!(texts(carved.column(2)), [Some("1"), None, Some("22"), None, Some("1")]);
        for (index, original) in batch.columns().iter().enumerate() {
            assert!(Arc::ptr_eq(original, carved.column(index)), "the column is shared");
        }
        assert_eq!(runner.finish(), summary);
    }
}

#[test]
fn rows_that_are_left_out_or_repeated() {
    let list =
        "[piece.part]\nof = 'code'\ntake = 'sections by \"-\"'\nrows = true\n[rows]\nkeep = 'code: not starts with \"HNG\"'\n";
    for codes in arrays() {
        let batch = batch(codes);
        let mut runner = runner(list);
        let (carved, output) = runner.push_record_batch(&batch).unwrap();
        assert_eq!(output.rows(), [1, 2, 4, 5]);
        let numbers: Vec<i64> = carved.column(1).as_primitive::<arrow_array::types::Int64Type>().values().to_vec();
        assert_eq!(numbers, [1, 1, 1, 2, 4, 5, 5, 5]);
        let parts = [Some("GRP"), Some("1"), Some("é"), None, Some("BRK"), Some("GRP"), Some("1"), Some("x")];
        assert_eq!(texts(carved.column(2)), parts);
        assert_eq!(runner.finish().rows.written, 8);
    }
}

#[test]
fn typed_and_replacing_pieces() {
    let list = "[piece.number]\nof = 'code'\ntake = 'before \";\"'\nas = 'number'\n\
        [piece.day]\nof = 'code'\ntake = 'section 2 by \";\"'\nas = 'date'\n\
        [piece.on]\nof = 'code'\ntake = 'section 3 by \";\"'\nas = 'true or false'\n\
        [piece.code]\nof = 'code'\ntake = 'first 2'\nreplace = true\n";
    let codes: ArrayRef = Arc::new(StringArray::from(vec!["07.50;1970-01-03;true", "x;2025-02-30;maybe", ""]));
    let (carved, _) = {
        let batch = batch(codes);
        let mut runner = runner(list);
        let (carved, output) = runner.push_record_batch(&batch).unwrap();
        (carved, output.faults().count())
    };
    let names: Vec<_> = carved.schema().fields().iter().map(|field| field.name().clone()).collect();
    assert_eq!(names, ["code", "no", "number", "day", "on"]);
    assert_eq!(texts(carved.column(0)), [Some("07"), Some("x;"), None]);
    assert_eq!(carved.column(2).as_primitive::<Float64Type>().iter().collect::<Vec<_>>(), [Some(7.5), None, None]);
    assert_eq!(carved.column(3).as_primitive::<Date32Type>().iter().collect::<Vec<_>>(), [Some(2), None, None]);
    assert_eq!(carved.column(4).as_boolean().iter().collect::<Vec<_>>(), [Some(true), None, None]);
}

#[test]
fn other_batches_are_refused_with_what_differs() {
    let list = "[piece.a]\nof = 'no'\ntake = 'whole'\n";
    let mut runner = runner(list);
    let of_numbers = batch(Arc::new(StringArray::from(CODES.to_vec())));
    let refused = runner.push_record_batch(&of_numbers).unwrap_err();
    assert_eq!(refused.to_string(), "the column no is Int64, and phrases and checks read text; cast it to Utf8 first");
    let swapped = of_numbers.project(&[1, 0]).unwrap();
    assert_eq!(runner.push_record_batch(&swapped).unwrap_err().to_string(), "the column no is where the table has code");
    let one = of_numbers.project(&[0]).unwrap();
    let refused = runner.push_record_batch(&one);
    assert!(matches!(refused, Err(ArrowPushError::Push(PushError::Columns { expected: 2, found: 1 }))));
    let none: ArrayRef = Arc::new(NullArray::new(2));
    let nulls = RecordBatch::try_from_iter([("code", Arc::clone(&none)), ("no", none)]).unwrap();
    let (carved, output) = runner.push_record_batch(&nulls).unwrap();
    assert_eq!((carved.num_rows(), output.faults().count()), (2, 0));
    assert_eq!(runner.finish().rows.read, 2);
}
