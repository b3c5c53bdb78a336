//! All formats: a folder for each, with its source and its encoder, and one table.

pub mod columnar;
pub mod database;
pub mod delimited;
pub mod descriptor;
pub mod fixed_width;
mod foreign;
pub mod json_lines;
mod outputs;
pub mod own_table;
#[cfg(test)]
mod records;
pub mod workbook;

use std::fmt;
use std::path::Path;

use keen_notch_core::column::Header;

pub use crate::kind::{Compression, FileFormat, FormatInfo, Kind};
pub use outputs::{create, create_as, with_format};

use crate::Error;
use crate::encode::{Encoder, EncoderRequest, OutputSchema, TextOptions};
use crate::formats::descriptor::{FormatDescriptor, Opening, TypedHeader};
use crate::source::input::Input;
use crate::source::partitioned::with_folders;
use crate::source::types::ObservedTypes;
use crate::source::{Format, Partitions, Reading, Source};

/// All formats. An extension belongs to the first format that has it.
fn table() -> impl Iterator<Item = &'static FormatDescriptor> {
    let several = delimited::FORMATS
        .iter()
        .chain(&workbook::FORMATS)
        .chain(&columnar::FORMATS)
        .chain(&json_lines::FORMATS)
        .chain(&foreign::FORMATS);
    let all = several.chain([&fixed_width::FORMAT, &database::FORMAT]);
    #[cfg(test)]
    let all = all.chain([&records::FORMAT]);
    all
}

fn descriptor(kind: Kind) -> Option<&'static FormatDescriptor> {
    table().find(|format| format.kind == kind)
}

impl FileFormat {
    /// A database table.
    pub const DATABASE: FileFormat = FileFormat { kind: Some(&database::INFO), compression: None };

    /// The format of a file name such as `parts.csv.gz`, ignoring case.
    pub fn of(name: &Path) -> FileFormat {
        let compression = Compression::of(name);
        let inner = if compression.is_some() { name.file_stem().map(Path::new) } else { Some(name) };
        let ending = inner.and_then(ending);
        let kind =
            ending.and_then(|ending| table().map(|format| format.kind).find(|kind| kind.endings.contains(&ending.as_str())));
        FileFormat { kind, compression }
    }

    /// Parses one or two extensions such as `csv.gz`.
    ///
    /// # Errors
    /// An extension is unknown.
    pub fn parse(endings: &str) -> Result<FileFormat, Error> {
        let endings = endings.trim_start_matches('.');
        // The name before the extensions does not matter.
        let named = FileFormat::of(Path::new(&format!("-.{endings}")));
        let parts = endings.split('.').count();
        let known = usize::from(named.kind.is_some()) + usize::from(named.compression.is_some());
        if known == parts { Ok(named) } else { Err(Error::UnknownFormat { given: endings.to_owned() }) }
    }

    pub fn name(self) -> Option<&'static str> {
        self.kind.map(|kind| kind.name)
    }

    /// The format for a pipe.
    pub fn in_a_pipe(self) -> FileFormat {
        FileFormat { kind: self.kind.map(|kind| kind.in_a_pipe.unwrap_or(kind)), ..self }
    }

    /// The format in which a table of this format is written.
    pub fn of_output(self, read: &Format) -> Kind {
        self.kind.unwrap_or(if read.kind().goes_into_pipes { read.kind() } else { delimited::FORMATS[0].kind })
    }
}

impl Reading {
    /// The format of an input from its name and options.
    pub fn named(&self, input: &Input) -> FileFormat {
        self.from.or(input.path().map(FileFormat::of)).unwrap_or_default()
    }

    pub fn kind(&self, input: &Input) -> Kind {
        if let Input::Database(_) = input {
            return &database::INFO;
        }
        let kind = self.named(input).kind.unwrap_or(self.otherwise);
        if kind.is_delimited() && self.widths.is_some() { &fixed_width::INFO } else { kind }
    }
}

/// Opens an input as a table in its format, and reads its header.
///
/// ```
/// use keen_notch_core::carving::BatchRows;
/// use keen_notch_io::formats;
/// use keen_notch_io::source::{Reading, Rows, input::Input};
///
/// let parts = Input::Memory("parts.csv".to_owned(), b"part_code,depot\nGRP-1,East\nHNG-2,West\n".as_slice().into());
/// let mut source = formats::open(&parts, &Reading::default())?;
/// let mut chunk = source.next_chunk()?.expect("there are rows");
/// chunk.open(&[0])?;
/// let mut rows = Rows::default();
/// chunk.take(chunk.text()?, 0..chunk.rows(), &mut rows);
/// assert_eq!(rows.with_batch(|batch| batch.value(0, 1).to_owned()), "HNG-2");
/// # Ok::<(), keen_notch_io::Error>(())
/// ```
///
/// # Errors
/// The input cannot be read, or is empty.
pub fn open(input: &Input, reading: &Reading) -> Result<Box<dyn Source>, Error> {
    let kind = reading.kind(input);
    let is_named = reading.named(input).kind.is_some();
    // Input without a named format is delimited text.
    let format = descriptor(kind).or(delimited::FORMATS.first().filter(|_| kind.is_delimited()));
    match format.and_then(|format| format.open) {
        Some(open) => {
            let source = open(Opening { input, kind, is_named, reading })?;
            match reading.partitions {
                Partitions::Always => with_folders(source, input),
                Partitions::OfFiles if input.path().is_some() => with_folders(source, input),
                Partitions::OfFiles | Partitions::No => Ok(source),
            }
        }
        None => Err(Error::Unreadable { name: input.name(), format: kind.name }),
    }
}

/// All columns of the inputs whose header does not have them, and that can be read twice.
///
/// # Errors
/// An input cannot be read.
pub(crate) fn columns(inputs: &[Input], reading: &Reading) -> Result<TypedHeader, Error> {
    for format in table() {
        let Some(columns) = format.columns else { continue };
        let is_of_it = |input: &&Input| reading.kind(input) == format.kind && !input.is_read_once();
        let inputs: Vec<Input> = inputs.iter().filter(is_of_it).cloned().collect();
        if let Some(found) = columns(&inputs, reading)? {
            return Ok(Some(found));
        }
    }
    Ok(None)
}

/// The encoder of an output.
///
/// # Errors
/// The format cannot be written, or cannot hold the columns.
pub fn encoder(asked: EncoderRequest) -> Result<Box<dyn Encoder>, Error> {
    match descriptor(asked.kind).and_then(|format| format.encoder) {
        Some(encoder) => encoder(asked),
        None => Err(Error::NoTable { format: asked.kind.name }),
    }
}

/// The encoder of offcuts. `folders` are the columns from the names of folders.
///
/// # Errors
/// The errors of [`encoder`].
pub fn offcut_encoder(
    read: &Format,
    named: FileFormat,
    (header, folders): (&Header, &[String]),
    types: &[ObservedTypes],
) -> Result<Box<dyn Encoder>, Error> {
    let kind = named.of_output(read);
    let is_as_read = kind.is_delimited() && read.delimiter().is_some();
    let options = TextOptions { header: (!is_as_read).then_some(true), ..TextOptions::default() };
    let shape = &OutputSchema::offcuts(header, folders);
    encoder(EncoderRequest { kind, read: Some(read), options, places: None, header, types, shape })
}

impl fmt::Display for FileFormat {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        let kind = self.kind.and_then(|kind| kind.endings.first().copied());
        let endings = kind.into_iter().chain(self.compression.map(Compression::ending));
        f.write_str(&endings.collect::<Vec<_>>().join("."))
    }
}

fn ending(name: &Path) -> Option<String> {
    Some(name.extension()?.to_str()?.to_ascii_lowercase())
}

/// Checks that rows can be written to an output of this name, in the format of its extension or of an option.
///
/// # Errors
/// The format cannot be written, or the extension is unknown and no option gives a format.
pub fn check_output(name: &Path, named: FileFormat) -> Result<(), Error> {
    match (named.kind, unknown_ending(name)) {
        (Some(kind), _) if descriptor(kind).is_none_or(|format| format.encoder.is_none()) => {
            Err(Error::Unwritable { name: name.display().to_string(), format: kind.name })
        }
        (None, Some(ending)) => Err(Error::UnknownEnding { name: name.display().to_string(), ending }),
        _ => Ok(()),
    }
}

fn unknown_ending(name: &Path) -> Option<String> {
    let FileFormat { kind: None, compression } = FileFormat::of(name) else { return None };
    if compression.is_some() { ending(Path::new(name.file_stem()?)) } else { ending(name) }
}

#[cfg(test)]
mod tests;
