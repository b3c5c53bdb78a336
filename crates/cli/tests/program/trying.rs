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
        self.pressed += keys.replace(RIGHT, "→").replace(DOWN, "↓").chars().count();
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
    session.send(CONTROL_N).send("first 3\r\rfamily\t").until("0 rows worth a look");
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
    session.send("\r\r\r\rcolumns = 2").until("filled");
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
    session.send("mat").send(RIGHT).send(r#"/order (\d+)/i group 1 or "none""#).send("\r\rorder").until("fallback");
    // The mouse marks the text in brackets, and the text after a blank in it is typed as the wanted result.
    let screen = session.send(CONTROL_N).until("piece 2 of 2");
    let (line, column) = place(&screen, "(Ines␣Okafor)");
    session.drag(line, column + 1, column + 11).until(r#"between "(" and ")""#);
    session.send("\r\rperson").send(CONTROL_N).until("piece 3 of 3");
    session
        .send("bet")
        .send(RIGHT)
        .send(r#""(" and ")" th"#)
        .send(RIGHT)
        .send("after last \" \"\r\rsurname")
        .send(CONTROL_N)
        .until("piece 4 of 4");
    session.send("number last like \"1,234.5\"\r\rsize_mm\rends with \"mm\"").until("not asked");
    session.send(CONTROL_N).send("numbers\r\rfigure\rcol").until("piece 5 of 5");
    session.send("\u{7f}\u{7f}\u{7f}\rcolumns = 4").until("columns = 4");
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
    assert!(screen.contains("name    order") && screen.contains("match /WO"), "{screen}");
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
    session.send("\u{f}").until("name    person");
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
    let phrase = |screen: &str| screen.lines().find(|line| line.starts_with("phrase ")).unwrap().to_owned();
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
        session.send("\t");
    }
    // After two more views, all rows are shown again.
    session.send("\t");
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
