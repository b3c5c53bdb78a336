//! Settings for Parquet output, which the encoder sends to the sink before the rows.

use serde::{Deserialize, Serialize};

#[derive(Debug, Clone, PartialEq, Eq, Default, Serialize, Deserialize)]
pub struct Plan {
    /// Maximum rows per row group, if the input has several groups.
    pub group_rows: Option<usize>,
    pub columns: Vec<ColumnPlan>,
    /// The columns to copy unchanged, if all rows are kept.
    pub copies: Option<Copies>,
}

#[derive(Debug, Clone, PartialEq, Eq, Default, Serialize, Deserialize)]
pub struct Copies {
    pub files: Vec<String>,
    /// For each output column, the input column; `None` for new columns.
    pub columns: Vec<Option<usize>>,
}

#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
pub struct ColumnPlan {
    /// The path of names from the root; a name can contain dots.
    pub path: Vec<String>,
    /// The compression in the notation of the Parquet package: `SNAPPY`, `ZSTD(ZstdLevel(1))`.
    pub compression: String,
    pub has_dictionary: bool,
    pub has_bloom_filter: bool,
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::head;

    #[test]
    fn a_plan_is_read_as_it_was_written_and_not_before_it_is_complete() {
        let column = ColumnPlan {
            path: vec!["a.b".to_owned()],
            compression: "SNAPPY".to_owned(),
            has_dictionary: true,
            has_bloom_filter: false,
        };
        let copies = Copies { files: vec!["parts.parquet".to_owned()], columns: vec![Some(0), None] };
        let plan = Plan { group_rows: Some(1000), columns: vec![column], copies: Some(copies) };
        let bytes = [head::written(&plan), b"rest".to_vec()].concat();
        let width = bytes.len() - 4;
        assert_eq!(head::read(&bytes), Some((plan, width)));
        assert!((0..width).all(|short| head::read::<Plan>(&bytes[..short]).is_none()));
    }
}
