//! The phrases that `draft --want` found for several columns, and the template that joins their results.

use anstyle::Style;
use keen_notch_core::draft::JoinedDraft;

use super::style::{self, paint};
use super::{table, visible};

/// Draws the piece of each column and the piece that joins them. `gives` has the number of rows with each.
pub fn draw(draft: &JoinedDraft, columns: &[String], (gives, rows): (&[u64], u64), width: usize) -> Vec<String> {
    let (names, joined) = draft.names(columns);
    let mut drawn = table::table(["piece", "of", "phrase", "rows with a result"], usize::MAX);
    let given = |piece: usize| {
        let gives = gives.get(piece).copied().unwrap_or_default();
        let style = if gives == rows { Style::new() } else { style::LOOK };
        table::cell(format!("{} of {}", visible::grouped(gives), visible::grouped(rows)), style)
    };
    for (index, (part, name)) in draft.parts.iter().zip(&names).enumerate() {
        let phrase = part.phrases.first().map_or("", |best| best.phrase.as_str());
        let column = columns.get(part.column).map_or("", String::as_str);
        drawn.add_row([
            table::cell(visible::value(name), style::HEAD),
            table::cell(visible::value(column), Style::new()),
            table::cell(visible::value(phrase), style::TAKEN),
            given(index),
        ]);
    }
    let template = format!("build \"{}\"", draft.template(&names));
    drawn.add_row([
        table::cell(visible::value(&joined), style::HEAD),
        table::cell("", Style::new()),
        table::cell(visible::value(&template), style::TAKEN),
        given(names.len()),
    ]);
    let mut lines = vec!["These phrases, one for each column, give the parts of all results:".to_owned(), String::new()];
    lines.extend(table::lines(&drawn));
    for (part, name) in draft.parts.iter().zip(&names).filter(|(part, _)| part.phrases.len() > 1) {
        let others: Vec<&str> = part.phrases[1..].iter().map(|other| other.phrase.as_str()).collect();
        let words = format!("Also possible for {name}: {}. Another example decides.", others.join("; or "));
        lines.push(String::new());
        lines.extend(
            textwrap::wrap(&visible::without_controls(&words), width).into_iter().map(|line| paint(style::QUIET, line)),
        );
    }
    lines
}
