//! How columns are written in Parquet: what the encoder tells the sink, ahead of the rows.

use serde::{Deserialize, Serialize};

/// How a file is written.
#[derive(Debug, Clone, PartialEq, Eq, Default, Serialize, Deserialize)]
pub struct Plan {
    /// The most rows of a row group, where the file that was read has several.
    pub group_rows: Option<usize>,
    /// Columns that are written in a way of their own.
    pub columns: Vec<ColumnPlan>,
    /// What is copied as it is, where all rows are kept.
    pub copies: Option<Copies>,
}

/// Columns that are copied as they are.
#[derive(Debug, Clone, PartialEq, Eq, Default, Serialize, Deserialize)]
pub struct Copies {
    /// The files that were read, all rows of which are written in their order.
    pub files: Vec<String>,
    /// For each column of the output, the column of the files that it is; none for new ones.
    pub columns: Vec<Option<usize>>,
}

/// How a column is written.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
pub struct ColumnPlan {
    /// The names from its root to it, one of which may have points.
    pub path: Vec<String>,
    /// How it is compressed, as the Parquet package writes it: `SNAPPY`, `ZSTD(ZstdLevel(1))`.
    pub compression: String,
    /// Whether its values are in a dictionary.
    pub has_dictionary: bool,
    /// Whether there are bloom filters.
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
