use std::io;

use crate::sink::transform::Transform;

#[cfg(not(feature = "workbooks"))]
pub(crate) fn transform() -> io::Result<Box<dyn Transform>> {
    Err(crate::sink::transform::Limit::error("this build does not write workbooks", crate::Remedy::WriteText))
}

#[cfg(feature = "workbooks")]
pub(crate) fn transform() -> io::Result<Box<dyn Transform>> {
    Ok(Box::new(of_parts::WorkbookFile::new()))
}

/// Writes the parts of a workbook: ECMA-376, part 1 (sheets and styles) and part 2 (the archive).
///
/// Our own code, because rows then go directly into the archive: no temporary file, and a third of the processor time.
#[cfg(feature = "workbooks")]
mod of_parts {
    use std::collections::HashMap;
    use std::fmt::Write as _;
    use std::io::{self, Write};
    use std::mem;
    use std::sync::{Arc, Mutex};

    use jiff::civil::{Date, DateTime, date};
    use zip::write::{SimpleFileOptions, StreamWriter, ZipWriter};

    use crate::cells::Record;
    use crate::pool::lock;
    use crate::sink::Limit;
    use crate::sink::transform::Transform;

    /// Limits of a sheet and of a cell (ECMA-376, and published limits of programs).
    const MOST_ROWS: u32 = 1_048_576;
    const MOST_COLUMNS: u16 = 16_384;
    const MOST_CHARACTERS: usize = 32_767;
    /// Maximum size of a sheet in bytes: archives store it in 32 bits.
    const MOST_BYTES: u64 = u32::MAX as u64;
    const STRIDE: usize = 64 << 10;
    /// Compression level: the first of nine takes a third of the time of the default.
    const LEVEL: i64 = 1;

    const HEAD: &str = "<?xml version=\"1.0\" encoding=\"UTF-8\" standalone=\"yes\"?>\n";
    const MAIN: &str = "http://schemas.openxmlformats.org/spreadsheetml/2006/main";
    const OFFICE: &str = "http://schemas.openxmlformats.org/officeDocument/2006/relationships";
    const PACKAGE: &str = "http://schemas.openxmlformats.org/package/2006";

    pub struct WorkbookFile {
        archive: ZipWriter<StreamWriter<Shared>>,
        /// Output of the archive that the sink has not fetched yet.
        written: Shared,
        title: Option<String>,
        has_begun: bool,
        xml: String,
        bytes: u64,
        row: u32,
        column: u16,
        is_in_row: bool,
        letters: Vec<String>,
        styles: HashMap<String, usize>,
        codes: Vec<String>,
        pending: Vec<u8>,
        made: Vec<u8>,
    }

    #[derive(Clone, Default)]
    struct Shared(Arc<Mutex<Vec<u8>>>);

    impl Write for Shared {
        fn write(&mut self, bytes: &[u8]) -> io::Result<usize> {
            lock(&self.0).extend_from_slice(bytes);
            Ok(bytes.len())
        }

        fn flush(&mut self) -> io::Result<()> {
            Ok(())
        }
    }

    impl WorkbookFile {
        pub fn new() -> WorkbookFile {
            let written = Shared::default();
            WorkbookFile {
                archive: ZipWriter::new_stream(written.clone()),
                written,
                title: Some("Sheet1".to_owned()),
                has_begun: false,
                xml: String::new(),
                bytes: 0,
                row: 0,
                column: 0,
                is_in_row: false,
                letters: Vec::new(),
                styles: HashMap::new(),
                codes: Vec::new(),
                pending: Vec::new(),
                made: Vec::new(),
            }
        }

        fn part(&mut self, name: &str, content: &str) -> io::Result<()> {
            self.archive.start_file(name, options()).map_err(io::Error::other)?;
            self.archive.write_all(HEAD.as_bytes())?;
            self.archive.write_all(content.as_bytes())
        }

        fn begin(&mut self) -> io::Result<()> {
            if mem::replace(&mut self.has_begun, true) {
                return Ok(());
            }
            let mut title = String::new();
            push_attribute(&self.title.take().unwrap_or_default(), &mut title);
            let kind = "application/vnd.openxmlformats-officedocument.spreadsheetml";
            self.part(
                "[Content_Types].xml",
                &format!(
                    "<Types xmlns=\"{PACKAGE}/content-types\">\
                     <Default Extension=\"rels\" ContentType=\"application/vnd.openxmlformats-package.relationships+xml\"/>\
                     <Default Extension=\"xml\" ContentType=\"application/xml\"/>\
                     <Override PartName=\"/xl/workbook.xml\" ContentType=\"{kind}.sheet.main+xml\"/>\
                     <Override PartName=\"/xl/worksheets/sheet1.xml\" ContentType=\"{kind}.worksheet+xml\"/>\
                     <Override PartName=\"/xl/styles.xml\" ContentType=\"{kind}.styles+xml\"/></Types>"
                ),
            )?;
            let relations = |all: &[(&str, &str)]| {
                let one = |(index, (kind, target)): (usize, &(&str, &str))| {
                    format!("<Relationship Id=\"rId{}\" Type=\"{OFFICE}/{kind}\" Target=\"{target}\"/>", index + 1)
                };
                let all: String = all.iter().enumerate().map(one).collect();
                format!("<Relationships xmlns=\"{PACKAGE}/relationships\">{all}</Relationships>")
            };
            self.part("_rels/.rels", &relations(&[("officeDocument", "xl/workbook.xml")]))?;
            self.part(
                "xl/workbook.xml",
                &format!(
                    "<workbook xmlns=\"{MAIN}\" xmlns:r=\"{OFFICE}\"><sheets><sheet name=\"{title}\" sheetId=\"1\" r:id=\"rId1\"/>\
                     </sheets></workbook>"
                ),
            )?;
            let of_book = relations(&[("worksheet", "worksheets/sheet1.xml"), ("styles", "styles.xml")]);
            self.part("xl/_rels/workbook.xml.rels", &of_book)?;
            self.part("xl/worksheets/sheet1.xml", &format!("<worksheet xmlns=\"{MAIN}\"><sheetData>"))
        }

        fn compress(&mut self) -> io::Result<()> {
            self.bytes += self.xml.len() as u64;
            if self.bytes > MOST_BYTES {
                return Err(Limit::error("the sheet would have more than 4 GiB", crate::Remedy::WriteText));
            }
            self.archive.write_all(self.xml.as_bytes())?;
            self.xml.clear();
            Ok(())
        }

        fn take(&mut self, record: Record) -> io::Result<()> {
            if let Record::Sheet(name) = record {
                let is_allowed = name.chars().count() <= 31 && !name.contains(['[', ']', ':', '*', '?', '/', '\\']);
                if !is_allowed {
                    return Err(Limit::error(
                        format!("{name:?} cannot be the name of a sheet in .xlsx"),
                        "give the sheet another name, of up to 31 characters without []:*?/\\",
                    ));
                }
                self.title = Some(name.to_owned());
                return Ok(());
            }
            self.begin()?;
            if self.row == MOST_ROWS && record != Record::End {
                return Err(Limit::error(format!("a sheet has at most {MOST_ROWS} rows"), crate::Remedy::WriteFewerRows));
            }
            if self.column == MOST_COLUMNS && record != Record::End {
                return Err(Limit::error(
                    format!("a sheet has at most {MOST_COLUMNS} columns"),
                    crate::Remedy::WriteFewerColumns,
                ));
            }
            match record {
                Record::Sheet(_) => {}
                Record::End => {
                    if mem::take(&mut self.is_in_row) {
                        self.xml.push_str("</row>");
                    }
                    (self.row, self.column) = (self.row + 1, 0);
                    return if self.xml.len() >= STRIDE { self.compress() } else { Ok(()) };
                }
                Record::Blank | Record::Text("") | Record::Digits("") => {}
                Record::Text(text) | Record::Digits(text) => self.text(text)?,
                Record::Number(number) => self.number(number, None),
                Record::Shown(number, format) => self.number(number, Some(format)),
                Record::Truth(truth) => {
                    self.cell(None, Some("b"));
                    self.xml.push_str(if truth { "<v>1</v></c>" } else { "<v>0</v></c>" });
                }
                // Dates outside the range of a workbook become text.
                Record::Date(text) => match serial(text) {
                    Some(number) => {
                        let format = if text.contains('T') { "yyyy-mm-dd hh:mm:ss" } else { "yyyy-mm-dd" };
                        self.number(number, Some(format));
                    }
                    None => self.text(text)?,
                },
            }
            self.column += 1;
            Ok(())
        }

        fn cell(&mut self, style: Option<usize>, of: Option<&str>) {
            let (row, column) = (self.row + 1, usize::from(self.column));
            // Writing to a string cannot fail.
            if !mem::replace(&mut self.is_in_row, true) {
                let _ = write!(self.xml, "<row r=\"{row}\">");
            }
            while self.letters.len() <= column {
                self.letters.push(crate::formats::workbook::letters(self.letters.len() as u32));
            }
            let _ = write!(self.xml, "<c r=\"{}{row}\"", self.letters[column]);
            if let Some(style) = style {
                let _ = write!(self.xml, " s=\"{style}\"");
            }
            if let Some(of) = of {
                let _ = write!(self.xml, " t=\"{of}\"");
            }
            self.xml.push('>');
        }

        fn number(&mut self, number: f64, format: Option<&str>) {
            let style = format.map(|format| match self.styles.get(format) {
                Some(style) => *style,
                None => {
                    self.codes.push(format.to_owned());
                    self.styles.insert(format.to_owned(), self.codes.len());
                    self.codes.len()
                }
            });
            self.cell(style, None);
            // Debug formatting writes an exponent for very large and small numbers, and `.0` after whole ones.
            let _ = write!(self.xml, "<v>{number:?}");
            if self.xml.ends_with(".0") {
                self.xml.truncate(self.xml.len() - 2);
            }
            self.xml.push_str("</v></c>");
        }

        fn text(&mut self, text: &str) -> io::Result<()> {
            if text.len() > MOST_CHARACTERS && text.chars().count() > MOST_CHARACTERS {
                return Err(Limit::error(
                    format!(
                        "the text in row {} of the sheet, column {}, is longer than the {MOST_CHARACTERS} characters that a cell has",
                        self.row + 1,
                        self.column + 1
                    ),
                    crate::Remedy::WriteWithoutColumn,
                ));
            }
            self.cell(None, Some("inlineStr"));
            let is_kept = text.starts_with(is_xml_space) || text.ends_with(is_xml_space);
            self.xml.push_str(if is_kept { "<is><t xml:space=\"preserve\">" } else { "<is><t>" });
            push_text(text, &mut self.xml);
            self.xml.push_str("</t></is></c>");
            Ok(())
        }

        fn styles(&self) -> String {
            let formats: String = self
                .codes
                .iter()
                .enumerate()
                .map(|(index, code)| {
                    let mut escaped = String::new();
                    push_attribute(code, &mut escaped);
                    format!("<numFmt numFmtId=\"{}\" formatCode=\"{escaped}\"/>", 164 + index)
                })
                .collect();
            let formats = match self.codes.len() {
                0 => String::new(),
                count => format!("<numFmts count=\"{count}\">{formats}</numFmts>"),
            };
            let style = |index: usize| {
                format!(
                    "<xf numFmtId=\"{}\" fontId=\"0\" fillId=\"0\" borderId=\"0\" xfId=\"0\" applyNumberFormat=\"1\"/>",
                    164 + index
                )
            };
            let styles: String = (0..self.codes.len()).map(style).collect();
            let plain = "numFmtId=\"0\" fontId=\"0\" fillId=\"0\" borderId=\"0\"";
            format!(
                "<styleSheet xmlns=\"{MAIN}\">{formats}\
                 <fonts count=\"1\"><font><sz val=\"11\"/><name val=\"Calibri\"/><family val=\"2\"/></font></fonts>\
                 <fills count=\"2\"><fill><patternFill patternType=\"none\"/></fill><fill><patternFill patternType=\"gray125\"/></fill></fills>\
                 <borders count=\"1\"><border><left/><right/><top/><bottom/><diagonal/></border></borders>\
                 <cellStyleXfs count=\"1\"><xf {plain}/></cellStyleXfs>\
                 <cellXfs count=\"{}\"><xf {plain} xfId=\"0\"/>{styles}</cellXfs>\
                 <cellStyles count=\"1\"><cellStyle name=\"Normal\" xfId=\"0\" builtinId=\"0\"/></cellStyles></styleSheet>",
                self.codes.len() + 1
            )
        }
    }

    /// Without a time, so that the same rows always give the same file.
    fn options() -> SimpleFileOptions {
        SimpleFileOptions::default()
            .compression_method(zip::CompressionMethod::Deflated)
            .compression_level(Some(LEVEL))
            .last_modified_time(zip::DateTime::default())
    }

    fn is_xml_space(c: char) -> bool {
        matches!(c, ' ' | '\t' | '\n' | '\r')
    }

    /// Writes a text. Characters that XML lacks become `_x000D_` (ECMA-376, part 1, section 22.4.2.4), and so does an underscore that
    /// looks like such an escape.
    fn push_text(text: &str, out: &mut String) {
        let is_special = |byte: u8| byte < 0x20 || matches!(byte, b'&' | b'<' | b'>' | b'_' | 0xEF);
        let mut rest = text;
        while let Some(at) = rest.bytes().position(is_special) {
            out.push_str(&rest[..at]);
            let mut chars = rest[at..].chars();
            match chars.next() {
                Some('&') => out.push_str("&amp;"),
                Some('<') => out.push_str("&lt;"),
                Some('>') => out.push_str("&gt;"),
                Some('_') if looks_escaped(&rest[at..]) => out.push_str("_x005F_"),
                Some(c @ ('\t' | '\n')) => out.push(c),
                Some(c) if c < ' ' || matches!(c, '\u{fffe}' | '\u{ffff}') => {
                    let _ = write!(out, "_x{:04X}_", u32::from(c));
                }
                Some(c) => out.push(c),
                None => {}
            }
            rest = chars.as_str();
        }
        out.push_str(rest);
    }

    fn looks_escaped(text: &str) -> bool {
        let bytes = text.as_bytes();
        bytes.len() >= 7 && bytes[1] == b'x' && bytes[6] == b'_' && bytes[2..6].iter().all(u8::is_ascii_hexdigit)
    }

    fn push_attribute(text: &str, out: &mut String) {
        for c in text.chars() {
            match c {
                '&' => out.push_str("&amp;"),
                '<' => out.push_str("&lt;"),
                '>' => out.push_str("&gt;"),
                '"' => out.push_str("&quot;"),
                c if c < ' ' => {
                    let _ = write!(out, "&#{};", u32::from(c));
                }
                c => out.push(c),
            }
        }
    }

    /// The serial number of a date or timestamp in the 1900 date system. `None` for dates before 1900 and for fractions of a millisecond.
    fn serial(text: &str) -> Option<f64> {
        const FIRST: Date = date(1900, 1, 1);
        let moment: DateTime = match text.parse::<Date>() {
            Ok(day) if !text.contains('T') => day.into(),
            _ => text.parse().ok().filter(|_| !text.ends_with('Z'))?,
        };
        let (day, time) = (moment.date(), moment.time());
        let nanoseconds = i64::from(time.subsec_nanosecond());
        if day < FIRST || nanoseconds % 1_000_000 != 0 {
            return None;
        }
        // Workbooks count a 29 February 1900, which did not exist.
        let days = (day - date(1899, 12, 31)).get_days() + i32::from(day >= date(1900, 3, 1));
        let seconds = i64::from(time.hour()) * 3600 + i64::from(time.minute()) * 60 + i64::from(time.second());
        Some(f64::from(days) + (seconds * 1000 + nanoseconds / 1_000_000) as f64 / 86_400_000.0)
    }

    impl Write for WorkbookFile {
        fn write(&mut self, bytes: &[u8]) -> io::Result<usize> {
            let mut pending = mem::take(&mut self.pending);
            pending.extend(bytes);
            let mut at = 0;
            while let Some((record, width)) = Record::read(&pending[at..]) {
                self.take(record)?;
                at += width;
            }
            pending.drain(..at);
            self.pending = pending;
            self.made.append(&mut lock(&self.written.0));
            Ok(bytes.len())
        }

        fn flush(&mut self) -> io::Result<()> {
            Ok(())
        }
    }

    impl Transform for WorkbookFile {
        fn output(&mut self) -> &mut Vec<u8> {
            &mut self.made
        }

        fn end(mut self: Box<Self>, out: &mut (dyn Write + Send)) -> io::Result<()> {
            self.begin()?;
            self.xml.push_str("</sheetData></worksheet>");
            self.compress()?;
            let styles = self.styles();
            self.part("xl/styles.xml", &styles)?;
            let WorkbookFile { archive, written, made, .. } = *self;
            archive.finish().map_err(io::Error::other)?;
            out.write_all(&made)?;
            let rest = lock(&written.0);
            out.write_all(&rest)
        }
    }

    #[cfg(test)]
    #[allow(clippy::unwrap_used, reason = "a test that cannot go on has failed")]
    mod tests {
        use super::*;

        #[test]
        fn dates_are_numbers_of_a_workbook_where_it_has_them() {
            for (text, number) in [
                ("1900-01-01", Some(1.0)),
                ("1900-02-28", Some(59.0)),
                ("1900-03-01", Some(61.0)),
                ("2025-03-01", Some(45_717.0)),
                ("2025-03-01T12:00:00", Some(45_717.5)),
                ("2025-03-01T00:00:00.125", Some(45_717.0 + 125.0 / 86_400_000.0)),
                ("9999-12-31", Some(2_958_465.0)),
                ("1899-12-31", None),
                ("2025-03-01T00:00:00.0001", None),
                ("2025-03-01T00:00:00Z", None),
                ("2025-02-29", None),
                ("x", None),
            ] {
                assert_eq!(serial(text), number, "{text}");
            }
        }

        #[test]
        fn texts_are_escaped() {
            let mut out = String::new();
            push_text("a<b>&\r\u{1}_x000D_ _x \u{fffe}é\u{feff}", &mut out);
            assert_eq!(out, "a&lt;b&gt;&amp;_x000D__x0001__x005F_x000D_ _x _xFFFE_é\u{feff}");
        }
    }
}

#[cfg(all(test, feature = "workbooks"))]
#[allow(clippy::unwrap_used, reason = "a test that cannot go on has failed")]
mod tests {
    use keen_notch_core::batch::Buffer;

    use super::*;
    use crate::cells::Record;

    fn refused(records: impl IntoIterator<Item = Record<'static>>) -> Option<String> {
        let (mut making, mut bytes) = (transform().unwrap(), Buffer::default());
        records.into_iter().for_each(|record| record.push(&mut bytes));
        let outcome = bytes.bytes().chunks(1 << 16).try_for_each(|bytes| making.write_all(bytes));
        outcome.err().map(|error| error.to_string())
    }

    #[test]
    fn values_beyond_the_limits_of_a_sheet_are_refused() {
        let rows = |count| std::iter::repeat_n(Record::End, count).chain([Record::Text("GRP-1")]);
        assert_eq!(refused(rows(1_048_575)), None);
        assert_eq!(refused(rows(1_048_576)).unwrap(), "a sheet has at most 1048576 rows");
        let columns = |count| std::iter::repeat_n(Record::Blank, count);
        assert_eq!(refused(columns(16_384)), None);
        assert_eq!(refused(columns(16_385)).unwrap(), "a sheet has at most 16384 columns");
        let long = |width| [Record::End, Record::Blank, Record::Text(&*Box::leak("é".repeat(width).into_boxed_str()))];
        assert_eq!(refused(long(32_767)), None);
        assert_eq!(
            refused(long(32_768)).unwrap(),
            "the text in row 2 of the sheet, column 2, is longer than the 32767 characters that a cell has"
        );
    }
}
