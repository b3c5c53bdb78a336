//! The pieces of a run, from a cut list and from the command line, bound to a table.

use std::fs;
use std::io;
use std::path::{Path, PathBuf};

use keen_notch_core::carving::Carving;
use keen_notch_core::column::{ColumnRef, Header};
use keen_notch_core::cutlist::{CutList, Main};
use keen_notch_core::layout::Layout;
use keen_notch_core::piece::{Piece, Wanted};
use keen_notch_core::program::Setting;
use keen_notch_core::text::unit::Unit;
use keen_notch_core::text_error::TextError;

use crate::failure::{Failure, Text};

/// Pieces that have been read, and the texts they were written in.
pub struct Pieces {
    /// What is wanted: that of the cut list first.
    pub wanted: Wanted,
    /// What the cut list says it is for.
    pub title: Option<String>,
    /// What positions and widths count.
    pub unit: Unit,
    /// The column that pieces come from unless they say otherwise, as the cut list names it.
    main: Option<Main>,
    /// The folder of the cut list, from which the files it names are found.
    folder: PathBuf,
    /// The cut list's text, then those of the command line.
    texts: Vec<Text>,
}

impl Pieces {
    /// Reads a cut list, if there is one, and the layouts and pieces of the command line.
    pub fn read(list: Option<&Path>, layouts: &[String], arguments: &[String]) -> Result<Pieces, Failure> {
        let mut pieces = Pieces {
            wanted: Wanted::default(),
            title: None,
            unit: Unit::default(),
            main: None,
            folder: PathBuf::new(),
            texts: Vec::new(),
        };
        if let Some(path) = list {
            let text = Text { name: Some(path.display().to_string()), text: read_list(path)? };
            let list = CutList::parse(&text.text, 0).map_err(|error| Failure::text_error(&text, error))?;
            pieces.folder = path.parent().map(Path::to_owned).unwrap_or_default();
            (pieces.wanted, pieces.title, pieces.unit, pieces.main) = (list.wanted, list.title, list.unit, list.column);
            pieces.texts.push(text);
        }
        for argument in layouts {
            let layout = pieces.argument(argument, Layout::parse)?;
            pieces.wanted.add_layout(layout, true);
        }
        for argument in arguments {
            let piece = pieces.argument(argument, Piece::parse)?;
            pieces.wanted.pieces.push(piece);
        }
        Ok(pieces)
    }

    /// Reads an argument, and keeps its text.
    fn argument<T>(&mut self, argument: &str, read: fn(&str, usize) -> Result<T, TextError>) -> Result<T, Failure> {
        let text = Text { name: None, text: argument.to_owned() };
        let found = read(argument, self.texts.len()).map_err(|error| Failure::text_error(&text, error))?;
        self.texts.push(text);
        Ok(found)
    }

    /// The column that pieces come from unless they say otherwise: `argument`, or as the cut list names it.
    pub fn main<'a>(&'a self, argument: Option<&'a ColumnRef>) -> Option<&'a ColumnRef> {
        argument.or(self.main.as_ref().map(|main| &main.column))
    }

    /// Binds the pieces to the columns of a table. `argument` is the column of the command line, which goes
    /// before the cut list's.
    pub fn bind(&self, argument: Option<&ColumnRef>, header: &Header) -> Result<Carving, Failure> {
        match (argument, &self.main) {
            (Some(argument), _) => argument.find(header).map(drop)?,
            (None, Some(main)) => main
                .column
                .find(header)
                .map(drop)
                .map_err(|error| Failure::text_error(&self.texts[0], TextError::of_column(error, main.span.clone())))?,
            (None, None) => {}
        }
        let lists = |file: &str, column: Option<&str>| keen_notch_io::lists::read(&self.folder.join(file), column);
        let setting = Setting { unit: self.unit, lists: &lists };
        Carving::new(&self.wanted, self.main(argument), &setting, header)
            .map_err(|unbound| Failure::text_error(&self.texts[unbound.origin], unbound.error))
    }
}

fn read_list(path: &Path) -> Result<String, Failure> {
    fs::read_to_string(path).map_err(|source| {
        let name = path.display().to_string();
        match source.kind() {
            io::ErrorKind::InvalidData => Failure::usage(format!("{name} is not UTF-8"), "save the cut list as UTF-8"),
            _ => keen_notch_io::Error::Read { name, source }.into(),
        }
    })
}
