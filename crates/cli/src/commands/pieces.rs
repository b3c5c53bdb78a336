//! The pieces of a run, from a cut list and from the command line, bound to a table.

use std::fs;
use std::io;
use std::path::Path;

use keen_notch_core::carving::Carving;
use keen_notch_core::column::{ColumnRef, Header};
use keen_notch_core::cutlist::{CutList, Main};
use keen_notch_core::piece::Piece;
use keen_notch_core::text::unit::Unit;

use crate::failure::{Failure, Text};

/// Pieces that have been read, and the texts they were written in.
pub struct Pieces {
    /// The pieces, those of the cut list first.
    pub pieces: Vec<Piece>,
    /// What the cut list says it is for.
    pub title: Option<String>,
    /// What positions and widths count.
    pub unit: Unit,
    /// The column that pieces come from unless they say otherwise, as the cut list names it.
    main: Option<Main>,
    /// The cut list's text, then those of the command line.
    texts: Vec<Text>,
}

impl Pieces {
    /// Reads a cut list, if there is one, and the pieces of the command line.
    pub fn read(list: Option<&Path>, arguments: &[String]) -> Result<Pieces, Failure> {
        let mut pieces = Pieces { pieces: Vec::new(), title: None, unit: Unit::default(), main: None, texts: Vec::new() };
        if let Some(path) = list {
            let text = Text { name: Some(path.display().to_string()), text: read_list(path)? };
            let list = CutList::parse(&text.text, 0).map_err(|refusal| Failure::refusal(&text, refusal))?;
            pieces = Pieces { pieces: list.pieces, title: list.title, unit: list.unit, main: list.column, texts: vec![text] };
        }
        for argument in arguments {
            let text = Text { name: None, text: argument.clone() };
            let piece = Piece::parse(argument, pieces.texts.len()).map_err(|refusal| Failure::refusal(&text, refusal))?;
            pieces.pieces.push(piece);
            pieces.texts.push(text);
        }
        Ok(pieces)
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
            (None, Some(main)) => main.column.find(header).map(drop).map_err(|error| {
                Failure::refusal(
                    &self.texts[0],
                    keen_notch_core::refusal::Refusal::new(error.to_string(), main.span.clone(), error.mend()),
                )
            })?,
            (None, None) => {}
        }
        Carving::new(&self.pieces, self.main(argument), self.unit, header)
            .map_err(|unbound| Failure::refusal(&self.texts[unbound.origin], unbound.refusal))
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
