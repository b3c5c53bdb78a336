//! A survey for programs.

use keen_notch_core::sightings::Sightings;
use keen_notch_core::survey::{Content, Count};
use serde_json::{Value, json};

use super::Surveyed;

/// The version of the format: it grows when a key changes its meaning or goes.
const VERSION: u32 = 1;
/// Bars of the lengths.
const LENGTHS: usize = 200;

/// The survey as JSON. In depth, everything that is known of each column; else without its positions and
/// delimiters.
pub fn text(name: &str, columns: &[Surveyed], in_depth: bool, sample: Option<u64>) -> String {
    let rows = columns.first().map_or(0, |column| column.survey.rows);
    let survey = json!({
        "version": VERSION,
        "input": name,
        "rows": rows,
        "first_rows_only": sample.is_some_and(|sample| rows >= sample),
        "columns": columns.iter().map(|column| self::column(column, in_depth)).collect::<Vec<_>>(),
    });
    format!("{survey:#}\n")
}

fn column(column: &Surveyed, in_depth: bool) -> Value {
    let survey = column.survey;
    let (distinct, is_estimate) = match survey.distinct() {
        Count::Exact(count) => (count, false),
        Count::About(count) => (count, true),
    };
    let groups = if column.fine { survey.fine_groups() } else { survey.groups() };
    let shapes = groups.iter().map(|group| {
        json!({
            "shape": group.shape.to_string(), "values": group.seen.count, "first_rows": group.seen.rows,
            "example": group.example,
        })
    });
    let bars = survey.lengths.bars(LENGTHS);
    let lengths = bars.iter().map(|bar| json!({"from": bar.from, "to": bar.to, "values": bar.count}));
    let odd = survey.oddities();
    let odd = odd.iter().map(|(oddity, seen)| found("what", oddity.to_string().into(), seen));
    let range = survey.lengths.range();
    let mut told = json!({
        "column": column.title,
        "blank": survey.blank.count,
        "blank_first_rows": survey.blank.rows,
        "white_space_only": survey.spaces_only,
        "distinct": distinct,
        "distinct_is_estimate": is_estimate,
        "length": {
            "least": range.map(|(least, _)| least), "median": survey.lengths.median(), "most": range.map(|(_, most)| most),
            "counts": lengths.collect::<Vec<_>>(),
        },
        "shapes": shapes.collect::<Vec<_>>(),
        "values_of_other_shapes": survey.other_shapes().count,
        "odd": odd.collect::<Vec<_>>(),
    });
    if in_depth {
        let delimiters = survey.delimiters();
        let delimiters = delimiters.iter().map(|delimiter| {
            let sections = delimiter.sections.iter().map(|(sections, seen)| found("sections", (*sections).into(), seen));
            json!({"character": delimiter.character, "values": delimiter.values, "sections": sections.collect::<Vec<_>>()})
        });
        told["delimiters"] = delimiters.collect();
        told["positions"] = survey.positions().map_or(Value::Null, |(length, positions)| {
            let places = positions.iter().enumerate().map(|(index, position)| {
                let contents = position.contents.iter().map(|(content, seen)| match content {
                    Content::Character(character) => found("character", character.as_str().into(), seen),
                    Content::Kind(kinds) => found("class", kinds.class().into(), seen),
                    Content::Other => found("class", "other characters".into(), seen),
                });
                json!({"position": index + 1, "contents": contents.collect::<Vec<_>>()})
            });
            json!({"length": length, "places": places.collect::<Vec<_>>()})
        });
    }
    told
}

fn found(key: &str, what: Value, seen: &Sightings) -> Value {
    json!({key: what, "values": seen.count, "first_rows": seen.rows})
}
