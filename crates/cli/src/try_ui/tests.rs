//! Tests of the state: keys go in, and the state comes out.

use std::rc::Rc;

use keen_notch_core::column::Header;
use keen_notch_core::piece::{Piece, Rules};
use keen_notch_core::text::unit::Unit;

use super::model::*;
use super::piece::{Draft, Line};
use super::rows::Rows;
use super::sample::Sample;

const ROWS: [&str; 6] = ["GRP-00041273-S7K2", "HNG-00760251-N9P4", "SHV-47476125", "", "n/a", "grp-00012345-A1B2"];

fn model_of(values: &[&str], pieces: Vec<Draft>) -> Model {
    let mut rows = Rows::new(Header::Names(vec!["part_code".to_owned()]));
    (1..).zip(values).for_each(|(number, value)| rows.push(number, std::iter::once(*value)));
    let sample = Sample::new(Rc::new(rows), 0, Vec::new());
    let mut others = Rules::default();
    others.add_piece(Piece::parse("piece_2: last 1", 0).unwrap());
    Model::new(sample, (Unit::Characters, Rc::new(())), pieces, others)
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
fn results_follow_every_key() {
    let mut model = model();
    type_in(&mut model, "section 3 by ");
    // An unfinished phrase has a message and completions.
    let unfinished = model.unfinished.clone().unwrap();
    assert_eq!(unfinished.line, Line::Phrase);
    assert!(!unfinished.message.is_empty() && !unfinished.help.is_empty());
    assert_eq!(model.offers.chosen(), Some("\"-\""));
    model.press(Key::Right);
    assert_eq!((model.unfinished.clone(), model.tally.filled, model.tally.missing, model.tally.blank), (None, 3, 2, 1));
    // Rows that need attention come first.
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
    // A whole phrase with a few letters.
    for keys in ["sec", "3", "", "", "up"] {
        type_in(&mut model, keys);
        model.press(Key::Right);
    }
    assert_eq!((model.text(), given(&model, 0)), ("section 3 by \"-\" then upper ", "S7K2"));
    // The second delimiter, which is in fewer values.
    model.press(Key::New);
    type_in(&mut model, "after ");
    model.press(Key::NextOffer);
    assert_eq!(model.offers.chosen(), Some("\"/\""));
    model.press(Key::Right);
    assert_eq!(given(&model, 4), "a");
    // Inside a line, no offer is accepted; a wrong word is corrected.
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
    model.press(Key::NextLine);
    // Another column is offered by its name.
    type_in(&mut model, "part");
    model.press(Key::Right);
    type_in(&mut model, "sta");
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
    // Checks on earlier rows count too.
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
fn wanted_results_give_phrases() {
    let mut model = model();
    press(&mut model, &[Key::Down, Key::Want]);
    type_in(&mut model, "760251");
    assert_eq!((model.field, model.value()), (Field::Want, "HNG-00760251-N9P4"));
    model.press(Key::NextLine);
    let first = model.piece().phrase.clone();
    assert!(model.says.starts_with("phrase 1 of ") && given(&model, 1) == "760251", "{first}: {}", model.says);
    model.press(Key::NextOffer);
    assert!(model.piece().phrase != first && given(&model, 1) == "760251", "{}", model.piece().phrase);
    // Another value leaves fewer phrases; an impossible result leaves the phrase unchanged.
    model.select(model.order.iter().position(|row| *row == 0).unwrap());
    model.press(Key::Want);
    type_in(&mut model, "41273");
    model.press(Key::NextLine);
    assert_eq!((given(&model, 1), given(&model, 0)), ("760251", "41273"));
    let kept = model.piece().phrase.clone();
    model.press(Key::Want);
    type_in(&mut model, "nothing of it");
    model.press(Key::NextLine);
    assert!(model.piece().phrase == kept && model.says.starts_with("no tried phrase"), "{}", model.says);
    // The wanted result is cancelled.
    press(&mut model, &[Key::Want, Key::Back]);
    assert_eq!((model.field, model.piece().phrase.as_str()), (Field::Piece(Line::Phrase), kept.as_str()));
}

#[test]
fn marked_characters_give_phrases() {
    let mut model = model_of(&["12-AB-12", "34-CD-34", "5-EF-56"], Vec::new());
    let mark = |model: &mut Model, from, to| {
        model.begin_to_mark(from);
        model.mark_to(to);
        model.let_go();
    };
    // From right to left too; and not the first 12, although the text is the same.
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
    // A click on one character only selects it, and positions beyond the value are not marked.
    let before = model.pieces.clone();
    mark(&mut model, 0, 0);
    mark(&mut model, 3, 40);
    assert_eq!(model.pieces, before);
    // Another mark starts over; and it can be undone.
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
    // piece_2 is the name of a piece that is not tried.
    model.press(Key::New);
    assert_eq!((model.pieces.len(), model.piece().name.as_str(), model.tally.filled), (2, "piece_3", 0));
    type_in(&mut model, "last 2");
    model.press(Key::LineBefore);
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
    model.press(Key::Redo);
    assert_eq!(model.pieces.len(), 1);
    (0..100).for_each(|_| model.press(Key::Undo));
    assert_eq!((model.pieces.len(), model.piece().phrase.as_str(), model.says.as_str()), (1, "", "nothing to undo"));
    model.press(Key::Remove);
    assert_eq!(model.piece().name, "piece_1");
}

#[test]
fn lines_go_down_and_up_and_rows_are_filtered() {
    let mut model = model();
    type_in(&mut model, "first 3");
    let down = [Line::Check, Line::When, Line::More].map(Field::Piece);
    for field in down {
        model.press(Key::NextLine);
        assert_eq!(model.field, field);
    }
    model.press(Key::NextLine);
    assert_eq!(model.field, Field::Rows);
    // In the rows, letters have no effect.
    type_in(&mut model, "xyz");
    assert_eq!(model.piece().phrase, "first 3");
    model.press(Key::NextLine);
    assert_eq!(model.field, Field::Piece(Line::Name));
    press(&mut model, &[Key::LineBefore, Key::LineBefore, Key::LineBefore]);
    assert_eq!(model.field, Field::Piece(Line::When));
    // Rows with a text in their value or result; Enter keeps the filter.
    model.press(Key::Filter);
    type_in(&mut model, "GRP");
    assert_eq!(model.order, [0, 5], "{:?}", model.filter);
    press(&mut model, &[Key::NextLine, Key::Down]);
    assert_eq!((model.field, model.value(), model.is_filtered), (Field::Piece(Line::When), "grp-00012345-A1B2", true));
    // Back removes it, and its text stays.
    press(&mut model, &[Key::Filter, Key::Back]);
    assert_eq!((model.order.len(), model.filter.as_str(), model.field), (6, "GRP", Field::Piece(Line::When)));
    press(&mut model, &[Key::Filter, Key::Char('x')]);
    assert_eq!((model.order.len(), model.value()), (0, ""));
}

#[test]
fn formats_of_dates_come_with_a_date_of_the_column() {
    let mut model = model_of(&["GRP 03.11.2025 ok", "HNG 14.02.2024 ok", "SHV 30.06.2023 no"], Vec::new());
    // Of what the steps before it give.
    type_in(&mut model, "section 2 by \" \" then date ");
    assert_eq!(model.offers.chosen(), Some("\"%d.%m.%Y\""));
    assert_eq!(model.offers.example("\"%d.%m.%Y\""), Some("30.06.2023"));
    press(&mut model, &[Key::Home, Key::End]);
    (0.."then date ".len()).for_each(|_| model.press(Key::Backspace));
    // For a check, of the results.
    model.press(Key::NextLine);
    type_in(&mut model, "date ");
    assert_eq!(model.offers.example("\"%d.%m.%Y\""), Some("30.06.2023"), "{:?}", model.offers);
    model.press(Key::Right);
    assert_eq!((model.tally.filled, model.tally.faulted), (3, 0));
}

#[test]
fn a_check_can_name_another_piece() {
    let mut model = model_of(&["A-A", "A-B"], Vec::new());
    type_in(&mut model, "first 1");
    press(&mut model, &[Key::NextLine]);
    // Of the list, and tried beside it.
    type_in(&mut model, "same as piece_2");
    assert_eq!((model.unfinished.clone(), model.tally.faulted, model.order.clone()), (None, 1, vec![1, 0]));
    model.press(Key::New);
    type_in(&mut model, "last 1");
    model.press(Key::NextLine);
    type_in(&mut model, "same as piece_1");
    assert_eq!((model.unfinished.clone(), model.tally.faulted), (None, 1));
    type_in(&mut model, "2");
    assert!(model.unfinished.as_ref().is_some_and(|why| why.line == Line::Check && why.message.contains("piece_12")));
}
