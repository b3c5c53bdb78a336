#[cfg(feature = "columnar")]
mod arrow;
#[cfg(feature = "columnar")]
mod bounds;
#[cfg(feature = "columnar")]
pub(super) mod chunk;
#[cfg(feature = "columnar")]
mod parquet;
#[cfg(feature = "columnar")]
mod rows;
#[cfg(feature = "columnar")]
mod thrift;

use crate::Error;
#[cfg(feature = "columnar")]
use crate::formats::columnar::PARQUET;
use crate::kind::Kind;
use crate::source::input::Input;
use crate::source::{Reading, Source};

#[cfg(feature = "columnar")]
pub fn open(input: &Input, kind: Kind, reading: &Reading) -> Result<Box<dyn Source>, Error> {
    let opened = if kind == &PARQUET { parquet::open(input, reading)? } else { arrow::open(input, reading)? };
    Ok(Box::new(rows::ColumnarRows::new(input.name(), kind, opened)))
}

#[cfg(not(feature = "columnar"))]
pub fn open(input: &Input, kind: Kind, _: &Reading) -> Result<Box<dyn Source>, Error> {
    let why = format!("this build does not read {}", kind.name);
    Err(Error::BadFile { name: input.name(), why, help: crate::Remedy::Feature("columnar") })
}
