//! What is known of the characters of the values of a column.

use super::Mask;
use crate::text::characters::Form;

/// For each value of a column, what characters it is made of, as far as that is known.
///
/// ```
/// use keen_notch_core::batch::Column;
///
/// let column = Column::of(["GRP-1", "é-1"]);
/// assert!(column.texts().forms.of(0).is_plain() && !column.texts().forms.of(1).is_plain());
/// ```
#[derive(Debug, Clone, Default, PartialEq, Eq)]
pub struct Forms {
    /// Values that are not known to be plain.
    rough: Mask,
    /// Those of them that are not known to be simple either.
    composite: Mask,
}

impl Forms {
    /// What is known of no values.
    pub const NONE: Forms = Forms { rough: Mask::NONE, composite: Mask::NONE };

    /// All of `rows` values are plain.
    pub fn clear(&mut self, rows: usize) {
        self.rough.clear(rows);
        self.composite.clear(rows);
    }

    /// Nothing is known of `rows` values.
    pub fn forget(&mut self, rows: usize) {
        self.rough.fill(rows);
        self.composite.fill(rows);
    }

    /// What is known of the values that are not plain is only that.
    pub fn forget_rough(&mut self) {
        let Forms { rough, composite } = self;
        composite.copy_from(rough);
    }

    /// Makes room for `rows` values; the new ones are plain.
    pub fn grow(&mut self, rows: usize) {
        self.rough.grow(rows);
        self.composite.grow(rows);
    }

    /// Makes it what is known of others.
    pub fn copy_from(&mut self, other: &Forms) {
        self.rough.copy_from(&other.rough);
        self.composite.copy_from(&other.composite);
    }

    /// Notes the form of a value that there is room for.
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

    /// What is known of a value.
    #[inline]
    pub fn of(&self, row: usize) -> Form {
        match (self.rough.has(row), self.composite.has(row)) {
            (false, _) => Form::Plain,
            (true, false) => Form::Simple,
            (true, true) => Form::Composite,
        }
    }

    /// Whether all values are known to be plain.
    #[inline]
    pub fn are_plain(&self) -> bool {
        self.rough.is_none()
    }

    /// Values that are not known to be plain.
    pub fn rough(&self) -> &Mask {
        &self.rough
    }

    /// Values that are not known to be simple.
    pub fn composite(&self) -> &Mask {
        &self.composite
    }

    /// What is known of texts that are put together of these values and of others, row by row.
    pub fn join(&mut self, other: &Forms) {
        self.rough.add(&other.rough);
        self.composite.add(&other.composite);
    }

    /// Makes it what is known of some of the values alone, which are counted anew.
    pub fn pick(&mut self, from: &Forms, rows: &[u32]) {
        self.rough.pick(&from.rough, rows);
        self.composite.pick(&from.composite, rows);
    }
}
