//! Arrays of some values of others, copied run by run.

use arrow_array::{Array, ArrayRef, make_array};
use arrow_data::transform::MutableArrayData;
use arrow_schema::ArrowError;

/// The values at these ascending indices.
///
/// # Errors
/// The new array is too large for its type.
pub fn picked(array: &dyn Array, indices: &[u32]) -> Result<ArrayRef, ArrowError> {
    let data = array.to_data();
    let mut new = MutableArrayData::new(vec![&data], false, indices.len());
    extend(&mut new, 0, indices)?;
    Ok(make_array(new.freeze()))
}

/// `array` with the values of `other`, which has the same type, at these ascending indices.
///
/// # Errors
/// The new array is too large for its type.
pub fn extended(array: &dyn Array, other: &dyn Array, indices: &[u32]) -> Result<ArrayRef, ArrowError> {
    let (data, others) = (array.to_data(), other.to_data());
    let mut new = MutableArrayData::new(vec![&data, &others], false, array.len() + indices.len());
    new.try_extend(0, 0, array.len())?;
    extend(&mut new, 1, indices)?;
    Ok(make_array(new.freeze()))
}

fn extend(new: &mut MutableArrayData, array: usize, indices: &[u32]) -> Result<(), ArrowError> {
    let runs = indices.chunk_by(|one, next| *next == one + 1);
    runs.filter_map(|run| Some((*run.first()? as usize, run.len())))
        .try_for_each(|(first, count)| new.try_extend(array, first, first + count))
}
