//! Layouts: pictures of a whole code with its pieces named, such as `<family 3 uppercase>-<serial 8 digits>`.

mod form;
mod machine;
mod plan;
mod walk;

pub(crate) use form::SPECIAL;
pub use form::{Field, Form, Item};
pub(crate) use plan::Expected;
pub use plan::{LayoutFits, LayoutMismatch, LayoutPlan};

use crate::column::ColumnRef;
use crate::phrase::Span;

/// The layout of a column. Its forms are tried in order.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Layout {
    pub column: ColumnRef,
    /// The span of the column in the declaration.
    pub column_span: Span,
    pub forms: Vec<Form>,
    /// The index of the text that declares it, as given by the reader.
    pub origin: usize,
}

impl Layout {
    /// The maximum number of characters of a field, if every form limits it.
    pub fn width(&self, field: usize) -> Option<usize> {
        let name = *self.names().get(field)?;
        let mut most = Some(0);
        for form in &self.forms {
            form.each_field(&mut |field| {
                if field.name == name {
                    most = most.zip(field.to).map(|(most, to)| most.max(to));
                }
            });
        }
        most
    }

    pub fn names(&self) -> Vec<&str> {
        let mut names: Vec<&str> = Vec::new();
        for form in &self.forms {
            form.each_field(&mut |field| {
                if !names.contains(&field.name.as_str()) {
                    names.push(&field.name);
                }
            });
        }
        names
    }

    /// Parses `COLUMN: FORM` from the command line.
    ///
    /// # Errors
    /// The column, colon or form is missing or invalid; the span is in `text`.
    pub fn parse(text: &str, origin: usize) -> Result<Layout, crate::text_error::TextError> {
        use crate::text_error::TextError;
        let after_name = match crate::phrase::text_at(text, 0) {
            Ok((_, end)) if text.starts_with(['"', '\'']) => end,
            _ => 0,
        };
        let colon = text[after_name..].find([':', '<']).map(|at| after_name + at).filter(|at| text[*at..].starts_with(':'));
        let Some(colon) = colon.filter(|colon| !text[..*colon].trim().is_empty()) else {
            let help = "write it like `part_code: <family 3 uppercase>-<serial 8 digits>`";
            return Err(TextError::new("the layout does not say which column it describes", 0..0, help));
        };
        let form = text[colon + 1..].trim_start();
        let offset = text.len() - form.len();
        let forms = vec![Form::parse(form).map_err(|error| error.moved(offset))?];
        Ok(Layout { column: ColumnRef::parse(&text[..colon]), column_span: 0..text[..colon].trim_end().len(), forms, origin })
    }
}
