//! Compares layouts of random forms with backtracking.

use keen_notch_core::layout::{Layout, LayoutPlan};
use proptest::prelude::*;
use proptest::sample::select;

use crate::list::fields;

/// A random form: fields with texts and optional parts between them. `letters` name the fields.
fn form() -> impl Strategy<Value = String> {
    let width = select(vec!["", " 1", " 2", " 1 to 2", " 2 to 3", " 1 to 4"]);
    let class = select(vec!["", " digits", " uppercase", " letters", " uppercase and digits", " any of \"-A\""]);
    let field = (width, class).prop_map(|(width, class)| format!("<?{width}{class}>"));
    let text = select(vec!["-", "A", "1", "é", "AB"]).prop_map(str::to_owned);
    let item = prop_oneof![3 => field.clone(), 2 => text.clone()];
    let items = proptest::collection::vec(item, 1..3).prop_map(|items| items.concat());
    let nested = (items.clone(), items.clone()).prop_map(|(outer, inner)| format!("[{outer}[{inner}]]"));
    let part = prop_oneof![4 => field.clone(), 3 => text, 2 => items.prop_map(|items| format!("[{items}]")), 1 => nested];
    (field, proptest::collection::vec(part, 0..5)).prop_map(|(first, rest)| {
        // Each field gets its own name.
        let mut names = ('a'..='z').map(String::from);
        let form: String = std::iter::once(first).chain(rest).collect();
        form.split('?').collect::<Vec<_>>().iter().enumerate().fold(String::new(), |form, (index, part)| {
            let name = if index == 0 { String::new() } else { names.next().unwrap() };
            form + &name + part
        })
    })
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(if cfg!(debug_assertions) { 1_500 } else { 100_000 }))]

    #[test]
    fn the_first_way_to_fit_is_taken(
        forms in proptest::collection::vec(form(), 1..3), values in proptest::collection::vec("[AB1é-]{0,7}", 1..12),
    ) {
        let text = format!("x: {}", forms[0]);
        let mut layout = Layout::parse(&text, 0).unwrap_or_else(|error| panic!("{text}: {}", error.message));
        for form in &forms[1..] {
            layout.forms.extend(Layout::parse(&format!("x: {form}"), 0).unwrap().forms);
        }
        let plan = LayoutPlan::new(&layout);
        for value in values {
            let expected = fields(&layout, &value);
            let found = plan.fit(&value).ok().map(|ranges| {
                let named = layout.names().into_iter().zip(ranges);
                named.filter_map(|(name, range)| Some((name.to_owned(), value[range?].to_owned()))).collect::<Vec<_>>()
            });
            let sorted = |fields: Option<Vec<(String, String)>>| fields.map(|mut fields| { fields.sort(); fields });
            prop_assert_eq!(sorted(found), sorted(expected), "{:?} of {:?}", forms, value);
        }
    }
}
