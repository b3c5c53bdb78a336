//! `try`: a phrase, live in the terminal.

use std::io::{self, IsTerminal, Write};
use std::ops::ControlFlow;
use std::time::Duration;

use keen_notch_core::column::ColumnRef;
use keen_notch_core::cutlist::Reading as ListReading;
use keen_notch_io::files::RunFiles;
use keen_notch_io::table::Table;
use keen_notch_io::view::View;
use ratatui::crossterm::event::{self, Event, KeyCode, KeyEvent, KeyEventKind, KeyModifiers, MouseEventKind};

use crate::args::{self, TryArgs};
use crate::commands::run::{inputs, names, read_twice};
use crate::console::{self, Console};
use crate::draw::style::{self, paint};
use crate::draw::{again, visible};
use crate::failure::Failure;
use crate::trying::{Counting, Key, Model, command, draw, give_terminal_back, take_terminal, write};

/// Rows that a phrase is tried on at every key.
const SAMPLE: usize = 2000;
/// How long nothing has to be typed before the whole is counted, and how often its counts are shown.
const PAUSE: Duration = Duration::from_millis(120);

/// Runs the command.
pub fn run(args: &TryArgs, console: &Console) -> Result<(), Failure> {
    if !io::stdin().is_terminal() || !io::stdout().is_terminal() {
        let message = "try is for a terminal, and this is none: what is typed and shown goes elsewhere";
        return Err(Failure::usage(message, "run it in a terminal; in a script, gauge -p and carve -p try a phrase"));
    }
    let known = RunFiles::default();
    let (inputs, _) = inputs(args.file.as_slice(), (&args.reading, &ListReading::default(), false), &known, console)?;
    read_twice(&inputs, "the whole of the input is counted again at every change", "save it as a file and name that")?;
    let reading = args.reading.reading(&Default::default())?;
    let mut table = super::run::table(&inputs, (&args.reading, &reading), console, true)?;
    let named = args::column(args.column.as_deref());
    let column = table.find(|header| Ok::<_, Failure>(ColumnRef::find_or_only(named.as_ref(), header)?))?;
    let title = table.header.title(column);
    let mut sample: Vec<(u64, String)> = Vec::new();
    table.each_row(View::Columns(&[column]), |row| {
        sample.push((row.number, row.value(column).to_owned()));
        if sample.len() < SAMPLE { ControlFlow::Continue(()) } else { ControlFlow::Break(()) }
    })?;
    if sample.is_empty() {
        return Err(Failure::file(format!("{} has no rows", names(&inputs)), "name a table with rows"));
    }
    let mut model = Model::new(&title, sample);
    let open = || Table::open(&inputs, &reading).ok();
    let name = names(&inputs);
    let mut terminal = take_terminal()?;
    let outcome = live(&mut terminal, &mut model, (&name, args), column, &open);
    give_terminal_back();
    outcome?;
    let mut out = console::out();
    let words = [again::files(&inputs), again::reading(&args.reading, &Default::default())].concat();
    if let Some(command) = command(&words, &model) {
        writeln!(out, "{}", paint(style::TAKEN, visible::without_controls(&command)))?;
    }
    Ok(out.flush()?)
}

/// Draws, and takes keys, until it is ended.
fn live(
    terminal: &mut ratatui::DefaultTerminal,
    model: &mut Model,
    (name, args): (&str, &TryArgs),
    column: usize,
    open: &dyn Fn() -> Option<Table>,
) -> Result<(), Failure> {
    let list = args.list.as_deref();
    let list_name = list.map(|path| path.display().to_string());
    let (mut says, mut counting, mut counted_at) = (String::new(), None::<Counting>, None);
    loop {
        let whole = counting.as_mut().map(Counting::counts).unwrap_or_default();
        let mut drawn = Default::default();
        terminal.draw(|frame| drawn = draw(frame, model, (name, list_name.as_deref()), whole, &says))?;
        if !event::poll(PAUSE)? {
            // Nobody types: the whole can be counted, unless it is already.
            if counted_at != Some(model.changes) {
                counted_at = Some(model.changes);
                let title = model.title.clone();
                counting = open().map(|table| Counting::begin(table, column, &title, model.piece()));
            }
            continue;
        }
        let before = model.changes;
        match event::read()? {
            Event::Key(key) if key.kind != KeyEventKind::Release => match pressed(key) {
                Some(Pressed::Key(key)) => {
                    model.press(key);
                    says.clear();
                }
                Some(Pressed::Save) => {
                    says = match list {
                        Some(path) => write(path, model)?,
                        None => "start with -l NAME.cutlist.toml to write a cut list".to_owned(),
                    };
                }
                Some(Pressed::End) => return Ok(()),
                None => {}
            },
            Event::Mouse(mouse) => match mouse.kind {
                MouseEventKind::ScrollUp => model.press(Key::Up),
                MouseEventKind::ScrollDown => model.press(Key::Down),
                MouseEventKind::Down(_) => {
                    let line = usize::from(mouse.row.saturating_sub(drawn.first_line));
                    if mouse.row >= drawn.first_line && line < drawn.rows {
                        model.selected = drawn.first_row + line;
                    }
                }
                _ => {}
            },
            // What is drawn next has the new size.
            _ => {}
        }
        if model.changes != before {
            // What was being counted is of another phrase.
            counting = None;
        }
    }
}

/// What a key is for.
enum Pressed {
    Key(Key),
    Save,
    End,
}

fn pressed(key: KeyEvent) -> Option<Pressed> {
    if key.modifiers.contains(KeyModifiers::CONTROL) {
        return Some(match key.code {
            KeyCode::Char('c' | 'q') => Pressed::End,
            KeyCode::Char('s') => Pressed::Save,
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
        KeyCode::Enter => Key::NextField,
        _ => return None,
    }))
}
