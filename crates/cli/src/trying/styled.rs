//! Lines that are painted for a terminal, as spans of the screen.

use ratatui::style::{Color, Modifier, Style};
use ratatui::text::{Line, Span};

use crate::draw::style::sequence;

/// A painted line as spans. What no style of the program is has no place in one.
pub fn line(painted: &str) -> Line<'static> {
    let (mut spans, mut style, mut text) = (Vec::new(), Style::default(), String::new());
    let mut rest = painted;
    while let Some(c) = rest.chars().next() {
        if let Some(width) = sequence(rest) {
            if !text.is_empty() {
                spans.push(Span::styled(std::mem::take(&mut text), style));
            }
            style = after(style, &rest[..width]);
            rest = &rest[width..];
        } else {
            text.push(c);
            rest = &rest[c.len_utf8()..];
        }
    }
    if !text.is_empty() {
        spans.push(Span::styled(text, style));
    }
    Line::from(spans)
}

/// Whether colours are wanted.
fn has_colours() -> bool {
    cfg!(test) || anstream::AutoStream::choice(&std::io::stdout()) != anstream::ColorChoice::Never
}

/// The style after a sequence.
fn after(style: Style, sequence: &str) -> Style {
    let codes = sequence.trim_start_matches("\u{1b}[").trim_end_matches('m');
    match codes {
        "" | "0" => Style::default(),
        "1" => style.add_modifier(Modifier::BOLD),
        "2" => style.add_modifier(Modifier::DIM),
        "22" => style.remove_modifier(Modifier::BOLD | Modifier::DIM),
        "39" => Style { fg: None, ..style },
        codes => match codes.strip_prefix("38;5;").and_then(|number| number.parse().ok()) {
            Some(number) if has_colours() => style.fg(Color::Indexed(number)),
            _ => style,
        },
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::draw::style::{self, paint};

    #[test]
    fn painted_lines_keep_their_words_and_styles() {
        let painted = format!("a {} b {}", paint(style::TAKEN, "taken"), paint(style::QUIET, "quiet"));
        let line = line(&painted);
        let texts: Vec<&str> = line.spans.iter().map(|span| &*span.content).collect();
        assert_eq!(texts, ["a ", "taken", " b ", "quiet"]);
        assert_eq!(line.spans[1].style, Style::default().fg(Color::Indexed(28)).add_modifier(Modifier::BOLD));
        assert_eq!((line.spans[0].style, line.spans[3].style.add_modifier), (Style::default(), Modifier::DIM));
    }
}
