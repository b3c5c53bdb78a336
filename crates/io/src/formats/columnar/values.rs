//! Converts array values to text.

use std::fmt::Write;

use arrow_array::cast::AsArray;
use arrow_array::temporal_conversions as moments;
use arrow_array::types::{
    ArrowDictionaryKeyType, Date32Type, Date64Type, Decimal32Type, Decimal64Type, Decimal128Type, Decimal256Type,
    DurationMicrosecondType, DurationMillisecondType, DurationNanosecondType, DurationSecondType, Float16Type, Float32Type,
    Float64Type, Int8Type, Int16Type, Int32Type, Int64Type, IntervalDayTimeType, IntervalMonthDayNanoType,
    IntervalYearMonthType, Time32MillisecondType, Time32SecondType, Time64MicrosecondType, Time64NanosecondType,
    TimestampMicrosecondType, TimestampMillisecondType, TimestampNanosecondType, TimestampSecondType, UInt8Type, UInt16Type,
    UInt32Type, UInt64Type,
};
use arrow_array::{Array, downcast_dictionary_array};
use arrow_schema::{DataType, Field, IntervalUnit, TimeUnit};

use crate::source::CellKind;
use crate::source::numbers::push_real;

#[derive(Debug, Clone, PartialEq, Eq)]
pub enum NoText {
    Bytes,
    Type(String),
}

/// Whether a column has the Arrow extension type for UUIDs.
pub fn is_uuid(field: &Field) -> bool {
    field.extension_type_name() == Some("arrow.uuid") && *field.data_type() == DataType::FixedSizeBinary(16)
}

/// Writes a UUID in lowercase (RFC 9562, section 4).
pub fn push_uuid(array: &dyn Array, index: usize, out: &mut String) -> CellKind {
    if array.is_null(index) {
        return CellKind::Nothing;
    }
    for (place, byte) in array.as_fixed_size_binary().value(index).iter().enumerate() {
        if matches!(place, 4 | 6 | 8 | 10) {
            out.push('-');
        }
        // Writing to a string cannot fail.
        let _ = write!(out, "{byte:02x}");
    }
    CellKind::Text
}

/// Writes a value as phrases read it, and returns its kind: decimals with all digits, dates and times as ISO 8601 (with a time zone, in
/// UTC), nested values as JSON.
///
/// # Errors
/// The value has no text.
#[allow(clippy::too_many_lines, reason = "a table of the types")]
pub fn push(array: &dyn Array, index: usize, out: &mut String) -> Result<CellKind, NoText> {
    if array.is_null(index) {
        return Ok(CellKind::Nothing);
    }
    // Writing to a string cannot fail.
    macro_rules! plain {
        ($type:ty) => {{
            let _ = write!(out, "{}", array.as_primitive::<$type>().value(index));
            Ok(CellKind::Number)
        }};
    }
    macro_rules! decimal {
        ($type:ty) => {{
            out.push_str(&array.as_primitive::<$type>().value_as_string(index));
            Ok(CellKind::Number)
        }};
    }
    // A date outside the calendar is shown as its number.
    macro_rules! moment {
        ($type:ty, $convert:path, $kind:expr) => {{
            let value = array.as_primitive::<$type>().value(index);
            let _ = match $convert(value) {
                Some(moment) => write!(out, "{moment:?}"),
                None => write!(out, "{value}"),
            };
            Ok($kind)
        }};
    }
    match array.data_type() {
        DataType::Null => Ok(CellKind::Nothing),
        DataType::Boolean => {
            out.push_str(if array.as_boolean().value(index) { "true" } else { "false" });
            Ok(CellKind::Truth)
        }
        DataType::Utf8 => Ok(text(array.as_string::<i32>().value(index), out)),
        DataType::LargeUtf8 => Ok(text(array.as_string::<i64>().value(index), out)),
        DataType::Utf8View => Ok(text(array.as_string_view().value(index), out)),
        DataType::Binary => bytes(array.as_binary::<i32>().value(index), out),
        DataType::LargeBinary => bytes(array.as_binary::<i64>().value(index), out),
        DataType::BinaryView => bytes(array.as_binary_view().value(index), out),
        DataType::FixedSizeBinary(_) => bytes(array.as_fixed_size_binary().value(index), out),
        DataType::Int8 => plain!(Int8Type),
        DataType::Int16 => plain!(Int16Type),
        DataType::Int32 => plain!(Int32Type),
        DataType::Int64 => plain!(Int64Type),
        DataType::UInt8 => plain!(UInt8Type),
        DataType::UInt16 => plain!(UInt16Type),
        DataType::UInt32 => plain!(UInt32Type),
        DataType::UInt64 => plain!(UInt64Type),
        DataType::Float16 => Ok(push_real(array.as_primitive::<Float16Type>().value(index).to_f32(), out)),
        DataType::Float32 => Ok(push_real(array.as_primitive::<Float32Type>().value(index), out)),
        DataType::Float64 => Ok(push_real(array.as_primitive::<Float64Type>().value(index), out)),
        DataType::Decimal32(..) => decimal!(Decimal32Type),
        DataType::Decimal64(..) => decimal!(Decimal64Type),
        DataType::Decimal128(..) => decimal!(Decimal128Type),
        DataType::Decimal256(..) => decimal!(Decimal256Type),
        DataType::Date32 => {
            let day = array.as_primitive::<Date32Type>().value(index);
            let _ = match moments::date32_to_datetime(day) {
                Some(moment) => write!(out, "{:?}", moment.date()),
                None => write!(out, "{day}"),
            };
            Ok(CellKind::Date)
        }
        DataType::Date64 => {
            let millis = array.as_primitive::<Date64Type>().value(index);
            let _ = match moments::date64_to_datetime(millis) {
                Some(moment) => write!(out, "{:?}", moment.date()),
                None => write!(out, "{millis}"),
            };
            Ok(CellKind::Date)
        }
        DataType::Timestamp(unit, zone) => {
            let kind: Result<CellKind, NoText> = match unit {
                TimeUnit::Second => moment!(TimestampSecondType, moments::timestamp_s_to_datetime, CellKind::Date),
                TimeUnit::Millisecond => moment!(TimestampMillisecondType, moments::timestamp_ms_to_datetime, CellKind::Date),
                TimeUnit::Microsecond => moment!(TimestampMicrosecondType, moments::timestamp_us_to_datetime, CellKind::Date),
                TimeUnit::Nanosecond => moment!(TimestampNanosecondType, moments::timestamp_ns_to_datetime, CellKind::Date),
            };
            if zone.is_some() {
                out.push('Z');
            }
            kind
        }
        DataType::Time32(TimeUnit::Second) => moment!(Time32SecondType, moments::time32s_to_time, CellKind::Text),
        DataType::Time32(_) => moment!(Time32MillisecondType, moments::time32ms_to_time, CellKind::Text),
        DataType::Time64(TimeUnit::Microsecond) => moment!(Time64MicrosecondType, moments::time64us_to_time, CellKind::Text),
        DataType::Time64(_) => moment!(Time64NanosecondType, moments::time64ns_to_time, CellKind::Text),
        DataType::Duration(unit) => {
            let (value, of_second) = match unit {
                TimeUnit::Second => (array.as_primitive::<DurationSecondType>().value(index), 1),
                TimeUnit::Millisecond => (array.as_primitive::<DurationMillisecondType>().value(index), 1_000),
                TimeUnit::Microsecond => (array.as_primitive::<DurationMicrosecondType>().value(index), 1_000_000),
                TimeUnit::Nanosecond => (array.as_primitive::<DurationNanosecondType>().value(index), 1_000_000_000),
            };
            out.push_str("PT");
            seconds(i128::from(value) * (1_000_000_000 / of_second), out);
            Ok(CellKind::Text)
        }
        DataType::Interval(unit) => {
            let (months, days, nanos) = match unit {
                IntervalUnit::YearMonth => (array.as_primitive::<IntervalYearMonthType>().value(index), 0, 0),
                IntervalUnit::DayTime => {
                    let value = array.as_primitive::<IntervalDayTimeType>().value(index);
                    (0, value.days, i128::from(value.milliseconds) * 1_000_000)
                }
                IntervalUnit::MonthDayNano => {
                    let value = array.as_primitive::<IntervalMonthDayNanoType>().value(index);
                    (value.months, value.days, i128::from(value.nanoseconds))
                }
            };
            let _ = write!(out, "P{months}M{days}DT");
            seconds(nanos, out);
            Ok(CellKind::Text)
        }
        DataType::Dictionary(..) => {
            let array: &dyn Array = array;
            downcast_dictionary_array!(
                array => push(array.values(), key(array, index), out),
                other => Err(NoText::Type(other.to_string()))
            )
        }
        DataType::List(_) | DataType::LargeList(_) | DataType::FixedSizeList(..) | DataType::Struct(_) | DataType::Map(..) => {
            json(array, index, out)?;
            Ok(CellKind::Nested)
        }
        other => Err(NoText::Type(other.to_string())),
    }
}

fn key<K: ArrowDictionaryKeyType>(array: &arrow_array::DictionaryArray<K>, index: usize) -> usize {
    array.key(index).unwrap_or_default()
}

fn text(value: &str, out: &mut String) -> CellKind {
    out.push_str(value);
    CellKind::Text
}

fn bytes(value: &[u8], out: &mut String) -> Result<CellKind, NoText> {
    out.push_str(simdutf8::basic::from_utf8(value).map_err(|_| NoText::Bytes)?);
    Ok(CellKind::Text)
}

fn seconds(nanos: i128, out: &mut String) {
    let (whole, rest) = (nanos.abs() / 1_000_000_000, nanos.abs() % 1_000_000_000);
    let _ = write!(out, "{}{whole}", if nanos < 0 { "-" } else { "" });
    if rest > 0 {
        let _ = write!(out, ".{}", format!("{rest:09}").trim_end_matches('0'));
    }
    out.push('S');
}

fn json(array: &dyn Array, index: usize, out: &mut String) -> Result<(), NoText> {
    if array.is_null(index) {
        out.push_str("null");
        return Ok(());
    }
    let list = |values: &dyn Array, out: &mut String| -> Result<(), NoText> {
        out.push('[');
        for item in 0..values.len() {
            if item > 0 {
                out.push(',');
            }
            json(values, item, out)?;
        }
        out.push(']');
        Ok(())
    };
    match array.data_type() {
        DataType::List(_) => list(&array.as_list::<i32>().value(index), out),
        DataType::LargeList(_) => list(&array.as_list::<i64>().value(index), out),
        DataType::FixedSizeList(..) => list(&array.as_fixed_size_list().value(index), out),
        DataType::Struct(fields) => {
            let columns = array.as_struct().columns();
            for (place, (field, column)) in fields.iter().zip(columns).enumerate() {
                out.push(if place == 0 { '{' } else { ',' });
                quoted(field.name(), out);
                out.push(':');
                json(column, index, out)?;
            }
            out.push_str(if fields.is_empty() { "{}" } else { "}" });
            Ok(())
        }
        DataType::Map(..) => {
            let entries = array.as_map().value(index);
            out.push('{');
            for item in 0..entries.len() {
                if item > 0 {
                    out.push(',');
                }
                let mut name = String::new();
                push(entries.column(0), item, &mut name)?;
                quoted(&name, out);
                out.push(':');
                json(entries.column(1), item, out)?;
            }
            out.push('}');
            Ok(())
        }
        _ => {
            let mut value = String::new();
            match push(array, index, &mut value)? {
                CellKind::Nothing => out.push_str("null"),
                CellKind::Number | CellKind::Truth | CellKind::Nested => out.push_str(&value),
                CellKind::Text | CellKind::Date => quoted(&value, out),
            }
            Ok(())
        }
    }
}

fn quoted(text: &str, out: &mut String) {
    out.push_str(&serde_json::Value::from(text).to_string());
}

#[cfg(test)]
#[allow(clippy::unwrap_used, reason = "a test that cannot go on has failed")]
mod tests {
    use std::sync::Arc;

    use arrow_array::builder::{ListBuilder, MapBuilder, StringBuilder};
    use arrow_array::*;
    use arrow_schema::Field;

    use super::*;

    fn first(array: &dyn Array) -> (Result<CellKind, NoText>, String) {
        let mut out = String::new();
        (push(array, 0, &mut out), out)
    }

    #[test]
    fn values_of_every_type_have_a_text() {
        let moment = 1_740_816_330_000_i64;
        let cases: Vec<(ArrayRef, CellKind, &str)> = vec![
            (Arc::new(Int64Array::from(vec![-335])), CellKind::Number, "-335"),
            (Arc::new(UInt64Array::from(vec![u64::MAX])), CellKind::Number, "18446744073709551615"),
            (Arc::new(Float64Array::from(vec![335.0])), CellKind::Number, "335"),
            (Arc::new(Float64Array::from(vec![0.1 + 0.2])), CellKind::Number, "0.30000000000000004"),
            (Arc::new(Float64Array::from(vec![1e300])), CellKind::Number, "1e300"),
            (Arc::new(Float64Array::from(vec![0.0])), CellKind::Number, "0"),
            (Arc::new(Float64Array::from(vec![f64::NAN])), CellKind::Text, "NaN"),
            (Arc::new(Float32Array::from(vec![0.1])), CellKind::Number, "0.1"),
            (Arc::new(Decimal128Array::from(vec![1250]).with_precision_and_scale(10, 2).unwrap()), CellKind::Number, "12.50"),
            (Arc::new(BooleanArray::from(vec![true])), CellKind::Truth, "true"),
            (Arc::new(StringArray::from(vec!["É"])), CellKind::Text, "É"),
            (
                Arc::new(StringViewArray::from(vec!["a long text that is not in the view"])),
                CellKind::Text,
                "a long text that is not in the view",
            ),
            (Arc::new(BinaryArray::from(vec![b"GRP".as_slice()])), CellKind::Text, "GRP"),
            (Arc::new(Date32Array::from(vec![20_148])), CellKind::Date, "2025-03-01"),
            (Arc::new(Date64Array::from(vec![moment])), CellKind::Date, "2025-03-01"),
            (Arc::new(TimestampSecondArray::from(vec![moment / 1000])), CellKind::Date, "2025-03-01T08:05:30"),
            (Arc::new(TimestampMillisecondArray::from(vec![moment + 7])), CellKind::Date, "2025-03-01T08:05:30.007"),
            (
                Arc::new(TimestampMillisecondArray::from(vec![moment]).with_timezone("Europe/Vienna")),
                CellKind::Date,
                "2025-03-01T08:05:30Z",
            ),
            (Arc::new(Time64MicrosecondArray::from(vec![29_130_000_000])), CellKind::Text, "08:05:30"),
            (Arc::new(DurationMillisecondArray::from(vec![-1500])), CellKind::Text, "PT-1.5S"),
            (Arc::new(IntervalYearMonthArray::from(vec![14])), CellKind::Text, "P14M0DT0S"),
            (Arc::new(DictionaryArray::<types::Int8Type>::from_iter(["East", "West"])), CellKind::Text, "East"),
            (Arc::new(Int64Array::from(vec![None])), CellKind::Nothing, ""),
            (Arc::new(NullArray::new(1)), CellKind::Nothing, ""),
        ];
        for (array, kind, text) in cases {
            assert_eq!(first(&array), (Ok(kind), text.to_owned()), "{}", array.data_type());
        }
    }

    #[test]
    fn nested_values_are_json() {
        let mut list = ListBuilder::new(StringBuilder::new());
        list.append_value([Some("a\"b"), None]);
        let mut map = MapBuilder::new(None, StringBuilder::new(), arrow_array::builder::Int32Builder::new());
        map.keys().append_value("no");
        map.values().append_value(7);
        map.append(true).unwrap();
        let fields = vec![
            (Arc::new(Field::new("x", DataType::Float64, true)), Arc::new(Float64Array::from(vec![1.5])) as ArrayRef),
            (Arc::new(Field::new("on", DataType::Date32, true)), Arc::new(Date32Array::from(vec![0])) as ArrayRef),
        ];
        let cases: [(ArrayRef, &str); 3] = [
            (Arc::new(list.finish()), r#"["a\"b",null]"#),
            (Arc::new(map.finish()), r#"{"no":7}"#),
            (Arc::new(StructArray::from(fields)), r#"{"x":1.5,"on":"1970-01-01"}"#),
        ];
        for (array, text) in cases {
            assert_eq!(first(&array), (Ok(CellKind::Nested), text.to_owned()), "{}", array.data_type());
            serde_json::from_str::<serde_json::Value>(text).unwrap();
        }
    }

    #[test]
    fn values_without_text_have_a_reason() {
        assert_eq!(first(&BinaryArray::from(vec![b"\xFF".as_slice()])).0, Err(NoText::Bytes));
        let runs = RunArray::<types::Int32Type>::from_iter(["a"]);
        assert!(matches!(first(&runs).0, Err(NoText::Type(_))));
    }
}
