//! The header that an encoder sends to the sink before the rows: its size in bytes, then JSON.

use serde::Serialize;
use serde::de::DeserializeOwned;

pub fn written(head: &impl Serialize) -> Vec<u8> {
    let json = serde_json::to_vec(head).unwrap_or_default();
    [&(json.len() as u32).to_le_bytes(), json.as_slice()].concat()
}

/// The header at the start of some bytes, and its size; `None` if it is incomplete.
pub fn read<T: DeserializeOwned + Default>(bytes: &[u8]) -> Option<(T, usize)> {
    let (width, rest) = bytes.split_first_chunk::<4>()?;
    let width = u32::from_le_bytes(*width) as usize;
    Some((serde_json::from_slice(rest.get(..width)?).unwrap_or_default(), 4 + width))
}
