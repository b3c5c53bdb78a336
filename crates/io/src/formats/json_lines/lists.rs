//! Lists of faults and of hashes as JSON arrays.

use keen_notch_core::batch::{Buffer, Span};
use keen_notch_core::carving::{OutColumn, RowComparison};

use crate::encode::Encodable;
use crate::encode::lists::{COMPARED_FIELDS, FAULT_FIELDS};
use crate::encode::rows::OutRows;
use crate::formats::json_lines::encoder::push_text;

fn push_array(column: OutColumn, input: &Encodable, row: usize, out: &mut Buffer) {
    out.push(b'[');
    match column {
        OutColumn::Compared => {
            for (number, compared) in input.carving.compared(row, input.batch_results).enumerate() {
                let RowComparison { check, hash, new_for_piece, new_for_row } = compared;
                let values = [
                    check.to_string(),
                    format!("\"{:032x}\"", hash.bits()),
                    new_for_piece.to_string(),
                    new_for_row.to_string(),
                ];
                out.extend(if number > 0 { b",{" } else { b"{" });
                let members: Vec<String> =
                    COMPARED_FIELDS.iter().zip(values).map(|(field, value)| format!("\"{field}\":{value}")).collect();
                out.extend(members.join(",").as_bytes());
                out.push(b'}');
            }
        }
        _ => {
            for (number, fault) in input.faults.each(row).enumerate() {
                out.extend(if number > 0 { b",{" } else { b"{" });
                for (number, (field, value)) in FAULT_FIELDS.iter().zip(fault).enumerate() {
                    out.extend(if number > 0 { b",\"" } else { b"\"" });
                    out.extend(field.as_bytes());
                    out.extend(b"\":");
                    push_text(value, out);
                }
                out.push(b'}');
            }
        }
    }
    out.push(b']');
}

/// The list of each output row as JSON, with its span in the text.
pub fn arrays(column: OutColumn, input: &Encodable, rows: &OutRows) -> (String, Vec<Span>) {
    let mut text = Buffer::default();
    let array = |index: usize| {
        let start = text.width();
        push_array(column, input, rows.row(index), &mut text);
        Span::new(start, text.width())
    };
    let spans = (0..rows.count()).map(array).collect();
    (text.text().to_owned(), spans)
}
