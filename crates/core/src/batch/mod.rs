//! Values by column.
//!
//! A column is a text and the span of each value, as in columnar file formats. All operations work on whole columns: each decision is
//! made once for many rows, and the inner loops stay simple (Boncz, Zukowski, Nes: MonetDB/X100, CIDR 2005).

mod buffer;
mod forms;
pub mod formula;
mod mask;
pub(crate) mod simd;
mod sixteen;
mod span;

pub use buffer::{Buffer, MOST_MADE, OWN_MAPPING, Writer};
pub use forms::Forms;
pub use mask::Mask;
pub use sixteen::Sixteen;
pub use span::Span;

use std::borrow::Cow;

use crate::text::characters::Form;

/// The values of one column.
///
/// ```
/// use keen_notch_core::batch::Column;
///
/// let column = Column::of(["GRP-1", "HNG-22"]);
/// assert_eq!(column.texts().iter().collect::<Vec<_>>(), ["GRP-1", "HNG-22"]);
/// ```
#[derive(Debug, Clone, Default)]
pub struct Column<'t> {
    text: Cow<'t, str>,
    spans: Cow<'t, [Span]>,
    forms: Cow<'t, Forms>,
}

impl<'t> Column<'t> {
    pub fn of<'a>(values: impl IntoIterator<Item = &'a str>) -> Column<'t> {
        let mut column = Column::default();
        values.into_iter().for_each(|value| column.push(value));
        column
    }

    /// Values within a longer text, without copying it.
    pub fn within(text: &'t str, spans: Vec<Span>) -> Column<'t> {
        let mut forms = Forms::default();
        forms.clear(spans.len());
        spans.iter().enumerate().for_each(|(row, span)| forms.set(row, Form::of(span.text(text))));
        Column { text: Cow::Borrowed(text), spans: Cow::Owned(spans), forms: Cow::Owned(forms) }
    }

    pub fn push(&mut self, value: &str) {
        let (text, row) = (self.text.to_mut(), self.spans.len());
        let start = text.len();
        text.push_str(value);
        let end = text.len();
        let forms = self.forms.to_mut();
        forms.grow(row + 1);
        forms.set(row, Form::of(value));
        self.spans.to_mut().push(Span::new(start, end));
    }

    /// Keeps the values at these ascending indices.
    pub fn keep(&mut self, rows: &[u32]) {
        self.spans = rows.iter().filter_map(|row| self.spans.get(*row as usize).copied()).collect();
        let mut forms = Forms::default();
        forms.pick(&self.forms, rows);
        self.forms = Cow::Owned(forms);
    }

    pub fn clear(&mut self) {
        self.text.to_mut().clear();
        self.spans.to_mut().clear();
        self.forms.to_mut().clear(0);
    }

    pub fn texts(&self) -> Texts<'_> {
        Texts { text: &self.text, spans: &self.spans, forms: &self.forms }
    }
}

impl<'t> From<Texts<'t>> for Column<'t> {
    fn from(Texts { text, spans, forms }: Texts<'t>) -> Column<'t> {
        Column { text: Cow::Borrowed(text), spans: Cow::Borrowed(spans), forms: Cow::Borrowed(forms) }
    }
}

/// Texts as spans of a longer text.
#[derive(Debug, Clone, Copy)]
pub struct Texts<'t> {
    pub text: &'t str,
    pub spans: &'t [Span],
    pub forms: &'t Forms,
}

impl<'t> Texts<'t> {
    /// No texts.
    pub const NONE: Texts<'static> = {
        const NO_FORMS: Forms = Forms::NONE;
        Texts { text: "", spans: &[], forms: const { &NO_FORMS } }
    };

    pub fn len(&self) -> usize {
        self.spans.len()
    }

    pub fn is_empty(&self) -> bool {
        self.spans.is_empty()
    }

    /// The number of filled texts.
    pub fn filled(&self) -> u64 {
        u64::from(self.spans.iter().map(|span| u32::from(!span.is_empty())).sum::<u32>())
    }

    /// A text; empty if the index is out of range.
    #[inline]
    pub fn get(&self, index: usize) -> &'t str {
        self.spans.get(index).map_or("", |span| span.text(self.text))
    }

    pub fn iter(&self) -> impl Iterator<Item = &'t str> + use<'t> {
        let text = self.text;
        self.spans.iter().map(move |span| span.text(text))
    }
}

/// Some rows of a table, by column. An unused column may have no values.
///
/// ```
/// use keen_notch_core::batch::{Batch, Column};
///
/// let (codes, depots) = (Column::of(["GRP-1"]), Column::of(["East"]));
/// let batch = Batch { rows: 1, columns: &[codes.texts(), depots.texts()], ..Batch::default() };
/// assert_eq!((batch.value(1, 0), batch.numbers.get(0)), ("East", 1));
/// ```
#[derive(Debug, Clone, Copy, Default)]
pub struct Batch<'t> {
    pub rows: usize,
    pub columns: &'t [Texts<'t>],
    pub numbers: RowNumbers<'t>,
}

/// The numbers of the rows of a batch in their input, from 1.
#[derive(Debug, Clone, Copy, Default)]
pub struct RowNumbers<'t> {
    /// Added to each number.
    pub before: u64,
    /// The numbers; empty for 1, 2, 3 and so on.
    pub rows: &'t [u32],
}

impl RowNumbers<'_> {
    pub fn get(&self, row: usize) -> u64 {
        self.before + self.rows.get(row).map_or(row as u64 + 1, |number| u64::from(*number))
    }
}

impl<'t> Batch<'t> {
    pub fn column(&self, index: usize) -> Texts<'t> {
        self.columns.get(index).copied().unwrap_or(Texts::NONE)
    }

    /// A value; empty if the index is out of range.
    #[inline]
    pub fn value(&self, column: usize, row: usize) -> &'t str {
        self.columns.get(column).map_or("", |column| column.get(row))
    }
}
