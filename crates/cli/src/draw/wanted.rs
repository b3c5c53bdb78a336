use anstyle::Style;
use keen_notch_core::draft::{Example, RankedPhrase, SearchResult, check};
use keen_notch_io::draft::{Differing, PhraseTrials};

use super::style::{self, paint};
use super::{shell, table, visible};

/// Draws the matching phrases, the best first, and the rows that distinguish them.
pub fn draw(
    column: &str,
    (examples, searched): (&[Example], &SearchResult),
    ranked: &[RankedPhrase],
    tried: &PhraseTrials,
    width: usize,
) -> Vec<String> {
    let width = width.min(100);
    let fits = match searched.found.len() {
        1 => "One phrase fits".to_owned(),
        found => format!("{found} phrases fit"),
    };
    let rows = visible::counted(tried.rows, "row");
    let mut lines = Vec::new();
    if searched.are_of_kinds {
        lines.push("No single phrase fits all examples, so these treat the values as two or more kinds.".to_owned());
        lines.push("If the values are of one kind, look for a slip in the examples.".to_owned());
    }
    if searched.are_lookups {
        let why = check(examples).err().and_then(|(index, error)| Some((examples.get(index)?, error.message)));
        let why =
            why.map_or_else(String::new, |(example, message)| format!(" ({} => {}: {message})", example.value, example.result));
        let words = format!("No cut of the values gives all results{why}, so these look up the part that decides.");
        lines.extend(textwrap::wrap(&visible::without_controls(&words), width).into_iter().map(String::from));
        lines.push("Rows with other keys have no result. Add pairs, or put them in a file: lookup in \"FILE\".".to_owned());
    }
    lines.push(match ranked.len() {
        1 => format!("{fits} all examples, and give the same for each of the {rows} of {column}:")
            .replace("phrase fits all examples, and give", "phrase fits all examples, and gives"),
        _ => format!("{fits} all examples. The best that differ on the {rows} of {column}:"),
    });
    if searched.was_cut_short {
        lines.push("Not all phrases were tried, because the examples are long.".to_owned());
    }
    for (index, (phrase, gives)) in ranked.iter().zip(&tried.gives).enumerate() {
        lines.push(String::new());
        lines.push(format!("{} {}", paint(style::HEAD, format!("{:>2}", index + 1)), paint(style::TAKEN, &phrase.phrase)));
        lines.push(format!("   a result for {} of {rows}", visible::grouped(*gives)));
        if let Some(same) = phrase.same.first() {
            let others = match phrase.same.len() {
                1 => String::new(),
                more => format!(", and {} more", more - 1),
            };
            let text = format!("the same on the sampled rows: {same}{others}");
            lines.push(format!("   {}", paint(style::QUIET, visible::clipped(&text, width - 3))));
        }
    }
    if tried.differing.is_empty() {
        return lines;
    }
    lines.push(String::new());
    lines.push(paint(style::HEAD, "where they differ"));
    lines.extend(differing(ranked.len(), &tried.differing, width));
    if let Some(row) = tried.differing.first() {
        lines.push(String::new());
        let ahead = match (row.results.first(), row.results.get(1)) {
            (Some(first), Some(second)) if first != second => "1 and 2",
            _ => "them",
        };
        lines.push(format!("Row {} would distinguish {ahead}: add its result.", visible::grouped(row.row)));
        if !row.value.contains(char::is_control) {
            let example = shell::quoted(&format!("{} => RESULT", row.value));
            lines.push(format!("   {}", paint(style::TAKEN, format!("--want {example}"))));
        }
    }
    lines
}

fn differing(phrases: usize, rows: &[Differing], width: usize) -> Vec<String> {
    let heads: Vec<String> = (1..=phrases).map(|n| n.to_string()).collect();
    let mut drawn = table::table(["row", "value"].into_iter().chain(heads.iter().map(String::as_str)), usize::MAX);
    let space = width.saturating_sub(14) / (phrases + 2);
    for row in rows {
        let mut cells = vec![
            table::cell(visible::grouped(row.row), Style::new()),
            table::cell(visible::clipped(&visible::value(&row.value), space * 2), Style::new()),
        ];
        cells.extend(row.results.iter().map(|result| match result {
            Some(result) => table::cell(visible::clipped(&visible::value(result), space), style::TAKEN),
            None => table::cell("(missing)", style::QUIET),
        }));
        drawn.add_row(cells);
    }
    table::lines(&drawn)
}
