//! A row explained: each piece step by step, and the failed checks.

use keen_notch_core::carving::{Carving, CheckName, Memory};
use keen_notch_core::cutlist::CutList;
use keen_notch_core::program::Setting;

use super::piece::Binding;
use super::sample::Sample;
use super::whole::judge;
use crate::draw::explained::{self, ExplainedRow};
use crate::draw::style::{self, paint};
use crate::draw::visible;
use crate::rules::today;

/// Explains a row of the sample, with all pieces of a cut list.
///
/// # Errors
/// The list cannot be read; the reason as a sentence.
pub fn of_row(list: &str, binding: &Binding, sample: &Sample, row: usize, width: usize) -> Result<Vec<String>, String> {
    let mut list = CutList::parse(list, 0).map_err(|error| error.message)?;
    // The row is explained even if the list would not keep it.
    list.wanted.keep.clear();
    let main = list.column.map(|main| main.column);
    let setting = Setting { unit: list.unit, files: binding.files, today: &|| Some(today()) };
    let carving =
        Carving::new(&list.wanted, main.as_ref(), &setting, binding.header).map_err(|unbound| unbound.error.message)?;
    sample.rows.with_batch(|batch| {
        let judged = judge(&carving, batch, 0, &mut Memory::default());
        let (judged, _) = judged.ok_or_else(|| "the results are too large to be shown".to_owned())?;
        let batch_results = judged.results();
        let failures = batch_results.failures().iter().filter(|failure| failure.row as usize == row);
        let name = |row: u64| format!("row {}", visible::grouped(row));
        let faults: Vec<_> = failures.map(|failure| carving.fault(*failure, batch, batch_results, &name)).collect();
        let checks = carving.checks();
        let failed = |piece: Option<usize>| -> Vec<String> {
            let of_piece = faults.iter().filter(|fault| checks[fault.check].piece == piece);
            of_piece.map(|fault| failed(&checks[fault.check], &fault.violation.detail, width)).collect()
        };
        let mut lines = Vec::new();
        for (index, piece) in list.wanted.pieces.iter().enumerate() {
            if index > 0 {
                lines.push(String::new());
            }
            let at = ExplainedRow { batch, batch_results, index: row };
            lines.extend(explained::piece((index, piece), &carving, at, binding.header, width));
            lines.extend(failed(Some(index)));
        }
        let of_row = failed(None);
        if !of_row.is_empty() {
            lines.push(String::new());
            lines.extend(of_row);
        }
        Ok(lines)
    })
}

fn failed(check: &CheckName, detail: &str, width: usize) -> String {
    let (words, style) = if check.only_warns { ("warns", style::LOOK) } else { ("fails", style::FAULT) };
    let line = format!("{words} {}: {} ({detail})", check.of, check.words);
    paint(style, visible::clipped(&visible::without_controls(&line), width))
}
