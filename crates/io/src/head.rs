//! What an encoder tells the sink ahead of the rows: its size in bytes, and it as JSON.

use serde::Serialize;
use serde::de::DeserializeOwned;

/// What comes before the rows.
pub fn written(head: &impl Serialize) -> Vec<u8> {
    let json = serde_json::to_vec(head).unwrap_or_default();
    [&(json.len() as u32).to_le_bytes(), json.as_slice()].concat()
}

/// What bytes begin with, and how many it takes; `None` where it is not complete.
pub fn read<T: DeserializeOwned + Default>(bytes: &[u8]) -> Option<(T, usize)> {
    let (width, rest) = bytes.split_first_chunk::<4>()?;
    let width = u32::from_le_bytes(*width) as usize;
    Some((serde_json::from_slice(rest.get(..width)?).unwrap_or_default(), 4 + width))
}
