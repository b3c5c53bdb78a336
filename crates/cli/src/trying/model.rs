//! What is tried: pieces that are being written, and what they give of the rows of a sample.

use keen_notch_core::batch::{Batch, Column};
use keen_notch_core::carving::{Carving, Worked};
use keen_notch_core::column::Header;
use keen_notch_core::draft::{self, Example};
use keen_notch_core::piece::{Check, Piece, Source, Wanted};
use keen_notch_core::program::{NoList, Program, Setting, State, Trace};
use keen_notch_core::survey::{Depth, Group, Members, Row, Survey};
use keen_notch_core::tally::Tally;
use keen_notch_core::text::unit::Unit;
use keen_notch_core::text_error::TextError;
use keen_notch_io::files::RunFiles;
use keen_notch_io::lists;

/// Changes that can be taken back.
const MOST_UNDO: usize = 200;
/// Rows that one key goes up or down.
const PAGE: usize = 10;
/// Rows that phrases which are offered are told apart by.
const MOST_RANKED: usize = 500;
/// Shapes that can be looked at by themselves.
const MOST_SHAPES: usize = 9;

/// A piece as it is typed.
#[derive(Debug, Clone, Default, PartialEq, Eq)]
pub struct Draft {
    /// What it is called.
    pub name: String,
    /// Its phrase.
    pub phrase: String,
    /// What it must meet: conditions, with semicolons between.
    pub check: String,
}

/// The line that is typed in.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Field {
    /// The name of the piece.
    Name,
    /// Its phrase.
    Phrase,
    /// What it must meet.
    Check,
    /// What it is to give of the value that is looked at.
    Want,
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
    /// One character on.
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
    /// The next line to type in.
    NextField,
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
    /// The next phrase that fits what was wanted.
    NextOffer,
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

/// Why a piece gives nothing.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Unfinished {
    /// The line that is not finished.
    pub field: Field,
    /// What is wrong, in a sentence.
    pub message: String,
    /// What may come instead.
    pub help: String,
}

/// All that is known at a time.
pub struct Model {
    /// The column.
    pub title: String,
    /// Its values in the rows of the sample, and the numbers of these rows.
    values: Column,
    numbers: Vec<u64>,
    /// The shapes of the values, the commonest first, and which has each row.
    pub shapes: Vec<String>,
    shape_of: Vec<Option<usize>>,
    /// The pieces, and the one that is typed.
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
    /// What the piece gives of each row; the last that it gave, where it is not finished.
    pub given: Vec<Given>,
    /// The counts of the sample, and the rows that do not meet a check.
    pub tally: Tally,
    /// Rows that do not meet a check.
    pub failing: u64,
    /// Why it gives nothing.
    pub unfinished: Option<Unfinished>,
    /// What is typed as wanted of the value that is looked at, and what was wanted of others before.
    wanted: String,
    examples: Vec<Example>,
    /// Phrases that give all that was wanted, the best first, and the one that was taken.
    offers: Vec<String>,
    offer: usize,
    /// The last thing to say.
    pub says: String,
    undo: Vec<(Vec<Draft>, usize, Field, usize)>,
    /// How often the pieces have changed.
    pub changes: u64,
}

impl Model {
    /// Some rows of a column, with nothing typed. There is one row or more.
    pub fn new(title: &str, rows: impl IntoIterator<Item = (u64, String)>) -> Model {
        let (mut values, mut numbers) = (Column::default(), Vec::new());
        let mut survey = Survey::new(Depth::Brief);
        for (number, value) in rows {
            survey.observe(number, &value);
            values.push(&value);
            numbers.push(number);
        }
        let groups: Vec<Group> = survey.groups().into_iter().take(MOST_SHAPES).collect();
        let mut members: Vec<Members> = groups.iter().map(|group| survey.members(std::slice::from_ref(group))).collect();
        let mut shape_of = |value: &str| members.iter_mut().position(|members| members.has(value));
        let shape_of = values.texts().iter().map(&mut shape_of).collect();
        let mut model = Model {
            title: title.to_owned(),
            given: vec![Given::default(); numbers.len()],
            values,
            numbers,
            shapes: groups.iter().map(|group| group.shape.to_string()).collect(),
            shape_of,
            pieces: vec![Draft { name: "piece_1".to_owned(), ..Draft::default() }],
            at: 0,
            field: Field::Phrase,
            cursor: 0,
            view: View::All,
            order: Vec::new(),
            selected: 0,
            tally: Tally::default(),
            failing: 0,
            unfinished: None,
            wanted: String::new(),
            examples: Vec::new(),
            offers: Vec::new(),
            offer: 0,
            says: String::new(),
            undo: Vec::new(),
            changes: 0,
        };
        model.work();
        model
    }

    /// The rows of the sample.
    pub fn rows(&self) -> usize {
        self.numbers.len()
    }

    /// The number of a row of the sample, and its value.
    pub fn row(&self, row: usize) -> (u64, &str) {
        (self.numbers.get(row).copied().unwrap_or_default(), self.values.texts().get(row))
    }

    /// The value that is looked at.
    pub fn value(&self) -> &str {
        self.order.get(self.selected).map_or("", |row| self.row(*row).1)
    }

    /// The piece that is typed.
    pub fn piece(&self) -> &Draft {
        &self.pieces[self.at]
    }

    /// The line that is typed in.
    pub fn text(&self) -> &str {
        let piece = self.piece();
        match self.field {
            Field::Name => &piece.name,
            Field::Phrase => &piece.phrase,
            Field::Check => &piece.check,
            Field::Want => &self.wanted,
        }
    }

    fn text_mut(&mut self) -> &mut String {
        let piece = &mut self.pieces[self.at];
        match self.field {
            Field::Name => &mut piece.name,
            Field::Phrase => &mut piece.phrase,
            Field::Check => &mut piece.check,
            Field::Want => &mut self.wanted,
        }
    }

    /// What the phrase does with a value, step by step; none where it is not finished.
    pub fn trace(&self, value: &str) -> Option<Trace> {
        let piece = bound(self.piece()).ok()?;
        let Source::Take { phrase, .. } = &piece.source else { return None };
        Program::new(phrase, Unit::Characters).ok().map(|program| program.trace(value))
    }

    /// Takes a key.
    pub fn press(&mut self, key: Key) {
        let before = (self.pieces.clone(), self.at, self.field, self.cursor);
        let length = self.text().chars().count();
        self.says.clear();
        match key {
            Key::Char(c) => {
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
            // At the end of a line that is not finished, what is offered is taken.
            Key::Right if self.cursor == length => {
                if let Some(offered) = self.offered() {
                    *self.text_mut() = offered;
                    self.cursor = self.text().chars().count();
                }
            }
            Key::Right => self.cursor += 1,
            Key::Home => self.cursor = 0,
            Key::End => self.cursor = length,
            Key::Up => self.selected = self.selected.saturating_sub(1),
            Key::Down => self.selected += 1,
            Key::PageUp => self.selected = self.selected.saturating_sub(PAGE),
            Key::PageDown => self.selected += PAGE,
            Key::NextView => {
                self.view = match self.view {
                    View::All => View::Odd,
                    View::Odd if self.shapes.is_empty() => View::All,
                    View::Odd => View::Shape(0),
                    View::Shape(shape) if shape + 1 < self.shapes.len() => View::Shape(shape + 1),
                    View::Shape(_) => View::All,
                };
                self.selected = 0;
                self.sort();
            }
            Key::NextField if self.field == Field::Want => self.look_for_phrases(),
            Key::Want => {
                (self.field, self.cursor) = (Field::Want, 0);
                self.wanted.clear();
            }
            Key::NextOffer if !self.offers.is_empty() => self.take_offer((self.offer + 1) % self.offers.len()),
            Key::NextField => {
                self.field = match self.field {
                    Field::Phrase => Field::Check,
                    Field::Check => Field::Name,
                    Field::Name | Field::Want => Field::Phrase,
                };
                self.cursor = self.text().chars().count();
            }
            Key::New => {
                let is_free = |name: &String| self.pieces.iter().all(|piece| piece.name != *name);
                let name = (self.pieces.len() + 1..).map(|number| format!("piece_{number}")).find(is_free);
                self.pieces.push(Draft { name: name.unwrap_or_default(), ..Draft::default() });
                self.go_to(self.pieces.len() - 1);
            }
            Key::NextPiece => self.go_to((self.at + 1) % self.pieces.len()),
            Key::Remove => {
                self.pieces.remove(self.at);
                if self.pieces.is_empty() {
                    self.pieces.push(Draft { name: "piece_1".to_owned(), ..Draft::default() });
                }
                self.go_to(self.at.min(self.pieces.len() - 1));
            }
            Key::Earlier if self.at > 0 => {
                self.pieces.swap(self.at, self.at - 1);
                self.at -= 1;
            }
            Key::Undo => {
                if let Some((pieces, at, field, cursor)) = self.undo.pop() {
                    (self.pieces, self.at, self.field, self.cursor) = (pieces, at, field, cursor);
                    self.changed();
                }
                return;
            }
            Key::Backspace | Key::Delete | Key::Earlier | Key::NextOffer => {}
        }
        self.selected = self.selected.min(self.order.len().saturating_sub(1));
        if before.0 != self.pieces {
            self.undo.push(before);
            if self.undo.len() > MOST_UNDO {
                self.undo.remove(0);
            }
            self.changed();
        } else if before.1 != self.at {
            self.changed();
        }
    }

    /// What the help for the line that is typed in offers instead of it, where that can be read.
    pub fn offered(&self) -> Option<String> {
        let unfinished = self.unfinished.as_ref().filter(|unfinished| unfinished.field == self.field)?;
        let offered = unfinished.help.split('`').nth(1)?;
        let mut tried = self.piece().clone();
        match self.field {
            Field::Phrase => tried.phrase = offered.to_owned(),
            Field::Check => tried.check = offered.to_owned(),
            Field::Name | Field::Want => return None,
        }
        carving(&tried, &self.title).is_ok().then(|| offered.to_owned())
    }

    /// Looks for phrases that give what was wanted of all values so far, and takes the best.
    fn look_for_phrases(&mut self) {
        let value = self.value().to_owned();
        self.field = Field::Phrase;
        if !self.wanted.is_empty() {
            self.examples.retain(|example| example.value != value);
            self.examples.push(Example { value, result: std::mem::take(&mut self.wanted) });
            let values = self.values.texts();
            let rows = self.numbers.iter().zip(values.iter()).take(MOST_RANKED);
            let rows: Vec<Row> = rows.map(|(row, value)| Row { row: *row, value: value.to_owned() }).collect();
            let found = draft::search(&self.examples).found;
            self.offers = draft::rank(&found, &self.examples, &rows).into_iter().map(|ranked| ranked.phrase).collect();
            match self.offers.is_empty() {
                false => self.take_offer(0),
                true => {
                    self.examples.pop();
                    self.says = "no phrase that was tried gives that, with what was wanted before".to_owned();
                }
            }
        }
        self.cursor = self.text().chars().count();
    }

    fn take_offer(&mut self, offer: usize) {
        self.offer = offer;
        self.field = Field::Phrase;
        self.pieces[self.at].phrase.clone_from(&self.offers[offer]);
        self.cursor = self.text().chars().count();
        let more = if self.offers.len() > 1 { "; ^R takes the next" } else { "" };
        self.says = format!(
            "phrase {} of {} that give what is wanted of {}{more}",
            offer + 1,
            self.offers.len(),
            match self.examples.len() {
                1 => "1 value".to_owned(),
                count => format!("{count} values"),
            }
        );
    }

    fn go_to(&mut self, piece: usize) {
        self.examples.clear();
        self.offers.clear();
        self.at = piece;
        self.field = Field::Phrase;
        self.cursor = self.text().chars().count();
    }

    fn changed(&mut self) {
        self.changes += 1;
        self.work();
    }

    /// Works out what the piece gives of each row. Where it is not finished, what it gave before stays, to look at.
    fn work(&mut self) {
        let carving = match carving(self.piece(), &self.title) {
            Ok(Some(carving)) => carving,
            Ok(None) => {
                self.unfinished = None;
                self.given = vec![Given::default(); self.rows()];
                (self.tally, self.failing) = (Tally::default(), 0);
                return self.sort();
            }
            Err(unfinished) => {
                self.unfinished = Some(unfinished);
                return self.sort();
            }
        };
        let mut worked = Worked::default();
        let columns = [self.values.texts()];
        let batch = Batch { rows: self.numbers.len(), columns: &columns };
        if carving.run(&batch, &mut worked).is_err() {
            let message = "the results are too large to be shown".to_owned();
            self.unfinished = Some(Unfinished { field: Field::Phrase, message, help: "take less of each value".to_owned() });
            return;
        }
        let mut tallies = [Tally::default()];
        carving.judge(&batch, &mut worked, &mut tallies);
        let mut failing: Vec<u32> = worked.failures().iter().map(|failure| failure.row).collect();
        failing.sort_unstable();
        failing.dedup();
        let texts = carving.texts(0, &batch, &worked);
        let results = worked.piece(0);
        let given = |row: usize| Given {
            text: results.items(row).map(|item| texts.get(item)).collect::<Vec<_>>().join(" · "),
            state: results.state(row),
            fails: failing.binary_search(&(row as u32)).is_ok(),
        };
        self.given = (0..self.numbers.len()).map(given).collect();
        self.tally = tallies[0];
        self.failing = failing.len() as u64;
        self.unfinished = None;
        self.sort();
    }

    /// Puts the rows that are shown in their order.
    fn sort(&mut self) {
        let is_shown = |row: &usize| match self.view {
            View::All => true,
            View::Odd => self.given[*row].rank().is_some(),
            View::Shape(shape) => self.shape_of[*row] == Some(shape),
        };
        let mut order: Vec<usize> = (0..self.rows()).filter(is_shown).collect();
        order.sort_by_key(|row| self.given[*row].rank().unwrap_or(u8::MAX));
        self.order = order;
        self.selected = self.selected.min(self.order.len().saturating_sub(1));
    }
}

/// The byte of a character of a text.
fn byte_of(text: &str, character: usize) -> usize {
    text.char_indices().nth(character).map_or(text.len(), |(at, _)| at)
}

fn unfinished(field: Field, error: TextError) -> Unfinished {
    Unfinished { field, message: error.message, help: error.help }
}

/// The piece that is typed, with its checks.
pub fn bound(draft: &Draft) -> Result<Piece, Unfinished> {
    let text = format!("{}: {}", if draft.name.is_empty() { "piece" } else { &draft.name }, draft.phrase);
    let mut piece = Piece::parse(&text, 0).map_err(|error| unfinished(Field::Phrase, error))?;
    for check in draft.check.split(';').map(str::trim).filter(|check| !check.is_empty()) {
        let (_, check) =
            Check::parse(&format!("{}: {check}", piece.name), 0).map_err(|error| unfinished(Field::Check, error))?;
        piece.checks.push(check);
    }
    Ok(piece)
}

/// The piece bound to its column; none where nothing is typed.
pub fn carving(draft: &Draft, title: &str) -> Result<Option<Carving>, Unfinished> {
    if draft.phrase.trim().is_empty() {
        return Ok(None);
    }
    let mut piece = bound(draft)?;
    if !matches!(piece.source, Source::Take { .. }) {
        let message = "only what is taken from the column can be tried".to_owned();
        return Err(Unfinished { field: Field::Phrase, message, help: "write a phrase, such as `first 3`".to_owned() });
    }
    // It may have the name of the column.
    piece.replace |= piece.name == title;
    let files = RunFiles::default();
    let read =
        |file: &str, column: Option<&str>| -> Result<_, NoList> { lists::read(std::path::Path::new(file), column, &files) };
    let setting = Setting { unit: Unit::Characters, lists: &read };
    let wanted = Wanted { pieces: vec![piece], ..Wanted::default() };
    let header = Header::Names(vec![title.to_owned()]);
    Carving::new(&wanted, None, &setting, &header).map(Some).map_err(|unbound| unfinished(Field::Phrase, unbound.error))
}

#[cfg(test)]
mod tests {
    use super::*;

    fn model() -> Model {
        let rows = ["GRP-00041273-S7K2", "HNG-00760251-N9P4", "SHV-47476125", "", "n/a", "grp-00012345-A1B2"];
        Model::new("part_code", (1..).zip(rows.map(str::to_owned)))
    }

    fn type_in(model: &mut Model, text: &str) {
        text.chars().for_each(|c| model.press(Key::Char(c)));
    }

    #[test]
    fn what_is_typed_is_worked_out_at_every_key() {
        let mut model = model();
        type_in(&mut model, "section 3 by ");
        // What is not finished says so, and what may come.
        let unfinished = model.unfinished.clone().unwrap();
        assert_eq!(unfinished.field, Field::Phrase);
        assert!(!unfinished.message.is_empty() && !unfinished.help.is_empty());
        assert_eq!(model.offered().as_deref(), Some("section 3 by \"-\""));
        model.press(Key::Right);
        assert_eq!((model.unfinished.clone(), model.tally.filled, model.tally.missing, model.tally.blank), (None, 3, 2, 1));
        // Those that are worth a look come first.
        assert_eq!(model.order, [2, 4, 0, 1, 3, 5]);
        assert_eq!(model.given[0].text, "S7K2");
        assert_eq!(model.trace("GRP-00041273-S7K2").unwrap().taken.first(), Some(&(13..17)));
        for _ in 0..4 {
            model.press(Key::Backspace);
        }
        assert!(model.unfinished.is_some() && model.given[0].text == "S7K2", "what it gave stays to look at");
    }

    #[test]
    fn checks_views_and_shapes() {
        let mut model = model();
        type_in(&mut model, "first 3");
        model.press(Key::NextField);
        type_in(&mut model, "uppercase; length 3");
        assert_eq!((model.field, model.failing), (Field::Check, 2));
        model.press(Key::NextView);
        assert_eq!((model.view, model.order.clone()), (View::Odd, vec![4, 5]));
        model.press(Key::Down);
        model.press(Key::PageDown);
        assert_eq!(model.value(), "grp-00012345-A1B2");
        model.press(Key::NextView);
        assert_eq!(model.shapes[0], "U3-d8-U1d1U1d1");
        assert_eq!((model.view, model.order.clone()), (View::Shape(0), vec![0, 1]));
        for _ in 0..model.shapes.len() {
            model.press(Key::NextView);
        }
        assert_eq!(model.view, View::All);
        type_in(&mut model, "; lenght 2");
        assert_eq!(model.unfinished.as_ref().unwrap().field, Field::Check);
    }

    #[test]
    fn what_is_wanted_of_a_value_gives_phrases() {
        let mut model = model();
        model.press(Key::Down);
        model.press(Key::Want);
        type_in(&mut model, "760251");
        assert_eq!((model.field, model.value()), (Field::Want, "HNG-00760251-N9P4"));
        model.press(Key::NextField);
        let first = model.piece().phrase.clone();
        assert!(model.field == Field::Phrase && model.says.starts_with("phrase 1 of "), "{first}: {}", model.says);
        let given = |model: &Model| model.given[1].text.clone();
        assert_eq!(given(&model), "760251");
        model.press(Key::NextOffer);
        assert!(model.piece().phrase != first && given(&model) == "760251", "{}", model.piece().phrase);
        // Another value leaves fewer phrases, and something that no phrase gives leaves the phrase as it is.
        model.selected = model.order.iter().position(|row| *row == 0).unwrap();
        model.press(Key::Want);
        type_in(&mut model, "41273");
        model.press(Key::NextField);
        assert_eq!((given(&model), model.given[0].text.as_str()), ("760251".to_owned(), "41273"));
        let kept = model.piece().phrase.clone();
        model.press(Key::Want);
        type_in(&mut model, "nothing of it");
        model.press(Key::NextField);
        assert!(model.piece().phrase == kept && model.says.starts_with("no phrase"), "{}", model.says);
    }

    #[test]
    fn lines_are_edited_and_changes_taken_back() {
        let mut model = model();
        type_in(&mut model, "firsté 3");
        for key in [Key::Left, Key::Left, Key::Backspace, Key::Home, Key::Delete, Key::Char('f'), Key::End, Key::Right] {
            model.press(key);
        }
        assert_eq!((model.text(), model.cursor), ("first 3", 7));
        model.press(Key::New);
        assert_eq!((model.pieces.len(), model.piece().name.as_str(), model.tally.filled), (2, "piece_2", 0));
        type_in(&mut model, "last 2");
        model.press(Key::NextField);
        model.press(Key::NextField);
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
