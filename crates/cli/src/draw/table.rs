use anstream::adapter::strip_str;
use anstyle::Style;
use comfy_table::LineStyle;
use comfy_table::{Attribute, Cell, CellAlignment, Color, ContentArrangement, Table, TableStyle};

use super::visible;

pub fn table<'a>(heads: impl IntoIterator<Item = &'a str>, numeric_from: usize) -> Table {
    let mut table = Table::new();
    table.load_style(TableStyle::new().header_separator(LineStyle::none().fill('─').junction('─')));
    table.set_content_arrangement(ContentArrangement::Disabled).enforce_styling();
    table.set_header(heads.into_iter().map(|head| Cell::new(head).add_attribute(Attribute::Bold)));
    let mut index = 0;
    while let Some(column) = table.column_mut(index) {
        let left = if index == 0 { 0 } else { 1 };
        column.set_padding((left, 1));
        index += 1;
    }
    (numeric_from..index).for_each(|index| align_right(&mut table, index));
    table
}

pub fn align_right(table: &mut Table, index: usize) {
    if let Some(column) = table.column_mut(index) {
        column.set_cell_alignment(CellAlignment::Right);
    }
}

pub fn cell(text: impl Into<String>, style: Style) -> Cell {
    let mut cell = Cell::new(text.into());
    if let Some(anstyle::Color::Ansi256(color)) = style.get_fg_color() {
        cell = cell.fg(Color::AnsiValue(color.0));
    }
    let effects = style.get_effects();
    if effects.contains(anstyle::Effects::DIMMED) {
        cell = cell.add_attribute(Attribute::Dim);
    }
    if effects.contains(anstyle::Effects::BOLD) {
        cell = cell.add_attribute(Attribute::Bold);
    }
    cell
}

pub fn lines(table: &Table) -> Vec<String> {
    table.lines().map(without_blanks_after).collect()
}

/// The lines of the table from `draw`, which receives the maximum width of a column: the largest with which the table fits in `width`, at
/// least `least`.
pub fn fitted(width: usize, least: usize, draw: impl Fn(usize) -> Table) -> Vec<String> {
    let mut space = width.max(least);
    loop {
        let drawn = draw(space);
        let over = self::width(&drawn).saturating_sub(width);
        if over == 0 || space == least {
            return lines(&drawn);
        }
        space = space.saturating_sub(over).max(least);
    }
}

pub fn width(table: &Table) -> usize {
    lines(table).iter().map(|line| visible::width(&strip_str(line).to_string())).max().unwrap_or(0)
}

/// Removes blanks at the end of a line, also before final styles.
fn without_blanks_after(line: String) -> String {
    let blanks = strip_str(&line).to_string().chars().rev().take_while(|c| *c == ' ').count();
    let mut line = line;
    for _ in 0..blanks {
        // Styles contain no blanks, so the last blank of the line is the last one displayed.
        if let Some(at) = line.rfind(' ') {
            line.remove(at);
        }
    }
    line
}

#[cfg(test)]
mod tests {
    use super::*;

    fn drawn(names: &[&str], space: usize) -> Table {
        let mut drawn = table(["name", "rows"], 1);
        for (row, name) in names.iter().enumerate() {
            drawn.add_row([visible::clipped(name, space), row.to_string()]);
        }
        drawn
    }

    fn plain(lines: Vec<String>) -> Vec<String> {
        lines.iter().map(|line| strip_str(line).to_string()).collect()
    }

    #[test]
    fn tables_fit_where_they_can() {
        let names = ["a", "a name that is rather long", "東京東京東京東京"];
        for width in [12, 16, 20, 26, 33, 34, 80] {
            let lines = plain(fitted(width, 6, |space| drawn(&names, space)));
            assert!(lines.iter().all(|line| visible::width(line) <= width.max(14)), "{width}: {lines:#?}");
            let is_whole = lines.iter().any(|line| line.contains(names[1]));
            assert_eq!(is_whole, width >= 34, "{width}: {lines:#?}");
        }
        // The width never falls below the minimum, even if the table is too wide.
        let lines = plain(fitted(4, 6, |space| drawn(&names, space)));
        assert!(lines.iter().any(|line| line.starts_with("a nam…")), "{lines:#?}");
    }

    #[test]
    fn numbers_are_aligned_and_lines_have_no_trailing_blanks() {
        let mut table = table(["name", "rows"], 1);
        table.add_row(["a", "7"]);
        table.add_row(["b", "1 234"]);
        assert_eq!(plain(lines(&table)), ["name    rows", "─────────────", "a          7", "b      1 234"]);
        assert_eq!(width(&table), 13);
    }
}
