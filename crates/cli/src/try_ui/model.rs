use std::ops::Range;
use std::rc::Rc;
use std::sync::Arc;

use keen_notch_core::carving::Carving;
use keen_notch_core::piece::Rules;
use keen_notch_core::program::{Files, Trace};
use keen_notch_core::tally::Tally;
use keen_notch_core::text::unit::Unit;

use super::history::{History, Snapshot};
use super::offers::{Offers, WantedResult};
use super::piece::{Draft, Line, Unfinished};
use super::row_results::RowResult;
use super::sample::Sample;

const PAGE: usize = 10;

const NO_NAME: &str = "piece_";

#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Field {
    Piece(Line),
    /// The list of rows.
    Rows,
    /// The text that shown rows contain.
    Filter,
    Want,
    File,
}

/// The lines of a piece from top to bottom, then its rows.
const FIELDS: [Field; 6] = [
    Field::Piece(Line::Name),
    Field::Piece(Line::Phrase),
    Field::Piece(Line::Check),
    Field::Piece(Line::When),
    Field::Piece(Line::More),
    Field::Rows,
];

#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum View {
    All,
    Odd,
    Shape(usize),
}

#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Key {
    Char(char),
    Backspace,
    Delete,
    /// Move right; at the end of the line, accept the offer.
    Right,
    Left,
    Home,
    End,
    Up,
    Down,
    PageUp,
    PageDown,
    NextView,
    /// Go down to the next line of the piece; in the wanted line, search; in the filter, back to the line before.
    NextLine,
    LineBefore,
    Filter,
    New,
    NextPiece,
    Remove,
    Earlier,
    Undo,
    Redo,
    Want,
    NextOffer,
    Back,
}

pub struct Model {
    pub sample: Sample,
    pub(super) unit: Unit,
    pub(super) files: Rc<dyn Files>,
    /// The untried pieces, and the layouts.
    pub(super) others: Rules,
    pub pieces: Vec<Draft>,
    pub at: usize,
    pub field: Field,
    pub cursor: usize,
    pub view: View,
    /// The displayed rows in order, as indices in the sample.
    pub order: Vec<usize>,
    /// The current row, as an index in `order`.
    pub selected: usize,
    /// The current row in the sample once it was chosen; until then, the first displayed one.
    pub(super) chosen: Option<usize>,
    /// The result for each row; of an unfinished piece, the last one.
    pub given: Vec<RowResult>,
    pub tally: Tally,
    pub unfinished: Option<Unfinished>,
    pub offers: Offers,
    /// The marked characters of the value, as indices.
    pub marked: Option<Range<usize>>,
    pub(super) mark_from: usize,
    pub says: String,
    pub changes: u64,
    /// The bound piece; `None` if it is empty or unfinished.
    pub(super) carving: Option<Arc<Carving>>,
    pub(super) wanted: String,
    pub(super) examples: Vec<WantedResult>,
    /// The text that shown rows contain, and whether it applies.
    pub filter: String,
    pub is_filtered: bool,
    line_before: Field,
    /// The typed file name for the pieces.
    pub file: String,
    history: History,
    next_id: usize,
    gives_way: bool,
}

impl Model {
    /// Creates the state for a sample with at least one row. `unit` counts positions, `files` reads lists, and `others` are the untried
    /// pieces.
    pub fn new(sample: Sample, (unit, files): (Unit, Rc<dyn Files>), pieces: Vec<Draft>, others: Rules) -> Model {
        let rows = sample.rows();
        let next_id = pieces.iter().map(|piece| piece.id + 1).max().unwrap_or(0);
        let mut model = Model {
            sample,
            unit,
            files,
            others,
            pieces,
            at: 0,
            field: Field::Piece(Line::Phrase),
            cursor: 0,
            view: View::All,
            order: Vec::new(),
            selected: 0,
            chosen: None,
            given: vec![RowResult::default(); rows],
            tally: Tally::default(),
            unfinished: None,
            offers: Offers::default(),
            marked: None,
            mark_from: 0,
            says: String::new(),
            changes: 0,
            carving: None,
            wanted: String::new(),
            examples: Vec::new(),
            filter: String::new(),
            is_filtered: false,
            line_before: Field::Piece(Line::Phrase),
            file: String::new(),
            history: History::default(),
            next_id,
            gives_way: false,
        };
        if model.pieces.is_empty() {
            model.add_piece();
        }
        model.go_to(0);
        model.work();
        model.offer();
        model
    }

    pub fn value(&self) -> &str {
        self.order.get(self.selected).map_or("", |row| self.sample.row(*row).1)
    }

    pub fn piece(&self) -> &Draft {
        &self.pieces[self.at]
    }

    /// The bound piece; `None` if it is empty or unfinished.
    pub fn carving(&self) -> Option<Arc<Carving>> {
        self.carving.clone()
    }

    pub fn text(&self) -> &str {
        match self.field {
            Field::Piece(line) => self.piece().line(line),
            Field::Rows => "",
            Field::Filter => &self.filter,
            Field::Want => &self.wanted,
            Field::File => &self.file,
        }
    }

    /// The text of the current line; `None` in the rows.
    fn text_mut(&mut self) -> Option<&mut String> {
        match self.field {
            Field::Piece(line) => Some(self.pieces[self.at].line_mut(line)),
            Field::Rows => None,
            Field::Filter => Some(&mut self.filter),
            Field::Want => Some(&mut self.wanted),
            Field::File => Some(&mut self.file),
        }
    }

    pub(super) fn snapshot(&self) -> Snapshot {
        Snapshot { pieces: self.pieces.clone(), at: self.at, field: self.field, cursor: self.cursor }
    }

    /// The steps of the phrase on the current value; `None` if it is unfinished or not asked.
    pub fn trace(&self) -> Option<Trace> {
        let row = *self.order.get(self.selected)?;
        let carving = self.carving.as_ref().filter(|_| !self.given[row].state.not_asked)?;
        self.sample.rows.with_batch(|batch| carving.trace(0, batch, row))
    }

    /// The pieces to save.
    ///
    /// # Errors
    /// A piece is unfinished: its name and the reason.
    pub fn finished(&self) -> Result<Vec<&Draft>, String> {
        let pieces: Vec<&Draft> = self.pieces.iter().filter(|piece| piece.has_phrase()).collect();
        match pieces.iter().find_map(|piece| Some((piece, self.bind(piece).err()?))) {
            Some((piece, unfinished)) => Err(format!("{}: {}", piece.name, unfinished.message)),
            None => Ok(pieces),
        }
    }

    pub fn ask_for_file(&mut self) {
        if self.file.is_empty() {
            let title = self.sample.title();
            let name: String = title.chars().map(|c| if c.is_alphanumeric() { c } else { '_' }).collect();
            self.file = format!("{}.cutlist.toml", name.trim_matches('_'));
        }
        self.go_to_line(Field::File);
        self.offer();
    }

    pub fn press(&mut self, key: Key) {
        let before = self.snapshot();
        self.says.clear();
        let gives_way = std::mem::take(&mut self.gives_way);
        match key {
            Key::Char(_) | Key::Backspace | Key::Delete => self.edit(key, gives_way),
            Key::Right if self.cursor == self.length() => self.take_word(),
            Key::Right => self.cursor += 1,
            Key::Left => self.cursor = self.cursor.saturating_sub(1),
            Key::Home => self.cursor = 0,
            Key::End => self.cursor = self.length(),
            Key::Up => self.select(self.selected.saturating_sub(1)),
            Key::Down => self.select(self.selected + 1),
            Key::PageUp => self.select(self.selected.saturating_sub(PAGE)),
            Key::PageDown => self.select(self.selected + PAGE),
            Key::NextView => {
                self.view = self.next_view();
                self.chosen = None;
                self.sort();
            }
            Key::NextLine => self.next_line(),
            Key::LineBefore => self.go_by(FIELDS.len() - 1),
            Key::Want => {
                self.choose();
                self.go_to_line(Field::Want);
            }
            Key::Filter => self.begin_filter(),
            Key::NextOffer => self.next_offer(),
            Key::Back => self.back(),
            Key::New => {
                self.add_piece();
                self.go_to(self.pieces.len() - 1);
            }
            Key::NextPiece => self.go_to((self.at + 1) % self.pieces.len()),
            Key::Remove => {
                self.pieces.remove(self.at);
                if self.pieces.is_empty() {
                    self.add_piece();
                }
                self.go_to(self.at.min(self.pieces.len() - 1));
            }
            Key::Earlier if self.at > 0 => {
                self.pieces.swap(self.at, self.at - 1);
                self.at -= 1;
            }
            Key::Earlier => {}
            Key::Undo => {
                let state = self.history.undo(|| before);
                return self.restore(state, "nothing to undo");
            }
            Key::Redo => {
                let state = self.history.redo(|| before);
                return self.restore(state, "nothing to redo");
            }
        }
        self.note_change(before);
    }

    fn length(&self) -> usize {
        self.text().chars().count()
    }

    /// Changes the text of the current line. A default name gives way to the first typed character.
    fn edit(&mut self, key: Key, gives_way: bool) {
        let (mut cursor, length) = (self.cursor, self.length());
        let Some(text) = self.text_mut() else { return };
        match key {
            Key::Char(c) => {
                if gives_way {
                    text.clear();
                    cursor = 0;
                }
                text.insert(byte_of(text, cursor), c);
                cursor += 1;
            }
            Key::Backspace if cursor > 0 => {
                cursor -= 1;
                text.remove(byte_of(text, cursor));
            }
            Key::Delete if cursor < length => drop(text.remove(byte_of(text, cursor))),
            _ => {}
        }
        self.cursor = cursor;
        if self.field == Field::Filter {
            self.chosen = None;
            self.sort();
        }
    }

    fn restore(&mut self, state: Option<Snapshot>, none: &str) {
        match state {
            Some(Snapshot { pieces, at, field, cursor }) => {
                (self.pieces, self.at, self.field, self.cursor) = (pieces, at, field, cursor);
                self.changed();
            }
            None => none.clone_into(&mut self.says),
        }
    }

    pub(super) fn note_change(&mut self, before: Snapshot) {
        if before.pieces != self.pieces {
            self.history.note(before);
            self.changed();
        } else if before.at != self.at {
            self.changed();
        } else {
            self.offer();
        }
    }

    fn begin_filter(&mut self) {
        if self.field != Field::Filter {
            self.line_before = self.field;
        }
        self.is_filtered = true;
        self.go_to_line(Field::Filter);
        self.sort();
    }

    /// Goes from a line of its own back to the lines of the piece. Typed text stays for the next time.
    fn back(&mut self) {
        match self.field {
            Field::Filter => {
                self.is_filtered = false;
                self.sort();
                self.go_to_line(self.line_before);
            }
            Field::Want | Field::File | Field::Rows => self.go_to_line(Field::Piece(Line::Phrase)),
            Field::Piece(_) => {}
        }
    }

    pub fn select(&mut self, place: usize) {
        self.selected = place.min(self.order.len().saturating_sub(1));
        self.choose();
        self.marked = None;
    }

    pub(super) fn choose(&mut self) {
        self.chosen = self.order.get(self.selected).copied();
    }

    fn next_view(&self) -> View {
        match self.view {
            View::All => View::Odd,
            View::Odd if self.sample.shapes.is_empty() => View::All,
            View::Odd => View::Shape(0),
            View::Shape(shape) if shape + 1 < self.sample.shapes.len() => View::Shape(shape + 1),
            View::Shape(_) => View::All,
        }
    }

    fn next_line(&mut self) {
        match self.field {
            Field::Want => self.search_wanted(),
            Field::Filter => {
                self.is_filtered = !self.filter.is_empty();
                self.go_to_line(self.line_before);
            }
            Field::File => self.go_to_line(Field::Piece(Line::Phrase)),
            Field::Piece(_) | Field::Rows => self.go_by(1),
        }
    }

    /// Goes down by some lines, and from the last line to the first.
    fn go_by(&mut self, lines: usize) {
        let at = FIELDS.iter().position(|field| *field == self.field).unwrap_or(1);
        self.go_to_line(FIELDS[(at + lines) % FIELDS.len()]);
        // The first typed character replaces a default name.
        self.gives_way = self.field == Field::Piece(Line::Name) && self.piece().name.starts_with(NO_NAME);
    }

    pub(super) fn go_to_line(&mut self, field: Field) {
        self.field = field;
        self.cursor = self.text().chars().count();
    }

    fn go_to(&mut self, piece: usize) {
        self.examples.clear();
        self.at = piece;
        self.go_to_line(Field::Piece(Line::Phrase));
    }

    fn add_piece(&mut self) {
        let is_taken = |name: &String| {
            self.pieces.iter().any(|piece| piece.name == *name) || self.others.pieces.iter().any(|piece| piece.name == *name)
        };
        let name = (self.pieces.len() + 1..).map(|number| format!("{NO_NAME}{number}")).find(|name| !is_taken(name));
        self.pieces.push(Draft { id: self.next_id, name: name.unwrap_or_default(), ..Draft::default() });
        self.next_id += 1;
    }

    fn take_word(&mut self) {
        let Some(word) = self.offers.chosen().filter(|_| !self.offers.are_phrases) else { return };
        let (word, from) = (word.to_owned(), self.offers.from);
        let is_key = self.field == Field::Piece(Line::More);
        let Some(text) = self.text_mut() else { return };
        text.truncate(from);
        text.push_str(&word);
        if !is_key {
            text.push(' ');
        }
        self.cursor = self.text().chars().count();
    }

    fn next_offer(&mut self) {
        let next = (self.offers.chosen + 1) % self.offers.all.len().max(1);
        match self.offers.are_phrases {
            true => self.take_phrase(next),
            false => self.offers.chosen = next,
        }
    }

    fn offer(&mut self) {
        if self.offers.are_phrases
            && self.field == Field::Piece(Line::Phrase)
            && self.offers.chosen() == Some(&self.piece().phrase)
        {
            return;
        }
        let line = match self.field {
            Field::Piece(line) if self.cursor == self.text().chars().count() => line,
            _ => return self.offers = Offers::default(),
        };
        let mut offers = Offers::words(line, self.text(), &self.sample, || self.texts_of(line));
        if offers.all.is_empty()
            && let Some(instead) = self.instead(line)
        {
            offers = Offers { all: vec![instead], ..Offers::default() };
        }
        // A selected word stays selected.
        if (&offers.all, offers.from) != (&self.offers.all, self.offers.from) {
            self.offers = offers;
        }
    }

    /// The texts behind a line: for the phrase, the results of the steps before the last one; for a check, the results; for other lines,
    /// the values.
    fn texts_of(&self, line: Line) -> Vec<String> {
        let values = || (0..self.sample.rows()).map(|row| self.sample.row(row).1.to_owned()).collect();
        match line {
            Line::Check => self.given.iter().map(|given| given.text.clone()).collect(),
            Line::Phrase => {
                let run = |(steps, _): (&str, &str)| {
                    let piece = Draft { name: NO_NAME.to_owned(), phrase: steps.to_owned(), ..Draft::default() };
                    let (given, _) = self.run(&piece.bind(&self.binding(), &Rules::default).ok()??)?;
                    Some(given.into_iter().map(|given| given.text).collect())
                };
                self.text().rsplit_once(" then ").and_then(run).unwrap_or_else(values)
            }
            Line::Name | Line::When | Line::More => values(),
        }
    }

    fn instead(&self, line: Line) -> Option<String> {
        let unfinished = self.unfinished.as_ref().filter(|unfinished| unfinished.line == line)?;
        let mut tried = self.piece().clone();
        let can_be_read = |offered: &&str| {
            (*offered).clone_into(tried.line_mut(line));
            tried != *self.piece() && self.bind(&tried).is_ok()
        };
        unfinished.help.split('`').skip(1).step_by(2).find(can_be_read).map(str::to_owned)
    }

    fn changed(&mut self) {
        self.changes += 1;
        self.marked = None;
        self.work();
        self.offer();
    }
}

fn byte_of(text: &str, character: usize) -> usize {
    text.char_indices().nth(character).map_or(text.len(), |(at, _)| at)
}
