//! `phrases` and `schema`.

use insta::assert_snapshot;

use crate::yard::Yard;

#[test]
fn one_step() {
    let yard = Yard::new();
    assert_snapshot!(yard.out(&["phrases", "section"]) + "\n" + &yard.out(&["phrases", "drop"]));
    assert_snapshot!(yard.run(&["phrases", "secton"]).shown());
}

#[test]
fn classes_and_unknown_words() {
    let yard = Yard::new();
    assert_eq!(yard.out(&["phrases", "Between"]), yard.out(&["phrases", "between"]));
    for word in ["punctuation", "classes"] {
        assert!(yard.out(&["phrases", word]).starts_with("Classes\ndigits are 0 to 9."), "{word}");
    }
    for (word, nearest) in
        [("upercase", "uppercase"), ("digts", "digits"), ("map", "lookup"), ("recode", "lookup"), ("listed in", "listed")]
    {
        let ran = yard.run(&["phrases", word]);
        assert!(ran.status == 2 && ran.stderr.contains(&format!("did you mean `{nearest}`?")), "{word}: {}", ran.stderr);
        assert!(!yard.out(&["phrases", nearest]).is_empty());
    }
}

#[test]
fn all_steps() {
    let out = Yard::new().out(&["phrases"]);
    assert!(out.lines().all(|line| unicode_width::UnicodeWidthStr::width(line) <= 120), "{out}");
    for entry in keen_notch_core::phrase::reference::entries() {
        assert!(out.contains(entry.form), "{}", entry.form);
    }
}

#[test]
fn the_document_is_the_reference() {
    let path = format!("{}/../../docs/phrases.md", env!("CARGO_MANIFEST_DIR"));
    let document = std::fs::read_to_string(path).unwrap();
    let printed = Yard::new().out(&["phrases", "--markdown"]);
    assert!(document == printed, "docs/phrases.md is stale: keen-notch phrases --markdown > docs/phrases.md");
}

#[test]
fn the_schema_is_printed() {
    assert_eq!(Yard::new().out(&["schema"]), keen_notch_core::cutlist::schema());
}

#[test]
fn common_properties_of_steps() {
    let all = Yard::new().out(&["phrases"]);
    for (title, word) in [("Classes", "punctuation is every other character"), ("Ordinals", "2nd last"), ("Date fields", "%j")]
    {
        assert!(all.contains(&format!("\n{title}\n")) && all.contains(word), "{title}");
    }
}
