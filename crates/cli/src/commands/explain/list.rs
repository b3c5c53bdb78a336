//! A cut list in words.

use keen_notch_core::explain;
use keen_notch_core::piece::{Piece, Source};
use keen_notch_core::text::unit::Unit;

use crate::draw::style::{self, paint};
use crate::draw::visible;
use crate::rules::Pieces;

pub fn list(pieces: &Pieces, width: usize) -> Vec<String> {
    let mut lines = Vec::new();
    if let Some(title) = &pieces.title {
        lines.push(paint(style::HEAD, visible::without_controls(title)));
    }
    let mut about = visible::counted(pieces.wanted.pieces.len() as u64, "piece");
    if let Some(main) = pieces.main() {
        about += &format!(", from the column {main} unless another is named");
    }
    about += match pieces.unit {
        Unit::Characters => "",
        Unit::Codepoints => "; positions and widths count code points",
        Unit::Bytes => "; positions and widths count bytes",
    };
    lines.push(visible::without_controls(&about));
    let wrap = |sentence: &str| {
        let options = textwrap::Options::new(width).initial_indent("  ").subsequent_indent("    ");
        textwrap::wrap(&visible::without_controls(sentence), options).into_iter().map(String::from).collect::<Vec<_>>()
    };
    let rest = explain::rest(&pieces.wanted);
    if !rest.is_empty() {
        lines.push(String::new());
        lines.extend(rest.iter().flat_map(|sentence| wrap(sentence)));
    }
    for piece in &pieces.wanted.pieces {
        lines.push(String::new());
        lines.push(head(piece));
        lines.extend(explain::piece(piece).iter().flat_map(|sentence| wrap(sentence)));
        if let Source::Take { phrase, .. } = &piece.source {
            lines.push(paint(style::QUIET, format!("  in the list: {}", visible::value(phrase.source.trim()))));
        }
    }
    lines
}

fn head(piece: &Piece) -> String {
    let from = match &piece.source {
        Source::Take { of: Some(of), .. } => format!("  from {of}"),
        Source::Take { of: None, .. } => String::new(),
        Source::Field { .. } => "  from a layout".to_owned(),
        Source::Part { of, .. } => format!("  from {of}"),
        Source::Build { .. } => "  built".to_owned(),
    };
    format!("{}{}", paint(style::HEAD, visible::value(&piece.name)), paint(style::QUIET, visible::without_controls(&from)))
}
