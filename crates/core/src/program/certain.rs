//! Guarantees of cuts and checks about results, which save hints a look at them.

/// Properties of some filled plain texts.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default)]
pub(crate) struct Certain {
    /// Whether they consist of digits (`true`) or have none (`false`).
    pub(crate) digits: Option<bool>,
    /// Whether spreadsheets never read them as formulas.
    pub(crate) is_no_formula: bool,
}

impl Certain {
    pub(crate) const DIGITS: Certain = Certain { digits: Some(true), is_no_formula: true };

    pub(crate) fn and(self, other: Certain) -> Certain {
        Certain { digits: self.digits.or(other.digits), is_no_formula: self.is_no_formula || other.is_no_formula }
    }

    pub(crate) fn is_anything(self) -> bool {
        self != Certain::default()
    }
}
