//! `try` in a pseudo-terminal: keys and clicks go in, screens come out.

use std::io::{Read, Write};
use std::num::NonZero;
use std::sync::{Arc, Mutex};
use std::thread;
use std::time::{Duration, Instant};

use portable_pty::{Child, MasterPty, PtySize, native_pty_system};

use crate::terminal::command;
use crate::yard::Yard;

const CONTROL_D: &str = "\u{4}";
const CONTROL_N: &str = "\u{e}";
const CONTROL_R: &str = "\u{12}";
const CONTROL_S: &str = "\u{13}";
const CONTROL_E: &str = "\u{5}";
const CONTROL_L: &str = "\u{c}";
const CONTROL_Y: &str = "\u{19}";
const CONTROL_Z: &str = "\u{1a}";
const F1: &str = "\u{1b}OP";
const SHIFT_TAB: &str = "\u{1b}[Z";
const ESCAPE: &str = "\u{1b}";
const RIGHT: &str = "\u{1b}[C";
const DOWN: &str = "\u{1b}[B";

struct Session {
    child: Box<dyn Child + Send + Sync>,
    master: Box<dyn MasterPty + Send>,
    keys: Box<dyn Write + Send>,
    seen: Arc<Mutex<TerminalOutput>>,
    pressed: usize,
}

struct TerminalOutput {
    screen: vt100::Parser,
    raw: Vec<u8>,
}

fn size(rows: u16, cols: u16) -> PtySize {
    PtySize { rows, cols, pixel_width: 0, pixel_height: 0 }
}

impl Session {
    fn begin(yard: &Yard, (rows, columns): (u16, u16), words: &[&str], environment: &[(&str, &str)]) -> Session {
        let pair = native_pty_system().openpty(size(rows, columns)).unwrap();
        let words = [&["try"], words].concat();
        let child = pair.slave.spawn_command(command(yard, &words, environment)).unwrap();
        let mut reader = pair.master.try_clone_reader().unwrap();
        let screen = vt100::Parser::new(NonZero::new(rows).unwrap(), NonZero::new(columns).unwrap(), 0);
        let seen = Arc::new(Mutex::new(TerminalOutput { screen, raw: Vec::new() }));
        let shared = Arc::clone(&seen);
        thread::spawn(move || {
            let mut buffer = [0; 4096];
            while let Ok(count @ 1..) = reader.read(&mut buffer) {
                let mut seen = shared.lock().unwrap();
                seen.screen.process(&buffer[..count]);
                seen.raw.extend_from_slice(&buffer[..count]);
            }
        });
        let keys = pair.master.take_writer().unwrap();
        Session { child, master: pair.master, keys, seen, pressed: 0 }
    }

    fn screen(&self) -> String {
        let seen = self.seen.lock().unwrap();
        let columns = seen.screen.screen().size().1.get();
        let lines = seen.screen.screen().rows(0, columns);
        lines.map(|line| line.trim_end().to_owned() + "\n").collect::<String>().trim_end().to_owned() + "\n"
    }

    /// Waits until the screen shows a text and is stable.
    fn until(&self, text: &str) -> String {
        let written = || self.seen.lock().unwrap().raw.len();
        let (begun, mut before, mut changed) = (Instant::now(), 0, Instant::now());
        loop {
            let (screen, now) = (self.screen(), written());
            if now != before {
                (before, changed) = (now, Instant::now());
            }
            if screen.contains(text) && changed.elapsed() > Duration::from_millis(50) {
                return screen;
            }
            assert!(begun.elapsed() < Duration::from_secs(30), "{text} does not come:\n{screen}");
            thread::sleep(Duration::from_millis(5));
        }
    }

    fn send(&mut self, keys: &str) -> &mut Session {
        self.keys.write_all(keys.as_bytes()).unwrap();
        let keys = [RIGHT, DOWN, SHIFT_TAB, F1].iter().fold(keys.to_owned(), |keys, key| keys.replace(key, "→"));
        self.pressed += keys.chars().count();
        self
    }

    /// Drags the mouse from one position to another on a line. Positions start at 0.
    fn drag(&mut self, line: usize, from: usize, to: usize) -> &mut Session {
        let line = line + 1;
        for (button, column, end) in [(0, from, 'M'), (32, to, 'M'), (0, to, 'm')] {
            self.keys.write_all(format!("\u{1b}[<{button};{};{line}{end}", column + 1).as_bytes()).unwrap();
        }
        self
    }

    fn resize(&self, rows: u16, columns: u16) {
        let (rows_there, columns_there) = (NonZero::new(rows).unwrap(), NonZero::new(columns).unwrap());
        self.seen.lock().unwrap().screen.screen_mut().set_size(rows_there, columns_there);
        self.master.resize(size(rows, columns)).unwrap();
    }

    /// Waits for the end: the status, the signal, and the output after the terminal was restored.
    fn end(&mut self) -> (u32, Option<String>, String) {
        let begun = Instant::now();
        while self.child.try_wait().unwrap().is_none() {
            assert!(begun.elapsed() < Duration::from_secs(30), "it does not end:\n{}", self.screen());
            thread::sleep(Duration::from_millis(5));
        }
        let ended = self.child.wait().unwrap();
        thread::sleep(Duration::from_millis(50));
        let raw = String::from_utf8_lossy(&self.seen.lock().unwrap().raw).into_owned();
        let (before, after) = raw.rsplit_once("\u{1b}[?1049l").unwrap_or(("", &raw));
        assert!(before.contains("\u{1b}[?1049h") && before.contains("\u{1b}[?1006l"), "the terminal is as it was: {raw:?}");
        (ended.exit_code(), ended.signal().map(str::to_owned), anstream::adapter::strip_str(after).to_string())
    }
}

impl Drop for Session {
    fn drop(&mut self) {
        let _ = self.child.kill();
    }
}

fn demo() -> Yard {
    let yard = Yard::new();
    yard.out(&["demo", "--dir", "."]);
    yard
}

/// The line and column, from 0, where a screen shows a text.
fn place(screen: &str, text: &str) -> (usize, usize) {
    let found = screen.lines().enumerate().find_map(|(line, words)| Some((line, words.find(text)?, words)));
    let (line, byte, words) = found.unwrap_or_else(|| panic!("{text} is not in\n{screen}"));
    (line, unicode_width::UnicodeWidthStr::width(&words[..byte]))
}

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

/// A user who has read the README makes the demo's list for its references. At two keys per second, 240 keys take two minutes, which
/// leaves one to think.
#[test]
fn the_list_for_the_references_is_made_with_few_keys() {
    const MOST_KEYS: usize = 240;
    let yard = demo();
    let mut session = Session::begin(&yard, (40, 120), &["references.csv", "-c", "reference"], &[]);
    session.until("type a phrase");
    session.send("mat").send(RIGHT).send(r"/WO:(\d+)/i gr").send(RIGHT).send("1 o").send(RIGHT).until("step");
    session.send("mat").send(RIGHT).send(r#"/order (\d+)/i group 1 or "none""#).send(SHIFT_TAB).send("order").until("fallback");
    // The mouse marks the text in brackets, and the text after a blank in it is typed as the wanted result.
    let screen = session.send(CONTROL_N).until("piece 2 of 2");
    let (line, column) = place(&screen, "(Ines␣Okafor)");
    session.drag(line, column + 1, column + 11).until(r#"between "(" and ")""#);
    session.send(SHIFT_TAB).send("person").send(CONTROL_N).until("piece 3 of 3");
    session
        .send("bet")
        .send(RIGHT)
        .send(r#""(" and ")" th"#)
        .send(RIGHT)
        .send("after last \" \"")
        .send(SHIFT_TAB)
        .send("surname")
        .send(CONTROL_N)
        .until("piece 4 of 4");
    session.send("number last like \"1,234.5\"").send(SHIFT_TAB).send("size_mm\r\r\rends with \"mm\"").until("not asked");
    session.send(CONTROL_N).send("numbers").send(SHIFT_TAB).send("figure\r\r\r\rcolumns = 4").until("piece 5 of 5");
    session.send(CONTROL_S).until("reference.cutlist.toml");
    session.send("\r").until("written to reference.cutlist.toml");
    let (_, _, said) = session.send(ESCAPE).end();
    assert!(said.contains("Next month's file: keen-notch check FILE -l reference.cutlist.toml"), "{said}");
    assert!(session.pressed < MOST_KEYS, "{} keys", session.pressed);
    let carved = |list: &str| yard.out(&["carve", "references.csv", "-l", list, "-q"]);
    let (made, demo) = (carved("reference.cutlist.toml"), carved("references.cutlist.toml"));
    let different = made.lines().zip(demo.lines()).find(|(made, demo)| made != demo);
    assert!(made == demo, "{different:?}");
}

#[test]
fn an_existing_list_is_continued() {
    let yard = demo();
    let before = yard.read("references.cutlist.toml");
    let mut session = Session::begin(&yard, (40, 120), &["references.csv", "-l", "references.cutlist.toml"], &[]);
    let screen = session.until("piece 1 of 5");
    assert!(screen.contains("name       order") && screen.contains("match /WO"), "{screen}");
    // Without changes, it ends at once, and the list is unchanged.
    session.send("\u{f}").until("piece 2 of 5");
    let (_, _, said) = session.send(ESCAPE).end();
    assert!(said.starts_with("keen-notch carve references.csv -l references.cutlist.toml"), "{said}");
    let mut session = Session::begin(&yard, (40, 120), &["references.csv", "-l", "references.cutlist.toml"], &[]);
    session.until("piece 1 of 5");
    session.send(CONTROL_S).until("written to references.cutlist.toml");
    assert_eq!(yard.read("references.cutlist.toml"), before);
    // Retyping a phrase does not remove the piece.
    session.send(&"\u{7f}".repeat(80)).until("type a phrase");
    session.send(CONTROL_S).until("not written: order has no phrase");
    session.send(&"\u{1a}".repeat(80)).until("match /WO");
    assert_eq!(yard.read("references.cutlist.toml"), before);
    // A further check, and a removed piece.
    session.send("\rdigits").until("failing");
    session.send("\u{f}").until("name       person");
    session.send(CONTROL_D).until("piece 2 of 4");
    session.send(CONTROL_S).until("written to");
    let (status, _, _) = session.send(ESCAPE).end();
    let after = yard.read("references.cutlist.toml");
    let person = "[piece.person]\ntake  = 'between \"(\" and \")\"'\n\n";
    let order = "or \"none\"'\n";
    assert_eq!(
        (status, &*after),
        (0, &*before.replace(person, "").replacen(order, &format!("{order}check = ['digits']\n"), 1))
    );
    // A part of a built piece is not removed.
    let built = format!("{after}\n[piece.both]\nbuild = '{{order}}/{{surname}}'\n");
    yard.write("references.cutlist.toml", &built);
    let mut session = Session::begin(&yard, (40, 120), &["references.csv", "-l", "references.cutlist.toml"], &[]);
    session.until("piece 1 of 4");
    session.send(CONTROL_D).until("piece 1 of 3");
    session.send(CONTROL_S).until("not written: references.cutlist.toml: ");
    drop(session);
    assert_eq!(yard.read("references.cutlist.toml"), built);
    yard.write("references.cutlist.toml", &after);
    // A column other than the list's: its pieces stay, and the new one names its column.
    let mut session =
        Session::begin(&yard, (40, 120), &["references.csv", "-c", "depot", "-l", "references.cutlist.toml"], &[]);
    session.until("type a phrase");
    session.send("first 3").until("Wor");
    session.send(CONTROL_S).until("written to");
    assert_eq!(session.send(ESCAPE).end().0, 0);
    assert_eq!(yard.read("references.cutlist.toml"), after + "\n[piece.piece_1]\nof = 'depot'\ntake = 'first 3'\n");
    // An invalid list is reported as in every command.
    yard.write("wrong.cutlist.toml", "[piece.a]\ntake = 'frist 3'\n");
    let ran = yard.run(&["explain", "wrong.cutlist.toml"]);
    let mut session = Session::begin(&yard, (40, 200), &["references.csv", "-c", "reference", "-l", "wrong.cutlist.toml"], &[]);
    assert_eq!(session.child.wait().unwrap().exit_code() as i32, ran.status);
    thread::sleep(Duration::from_millis(50));
    assert!(session.screen().contains("did you mean `first`?"), "{}", session.screen());
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
    // Nothing is typed yet: Escape leads back to the columns.
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
    session.until("Esc ends; nothing is written");
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
    session.send(ESCAPE).until("those that need attention first");
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

/// Layouts, proofs, lookups, comments and other parts of a list stay as they are, and pieces beside them are edited.
#[test]
fn a_list_with_layouts_proofs_and_lookups_is_edited_without_loss() {
    const LIST: &str = r#"# The parts of the workshop.
column = "part_code"   # ours

[layout.part_code]
form = ["<fam 3 uppercase>-<serial 8 digits>-<grade 4>"] # the picture

[piece.family]
take = 'first 3'
check = ['uppercase', 'same as fam'] # as the layout says

[piece.kind]
take = 'first 3 then lookup in "families.csv" or "unknown"'

[piece.pair]
take = "sections by '-' then first 3"
columns = ["a", "b", "c"]
[piece.pair.b]
check = "digits" # of the column

[piece.town]
of = "depot"
take = "first 4"

[piece.both]
build = "{family}/{town}"

[proof]
part_code = "{fam}-{serial}-{grade}"

[rows]
keep = ["quantity: not blank"]
unique = ["serial", "depot"]
"#;
    let yard = demo();
    yard.write("families.csv", "family,name\nGRP,grip\n");
    yard.write("l.cutlist.toml", LIST);
    let begin = || Session::begin(&yard, (40, 120), &["parts.csv", "-l", "l.cutlist.toml"], &[]);
    let mut session = begin();
    session.until("piece 1 of 3");
    // A check that names a piece of the layout is tried too.
    session.until("fails its check");
    session.send(CONTROL_S).until("written to l.cutlist.toml");
    assert_eq!(yard.read("l.cutlist.toml"), LIST);
    // A row with all pieces: those of the layout and the built one too.
    session.send(CONTROL_E).until("serial  from part_code");
    session.send(ESCAPE).until("piece 1 of 3");
    // Another phrase, another lookup file, a further condition.
    session.send("\u{f}").until("lookup in");
    yard.write("others.csv", "family,name\nHNG,hanger\n");
    session
        .send(&"\u{7f}".repeat("\"families.csv\" or \"unknown\"".len()))
        .send("\"others.csv\"\r\rnot starts with \"X\"")
        .until("missing");
    session.send("\u{f}").until("sections by");
    session.send(" then upper").send(CONTROL_S).until("written to l.cutlist.toml");
    assert_eq!(session.send(ESCAPE).end().0, 0);
    let expected = LIST
        .replace(
            "'first 3 then lookup in \"families.csv\" or \"unknown\"'",
            "'first 3 then lookup in \"others.csv\"'\nwhen = 'not starts with \"X\"'",
        )
        .replace("\"sections by '-' then first 3\"", "\"sections by '-' then first 3 then upper\"");
    assert_eq!(yard.read("l.cutlist.toml"), expected);
}

/// A new user makes the list for a column that nobody has described, with `try` alone. At two keys per second, 360 keys take three
/// minutes, which leaves two to look and think.
#[test]
fn lists_for_unknown_columns_are_made_with_few_keys() {
    const MOST_KEYS: usize = 360;
    let winches =
        ["W-07/GRP 14.02.2025 3.5 t", "W-11/HNG 03.11.2024 12 t", "W-02/SHV 30.06.2023 7.25 t", "W-2/GRP 01.13.2025 4 t"];
    let passes = [
        "zone=A;days=3;sold=2025-02-11",
        "days=12;zone=B;sold=2024-12-30",
        "zone=C;sold=2025-01-05",
        "zone=A;days=x;sold=2025-03-01",
    ];
    let mails = [
        "Ines Okafor <ines.okafor@lift.skarn.example>",
        "bram.brandt@lift.skarn.example",
        "Zoë Müller <zoe@lift.skarn.example>",
        "no address",
    ];
    let rows =
        (0..400).map(|n| format!("{},{},{},{n}\n", winches[if n % 97 == 5 { 3 } else { n % 3 }], passes[n % 4], mails[n % 4]));
    let yard = Yard::with("lift.csv", format!("winch,pass,contact,n\n{}", rows.collect::<String>()));
    let make = |column: usize, list: &str, keys: &dyn Fn(&mut Session)| {
        let mut session = Session::begin(&yard, (24, 80), &["lift.csv", "-l", list], &[]);
        session.until("values of winch");
        session.send(&DOWN.repeat(column)).send("\r").until("type a phrase");
        keys(&mut session);
        session.send(CONTROL_S).until("written to");
        session.send(ESCAPE).until("Esc ends; all is written");
        let (status, _, said) = session.send(ESCAPE).end();
        assert!(status == 0 && said.contains(&format!("carve lift.csv -l {list}")), "{said}");
        assert!(session.pressed < MOST_KEYS, "{} keys", session.pressed);
        yard.out(&["carve", "lift.csv", "-l", list, "-q"])
    };
    // The number of a winch, its family, its date as the survey of the column knows it, and its load.
    let carved = make(0, "winch.cutlist.toml", &|session| {
        session
            .send("between \"-\" and \"/\" then pad left to 2 with \"0\"\rdigits; length 2")
            .send(SHIFT_TAB)
            .send(SHIFT_TAB)
            .send("number");
        session
            .send(CONTROL_N)
            .send("after \"/\" then first 3\rone of \"GRP\", \"HNG\", \"SHV\"")
            .send(SHIFT_TAB)
            .send(SHIFT_TAB)
            .send("family");
        session.send(CONTROL_N).send("section 2 by \" \" then date ").until("such as 30.06.2023");
        session.send(RIGHT).send("as \"%Y-%m-%d\"").send(SHIFT_TAB).send("serviced").until("missing");
        session.send(CONTROL_N).send("section 3 by \" \"\rrange 0 to 20").send(SHIFT_TAB).send(SHIFT_TAB).send("load");
    });
    assert!(carved.starts_with("winch,pass,contact,n,number,family,serviced,load\n"), "{carved}");
    assert!(carved.contains(",0,07,GRP,2025-02-14,3.5\n") && carved.contains(",5,02,GRP,,4\n"), "{carved}");
    // Keys and values in any order; what is wanted is typed.
    let carved = make(1, "pass.cutlist.toml", &|session| {
        session.send("after \"zone=\" then first 1\rone of \"A\", \"B\", \"C\"").send(SHIFT_TAB).send(SHIFT_TAB).send("zone");
        session.send(CONTROL_N).send("after \"days=\" then before \";\"\rdigits").until("failing");
        session.send("\r\roptional = true").send("\r\rdays");
        session.send(CONTROL_N).send("after \"sold=\"\rdate ").until("such as 2024-12-30");
        session.send(RIGHT).send(SHIFT_TAB).send(SHIFT_TAB).send("sold");
    });
    assert!(
        carved.contains(",0,A,3,2025-02-11\n")
            && carved.contains(",1,B,12,2024-12-30\n")
            && carved.contains(",2,C,,2025-01-05\n"),
        "{carved}"
    );
    // Addresses with and without brackets, and none.
    let carved = make(2, "contact.cutlist.toml", &|session| {
        session.send("between \"<\" and \">\" or whole\remail").until("failing");
        session.send(SHIFT_TAB).send(SHIFT_TAB).send("address").send(CONTROL_N);
        session
            .send("before \" <\"\r\rcontains \"<\"")
            .send(SHIFT_TAB)
            .send(SHIFT_TAB)
            .send(SHIFT_TAB)
            .send("person")
            .until("not asked");
    });
    assert!(
        carved.contains(",0,ines.okafor@lift.skarn.example,Ines Okafor\n")
            && carved.contains(",1,bram.brandt@lift.skarn.example,\n"),
        "{carved}"
    );
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
