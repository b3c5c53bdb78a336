//! Keeping what was tried: in a cut list, or as a command.

use std::path::Path;

use keen_notch_io::files::RunFiles;
use keen_notch_io::sink;
use toml_edit::{Array, DocumentMut, Item, Table, value};

use super::model::{Draft, Model, bound};
use crate::draw::shell::quoted;
use crate::failure::Failure;

/// The pieces that say what they take.
fn finished(model: &Model) -> impl Iterator<Item = &Draft> {
    model.pieces.iter().filter(|piece| !piece.phrase.trim().is_empty())
}

/// The first piece that cannot be written down, with why.
fn wrong(model: &Model) -> Option<String> {
    finished(model).find_map(|piece| bound(piece).err().map(|unfinished| format!("{}: {}", piece.name, unfinished.message)))
}

/// The list with the pieces: those that it has get another phrase and checks, and all else in it stays as it is, comments too.
fn with_pieces(list: &str, model: &Model) -> Result<String, String> {
    let mut document: DocumentMut = list.parse().map_err(|error: toml_edit::TomlError| error.message().to_owned())?;
    let is_new = document.is_empty();
    if is_new {
        document["column"] = value(&model.title);
    }
    let is_main = document.get("column").and_then(Item::as_str) == Some(&model.title);
    let pieces = document.entry("piece").or_insert_with(|| {
        let mut pieces = Table::new();
        pieces.set_implicit(true);
        Item::Table(pieces)
    });
    let Some(pieces) = pieces.as_table_mut() else { return Err("`piece` is not a table in it".to_owned()) };
    for draft in finished(model) {
        let piece = pieces.entry(&draft.name).or_insert_with(|| Item::Table(Table::new()));
        let Some(piece) = piece.as_table_like_mut() else {
            return Err(format!("the piece {} is not a table in it", draft.name));
        };
        if !is_main {
            piece.insert("of", value(&model.title));
        }
        piece.insert("take", value(draft.phrase.trim()));
        let checks: Array = draft.check.split(';').map(str::trim).filter(|check| !check.is_empty()).collect();
        match checks.is_empty() {
            true => drop(piece.remove("check")),
            false => drop(piece.insert("check", value(checks))),
        }
    }
    Ok(document.to_string())
}

/// Writes the pieces into a cut list, which appears whole or stays as it was. What came of it, in a sentence.
pub fn write(path: &Path, model: &Model) -> Result<String, Failure> {
    let name = path.display();
    if finished(model).next().is_none() {
        return Ok("nothing is written: no piece has a phrase".to_owned());
    }
    if let Some(wrong) = wrong(model) {
        return Ok(format!("nothing is written: {wrong}"));
    }
    let list = match std::fs::read_to_string(path) {
        Ok(list) => list,
        Err(error) if error.kind() == std::io::ErrorKind::NotFound => String::new(),
        Err(source) => return Err(keen_notch_io::Error::Read { name: name.to_string(), source }.into()),
    };
    match with_pieces(&list, model) {
        Err(why) => Ok(format!("nothing is written: {name}: {why}")),
        Ok(list) => {
            let mut out = sink::open(path, &RunFiles::default())?;
            out.put(list.as_bytes())?;
            sink::commit_all(vec![out])?;
            Ok(format!("written to {name}"))
        }
    }
}

/// The command that carves what was tried; none where nothing was finished. `inputs` are the words that name the inputs and how they are
/// read.
pub fn command(inputs: &[String], model: &Model) -> Option<String> {
    let words = |piece: &Draft| {
        let checks = piece.check.split(';').map(str::trim).filter(|check| !check.is_empty());
        let checks = checks.map(|check| ["--check".to_owned(), format!("{}: {check}", piece.name)]);
        let piece = ["-p".to_owned(), format!("{}: {}", piece.name, piece.phrase.trim())];
        std::iter::once(piece).chain(checks).flatten().collect::<Vec<_>>()
    };
    if finished(model).next().is_none() || wrong(model).is_some() {
        return None;
    }
    let head = ["keen-notch", "carve"].map(str::to_owned);
    let column = ["-c".to_owned(), model.title.clone()];
    let all = head.into_iter().chain(inputs.iter().cloned()).chain(column).chain(finished(model).flat_map(words));
    Some(all.map(|word| quoted(&word)).collect::<Vec<_>>().join(" "))
}

#[cfg(test)]
mod tests {
    use super::super::model::Key;
    use super::*;

    fn model(phrases: &[(&str, &str, &str)]) -> Model {
        let mut model = Model::new("part_code", [(1, "GRP-00041273-S7K2".to_owned())]);
        model.pieces = phrases
            .iter()
            .map(|(name, phrase, check)| Draft {
                name: (*name).to_owned(),
                phrase: (*phrase).to_owned(),
                check: (*check).to_owned(),
            })
            .collect();
        model.press(Key::End);
        model
    }

    #[test]
    fn pieces_go_into_a_new_list_or_an_old_one_whose_comments_stay() {
        let model =
            model(&[("family", "first 3", "uppercase; length 3"), ("serial", "section 2 by \"-\"", ""), ("empty", " ", "")]);
        let new = with_pieces("", &model).unwrap();
        let read = keen_notch_core::cutlist::CutList::parse(&new, 0).unwrap();
        assert_eq!((read.wanted.pieces.len(), read.wanted.pieces[0].checks.len()), (2, 2), "{new}");
        let old = "# Ours.\ncolumn = 'depot' # not the codes\n\n[piece.family] # three letters\nof = 'part_code'\ntake = 'first 2'\ncheck = ['letters']\n\n[piece.other]\ntake = 'whole'\n";
        let both = with_pieces(old, &model).unwrap();
        assert!(
            both.contains("# Ours.") && both.contains("# not the codes") && both.contains("[piece.family] # three letters"),
            "{both}"
        );
        assert!(
            both.contains("take = \"first 3\"") && !both.contains("first 2") && both.contains("of = \"part_code\""),
            "{both}"
        );
        assert_eq!(keen_notch_core::cutlist::CutList::parse(&both, 0).unwrap().wanted.pieces.len(), 3);
        assert!(with_pieces("column = ", &model).is_err() && with_pieces("piece = 3", &model).is_err());
    }

    #[test]
    fn the_command_can_be_pasted() {
        let some = model(&[("family", "first 3", "uppercase"), ("serial", "section 2 by \"-\"", "")]);
        let command = command(&["parts.csv".to_owned()], &some).unwrap();
        assert_eq!(
            command,
            "keen-notch carve parts.csv -c part_code -p 'family: first 3' --check 'family: uppercase' -p 'serial: section 2 by \"-\"'"
        );
        assert_eq!(super::command(&[], &model(&[("family", "frist 3", "")])), None);
        assert_eq!(super::command(&[], &model(&[("family", "", "")])), None);
    }
}
