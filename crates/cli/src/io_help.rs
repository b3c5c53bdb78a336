//! Suggestions for the errors of tables, with the options of the command line.

use std::io;
use std::path::Path;

use keen_notch_io::files::nearest;
use keen_notch_io::formats::json_lines::array::BrokenArray;
use keen_notch_io::sink::Limit;
use keen_notch_io::source::{BrokenCompression, ShortenedFile};
use keen_notch_io::{Error, Remedy};

/// Suggests a solution to an error of the tables.
pub fn help(error: &Error) -> String {
    match error {
        Error::Read { name, source } if source.kind() == io::ErrorKind::NotFound => {
            match nearest(Path::new(name)) {
                Some(nearest) => format!("did you mean {nearest}?"),
                None => match std::env::current_dir() {
                    Ok(folder) => format!("check the spelling; the current folder is {}", folder.display()),
                    Err(_) => "check the spelling".to_owned(),
                },
            }
        }
        Error::Read { source, .. } if source.get_ref().is_some_and(|source| source.is::<ShortenedFile>()) => {
            "run again when the program that writes the file has finished".to_owned()
        }
        Error::Read { source, .. }
            if let Some(broken) = source.get_ref().and_then(|source| source.downcast_ref::<BrokenCompression>()) =>
        {
            remedy(&broken.remedy())
        }
        Error::Read { source, .. } if source.get_ref().is_some_and(|source| source.is::<BrokenArray>()) => {
            "correct the array, such as [{\"part_code\":\"GRP-1\"}]; if each line is an object, add --from jsonl".to_owned()
        }
        Error::Read { .. } => "the program needs read permission for the file".to_owned(),
        Error::Folder { name } => format!("name the files in it: {}/*.csv", name.trim_end_matches('/')),
        Error::FolderOf { name, .. } => {
            let name = name.trim_end_matches('/');
            format!("name files in it, such as '{name}/*.csv', or their format, such as --from csv")
        }
        Error::WrongPattern { .. } => {
            "in a pattern, * stands for any part of a name, ** for any folders, ? for a character, and [ab] for one of some characters"
                .to_owned()
        }
        Error::Partitions { .. } => {
            "--partitions reads columns from folders such as depot=North; give the path with these folders, or remove the option".to_owned()
        }
        Error::Empty { .. } => "check whether the program that made it finished".to_owned(),
        Error::NoWidths { widths: None, .. } => {
            "give their positions, such as --widths 'code 1 to 8, qty 9 to 12', or `widths` under [reading] in a cut list".to_owned()
        }
        Error::NoWidths { widths: Some(widths), .. } => {
            format!("its first lines all have blanks in the same places; if blanks divide the columns, add --widths '{widths}'")
        }
        Error::BeyondColumns { .. } => "extend the last column to the end of the line, as in 'note 9 to end'".to_owned(),
        Error::NoPlace { .. } => {
            "give the positions of the columns, such as --out-widths 'code 1 to 8, family 10 to 12', or `widths` under [writing] in \
            a cut list"
                .to_owned()
        }
        Error::NoTextOf { .. } => "exclude the column with --without or --columns; in a survey, name other columns with -c".to_owned(),
        Error::OtherType { .. } => "run files with different columns separately".to_owned(),
        Error::MixedTypes { .. } => {
            "correct the line, exclude the column with --without, or write a format without types, such as -o OUT.csv".to_owned()
        }
        Error::NoColumnar { .. } => "write another format, such as -o OUT.csv".to_owned(),
        Error::NotInParquet { .. } => "write Arrow, such as -o OUT.arrow, or leave the column out with --without".to_owned(),
        Error::NoTable { .. } => "give it a name that ends in .csv, .jsonl or .xlsx".to_owned(),
        Error::DoubledTitle { .. } => "exclude one with --columns or --without, by its number, such as #4".to_owned(),
        Error::BadFile { help, .. } => remedy(help),
        Error::Database { help, .. } => remedy(help),
        Error::TableIsThere { .. } => {
            "give another name with --table, add --append to append the rows, or --replace to replace the table".to_owned()
        }
        Error::WhichDatabaseTable { tables, .. } if !tables.is_empty() => {
            format!("add --table NAME (the tables are {}), or --query 'SELECT …'", quoted(tables))
        }
        Error::WhichDatabaseTable { .. } => "the database has no tables; check its name".to_owned(),
        Error::NoDatabaseTable { tables, .. } if tables.is_empty() => "the database has no tables; check its name".to_owned(),
        Error::NoDatabaseTable { tables, .. } => format!("the tables are {}", quoted(tables)),
        Error::NoSheet { sheets, .. } => format!("its sheets are {}", quoted(sheets)),
        Error::MergedHeader { .. } => {
            "remove the rows above the table, and give each column its own cell in the first row".to_owned()
        }
        Error::UnnamedCell { .. } => "name the column in the first row, or move the extra cells to another sheet".to_owned(),
        Error::LooksLike { from, .. } => format!("add --from {from}, or --from csv if it is delimited text"),
        Error::NoText { from: Some(from), .. } => format!("give it a name that ends in .{from}, or add --from {from}"),
        Error::NoText { .. } => "save it as CSV with the program that wrote it".to_owned(),
        Error::NotUtf8 { .. } => {
            "name the encoding of the file, such as --encoding windows-1252 (or iso-8859-2, shift_jis …)".to_owned()
        }
        Error::NotOfEncoding { .. } => {
            "name another --encoding, or add --encoding-errors replace, which reads invalid bytes as U+FFFD \
            and counts them"
                .to_owned()
        }
        Error::UnsafeEncoding { .. } => "convert the file to UTF-8 with the program that wrote it".to_owned(),
        Error::Utf16 { encoding, .. } => format!("add --encoding {encoding}"),
        Error::NoObject { .. } => {
            "each line, or each element of an array, must be one object, such as {\"part_code\":\"GRP-1\"}".to_owned()
        }
        Error::DoubledKey { .. } => {
            "rename one of the two keys".to_owned()
        }
        Error::LateKey { .. } => {
            "save the input as a file, which the program can scan for its columns first; or name the columns with --columns"
                .to_owned()
        }
        Error::TooManyKeys { .. } => {
            "if the keys are data, write them as values, such as {\"key\":\"GRP-1\",\"count\":3}".to_owned()
        }
        Error::ParquetTooWide { .. } => {
            "write fewer columns with --columns, raise the limit with --memory, or write another format, such as -o OUT.csv".to_owned()
        }
        Error::TooManyGroups { .. } => "name a column with fewer values, or a piece such as -p 'family: first 3' --by family".to_owned(),
        Error::SurveyTooLarge { .. } => "name fewer columns with -c, or raise the limit with --memory".to_owned(),
        Error::OtherFormat { .. } => "run files of different formats separately".to_owned(),
        Error::Ragged { found, wanted, .. } if found > wanted => {
            "look for a delimiter inside a cell that is not quoted, or give the right --delimiter".to_owned()
        }
        Error::Ragged { .. } => {
            "look for a cell or a closing quote that is missing, or give the right --delimiter".to_owned()
        }
        Error::UnclosedQuote { .. } => {
            "close the cell with a quote; a quote inside a quoted cell is written twice (\"\")".to_owned()
        }
        Error::InputChanged { .. } => "run again when the program that writes the file has finished".to_owned(),
        Error::RowTooLong { .. } => {
            "look for a quote that is not closed; if rows really are so long, raise the limit with --max-row".to_owned()
        }
        Error::ResultsTooLarge { of, .. } => {
            format!("make the texts of {of} shorter or fewer, or raise the limit with --max-row")
        }
        Error::CarriageReturns { .. } => "convert the line ends first: tr '\\r' '\\n' < OLD > NEW".to_owned(),
        Error::OtherColumns { .. } => "run files with different columns separately".to_owned(),
        Error::Write { source, .. } if limit(source).is_some() => limit(source).map_or(String::new(), |limit| remedy(&limit.help)),
        Error::Write { source, is_half_written, name } if is_full(source) => format!(
            "free space, or write to another disk; {}",
            if *is_half_written {
                format!("{name} ends early")
            } else {
                format!("no part of {name} was written")
            }
        ),
        Error::Write { source, .. } if source.kind() == io::ErrorKind::NotFound => {
            "create the folder first, or name another output with -o".to_owned()
        }
        Error::Write { name, source, .. } if source.kind() == io::ErrorKind::IsADirectory => {
            format!("name a file in it: -o {}/OUT.csv", name.trim_end_matches('/'))
        }
        Error::Spill { source } if source.kind() == io::ErrorKind::NotFound => {
            "set TMPDIR to a folder for temporary files, or give more memory with --memory".to_owned()
        }
        Error::Spill { .. } => {
            "free space in the folder for temporary files (TMPDIR), or give more memory with --memory".to_owned()
        }
        Error::Write { .. } => "name an output that can be written, with -o".to_owned(),
        Error::OutputIsInput { .. } => "write to another file".to_owned(),
        Error::OneFileTwice { .. } => "name a different file for each".to_owned(),
        Error::OneTableTwice { .. } => "name a different table for each".to_owned(),
        Error::Unwritable { name, .. } => {
            let other = |ending| Path::new(name).with_extension(ending).display().to_string();
            format!("write another format, such as {} or {} (docs/formats.md has them all)", other("csv"), other("xlsx"))
        }
        Error::EmptyFormulas { .. } => {
            "open it in a spreadsheet program and save it, which computes them; or read them as blank: --empty-formulas blank"
                .to_owned()
        }
        Error::UnknownEnding { name, .. } => format!(
            "name it {name}.csv or {name}.xlsx, or for the rows of carve, give the format with --to (docs/formats.md has them all)"
        ),
        Error::Unreadable { .. } => {
            "save it as .xlsx or CSV with the program that wrote it, or name its format, such as --from csv".to_owned()
        }
        Error::UnknownFormat { .. } => {
            "give a file extension, such as csv, tsv or csv.gz".to_owned()
        }
        Error::UnknownEncoding { .. } => {
            "give a name of the WHATWG Encoding Standard, such as utf-8, utf-16le, windows-1252 or shift_jis".to_owned()
        }
        Error::BadDelimiter { .. } => "give one ASCII character, such as ';', or tab".to_owned(),
    }
}

fn remedy(remedy: &Remedy) -> String {
    let words = match remedy {
        Remedy::Sentence(sentence) => sentence,
        Remedy::MoreMemory => "give more memory with --memory",
        Remedy::MoreMemoryOrText => "give more memory with --memory, or save it as CSV",
        Remedy::MoreMemoryOrSplit => "give more memory with --memory, split it into several, or save it as CSV",
        Remedy::MoreMemoryOrDecompress => "raise the limit, such as --memory 3G, or decompress the file first",
        Remedy::LongerRows => "select shorter values, or raise the limit with --max-row",
        Remedy::NameFormat => "name its format, such as --from csv",
        Remedy::NewCopyOrFormat => "get a new copy of it, or name its format, such as --from csv",
        Remedy::SaveAgainOrFormat => {
            "open it with a spreadsheet program and save it again; if it is text, name its format, such as --from csv"
        }
        Remedy::DatabaseOrFormat => "name an SQLite database, or the format of the file, such as --from csv FILE",
        Remedy::MatchColumns => {
            "rows are appended by column name; exclude missing columns with --without, or add them to the table"
        }
        Remedy::NameKeys => "no rows were written; name the key columns, such as --update ID or --update SITE,ID",
        Remedy::WriteText => "write delimited text, such as -o OUT.csv",
        Remedy::WriteFewerRows => "write delimited text, such as -o OUT.csv, or keep fewer rows with --keep",
        Remedy::WriteFewerColumns => "write delimited text, such as -o OUT.csv, or fewer columns with --columns",
        Remedy::WriteWithoutColumn => "write delimited text, such as -o OUT.csv, or leave the column out with --without",
        Remedy::WriteAnotherFormat => "write another format, such as -o OUT.csv",
        Remedy::Feature(feature) => {
            return format!("use CSV instead, or install the program with its feature `{feature}`");
        }
        Remedy::DatabaseFeature(feature) => {
            return format!(
                "install the program with its feature `{feature}`: cargo install --path crates/cli --features {feature}"
            );
        }
    };
    words.to_owned()
}

fn quoted(names: &[String]) -> String {
    names.iter().map(|name| format!("{name:?}")).collect::<Vec<_>>().join(", ")
}

fn limit(source: &io::Error) -> Option<&Limit> {
    source.get_ref()?.downcast_ref()
}

fn is_full(source: &io::Error) -> bool {
    matches!(source.kind(), io::ErrorKind::StorageFull | io::ErrorKind::QuotaExceeded)
}

#[cfg(test)]
mod tests {
    use keen_notch_io::source::Reading;
    use keen_notch_io::source::input::{Encoding, Input};
    use keen_notch_io::table::Table;

    use super::*;

    #[test]
    fn every_error_has_a_suggestion() {
        let read = |content: &[u8], reading: &Reading| {
            let mut table = Table::open(&[Input::Memory("a.txt".to_owned(), content.into())], reading)?;
            table.each_batch(&[0], |_, _| std::ops::ControlFlow::Continue(()))
        };
        let of_delimiter = Reading { delimiter: Some("::".to_owned()), ..Reading::default() };
        let plain = Reading::default();
        for (outcome, expected) in [
            (read(b"", &plain), "check whether the program that made it finished"),
            (read(b"a,b\n1\n", &plain), "look for a cell or a closing quote"),
            (read(b"a,b\n1,2,3\n", &plain), "look for a delimiter inside a cell"),
            (read(b"a,b\n1,\"x\n2,3\n", &plain), "close the cell with a quote"),
            (read(b"a\nx\xFCy\n", &plain), "name the encoding of the file"),
            (read(b"\xFE\xFF\0a\0\n", &plain), "add --encoding utf-16be"),
            (read(b"a\rb\r", &plain), "convert the line ends first"),
            (read(b"a\n1\n", &of_delimiter), "give one ASCII character, such as ';', or tab"),
            (Encoding::named("utf-9").map(drop), "give a name of the WHATWG Encoding Standard"),
        ] {
            let error = outcome.expect_err(expected);
            assert!(help(&error).starts_with(expected), "{error}: {}", help(&error));
        }
    }
}
