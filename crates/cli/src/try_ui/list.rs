//! Saves the pieces in a cut list, or prints them as a command.

use std::collections::BTreeMap;
use std::path::{Path, PathBuf};

use keen_notch_core::carving::Carving;
use keen_notch_core::column::Header;
use keen_notch_core::cutlist::CutList;
use keen_notch_core::piece::{Piece, Rules, Source, name_in_head};
use keen_notch_core::program::Setting;
use keen_notch_core::toml_text::{toml_key, toml_text};
use keen_notch_io::files::RunFiles;
use keen_notch_io::formats;
use keen_notch_io::sink;
use toml_edit::{Array, DocumentMut, Item, Table, TableLike, Value};

use super::piece::{Binding, Draft, Line, PieceKey, unchecked};
use crate::draw::rerun;
use crate::failure::Failure;
use crate::rules::{Pieces, today};

/// A cut list with its pieces of the column, and the others with the layouts.
pub struct OpenedList {
    pub file: ListFile,
    pub drafts: Vec<Draft>,
    pub others: Rules,
}

pub struct ListFile {
    path: PathBuf,
    names: BTreeMap<usize, String>,
}

impl ListFile {
    pub fn new(path: PathBuf) -> ListFile {
        ListFile { path, names: BTreeMap::new() }
    }

    /// Opens an existing list. Returns the pieces to try, and the others.
    ///
    /// # Errors
    /// It cannot be read.
    pub fn open(path: PathBuf, list: &Pieces, header: &Header, column: usize) -> Result<OpenedList, Failure> {
        let document: DocumentMut = read(&path)?.parse().unwrap_or_default();
        let entry = |piece: &Piece| document.get("piece")?.get(&piece.name)?.as_table_like();
        let is_taken_here = |piece: &&Piece| match &piece.source {
            Source::Take { of, .. } => of.as_ref().or(list.main()).is_some_and(|of| of.find(header) == Ok(column)),
            Source::Field { .. } | Source::Build { .. } | Source::Part { .. } => false,
        };
        let (here, others): (Vec<&Piece>, Vec<&Piece>) = list.wanted.pieces.iter().partition(is_taken_here);
        let drafts = (0..).zip(here).filter_map(|(id, piece)| Some(draft(id, &piece.name, entry(piece)?)));
        let drafts: Vec<Draft> = drafts.collect();
        let names = drafts.iter().map(|draft| (draft.id, draft.name.clone())).collect();
        let of_main = |mut piece: Piece| {
            if let Source::Take { of: of @ None, .. } = &mut piece.source {
                *of = list.main().cloned();
            }
            unchecked(piece)
        };
        let pieces = others.into_iter().cloned().map(of_main).collect();
        let others = Rules { pieces, layouts: list.wanted.layouts.clone(), ..Rules::default() };
        Ok(OpenedList { file: ListFile { path, names }, drafts, others })
    }

    pub fn path(&self) -> &Path {
        &self.path
    }

    /// Writes the pieces to the list atomically.
    ///
    /// # Errors
    /// It cannot be read or written, or its other parts would become invalid; the reason as a sentence.
    pub fn write(&mut self, pieces: &[Draft], reading: &[(String, String)], binding: &Binding) -> Result<(), String> {
        let list = self.text(pieces, reading, binding)?;
        let write = || {
            let mut out = formats::create(&self.path, &RunFiles::default())?;
            out.put(list.as_bytes())?;
            sink::commit_all(vec![out])
        };
        write().map_err(|error| error.to_string())?;
        let written = pieces.iter().filter(|piece| piece.has_phrase());
        self.names = written.map(|piece| (piece.id, piece.name.clone())).collect();
        Ok(())
    }

    /// The list with the pieces, as it would be written.
    ///
    /// # Errors
    /// It cannot be read, or its other parts would become invalid; the reason as a sentence.
    pub fn text(&self, pieces: &[Draft], reading: &[(String, String)], binding: &Binding) -> Result<String, String> {
        // A piece stays in the list while its phrase is being retyped.
        if let Some(piece) = pieces.iter().find(|piece| self.names.contains_key(&piece.id) && !piece.has_phrase()) {
            return Err(format!("{} has no phrase (^D removes it)", piece.name));
        }
        let pieces: Vec<&Draft> = pieces.iter().filter(|piece| piece.has_phrase()).collect();
        let old = if self.path.exists() { read(&self.path).map_err(|error| error.to_string())? } else { String::new() };
        let of_list = |why: String| format!("{}: {why}", self.path.display());
        let list = with_pieces(&old, &pieces, &self.names, reading, binding).map_err(of_list)?;
        // Other parts of the list may depend on a removed or renamed piece.
        if let (Err(why), true) = (runs(&list, binding), old.trim().is_empty() || runs(&old, binding).is_ok()) {
            return Err(of_list(why));
        }
        Ok(list)
    }
}

fn read(path: &Path) -> Result<String, keen_notch_io::Error> {
    let name = || path.display().to_string();
    std::fs::read_to_string(path).map_err(|source| keen_notch_io::Error::Read { name: name(), source })
}

fn runs(list: &str, binding: &Binding) -> Result<(), String> {
    let list = CutList::parse(list, 0).map_err(|error| error.message)?;
    let main = list.column.map(|main| main.column);
    let setting = Setting { unit: list.unit, files: binding.files, today: &|| Some(today()) };
    Carving::new(&list.wanted, main.as_ref(), &setting, binding.header).map(drop).map_err(|unbound| unbound.error.message)
}

fn draft(id: usize, name: &str, entry: &dyn TableLike) -> Draft {
    let text = |key: &str| entry.get(key).and_then(Item::as_str).unwrap_or_default().to_owned();
    let check = match entry.get("check").and_then(Item::as_array) {
        Some(checks) => checks.iter().filter_map(Value::as_str).collect::<Vec<_>>().join("; "),
        None => text("check"),
    };
    let others = entry.iter().filter(|(key, _)| is_other(key));
    let others =
        others.filter_map(|(key, item)| Some(format!("{} = {}", toml_key(key), item.as_value()?.clone().decorated("", ""))));
    let more = others.collect::<Vec<_>>().join(", ");
    Draft { id, name: name.to_owned(), phrase: text("take"), check, when: text("when"), more }
}

fn is_other(key: &str) -> bool {
    !["take", "check", "when", "of"].contains(&key)
}

/// The list with the pieces. `names` are their current names in it; `reading` has the input settings for a new list. Only changed parts
/// are rewritten, so comments stay.
fn with_pieces(
    list: &str,
    drafts: &[&Draft],
    names: &BTreeMap<usize, String>,
    reading: &[(String, String)],
    binding: &Binding,
) -> Result<String, String> {
    let mut document: DocumentMut = list.parse().map_err(|error: toml_edit::TomlError| error.message().to_owned())?;
    let column = rerun::column_of_piece(binding.header, binding.column);
    if document.is_empty() {
        document["column"] = Item::Value(value(&toml_text(&column))?);
        for (key, written) in reading {
            let reading = document.entry("reading").or_insert_with(|| Item::Table(Table::new()));
            reading[key.as_str()] = Item::Value(value(written)?);
        }
    }
    let is_main = document.get("column").and_then(Item::as_str).is_some_and(|main| main == column);
    let pieces = document.entry("piece").or_insert_with(|| {
        let mut pieces = Table::new();
        pieces.set_implicit(true);
        Item::Table(pieces)
    });
    let Some(pieces) = pieces.as_table_like_mut() else { return Err("`piece` is not a table in it".to_owned()) };
    let gone = names.iter().filter(|(id, _)| drafts.iter().all(|draft| draft.id != **id));
    gone.for_each(|(_, name)| drop(pieces.remove(name)));
    // Names change one by one, so intermediate names must be unique.
    let mut renamed = Vec::new();
    for draft in drafts {
        if let Some(old) = names.get(&draft.id).filter(|old| **old != draft.name)
            && let Some(item) = pieces.remove(old)
        {
            renamed.push((draft.name.as_str(), item));
        }
    }
    for (name, item) in renamed {
        pieces.insert(name, item);
    }
    for draft in drafts {
        let is_there = pieces.contains_key(&draft.name);
        let piece = pieces.entry(&draft.name).or_insert(Item::Table(Table::new()));
        let Some(piece) = piece.as_table_like_mut() else {
            return Err(format!("the piece {} is not a table in it", draft.name));
        };
        if !is_there && !is_main {
            piece.insert("of", Item::Value(value(&toml_text(&column))?));
        }
        set(piece, draft)?;
    }
    in_order(pieces, drafts);
    Ok(document.to_string())
}

fn value(written: &str) -> Result<Value, String> {
    written.parse().map_err(|error: toml_edit::TomlError| error.message().to_owned())
}

/// Sets the keys of a piece. Equivalent values stay as written.
fn set(piece: &mut dyn TableLike, draft: &Draft) -> Result<(), String> {
    let before = self::draft(draft.id, &draft.name, piece);
    let keys = draft.keys().map_err(|unfinished| unfinished.message)?;
    for line in [Line::Phrase, Line::Check, Line::When, Line::More] {
        if before.line(line) == draft.line(line).trim() && (line != Line::Phrase || piece.contains_key("take")) {
            continue;
        }
        let written: Vec<_> = keys.iter().filter(|key| key.line == line).collect();
        let of_line = |key: &str| match line {
            Line::Phrase => key == "take",
            Line::Check => key == "check",
            Line::When => key == "when",
            Line::More | Line::Name => is_other(key),
        };
        // The tables below a piece have the checks of its columns, and no line shows them.
        let values = piece.iter().filter(|(_, item)| item.is_value()).map(|(key, _)| key.to_owned());
        let gone: Vec<String> = values.filter(|key| of_line(key)).collect();
        for key in gone.iter().filter(|key| written.iter().all(|written| written.key != **key)) {
            piece.remove(key);
        }
        for PieceKey { key, value: written, .. } in written {
            let mut new = value(written)?;
            match piece.get_mut(key).and_then(Item::as_value_mut) {
                Some(old) => {
                    if let (Some(old), Some(new)) = (old.as_array(), new.as_array_mut()) {
                        like(new, old);
                    }
                    *new.decor_mut() = old.decor().clone();
                    *old = new;
                }
                None => drop(piece.insert(key, Item::Value(new))),
            }
        }
    }
    Ok(())
}

/// Keeps unchanged texts of an array as written, with their comments.
fn like(new: &mut Array, old: &Array) {
    for (index, value) in new.iter_mut().enumerate() {
        if let Some(same) = old.iter().find(|same| same.as_str() == value.as_str()) {
            *value = same.clone();
        } else if let Some(there) = old.get(index) {
            *value.decor_mut() = there.decor().clone();
        }
    }
    new.set_trailing(old.trailing().clone());
    new.set_trailing_comma(old.trailing_comma());
}

fn in_order(pieces: &mut dyn TableLike, drafts: &[&Draft]) {
    let is_tried = |key: &str| drafts.iter().any(|draft| draft.name == key);
    let keys: Vec<String> = pieces.iter().map(|(key, _)| key.to_owned()).collect();
    let before: Vec<&String> = keys.iter().filter(|key| is_tried(key)).collect();
    if before.iter().zip(drafts).all(|(key, draft)| **key == draft.name) {
        return;
    }
    let position = |item: &Item| item.as_table().and_then(Table::position);
    let mut places: Vec<Option<isize>> = pieces.iter().map(|(_, item)| position(item)).collect();
    // New pieces, which have no position in the text yet, come last.
    places.sort_by_key(|place| place.unwrap_or(isize::MAX));
    let mut tried = drafts.iter().map(|draft| draft.name.clone());
    let order: Vec<String> =
        keys.iter().map(|key| if is_tried(key) { tried.next().unwrap_or_default() } else { key.clone() }).collect();
    let mut items: BTreeMap<String, Item> = keys.iter().filter_map(|key| Some((key.clone(), pieces.remove(key)?))).collect();
    for (key, place) in order.iter().zip(places) {
        if let Some(mut item) = items.remove(key) {
            if let Some(table) = item.as_table_mut() {
                table.set_position(place);
            }
            pieces.insert(key, item);
        }
    }
}

/// The carve command for the pieces; `None` if there are none or a command cannot express them. `inputs` are the words for the inputs and
/// their settings, and `column` is the column.
pub fn command(inputs: &[String], column: &str, pieces: &[&Draft]) -> Option<String> {
    if pieces.is_empty() || pieces.iter().any(|piece| !piece.more.trim().is_empty()) {
        return None;
    }
    let words = |piece: &&Draft| {
        let name = name_in_head(&piece.name);
        let when = match piece.when.trim() {
            "" => String::new(),
            when => format!(" when {when}"),
        };
        let checks = piece.checks().into_iter().map(|check| ["--check".to_owned(), format!("{name}: {check}")]);
        let checks: Vec<String> = checks.flatten().collect();
        [vec!["-p".to_owned(), format!("{name}{when}: {}", piece.phrase.trim())], checks].concat()
    };
    let head = [vec!["carve".to_owned()], inputs.to_vec(), vec!["-c".to_owned(), column.to_owned()]].concat();
    Some(rerun::command(&head.into_iter().chain(pieces.iter().flat_map(words)).collect::<Vec<_>>()))
}

#[cfg(test)]
mod tests {
    use keen_notch_core::text::unit::Unit;

    use super::*;

    fn piece(id: usize, name: &str, phrase: &str, check: &str) -> Draft {
        Draft { id, name: name.to_owned(), phrase: phrase.to_owned(), check: check.to_owned(), ..Draft::default() }
    }

    fn with(list: &str, drafts: &[Draft], names: &[(usize, &str)]) -> Result<String, String> {
        let header = Header::Names(vec!["depot".to_owned(), "part_code".to_owned()]);
        let reading = [("delimiter".to_owned(), "';'".to_owned())];
        let binding = Binding { header: &header, column: 1, unit: Unit::Characters, files: &() };
        let names = names.iter().map(|(id, name)| (*id, (*name).to_owned())).collect();
        with_pieces(list, &drafts.iter().collect::<Vec<_>>(), &names, &reading, &binding)
    }

    const OLD: &str = "# Ours.\ncolumn = 'part_code' # the codes\n\n# Three letters.\n[piece.family] # of it\ntake = \"first 3\" # always\n\
                       check = [\n  'letters', # not digits\n  'length 3',\n]\noptional = true\n\n[piece.other]\nof = 'depot'\ntake = 'whole'\n\n\
                       [piece.grade]\ntake = 'last 4'\n\n[proof]\npart_code = '{family}-{grade}'\n";

    #[test]
    fn a_new_list_has_all_typed_lines() {
        let more = Draft {
            when: "starts with \"G\"".to_owned(),
            more: "columns = 2, as = \"number\"".to_owned(),
            ..piece(1, "serial no", "numbers", "")
        };
        let new = with("", &[piece(0, "family", "first 3", "uppercase; one of \"A;B\""), more], &[]).unwrap();
        assert_eq!(
            new,
            "column = 'part_code'\n\n[reading]\ndelimiter = ';'\n\n[piece.family]\ntake = 'first 3'\ncheck = ['uppercase', 'one of \"A;B\"']\n\n\
             [piece.\"serial no\"]\ntake = 'numbers'\nwhen = 'starts with \"G\"'\ncolumns = 2\nas = \"number\"\n"
        );
        let read = CutList::parse(&new, 0).unwrap();
        assert_eq!((read.wanted.pieces.len(), read.wanted.pieces[0].checks.len()), (2, 2), "{new}");
    }

    #[test]
    fn an_existing_list_keeps_unchanged_parts() {
        let names = [(0, "family"), (1, "grade")];
        let [family, grade] = [("letters; length 3", "optional = true"), ("", "")]
            .map(|(check, more)| Draft { more: more.to_owned(), ..piece(0, "family", "first 3", check) });
        let grade = Draft { id: 1, name: "grade".to_owned(), phrase: "last 4".to_owned(), ..grade };
        assert_eq!(with(OLD, &[family.clone(), grade.clone()], &names).unwrap(), OLD);
        // A further check and another phrase.
        let changed = Draft { phrase: "first 2".to_owned(), check: "letters; length 2".to_owned(), ..family.clone() };
        let written = with(OLD, &[changed, grade.clone()], &names).unwrap();
        assert_eq!(written, OLD.replace("\"first 3\"", "'first 2'").replace("'length 3'", "'length 2'"));
        // Another name, no longer optional; one piece removed and one added.
        let renamed = Draft { name: "kind".to_owned(), more: String::new(), ..family.clone() };
        let written = with(OLD, &[renamed, piece(2, "serial", "section 2 by \"-\"", "")], &names).unwrap();
        assert!(written.contains("# Three letters.\n[piece.kind]") && !written.contains("family]"), "{written}");
        assert!(!written.contains("optional") && !written.contains("grade]") && written.contains("'letters', # not digits"));
        assert!(written.find("[piece.serial]") < written.find("[proof]"), "{written}");
        // The reverse order; other pieces keep their places.
        let written = with(OLD, &[grade, family], &names).unwrap();
        let heads: Vec<&str> = written.lines().filter(|line| line.starts_with('[')).collect();
        assert_eq!(heads, ["[piece.grade]", "[piece.other]", "[piece.family] # of it", "[proof]"], "{written}");
        let pieces = CutList::parse(&written, 0).unwrap().wanted.pieces;
        assert_eq!(pieces.iter().map(|piece| &*piece.name).collect::<Vec<_>>(), ["grade", "other", "family"]);
    }

    #[test]
    fn swapped_names_are_not_mixed_up() {
        let names = [(0, "family"), (1, "grade")];
        let swapped = [piece(0, "grade", "first 3", ""), piece(1, "family", "last 4", "")];
        let written = with(OLD, &swapped, &names).unwrap();
        let list = CutList::parse(&written, 0).unwrap();
        let taken: Vec<String> = list
            .wanted
            .pieces
            .iter()
            .map(|piece| {
                format!(
                    "{}: {}",
                    piece.name,
                    match &piece.source {
                        Source::Take { phrase, .. } => phrase.source.as_str(),
                        _ => "",
                    }
                )
            })
            .collect();
        assert_eq!(taken, ["grade: first 3", "other: whole", "family: last 4"], "{written}");
        // For a column other than the list's, the column is named.
        let written = with("column = 'depot'\n", &swapped[..1], &[]).unwrap();
        assert!(written.contains("[piece.grade]\nof = 'part_code'\ntake = 'first 3'"), "{written}");
        assert!(with("column = ", &swapped, &[]).is_err() && with("piece = 3", &swapped, &[]).is_err());
    }

    #[test]
    fn the_command_can_be_pasted() {
        let family =
            Draft { when: "depot: starts with \"S\"".to_owned(), ..piece(0, "the family", "first 3", "uppercase; length 3") };
        let serial = piece(1, "serial", "section 2 by \"-\"", "");
        let said = command(&["parts.csv".to_owned()], "part_code", &[&family, &serial]).unwrap();
        assert_eq!(
            said,
            "keen-notch carve parts.csv -c part_code -p 'the family when depot: starts with \"S\": first 3' \
             --check 'the family: uppercase' --check 'the family: length 3' -p 'serial: section 2 by \"-\"'"
        );
        let more = Draft { more: "columns = 2".to_owned(), ..serial };
        assert_eq!((command(&[], "a", &[&more]), command(&[], "a", &[])), (None, None));
    }
}
