//! `try`: its screens and keys.

use std::thread;
use std::time::Duration;

use crate::try_session::*;
use crate::yard::Yard;

#[test]
fn a_phrase_is_tried_and_kept() {
    let yard = demo();
    let mut session = Session::begin(&yard, (24, 80), &["parts.csv", "-c", "part_code", "-l", "new.cutlist.toml"], &[]);
    // An offered word, the delimiter of the column, a check, and another piece with a name.
    session.until("type a phrase");
    session.send("sec").send(RIGHT).send("3 by ").send(RIGHT).until("200 rows:");
    insta::assert_snapshot!(session.send("\runiq").send(RIGHT).until("failing"));
    session.send(CONTROL_N).send("first 3").send(SHIFT_TAB).send("family").send(CONTROL_L).until("0 rows that need attention");
    // Unsaved pieces are not lost by one key.
    session.send(ESCAPE).until("not written yet");
    session.send(CONTROL_S).until("written to new.cutlist.toml");
    let (status, _, said) = session.send(ESCAPE).end();
    assert_eq!(status, 0, "{said}");
    assert_eq!(
        said.lines().map(str::trim_end).collect::<Vec<_>>(),
        [
            "keen-notch carve parts.csv -l new.cutlist.toml",
            "new.cutlist.toml has all of it. Next month's file: keen-notch check FILE -l new.cutlist.toml"
        ]
    );
    assert_eq!(
        yard.read("new.cutlist.toml"),
        "column = 'part_code'\n\n[piece.piece_1]\ntake = 'section 3 by \"-\"'\ncheck = ['unique']\n\n[piece.family]\ntake = 'first 3'\n"
    );
    assert_eq!(yard.run(&["check", "parts.csv", "-l", "new.cutlist.toml", "-q"]).status, 1);
    assert_eq!(yard.run(&["carve", "parts.csv", "-l", "new.cutlist.toml", "-q", "-o", "out.csv"]).status, 0);
}

#[test]
fn without_a_list_the_command_is_printed_and_a_list_can_still_be_written() {
    let yard = demo();
    let mut session = Session::begin(&yard, (40, 100), &["parts.csv", "-c", "part_code"], &[]);
    session.send("last 2\rdigits").until("failing");
    let (_, _, said) = session.send(ESCAPE).end();
    let command = "keen-notch carve parts.csv -c part_code -p 'piece_1: last 2' --check 'piece_1: digits'";
    assert_eq!(said.lines().next().map(str::trim_end), Some(command));
    assert_eq!(yard.paste(command.strip_prefix("keen-notch ").unwrap()).status, 0);
    // Pieces that no command can express need a list, with an unused name.
    yard.write("part_code.cutlist.toml", "");
    let mut session = Session::begin(&yard, (40, 100), &["parts.csv", "-c", "part_code"], &[]);
    session.send("numbers").until("has no place for them");
    session.send("\r\r\rcolumns = 2").until("filled");
    session.send(ESCAPE).until("not written yet");
    session.send(CONTROL_S).until("part_code.cutlist.toml");
    session.send("\r").until("already exists");
    // With a missing folder, nothing is lost, and another name can be given.
    let gone = "\u{7f}".repeat("part_code.cutlist.toml".len());
    session.send(&gone).send("none/x.toml\r").until("not written: ");
    session.send(&gone).send("part_code-2.toml\r").until("written to part_code-2.toml");
    let (_, _, said) = session.send(ESCAPE).end();
    assert!(said.contains("check FILE -l part_code-2.toml"), "{said}");
    assert!(yard.read("part_code-2.toml").ends_with("take = 'numbers'\ncolumns = 2\n"));
    // The same with a database table, if available.
    #[cfg(feature = "sqlite")]
    {
        let words = ["--from", "sqlite:ropeway.db", "--table", "crew", "-c", "crew_id"];
        let (_, _, said) = Session::begin(&yard, (40, 100), &words, &[]).send("first 4").send(ESCAPE).end();
        let command = "carve --from sqlite:ropeway.db --table crew -c crew_id -p 'piece_1: first 4'";
        assert!(said.contains(command), "{said}");
        assert_eq!(yard.paste(&format!("{command} --to csv -q")).status, 0);
    }
}

#[test]
fn the_mouse_selects_rows_and_characters() {
    let yard = demo();
    let mut session = Session::begin(&yard, (24, 80), &["parts.csv", "-c", "part_code"], &[]);
    let screen = session.until("type a phrase");
    // Characters are four columns apart.
    let (line, column) = place(&screen, "G   R   P");
    session.drag(line, column + 4 * 16, column + 4 * 13).until("^R ");
    let screen = session.until("phrase 1 of ");
    assert!(screen.lines().any(|line| line.starts_with("›") && line.contains("S7K2  ")), "{screen}");
    let phrase = |screen: &str| screen.lines().find(|line| line.contains("› phrase ")).unwrap().to_owned();
    let next = session.send(CONTROL_R).until("phrase 2 of ");
    assert!(phrase(&next) != phrase(&screen) && next.contains("S7K2"), "{next}");
    // A character is described; a row is selected.
    let screen = session.drag(line, column, column).until("character 1, or -17 from the right");
    let (line, column) = place(&screen, "CAB-90470384-DUX5");
    session.drag(line, column, column).until("C   A   B");
    session.send(DOWN).until("S   N   S");
    assert_eq!(session.send("\u{3}").end().0, 0);
}

#[test]
fn screens_of_any_size_wide_characters_and_no_colours() {
    let yard = Yard::with("e.csv", "code,name\nA-1,plain\nB-2,👩\u{200d}🚀 astro\nC-3,東京-7\n");
    let mut session = Session::begin(&yard, (24, 80), &["e.csv", "-c", "name"], &[("NO_COLOR", "1")]);
    session.send("last 1").until("all 3 rows");
    for (rows, columns) in [(10, 40), (50, 160), (4, 12), (24, 80)] {
        session.resize(rows, columns);
        // A key that arrives together with a new size may wait for the next key.
        thread::sleep(Duration::from_millis(100));
        session.send(CONTROL_L);
    }
    // After another view, all rows are shown again.
    session.send(CONTROL_L);
    let screen = session.until("東京-7");
    assert!(!String::from_utf8_lossy(&session.seen.lock().unwrap().raw).contains("38;5"), "the tables are colours");
    assert!(screen.contains("東京-7"), "{screen}");
    assert_eq!(session.send("\u{3}").end().0, 0);
}

#[test]
fn all_rows_are_counted_as_far_as_they_can_be() {
    let rows = |count: usize| (0..count).map(|n| format!("A-{},{n}\n", n % 7)).collect::<String>();
    let yard = Yard::with("long.csv", format!("code,n\n{}", rows(5000)));
    yard.write("ragged.csv", format!("code,n\n{}B\n{}", rows(60_000), rows(5)));
    let mut session = Session::begin(&yard, (24, 80), &["long.csv", "-c", "code"], &[]);
    session.until("all rows: counted when no key is pressed");
    let screen = session.send("last 1\rrange 1 to 5").until("all 5 000 rows:");
    // Two of seven fail.
    assert!(screen.contains("first 2 000 rows:") && screen.contains(" 1 429"), "{screen}");
    let mut session = Session::begin(&yard, (24, 120), &["ragged.csv", "-c", "code"], &[]);
    session.until("type a phrase");
    session.send("last 1").until("counting stopped: ragged.csv, line 60002");
}

/// Without -c, the column is chosen from a list. F1 and ? show keys, and the last line always says what Escape does.
#[test]
fn a_column_is_chosen_and_help_is_one_key_away() {
    let yard = demo();
    let mut session = Session::begin(&yard, (24, 80), &["parts.csv"], &[]);
    insta::assert_snapshot!(session.until("values of part_code"));
    session.send(F1).until("keys of the list of columns");
    session.send(ESCAPE).until("(a part of the name)");
    session.send("CEIV").until("1 of 5 columns");
    session.send("\r").until("received of parts.csv");
    // Before any text, Escape leads back to the columns.
    session.until("Esc back to the columns");
    session.send("?").until("keys of the line: phrase");
    session.send(ESCAPE).until("type a phrase");
    session.send(ESCAPE).until("1 of 5 columns");
    session.send(&"\u{7f}".repeat(4)).send(DOWN).send(DOWN).send("\r").until("depot of parts.csv");
    session.send("first 2").until("Esc ends, prints the command");
    // On a line with a text, ? is typed, and F1 shows the keys.
    session.send("\rfits /W?o/").until("fits /W?o/");
    session.send(F1).until("keys of the line: check");
    session.send(ESCAPE).until("fits /W?o/");
    let (status, _, said) = session.send(ESCAPE).end();
    assert!(status == 0 && said.contains("-c depot -p 'piece_1: first 2'"), "{said}");
    // From the list of columns, it just ends.
    let mut session = Session::begin(&yard, (24, 80), &["parts.csv"], &[]);
    session.until("Esc ends without a cut list");
    let (status, _, said) = session.send(ESCAPE).end();
    assert_eq!((status, said.trim()), (0, ""));
}

#[test]
fn a_row_is_explained_and_rows_are_filtered() {
    let yard = demo();
    let mut session = Session::begin(&yard, (40, 100), &["parts.csv", "-c", "part_code"], &[]);
    session.until("type a phrase");
    session.send(CONTROL_E).until("no piece has a finished phrase yet");
    session.send("section 2 by \"-\"\rdigits").until("failing");
    insta::assert_snapshot!(session.send(CONTROL_E).until("explained"));
    session.send(ESCAPE).until("› check");
    // On the empty line of the condition, / filters.
    session.send("\r/brk").until("rows with \"brk\"");
    session.send("\r").until("› condition");
    session.send("\u{6}").until("Esc removes the filter");
    session.send(ESCAPE).until("rows that need attention come first");
    // Undo and redo; and Control-C loses nothing either.
    session.send(SHIFT_TAB).send("; lenght").until("lenght");
    session.send(&CONTROL_Z.repeat(8)).until("failing");
    session.send(&CONTROL_Y.repeat(8)).until("lenght");
    session.send("\u{3}").until("not written yet");
    session.until("Esc ends without writing");
    assert_eq!(session.send("\u{3}").end().0, 0);
}

/// All counts are on the screen, also of a table with all states.
#[test]
fn counts_are_complete_on_a_small_screen() {
    let rows =
        (0..1500).map(|n| format!("{}\n", ["A-1234567-x", "A-12", "", "B1", "C-123456789", "-"][n % 6])).collect::<String>();
    let yard = Yard::with("long.csv", format!("code\n{rows}"));
    let words = ["long.csv", "-c", "code", "-l", "new.cutlist.toml"];
    let mut session = Session::begin(&yard, (24, 80), &words, &[]);
    session.until("type a phrase");
    session
        .send("after \"-\" then first 5 or \"none\"\rdigits; length 4\rnot contains \"C\"\rwarn = ['length 4']")
        .until("warned");
    let screen = session.until("all 1 500 rows");
    for state in ["filled 250", "short 250", "fallback 750", "not asked 250", "failing 1 250", "warned 500"] {
        assert!(screen.contains(&format!("  {state}")), "{state}:\n{screen}");
    }
}

#[test]
fn a_signal_gives_the_terminal_back() {
    let yard = demo();
    let mut session = Session::begin(&yard, (24, 80), &["parts.csv", "-c", "part_code"], &[]);
    session.send("first 3").until("all 200 rows");
    let id = session.child.process_id().unwrap();
    assert!(std::process::Command::new("kill").arg(id.to_string()).status().unwrap().success());
    assert_eq!(session.end().1.as_deref(), Some("Terminated"));
}

#[test]
fn trying_needs_a_terminal_and_rows() {
    let yard = demo();
    let ran = yard.run(&["try", "parts.csv", "-c", "part_code"]);
    assert_eq!(ran.status, 2);
    insta::assert_snapshot!(ran.stderr);
    yard.write("none.csv", "a,b\n");
    for (words, status, message) in
        [(["none.csv", "-c", "a"], 3, "none.csv has no rows"), (["parts.csv", "-c", "none"], 2, "no column none")]
    {
        let mut session = Session::begin(&yard, (24, 80), &words, &[]);
        assert_eq!(session.child.wait().unwrap().exit_code(), status);
        thread::sleep(Duration::from_millis(50));
        let raw = String::from_utf8_lossy(&session.seen.lock().unwrap().raw).into_owned();
        assert!(session.screen().contains(message) && !raw.contains("1049h"), "{raw}");
    }
}
