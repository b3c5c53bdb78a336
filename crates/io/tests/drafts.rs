//! Every draft parses and runs, and finds only the faults that it states.
#![allow(clippy::unwrap_used, clippy::expect_used, clippy::panic, reason = "a test that cannot go on has failed")]

use keen_notch_fuzz::{draft_says_what_it_finds, leads_to_its_column};
use proptest::prelude::*;

fn values() -> impl Strategy<Value = Vec<String>> {
    let any = r#"[A-Z]{0,3}[\]\[<>{}()\\"'/;:._# -]{0,3}[0-9a-zé]{0,4}[\]\[<>\\|]{0,2}"#;
    let codes = r"[A-C]{2,3}[-\]\[<>/{\\][0-9]{3,5}([\]>}][a-c]{2})?";
    let bracketed = r"[A-C]{2}( ?[\[(<{][0-9]{1,2}[\])>}])?(-[x-z]\]?)?";
    prop_oneof![
        proptest::collection::vec(any, 1..30),
        proptest::collection::vec(codes, 1..60),
        proptest::collection::vec(bracketed, 1..60),
        proptest::collection::vec(proptest::string::string_regex("\\PC{0,8}").unwrap(), 1..12),
    ]
}

proptest! {
    #[test]
    fn drafts_run_and_report_faults(
        values in values(),
        column in r#"code|part code|[a-z"'#\[\]{}<>=\\.:,é \t]{1,8}|#1|when x|a of b|piece"#,
    ) {
        prop_assume!(leads_to_its_column(&column));
        draft_says_what_it_finds(&column, &values);
    }
}

#[test]
fn bracketed_parts_are_drafted() {
    let values: Vec<String> =
        (100..160).map(|n| if n % 3 == 0 { format!("AB]{n}") } else { format!("AB]{n}]x{}", n % 7) }).collect();
    draft_says_what_it_finds("code", &values);
    draft_says_what_it_finds("[x]", &(0..40).map(|n| format!("[{n}]<{}>\\", n * 7)).collect::<Vec<_>>());
}
