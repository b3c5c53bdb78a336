//! The keys of a cut list, as the file holds them. The JSON Schema is made from these types.

use std::fmt;

use indexmap::IndexMap;
use schemars::{JsonSchema, Schema, SchemaGenerator, json_schema};
use serde::de::{SeqAccess, Visitor};
use serde::{Deserialize, Deserializer};
use toml::Spanned;

use crate::text::unit::Unit;

/// A cut list for keen-notch: the pieces to cut out of a table's columns, and the conditions they must meet.
#[derive(Debug, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
#[schemars(title = "Keen Notch cut list")]
pub(super) struct File {
    /// What the list is for, in a few words.
    pub(super) title: Option<String>,
    /// The column that pieces come from unless they say otherwise: its name, its quoted name, or #4.
    #[schemars(with = "Option<String>")]
    pub(super) column: Option<Spanned<String>>,
    /// What positions and widths count.
    #[serde(default)]
    pub(super) unit: Unit,
    /// The pieces, by name, in the order of their columns.
    #[serde(default)]
    #[schemars(with = "IndexMap<String, PieceEntry>")]
    pub(super) piece: IndexMap<Spanned<String>, PieceEntry>,
    /// Layouts, by the column they describe.
    #[serde(default)]
    #[schemars(with = "IndexMap<String, LayoutEntry>")]
    pub(super) layout: IndexMap<Spanned<String>, LayoutEntry>,
    /// Texts of pieces that must rebuild a column's value, by that column.
    #[serde(default)]
    #[schemars(with = "IndexMap<String, String>")]
    pub(super) proof: IndexMap<Spanned<String>, Spanned<String>>,
    /// Which rows are kept, and what must be unique among them.
    pub(super) rows: Option<RowsEntry>,
    /// How the files are read that the list is for; what the command line says goes before it.
    #[serde(default)]
    pub(super) reading: Reading,
    /// How rows are written that the list was run on; what the command line says goes before it.
    #[serde(default)]
    pub(super) writing: Writing,
}

/// How rows are written that a cut list was run on, as far as it says that.
#[derive(Debug, Clone, Default, PartialEq, Eq, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct Writing {
    /// Where the columns of fixed-width text are, such as `code 1 to 8, family 10 to 12`.
    pub widths: Option<String>,
}

/// How the files are read that a cut list is for, as far as it says that.
#[derive(Debug, Clone, Default, PartialEq, Eq, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct Reading {
    /// What is between two cells: one ASCII character, or tab.
    pub delimiter: Option<String>,
    /// What the text is written in, if not UTF-8, such as windows-1252.
    pub encoding: Option<String>,
    /// Whether the first row holds the names of the columns.
    pub header: Option<bool>,
    /// What becomes of rows with too few or too many cells.
    pub ragged: Option<RaggedRows>,
    /// Where the columns of fixed-width text are, such as `code 1 to 8, qty 9 to 12`.
    pub widths: Option<String>,
    /// The sheet of a workbook; the first where none is said.
    pub sheet: Option<String>,
    /// The query that gives the rows, where they come from a database.
    pub query: Option<String>,
}

/// What becomes of rows with too few or too many cells.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Deserialize, JsonSchema)]
#[serde(rename_all = "kebab-case")]
pub enum RaggedRows {
    /// The run ends with an error.
    Stop,
    /// They are kept.
    Keep,
    /// They are set aside with the rows that have faults.
    SetAside,
}

/// One piece: taken from a column by a phrase, or built of other pieces and columns.
#[derive(Debug, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub(super) struct PieceEntry {
    /// The column it is taken from: its name, its quoted name, or #4.
    #[schemars(with = "Option<String>")]
    pub(super) of: Option<Spanned<String>>,
    /// The phrase that takes it, such as section 2 by "-".
    #[schemars(with = "Option<String>")]
    pub(super) take: Option<Spanned<String>>,
    /// A text with other pieces and columns in braces, such as {family}-{serial}; {{ for a brace.
    #[schemars(with = "Option<String>")]
    pub(super) build: Option<Spanned<String>>,
    /// Conditions it must meet; one that it does not meet is a fault of its row.
    #[serde(default)]
    pub(super) check: Texts,
    /// Conditions that are counted and shown where it does not meet them, but are no fault.
    #[serde(default)]
    pub(super) warn: Texts,
    /// A condition on its column, or COLUMN: CONDITION on another; where it does not hold, nothing is taken and nothing is checked.
    #[schemars(with = "Option<String>")]
    pub(super) when: Option<Spanned<String>>,
    /// How many columns its results fill, or "auto" for as many as the data needs.
    #[schemars(with = "Option<Columns>")]
    pub(super) columns: Option<Spanned<toml::Value>>,
    /// Whether each of its results gets an output row of its own.
    #[serde(default)]
    #[schemars(with = "bool")]
    pub(super) rows: Option<Spanned<bool>>,
    /// What it stands for, where the format that is written can say that: number, date, or true or false.
    #[schemars(with = "Option<String>")]
    #[serde(rename = "as")]
    pub(super) value_type: Option<Spanned<String>>,
    /// Whether it takes the place of the column of its name.
    #[serde(default)]
    pub(super) replace: bool,
    /// Whether a missing piece passes its checks.
    #[serde(default)]
    #[schemars(with = "bool")]
    pub(super) optional: Option<Spanned<bool>>,
    /// Whether it is not written: other pieces are built of it, or it is only checked.
    #[serde(default)]
    pub(super) hidden: bool,
}

/// The layout of a column: one form or several, tried in order.
#[derive(Debug, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub(super) struct LayoutEntry {
    /// Pictures of the whole value, such as <family 3 uppercase>-<serial 8 digits>.
    pub(super) form: Texts,
}

/// Which rows are kept.
#[derive(Debug, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub(super) struct RowsEntry {
    /// Conditions on columns, as COLUMN: CONDITION; rows that do not meet them are left out.
    #[serde(default)]
    pub(super) keep: Texts,
    /// Pieces whose texts must be unique together.
    #[serde(default)]
    pub(super) unique: Texts,
}

/// One text, or a list of them.
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

/// The values of `columns`, for the schema.
struct Columns;

impl JsonSchema for Columns {
    fn schema_name() -> std::borrow::Cow<'static, str> {
        "Columns".into()
    }

    fn json_schema(_: &mut SchemaGenerator) -> Schema {
        json_schema!({ "anyOf": [{ "type": "integer", "minimum": 1, "maximum": super::read::MOST_COLUMNS }, { "const": "auto" }] })
    }
}

/// The JSON Schema of a cut list, as a text.
///
/// ```
/// assert!(keen_notch_core::cutlist::schema().contains("\"take\""));
/// ```
pub fn schema() -> String {
    let schema = schemars::schema_for!(File);
    // A schema is a JSON value with texts as keys, so writing it cannot fail.
    serde_json::to_string_pretty(&schema).unwrap_or_default() + "\n"
}
