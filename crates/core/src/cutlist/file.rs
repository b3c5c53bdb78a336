//! The keys of a cut list file. The JSON Schema is generated from these types and comments.

use std::fmt;

use indexmap::IndexMap;
use schemars::{JsonSchema, Schema, SchemaGenerator, json_schema};
use serde::de::{SeqAccess, Visitor};
use serde::{Deserialize, Deserializer};
use toml::Spanned;

use crate::text::unit::Unit;

/// A cut list for keen-notch: pieces to extract from the columns of a table, and their checks.
#[derive(Debug, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
#[schemars(title = "Keen Notch cut list")]
pub(super) struct File {
    pub(super) title: Option<String>,
    /// The default source column of the pieces: a name, a quoted name, or #4.
    #[schemars(with = "Option<String>")]
    pub(super) column: Option<Spanned<String>>,
    #[serde(default)]
    pub(super) unit: Unit,
    /// The pieces, by name, in output order.
    #[serde(default)]
    #[schemars(with = "IndexMap<String, PieceEntry>")]
    pub(super) piece: IndexMap<Spanned<String>, PieceEntry>,
    #[serde(default)]
    #[schemars(with = "IndexMap<String, LayoutEntry>")]
    pub(super) layout: IndexMap<Spanned<String>, LayoutEntry>,
    /// Templates of pieces that must rebuild the value of a column, by column.
    #[serde(default)]
    #[schemars(with = "IndexMap<String, String>")]
    pub(super) proof: IndexMap<Spanned<String>, Spanned<String>>,
    /// The rows to keep, and combinations that must be unique.
    pub(super) rows: Option<RowsEntry>,
    /// How to read the input. The command line overrides it.
    #[serde(default)]
    pub(super) reading: Reading,
    /// How to write the output. The command line overrides it.
    #[serde(default)]
    pub(super) writing: Writing,
}

/// Output settings of a cut list.
#[derive(Debug, Clone, Default, PartialEq, Eq, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct Writing {
    /// Columns of fixed-width text, such as `code 1 to 8, family 10 to 12`.
    pub widths: Option<String>,
}

/// Input settings of a cut list.
#[derive(Debug, Clone, Default, PartialEq, Eq, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct Reading {
    /// Field delimiter: one ASCII character, or tab.
    pub delimiter: Option<String>,
    /// Input encoding, if not UTF-8, such as windows-1252.
    pub encoding: Option<String>,
    /// Whether the first row is the header.
    pub header: Option<bool>,
    /// What to do with rows that have too few or too many cells.
    pub ragged: Option<RaggedRows>,
    /// Columns of fixed-width text, such as `code 1 to 8, qty 9 to 12`.
    pub widths: Option<String>,
    /// The sheet of a workbook; by default the first.
    pub sheet: Option<String>,
    pub query: Option<String>,
}

/// What to do with rows that have too few or too many cells.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Deserialize, JsonSchema)]
#[serde(rename_all = "kebab-case")]
pub enum RaggedRows {
    /// Stop with an error.
    Stop,
    Keep,
    /// Set them aside with the rows that have faults.
    SetAside,
}

/// A piece, extracted by a phrase or built from other pieces and columns.
#[derive(Debug, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub(super) struct PieceEntry {
    /// The source column: a name, a quoted name, or #4.
    #[schemars(with = "Option<String>")]
    pub(super) of: Option<Spanned<String>>,
    /// The phrase, such as section 2 by "-".
    #[schemars(with = "Option<String>")]
    pub(super) take: Option<Spanned<String>>,
    /// A template with pieces and columns in braces, such as {family}-{serial}; {{ is a brace.
    #[schemars(with = "Option<String>")]
    pub(super) build: Option<Spanned<String>>,
    /// Conditions. A piece that fails one is a fault of its row.
    #[serde(default)]
    pub(super) check: Texts,
    /// Conditions that are only counted and shown.
    #[serde(default)]
    pub(super) warn: Texts,
    /// A condition on the source column, or COLUMN: CONDITION. In other rows the piece is not extracted and not checked.
    #[schemars(with = "Option<String>")]
    pub(super) when: Option<Spanned<String>>,
    /// The number of columns for several results, or "auto".
    #[schemars(with = "Option<Columns>")]
    pub(super) columns: Option<Spanned<toml::Value>>,
    /// Whether each result becomes an output row.
    #[serde(default)]
    #[schemars(with = "bool")]
    pub(super) rows: Option<Spanned<bool>>,
    /// The type in formats with types: number, date, or true or false.
    #[schemars(with = "Option<String>")]
    #[serde(rename = "as")]
    pub(super) value_type: Option<Spanned<String>>,
    /// Whether the piece replaces the column with its name.
    #[serde(default)]
    pub(super) replace: bool,
    /// Whether a missing piece passes its checks.
    #[serde(default)]
    #[schemars(with = "bool")]
    pub(super) optional: Option<Spanned<bool>>,
    /// Whether the piece is not written. Other pieces use it, or it is only checked.
    #[serde(default)]
    pub(super) hidden: bool,
}

/// The layout of a column: one or several forms, tried in order.
#[derive(Debug, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub(super) struct LayoutEntry {
    /// A picture of the whole value, such as <family 3 uppercase>-<serial 8 digits>.
    pub(super) form: Texts,
}

/// Conditions on rows.
#[derive(Debug, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub(super) struct RowsEntry {
    /// Conditions of the form COLUMN: CONDITION. Other rows are left out.
    #[serde(default)]
    pub(super) keep: Texts,
    /// Pieces or columns whose combination must be unique.
    #[serde(default)]
    pub(super) unique: Texts,
}

/// One text, or a list of texts.
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
        enum Given {
            Lone(String),
            List(Vec<Spanned<String>>),
        }
        struct Reader;
        impl<'de> Visitor<'de> for Reader {
            type Value = Given;

            fn expecting(&self, f: &mut fmt::Formatter) -> fmt::Result {
                f.write_str("a string or a list of strings")
            }

            fn visit_str<E: serde::de::Error>(self, text: &str) -> Result<Given, E> {
                Ok(Given::Lone(text.to_owned()))
            }

            fn visit_seq<A: SeqAccess<'de>>(self, mut list: A) -> Result<Given, A::Error> {
                let mut texts = Vec::new();
                while let Some(text) = list.next_element()? {
                    texts.push(text);
                }
                Ok(Given::List(texts))
            }
        }
        impl<'de> Deserialize<'de> for Given {
            fn deserialize<D: Deserializer<'de>>(deserializer: D) -> Result<Given, D::Error> {
                deserializer.deserialize_any(Reader)
            }
        }
        let given = Spanned::<Given>::deserialize(deserializer)?;
        let span = given.span();
        Ok(Texts(match given.into_inner() {
            Given::Lone(text) => vec![Spanned::new(span, text)],
            Given::List(texts) => texts,
        }))
    }
}

impl JsonSchema for Texts {
    fn schema_name() -> std::borrow::Cow<'static, str> {
        "Texts".into()
    }

    fn json_schema(_: &mut SchemaGenerator) -> Schema {
        json_schema!({ "anyOf": [{ "type": "string" }, { "type": "array", "items": { "type": "string" } }] })
    }
}

struct Columns;

impl JsonSchema for Columns {
    fn schema_name() -> std::borrow::Cow<'static, str> {
        "Columns".into()
    }

    fn json_schema(_: &mut SchemaGenerator) -> Schema {
        json_schema!({ "anyOf": [{ "type": "integer", "minimum": 1, "maximum": super::read::MOST_COLUMNS }, { "const": "auto" }] })
    }
}

/// The JSON Schema of a cut list.
///
/// ```
/// assert!(keen_notch_core::cutlist::schema().contains("\"take\""));
/// ```
pub fn schema() -> String {
    let schema = schemars::schema_for!(File);
    // Serialization cannot fail: a schema is a JSON value with texts as keys.
    serde_json::to_string_pretty(&schema).unwrap_or_default() + "\n"
}
