//! Converts types that Parquet lacks to the nearest type that holds all values.
//!
//! Parquet has no seconds and no dates in milliseconds, and its readers widen dictionary indexes to 32 bits.

use std::sync::Arc;

use arrow_array::cast::AsArray;
use arrow_array::types::{ArrowDictionaryKeyType, Date64Type, Int32Type, Time32SecondType, TimestampSecondType};
use arrow_array::{
    Array, ArrayRef, Date32Array, DictionaryArray, Int32Array, Time32MillisecondArray, TimestampMillisecondArray,
    downcast_dictionary_array, make_array,
};
use arrow_buffer::ArrowNativeType;
use arrow_schema::{ArrowError, DataType, Field, FieldRef, IntervalUnit, Schema, TimeUnit};

const MILLISECONDS_OF_DAY: i64 = 86_400_000;

pub fn type_in_parquet(of: &DataType) -> DataType {
    match of {
        DataType::Dictionary(key, values) => {
            let key = match **key {
                DataType::Int8 | DataType::Int16 | DataType::UInt8 | DataType::UInt16 => Box::new(DataType::Int32),
                _ => key.clone(),
            };
            DataType::Dictionary(key, Box::new(type_in_parquet(values)))
        }
        DataType::Timestamp(TimeUnit::Second, zone) => DataType::Timestamp(TimeUnit::Millisecond, zone.clone()),
        DataType::Time32(TimeUnit::Second) => DataType::Time32(TimeUnit::Millisecond),
        DataType::Date64 => DataType::Date32,
        of => with_children(of, |_, child| field_in_parquet(child)),
    }
}

/// The first type within a column's type that Parquet lacks.
pub fn missing_in_parquet(of: &DataType) -> Option<&'static str> {
    match of {
        DataType::Union(..) => Some("union"),
        DataType::Interval(IntervalUnit::MonthDayNano) => Some("interval of months, days and nanoseconds"),
        DataType::Dictionary(_, values) => missing_in_parquet(values),
        DataType::RunEndEncoded(_, values) => missing_in_parquet(values.data_type()),
        of => children(of).into_iter().find_map(|child| missing_in_parquet(child.data_type())),
    }
}

pub fn children(of: &DataType) -> Vec<&FieldRef> {
    match of {
        DataType::List(field)
        | DataType::LargeList(field)
        | DataType::ListView(field)
        | DataType::LargeListView(field)
        | DataType::FixedSizeList(field, _)
        | DataType::Map(field, _) => vec![field],
        DataType::Struct(fields) => fields.iter().collect(),
        _ => Vec::new(),
    }
}

pub fn with_children(of: &DataType, mut child: impl FnMut(usize, &FieldRef) -> FieldRef) -> DataType {
    match of {
        DataType::List(field) => DataType::List(child(0, field)),
        DataType::LargeList(field) => DataType::LargeList(child(0, field)),
        DataType::ListView(field) => DataType::ListView(child(0, field)),
        DataType::LargeListView(field) => DataType::LargeListView(child(0, field)),
        DataType::FixedSizeList(field, length) => DataType::FixedSizeList(child(0, field), *length),
        DataType::Map(field, is_sorted) => DataType::Map(child(0, field), *is_sorted),
        DataType::Struct(fields) => {
            DataType::Struct(fields.iter().enumerate().map(|(place, field)| child(place, field)).collect())
        }
        of => of.clone(),
    }
}

pub fn field_in_parquet(field: &FieldRef) -> FieldRef {
    let of = type_in_parquet(field.data_type());
    if of == *field.data_type() { Arc::clone(field) } else { Arc::new(Field::clone(field).with_data_type(of)) }
}

/// A schema with Parquet types; `None` if it needs no change.
pub fn schema_in_parquet(schema: &Schema) -> Option<Schema> {
    let fields: Vec<FieldRef> = schema.fields().iter().map(field_in_parquet).collect();
    let is_other = fields.iter().zip(schema.fields()).any(|(one, other)| one != other);
    is_other.then(|| Schema::new_with_metadata(fields, schema.metadata().clone()))
}

/// Converts an array to its type in Parquet.
///
/// # Errors
/// A timestamp overflows in milliseconds.
pub fn array_in_parquet(array: &ArrayRef) -> Result<ArrayRef, ArrowError> {
    if type_in_parquet(array.data_type()) == *array.data_type() {
        return Ok(Arc::clone(array));
    }
    let too_far = |value: i64| ArrowError::ComputeError(format!("{value} seconds cannot be counted in milliseconds"));
    Ok(match array.data_type() {
        DataType::Dictionary(..) => {
            let array: &dyn Array = &**array;
            downcast_dictionary_array!(
                array => widened(array)?,
                _ => unreachable!("it is a dictionary")
            )
        }
        DataType::Timestamp(_, zone) => {
            let seconds = array.as_primitive::<TimestampSecondType>();
            let milliseconds = seconds.try_unary(|value| value.checked_mul(1000).ok_or_else(|| too_far(value)));
            let milliseconds: TimestampMillisecondArray = milliseconds?;
            Arc::new(milliseconds.with_timezone_opt(zone.clone()))
        }
        DataType::Time32(_) => {
            let seconds = array.as_primitive::<Time32SecondType>();
            let milliseconds = seconds.try_unary(|value| value.checked_mul(1000).ok_or_else(|| too_far(value.into())));
            let milliseconds: Time32MillisecondArray = milliseconds?;
            Arc::new(milliseconds)
        }
        DataType::Date64 => {
            let days =
                |value: i64| i32::try_from(value.div_euclid(MILLISECONDS_OF_DAY)).map_err(|_| too_far(value.div_euclid(1000)));
            let days: Date32Array = array.as_primitive::<Date64Type>().try_unary(days)?;
            Arc::new(days)
        }
        of => {
            let data = array.to_data();
            let children = data.child_data().iter().map(|child| Ok(array_in_parquet(&make_array(child.clone()))?.to_data()));
            let children = children.collect::<Result<Vec<_>, ArrowError>>()?;
            make_array(data.into_builder().data_type(type_in_parquet(of)).child_data(children).build()?)
        }
    })
}

fn widened<K: ArrowDictionaryKeyType>(array: &DictionaryArray<K>) -> Result<ArrayRef, ArrowError> {
    let values = array_in_parquet(array.values())?;
    if type_in_parquet(array.data_type()) == DataType::Dictionary(Box::new(K::DATA_TYPE), Box::new(values.data_type().clone()))
    {
        return Ok(Arc::new(DictionaryArray::<K>::try_new(array.keys().clone(), values)?));
    }
    // Keys of at most 16 bits always fit.
    let keys: Int32Array = array.keys().iter().map(|key| key.map(|key| key.as_usize() as i32)).collect();
    Ok(Arc::new(DictionaryArray::<Int32Type>::try_new(keys, values)?))
}

#[cfg(test)]
#[allow(clippy::unwrap_used, reason = "a test that cannot go on has failed")]
mod tests {
    use arrow_array::builder::{FixedSizeListBuilder, ListBuilder, MapBuilder, PrimitiveBuilder, StringBuilder};
    use arrow_array::types::{Int8Type, UInt16Type};
    use arrow_array::{Date64Array, StructArray, Time32SecondArray, TimestampSecondArray};

    use super::*;
    use crate::formats::columnar::values;

    fn texts(array: &ArrayRef) -> Vec<String> {
        let text = |index| {
            let mut text = String::new();
            values::push(array, index, &mut text).unwrap();
            text
        };
        (0..array.len()).map(text).collect()
    }

    #[test]
    fn values_stay_unchanged() {
        let second = 1_740_816_330;
        let mut list = ListBuilder::new(PrimitiveBuilder::<TimestampSecondType>::new());
        list.append_value([Some(second), None]);
        list.append_null();
        let mut pair = FixedSizeListBuilder::new(PrimitiveBuilder::<TimestampSecondType>::new(), 2);
        pair.values().append_slice(&[second, -second]);
        pair.append(true);
        let mut map = MapBuilder::new(None, StringBuilder::new(), PrimitiveBuilder::<Date64Type>::new());
        map.keys().append_value("on");
        map.values().append_value(-MILLISECONDS_OF_DAY);
        map.append(true).unwrap();
        let field = Arc::new(Field::new("d", DataType::Date64, true));
        let day: ArrayRef = Arc::new(Date64Array::from(vec![Some(-MILLISECONDS_OF_DAY), None]));
        let arrays: Vec<ArrayRef> = vec![
            Arc::new(DictionaryArray::<Int8Type>::from_iter([Some("East"), None, Some("West")])),
            Arc::new(DictionaryArray::<UInt16Type>::from_iter([Some("East"), Some("")])),
            Arc::new(DictionaryArray::<Int32Type>::from_iter(["East"])),
            Arc::new(TimestampSecondArray::from(vec![Some(second), None]).with_timezone("Europe/Vienna")),
            Arc::new(Time32SecondArray::from(vec![Some(29_130), None])),
            Arc::clone(&day),
            Arc::new(list.finish()),
            Arc::new(pair.finish()),
            Arc::new(map.finish()),
            Arc::new(StructArray::from(vec![(field, day)])),
        ];
        for array in arrays {
            let held = array_in_parquet(&array).unwrap();
            assert_eq!(*held.data_type(), type_in_parquet(array.data_type()));
            assert_eq!(texts(&held), texts(&array), "{}", array.data_type());
            assert_eq!(type_in_parquet(held.data_type()), *held.data_type());
        }
        let far: ArrayRef = Arc::new(TimestampSecondArray::from(vec![i64::MAX]));
        assert!(array_in_parquet(&far).is_err());
    }
}
