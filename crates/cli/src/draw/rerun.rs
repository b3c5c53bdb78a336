//! Commands to paste, with the inputs, lists, pieces and options of the run.

use keen_notch_core::column::{ColumnRef, Header};
use keen_notch_core::cutlist::{RaggedRows, Reading as ListReading};
use keen_notch_core::piece::column_in_head;
use keen_notch_core::toml_text::toml_text;
use keen_notch_io::carve::Report;
use keen_notch_io::source::Format;
use keen_notch_io::source::input::Input;

use super::shell::quoted;
use crate::args::{EmptyFormulas, EncodingErrors, ReadingArgs};
use crate::rules::RuleArgs;

pub struct Rerun<'a> {
    pub rules: &'a RuleArgs<'a>,
    pub inputs: &'a [Input],
    pub reading: &'a ReadingArgs,
    pub ragged: Option<RaggedRows>,
    /// The input settings of the cut lists.
    pub of_lists: &'a ListReading,
}

impl Rerun<'_> {
    /// The command that explains a row; `None` if its input cannot be read again.
    pub fn explain_row(&self, report: &Report, row: u64) -> Option<String> {
        let (file, row) = self.row(report, row)?;
        let mut words = vec!["explain".to_owned()];
        let RuleArgs { lists, layouts, pieces, column, .. } = self.rules;
        match (lists, layouts, pieces, column) {
            ([list], [], [], None) => words.extend([Some(list.display().to_string()), file].into_iter().flatten()),
            _ => {
                words.extend(file);
                words.extend(lists.iter().flat_map(|list| ["-l".to_owned(), list.display().to_string()]));
                words.extend(layouts.iter().flat_map(|layout| ["--layout".to_owned(), layout.clone()]));
                words.extend(column.iter().flat_map(|column| ["-c".to_owned(), (*column).to_owned()]));
                words.extend(pieces.iter().flat_map(|piece| ["-p".to_owned(), piece.clone()]));
            }
        }
        Some(self.command(words, row, &ListReading::default()))
    }

    /// The command that explains a row with another phrase.
    pub fn explain_phrase(&self, report: &Report, piece: String, row: u64) -> Option<String> {
        let (file, row) = self.row(report, row)?;
        let words = [Some("explain".to_owned()), file, Some("-p".to_owned()), Some(piece)];
        Some(self.command(words.into_iter().flatten().collect(), row, self.of_lists))
    }

    fn row(&self, report: &Report, row: u64) -> Option<(Option<String>, u64)> {
        let (input, row) = report.inputs.locate(row);
        match self.inputs.get(input)? {
            Input::Database(_) => Some((None, row)),
            input => Some((Some(input.path()?.display().to_string()), row)),
        }
    }

    fn command(&self, mut words: Vec<String>, row: u64, list: &ListReading) -> String {
        words.extend(["--row".to_owned(), row.to_string()]);
        words.extend(reading(self.reading, list));
        if self.ragged.or(list.ragged).is_some_and(|ragged| ragged != RaggedRows::Stop) {
            words.extend(["--ragged", "keep"].map(str::to_owned));
        }
        command(&words)
    }
}

/// The words for the inputs, without format options that a cut list has.
pub fn inputs(inputs: &[Input], args: &ReadingArgs) -> Vec<String> {
    [files(inputs), names_of_database(args)].concat()
}

/// The options for a database and its table.
pub fn names_of_database(args: &ReadingArgs) -> Vec<String> {
    let of = [("--from", args.from.as_ref().map(ToString::to_string)), ("--table", args.tables.first().cloned())];
    of.into_iter().filter_map(|(option, value)| Some([option.to_owned(), value?])).flatten().collect()
}

pub fn files(inputs: &[Input]) -> Vec<String> {
    let file = |input: &Input| match input {
        Input::Stdin => Some("-".to_owned()),
        input => Some(input.path()?.display().to_string()),
    };
    inputs.iter().filter_map(file).collect()
}

/// The input options, from the command line or the cut lists.
pub fn reading(args: &ReadingArgs, list: &ListReading) -> Vec<String> {
    let mut words = Vec::new();
    for (option, value) in [
        ("--from", args.from.as_ref().map(ToString::to_string)),
        ("--table", args.tables.first().cloned()),
        ("--query", args.query.clone().or(list.query.clone())),
        ("--sheet", args.sheet.clone().or(list.sheet.clone())),
        ("--widths", args.widths.clone().or(list.widths.clone())),
        ("--delimiter", args.delimiter.clone().or(list.delimiter.clone())),
        ("--encoding", args.encoding.clone().or(list.encoding.clone())),
    ] {
        words.extend(value.into_iter().flat_map(|value| [option.to_owned(), value]));
    }
    if args.no_header || list.header == Some(false) {
        words.push("--no-header".to_owned());
    }
    if args.partitions || list.partitions == Some(true) {
        words.push("--partitions".to_owned());
    }
    if args.encoding_errors == EncodingErrors::Replace {
        words.extend(["--encoding-errors", "replace"].map(str::to_owned));
    }
    if args.empty_formulas == EmptyFormulas::Blank {
        words.extend(["--empty-formulas", "blank"].map(str::to_owned));
    }
    words
}

pub fn command(words: &[String]) -> String {
    let words: Vec<String> = words.iter().map(|word| quoted(word)).collect();
    format!("keen-notch {}", words.join(" "))
}

/// The command for another file with the same columns, such as next month's.
pub fn next_month(list: &str) -> String {
    format!("keen-notch check FILE -l {}", quoted(list))
}

/// The `[reading]` keys of a cut list for the input: from the command line, and from detection.
pub fn reading_of_list(args: &ReadingArgs, format: &Format) -> Vec<(String, String)> {
    let delimiter = args.delimiter.clone().or(format.guessed_delimiter());
    let texts = [
        ("delimiter", delimiter),
        ("encoding", args.encoding.clone()),
        ("widths", args.widths.clone()),
        ("sheet", args.sheet.clone()),
        ("query", args.query.clone()),
    ];
    let texts = texts.into_iter().filter_map(|(key, text)| Some((key, toml_text(&text?))));
    let no_header = args.no_header.then(|| ("header", "false".to_owned()));
    texts.chain(no_header).map(|(key, value)| (key.to_owned(), value)).collect()
}

/// A column in the notation after `of` and in a cut list: its name if that is unique, otherwise its number.
pub fn column_of_piece(header: &Header, column: usize) -> String {
    let title = header.title(column);
    let written = column_in_head(title.trim());
    let leads_there = ColumnRef::parse(&written).find(header).is_ok_and(|found| found == column);
    if leads_there { written } else { format!("#{}", column + 1) }
}

#[cfg(test)]
mod tests {
    use keen_notch_core::piece::{Piece, Source, name_in_head};
    use proptest::prelude::*;

    use super::*;

    proptest! {
        #[test]
        fn names_are_read_again_as_they_were(name in "[a-z:,'\"#. -]{0,6}| of | when |a of b|x when y|p as q|r in rows", column in "[a-z:'\"#0-9é ]{1,7}|#4|a when b|\"q\"|a as b|c in rows") {
            prop_assume!(!name.trim().is_empty() && !column.trim().is_empty());
            let header = Header::Names(vec!["the first".to_owned(), column, "third one".to_owned(), "x".to_owned(), "x".to_owned()]);
            for index in 0..header.count() {
                let argument = format!("{} of {}: whole", name_in_head(&name), column_of_piece(&header, index));
                let piece = Piece::parse(&argument, 0).unwrap_or_else(|error| panic!("{argument}: {}", error.message));
                prop_assert_eq!(&piece.name, &name, "{}", argument);
                let Source::Take { of: Some(of), .. } = &piece.source else { panic!("{argument} takes nothing") };
                prop_assert_eq!(of.find(&header).ok(), Some(index), "{}", argument);
            }
            prop_assert_eq!(column_of_piece(&Header::Unnamed(3), 2), "#3");
        }
    }

    #[test]
    fn commands_say_how_the_input_is_read() {
        let args = |delimiter: Option<&str>, no_header| ReadingArgs {
            from: None,
            files_from: None,
            tables: Vec::new(),
            query: None,
            widths: None,
            sheet: None,
            delimiter: delimiter.map(str::to_owned),
            no_header,
            partitions: false,
            encoding: None,
            encoding_errors: EncodingErrors::Stop,
            empty_formulas: EmptyFormulas::Stop,
            max_row: crate::args::reading::Bytes::default(),
            memory: crate::args::reading::Bytes::default(),
        };
        let list =
            ListReading { delimiter: Some("|".to_owned()), encoding: Some("utf-16le".to_owned()), ..ListReading::default() };
        for (args, list, expected) in [
            (args(None, false), ListReading::default(), vec![]),
            (args(Some(";"), true), ListReading::default(), vec!["--delimiter", ";", "--no-header"]),
            // The command line overrides a cut list.
            (args(Some(";"), false), list.clone(), vec!["--delimiter", ";", "--encoding", "utf-16le"]),
            (args(None, false), list, vec!["--delimiter", "|", "--encoding", "utf-16le"]),
        ] {
            assert_eq!(reading(&args, &list), expected);
        }
        let words = ["check", "odd, names.csv", "-p", "it's: after \"$x\"", "#1"].map(str::to_owned);
        assert_eq!(command(&words), r#"keen-notch check 'odd, names.csv' -p 'it'\''s: after "$x"' '#1'"#);
    }
}
