//! What is tried: pieces that are being written, and what they give of the rows of a sample. It knows no terminal.

use std::ops::Range;
use std::sync::Arc;

use keen_notch_core::carving::{Carving, Memory, Worked};
use keen_notch_core::draft::Example;
use keen_notch_core::gauge::Gauge;
use keen_notch_core::program::{GetList, State, Trace};
use keen_notch_core::tally::Tally;
use keen_notch_core::text::unit::Unit;

use super::offers::{Offers, WantedOf, by_position};
use super::piece::{Binding, Draft, Line, Unfinished};
use super::sample::Sample;
use super::whole::judge;

/// Changes that can be taken back.
const MOST_UNDO: usize = 200;
/// Rows that one key goes up or down.
const PAGE: usize = 10;

/// What names begin with that nobody has chosen; a number follows.
const NO_NAME: &str = "piece_";

/// The line that is typed in.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Field {
    /// A line of the piece.
    Piece(Line),
    /// What the piece is to give of the value that is looked at.
    Want,
    /// The file that the pieces are to be written to.
    File,
}

/// Which rows are shown.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum View {
    /// All, those that are worth a look first.
    All,
    /// Those that are worth a look.
    Odd,
    /// Those of a shape, by its place among the shapes.
    Shape(usize),
}

/// What is typed, without a terminal.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Key {
    /// A character.
    Char(char),
    /// The character before goes.
    Backspace,
    /// The character after goes.
    Delete,
    /// One character on; at the end of the line, what is offered is taken.
    Right,
    /// One character back.
    Left,
    /// To the start of the line.
    Home,
    /// To the end of the line.
    End,
    /// One row up.
    Up,
    /// One row down.
    Down,
    /// Some rows up.
    PageUp,
    /// Some rows down.
    PageDown,
    /// The next view.
    NextView,
    /// The next line of the piece; what is wanted is looked for.
    NextLine,
    /// A new piece.
    New,
    /// The next piece.
    NextPiece,
    /// The piece goes.
    Remove,
    /// The piece changes places with the one before.
    Earlier,
    /// The last change is taken back.
    Undo,
    /// To the line for what is wanted of the value that is looked at.
    Want,
    /// The next of what is offered.
    NextOffer,
    /// Back from a line that is none of the piece.
    Back,
}

/// What a piece gives of a row.
#[derive(Debug, Clone, Default)]
pub struct Given {
    /// The results, joined where there are several.
    pub text: String,
    /// What became of it.
    pub state: State,
    /// Whether a check is not met.
    pub fails: bool,
}

impl Given {
    /// How much it is worth a look: the more, the lower. None where it is not.
    fn rank(&self) -> Option<u8> {
        let State { missing, short, fallback, long, .. } = self.state;
        [self.fails, missing, short, fallback, long].iter().position(|is| *is).map(|rank| rank as u8)
    }
}

/// What was before a change.
struct Before {
    pieces: Vec<Draft>,
    at: usize,
    field: Field,
    cursor: usize,
}

/// All that is known at a time.
pub struct Model {
    /// The rows that are looked at.
    pub sample: Sample,
    unit: Unit,
    lists: Box<GetList<'static>>,
    /// Names that pieces have which are not tried.
    taken: Vec<String>,
    /// The pieces.
    pub pieces: Vec<Draft>,
    /// The one that is typed, by its index.
    pub at: usize,
    /// The line that is typed in.
    pub field: Field,
    /// The character of it that comes after the cursor, from 0.
    pub cursor: usize,
    /// Which rows are shown.
    pub view: View,
    /// The rows that are shown, by their indices in the sample, in their order.
    pub order: Vec<usize>,
    /// The one that is looked at, by its place among them.
    pub selected: usize,
    /// The row of the sample that stays the one that is looked at, once it was chosen; the first that is shown, until then.
    chosen: Option<usize>,
    /// What the piece gives of each row; the last that it gave, where it is not finished.
    pub given: Vec<Given>,
    /// The counts of the sample.
    pub tally: Tally,
    /// Why it gives nothing.
    pub unfinished: Option<Unfinished>,
    /// What can be taken at the cursor.
    pub offers: Offers,
    /// The characters of the value that the mouse has marked, by their indices from 0.
    pub marked: Option<Range<usize>>,
    mark_from: usize,
    /// The last thing to say.
    pub says: String,
    /// How often the pieces have changed.
    pub changes: u64,
    /// The piece bound to the columns; none where it is not finished, or nothing is typed.
    carving: Option<Arc<Carving>>,
    /// What is typed as wanted of the value that is looked at, and what was wanted of others before.
    wanted: String,
    examples: Vec<WantedOf>,
    /// The name of the file that the pieces are to be written to, while it is typed.
    pub file: String,
    undo: Vec<Before>,
    next_id: usize,
    /// Whether what is in the line gives way to the next character.
    gives_way: bool,
}

impl Model {
    /// Pieces that are taken from a column of a sample with one row or more. Positions count in `unit`, conditions get their lists from
    /// `lists`, and other pieces have the names `taken`.
    pub fn new(sample: Sample, (unit, lists): (Unit, Box<GetList<'static>>), pieces: Vec<Draft>, taken: Vec<String>) -> Model {
        let rows = sample.rows();
        let next_id = pieces.iter().map(|piece| piece.id + 1).max().unwrap_or(0);
        let mut model = Model {
            sample,
            unit,
            lists,
            taken,
            pieces,
            at: 0,
            field: Field::Piece(Line::Phrase),
            cursor: 0,
            view: View::All,
            order: Vec::new(),
            selected: 0,
            chosen: None,
            given: vec![Given::default(); rows],
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

    /// The value that is looked at.
    pub fn value(&self) -> &str {
        self.order.get(self.selected).map_or("", |row| self.sample.row(*row).1)
    }

    /// The piece that is typed.
    pub fn piece(&self) -> &Draft {
        &self.pieces[self.at]
    }

    /// The piece bound to the columns; none where it is not finished, or nothing is typed.
    pub fn carving(&self) -> Option<Arc<Carving>> {
        self.carving.clone()
    }

    /// The line that is typed in.
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

    /// What the phrase does with the value that is looked at, step by step; none where it is not finished or not asked.
    pub fn trace(&self) -> Option<Trace> {
        let row = *self.order.get(self.selected)?;
        let program = self.carving.as_ref()?.program(0)?;
        (!self.given[row].state.not_asked).then(|| program.trace(self.sample.row(row).1))
    }

    /// The pieces that can be written down.
    ///
    /// # Errors
    /// Where one of them is not finished: its name, and why.
    pub fn finished(&self) -> Result<Vec<&Draft>, String> {
        let pieces: Vec<&Draft> = self.pieces.iter().filter(|piece| piece.has_phrase()).collect();
        match pieces.iter().find_map(|piece| Some((piece, self.bind(piece).err()?))) {
            Some((piece, unfinished)) => Err(format!("{}: {}", piece.name, unfinished.message)),
            None => Ok(pieces),
        }
    }

    /// Asks for the name of the file that the pieces are to be written to.
    pub fn ask_for_file(&mut self) {
        if self.file.is_empty() {
            let title = self.sample.header.title(self.sample.column);
            let name: String = title.chars().map(|c| if c.is_alphanumeric() { c } else { '_' }).collect();
            self.file = format!("{}.cutlist.toml", name.trim_matches('_'));
        }
        self.go_to_line(Field::File);
        self.offer();
    }

    /// Takes a key.
    pub fn press(&mut self, key: Key) {
        let before = Before { pieces: self.pieces.clone(), at: self.at, field: self.field, cursor: self.cursor };
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
                if let Some(Before { pieces, at, field, cursor }) = self.undo.pop() {
                    (self.pieces, self.at, self.field, self.cursor) = (pieces, at, field, cursor);
                    self.changed();
                }
                return;
            }
            Key::Backspace | Key::Delete | Key::Earlier | Key::Back => {}
        }
        self.note_change(before);
    }

    /// Notes what was before, where something has changed, and works out what there is now.
    fn note_change(&mut self, before: Before) {
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

    /// Looks at another of the rows that are shown.
    pub fn select(&mut self, place: usize) {
        self.selected = place.min(self.order.len().saturating_sub(1));
        self.choose();
        self.marked = None;
    }

    /// Stays at the row that is looked at.
    fn choose(&mut self) {
        self.chosen = self.order.get(self.selected).copied();
    }

    /// Begins to mark characters of the value that is looked at, with one of them, by its index from 0.
    pub fn begin_to_mark(&mut self, character: usize) {
        self.choose();
        self.mark_from = character;
        self.mark_to(character);
    }

    /// Marks the characters up to one, from that on which it was begun.
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

    /// Offers phrases that take the characters which are marked, where these are several, and takes the best.
    pub fn let_go(&mut self) {
        let Some(marked) = self.marked.take() else { return };
        if marked.len() < 2 {
            return;
        }
        let value = self.value().to_owned();
        let gauge = Gauge::new(&value);
        let place = gauge.characters[marked.start].start..gauge.characters[marked.end - 1].end;
        drop(gauge);
        let before = Before { pieces: self.pieces.clone(), at: self.at, field: self.field, cursor: self.cursor };
        let example = Example { result: value[place.clone()].to_owned(), value: value.clone() };
        self.want(WantedOf { example, place: Some(place.clone()) });
        let position = by_position(&value, &place);
        if self.unit == Unit::Characters && self.examples.len() == 1 && !self.offers.all.contains(&position) {
            self.offers.all.push(position);
            self.take_phrase(self.offers.chosen);
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
                    self.want(WantedOf { example: Example { value, result }, place: None });
                }
                return;
            }
            Field::Piece(Line::Phrase) => Line::Check,
            Field::Piece(Line::Check) => Line::Name,
            // Few pieces have more lines.
            Field::Piece(Line::Name) => Line::When,
            Field::Piece(Line::When) => Line::More,
            Field::Piece(Line::More) | Field::File => Line::Phrase,
        };
        self.go_to_line(Field::Piece(next));
        // A name that nobody has chosen gives way to the first character that is typed.
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

    /// Looks for phrases that give what was wanted of all values so far, and takes the best. Where there is none, what was wanted before
    /// is forgotten; and where there is none even then, what is wanted now.
    fn want(&mut self, wanted: WantedOf) {
        self.examples.retain(|before| before.example.value != wanted.example.value);
        self.examples.push(wanted.clone());
        let mut offers = Offers::phrases(&self.examples, &self.sample, self.unit);
        if offers.all.is_empty() && self.examples.len() > 1 && wanted.place.is_some() {
            self.examples = vec![wanted];
            offers = Offers::phrases(&self.examples, &self.sample, self.unit);
        }
        if offers.all.is_empty() && self.examples.last().is_some_and(|wanted| wanted.place.is_none()) {
            self.examples.pop();
            self.says = "no phrase that was tried gives that, with what was wanted before".to_owned();
            return;
        }
        self.offers = offers;
        self.take_phrase(0);
    }

    /// Puts a phrase that is offered into the line.
    fn take_phrase(&mut self, number: usize) {
        let Some(phrase) = self.offers.all.get(number) else { return };
        self.pieces[self.at].phrase.clone_from(phrase);
        self.offers.chosen = number;
        self.go_to_line(Field::Piece(Line::Phrase));
        let values = match self.examples.len() {
            1 => "1 value".to_owned(),
            count => format!("{count} values"),
        };
        self.says = format!("phrase {} of {} that give what is wanted of {values}", number + 1, self.offers.all.len());
    }

    /// Takes the word that is offered.
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

    /// Finds what can be taken at the cursor. What was offered stays while it is what it was.
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
        // A word that was gone on to stays the one that is taken.
        if (&offers.all, offers.from) != (&self.offers.all, self.offers.from) {
            self.offers = offers;
        }
    }

    /// What the help for a line offers instead of it, where that can be read.
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

    fn bind(&self, draft: &Draft) -> Result<Option<Carving>, Unfinished> {
        let others = self.pieces.iter().filter(|other| other.id != draft.id && other.has_phrase());
        let mut names = others.map(|other| &other.name).chain(&self.taken);
        if draft.has_phrase() && names.any(|name| *name == draft.name) {
            let message = format!("there is another piece {}", draft.name);
            return Err(Unfinished { line: Line::Name, message, help: "give each piece a name of its own".to_owned() });
        }
        let Sample { header, column, .. } = &self.sample;
        draft.bind(&Binding { header, column: *column, unit: self.unit, lists: &self.lists })
    }

    /// Works out what the piece gives of each row. Where it is not finished, what it gave before stays, to look at.
    fn work(&mut self) {
        self.carving = None;
        match self.bind(self.piece()) {
            Ok(Some(carving)) => match self.run(&carving) {
                Some((given, tally)) => {
                    (self.given, self.tally, self.unfinished) = (given, tally, None);
                    self.carving = Some(Arc::new(carving));
                }
                None => {
                    let message = "the results are too large to be shown".to_owned();
                    let help = "take less of each value".to_owned();
                    self.unfinished = Some(Unfinished { line: Line::Phrase, message, help });
                }
            },
            Ok(None) => {
                self.unfinished = None;
                self.given = vec![Given::default(); self.sample.rows()];
                self.tally = Tally::default();
            }
            Err(unfinished) => self.unfinished = Some(unfinished),
        }
        self.sort();
    }

    /// What a piece gives of the sample; none where that is too large.
    fn run(&self, carving: &Carving) -> Option<(Vec<Given>, Tally)> {
        let (mut worked, mut memory) = (Worked::default(), Memory::default());
        self.sample.with_batch(|batch| {
            let tally = judge(carving, batch, 0, &mut worked, &mut memory)?;
            let (texts, results) = (carving.texts(0, batch, &worked), worked.piece(0));
            let given = |row: usize| Given {
                text: results.items(row).map(|item| texts.get(item)).collect::<Vec<_>>().join(" · "),
                state: results.state(row),
                fails: worked.faulty().has(row),
            };
            Some(((0..batch.rows).map(given).collect(), tally))
        })
    }

    /// Puts the rows that are shown in their order.
    fn sort(&mut self) {
        let is_shown = |row: &usize| match self.view {
            View::All => true,
            View::Odd => self.given[*row].rank().is_some(),
            View::Shape(shape) => self.sample.shape_of(*row) == Some(shape),
        };
        let mut order: Vec<usize> = (0..self.sample.rows()).filter(is_shown).collect();
        order.sort_by_key(|row| self.given[*row].rank().unwrap_or(u8::MAX));
        self.selected = self.chosen.and_then(|row| order.iter().position(|shown| *shown == row)).unwrap_or(0);
        self.order = order;
    }
}

/// The byte of a character of a text.
fn byte_of(text: &str, character: usize) -> usize {
    text.char_indices().nth(character).map_or(text.len(), |(at, _)| at)
}

#[cfg(test)]
mod tests {
    use keen_notch_core::program::Setting;

    use super::*;

    const ROWS: [&str; 6] = ["GRP-00041273-S7K2", "HNG-00760251-N9P4", "SHV-47476125", "", "n/a", "grp-00012345-A1B2"];

    fn model_of(values: &[&str], pieces: Vec<Draft>) -> Model {
        let lists = Box::new(|file: &str, column: Option<&str>| (Setting::new(Unit::Characters).lists)(file, column));
        Model::new(Sample::of("part_code", values), (Unit::Characters, lists), pieces, vec!["piece_2".to_owned()])
    }

    fn model() -> Model {
        model_of(&ROWS, Vec::new())
    }

    fn type_in(model: &mut Model, text: &str) {
        text.chars().for_each(|c| model.press(Key::Char(c)));
    }

    fn press(model: &mut Model, keys: &[Key]) {
        keys.iter().for_each(|key| model.press(*key));
    }

    fn given(model: &Model, row: usize) -> &str {
        &model.given[row].text
    }

    #[test]
    fn what_is_typed_is_worked_out_at_every_key() {
        let mut model = model();
        type_in(&mut model, "section 3 by ");
        // What is not finished says so, and what may come.
        let unfinished = model.unfinished.clone().unwrap();
        assert_eq!(unfinished.line, Line::Phrase);
        assert!(!unfinished.message.is_empty() && !unfinished.help.is_empty());
        assert_eq!(model.offers.chosen(), Some("\"-\""));
        model.press(Key::Right);
        assert_eq!((model.unfinished.clone(), model.tally.filled, model.tally.missing, model.tally.blank), (None, 3, 2, 1));
        // Those that are worth a look come first.
        assert_eq!(model.order, [2, 4, 0, 1, 3, 5]);
        assert_eq!(given(&model, 0), "S7K2");
        model.select(2);
        assert_eq!(model.trace().unwrap().taken.first(), Some(&(13..17)));
        (0..5).for_each(|_| model.press(Key::Backspace));
        assert!(model.unfinished.is_some() && given(&model, 0) == "S7K2", "what it gave stays to look at");
    }

    #[test]
    fn words_are_offered_and_taken() {
        let mut model = model();
        // A whole phrase of a few letters.
        for keys in ["sec", "3", "", "", "up"] {
            type_in(&mut model, keys);
            model.press(Key::Right);
        }
        assert_eq!((model.text(), given(&model, 0)), ("section 3 by \"-\" then upper ", "S7K2"));
        // Another than the first, by the mark that fewer values have.
        model.press(Key::New);
        type_in(&mut model, "after ");
        model.press(Key::NextOffer);
        assert_eq!(model.offers.chosen(), Some("\"/\""));
        model.press(Key::Right);
        assert_eq!(given(&model, 4), "a");
        // Within a line nothing is taken; a word that is wrong is put right.
        press(&mut model, &[Key::Home, Key::Right, Key::End]);
        assert_eq!(model.text(), "after \"/\" ");
        model.press(Key::New);
        type_in(&mut model, "frist 3");
        model.press(Key::Right);
        assert!(model.text().starts_with("first 3"), "{}: {:?}", model.text(), model.unfinished);
        // The other lines.
        model.press(Key::NextLine);
        type_in(&mut model, "uppercase; len");
        model.press(Key::Right);
        type_in(&mut model, "3");
        assert_eq!((model.text(), model.tally.faulted), ("uppercase; length 3", 2));
        press(&mut model, &[Key::NextLine, Key::NextLine]);
        type_in(&mut model, "part_code: sta");
        press(&mut model, &[Key::Right, Key::Right]);
        type_in(&mut model, "\"G\"");
        assert_eq!((model.text(), model.tally.not_asked), ("part_code: starts with \"G\"", 5));
        model.press(Key::NextLine);
        type_in(&mut model, "opt");
        model.press(Key::Right);
        assert_eq!((model.text(), model.unfinished.clone()), ("optional = true", None));
        assert!(model.trace().is_some());
    }

    #[test]
    fn checks_views_and_shapes() {
        let mut model = model();
        type_in(&mut model, "first 3");
        model.press(Key::NextLine);
        type_in(&mut model, "uppercase; length 3");
        assert_eq!((model.field, model.tally.faulted), (Field::Piece(Line::Check), 2));
        model.press(Key::NextView);
        assert_eq!((model.view, model.order.clone()), (View::Odd, vec![4, 5]));
        press(&mut model, &[Key::Down, Key::PageDown]);
        assert_eq!(model.value(), "grp-00012345-A1B2");
        model.press(Key::NextView);
        assert_eq!(model.sample.shapes[0], "U3-d8-U1d1U1d1");
        assert_eq!((model.view, model.order.clone()), (View::Shape(0), vec![0, 1]));
        (0..model.sample.shapes.len()).for_each(|_| model.press(Key::NextView));
        assert_eq!(model.view, View::All);
        // What depends on the rows before counts too.
        type_in(&mut model, "; unique");
        assert_eq!((model.tally.faulted, model.unfinished.clone()), (2, None));
        let mut twice = model_of(&["A-1", "A-2", "B-1"], Vec::new());
        type_in(&mut twice, "first 1");
        twice.press(Key::NextLine);
        type_in(&mut twice, "unique");
        assert_eq!((twice.tally.faulted, twice.order.clone()), (1, vec![1, 0, 2]));
        type_in(&mut model, "; lenght 2");
        assert_eq!(model.unfinished.as_ref().unwrap().line, Line::Check);
    }

    #[test]
    fn what_is_wanted_of_a_value_gives_phrases() {
        let mut model = model();
        press(&mut model, &[Key::Down, Key::Want]);
        type_in(&mut model, "760251");
        assert_eq!((model.field, model.value()), (Field::Want, "HNG-00760251-N9P4"));
        model.press(Key::NextLine);
        let first = model.piece().phrase.clone();
        assert!(model.says.starts_with("phrase 1 of ") && given(&model, 1) == "760251", "{first}: {}", model.says);
        model.press(Key::NextOffer);
        assert!(model.piece().phrase != first && given(&model, 1) == "760251", "{}", model.piece().phrase);
        // Another value leaves fewer phrases, and something that no phrase gives leaves the phrase as it is.
        model.select(model.order.iter().position(|row| *row == 0).unwrap());
        model.press(Key::Want);
        type_in(&mut model, "41273");
        model.press(Key::NextLine);
        assert_eq!((given(&model, 1), given(&model, 0)), ("760251", "41273"));
        let kept = model.piece().phrase.clone();
        model.press(Key::Want);
        type_in(&mut model, "nothing of it");
        model.press(Key::NextLine);
        assert!(model.piece().phrase == kept && model.says.starts_with("no phrase"), "{}", model.says);
        // Nothing is wanted after all.
        press(&mut model, &[Key::Want, Key::Back]);
        assert_eq!((model.field, model.piece().phrase.as_str()), (Field::Piece(Line::Phrase), kept.as_str()));
    }

    #[test]
    fn characters_that_are_marked_give_phrases_that_take_them() {
        let mut model = model_of(&["12-AB-12", "34-CD-34", "5-EF-56"], Vec::new());
        let mark = |model: &mut Model, from, to| {
            model.begin_to_mark(from);
            model.mark_to(to);
            model.let_go();
        };
        // From right to left too; and not the 12 that comes first, though it is the same text.
        mark(&mut model, 7, 6);
        for _ in 0..model.offers.all.len() {
            let taken = model.trace().unwrap().taken;
            assert!(taken.len() == 1 && taken[0] == (6..8), "{}: {taken:?}", model.piece().phrase);
            model.press(Key::NextOffer);
        }
        assert!(model.offers.all.len() > 1 && model.offers.all.contains(&"chars 7 to 8".to_owned()), "{:?}", model.offers);
        // A second row decides between them.
        model.select(2);
        mark(&mut model, 5, 6);
        assert_eq!((given(&model, 0), given(&model, 2)), ("12", "56"), "{}", model.piece().phrase);
        // One character is looked at only, and what is beyond the value is not marked.
        let before = model.pieces.clone();
        mark(&mut model, 0, 0);
        mark(&mut model, 3, 40);
        assert_eq!(model.pieces, before);
        // What is marked otherwise than before is marked anew; and it can be taken back.
        mark(&mut model, 2, 3);
        assert_eq!(given(&model, 2), "EF");
        model.press(Key::Undo);
        assert_eq!(model.pieces, before);
        let mut wide = model_of(&["Größe 東京 7"], Vec::new());
        mark(&mut wide, 6, 7);
        assert_eq!(given(&wide, 0), "東京");
    }

    #[test]
    fn lines_are_edited_and_changes_taken_back() {
        let mut model = model();
        type_in(&mut model, "firsté 3");
        press(&mut model, &[Key::Left, Key::Left, Key::Backspace, Key::Home, Key::Delete, Key::Char('f'), Key::End]);
        assert_eq!((model.text(), model.cursor), ("first 3", 7));
        // The name piece_2 is that of a piece which is not tried.
        model.press(Key::New);
        assert_eq!((model.pieces.len(), model.piece().name.as_str(), model.tally.filled), (2, "piece_3", 0));
        type_in(&mut model, "last 2");
        press(&mut model, &[Key::NextLine, Key::NextLine]);
        type_in(&mut model, "piece_1");
        assert!(model.unfinished.as_ref().is_some_and(|why| why.line == Line::Name) && model.finished().is_err());
        (0..7).for_each(|_| model.press(Key::Backspace));
        type_in(&mut model, "end");
        model.press(Key::Earlier);
        assert_eq!(model.pieces.iter().map(|piece| &*piece.name).collect::<Vec<_>>(), ["end", "piece_1"]);
        model.press(Key::NextPiece);
        assert_eq!((model.piece().name.as_str(), model.tally.filled), ("piece_1", 5));
        model.press(Key::Remove);
        assert_eq!(model.pieces.len(), 1);
        model.press(Key::Undo);
        assert_eq!((model.pieces.len(), model.piece().phrase.as_str()), (2, "first 3"));
        (0..100).for_each(|_| model.press(Key::Undo));
        assert_eq!((model.pieces.len(), model.piece().phrase.as_str()), (1, ""));
        model.press(Key::Remove);
        assert_eq!(model.piece().name, "piece_1");
    }
}
