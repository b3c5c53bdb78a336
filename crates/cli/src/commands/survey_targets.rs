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

pub enum Bound {
    Columns(Vec<usize>),
    Pieces(Box<Carving>),
}

impl<'a> SurveyTargets<'a> {
    pub fn read(args: &'a SurveyArgs, files: &RunFiles) -> Result<SurveyTargets<'a>, Failure> {
        let mut looked = SurveyTargets { columns: &args.columns, pieces: None };
        if args.pieces.is_empty() {
            return Ok(looked);
        }
        if let [_, second, ..] = args.columns.as_slice() {
            let message = format!("pieces come from one column, and {second} is a second one");
            return Err(Failure::usage(message, "write 'NAME of COLUMN: PHRASE' for pieces of other columns"));
        }
        let rules = RuleArgs { pieces: &args.pieces, column: looked.column(), ..RuleArgs::default() };
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
        Ok(match (&self.pieces, self.columns) {
            (Some(pieces), _) => Bound::Pieces(Box::new(pieces.bind(self.column(), header)?)),
            (None, []) => Bound::Columns((0..header.count()).collect()),
            (None, columns) => {
                let found = columns.iter().map(|text| ColumnRef::parse(text).find(header));
                Bound::Columns(found.collect::<Result<_, _>>()?)
            }
        })
    }

    pub fn bind_one(&self, header: &Header) -> Result<Bound, Failure> {
        if let (None, []) = (&self.pieces, self.columns) {
            return Ok(Bound::Columns(vec![ColumnRef::find_or_only(None, header)?]));
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
        match self {
            Bound::Columns(columns) => View::Columns(columns),
            Bound::Pieces(carving) => View::Pieces(carving),
        }
    }
}
