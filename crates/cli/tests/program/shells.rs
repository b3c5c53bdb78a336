//! Completions and man pages.

use crate::yard::Yard;

/// What the shell is offered for the last of some words.
fn offered(yard: &Yard, words: &[&str]) -> Vec<String> {
    let index = words.len().to_string();
    let words = [&["--", "keen-notch"], words].concat();
    let output = yard.command(&words).env("KEEN_NOTCH_COMPLETE", "bash").env("_CLAP_COMPLETE_INDEX", index).output().unwrap();
    assert!(output.status.success(), "{}", String::from_utf8_lossy(&output.stderr));
    String::from_utf8(output.stdout).unwrap().split(['\n', '\u{b}']).map(str::to_owned).collect()
}

#[test]
fn a_shell_is_offered_commands_columns_and_phrases() {
    let yard = Yard::with("parts.csv", "part_code;crew id;port\nGRP-1;7;x\n");
    assert!(offered(&yard, &["sur"]).contains(&"survey".to_owned()));
    assert_eq!(offered(&yard, &["carve", "parts.csv", "-c", "p"]), ["part_code", "port"]);
    let phrases = offered(&yard, &["carve", "parts.csv", "-p", "no: trim then sect"]);
    assert_eq!(phrases[0], "no: trim then section 2 by \"-\"");
    assert!(offered(&yard, &["gauge", "x", "-p", "first 3 then upp"]).contains(&"first 3 then upper".to_owned()));
    assert_eq!(offered(&yard, &["survey", "nothing.csv", "-c", "p"]), [""]);
}

#[test]
fn scripts_for_shells() {
    let yard = Yard::new();
    for shell in ["bash", "zsh", "fish", "elvish", "powershell"] {
        assert!(yard.out(&["completions", shell]).contains("keen-notch"), "{shell}");
    }
    let ran = yard.run(&["completions", "csh"]);
    assert!(ran.status == 2 && ran.stderr.contains("bash, elvish, fish"), "{}", ran.shown());
    // A real shell reads what is printed.
    let script = yard.out(&["completions", "bash"]);
    yard.write("script.bash", &script);
    let bash = std::process::Command::new("bash").args(["-n", "script.bash"]).current_dir(yard.path()).status().unwrap();
    assert!(bash.success());
}

#[test]
fn man_pages() {
    let yard = Yard::new();
    assert_eq!(yard.run(&["manual", "--dir", "man"]).status, 0);
    let names: Vec<String> = std::fs::read_dir(yard.path().join("man"))
        .unwrap()
        .map(|entry| entry.unwrap().file_name().into_string().unwrap())
        .collect();
    for page in ["keen-notch.1", "keen-notch-carve.1", "keen-notch-survey.1"] {
        assert!(names.contains(&page.to_owned()), "{names:?}");
    }
    assert!(yard.read("man/keen-notch-carve.1").contains("Add pieces to the rows of a table"));
}
