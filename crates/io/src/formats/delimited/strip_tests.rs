//! Tests of strips: delimited text has the most states between rows.

use std::io::{Cursor, Write};
use std::sync::Arc;
use std::thread;

use proptest::prelude::*;

use crate::formats::delimited::record::{Cells, Record};
use crate::formats::delimited::row_ends::OutsideQuotes;
use crate::source::Reading;
use crate::source::blocks::{BLOCK, Blocks, lines};
use crate::source::strips::{Strip, Strips};

/// The rows of each strip with their first line. The strips are read at the same time.
fn strips(text: &str, from: usize, reading: &Reading) -> Vec<Result<(String, u64), String>> {
    let mut file = tempfile::tempfile().unwrap();
    file.write_all(text.as_bytes()).unwrap();
    let (place, line) = ((from as u64, text.len() as u64), lines(&text.as_bytes()[..from]) + 1);
    let mut strips = Strips::new("test".to_owned(), Arc::new(file), place, line, OutsideQuotes::new(b','), reading);
    thread::scope(|scope| {
        let read = |strip: Strip<OutsideQuotes>| move || strip.read().map_err(|error| error.to_string());
        let read: Vec<_> = std::iter::from_fn(|| strips.next_strip()).map(|strip| scope.spawn(read(strip))).collect();
        let blocks = read.into_iter().filter_map(|strip| strip.join().unwrap().transpose());
        blocks.map(|block| block.map(|block| (str::from_utf8(block.bytes()).unwrap().to_owned(), block.first_line))).collect()
    })
}

/// The error of reading the text from left to right.
fn error_of_blocks(text: &str, reading: &Reading) -> Option<String> {
    let reader = Box::new(Cursor::new(text.to_owned()));
    let mut blocks = Blocks::new("test".into(), reader, OutsideQuotes::new(b','), reading);
    loop {
        match blocks.next_block() {
            Ok(Some(_)) => {}
            Ok(None) => return None,
            Err(error) => return Some(error.to_string()),
        }
    }
}

fn text() -> impl Strategy<Value = String> {
    let cell = r#"[a;é]{0,3}|"([a,\n]|""){0,4}"|"([a,\r\n]|""){60,150}"|a"[a;]{0,2}|[a"]{0,4}"#;
    let row = proptest::collection::vec(cell, 1..5).prop_map(|cells| cells.join(","));
    (proptest::collection::vec(row, 1..80), "\n?").prop_map(|(rows, end)| rows.join("\n") + &end)
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(60))]

    #[test]
    fn strips_together_have_the_rows_of_the_file(text in text(), stride in 1..6_usize, skipped in 0..3_usize) {
        let mut starts = vec![0];
        let mut cells = Cells::default();
        while let Some(at) = starts.last().copied().filter(|at| *at < text.len()) {
            starts.push(at + Record::read(&text, at, b',', &mut cells).width());
        }
        let mut at = starts[skipped.min(starts.len() - 1)];
        let reading = Reading { stride: Some(stride * BLOCK), ..Reading::default() };
        let expected = error_of_blocks(&text[at..], &reading);
        for block in strips(&text, at, &reading) {
            match block {
                Ok((block, first_line)) => {
                    prop_assert_eq!(&text[at..at + block.len()], &block);
                    prop_assert!(starts.contains(&at), "{:?} begins within a row", block);
                    prop_assert_eq!(first_line, lines(&text.as_bytes()[..at]) + 1);
                    at += block.len();
                }
                Err(error) => {
                    let line = lines(&text.as_bytes()[..starts[skipped.min(starts.len() - 1)]]);
                    prop_assert!(expected.is_some(), "{}", error);
                    if line == 0 {
                        prop_assert_eq!(Some(error), expected.clone());
                    }
                    return Ok(());
                }
            }
        }
        prop_assert_eq!(expected, None);
        prop_assert_eq!(at, text.len());
    }
}

#[test]
fn a_row_that_is_too_long_is_refused_with_its_line() {
    let reading = Reading { stride: Some(BLOCK), max_row: 5_000, ..Reading::default() };
    for width in [4_000, 20_000] {
        let text = format!("a,b\n1,2\n3,{}\n4,5\n", "x".repeat(width));
        let read = strips(&text, 4, &reading);
        let errors: Vec<&String> = read.iter().filter_map(|block| block.as_ref().err()).collect();
        match width {
            4_000 => assert!(errors.is_empty(), "{errors:?}"),
            _ => assert!(errors.len() == 1 && errors[0].contains("line 3"), "{errors:?}"),
        }
    }
}

#[test]
fn a_file_that_was_truncated_is_an_error() {
    let mut file = tempfile::tempfile().unwrap();
    file.write_all(&b"a,b\n".repeat(100)).unwrap();
    let reading = Reading { stride: Some(BLOCK), ..Reading::default() };
    let mut strips = Strips::new("test".to_owned(), Arc::new(file), (0, 500), 1, OutsideQuotes::new(b','), &reading);
    let read: Vec<_> = std::iter::from_fn(|| strips.next_strip()).map(|strip| strip.read()).collect();
    assert!(read.iter().any(|block| block.as_ref().is_err_and(|error| error.to_string().contains("truncated"))));
    assert!(matches!(read.last(), Some(Err(_) | Ok(None))), "later strips do not wait for it");
}
