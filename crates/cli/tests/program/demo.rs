use insta::assert_snapshot;

use crate::yard::Yard;

#[test]
fn the_main_job_on_one_screen() {
    let yard = Yard::new();
    let ran = yard.run(&["demo"]);
    assert_eq!((ran.status, ran.stderr.as_str()), (0, ""));
    assert!(ran.stdout.lines().count() < 50, "{} lines", ran.stdout.lines().count());
    assert_snapshot!(ran.stdout);
    let commands: Vec<&str> = ran.stdout.lines().filter_map(|line| line.strip_prefix("  keen-notch ")).collect();
    assert_eq!(commands.len(), 4);
    for command in commands.iter().filter(|command| !command.starts_with("try ")) {
        assert!(yard.paste(command).status < 2, "{command}");
    }
}

#[test]
fn the_tour() {
    let yard = Yard::new();
    let ran = yard.run(&["demo", "--all"]);
    assert_eq!((ran.status, ran.stderr.as_str()), (0, ""));
    assert_snapshot!(ran.stdout);
    let parts = yard.read("keen-notch-demo/parts.csv");
    let cut = yard.read("keen-notch-demo/parts-cut.csv");
    assert_eq!(cut.lines().count(), parts.lines().count());
    assert!(parts.lines().zip(cut.lines()).all(|(part, cut)| cut.starts_with(part)));
    let go_on = ran.stdout.lines().filter_map(|line| line.strip_prefix("  keen-notch "));
    let statuses: Vec<i32> = go_on.map(|line| yard.paste(line).status).collect();
    assert!(statuses.len() >= 8 && statuses.iter().all(|status| *status < 2), "{statuses:?}");
    assert!(ran.stdout.lines().count() < 190, "{} lines", ran.stdout.lines().count());
}

#[test]
fn it_replaces_only_its_own_files() {
    let yard = Yard::new();
    yard.out(&["demo", "--dir", "d"]);
    let again = yard.out(&["demo", "--dir", "d"]);
    let said = again.split("\n\n").next().unwrap().replace('\n', " ");
    assert!(said.contains("Replaced files of an earlier demo: parts.csv, ") && said.contains(", crew-november.json"));
    yard.write("d/crew.csv", "mine");
    let ran = yard.run(&["demo", "--dir", "d"]);
    assert_snapshot!(ran.shown());
    assert_eq!(yard.read("d/crew.csv"), "mine");
    std::fs::create_dir(yard.path().join("e")).unwrap();
    yard.write("e/parts-cut.csv", "mine");
    assert_eq!(yard.run(&["demo", "--dir", "e"]).status, 3);
    assert!(!yard.path().join("e/parts.csv").exists());
}
