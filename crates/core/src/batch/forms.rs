//! The forms of the values of a column: plain, simple or neither.

use super::Mask;
use crate::text::characters::Form;

/// The known form of each value of a column.
///
/// ```
/// use keen_notch_core::batch::Column;
///
/// let column = Column::of(["GRP-1", "é-1"]);
/// assert!(column.texts().forms.of(0).is_plain() && !column.texts().forms.of(1).is_plain());
/// ```
#[derive(Debug, Clone, Default, PartialEq, Eq)]
pub struct Forms {
    /// Values not known to be plain.
    rough: Mask,
    /// The subset not known to be simple either.
    composite: Mask,
}

impl Forms {
    pub const NONE: Forms = Forms { rough: Mask::NONE, composite: Mask::NONE };

    /// Sets `rows` plain values.
    pub fn clear(&mut self, rows: usize) {
        self.rough.clear(rows);
        self.composite.clear(rows);
    }

    /// Sets `rows` values of unknown form.
    pub fn forget(&mut self, rows: usize) {
        self.rough.fill(rows);
        self.composite.fill(rows);
    }

    /// Sets the form of all values that are not plain to unknown.
    pub fn forget_rough(&mut self) {
        let Forms { rough, composite } = self;
        composite.copy_from(rough);
    }

    /// Makes room for `rows` values; the new ones are plain.
    pub fn grow(&mut self, rows: usize) {
        self.rough.grow(rows);
        self.composite.grow(rows);
    }

    pub fn copy_from(&mut self, other: &Forms) {
        self.rough.copy_from(&other.rough);
        self.composite.copy_from(&other.composite);
    }

    /// Sets the form of a value. There must be room for it.
    #[inline]
    pub fn set(&mut self, row: usize, form: Form) {
        match form {
            Form::Plain => {
                self.rough.unset(row);
                self.composite.unset(row);
            }
            Form::Simple => {
                self.rough.set(row);
                self.composite.unset(row);
            }
            Form::Composite => {
                self.rough.set(row);
                self.composite.set(row);
            }
        }
    }

    #[inline]
    pub fn of(&self, row: usize) -> Form {
        match (self.rough.has(row), self.composite.has(row)) {
            (false, _) => Form::Plain,
            (true, false) => Form::Simple,
            (true, true) => Form::Composite,
        }
    }

    #[inline]
    pub fn are_plain(&self) -> bool {
        self.rough.is_none()
    }

    pub fn rough(&self) -> &Mask {
        &self.rough
    }

    pub fn composite(&self) -> &Mask {
        &self.composite
    }

    /// Combines the forms row by row, as for texts joined from both columns.
    pub fn join(&mut self, other: &Forms) {
        self.rough.add(&other.rough);
        self.composite.add(&other.composite);
    }

    /// Takes the forms of the values at `rows`, in that order.
    pub fn pick(&mut self, from: &Forms, rows: &[u32]) {
        self.rough.pick(&from.rough, rows);
        self.composite.pick(&from.composite, rows);
    }
}
