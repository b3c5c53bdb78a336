//! Phrases for wanted results: typed ones, and characters that the mouse marks.

use keen_notch_core::draft::Example;
use keen_notch_core::gauge::Gauge;
use keen_notch_core::text::unit::Unit;

use super::model::{Field, Model};
use super::offers::{Offers, WantedResult, by_position};
use super::piece::Line;

impl Model {
    /// Searches a phrase for the typed result. Without one, the typed text stays in its line.
    pub(super) fn search_wanted(&mut self) {
        let (value, result) = (self.value().to_owned(), self.wanted.clone());
        if result.is_empty() {
            return self.go_to_line(Field::Piece(Line::Phrase));
        }
        if self.want(WantedResult { example: Example { value, result }, place: None }) {
            self.wanted.clear();
        }
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
        let before = self.snapshot();
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

    /// Searches phrases for all wanted results and accepts the best one. If there is none, drops the earlier wanted results; if there is
    /// still none, drops this one too and gives false.
    fn want(&mut self, wanted: WantedResult) -> bool {
        self.examples.retain(|before| before.example.value != wanted.example.value);
        self.examples.push(wanted.clone());
        let mut offers = Offers::phrases(&self.examples, &self.sample, self.unit);
        if offers.all.is_empty() && self.examples.len() > 1 && wanted.place.is_some() {
            self.examples = vec![wanted];
            offers = Offers::phrases(&self.examples, &self.sample, self.unit);
        }
        if offers.all.is_empty() && self.examples.last().is_some_and(|wanted| wanted.place.is_none()) {
            self.examples.pop();
            self.says = match self.examples.len() {
                0 => "no tried phrase gives this".to_owned(),
                _ => "no tried phrase gives this together with the earlier examples".to_owned(),
            };
            return false;
        }
        self.offers = offers;
        self.take_phrase(0);
        true
    }

    pub(super) fn take_phrase(&mut self, number: usize) {
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
}
