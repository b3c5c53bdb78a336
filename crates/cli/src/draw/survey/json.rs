//! Surveys as JSON.

use keen_notch_core::sightings::Sightings;
use keen_notch_core::survey::{Content, Count, NumberDistribution, SavedSurvey};
use keen_notch_io::inputs::Inputs;
use serde_json::{Value, json};

use super::SurveyedColumn;
use crate::draw::rows::{located, located_all};
use crate::draw::visible;
use crate::rules::today;

/// The version of the format. It increases when a key changes its meaning or disappears.
const VERSION: u32 = 3;
const LENGTH_BARS: usize = 200;
const MOST_FREQUENT: usize = 50;
const NUMBER_BARS: usize = 20;

/// The survey as JSON. A brief survey lacks positions, delimiters and frequent values.
pub fn text(columns: &[SurveyedColumn], in_depth: bool, sample: Option<u64>) -> String {
    let rows = columns.first().map_or(0, |column| column.survey.rows);
    let survey = json!({
        "version": VERSION,
        "inputs": columns.first().map_or(&[][..], |column| column.inputs.names()),
        "rows": rows,
        "first_rows_only": sample.is_some_and(|sample| rows >= sample),
        "columns": columns.iter().map(|column| self::column(column, in_depth)).collect::<Vec<_>>(),
    });
    visible::json(&survey)
}

pub fn saved(saved: &SavedSurvey) -> String {
    // Serializing texts, numbers and lists cannot fail. One line per column, because the file is not for readers.
    let mut value = serde_json::to_value(saved).unwrap_or_default();
    let columns = value["columns"].take();
    let columns: Vec<String> = columns.as_array().into_iter().flatten().map(Value::to_string).collect();
    value["columns"] = Value::Array(Vec::new());
    let head = value.to_string();
    visible::escaped(&format!("{}[\n{}\n]}}\n", head.trim_end_matches("[]}"), columns.join(",\n")))
}

fn column(column: &SurveyedColumn, in_depth: bool) -> Value {
    let survey = column.survey;
    let (distinct, is_estimate) = match survey.distinct() {
        Count::Exact(count) => (count, false),
        Count::About(count) => (count, true),
    };
    let groups = if column.fine { survey.fine_groups() } else { survey.groups() };
    let shapes = groups.iter().map(|group| {
        json!({
            "shape": group.shape.to_string(), "values": group.seen.count,
            "first_rows": located_all(column.inputs, &group.seen.rows),
            "example": group.example,
        })
    });
    let bars = survey.lengths.bars(LENGTH_BARS);
    let lengths = bars.iter().map(|bar| json!({"from": bar.from, "to": bar.to, "values": bar.count}));
    let odd = survey.oddities();
    let odd = odd.iter().map(|(oddity, seen)| found(column.inputs, "what", oddity.to_string().into(), seen));
    let range = survey.lengths.range();
    let mut page = json!({
        "column": column.title,
        "blank": survey.blank.count,
        "blank_first_rows": located_all(column.inputs, &survey.blank.rows),
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
        let frequent = survey.frequent(MOST_FREQUENT);
        page["frequent_are_estimates"] = (!survey.counts_each()).into();
        let frequent = frequent.iter().map(|value| {
            let (Count::Exact(rows) | Count::About(rows)) = value.rows;
            json!({"value": value.value, "rows": rows, "first_row": located(column.inputs, value.first)})
        });
        page["frequent"] = frequent.collect();
        page["numbers"] = survey.numbers().map_or(Value::Null, |numbers| self::numbers(column, &numbers));
        page["dates"] = dates(column);
        let delimiters = survey.delimiters();
        let delimiters = delimiters.iter().map(|delimiter| {
            let sections =
                delimiter.sections.iter().map(|(sections, seen)| found(column.inputs, "sections", (*sections).into(), seen));
            json!({"character": delimiter.character, "values": delimiter.values, "sections": sections.collect::<Vec<_>>()})
        });
        page["delimiters"] = delimiters.collect();
        page["positions"] = survey.positions().map_or(Value::Null, |(length, positions)| {
            let places = positions.iter().enumerate().map(|(index, position)| {
                let contents = position.contents.iter().map(|(content, seen)| match content {
                    Content::Character(character) => found(column.inputs, "character", character.as_str().into(), seen),
                    Content::Kind(kinds) => found(column.inputs, "class", kinds.class().into(), seen),
                    Content::Other => found(column.inputs, "class", "other characters".into(), seen),
                });
                json!({"position": index + 1, "contents": contents.collect::<Vec<_>>()})
            });
            json!({"length": length, "places": places.collect::<Vec<_>>()})
        });
    }
    page
}

fn numbers(column: &SurveyedColumn, numbers: &NumberDistribution) -> Value {
    let far = numbers.far_below.iter().chain(&numbers.far_above);
    let far = far.map(|far| json!({"value": far.text, "rows": far.rows, "first_row": located(column.inputs, far.first)}));
    let bars = numbers.bars(NUMBER_BARS);
    let [least, first_quartile, median, third_quartile, greatest] = numbers.quartiles;
    json!({
        "like": numbers.style, "values": numbers.count, "quartiles_are_estimates": !numbers.is_exact,
        "least": least, "first_quartile": first_quartile, "median": median, "third_quartile": third_quartile, "greatest": greatest,
        "far_below": numbers.far[0], "far_above": numbers.far[1], "far": far.collect::<Vec<_>>(),
        "counts": bars.iter().map(|bar| json!({"from": bar.from, "before": bar.to, "values": bar.count})).collect::<Vec<_>>(),
    })
}

fn dates(column: &SurveyedColumn) -> Value {
    let (dates, today) = (column.survey.dates(), today());
    let found = dates.recognised().into_iter().map(|date| {
        let after = dates.after(&today, date.format);
        let bars = dates.bars(date.format);
        json!({
            "format": date.format, "values": date.texts, "only_by_this": date.only,
            "earliest": date.earliest.date, "earliest_first_row": located(column.inputs, date.earliest.row),
            "latest": date.latest.date, "latest_first_row": located(column.inputs, date.latest.row),
            "after": {"date": today, "values": after.count, "first_rows": located_all(column.inputs, &after.rows)},
            "counts": bars.iter().map(|bar| json!({"period": bar.period, "values": bar.count})).collect::<Vec<_>>(),
        })
    });
    found.collect()
}

fn found(inputs: &Inputs, key: &str, what: Value, seen: &Sightings) -> Value {
    json!({key: what, "values": seen.count, "first_rows": located_all(inputs, &seen.rows)})
}
