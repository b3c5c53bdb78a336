//! Matches the values of a column against a layout.

use std::ops::Range;

use super::Layout;
use super::machine::{FieldSpan, Machine, Mismatch, NOWHERE, Scratch, Step};
use super::walk::Walk;
use crate::batch::{Column, Span, Texts};
use crate::check::{Violation, ViolationKind, described};
use crate::program::ClassPlan;
use crate::text::characters;

#[derive(Debug)]
pub struct LayoutPlan {
    forms: Vec<(Machine, Option<Walk>)>,
    fields: usize,
}

/// The fields of a layout in some values, and the values that do not match.
#[derive(Debug, Default)]
pub struct LayoutFits {
    fields: Vec<Vec<Span>>,
    unfit: Vec<LayoutMismatch>,
    places: Vec<FieldSpan>,
    scratch: Scratch,
}

/// A value that matches no form, with the closest form.
#[derive(Debug, Clone)]
pub struct LayoutMismatch {
    /// The row of the batch.
    pub row: u32,
    form: u32,
    at: u32,
    wanted: Vec<u32>,
}

#[derive(Debug, Clone, Copy)]
pub(crate) enum Expected<'p> {
    Character(&'p str),
    OfField(Option<&'p ClassPlan>, &'p str),
    End,
}

impl LayoutFits {
    pub(crate) fn field(&self, field: usize) -> &[Span] {
        self.fields.get(field).map_or(&[], Vec::as_slice)
    }

    /// The values that match no form, by row.
    pub fn unfit(&self) -> &[LayoutMismatch] {
        &self.unfit
    }

    pub(crate) fn keep(&mut self, rows: &[u32]) {
        let mut kept = (0..).zip(rows).peekable();
        self.unfit.retain_mut(|unfit| {
            while kept.next_if(|(_, row)| **row < unfit.row).is_some() {}
            match kept.peek().filter(|(_, row)| **row == unfit.row) {
                Some((index, _)) => {
                    unfit.row = *index;
                    true
                }
                None => false,
            }
        });
        for field in &mut self.fields {
            rows.iter().enumerate().for_each(|(place, row)| field[place] = field[*row as usize]);
            field.truncate(rows.len());
        }
    }
}

impl LayoutPlan {
    /// Compiles a layout.
    pub fn new(layout: &Layout) -> LayoutPlan {
        let names = layout.names();
        let form = |form| {
            let machine = Machine::new(form, &names);
            let walk = Walk::new(&machine);
            (machine, walk)
        };
        LayoutPlan { forms: layout.forms.iter().map(form).collect(), fields: names.len() }
    }

    /// The fields of a value, in bytes; `None` for an absent field.
    ///
    /// # Errors
    /// Where the value has none of the forms.
    ///
    /// ```
    /// use keen_notch_core::layout::{Layout, LayoutPlan};
    ///
    /// let layout = Layout::parse("part_code: <family 2 to 3 uppercase>-<serial digits>[/<grade>]", 0)?;
    /// let plan = LayoutPlan::new(&layout);
    /// assert_eq!(plan.fit("GRP-041"), Ok(vec![Some(0..3), Some(4..7), None]));
    /// let violation = plan.fit("GRP-O41").unwrap_err();
    /// assert_eq!(violation.detail, "character 5 is the letter O; a digit of serial was expected");
    /// # Ok::<(), keen_notch_core::text_error::TextError>(())
    /// ```
    pub fn fit(&self, value: &str) -> Result<Vec<Option<Range<usize>>>, Violation> {
        let (column, mut fits) = (Column::of([value]), LayoutFits::default());
        self.fit_all(column.texts(), &mut fits);
        if !fits.unfit.is_empty() {
            return Err(self.violation(value, 0, &fits));
        }
        let range = |span: &Span| (!span.is_empty()).then_some(span.start as usize..span.end as usize);
        Ok(fits.fields.iter().map(|field| field.first().and_then(range)).collect())
    }

    /// Matches values, each against the first form that fits.
    pub fn fit_all(&self, values: Texts, fits: &mut LayoutFits) {
        let LayoutFits { fields, unfit, places, scratch } = fits;
        unfit.clear();
        fields.resize_with(self.fields, Vec::new);
        fields.iter_mut().for_each(|field| {
            field.clear();
            field.resize(values.len(), Span::default());
        });
        places.clear();
        places.resize(self.fields, NOWHERE);
        for (row, span) in values.spans.iter().enumerate() {
            match self.fit_one(span.text(values.text), values.forms.of(row).is_plain(), places, scratch) {
                Ok(()) => {
                    for (field, (start, end)) in fields.iter_mut().zip(&*places) {
                        if *end != usize::MAX {
                            field[row] = span.part(*start, *end);
                        }
                    }
                }
                Err((form, stuck)) => {
                    unfit.push(LayoutMismatch { row: row as u32, form: form as u32, at: stuck.at as u32, wanted: stuck.wanted })
                }
            }
        }
    }

    fn fit_one(
        &self,
        value: &str,
        plain: bool,
        places: &mut [FieldSpan],
        scratch: &mut Scratch,
    ) -> Result<(), (usize, Mismatch)> {
        let mut nearest: Option<(usize, Mismatch)> = None;
        for (form, (machine, walk)) in self.forms.iter().enumerate() {
            let walked = walk.as_ref().filter(|_| plain).and_then(|walk| walk.run(value.as_bytes(), places));
            match walked.unwrap_or_else(|| machine.run(value, places, scratch)) {
                Ok(()) => return Ok(()),
                Err(stuck) if nearest.as_ref().is_none_or(|(_, nearest)| stuck.at > nearest.at) => {
                    nearest = Some((form, stuck));
                }
                Err(_) => {}
            }
        }
        Err(nearest.unwrap_or_default())
    }

    pub(crate) fn expected<'p>(&'p self, unfit: &'p LayoutMismatch) -> impl Iterator<Item = Expected<'p>> {
        let steps = self.forms.get(unfit.form as usize).map_or(&[][..], |(machine, _)| machine.steps.as_slice());
        unfit.wanted.iter().filter_map(|step| steps.get(*step as usize)).map(|step| match step {
            Step::Literal(literal) => Expected::Character(literal),
            Step::OfField { class, name } => Expected::OfField(class.as_deref(), name),
            _ => Expected::End,
        })
    }

    pub(crate) fn stopped_at(&self, unfit: &LayoutMismatch) -> usize {
        unfit.at as usize
    }

    pub(crate) fn violation(&self, value: &str, row: usize, fits: &LayoutFits) -> Violation {
        let unfit = fits.unfit.iter().find(|unfit| unfit.row as usize == row);
        let mut wanted: Vec<String> = Vec::new();
        for expected in unfit.into_iter().flat_map(|unfit| self.expected(unfit)) {
            let words = match expected {
                Expected::Character(character) => described(character),
                Expected::OfField(class, name) => {
                    format!("{} of {name}", class.map_or("a character".to_owned(), ClassPlan::one))
                }
                Expected::End => "the end".to_owned(),
            };
            if !wanted.contains(&words) {
                wanted.push(words);
            }
        }
        let wanted = wanted.join(" or ");
        let (form, at) = unfit.map_or((0, 0), |unfit| (unfit.form, unfit.at as usize));
        let which = if self.forms.len() > 1 { format!("form {} is nearest: ", form + 1) } else { String::new() };
        let detail = match characters::ranges(value).nth(at) {
            Some(range) => format!("{which}character {} is {}; {wanted} was expected", at + 1, described(&value[range])),
            None if at == 0 => "it is blank".to_owned(),
            None => format!("{which}it ends after character {at}; {wanted} was expected there"),
        };
        Violation { kind: ViolationKind::WrongLayout, detail, at: Some(at + 1) }
    }
}

#[cfg(test)]
mod tests {
    use super::super::form::Form;
    use super::*;
    use crate::column::ColumnRef;

    fn layout(forms: &[&str]) -> Layout {
        let forms = forms.iter().map(|form| Form::parse(form).unwrap()).collect();
        Layout { column: ColumnRef::Number(1), column_span: 0..0, forms, origin: 0 }
    }

    fn fit(forms: &[&str], value: &str) -> String {
        let layout = layout(forms);
        match LayoutPlan::new(&layout).fit(value) {
            Ok(fields) => {
                let fields = layout.names().into_iter().zip(fields);
                fields.filter_map(|(name, range)| Some(format!("{name}={}", &value[range?]))).collect::<Vec<_>>().join(" ")
            }
            Err(violation) => violation.detail,
        }
    }

    const CODE: &str = "<family 3 uppercase>-<serial 8 digits>-<grade 4>";
    const SHORT: &str = "<family 2 uppercase><serial 6 digits>";

    #[test]
    fn values_that_fit() {
        for (forms, value, expected) in [
            (&[CODE, SHORT][..], "GRP-00041273-S7K2", "family=GRP serial=00041273 grade=S7K2"),
            (&[CODE, SHORT], "HN004127", "family=HN serial=004127"),
            (&["<a>-<b>"], "x-y-z", "a=x b=y-z"),
            (&["<a 1 to 3><b 1 to 3>"], "wxyz", "a=wxy b=z"),
            (&["<a digits>[-<b>]"], "12-x", "a=12 b=x"),
            (&["<a digits>[-<b>]"], "12", "a=12"),
            (&["<num digits><unit>"], "729 g", "num=729 unit= g"),
            (&["<num digits><unit>"], "729", "num=72 unit=9"),
            (&["<a letters><b alphanumeric>"], "ABC", "a=AB b=C"),
            (&["<<<a>>>"], "<x>", "a=x"),
            (&["[[<a>]]"], "[x]", "a=x"),
            (&[r"\[<a>\]"], "[x]", "a=x"),
            (&[r"<a 1>[\]<b>]"], "x]y", "a=x b=y"),
            (&[r"<a 1>[-<b>\]]\]"], "x-y]]", "a=x b=y"),
            (&[r"\<<a>\>\\x\y"], r"<v>\x\y", "a=v"),
            (&["<a digits>[-<b 1>]]]"], "12-x]", "a=12 b=x"),
            (&["<a digits>[-<b 1>[/<c>]]"], "12-x/y", "a=12 b=x c=y"),
            (&["<a 1><b>"], "u\u{308}東", "a=u\u{308} b=東"),
            (&["[<a 2 digits>[.<b 2 digits>]-]<c>"], "12.34-z", "a=12 b=34 c=z"),
            (&["<\"crew no\" 2 digits>"], "12", "crew no=12"),
        ] {
            assert_eq!(fit(forms, value), expected, "{forms:?} {value}");
        }
    }

    #[test]
    fn mismatches_have_a_position() {
        for (forms, value, expected) in [
            (&[CODE][..], "GRP-0004127O-S7K2", "character 12 is the letter O; a digit of serial was expected"),
            (&[CODE], "GRP-00041273", "it ends after character 12; \"-\" was expected there"),
            (&[CODE], "GRP-00041273-S7K2 ", "character 18 is a space; the end was expected"),
            (&[CODE, SHORT], "GRP–00041273-S7K2", "form 1 is nearest: character 4 is en dash (U+2013); \"-\" was expected"),
            (&[CODE, SHORT], "HN00412X", "form 2 is nearest: character 8 is the letter X; a digit of serial was expected"),
            (&["<a digits>[-<b>]"], "12x", "character 3 is the letter x; a digit of a or \"-\" or the end was expected"),
            (&[CODE], "", "it is blank"),
        ] {
            assert_eq!(fit(forms, value), expected, "{forms:?} {value}");
        }
    }

    #[test]
    fn hostile_values_take_linear_time() {
        let value = "a".repeat(20_000) + "!";
        let detail = fit(&["<a letters><b letters><c letters>[<d letters>]x"], &value);
        assert!(detail.starts_with("character 20001 is"), "{detail}");
    }

    #[test]
    fn invalid_forms() {
        for (form, at_fault, message) in [
            ("abc", "abc", "the form has no piece"),
            ("<a", "<a", "a piece is not closed"),
            ("<a>-<a>", "<a>", "the piece a is twice in the form"),
            ("<a 0 digits>", "0", "a width of 0"),
            ("<a 5 to 3>", "5 to 3", "the range runs backwards"),
            ("<a digit>", "digit", "a class such as `digits` was expected, not `digit`"),
            ("<>", "", "a name is missing at the end"),
            ("<a>[x", "[x", "a bracket is not closed"),
            ("<a>]", "]", "] has no opening bracket"),
            ("<a 20000>", "<a 20000>", "the form is more than 10000 characters wide"),
        ] {
            let error = Form::parse(form).unwrap_err();
            assert_eq!(error.message, message, "{form}");
            assert!(form[error.span.clone()].contains(at_fault) || at_fault.starts_with(&form[error.span]), "{form}");
        }
    }

    proptest::proptest! {
        #[test]
        fn the_walk_equals_the_machine(value in "[A-C1-3-]{0,9}|[A-C]{3}-[0-9]{2}(-[a-z]{1,2})?") {
            let forms = [
                "<a 3 uppercase>-<b 2 digits>[-<c letters>]", "<a digits>[-<b>]", "<a 1 to 3 uppercase>[<b 1 digits>]-<c>",
                "<a uppercase><b digits>", "<a>-<b>", "[<a 1 digits>[<b 1 uppercase>]-]<c 2 to 4>",
            ];
            for form in forms {
                let layout = layout(&[form]);
                let machine = Machine::new(&layout.forms[0], &layout.names());
                let walk = Walk::new(&machine).unwrap();
                let (mut walked, mut ran) = (vec![NOWHERE; 3], vec![NOWHERE; 3]);
                walked.truncate(layout.names().len());
                ran.truncate(layout.names().len());
                let Some(outcome) = walk.run(value.as_bytes(), &mut walked) else { continue };
                match (outcome, machine.run(&value, &mut ran, &mut Scratch::default())) {
                    (Ok(()), Ok(())) => proptest::prop_assert_eq!(&walked, &ran),
                    (Err(one), Err(other)) => proptest::prop_assert_eq!((one.at, one.wanted), (other.at, other.wanted)),
                    other => proptest::prop_assert!(false, "{other:?} of {value:?} by {form}"),
                }
            }
        }
    }
}
