//! Merges the dictionaries of batches, because an Arrow file has one dictionary per column, which can only grow.

use std::collections::HashMap;
use std::sync::Arc;

use arrow_array::types::ArrowDictionaryKeyType;
use arrow_array::{Array, ArrayRef, DictionaryArray, PrimitiveArray, RecordBatch, downcast_dictionary_array};
use arrow_buffer::ArrowNativeType;
use arrow_schema::{ArrowError, DataType};

use crate::formats::columnar::{picking, values};

#[derive(Default)]
pub struct Dictionaries {
    columns: HashMap<usize, MergedDictionary>,
}

struct MergedDictionary {
    values: ArrayRef,
    places: HashMap<String, usize>,
}

impl Dictionaries {
    /// The batch with keys into the merged dictionaries.
    ///
    /// # Errors
    /// A column has more values than its keys can count, or values of an unsupported type.
    pub fn joined(&mut self, batch: &RecordBatch) -> Result<RecordBatch, ArrowError> {
        let mut columns = batch.columns().to_vec();
        for (place, column) in columns.iter_mut().enumerate() {
            if let DataType::Dictionary(..) = column.data_type() {
                let array: &dyn Array = &*Arc::clone(column);
                *column = downcast_dictionary_array!(
                    array => self.join(place, array)?,
                    _ => continue
                );
            }
        }
        RecordBatch::try_new(batch.schema(), columns)
    }

    fn join<K: ArrowDictionaryKeyType>(&mut self, place: usize, array: &DictionaryArray<K>) -> Result<ArrayRef, ArrowError> {
        let values = array.values();
        let known = self
            .columns
            .entry(place)
            .or_insert_with(|| MergedDictionary { values: values.slice(0, 0), places: HashMap::new() });
        let (mut new, mut places) = (Vec::new(), Vec::with_capacity(values.len()));
        for index in 0..values.len() {
            let mut text = String::new();
            // The value may be an empty text.
            if !values.is_null(index) {
                text.push('=');
                let other =
                    |_| ArrowError::InvalidArgumentError("dictionaries of values other than text cannot be merged".to_owned());
                values::push(values, index, &mut text).map_err(other)?;
            }
            let next = known.places.len();
            places.push(*known.places.entry(text).or_insert_with(|| {
                new.push(index as u32);
                next
            }));
        }
        if !new.is_empty() {
            known.values = picking::extended(&known.values, values, &new)?;
        }
        let key = |key: Option<K::Native>| {
            let Some(key) = key else { return Ok(None) };
            let place = places.get(key.as_usize()).copied().unwrap_or_default();
            K::Native::from_usize(place).map(Some).ok_or(ArrowError::DictionaryKeyOverflowError)
        };
        let keys: PrimitiveArray<K> =
            array.keys().iter().map(key).collect::<Result<Vec<_>, ArrowError>>()?.into_iter().collect();
        Ok(Arc::new(DictionaryArray::<K>::try_new(keys, Arc::clone(&known.values))?))
    }
}

#[cfg(test)]
#[allow(clippy::unwrap_used, reason = "a test that cannot go on has failed")]
mod tests {
    use arrow_array::types::Int8Type;

    use super::*;

    fn batch(texts: &[Option<&str>]) -> RecordBatch {
        let array: DictionaryArray<Int8Type> = texts.iter().copied().collect();
        RecordBatch::try_from_iter([("depot", Arc::new(array) as ArrayRef)]).unwrap()
    }

    #[test]
    fn a_dictionary_only_grows_and_values_stay() {
        let mut dictionaries = Dictionaries::default();
        let mut before = 0;
        for texts in
            [&[Some("East"), None, Some("West")][..], &[Some("West"), Some("")], &[Some("East")], &[None, Some("Summit")]]
        {
            let joined = dictionaries.joined(&batch(texts)).unwrap();
            let array: &DictionaryArray<Int8Type> = joined.column(0).as_any().downcast_ref().unwrap();
            let found: Vec<Option<&str>> = array.downcast_dict::<arrow_array::StringArray>().unwrap().into_iter().collect();
            assert_eq!(found, texts);
            assert!(array.values().len() >= before);
            before = array.values().len();
        }
        assert_eq!(before, 4);
        let many: Vec<String> = (0..100).map(|number| number.to_string()).collect();
        let many: Vec<Option<&str>> = many.iter().map(|text| Some(text.as_str())).collect();
        assert!(dictionaries.joined(&batch(&many)).is_ok());
        assert!(dictionaries.joined(&batch(&[Some("a"); 1])).is_ok());
        let more: Vec<String> = (100..128).map(|number| number.to_string()).collect();
        let more: Vec<Option<&str>> = more.iter().map(|text| Some(text.as_str())).collect();
        assert!(dictionaries.joined(&batch(&more)).is_err(), "keys of 8 bits count to 127");
    }
}
