use super::ast::Span;

/// A quoted number that shows its style.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct NumberExample {
    /// The number, such as `1,234.5` or `(1,234.5)`.
    pub text: String,
    /// Its span, with the quotes.
    pub span: Span,
}

#[derive(Debug, Clone, Copy, PartialEq, Eq, Default)]
pub(crate) struct Signs {
    pub(crate) before: bool,
    pub(crate) after: bool,
    pub(crate) around: bool,
}

impl NumberExample {
    /// The sign of the example, and the example without it.
    pub(crate) fn split_sign(&self) -> (Signs, &str) {
        split_sign(&self.text)
    }

    /// Whether `other` shows the same number with a different sign: `-1,234.5` and `(1,234.5)`.
    pub(crate) fn differs_in_sign(&self, other: &str) -> bool {
        let ((sign, digits), (other_sign, other_digits)) = (self.split_sign(), split_sign(other));
        sign != other_sign && digits == other_digits
    }
}

pub(crate) fn is_sign(c: char) -> bool {
    matches!(c, '+' | '-' | '\u{2212}')
}

fn split_sign(example: &str) -> (Signs, &str) {
    let none = Signs::default();
    if let Some(inside) = example.strip_prefix('(').and_then(|rest| rest.strip_suffix(')')) {
        return (Signs { around: true, ..none }, inside);
    }
    if let Some(rest) = example.strip_prefix(is_sign) {
        return (Signs { before: true, ..none }, rest);
    }
    match example.strip_suffix(is_sign) {
        Some(rest) => (Signs { after: true, ..none }, rest),
        None => (none, example),
    }
}
