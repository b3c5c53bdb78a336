use std::sync::Arc;

use arrow_ipc::convert::try_schema_from_ipc_buffer;
use arrow_schema::{DataType, Field, FieldRef, Schema, TimeUnit};
use base64::Engine;
use base64::prelude::BASE64_STANDARD;
use parquet::arrow::arrow_reader::{ArrowReaderMetadata, ArrowReaderOptions};
use parquet::basic::Type as PhysicalType;
use parquet::errors::Result;
use parquet::file::metadata::ParquetMetaData;
use parquet::file::reader::ChunkReader;

use crate::formats::columnar::parquet_types::{children, schema_in_parquet, with_children};

/// Reads the metadata of a Parquet file, with the Arrow schema of its columns.
///
/// # Errors
/// The file is not Parquet, or its metadata is damaged.
pub fn parquet_metadata(reader: &impl ChunkReader) -> Result<ArrowReaderMetadata> {
    let metadata = ArrowReaderMetadata::load(reader, ArrowReaderOptions::new())?;
    let instants = with_instants(metadata.schema(), metadata.metadata());
    let zoned = match embedded_schema(metadata.metadata()) {
        Some(embedded) => Some(with_zones(&instants, &embedded)),
        None => Some(instants),
    };
    let zoned = zoned.filter(|zoned| zoned != &**metadata.schema());
    // The embedded schema can contain types that Parquet does not keep, such as dictionaries with short indexes.
    match schema_in_parquet(zoned.as_ref().unwrap_or(metadata.schema())).or(zoned) {
        Some(schema) => {
            let options = ArrowReaderOptions::new().with_schema(Arc::new(schema));
            ArrowReaderMetadata::try_new(Arc::clone(metadata.metadata()), options)
        }
        None => Ok(metadata),
    }
}

/// The schema with a zone for columns of 96 bits: they are moments in UTC, although the type has no place for a zone. Without one, they
/// would be written as local times.
fn with_instants(schema: &Schema, metadata: &ParquetMetaData) -> Schema {
    let columns = metadata.file_metadata().schema_descr().root_schema().get_fields();
    let fields = schema.fields().iter().zip(columns).map(|(field, column)| match field.data_type() {
        DataType::Timestamp(unit, None) if column.is_primitive() && column.get_physical_type() == PhysicalType::INT96 => {
            Arc::new(Field::clone(field).with_data_type(DataType::Timestamp(*unit, Some("UTC".into()))))
        }
        _ => Arc::clone(field),
    });
    Schema::new_with_metadata(fields.collect::<Vec<_>>(), schema.metadata().clone())
}

/// The Arrow schema that the writer of a file embedded: an IPC message in base64, under the key `ARROW:schema`.
fn embedded_schema(metadata: &ParquetMetaData) -> Option<Schema> {
    let values = metadata.file_metadata().key_value_metadata()?;
    let embedded = values.iter().find(|value| value.key == "ARROW:schema")?.value.as_ref()?;
    try_schema_from_ipc_buffer(&BASE64_STANDARD.decode(embedded).ok()?).ok()
}

/// The schema from Parquet, with the time zones of the embedded one. The Parquet package drops a zone if the embedded type counts
/// seconds.
fn with_zones(schema: &Schema, embedded: &Schema) -> Schema {
    let fields = schema.fields().iter().map(|field| match embedded.field_with_name(field.name()) {
        Ok(other) => field_with_zone(field, other),
        Err(_) => Arc::clone(field),
    });
    Schema::new_with_metadata(fields.collect::<Vec<_>>(), schema.metadata().clone())
}

fn field_with_zone(field: &FieldRef, embedded: &Field) -> FieldRef {
    let of = match (field.data_type(), embedded.data_type()) {
        (DataType::Timestamp(unit, Some(_)), DataType::Timestamp(TimeUnit::Second, Some(zone))) => {
            DataType::Timestamp(*unit, Some(Arc::clone(zone)))
        }
        (of, embedded) => {
            let others = children(embedded);
            with_children(of, |place, child| match others.get(place) {
                Some(other) => field_with_zone(child, other),
                None => Arc::clone(child),
            })
        }
    };
    Arc::new(Field::clone(field).with_data_type(of))
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn zones_of_seconds_come_from_the_embedded_schema() {
        let moment = |unit, zone: &str| DataType::Timestamp(unit, Some(zone.into()));
        let schema = |of: DataType, inner: DataType| {
            let list = DataType::new_list(inner, true);
            Schema::new(vec![
                Field::new("at", of, true),
                Field::new("all", list, true),
                Field::new("other", DataType::Int8, true),
            ])
        };
        let read = schema(moment(TimeUnit::Millisecond, "UTC"), moment(TimeUnit::Millisecond, "UTC"));
        let embedded = schema(moment(TimeUnit::Second, "Europe/Vienna"), moment(TimeUnit::Second, "+05:30"));
        let expected = schema(moment(TimeUnit::Millisecond, "Europe/Vienna"), moment(TimeUnit::Millisecond, "+05:30"));
        assert_eq!(with_zones(&read, &embedded), expected);
        assert_eq!(with_zones(&read, &Schema::empty()), read);
    }
}
