//! A user-written text with the wrong words underlined.

use std::borrow::Cow;
use std::ops::Range;

use keen_notch_core::text::characters;

use super::style::{self, paint};
use super::visible;

const MOST_LINES: usize = 4;
const MARGIN: &str = "  ";

struct MarkedCharacter<'t> {
    text: Cow<'t, str>,
    is_marked: bool,
}

/// Draws the lines of `text` with the bytes of `span`, underlined and labelled. `name` is the file of the text; an argument has none.
pub fn draw((name, text): (Option<&str>, &str), span: &Range<usize>, label: &str, width: usize) -> Vec<String> {
    let mut drawn = Vec::new();
    let mut start = 0;
    let mut marked: Vec<(usize, Range<usize>, &str)> = Vec::new();
    for (index, line) in text.split('\n').enumerate() {
        let end = start + line.len();
        let touches = span.start <= end && (span.end > start || (span.is_empty() && span.start >= start));
        if touches && (marked.is_empty() || span.end > start) {
            let from = span.start.max(start) - start;
            marked.push((index + 1, from..span.end.min(end).max(start + from) - start, line));
        }
        start = end + 1;
    }
    let is_one_line = !text.contains('\n');
    if let Some((number, ..)) = marked.first() {
        match name {
            Some(name) => drawn.push(format!("{MARGIN}in {}, line {number}:", visible::without_controls(name))),
            None if !is_one_line => drawn.push(format!("{MARGIN}line {number}:")),
            None => {}
        }
    }
    let shown = marked.len().min(MOST_LINES);
    for (index, (_, span, line)) in marked.iter().take(MOST_LINES).enumerate() {
        let label = if index + 1 == shown { label } else { "" };
        drawn.extend(line_with_mark(line.strip_suffix('\r').unwrap_or(line), span, label, width));
    }
    drawn
}

fn line_with_mark(line: &str, span: &Range<usize>, label: &str, width: usize) -> Vec<String> {
    let space = width.saturating_sub(MARGIN.len()).max(20);
    let characters: Vec<MarkedCharacter> = characters::ranges(line)
        .map(|range| {
            let is_marked = range.start < span.end && span.start < range.end;
            let text = if &line[range.clone()] == " " { " ".into() } else { visible::character(&line[range]) };
            MarkedCharacter { text, is_marked }
        })
        .collect();
    let all: usize = characters.iter().map(|shown| visible::width(&shown.text)).sum();
    let at = characters::ranges(line).take_while(|range| range.end <= span.start).count();
    // A line that is too long is cut around the wrong words.
    let from = if all <= space { 0 } else { at.saturating_sub(space / 3) };
    let (mut text, mut under) = (String::new(), String::new());
    let mut column = 0;
    if from > 0 {
        text.push('…');
        under.push(' ');
        column = 1;
    }
    for (index, shown) in characters.iter().enumerate().skip(from) {
        let wide = visible::width(&shown.text);
        if all > space && column + wide + 1 > space {
            text.push('…');
            break;
        }
        let is_here = shown.is_marked || (span.is_empty() && index == at);
        text += &if is_here { paint(style::FAULT, &shown.text) } else { shown.text.to_string() };
        under += &if is_here { "━" } else { " " }.repeat(wide);
        column += wide;
    }
    // Something is missing at the end of the line.
    if !under.contains('━') {
        under.push('━');
    }
    let under = under.trim_end();
    let mut lines = vec![format!("{MARGIN}{text}").trim_end().to_owned()];
    let lead: String = under.chars().take_while(|c| *c == ' ').collect();
    let bars = format!("{MARGIN}{lead}{}", paint(style::ERROR, under.trim_start()));
    if label.is_empty() {
        lines.push(bars);
    } else if visible::width(under) + 1 + visible::width(label) <= space {
        lines.push(format!("{bars} {}", paint(style::ERROR, label)));
    } else {
        lines.push(bars);
        let indent = format!("{MARGIN}{}", " ".repeat(lead.len().min(space / 3)));
        let options = textwrap::Options::new(width).initial_indent(&indent).subsequent_indent(&indent);
        lines.extend(textwrap::wrap(label, options).into_iter().map(|line| paint(style::ERROR, line)));
    }
    lines
}

#[cfg(test)]
mod tests {
    use super::*;

    fn plain(text: &str, span: Range<usize>, label: &str, width: usize) -> Vec<String> {
        let lines = draw((None, text), &span, label, width);
        lines.iter().map(|line| anstream::adapter::strip_str(line).to_string()).collect()
    }

    #[test]
    fn the_words_at_fault_are_underlined() {
        for (text, span, expected) in [
            ("first x", 6..7, vec!["  first x", "        ━ no"]),
            ("first", 5..5, vec!["  first", "       ━ no"]),
            ("first 3", 0..0, vec!["  first 3", "  ━ no"]),
            // Wide characters take two columns, combining marks none.
            ("東 e\u{301} x", 8..9, vec!["  東 e\u{301} x", "       ━ no"]),
            ("東京", 0..3, vec!["  東京", "  ━━ no"]),
            // Terminal controls become visible marks.
            ("a\tb\u{1b}c", 4..5, vec!["  a␉b␛c", "      ━ no"]),
            // Words on several lines, and Windows line ends.
            ("a\r\nbc\r\nd", 3..4, vec!["  line 2:", "  bc", "  ━ no"]),
            ("a\nbc\nd", 3..6, vec!["  line 2:", "  bc", "   ━", "  d", "  ━ no"]),
            ("a\n\nb", 2..2, vec!["  line 2:", "", "  ━ no"]),
        ] {
            assert_eq!(plain(text, span.clone(), "no", 80), expected, "{text:?} {span:?}");
        }
    }

    #[test]
    fn long_lines_and_labels_fit() {
        let text = format!("{}WRONG{}", "a ".repeat(60), " b".repeat(60));
        let lines = plain(&text, 120..125, "this is fault with it", 40);
        assert!(lines.iter().all(|line| visible::width(line) <= 40), "{lines:#?}");
        let start = |line: &str, what: &str| line.find(what).map(|at| line[..at].chars().count());
        assert_eq!(start(&lines[0], "WRONG"), start(&lines[1], "━━━━━"), "{lines:#?}");
        assert!(lines[2..].join(" ").split_whitespace().eq("this is fault with it".split(' ')), "{lines:#?}");
    }
}
