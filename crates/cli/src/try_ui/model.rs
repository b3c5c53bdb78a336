use std::ops::Range;
use std::sync::Arc;

use keen_notch_core::carving::Carving;
use keen_notch_core::draft::Example;
use keen_notch_core::gauge::Gauge;
use keen_notch_core::program::{Files, Trace};
use keen_notch_core::tally::Tally;
use keen_notch_core::text::unit::Unit;

use super::offers::{Offers, WantedResult, by_position};
use super::piece::{Draft, Line, Unfinished};
use super::row_results::RowResult;
use super::sample::Sample;

const MOST_UNDO: usize = 200;
const PAGE: usize = 10;

const NO_NAME: &str = "piece_";

#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Field {
    Piece(Line),
    Want,
    File,
}

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
    /// Go to the next line of the piece; in the wanted line, search.
    NextLine,
    New,
    NextPiece,
    Remove,
    Earlier,
    Undo,
    Want,
    NextOffer,
    Back,
}

struct Snapshot {
    pieces: Vec<Draft>,
    at: usize,
    field: Field,
    cursor: usize,
}

pub struct Model {
    pub sample: Sample,
    pub(super) unit: Unit,
    pub(super) files: Box<dyn Files>,
    pub(super) taken: Vec<String>,
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
    mark_from: usize,
    pub says: String,
    pub changes: u64,
    /// The bound piece; `None` if it is empty or unfinished.
    pub(super) carving: Option<Arc<Carving>>,
    wanted: String,
    examples: Vec<WantedResult>,
    /// The typed file name for the pieces.
    pub file: String,
    undo: Vec<Snapshot>,
    next_id: usize,
    gives_way: bool,
}

impl Model {
    /// Creates the state for a sample with at least one row. Positions count in `unit`, files come from `files`, and other pieces have
    /// the names `taken`.
    pub fn new(sample: Sample, (unit, files): (Unit, Box<dyn Files>), pieces: Vec<Draft>, taken: Vec<String>) -> Model {
        let rows = sample.rows();
        let next_id = pieces.iter().map(|piece| piece.id + 1).max().unwrap_or(0);
        let mut model = Model {
            sample,
            unit,
            files,
            taken,
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
            file: String::new(),
            undo: Vec::new(),
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
            Field::Want => &self.wanted,
            Field::File => &self.file,
        }
    }

    fn text_mut(&mut self) -> &mut String {
        match self.field {
            Field::Piece(line) => self.pieces[self.at].line_mut(line),
            Field::Want => &mut self.wanted,
            Field::File => &mut self.file,
        }
    }

    /// The steps of the phrase on the current value; `None` if it is unfinished or not asked.
    pub fn trace(&self) -> Option<Trace> {
        let row = *self.order.get(self.selected)?;
        let carving = self.carving.as_ref().filter(|_| !self.given[row].state.not_asked)?;
        self.sample.with_batch(|batch| carving.trace(0, batch, row))
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
            let title = self.sample.header.title(self.sample.column);
            let name: String = title.chars().map(|c| if c.is_alphanumeric() { c } else { '_' }).collect();
            self.file = format!("{}.cutlist.toml", name.trim_matches('_'));
        }
        self.go_to_line(Field::File);
        self.offer();
    }

    pub fn press(&mut self, key: Key) {
        let before = Snapshot { pieces: self.pieces.clone(), at: self.at, field: self.field, cursor: self.cursor };
        let length = self.text().chars().count();
        self.says.clear();
        let gives_way = std::mem::take(&mut self.gives_way);
        match key {
            Key::Char(c) => {
                if gives_way {
                    self.text_mut().clear();
                    self.cursor = 0;
                }
                let at = byte_of(self.text(), self.cursor);
                self.text_mut().insert(at, c);
                self.cursor += 1;
            }
            Key::Backspace if self.cursor > 0 => {
                let at = byte_of(self.text(), self.cursor - 1);
                self.text_mut().remove(at);
                self.cursor -= 1;
            }
            Key::Delete if self.cursor < length => {
                let at = byte_of(self.text(), self.cursor);
                self.text_mut().remove(at);
            }
            Key::Left => self.cursor = self.cursor.saturating_sub(1),
            Key::Right if self.cursor == length => self.take_word(),
            Key::Right => self.cursor += 1,
            Key::Home => self.cursor = 0,
            Key::End => self.cursor = length,
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
            Key::Want => {
                self.choose();
                self.wanted.clear();
                self.go_to_line(Field::Want);
            }
            Key::NextOffer => self.next_offer(),
            Key::Back if !matches!(self.field, Field::Piece(_)) => self.go_to_line(Field::Piece(Line::Phrase)),
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
            Key::Undo => {
                if let Some(Snapshot { pieces, at, field, cursor }) = self.undo.pop() {
                    (self.pieces, self.at, self.field, self.cursor) = (pieces, at, field, cursor);
                    self.changed();
                }
                return;
            }
            Key::Backspace | Key::Delete | Key::Earlier | Key::Back => {}
        }
        self.note_change(before);
    }

    fn note_change(&mut self, before: Snapshot) {
        if before.pieces != self.pieces {
            self.undo.push(before);
            if self.undo.len() > MOST_UNDO {
                self.undo.remove(0);
            }
            self.changed();
        } else if before.at != self.at {
            self.changed();
        } else {
            self.offer();
        }
    }

    pub fn select(&mut self, place: usize) {
        self.selected = place.min(self.order.len().saturating_sub(1));
        self.choose();
        self.marked = None;
    }

    fn choose(&mut self) {
        self.chosen = self.order.get(self.selected).copied();
    }

    /// Starts marking characters of the value, at this index.
    pub fn begin_to_mark(&mut self, character: usize) {
        self.choose();
        self.mark_from = character;
        self.mark_to(character);
    }

    /// Marks the characters from the start to this index.
    pub fn mark_to(&mut self, character: usize) {
        let count = Gauge::new(self.value()).characters.len();
        let (first, last) = (self.mark_from.min(character), self.mark_from.max(character));
        self.marked = (last < count).then_some(first..last + 1);
        self.says = match &self.marked {
            None => String::new(),
            Some(_) if first == last => format!("character {}, or -{} from the right", first + 1, count - first),
            Some(_) => format!("characters {} to {}: let go, and phrases that take them are offered", first + 1, last + 1),
        };
    }

    /// Offers phrases for the marked characters, if there are several, and accepts the best one.
    pub fn let_go(&mut self) {
        let Some(marked) = self.marked.take() else { return };
        if marked.len() < 2 {
            return;
        }
        let value = self.value().to_owned();
        let characters = Gauge::new(&value).characters;
        let place = characters[marked.start].start..characters[marked.end - 1].end;
        let before = Snapshot { pieces: self.pieces.clone(), at: self.at, field: self.field, cursor: self.cursor };
        let example = Example { result: value[place.clone()].to_owned(), value: value.clone() };
        self.want(WantedResult { example, place: Some(place.clone()) });
        let position = by_position(&value, &place);
        if self.unit == Unit::Characters && self.examples.len() == 1 && !self.offers.all.contains(&position) {
            self.offers.all.push(position);
            self.take_phrase(self.offers.chosen);
        }
        if self.offers.all.is_empty() {
            self.says = "no phrase that was tried takes these characters".to_owned();
        }
        self.note_change(before);
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
        let next = match self.field {
            Field::Want => {
                let (value, result) = (self.value().to_owned(), std::mem::take(&mut self.wanted));
                self.go_to_line(Field::Piece(Line::Phrase));
                if !result.is_empty() {
                    self.want(WantedResult { example: Example { value, result }, place: None });
                }
                return;
            }
            Field::Piece(Line::Phrase) => Line::Check,
            Field::Piece(Line::Check) => Line::Name,
            // Few pieces use further lines.
            Field::Piece(Line::Name) => Line::When,
            Field::Piece(Line::When) => Line::More,
            Field::Piece(Line::More) | Field::File => Line::Phrase,
        };
        self.go_to_line(Field::Piece(next));
        // The first typed character replaces a default name.
        self.gives_way = next == Line::Name && self.piece().name.starts_with(NO_NAME);
    }

    fn go_to_line(&mut self, field: Field) {
        self.field = field;
        self.cursor = self.text().chars().count();
    }

    fn go_to(&mut self, piece: usize) {
        self.examples.clear();
        self.at = piece;
        self.go_to_line(Field::Piece(Line::Phrase));
    }

    fn add_piece(&mut self) {
        let is_taken = |name: &String| self.pieces.iter().any(|piece| piece.name == *name) || self.taken.contains(name);
        let name = (self.pieces.len() + 1..).map(|number| format!("{NO_NAME}{number}")).find(|name| !is_taken(name));
        self.pieces.push(Draft { id: self.next_id, name: name.unwrap_or_default(), ..Draft::default() });
        self.next_id += 1;
    }

    /// Searches phrases for all wanted results and accepts the best one. If there is none, drops the earlier wanted results; if there is
    /// still none, drops this one too.
    fn want(&mut self, wanted: WantedResult) {
        self.examples.retain(|before| before.example.value != wanted.example.value);
        self.examples.push(wanted.clone());
        let mut offers = Offers::phrases(&self.examples, &self.sample, self.unit);
        if offers.all.is_empty() && self.examples.len() > 1 && wanted.place.is_some() {
            self.examples = vec![wanted];
            offers = Offers::phrases(&self.examples, &self.sample, self.unit);
        }
        if offers.all.is_empty() && self.examples.last().is_some_and(|wanted| wanted.place.is_none()) {
            self.examples.pop();
            self.says = "no tried phrase gives this together with the earlier examples".to_owned();
            return;
        }
        self.offers = offers;
        self.take_phrase(0);
    }

    fn take_phrase(&mut self, number: usize) {
        let Some(phrase) = self.offers.all.get(number) else { return };
        self.pieces[self.at].phrase.clone_from(phrase);
        self.offers.chosen = number;
        self.go_to_line(Field::Piece(Line::Phrase));
        let values = match self.examples.len() {
            1 => "1 value".to_owned(),
            count => format!("{count} values"),
        };
        self.says = format!("phrase {} of {} that fit {values}", number + 1, self.offers.all.len());
    }

    fn take_word(&mut self) {
        let Some(word) = self.offers.chosen().filter(|_| !self.offers.are_phrases) else { return };
        let (word, from) = (word.to_owned(), self.offers.from);
        let is_key = self.field == Field::Piece(Line::More);
        let text = self.text_mut();
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
        let mut offers = Offers::words(line, self.text(), &self.sample);
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
