//! A report as one self-contained page, which works without network and scripts.

use keen_notch_core::summary::{CheckCounts, Level, PieceCounts};
use maud::{DOCTYPE, Markup, PreEscaped, html};

use super::page::{Changes, Faults, FaultyRow, Mark, Page, PageColumn, RowFault, Stretch, TextCount};
use super::plot;
use crate::draw::summary::counts;
use crate::draw::survey::against::shown;
use crate::draw::visible;

const STYLE: &str = include_str!("page.css");
const SCRIPT: &str = include_str!("page.js");
/// The failing values of a check to show without a click.
const FIRST_RESULTS: usize = 12;
/// Limits for the rows by check and by row, in bytes. They keep every page below 2 MB.
const MOST_BY_CHECK: usize = 1_000_000;
const MOST_BY_ROW: usize = 400_000;
/// The size of the tags of a row and of a stretch of a value, in bytes.
const ROW_TAGS: usize = 200;
const STRETCH_TAGS: usize = 30;

/// The page. All data is escaped.
pub fn page(page: &Page) -> String {
    let summary = &page.summary;
    let markup = html! {
        (DOCTYPE)
        html lang="en" {
            head {
                meta charset="utf-8";
                meta name="viewport" content="width=device-width, initial-scale=1";
                meta http-equiv="Content-Security-Policy" content="default-src 'none'; style-src 'unsafe-inline'; script-src 'unsafe-inline'";
                meta name="color-scheme" content="light dark";
                title { (page.title) }
                style { (PreEscaped(STYLE)) }
            }
            body {
                header {
                    h1 { (page.title) }
                    p.quiet { "Made on " (page.made) " by keen-notch " (summary.program) }
                }
                main {
                    p.verdict.good[page.is_good].doubtful[!page.is_good && summary.rows.with_faults == 0] { (page.verdict) }
                    (files(page))
                    (checks(page))
                    @if !page.changes.is_empty() { (changes(&page.changes)) }
                    @if !page.faults.is_empty() { (faults(page)) }
                    @if !page.rows.is_empty() { (rows(page)) }
                    (pieces(&summary.pieces, summary.rows.read))
                    @if !page.hints.is_empty() { (hints(page)) }
                    (columns(&page.columns, summary.rows.read))
                    (list(page))
                }
                script { (PreEscaped(SCRIPT)) }
            }
        }
    };
    markup.into_string()
}

fn files(page: &Page) -> Markup {
    html! {
        @for (file, input) in page.files.iter().zip(&page.summary.inputs) {
            p.files {
                (file.name) ": " (visible::counted(input.rows, "row"))
                @if let Some(bytes) = file.bytes { ", " (visible::counted(bytes, "byte")) }
                @if let Some(hash) = &file.sha256 { ", SHA-256 " (hash) }
            }
        }
    }
}

fn share(count: u64, of: u64) -> (String, String) {
    (visible::share(count, of), format!("{:.6}", count as f64 / of.max(1) as f64))
}

fn checks(page: &Page) -> Markup {
    let shown = || page.summary.checks.iter().filter(|check| check.rows > 0 || !check.implied);
    html! {
        h2 #checks { "Checks" }
        @if shown().next().is_none() { p { "The cut list has no checks." } } @else {
            div.wide { table.sorted {
                thead { tr { th { "of" } th { "column" } th { "check" } th.number { "checked" } th.number { "failed" } th.number { "share" } th { "" } th { "first rows" } } }
                tbody { @for check in shown() { (check_row(check, page)) } }
            } }
        }
    }
}

fn check_row(check: &CheckCounts, page: &Page) -> Markup {
    let (words, sorted_by) = share(check.rows, check.checked);
    let class = match (check.rows, check.level) {
        (0, _) => "number",
        (_, Level::Warning) => "number warns",
        (_, Level::Fault) => "number bad",
    };
    let place = page.summary.checks.iter().position(|other| other == check).unwrap_or_default();
    let are_several = page.summary.inputs.len() > 1;
    let rows: Vec<String> = check
        .first_rows
        .iter()
        .map(
            |row| {
                if are_several { format!("{} of {}", visible::grouped(row.row), row.file) } else { visible::grouped(row.row) }
            },
        )
        .collect();
    let more = if check.rows > rows.len() as u64 { " …" } else { "" };
    html! {
        tr {
            td { @if check.rows > 0 { a href=(format!("#check-{place}")) { (check.of) } } @else { (check.of) } }
            td { (check.column.as_deref().unwrap_or_default()) }
            td { code { (check.check) } @if check.level == Level::Warning { span.quiet { " (warns)" } } }
            td.number data-sort=(check.checked) { (visible::grouped(check.checked)) }
            td class=(class) data-sort=(check.rows) { (visible::grouped(check.rows)) }
            td.number data-sort=(sorted_by) {
                @if check.checked == 0 { "no value" } @else if check.rows == 0 { "all pass" } @else { (words) }
            }
            td { (plot::share(check.rows as f64 / check.checked.max(1) as f64, if check.level == Level::Warning { "warns" } else { "bad" })) }
            td { (rows.join(", ")) (more) }
        }
    }
}

fn faults(page: &Page) -> Markup {
    let are_several = page.summary.inputs.len() > 1;
    html! {
        h2 #faults { "Failing values" }
        @if !page.rows.is_empty() { p.quiet { "Check by check. The same " a href="#rows" { "row by row" } "." } }
        @for faults in &page.faults {
            @let check = &page.summary.checks[faults.check];
            @let shown = fitting(&faults.rows, MOST_BY_CHECK / page.faults.len(), |row| size(&row.value, &row.detail) + row.file.len());
            h3 id=(format!("check-{}", faults.check)) {
                (check.of) @if let Some(column) = &check.column { " of " (column) } ": " code { (check.check) }
                " " span.quiet { "(" (visible::counted(check.rows, "row")) ")" }
            }
            (results(faults))
            @if !shown.is_empty() {
                div.wide { table.sorted {
                    thead { tr { @if are_several { th { "file" } } th.number { "row" } th.number { "line" } th { "value" } th { "fault" } } }
                    tbody { @for row in shown { (faulty_row(row, are_several)) } }
                } }
                @if check.rows > shown.len() as u64 {
                    p.quiet { "The first " (visible::grouped(shown.len() as u64)) " of " (visible::counted(check.rows, "row")) "." }
                }
            }
        }
    }
}

/// The first rows that fit in a number of bytes.
fn fitting<T>(rows: &[T], most: usize, size: impl Fn(&T) -> usize) -> &[T] {
    let mut bytes = 0;
    let is_fitting = |row: &T| {
        bytes += ROW_TAGS + size(row);
        bytes <= most
    };
    &rows[..rows.iter().map(is_fitting).take_while(|fits| *fits).count()]
}

/// The size of a value with its explanation.
fn size(value: &[Stretch], detail: &str) -> usize {
    value.iter().map(|stretch| STRETCH_TAGS + stretch.text.len()).sum::<usize>() + detail.len()
}

/// The most frequent failing values, and the others in a list to open.
fn results(faults: &Faults) -> Markup {
    let (first, others) = faults.results.split_at(faults.results.len().min(FIRST_RESULTS));
    let rows = others.iter().map(|text| text.count).sum::<u64>() + faults.other_rows;
    let number = others.len() as u64 + faults.other_results;
    let at_least = if faults.are_counted { "" } else { "at least " };
    html! {
        @if !first.is_empty() { ul.results { @for result in first { (result_of(result)) } } }
        @if number > 0 {
            details {
                summary { "and " (at_least) (visible::counted(number, "other value")) ", in " (visible::counted(rows, "row")) }
                ul.results {
                    @for result in others { (result_of(result)) }
                    @if faults.other_results > 0 { li.quiet { (at_least) (visible::counted(faults.other_results, "more value")) } }
                }
            }
        }
    }
}

fn result_of(TextCount { text, count }: &TextCount) -> Markup {
    html! {
        li { @if text.is_empty() { span.quiet { "(blank)" } } @else { code { (visible::value(text)) } } " " span.quiet { "× " (visible::grouped(*count)) } }
    }
}

fn rows(page: &Page) -> Markup {
    let are_several = page.summary.inputs.len() > 1;
    let all = page.summary.rows.with_faults;
    let of_fault = |fault: &RowFault| ROW_TAGS + size(&fault.value, &fault.detail);
    let shown = fitting(&page.rows, MOST_BY_ROW, |row| row.file.len() + row.faults.iter().map(of_fault).sum::<usize>());
    html! {
        h2 #rows { "Rows with faults" }
        div.wide { table.sorted {
            thead { tr { @if are_several { th { "file" } } th.number { "row" } th.number { "line" } th { "faults" } } }
            tbody { @for row in shown { tr {
                @if are_several { td { (row.file) } }
                (number(Some(row.row))) (number(row.line))
                td { @for fault in &row.faults { (row_fault(fault, page)) } }
            } } }
        } }
        @if all > shown.len() as u64 { p.quiet { "The first " (visible::grouped(shown.len() as u64)) " of " (visible::counted(all, "row")) "." } }
    }
}

fn row_fault(fault: &RowFault, page: &Page) -> Markup {
    let check = &page.summary.checks[fault.check];
    html! {
        p { (check.of) ": " code { (check.check) } @if check.level == Level::Warning { span.quiet { " (warns)" } } " " (value(&fault.value)) " " span.quiet { (fault.detail) } }
    }
}

fn number(number: Option<u64>) -> Markup {
    html! { td.number data-sort=(number.unwrap_or_default()) { @if let Some(number) = number { (visible::grouped(number)) } } }
}

fn value(stretches: &[Stretch]) -> Markup {
    html! {
        span.value {
            @if stretches.is_empty() { span.quiet { "(blank)" } }
            @for stretch in stretches {
                @match stretch.is {
                    Mark::Beside => { (stretch.text) }
                    Mark::Piece => { span.piece { (stretch.text) } }
                    Mark::Wrong => { span.wrong { (stretch.text) } }
                }
            }
        }
    }
}

fn faulty_row(row: &FaultyRow, are_several: bool) -> Markup {
    html! {
        tr {
            @if are_several { td { (row.file) } }
            (number(Some(row.row))) (number(row.line))
            td { (value(&row.value)) }
            td { (row.detail) }
        }
    }
}

fn changes(changes: &[Changes]) -> Markup {
    html! {
        h2 #new { "Changes" }
        @for of_file in changes {
            h3 { "Since " (of_file.since) }
            @if of_file.changes.is_empty() { p { "No changes." } } @else {
                div.wide { table {
                    thead { tr { th { "of" } th { "what" } th { "before" } th { "now" } } }
                    tbody { @for change in &of_file.changes { tr {
                        td { (change.of) } td { (change.words) }
                        @for share in change.shares.map_or([None, None], |(before, now)| [Some(before), Some(now)]) {
                            td { @if let Some(share) = share { (plot::share(share, "is")) " " span.quiet { (shown(share)) } } }
                        }
                    } } }
                } }
            }
        }
    }
}

fn pieces(pieces: &[PieceCounts], rows: u64) -> Markup {
    let counts = |piece: &PieceCounts| -> Vec<(&'static str, u64)> { counts(&piece.tally).collect() };
    let all: Vec<Vec<(&'static str, u64)>> = pieces.iter().map(counts).collect();
    let names = all.first().into_iter().flatten().map(|(name, _)| *name).enumerate();
    let occurs = |(state, name): &(usize, &str)| *name == "filled" || all.iter().any(|counts| counts[*state].1 > 0);
    let states: Vec<(usize, &str)> = names.filter(occurs).collect();
    html! {
        h2 #pieces { "Pieces" }
        div.wide { table.sorted {
            thead { tr { th { "piece" } th { "from" } @for (_, name) in &states { th.number { (name) } } th { "states" } } }
            tbody { @for (piece, counts) in pieces.iter().zip(&all) { tr {
                td { (piece.name) } td { (piece.column.as_deref().unwrap_or("(built)")) }
                @for (state, _) in &states { (number(Some(counts[*state].1))) }
                td { (plot::shares(&states_of(piece, rows))) }
            } } }
        } }
        p.quiet.key { "States:" span.filled {} "filled" span.fallback {} "fallback, a branch after " code { "or" } span.short {} "short or long" span.missing {} "missing: the value has text, but the phrase found no result"
            " (the rest: blank, or not asked)" }
    }
}

fn states_of(piece: &PieceCounts, rows: u64) -> [(&'static str, f64); 4] {
    let share = |count: u64| count as f64 / rows.max(1) as f64;
    let tally = &piece.tally;
    [
        ("filled", share(tally.filled)),
        ("fallback", share(tally.fallback)),
        ("short", share((tally.short + tally.long).min(rows - tally.filled.min(rows)))),
        ("missing", share(tally.missing)),
    ]
}

fn hints(page: &Page) -> Markup {
    html! {
        h2 #hints { "Hints" }
        @for hint in &page.hints { div.hint { p { (hint.words) } @for fix in &hint.fixes { code { (fix) } } } }
    }
}

fn columns(columns: &[PageColumn], rows: u64) -> Markup {
    html! {
        h2 #columns { "Columns" }
        p.quiet { "In a shape, U is an uppercase letter, L a lowercase one, A either, d a digit, X uppercase letters and digits mixed, x lowercase ones, W either. A number after it says how many; any other character is itself." }
        @for column in columns {
            h3 { (column.name) }
            p { (visible::counted(rows.saturating_sub(column.blank), "value")) ", " (column.distinct) " different, " (visible::grouped(column.blank)) " blank"
                @for TextCount { text, count } in &column.odd { "; " (text) " in " (visible::counted(*count, "value")) } }
            (shapes(column, rows))
            @if let Some(quantities) = &column.quantities {
                @for words in &quantities.words { p { (words) } }
                @if quantities.bars.len() > 1 {
                    (plot::bars(&quantities.bars, &format!("Distribution of {}: {}", column.name, quantities.bars.iter().map(|(label, count)| format!("{label}: {count}")).collect::<Vec<_>>().join(", "))))
                }
            }
            @if !column.lengths.is_empty() {
                @let bars: Vec<(String, u64)> = column.lengths.iter().map(|(from, to, count)| (if from == to { from.to_string() } else { format!("{from}–{to}") }, *count)).collect();
                p.quiet { "Lengths in characters" }
                (plot::bars(&bars, &format!("Lengths of {}: {}", column.name, bars.iter().map(|(label, count)| format!("{label}: {count}")).collect::<Vec<_>>().join(", "))))
            }
            @if !column.positions.is_empty() {
                p.quiet.key { "Characters at each position:" span.digit {} "digits" span.upper {} "uppercase" span.lower {} "lowercase" span.fixed {} "one character" span.mixed {} "others" }
                (plot::positions(&column.positions, &format!("Contents of the positions 1 to {} of {}; the table below has the same", column.positions.len(), column.name)))
                details { summary { "The same as a table" } (position_table(column)) }
            }
        }
    }
}

fn shapes(column: &PageColumn, rows: u64) -> Markup {
    let values = rows.saturating_sub(column.blank);
    html! {
        div.wide { table.sorted {
            thead { tr { th { "shape" } th.number { "values" } th.number { "share" } th { "" } th { "such as" } } }
            tbody { @for shape in &column.shapes {
                @let (words, sorted_by) = share(shape.count, values);
                tr {
                    td { code { (with_marks(&shape.shape)) } } td.number data-sort=(shape.count) { (visible::grouped(shape.count)) } td.number data-sort=(sorted_by) { (words) }
                    td { (plot::share(shape.count as f64 / values.max(1) as f64, "is")) } td { code { (with_marks(&visible::value(&shape.example))) } }
                }
            } }
        } }
        @if column.other_shapes > 0 { p.quiet { (visible::counted(column.other_shapes, "value")) " of other shapes" } }
    }
}

/// A text. Marks with code points distinguish characters that look like ASCII ones.
fn with_marks(text: &str) -> Markup {
    let is_odd = |c: char| !c.is_ascii() && !c.is_alphanumeric() && c != '…';
    html! {
        @for c in text.chars() {
            @if is_odd(c) { span.odd title=(format!("U+{:04X}", u32::from(c))) { (c) } } @else { (c) }
        }
    }
}

fn position_table(column: &PageColumn) -> Markup {
    html! {
        table {
            thead { tr { th.number { "position" } th { "content" } } }
            tbody { @for (index, position) in column.positions.iter().enumerate() { tr {
                td.number { (index + 1) }
                td { @for (nth, content) in position.contents.iter().enumerate() { @if nth > 0 { ", " } (content.what) " × " (visible::grouped(content.count)) } }
            } } }
        }
    }
}

fn list(page: &Page) -> Markup {
    html! {
        h2 #list { "The cut list in plain words" }
        @for part in &page.list {
            @if !part.name.is_empty() { h3 { (part.name) } }
            @for sentence in &part.sentences { p { (sentence) } }
            @if let Some(phrase) = &part.phrase { p.quiet { "in the list: " code { (phrase) } } }
        }
    }
}
