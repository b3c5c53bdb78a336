//! `try` in a pseudo-terminal: keys and clicks go in, screens come out.

use std::io::{Read, Write};
use std::num::NonZero;
use std::sync::{Arc, Mutex};
use std::thread;
use std::time::{Duration, Instant};

use portable_pty::{Child, MasterPty, PtySize, native_pty_system};

use crate::terminal::command;
use crate::yard::Yard;

pub const CONTROL_D: &str = "\u{4}";
pub const CONTROL_N: &str = "\u{e}";
pub const CONTROL_R: &str = "\u{12}";
pub const CONTROL_S: &str = "\u{13}";
pub const CONTROL_E: &str = "\u{5}";
pub const CONTROL_L: &str = "\u{c}";
pub const CONTROL_Y: &str = "\u{19}";
pub const CONTROL_Z: &str = "\u{1a}";
pub const F1: &str = "\u{1b}OP";
pub const SHIFT_TAB: &str = "\u{1b}[Z";
pub const ESCAPE: &str = "\u{1b}";
pub const RIGHT: &str = "\u{1b}[C";
pub const DOWN: &str = "\u{1b}[B";

pub struct Session {
    pub child: Box<dyn Child + Send + Sync>,
    master: Box<dyn MasterPty + Send>,
    keys: Box<dyn Write + Send>,
    pub seen: Arc<Mutex<TerminalOutput>>,
    pub pressed: usize,
}

pub struct TerminalOutput {
    pub screen: vt100::Parser,
    pub raw: Vec<u8>,
}

fn size(rows: u16, cols: u16) -> PtySize {
    PtySize { rows, cols, pixel_width: 0, pixel_height: 0 }
}

impl Session {
    pub fn begin(yard: &Yard, (rows, columns): (u16, u16), words: &[&str], environment: &[(&str, &str)]) -> Session {
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

    pub fn screen(&self) -> String {
        let seen = self.seen.lock().unwrap();
        let columns = seen.screen.screen().size().1.get();
        let lines = seen.screen.screen().rows(0, columns);
        lines.map(|line| line.trim_end().to_owned() + "\n").collect::<String>().trim_end().to_owned() + "\n"
    }

    /// Waits until the screen shows a text and is stable.
    pub fn until(&self, text: &str) -> String {
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

    pub fn send(&mut self, keys: &str) -> &mut Session {
        self.keys.write_all(keys.as_bytes()).unwrap();
        let keys = [RIGHT, DOWN, SHIFT_TAB, F1].iter().fold(keys.to_owned(), |keys, key| keys.replace(key, "→"));
        self.pressed += keys.chars().count();
        self
    }

    /// Drags the mouse from one position to another on a line. Positions start at 0.
    pub fn drag(&mut self, line: usize, from: usize, to: usize) -> &mut Session {
        let line = line + 1;
        for (button, column, end) in [(0, from, 'M'), (32, to, 'M'), (0, to, 'm')] {
            self.keys.write_all(format!("\u{1b}[<{button};{};{line}{end}", column + 1).as_bytes()).unwrap();
        }
        self
    }

    pub fn resize(&self, rows: u16, columns: u16) {
        let (rows_there, columns_there) = (NonZero::new(rows).unwrap(), NonZero::new(columns).unwrap());
        self.seen.lock().unwrap().screen.screen_mut().set_size(rows_there, columns_there);
        self.master.resize(size(rows, columns)).unwrap();
    }

    /// Waits for the end: the status, the signal, and the output after the terminal was restored.
    pub fn end(&mut self) -> (u32, Option<String>, String) {
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

pub fn demo() -> Yard {
    let yard = Yard::new();
    yard.out(&["demo", "--dir", "."]);
    yard
}

/// The line and column, from 0, where a screen shows a text.
pub fn place(screen: &str, text: &str) -> (usize, usize) {
    let found = screen.lines().enumerate().find_map(|(line, words)| Some((line, words.find(text)?, words)));
    let (line, byte, words) = found.unwrap_or_else(|| panic!("{text} is not in\n{screen}"));
    (line, unicode_width::UnicodeWidthStr::width(&words[..byte]))
}
