//! The values of columns of a table, for what looks at one value after another.

use keen_notch_core::text::simd::Span;

use crate::Error;
use crate::gather::{Gathered, Needed, Next};
use crate::pool;
use crate::record::{Cells, Rooms};
use crate::table::{Line, Part, Table};

/// The values of a column in some rows, in their order.
#[derive(Debug, Default)]
pub struct Column {
    /// One behind the other.
    text: String,
    ends: Vec<usize>,
}

impl Column {
    fn push(&mut self, value: &str) {
        self.text.push_str(value);
        self.ends.push(self.text.len());
    }

    /// The values.
    pub fn values(&self) -> impl Iterator<Item = &str> {
        let mut start = 0;
        self.ends.iter().map(move |end| {
            let value = self.text.get(start..*end).unwrap_or_default();
            start = *end;
            value
        })
    }
}

/// Calls `see` with the values of columns, some rows at a time and in their order, to the last row. They are taken out
/// of the table on as many threads as there are processors, and seen by one of these at a time.
///
/// # Errors
/// Where the table cannot be read to its end.
pub fn each(table: &mut Table, columns: &[usize], mut see: impl FnMut(&[Column]) + Send) -> Result<(), Error> {
    let threads = std::thread::available_parallelism().map_or(1, usize::from);
    let meter = table.shared_meter();
    let mut in_order = columns.to_vec();
    in_order.sort_unstable();
    in_order.dedup();
    let worker = || {
        let (mut gathered, mut rooms) = (Gathered::default(), Rooms::default());
        let (in_order, meter) = (&in_order, &meter);
        move |part: Part| {
            let (values, rows) = take(&part, columns, in_order, &mut gathered, &mut rooms)?;
            meter.add_rows(rows);
            Ok(values)
        }
    };
    pool::in_order(
        threads,
        || table.next_part(),
        worker,
        |values: Vec<Column>| {
            see(&values);
            Ok(())
        },
    )
}

/// The values of columns of a part, and how many rows it has.
fn take(
    part: &Part,
    columns: &[usize],
    in_order: &[usize],
    gathered: &mut Gathered,
    rooms: &mut Rooms,
) -> Result<(Vec<Column>, u64), Error> {
    let text = part.text()?;
    let mut taken: Vec<Column> = columns.iter().map(|_| Column::default()).collect();
    let mut rows = 0;
    let mut room = Cells::default();
    gathered.begin(part, text, true);
    let needed = Needed { columns: part.columns(), values: in_order, cells: &[] };
    while let Some(next) = gathered.next(part, text, Some(needed), &mut room)? {
        match next {
            Next::Rows => {
                rows += gathered.rows().len() as u64;
                for (column, taken) in columns.iter().zip(&mut taken) {
                    let values: &[Span] = &gathered.values(text).columns[*column];
                    values.iter().for_each(|value| taken.push(value.text(text)));
                }
            }
            Next::Line(Line::Row(record, _) | Line::Ragged(record, _)) => {
                rows += 1;
                for (column, taken) in columns.iter().zip(&mut taken) {
                    record.prepare(*column, rooms);
                    taken.push(record.value(*column, rooms));
                }
            }
            Next::Line(Line::Blank(_)) => {}
        }
    }
    Ok((taken, rows))
}
