use std::borrow::Cow;

/// What to do about an error. The caller knows how its users do that.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum Remedy {
    /// A sentence that is true for every caller.
    Sentence(Cow<'static, str>),
    /// Raise the memory limit.
    MoreMemory,
    /// Raise the memory limit, or save the input as delimited text.
    MoreMemoryOrText,
    /// Raise the memory limit, split the input, or save it as delimited text.
    MoreMemoryOrSplit,
    /// Raise the memory limit, or decompress the input first.
    MoreMemoryOrDecompress,
    /// Raise the limit of a row, or select shorter values.
    LongerRows,
    /// Name the format of the input.
    NameFormat,
    /// Get a new copy of the input, or name its format.
    NewCopyOrFormat,
    /// Save the workbook again, or name the format of the input.
    SaveAgainOrFormat,
    /// Name a database of SQLite, or the format of the input.
    DatabaseOrFormat,
    /// Leave out columns that the table of the database lacks.
    MatchColumns,
    /// Name the columns of the key of an update.
    NameKeys,
    /// Write delimited text.
    WriteText,
    /// Write delimited text, or fewer rows.
    WriteFewerRows,
    /// Write delimited text, or fewer columns.
    WriteFewerColumns,
    /// Write delimited text, or leave a column out.
    WriteWithoutColumn,
    /// Write another format.
    WriteAnotherFormat,
    /// Use a build with this feature, or delimited text.
    Feature(&'static str),
    /// Use a build with this feature.
    DatabaseFeature(&'static str),
}

impl From<&'static str> for Remedy {
    fn from(sentence: &'static str) -> Remedy {
        Remedy::Sentence(sentence.into())
    }
}

impl From<String> for Remedy {
    fn from(sentence: String) -> Remedy {
        Remedy::Sentence(sentence.into())
    }
}
