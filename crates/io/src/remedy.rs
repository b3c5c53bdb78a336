use std::borrow::Cow;

/// The remedy for an error. The caller knows how its users do that.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum Remedy {
    /// A sentence that is true for every caller.
    Sentence(Cow<'static, str>),
    MoreMemory,
    MoreMemoryOrText,
    MoreMemoryOrSplit,
    MoreMemoryOrDecompress,
    LongerRows,
    NameFormat,
    NewCopyOrFormat,
    SaveAgainOrFormat,
    DatabaseOrFormat,
    MatchColumns,
    NameKeys,
    WriteText,
    WriteFewerRows,
    WriteFewerColumns,
    WriteWithoutColumn,
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
