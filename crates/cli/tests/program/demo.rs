//! `demo`: the data and the tour.

use insta::assert_snapshot;

use crate::yard::Yard;

#[test]
fn the_tour() {
    let yard = Yard::new();
    let ran = yard.run(&["demo"]);
    assert_eq!((ran.status, ran.stderr.as_str()), (0, ""));
    assert_snapshot!(ran.stdout);
    let parts = yard.read("keen-notch-demo/parts.csv");
    let cut = yard.read("keen-notch-demo/parts-cut.csv");
    assert_eq!(cut.lines().count(), parts.lines().count());
    assert!(parts.lines().zip(cut.lines()).all(|(part, cut)| cut.starts_with(part)));
}

#[test]
fn it_replaces_only_what_it_wrote_itself() {
    let yard = Yard::new();
    yard.out(&["demo", "--dir", "d"]);
    yard.out(&["demo", "--dir", "d"]);
    yard.write("d/crew.csv", "mine");
    let ran = yard.run(&["demo", "--dir", "d"]);
    assert_snapshot!(ran.shown());
    assert_eq!(yard.read("d/crew.csv"), "mine");
    std::fs::create_dir(yard.path().join("e")).unwrap();
    yard.write("e/parts-cut.csv", "mine");
    assert_eq!(yard.run(&["demo", "--dir", "e"]).status, 3);
    assert!(!yard.path().join("e/parts.csv").exists());
}
