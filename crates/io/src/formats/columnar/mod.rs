#[cfg(feature = "columnar")]
mod copying;
#[cfg(feature = "columnar")]
pub mod encoder;
#[cfg(feature = "columnar")]
pub mod hashes;
pub mod source;
pub mod writer;

#[cfg(feature = "columnar")]
mod dictionaries;
#[cfg(feature = "columnar")]
mod parquet_schema;
#[cfg(feature = "columnar")]
mod parquet_types;
#[cfg(feature = "columnar")]
mod picking;
#[cfg(feature = "columnar")]
mod plan;
#[cfg(feature = "columnar")]
mod stream;
#[cfg(feature = "columnar")]
pub mod values;

#[cfg(feature = "columnar")]
pub use dictionaries::Dictionaries;
#[cfg(feature = "columnar")]
pub use parquet_schema::parquet_metadata;
#[cfg(feature = "columnar")]
pub use parquet_types::{array_in_parquet, field_in_parquet, missing_in_parquet};
#[cfg(feature = "columnar")]
pub use plan::{ColumnPlan, Copies, Plan};
#[cfg(feature = "columnar")]
pub use stream::{push_batch, push_schema};

#[cfg(feature = "columnar")]
use arrow_schema::{DataType, TimeUnit};

use crate::formats::descriptor::FormatDescriptor;
use crate::kind::{FormatInfo, Kind};
#[cfg(feature = "columnar")]
use crate::source::types::Type;
#[cfg(feature = "columnar")]
use crate::source::{Format, TableFormat, TypeDifference};

const INFO: FormatInfo = FormatInfo { has_types: true, has_arrays: true, ..FormatInfo::PLAIN };

pub static PARQUET: FormatInfo = FormatInfo { name: "Parquet", endings: &["parquet"], ..INFO };
static ARROW_FILE: FormatInfo = FormatInfo { endings: &["arrow", "feather"], in_a_pipe: Some(&ARROW_STREAM), ..ARROW };
pub static ARROW_STREAM: FormatInfo = FormatInfo { endings: &["arrows"], in_a_pipe: Some(&ARROW_STREAM), ..ARROW };
const ARROW: FormatInfo = FormatInfo { name: "Arrow", ..INFO };

pub static FORMATS: [FormatDescriptor; 3] = [format(&PARQUET), format(&ARROW_FILE), format(&ARROW_STREAM)];

const fn format(kind: Kind) -> FormatDescriptor {
    FormatDescriptor {
        open: Some(|opening| source::open(opening.input, opening.kind, opening.reading)),
        #[cfg(feature = "columnar")]
        encoder: Some(|asked| Ok(Box::new(encoder::Columnar::for_output(asked)?))),
        #[cfg(not(feature = "columnar"))]
        encoder: Some(|asked| {
            let why = "this build does not write it".to_owned();
            Err(crate::Error::NoColumnar { format: asked.kind.name, why })
        }),
        finish: Some(writer::transform),
        ..FormatDescriptor::new(kind)
    }
}

#[cfg(feature = "columnar")]
#[derive(Debug, Clone)]
pub struct Columnar {
    pub kind: Kind,
    pub schema: arrow_schema::SchemaRef,
    pub plan: Plan,
}

#[cfg(feature = "columnar")]
impl Columnar {
    pub(crate) fn type_of(&self, column: usize) -> Type {
        match self.schema.field(column).data_type() {
            DataType::Boolean => Type::Truth,
            DataType::UInt64 => Type::LongWhole,
            of if of.is_integer() => Type::Whole,
            of if of.is_floating() => Type::Number,
            DataType::Date32 | DataType::Date64 => Type::Date,
            of if of.is_nested() => Type::Nested,
            _ => Type::Text,
        }
    }

    /// The PostgreSQL type of a column that [`Type`] cannot describe. `None` if PostgreSQL would lose digits, such as nanoseconds.
    pub(crate) fn postgres_type(&self, column: usize) -> Option<String> {
        let field = self.schema.field(column);
        Some(match field.data_type() {
            _ if values::is_uuid(field) => "uuid".to_owned(),
            DataType::Decimal32(width, scale)
            | DataType::Decimal64(width, scale)
            | DataType::Decimal128(width, scale)
            | DataType::Decimal256(width, scale) => match u8::try_from(*scale) {
                Ok(scale) if scale <= *width => format!("numeric({width},{scale})"),
                _ => "numeric".to_owned(),
            },
            DataType::Timestamp(TimeUnit::Nanosecond, _) | DataType::Time64(TimeUnit::Nanosecond) => return None,
            DataType::Timestamp(_, None) => "timestamp without time zone".to_owned(),
            DataType::Timestamp(_, Some(_)) => "timestamp with time zone".to_owned(),
            DataType::Time32(_) | DataType::Time64(_) => "time without time zone".to_owned(),
            _ => return None,
        })
    }
}

#[cfg(feature = "columnar")]
impl TableFormat for Columnar {
    fn kind(&self) -> Kind {
        self.kind
    }

    fn copied(&self, files: &[String]) -> Option<Format> {
        let mut copied = self.clone();
        copied.plan.copies = (self.kind == &PARQUET).then(|| Copies { files: files.to_vec(), columns: Vec::new() });
        Some(Format::new(copied))
    }

    fn is_copied(&self) -> bool {
        self.plan.copies.is_some()
    }

    fn other_type(&self, other: &Format) -> Option<TypeDifference> {
        let mut both = self.schema.fields().iter().zip(other.get::<Columnar>()?.schema.fields());
        let (this, other) = both.find(|(this, other)| this.name() == other.name() && this.data_type() != other.data_type())?;
        let [own, other] = [this, other].map(|field| field.data_type().to_string());
        Some(TypeDifference { column: this.name().clone(), own, other })
    }
}
