//! `try`: tries phrases in the terminal.

use std::io::{self, IsTerminal, Write};
use std::path::{Path, PathBuf};
use std::thread;
use std::time::Duration;

use crossterm::event::{self, Event, KeyCode, KeyEvent, KeyEventKind, KeyModifiers, MouseEvent, MouseEventKind};
use keen_notch_core::column::ColumnRef;
use keen_notch_core::phrase::ast::{Condition, Phrase};
use keen_notch_io::files::RunFiles;
use keen_notch_io::formats::FileFormat;
use keen_notch_io::table::Table;

use crate::args::{self, TryArgs};
use crate::commands::inputs::{self, InputArgs, inputs, names, read_twice};
use crate::console::{self, Console};
use crate::draw::style::{self, paint};
use crate::draw::{rerun, visible};
use crate::failure::Failure;
use crate::rules::{Pieces, RuleArgs};
use crate::try_ui::{
    At, Counting, Counts, Draft, Field, Key, ListFile, Model, Sample, Screen, ScreenMap, command, draw, give_back,
};

const PAUSE: Duration = Duration::from_millis(120);
/// Limit for completions, in files of a folder.
const MOST_FILES: usize = 1000;

pub fn run(args: &TryArgs, console: &Console) -> Result<(), Failure> {
    if !io::stdin().is_terminal() || !io::stdout().is_terminal() {
        let message = "`try` needs a terminal for its input and output";
        return Err(Failure::usage(message, "run it in a terminal; in a script, gauge -p and carve -p try a phrase"));
    }
    let known = RunFiles::default();
    // An existing list is read as in every command.
    let there: Vec<PathBuf> = args.list.iter().filter(|path| has_text(path)).cloned().collect();
    let rules = RuleArgs { lists: &there, allow_outside: args.allow_outside, ..RuleArgs::default() };
    let mut list = Pieces::read(&rules, &known)?;
    if let (Some(path), []) = (&args.list, &there[..]) {
        list.name_files_from(path.parent().map(PathBuf::from).unwrap_or_default());
    }
    let (inputs, _) = inputs(args.of.file.as_slice(), InputArgs::to_read(&args.reading, &list.reading), &known, console)?;
    read_twice(&inputs, "`try` reads the input again after every change", "save it as a file and name that")?;
    let reading = args.reading.reading(&list.reading)?;
    let mut table = inputs::table(&inputs, (&args.reading, &reading), console, true)?;
    // The pieces of the list come from its own column, whichever column is tried.
    let named = args::column(args.of.column.as_deref());
    let named = named.as_ref().or(list.main());
    let column = table.find(|header| Ok::<_, Failure>(ColumnRef::find_or_only(named, header)?))?;
    let mut sample = Sample::read(&mut table, column)?;
    sample.files = tables_in(args.list.as_deref().and_then(Path::parent).unwrap_or(Path::new("")));
    if sample.rows() == 0 {
        return Err(Failure::file(format!("{} has no rows", names(&inputs)), "name a table with rows"));
    }
    let header = table.header.clone();
    let (file, pieces, taken) = match &args.list {
        Some(path) if !there.is_empty() => {
            let opened = ListFile::open(path.clone(), &list, &header, column)?;
            (Some(opened.file), opened.drafts, opened.others)
        }
        path => (path.clone().map(ListFile::new), Vec::new(), Vec::new()),
    };
    let unit = list.unit;
    let mut session = Session {
        name: names(&inputs),
        file,
        reading_of_list: rerun::reading_of_list(&args.reading, &table.format),
        kept: (!there.is_empty()).then(|| pieces.clone()),
        warned_at: None,
        says: String::new(),
        model: Model::new(sample, (unit, Box::new(list)), pieces, taken),
        open: Box::new(move || {
            let (inputs, reading) = (inputs.clone(), reading.clone());
            Box::new(move || Table::open(&inputs, &reading))
        }),
    };
    // The patterns for suggestions take longer to compile than a key may, so compile them before the user types.
    thread::spawn(|| (Phrase::parse("?").is_ok(), Condition::parse("?").is_ok()));
    let mut screen = Screen::take()?;
    let outcome = session.live(&mut screen);
    give_back();
    outcome?;
    session.say_how_to_go_on(args, console)
}

/// The names of the tables in a folder.
fn tables_in(folder: &Path) -> Vec<String> {
    let folder = if folder == Path::new("") { Path::new(".") } else { folder };
    let entries = std::fs::read_dir(folder).into_iter().flatten().flatten().take(MOST_FILES);
    let names = entries.filter_map(|entry| entry.file_name().into_string().ok());
    let is_table = |name: &String| !name.starts_with('.') && FileFormat::of(Path::new(name)).kind.is_some();
    let mut names: Vec<String> = names.filter(is_table).collect();
    names.sort_unstable();
    names
}

fn has_text(path: &Path) -> bool {
    // An unreadable list is an error when it is read.
    std::fs::read(path).map_or_else(|_| path.exists(), |bytes| !bytes.trim_ascii().is_empty())
}

type Open = Box<dyn FnOnce() -> Result<Table, keen_notch_io::Error> + Send>;

struct Session {
    model: Model,
    name: String,
    file: Option<ListFile>,
    reading_of_list: Vec<(String, String)>,
    kept: Option<Vec<Draft>>,
    /// The change of the model at which the warning about unsaved pieces was shown.
    warned_at: Option<u64>,
    says: String,
    open: Box<dyn Fn() -> Open>,
}

impl Session {
    fn live(&mut self, screen: &mut Screen) -> Result<(), Failure> {
        let (mut counting, mut counted_at) = (None::<Counting>, None);
        loop {
            let is_counted = counted_at == Some(self.model.changes);
            let whole = counting.as_mut().filter(|_| is_counted).map(Counting::counts).unwrap_or_default();
            let drawn = self.draw(screen, &whole)?;
            if !event::poll(PAUSE)? {
                // The user pauses: count all rows, unless that is done or a count is still ending.
                let is_free = counting.as_mut().is_none_or(Counting::has_ended);
                if is_free && !is_counted && !self.model.sample.is_all {
                    counted_at = Some(self.model.changes);
                    counting = self.model.carving().map(|carving| Counting::begin((self.open)(), carving));
                }
                continue;
            }
            let is_over = match event::read()? {
                Event::Key(key) if key.kind != KeyEventKind::Release => self.press(key),
                Event::Mouse(mouse) => {
                    self.click(mouse, &drawn);
                    false
                }
                // The next screen has the new size.
                _ => false,
            };
            if is_over {
                return Ok(());
            }
            if counted_at != Some(self.model.changes) {
                // The current count is for an old phrase.
                counting.iter().for_each(Counting::end);
            }
        }
    }

    fn draw(&self, screen: &mut Screen, whole: &Counts) -> Result<ScreenMap, Failure> {
        let list = self.file.as_ref().map(|file| file.path().display().to_string());
        let (lines, drawn) = draw(screen.size()?, &self.model, (&self.name, list.as_deref()), whole, &self.says);
        screen.show(&lines)?;
        Ok(drawn)
    }

    fn press(&mut self, key: KeyEvent) -> bool {
        let Some(pressed) = pressed(key) else { return false };
        self.says.clear();
        match pressed {
            KeyAction::Key(Key::NextLine) if self.model.field == Field::File => self.write_new(),
            KeyAction::Key(key) => self.model.press(key),
            KeyAction::Save if self.file.is_some() => self.write(),
            KeyAction::Save => self.model.ask_for_file(),
            KeyAction::Stop => return true,
            KeyAction::End if !matches!(self.model.field, Field::Piece(_)) => self.model.press(Key::Back),
            KeyAction::End if self.would_lose() && self.warned_at != Some(self.model.changes) => {
                self.warned_at = Some(self.model.changes);
                self.says = "not written yet: ^S writes it, and Esc once more ends without".to_owned();
            }
            KeyAction::End => return true,
        }
        false
    }

    fn is_kept(&self) -> bool {
        self.kept.as_ref() == Some(&self.model.pieces)
    }

    fn would_lose(&self) -> bool {
        let has_phrase = self.model.pieces.iter().any(|piece| piece.has_phrase());
        let can_be_said = self.file.is_none() && self.command(&[]).is_some();
        has_phrase && !self.is_kept() && !can_be_said
    }

    fn write_new(&mut self) {
        let path = PathBuf::from(self.model.file.trim());
        if path.symlink_metadata().is_ok() {
            self.says = format!("{} already exists: give another name, or start with -l to add to it", path.display());
            return;
        }
        self.file = Some(ListFile::new(path));
        self.write();
        if self.kept.is_none() {
            // Another name may work.
            self.file = None;
        } else {
            self.model.press(Key::Back);
        }
    }

    fn write(&mut self) {
        let Some(file) = &mut self.file else { return };
        let outcome = match self.model.finished() {
            Ok(pieces) if pieces.is_empty() => Err("no piece has a phrase".to_owned()),
            Ok(_) => file.write(&self.model.pieces, &self.reading_of_list, &self.model.binding()),
            Err(why) => Err(why),
        };
        self.says = match outcome {
            Ok(()) => {
                self.kept = Some(self.model.pieces.clone());
                format!("written to {}", file.path().display())
            }
            Err(why) => format!("not written: {why}"),
        };
    }

    fn click(&mut self, mouse: MouseEvent, drawn: &ScreenMap) {
        let at = drawn.at(mouse.row, mouse.column);
        match (mouse.kind, at) {
            (MouseEventKind::ScrollUp, _) => self.model.press(Key::Up),
            (MouseEventKind::ScrollDown, _) => self.model.press(Key::Down),
            (MouseEventKind::Down(_), Some(At::Row(row))) => self.model.select(row),
            (MouseEventKind::Down(_), Some(At::Character(character))) => self.model.begin_to_mark(character),
            (MouseEventKind::Drag(_), Some(At::Character(character))) if self.model.marked.is_some() => {
                self.model.mark_to(character);
            }
            (MouseEventKind::Up(_), _) => self.model.let_go(),
            _ => {}
        }
    }

    fn command(&self, inputs: &[String]) -> Option<String> {
        let Sample { header, column, .. } = &self.model.sample;
        command(inputs, &rerun::column_of_piece(header, *column), &self.model.finished().ok()?)
    }

    /// After the terminal is restored, prints how to run the pieces.
    fn say_how_to_go_on(&self, args: &TryArgs, console: &Console) -> Result<(), Failure> {
        let mut out = console::out();
        let files: Vec<String> = args.of.file.iter().map(|path| path.display().to_string()).collect();
        let shown = |command: &str| paint(style::TAKEN, visible::without_controls(command));
        match &self.file {
            Some(file) if self.is_kept() => {
                let list = file.path().display().to_string();
                let of = [files, rerun::names_of_database(&args.reading)].concat();
                let words = [vec!["carve".to_owned()], of, vec!["-l".to_owned(), list.clone()]].concat();
                writeln!(out, "{}", shown(&rerun::command(&words)))?;
                out.flush()?;
                console.note(&format!("{list} has all of it. Next month's file: {}", shown(&rerun::next_month(&list))));
            }
            _ => {
                let words = [files, rerun::reading(&args.reading, &Default::default())].concat();
                if let Some(command) = self.command(&words) {
                    writeln!(out, "{}", shown(&command))?;
                    out.flush()?;
                    console.note("For next month's file, keep it as a cut list: Ctrl-S writes one.");
                }
            }
        }
        Ok(())
    }
}

enum KeyAction {
    Key(Key),
    Save,
    /// End, unless pieces would be lost.
    End,
    Stop,
}

fn pressed(key: KeyEvent) -> Option<KeyAction> {
    if key.modifiers.contains(KeyModifiers::CONTROL) {
        return Some(match key.code {
            KeyCode::Char('c' | 'q') => KeyAction::Stop,
            KeyCode::Char('s') => KeyAction::Save,
            // Text typed before the terminal switched modes contains line feeds.
            KeyCode::Char('j') => KeyAction::Key(Key::NextLine),
            KeyCode::Char('n') => KeyAction::Key(Key::New),
            KeyCode::Char('o') => KeyAction::Key(Key::NextPiece),
            KeyCode::Char('w') => KeyAction::Key(Key::Want),
            KeyCode::Char('r') => KeyAction::Key(Key::NextOffer),
            KeyCode::Char('t') => KeyAction::Key(Key::Earlier),
            KeyCode::Char('d') => KeyAction::Key(Key::Remove),
            KeyCode::Char('z') => KeyAction::Key(Key::Undo),
            _ => return None,
        });
    }
    Some(KeyAction::Key(match key.code {
        KeyCode::Esc => return Some(KeyAction::End),
        KeyCode::Char(c) if !c.is_control() => Key::Char(c),
        KeyCode::Backspace => Key::Backspace,
        KeyCode::Delete => Key::Delete,
        KeyCode::Left => Key::Left,
        KeyCode::Right => Key::Right,
        KeyCode::Home => Key::Home,
        KeyCode::End => Key::End,
        KeyCode::Up => Key::Up,
        KeyCode::Down => Key::Down,
        KeyCode::PageUp => Key::PageUp,
        KeyCode::PageDown => Key::PageDown,
        KeyCode::Tab => Key::NextView,
        KeyCode::BackTab => Key::NextOffer,
        KeyCode::Enter => Key::NextLine,
        _ => return None,
    }))
}
