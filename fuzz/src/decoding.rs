//! Tables in other encodings.

use std::ops::ControlFlow;

use keen_notch_io::Error;
use keen_notch_io::source::WrongBytes;
use keen_notch_io::source::input::Encoding;
use keen_notch_io::source::{Ragged, Reading};
use keen_notch_io::table::Table;
use keen_notch_io::view::View;

use crate::run::input;

/// The encodings, one of which the first byte chooses.
const LABELS: [&str; 10] =
    ["utf-8", "utf-16le", "utf-16be", "windows-1252", "iso-8859-2", "shift_jis", "euc-jp", "iso-2022-jp", "gb18030", "big5"];

/// The text is what another library makes of the bytes, whatever number of them is read at a time; where they are wrong, it says so.
pub fn decode(data: &[u8]) {
    let Some((choice, bytes)) = data.split_first() else { return };
    let label = LABELS[usize::from(*choice) % LABELS.len()];
    let of = encoding_rs::Encoding::for_label(label.as_bytes()).expect("it is in the standard");
    let (text, had_errors) = match of == encoding_rs::UTF_8 {
        true => of.decode_without_bom_handling(bytes),
        false => {
            let (text, _, had_errors) = of.decode(bytes);
            (text, had_errors)
        }
    };
    let encoding = Encoding::named(label).expect("it is in the standard");
    let reading = |wrong_bytes, stride| Reading {
        delimiter: Some(",".to_owned()),
        encoding: Some(encoding),
        wrong_bytes,
        ragged: Ragged::Keep,
        stride,
        max_row: 1 << 20,
        ..Reading::default()
    };
    let plain = Reading { encoding: None, ..reading(WrongBytes::Stop, None) };
    let expected = match rows(text.as_bytes(), &plain) {
        // Without an explicit encoding, the program detects UTF-16 in such a text.
        Err(Error::Utf16 { .. }) => return,
        expected => expected.map_err(|error| error.to_string()),
    };
    for stride in [None, Some(16), Some(1)] {
        let replaced = rows(bytes, &reading(WrongBytes::Replace, stride)).map_err(|error| error.to_string());
        assert_eq!(replaced, expected, "{label}, {stride:?}: {bytes:?}");
        let strict = rows(bytes, &reading(WrongBytes::Stop, stride));
        match strict {
            Err(Error::NotOfEncoding { byte, bytes: wrong, .. }) => {
                assert!(had_errors, "{label}, {stride:?}: {bytes:?}");
                let start = usize::try_from(byte).expect("it is a place in memory") - 1;
                assert_eq!(bytes.get(start..start + wrong.len()), Some(&*wrong), "{label}, {stride:?}: {bytes:?}");
            }
            Err(Error::NotUtf8 { .. }) => assert!(had_errors && label == "utf-8", "{label}, {stride:?}: {bytes:?}"),
            // Before the wrong bytes, something else was wrong.
            Err(_) if had_errors => {}
            other => {
                assert!(!had_errors, "{label}, {stride:?}: {bytes:?}");
                assert_eq!(other.map_err(|error| error.to_string()), expected, "{label}, {stride:?}: {bytes:?}");
            }
        }
    }
}

fn rows(bytes: &[u8], reading: &Reading) -> Result<Vec<Vec<String>>, Error> {
    let mut table = Table::open(&[input("a.csv", bytes)], reading)?;
    let columns: Vec<usize> = (0..table.header.count()).collect();
    let mut rows = vec![columns.iter().map(|column| table.header.title(*column)).collect()];
    table.each_row(View::Columns(&columns), |row| {
        rows.push(columns.iter().map(|column| row.value(*column).to_owned()).collect());
        ControlFlow::Continue(())
    })?;
    Ok(rows)
}
