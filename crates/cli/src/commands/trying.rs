//! `try`: a phrase, live in the terminal.

use std::io::{self, IsTerminal, Write};
use std::path::PathBuf;
use std::thread;
use std::time::Duration;

use crossterm::event::{self, Event, KeyCode, KeyEvent, KeyEventKind, KeyModifiers, MouseEvent, MouseEventKind};
use keen_notch_core::column::ColumnRef;
use keen_notch_core::phrase::ast::ListSource;
use keen_notch_core::phrase::ast::{Condition, Phrase};
use keen_notch_core::program::{List, NoList};
use keen_notch_io::files::RunFiles;
use keen_notch_io::table::Table;

use crate::args::{self, TryArgs};
use crate::commands::pieces::{Given, Pieces};
use crate::commands::run::{inputs, names, read_twice};
use crate::console::{self, Console};
use crate::draw::style::{self, paint};
use crate::draw::{again, visible};
use crate::failure::Failure;
use crate::trying::{
    At, Counting, Counts, Draft, Drawn, Field, Key, ListFile, Model, Sample, Screen, command, draw, give_back,
};

/// How long nothing has to be typed before the whole is counted, and how often its counts are shown.
const PAUSE: Duration = Duration::from_millis(120);

/// Runs the command.
pub fn run(args: &TryArgs, console: &Console) -> Result<(), Failure> {
    if !io::stdin().is_terminal() || !io::stdout().is_terminal() {
        let message = "`try` needs a terminal for its input and output";
        return Err(Failure::usage(message, "run it in a terminal; in a script, gauge -p and carve -p try a phrase"));
    }
    let known = RunFiles::default();
    // A list that is there is read as every command reads it.
    let there: Vec<PathBuf> = args.list.iter().filter(|path| has_text(path)).cloned().collect();
    let given = Given { lists: &there, allow_outside: args.allow_outside, ..Given::default() };
    let mut list = Pieces::read(&given, &known)?;
    if let (Some(path), []) = (&args.list, &there[..]) {
        list.name_files_from(path.parent().map(PathBuf::from).unwrap_or_default());
    }
    let (inputs, _) = inputs(args.of.file.as_slice(), (&args.reading, &list.reading, false), &known, console)?;
    read_twice(&inputs, "the whole of the input is counted again at every change", "save it as a file and name that")?;
    let reading = args.reading.reading(&list.reading)?;
    let mut table = super::run::table(&inputs, (&args.reading, &reading), console, true)?;
    // The pieces of the list come from its own column, whichever is tried.
    let named = args::column(args.of.column.as_deref());
    let named = named.as_ref().or(list.main());
    let column = table.find(|header| Ok::<_, Failure>(ColumnRef::find_or_only(named, header)?))?;
    let sample = Sample::read(&mut table, column)?;
    if sample.rows() == 0 {
        return Err(Failure::file(format!("{} has no rows", names(&inputs)), "name a table with rows"));
    }
    let header = table.header.clone();
    let (file, pieces, taken) = match &args.list {
        Some(path) if !there.is_empty() => {
            let (file, pieces, taken) = ListFile::open(path.clone(), &list, &header, column)?;
            (Some(file), pieces, taken)
        }
        path => (path.clone().map(ListFile::new), Vec::new(), Vec::new()),
    };
    let unit = list.unit;
    let lists = move |source: &ListSource| -> Result<List, NoList> { list.listed_in(source) };
    let mut session = Session {
        name: names(&inputs),
        file,
        reading_of_list: again::reading_of_list(&args.reading, &table.format),
        kept: (!there.is_empty()).then(|| pieces.clone()),
        warned_at: None,
        says: String::new(),
        model: Model::new(sample, (unit, Box::new(lists)), pieces, taken),
        open: Box::new(move || {
            let (inputs, reading) = (inputs.clone(), reading.clone());
            Box::new(move || Table::open(&inputs, &reading))
        }),
    };
    // What guesses need is made at the first of them, and takes longer than a key may: so it is made while nothing is typed yet.
    thread::spawn(|| (Phrase::parse("?").is_ok(), Condition::parse("?").is_ok()));
    let mut screen = Screen::take()?;
    let outcome = session.live(&mut screen);
    give_back();
    outcome?;
    session.say_how_to_go_on(args, console)
}

/// Whether a cut list is there, with something in it.
fn has_text(path: &std::path::Path) -> bool {
    // One that cannot be read is told of when it is.
    std::fs::read(path).map_or_else(|_| path.exists(), |bytes| !bytes.trim_ascii().is_empty())
}

/// Opens the table, on another thread.
type Open = Box<dyn FnOnce() -> Result<Table, keen_notch_io::Error> + Send>;

/// What is tried, with what is around it.
struct Session {
    model: Model,
    /// What the inputs are called.
    name: String,
    /// The cut list that pieces are written into.
    file: Option<ListFile>,
    /// What a new one says of how the inputs are read.
    reading_of_list: Vec<(String, String)>,
    /// The pieces as the list has them, if it is there.
    kept: Option<Vec<Draft>>,
    /// The change of the model after which it was said that the list has not all of it.
    warned_at: Option<u64>,
    says: String,
    /// Makes what opens the table again.
    open: Box<dyn Fn() -> Open>,
}

impl Session {
    /// Draws, and takes keys, until it is ended.
    fn live(&mut self, screen: &mut Screen) -> Result<(), Failure> {
        let (mut counting, mut counted_at) = (None::<Counting>, None);
        loop {
            let is_counted = counted_at == Some(self.model.changes);
            let whole = counting.as_mut().filter(|_| is_counted).map(Counting::counts).unwrap_or_default();
            let drawn = self.draw(screen, &whole)?;
            if !event::poll(PAUSE)? {
                // Nobody types: the whole can be counted, unless it is already, or a count is still to end.
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
                // What is drawn next has the new size.
                _ => false,
            };
            if is_over {
                return Ok(());
            }
            if counted_at != Some(self.model.changes) {
                // What is being counted is of another phrase.
                counting.iter().for_each(Counting::end);
            }
        }
    }

    fn draw(&self, screen: &mut Screen, whole: &Counts) -> Result<Drawn, Failure> {
        let list = self.file.as_ref().map(|file| file.path().display().to_string());
        let (lines, drawn) = draw(screen.size()?, &self.model, (&self.name, list.as_deref()), whole, &self.says);
        screen.show(&lines)?;
        Ok(drawn)
    }

    /// Takes a key; tells whether it ends the session.
    fn press(&mut self, key: KeyEvent) -> bool {
        let Some(pressed) = pressed(key) else { return false };
        self.says.clear();
        match pressed {
            Pressed::Key(Key::NextLine) if self.model.field == Field::File => self.write_new(),
            Pressed::Key(key) => self.model.press(key),
            Pressed::Save if self.file.is_some() => self.write(),
            Pressed::Save => self.model.ask_for_file(),
            Pressed::Stop => return true,
            Pressed::End if !matches!(self.model.field, Field::Piece(_)) => self.model.press(Key::Back),
            Pressed::End if self.would_lose() && self.warned_at != Some(self.model.changes) => {
                self.warned_at = Some(self.model.changes);
                self.says = "not written yet: ^S writes it, and Esc once more ends without".to_owned();
            }
            Pressed::End => return true,
        }
        false
    }

    /// Whether the list has all of it.
    fn is_kept(&self) -> bool {
        self.kept.as_ref() == Some(&self.model.pieces)
    }

    /// Whether something was tried that neither a list has nor a command can say.
    fn would_lose(&self) -> bool {
        let has_phrase = self.model.pieces.iter().any(|piece| piece.has_phrase());
        let can_be_said = self.file.is_none() && self.command(&[]).is_some();
        has_phrase && !self.is_kept() && !can_be_said
    }

    /// Writes the list whose name was typed, which must not be there.
    fn write_new(&mut self) {
        let path = PathBuf::from(self.model.file.trim());
        if path.symlink_metadata().is_ok() {
            self.says = format!("{} already exists: give another name, or start with -l to add to it", path.display());
            return;
        }
        self.file = Some(ListFile::new(path));
        self.write();
        if self.kept.is_none() {
            // Another name may do.
            self.file = None;
        } else {
            self.model.press(Key::Back);
        }
    }

    /// Writes the list, and says what came of it.
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

    fn click(&mut self, mouse: MouseEvent, drawn: &Drawn) {
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

    /// The command that carves what was tried, where one can say it all; `inputs` are the words that name the inputs.
    fn command(&self, inputs: &[String]) -> Option<String> {
        let Sample { header, column, .. } = &self.model.sample;
        command(inputs, &again::column_of_piece(header, *column), &self.model.finished().ok()?)
    }

    /// Says, once the terminal is given back, how what was tried is run.
    fn say_how_to_go_on(&self, args: &TryArgs, console: &Console) -> Result<(), Failure> {
        let mut out = console::out();
        let files: Vec<String> = args.of.file.iter().map(|path| path.display().to_string()).collect();
        let shown = |command: &str| paint(style::TAKEN, visible::without_controls(command));
        match &self.file {
            Some(file) if self.is_kept() => {
                let list = file.path().display().to_string();
                let of = [files, again::names_of_database(&args.reading)].concat();
                let words = [vec!["carve".to_owned()], of, vec!["-l".to_owned(), list.clone()]].concat();
                writeln!(out, "{}", shown(&again::command(&words)))?;
                out.flush()?;
                console.note(&format!("{list} has all of it. Next month's file: {}", shown(&again::next_month(&list))));
            }
            _ => {
                let words = [files, again::reading(&args.reading, &Default::default())].concat();
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

/// What a key is for.
enum Pressed {
    /// The model.
    Key(Key),
    /// Writing the list.
    Save,
    /// Ending, unless something would be lost.
    End,
    /// Ending in any case.
    Stop,
}

fn pressed(key: KeyEvent) -> Option<Pressed> {
    if key.modifiers.contains(KeyModifiers::CONTROL) {
        return Some(match key.code {
            KeyCode::Char('c' | 'q') => Pressed::Stop,
            KeyCode::Char('s') => Pressed::Save,
            // What was typed before the terminal was taken over has line feeds.
            KeyCode::Char('j') => Pressed::Key(Key::NextLine),
            KeyCode::Char('n') => Pressed::Key(Key::New),
            KeyCode::Char('o') => Pressed::Key(Key::NextPiece),
            KeyCode::Char('w') => Pressed::Key(Key::Want),
            KeyCode::Char('r') => Pressed::Key(Key::NextOffer),
            KeyCode::Char('t') => Pressed::Key(Key::Earlier),
            KeyCode::Char('d') => Pressed::Key(Key::Remove),
            KeyCode::Char('z') => Pressed::Key(Key::Undo),
            _ => return None,
        });
    }
    Some(Pressed::Key(match key.code {
        KeyCode::Esc => return Some(Pressed::End),
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
