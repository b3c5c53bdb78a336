//! `try`: tries phrases in the terminal.

mod keys;
mod session;

use std::io::{self, IsTerminal};
use std::path::{Path, PathBuf};
use std::rc::Rc;
use std::thread;

use crossterm::event::{self, Event, KeyEventKind, MouseEventKind};
use keen_notch_core::column::ColumnRef;
use keen_notch_core::phrase::ast::{Condition, Phrase};
use keen_notch_io::files::RunFiles;
use keen_notch_io::formats::FileFormat;
use keen_notch_io::table::Table;

use self::keys::{KeyAction, pressed};
use self::session::{Ending, Opening, Session};
use crate::args::{self, TryArgs};
use crate::commands::inputs::{self, InputArgs, inputs, names, read_twice};
use crate::console::Console;
use crate::draw::rerun;
use crate::failure::Failure;
use crate::rules::{Pieces, RuleArgs};
use crate::try_ui::{Columns, Key, Page, Rows, Screen, give_back};

/// Limit for completions, in files of a folder.
const MOST_FILES: usize = 1000;

pub fn run(args: &TryArgs, console: &Console) -> Result<(), Failure> {
    if !io::stdin().is_terminal() || !io::stdout().is_terminal() {
        let message = "`try` needs a terminal for its input and output";
        return Err(Failure::usage(message, "run it in a terminal; in a script, gauge -p and carve -p try a phrase"));
    }
    let known = RunFiles::default();
    let list = read_list(args, &known)?;
    let (inputs, _) = inputs(args.of.file.as_slice(), InputArgs::to_read(&args.reading, &list.reading), &known, console)?;
    read_twice(&inputs, "`try` reads the input again after every change", "save it as a file and name that")?;
    let reading = args.reading.reading(&list.reading)?;
    let mut table = inputs::table(&inputs, (&args.reading, &reading), console, true)?;
    // The pieces of the list come from its own column, whichever column is tried.
    let named = args::column(args.of.column.as_deref());
    let named = named.as_ref().or(list.main());
    // Where no column is named, one is chosen from a list.
    let column = match named {
        None if table.header.count_with_paths() > 1 => None,
        named => Some(table.find(|header| Ok::<_, Failure>(ColumnRef::find_or_only(named, header)?))?),
    };
    let rows = Rc::new(Rows::read(&mut table)?);
    if rows.count() == 0 {
        return Err(Failure::file(format!("{} has no rows", names(&inputs)), "name a table with rows"));
    }
    let opening = Opening {
        name: names(&inputs),
        files: tables_in(args.list.as_deref().and_then(Path::parent).unwrap_or(Path::new(""))),
        reading_of_list: rerun::reading_of_list(&args.reading, &table.format),
        path: args.list.clone(),
        is_chosen: column.is_none(),
        rows,
        open: Rc::new(move || {
            let (inputs, reading) = (inputs.clone(), reading.clone());
            Box::new(move || Table::open(&inputs, &reading))
        }),
    };
    // The patterns for suggestions take longer to compile than a key may, so compile them before the user types.
    thread::spawn(|| (Phrase::parse("?").is_ok(), Condition::parse("?").is_ok()));
    let mut screen = Screen::take()?;
    let ended = live(&mut screen, &opening, column, args);
    give_back();
    match ended? {
        Some(session) => session.say_how_to_go_on(args, console),
        None => Ok(()),
    }
}

/// Tries phrases on the named column, or on columns that the user chooses, until the user ends. Returns the session to sum up.
fn live(screen: &mut Screen, opening: &Opening, named: Option<usize>, args: &TryArgs) -> Result<Option<Session>, Failure> {
    let mut columns = Columns::new(Rc::clone(&opening.rows), opening.name.clone());
    let mut last = None;
    loop {
        // The list may have been written for another column.
        let list = Rc::new(read_list(args, &RunFiles::default())?);
        columns.note(opening.pieces_by_column(&list), last.is_some());
        let Some(column) = named.map_or_else(|| choose(screen, &mut columns), |named| Ok(Some(named)))? else {
            return Ok(last);
        };
        let mut session = opening.session(column, &list)?;
        match session.live(screen)? {
            Ending::Columns => last = session.was_written().then_some(session).or(last),
            Ending::Done => return Ok(Some(session)),
        }
    }
}

/// The cut list, which is read as in every command. Without a text it has no pieces.
fn read_list(args: &TryArgs, known: &RunFiles) -> Result<Pieces, Failure> {
    let there: Vec<PathBuf> = args.list.iter().filter(|path| has_text(path)).cloned().collect();
    let rules = RuleArgs { lists: &there, allow_outside: args.allow_outside, ..RuleArgs::default() };
    let mut list = Pieces::read(&rules, known)?;
    if let (Some(path), []) = (&args.list, &there[..]) {
        list.name_files_from(path.parent().map(PathBuf::from).unwrap_or_default());
    }
    Ok(list)
}

/// Shows the list of columns until one is chosen; `None` if the user ends instead.
fn choose(screen: &mut Screen, columns: &mut Columns) -> Result<Option<usize>, Failure> {
    let mut help = None::<Page>;
    loop {
        let size = screen.size()?;
        screen.show(&help.as_ref().map_or_else(|| columns.draw(size), |page| page.draw(size)))?;
        let action = match event::read()? {
            Event::Key(key) if key.kind != KeyEventKind::Release => pressed(key),
            Event::Mouse(mouse) if matches!(mouse.kind, MouseEventKind::Down(_)) && help.is_none() => {
                columns.click(usize::from(mouse.row), size.1);
                None
            }
            _ => None,
        };
        match (action, &mut help) {
            (None, _) => {}
            (Some(KeyAction::End | KeyAction::Help | KeyAction::Key(Key::NextLine)), Some(_)) => help = None,
            (Some(KeyAction::Key(key)), Some(page)) => page.press(key, size.1),
            (Some(KeyAction::Help), None) => help = Some(columns.help(size.0)),
            (Some(KeyAction::End), None) => return Ok(None),
            (Some(KeyAction::Key(Key::NextLine)), None) => {
                if let Some(column) = columns.chosen() {
                    return Ok(Some(column));
                }
            }
            (Some(KeyAction::Key(key)), None) => columns.press(key),
            (Some(KeyAction::Save | KeyAction::Explain), _) => {}
        }
    }
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
