//! One column being tried: keys in, screens out.

use std::io::Write;
use std::path::PathBuf;
use std::rc::Rc;
use std::time::Duration;

use crossterm::event::{self, Event, KeyEvent, KeyEventKind, MouseEvent, MouseEventKind};
use keen_notch_core::piece::{Rules, Source};
use keen_notch_io::table::Table;

use super::keys::{KeyAction, pressed};
use crate::args::TryArgs;
use crate::console::{self, Console};
use crate::draw::style::{self, paint};
use crate::draw::{rerun, visible};
use crate::failure::Failure;
use crate::rules::Pieces;
use crate::try_ui::{
    At, Counting, Counts, Draft, Field, Key, Line, ListFile, Model, Names, Page, Rows, Sample, Screen, ScreenMap, command,
    draw, of_line, of_row,
};

const PAUSE: Duration = Duration::from_millis(120);

pub type Open = Box<dyn FnOnce() -> Result<Table, keen_notch_io::Error> + Send>;

/// The data for trying a column.
pub struct Opening {
    /// The name of the table.
    pub name: String,
    /// The tables in the folder of the cut list.
    pub files: Vec<String>,
    pub reading_of_list: Vec<(String, String)>,
    pub path: Option<PathBuf>,
    /// Whether the column was chosen from the list of columns.
    pub is_chosen: bool,
    pub rows: Rc<Rows>,
    pub open: Rc<dyn Fn() -> Open>,
}

impl Opening {
    /// The number of pieces of the cut list by column.
    pub fn pieces_by_column(&self, list: &Pieces) -> Vec<usize> {
        let header = &self.rows.header;
        let mut counts = vec![0; header.count_with_paths()];
        for piece in &list.wanted.pieces {
            if let Source::Take { of, .. } = &piece.source
                && let Some(Ok(column)) = of.as_ref().or(list.main()).map(|of| of.find(header))
                && let Some(count) = counts.get_mut(column)
            {
                *count += 1;
            }
        }
        counts
    }

    pub fn session(&self, column: usize, list: &Rc<Pieces>) -> Result<Session, Failure> {
        let is_there = !list.wanted.pieces.is_empty();
        let (file, pieces, others) = match &self.path {
            Some(path) if is_there => {
                let opened = ListFile::open(path.clone(), list, &self.rows.header, column)?;
                (Some(opened.file), opened.drafts, opened.others)
            }
            path => (path.clone().map(ListFile::new), Vec::new(), Rules::default()),
        };
        let sample = Sample::new(Rc::clone(&self.rows), column, self.files.clone());
        let files: Rc<Pieces> = Rc::clone(list);
        Ok(Session {
            name: self.name.clone(),
            file,
            reading_of_list: self.reading_of_list.clone(),
            kept: is_there.then(|| pieces.clone()),
            warned_at: None,
            says: String::new(),
            is_chosen: self.is_chosen,
            page: None,
            size: (0, 0),
            model: Model::new(sample, (list.unit, files), pieces, others),
            open: Rc::clone(&self.open),
        })
    }
}

/// How the trying of a column ends.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Ending {
    Done,
    /// Another column is chosen.
    Columns,
}

pub struct Session {
    model: Model,
    name: String,
    file: Option<ListFile>,
    reading_of_list: Vec<(String, String)>,
    kept: Option<Vec<Draft>>,
    /// The change of the model when the warning about unsaved pieces appeared.
    warned_at: Option<u64>,
    says: String,
    is_chosen: bool,
    /// A page over the screen.
    page: Option<Page>,
    /// The width and height of the screen.
    size: (usize, usize),
    open: Rc<dyn Fn() -> Open>,
}

impl Session {
    pub fn live(&mut self, screen: &mut Screen) -> Result<Ending, Failure> {
        let (mut counting, mut counted_at) = (None::<Counting>, None);
        loop {
            let is_counted = counted_at == Some(self.model.changes);
            let whole = counting.as_mut().filter(|_| is_counted).map(Counting::counts).unwrap_or_default();
            let drawn = self.draw(screen, &whole)?;
            if !event::poll(PAUSE)? {
                // The user pauses: count all rows, unless that is done or a count is still ending.
                let is_free = counting.as_mut().is_none_or(Counting::has_ended);
                if is_free && !is_counted && !self.model.sample.rows.is_all {
                    counted_at = Some(self.model.changes);
                    counting = self.model.carving().map(|carving| Counting::begin((self.open)(), carving));
                }
                continue;
            }
            let ending = match event::read()? {
                Event::Key(key) if key.kind != KeyEventKind::Release => self.press(key),
                Event::Mouse(mouse) => {
                    self.click(mouse, &drawn);
                    None
                }
                // The next screen has the new size.
                _ => None,
            };
            if let Some(ending) = ending {
                return Ok(ending);
            }
            if counted_at != Some(self.model.changes) {
                // The current count is for an old phrase.
                counting.iter().for_each(Counting::end);
            }
        }
    }

    fn draw(&mut self, screen: &mut Screen, whole: &Counts) -> Result<ScreenMap, Failure> {
        self.size = screen.size()?;
        if let Some(page) = &self.page {
            screen.show(&page.draw(self.size))?;
            return Ok(ScreenMap::default());
        }
        let list = self.file.as_ref().map(|file| file.path().display().to_string());
        let names = Names { table: &self.name, list: list.as_deref(), escape: self.escape(), says: &self.says };
        let (lines, drawn) = draw(self.size, &self.model, &names, whole);
        screen.show(&lines)?;
        Ok(drawn)
    }

    /// The effect of Escape now, in words.
    fn escape(&self) -> &'static str {
        match self.model.field {
            Field::Filter => "removes the filter",
            Field::Want | Field::File => "back; the text stays",
            Field::Rows => "back to the phrase",
            Field::Piece(_) if self.goes_back() => "back to the columns",
            Field::Piece(_) if self.would_lose() && self.is_warned() => "ends without writing",
            Field::Piece(_) if self.would_lose() => "asks first: not written",
            Field::Piece(_) if self.file.is_some() && self.is_kept() => "ends; all is written",
            Field::Piece(_) if self.model.pieces.iter().any(|piece| piece.has_phrase()) => "ends, prints the command",
            Field::Piece(_) => "ends",
        }
    }

    fn press(&mut self, key: KeyEvent) -> Option<Ending> {
        let action = pressed(key)?;
        if let Some(page) = &mut self.page {
            match action {
                KeyAction::Key(Key::NextLine) | KeyAction::End | KeyAction::Help | KeyAction::Explain => self.page = None,
                KeyAction::Key(key) => page.press(key, self.size.1),
                KeyAction::Save => {}
            }
            return None;
        }
        self.says.clear();
        // On an empty line, no phrase and no condition begins with these.
        let is_free = match self.model.field {
            Field::Rows => true,
            Field::Piece(line) => line != Line::Name && self.model.text().is_empty(),
            Field::Filter | Field::Want | Field::File => false,
        };
        match action {
            KeyAction::Key(Key::Char('?')) if is_free => self.help(),
            KeyAction::Key(Key::Char('/')) if is_free => self.model.press(Key::Filter),
            KeyAction::Help => self.help(),
            KeyAction::Explain => self.explain(),
            KeyAction::Key(Key::NextLine) if self.model.field == Field::File => self.write_new(),
            KeyAction::Key(key) => self.model.press(key),
            KeyAction::Save if self.file.is_some() => self.write(),
            KeyAction::Save => self.model.ask_for_file(),
            KeyAction::End if !matches!(self.model.field, Field::Piece(_)) => self.model.press(Key::Back),
            KeyAction::End if self.goes_back() => return Some(Ending::Columns),
            KeyAction::End if self.would_lose() && !self.is_warned() => {
                self.warned_at = Some(self.model.changes);
                self.says = "not written yet: ^S writes it, and Esc once more ends without".to_owned();
            }
            KeyAction::End => return Some(Ending::Done),
        }
        None
    }

    fn help(&mut self) {
        self.page = Some(of_line(self.model.field, self.escape(), self.size.0));
    }

    /// Shows the current row with all finished pieces, as the list would have them.
    fn explain(&mut self) {
        let Some(row) = self.model.order.get(self.model.selected).copied() else { return };
        let (pieces, unfinished): (Vec<Draft>, Vec<Draft>) = self
            .model
            .pieces
            .iter()
            .filter(|piece| piece.has_phrase())
            .cloned()
            .partition(|piece| self.model.is_finished(piece));
        if pieces.is_empty() {
            self.says = "no piece has a finished phrase yet".to_owned();
            return;
        }
        let new = ListFile::new(PathBuf::new());
        let binding = self.model.binding();
        let list = self.file.as_ref().unwrap_or(&new).text(&pieces, &self.reading_of_list, &binding);
        let explained = list.and_then(|list| of_row(&list, &binding, &self.model.sample, row, self.size.0));
        match explained {
            Ok(mut lines) => {
                for piece in unfinished {
                    let words = format!("{} is unfinished, and not explained", visible::value(&piece.name));
                    lines.extend([String::new(), paint(style::LOOK, words)]);
                }
                let number = visible::grouped(self.model.sample.row(row).0);
                self.page = Some(Page::new(format!("row {number} of {}, explained", self.name), lines));
            }
            Err(why) => self.says = format!("not explained: {why}"),
        }
    }

    fn is_kept(&self) -> bool {
        self.kept.as_ref() == Some(&self.model.pieces)
    }

    fn is_warned(&self) -> bool {
        self.warned_at == Some(self.model.changes)
    }

    /// Whether a cut list has all of the pieces.
    pub fn was_written(&self) -> bool {
        self.file.is_some() && self.is_kept()
    }

    /// Whether Escape leads back to the list of columns, because no text would be lost.
    fn goes_back(&self) -> bool {
        self.is_chosen && (self.is_kept() || !self.model.pieces.iter().any(Draft::has_text))
    }

    fn would_lose(&self) -> bool {
        let mut typed = self.model.pieces.iter().filter(|piece| piece.has_text());
        let can_be_said = self.file.is_none() && self.command(&[]).is_some();
        !self.is_kept() && typed.any(|piece| !can_be_said || !piece.has_phrase())
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
        if self.page.is_some() {
            return;
        }
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
        let Sample { rows, column, .. } = &self.model.sample;
        command(inputs, &rerun::column_of_piece(&rows.header, *column), &self.model.finished().ok()?)
    }

    /// After the terminal is restored, prints how to run the pieces.
    pub fn say_how_to_go_on(&self, args: &TryArgs, console: &Console) -> Result<(), Failure> {
        let mut out = console::out();
        let files: Vec<String> = args.of.file.iter().map(|path| path.display().to_string()).collect();
        let shown = |command: &str| paint(style::TAKEN, visible::without_controls(command));
        match &self.file {
            Some(file) if self.was_written() => {
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
