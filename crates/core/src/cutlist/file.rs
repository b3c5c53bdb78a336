//! The keys of a cut list file. `schema.json` describes them.

use std::fmt;

use indexmap::IndexMap;
use serde::de::{SeqAccess, Visitor};
use serde::{Deserialize, Deserializer};
use toml::Spanned;

use crate::text::unit::Unit;

#[derive(Debug, Deserialize)]
#[serde(deny_unknown_fields)]
pub(super) struct File {
    pub(super) title: Option<String>,
    pub(super) column: Option<Spanned<String>>,
    #[serde(default)]
    pub(super) unit: Unit,
    #[serde(default)]
    pub(super) piece: IndexMap<Spanned<String>, PieceEntry>,
    #[serde(default)]
    pub(super) layout: IndexMap<Spanned<String>, LayoutEntry>,
    #[serde(default)]
    pub(super) proof: IndexMap<Spanned<String>, Spanned<String>>,
    pub(super) rows: Option<RowsEntry>,
    #[serde(default)]
    pub(super) reading: Reading,
    #[serde(default)]
    pub(super) writing: Writing,
}

#[derive(Debug, Clone, Default, PartialEq, Eq, Deserialize)]
#[serde(deny_unknown_fields)]
pub struct Writing {
    pub widths: Option<String>,
}

#[derive(Debug, Clone, Default, PartialEq, Eq, Deserialize)]
#[serde(deny_unknown_fields)]
pub struct Reading {
    pub delimiter: Option<String>,
    pub encoding: Option<String>,
    pub header: Option<bool>,
    pub partitions: Option<bool>,
    pub ragged: Option<RaggedRows>,
    pub widths: Option<String>,
    pub sheet: Option<String>,
    pub query: Option<String>,
}

impl Reading {
    /// The given keys.
    pub fn keys(&self) -> Vec<&'static str> {
        let Reading { delimiter, encoding, header, partitions, ragged, widths, sheet, query } = self;
        let given = [
            ("delimiter", delimiter.is_some()),
            ("encoding", encoding.is_some()),
            ("header", header.is_some()),
            ("partitions", partitions.is_some()),
            ("ragged", ragged.is_some()),
            ("widths", widths.is_some()),
            ("sheet", sheet.is_some()),
            ("query", query.is_some()),
        ];
        given.into_iter().filter(|(_, is_given)| *is_given).map(|(key, _)| key).collect()
    }
}

#[derive(Debug, Clone, Copy, PartialEq, Eq, Deserialize)]
#[serde(rename_all = "kebab-case")]
pub enum RaggedRows {
    Stop,
    Keep,
    SetAside,
}

#[derive(Debug, Deserialize)]
#[serde(deny_unknown_fields)]
pub(super) struct PieceEntry {
    pub(super) of: Option<Spanned<String>>,
    pub(super) take: Option<Spanned<String>>,
    pub(super) build: Option<Spanned<String>>,
    #[serde(default)]
    pub(super) check: Texts,
    #[serde(default)]
    pub(super) warn: Texts,
    pub(super) when: Option<Spanned<String>>,
    pub(super) columns: Option<Spanned<toml::Value>>,
    #[serde(default)]
    pub(super) rows: Option<Spanned<bool>>,
    #[serde(rename = "as")]
    pub(super) value_type: Option<Spanned<String>>,
    #[serde(default)]
    pub(super) replace: bool,
    #[serde(default)]
    pub(super) optional: Option<Spanned<bool>>,
    #[serde(default)]
    pub(super) hidden: bool,
}

#[derive(Debug, Deserialize)]
#[serde(deny_unknown_fields)]
pub(super) struct LayoutEntry {
    pub(super) form: Texts,
}

#[derive(Debug, Deserialize)]
#[serde(deny_unknown_fields)]
pub(super) struct RowsEntry {
    #[serde(default)]
    pub(super) keep: Texts,
    #[serde(default)]
    pub(super) unique: Texts,
}

#[derive(Debug, Default)]
pub(super) struct Texts(Vec<Spanned<String>>);

impl std::ops::Deref for Texts {
    type Target = [Spanned<String>];

    fn deref(&self) -> &[Spanned<String>] {
        &self.0
    }
}

impl<'de> Deserialize<'de> for Texts {
    fn deserialize<D: Deserializer<'de>>(deserializer: D) -> Result<Texts, D::Error> {
        enum OneOrMany {
            Lone(String),
            List(Vec<Spanned<String>>),
        }
        struct Reader;
        impl<'de> Visitor<'de> for Reader {
            type Value = OneOrMany;

            fn expecting(&self, f: &mut fmt::Formatter) -> fmt::Result {
                f.write_str("a string or a list of strings")
            }

            fn visit_str<E: serde::de::Error>(self, text: &str) -> Result<OneOrMany, E> {
                Ok(OneOrMany::Lone(text.to_owned()))
            }

            fn visit_seq<A: SeqAccess<'de>>(self, mut list: A) -> Result<OneOrMany, A::Error> {
                let mut texts = Vec::new();
                while let Some(text) = list.next_element()? {
                    texts.push(text);
                }
                Ok(OneOrMany::List(texts))
            }
        }
        impl<'de> Deserialize<'de> for OneOrMany {
            fn deserialize<D: Deserializer<'de>>(deserializer: D) -> Result<OneOrMany, D::Error> {
                deserializer.deserialize_any(Reader)
            }
        }
        let given = Spanned::<OneOrMany>::deserialize(deserializer)?;
        let span = given.span();
        Ok(Texts(match given.into_inner() {
            OneOrMany::Lone(text) => vec![Spanned::new(span, text)],
            OneOrMany::List(texts) => texts,
        }))
    }
}

/// The JSON Schema of a cut list (draft 2020-12).
///
/// ```
/// assert!(keen_notch_core::cutlist::schema().contains("\"take\""));
/// ```
pub fn schema() -> &'static str {
    include_str!("schema.json")
}
