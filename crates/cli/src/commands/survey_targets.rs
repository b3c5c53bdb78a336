use keen_notch_core::carving::Carving;
use keen_notch_core::column::{ColumnRef, Header};
use keen_notch_io::files::RunFiles;
use keen_notch_io::view::View;

use crate::args::SurveyArgs;
use crate::failure::Failure;
use crate::rules::{Pieces, RuleArgs};

pub struct SurveyTargets<'a> {
    columns: &'a [String],
    pieces: Option<Pieces>,
}

/// The targets in a table. The list has the pieces and the rows to keep.
pub struct Bound {
    columns: Option<Vec<usize>>,
    carving: Option<Carving>,
    keeps: bool,
}

impl<'a> SurveyTargets<'a> {
    pub fn read(args: &'a SurveyArgs, files: &RunFiles) -> Result<SurveyTargets<'a>, Failure> {
        let mut looked = SurveyTargets { columns: &args.columns, pieces: None };
        let keep = &args.rows_to_keep.keep;
        if args.pieces.is_empty() && keep.is_empty() {
            return Ok(looked);
        }
        if let (false, [_, second, ..]) = (args.pieces.is_empty(), args.columns.as_slice()) {
            let message = format!("pieces come from one column, and {second} is a second one");
            return Err(Failure::usage(message, "write 'NAME of COLUMN: PHRASE' for pieces of other columns"));
        }
        let column = if args.pieces.is_empty() { None } else { looked.column() };
        let rules = RuleArgs { pieces: &args.pieces, keep, column, ..RuleArgs::default() };
        looked.pieces = Some(Pieces::read(&rules, files)?);
        Ok(looked)
    }

    pub fn asked(&self) -> Vec<String> {
        self.pieces.as_ref().map_or(Vec::new(), |pieces| pieces.made_by(self.column()).asked)
    }

    fn column(&self) -> Option<&'a str> {
        self.columns.first().map(String::as_str)
    }

    /// Resolves the targets; without any, all columns.
    pub fn bind(&self, header: &Header) -> Result<Bound, Failure> {
        let has_pieces = self.pieces.as_ref().is_some_and(|pieces| !pieces.wanted.pieces.is_empty());
        let columns = match self.columns {
            _ if has_pieces => None,
            [] => Some((0..header.count_with_paths()).collect()),
            columns => {
                let found = columns.iter().map(|text| ColumnRef::parse(text).find(header));
                Some(found.collect::<Result<_, _>>()?)
            }
        };
        let argument = if has_pieces { self.column() } else { None };
        let carving = self.pieces.as_ref().map(|pieces| pieces.bind(argument, header)).transpose()?;
        let keeps = self.pieces.as_ref().is_some_and(|pieces| !pieces.wanted.keep.is_empty());
        if carving.as_ref().is_some_and(Carving::looks_back) {
            let message = "a survey compares no rows, so its --keep cannot ask for `unique`";
            return Err(Failure::usage(message, "run carve --keep first, and survey its output"));
        }
        Ok(Bound { columns, carving, keeps })
    }

    pub fn bind_one(&self, header: &Header) -> Result<Bound, Failure> {
        if let (None, []) = (&self.pieces, self.columns) {
            return Ok(Bound { columns: Some(vec![ColumnRef::find_or_only(None, header)?]), carving: None, keeps: false });
        }
        let bound = self.bind(header)?;
        match bound.view().titles(header).get(1) {
            None => Ok(bound),
            Some(second) => {
                let message = format!("--rows-of needs one column or piece, and {second} is a second one");
                Err(Failure::usage(message, "name only one"))
            }
        }
    }
}

impl Bound {
    pub fn view(&self) -> View<'_> {
        match (&self.columns, &self.carving) {
            (columns, Some(carving)) if self.keeps => View::Kept { columns: columns.as_deref(), carving },
            (None, Some(carving)) => View::Pieces(carving),
            (columns, _) => View::Columns(columns.as_deref().unwrap_or_default()),
        }
    }

    /// The columns, unless pieces are surveyed.
    pub fn columns_mut(&mut self) -> Option<&mut Vec<usize>> {
        self.columns.as_mut()
    }
}
