//! The keys of a cut list, as the file holds them. The JSON Schema is made from these types.

use indexmap::IndexMap;
use schemars::{JsonSchema, Schema, SchemaGenerator, json_schema};
use serde::Deserialize;
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
    #[schemars(with = "Vec<String>")]
    pub(super) check: Vec<Spanned<String>>,
    /// Conditions that are counted and shown where it does not meet them, but are no fault.
    #[serde(default)]
    #[schemars(with = "Vec<String>")]
    pub(super) warn: Vec<Spanned<String>>,
    /// A condition on its column, or COLUMN: CONDITION on another; where it does not hold, the piece is missing.
    #[schemars(with = "Option<String>")]
    pub(super) when: Option<Spanned<String>>,
    /// How many columns its results fill, or "auto" for as many as the data needs.
    #[schemars(with = "Option<Columns>")]
    pub(super) columns: Option<Spanned<toml::Value>>,
    /// Whether each of its results gets an output row of its own.
    #[serde(default)]
    #[schemars(with = "bool")]
    pub(super) rows: Option<Spanned<bool>>,
    /// Whether it takes the place of the column of its name.
    #[serde(default)]
    pub(super) replace: bool,
}

/// The layout of a column: one form or several, tried in order.
#[derive(Debug, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub(super) struct LayoutEntry {
    /// Pictures of the whole value, such as <family 3 uppercase>-<serial 8 digits>.
    #[schemars(with = "Vec<String>")]
    pub(super) form: Vec<Spanned<String>>,
}

/// Which rows are kept.
#[derive(Debug, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub(super) struct RowsEntry {
    /// Conditions on columns, as COLUMN: CONDITION; rows that do not meet them are left out.
    #[serde(default)]
    #[schemars(with = "Vec<String>")]
    pub(super) keep: Vec<Spanned<String>>,
    /// Pieces whose texts must be unique together.
    #[serde(default)]
    #[schemars(with = "Vec<String>")]
    pub(super) unique: Vec<Spanned<String>>,
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
