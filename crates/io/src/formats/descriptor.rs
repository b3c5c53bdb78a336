//! The description of a format, with the functions that read and write it.

use std::io;

use keen_notch_core::column::Header;

use crate::Error;
use crate::encode::{Encoder, EncoderRequest};
use crate::kind::Kind;
use crate::sink::transform::Transform;
use crate::source::input::Input;
use crate::source::types::ObservedTypes;
use crate::source::{Reading, Source};

/// An input to open.
#[derive(Clone, Copy)]
pub struct Opening<'a> {
    pub input: &'a Input,
    pub kind: Kind,
    /// Whether the name of the input or an option gives the format.
    pub is_named: bool,
    pub reading: &'a Reading,
}

pub(crate) type Open = fn(Opening) -> Result<Box<dyn Source>, Error>;

pub(crate) type ScanColumns = fn(&[Input], &Reading) -> Result<TypedHeader, Error>;

pub(crate) type MakeEncoder = fn(EncoderRequest) -> Result<Box<dyn Encoder>, Error>;

pub(crate) type Finish = fn(Kind) -> io::Result<Box<dyn Transform>>;

pub(crate) type TypedHeader = Option<(Header, Vec<ObservedTypes>)>;

/// A format. `None` is what it cannot do.
pub struct FormatDescriptor {
    pub kind: Kind,
    /// Opens an input and reads its header.
    pub(crate) open: Option<Open>,
    /// Scans inputs for all their columns, if the header does not have them.
    pub(crate) columns: Option<ScanColumns>,
    /// The encoder of rows, offcuts and tables of faults.
    pub(crate) encoder: Option<MakeEncoder>,
    /// Builds a file from the bytes of the encoder, if it cannot be written row by row.
    pub(crate) finish: Option<Finish>,
}

impl FormatDescriptor {
    /// A format that can only be recognised.
    pub(crate) const fn new(kind: Kind) -> FormatDescriptor {
        FormatDescriptor { kind, open: None, columns: None, encoder: None, finish: None }
    }
}
