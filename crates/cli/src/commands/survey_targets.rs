use keen_notch_core::carving::Carving;
use keen_notch_core::column::{ColumnRef, Header};
use keen_notch_core::phrase;
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

    /// The group of each row, and its value. Where one of them is a piece, the other becomes one.
    pub fn read_by(args: &SurveyArgs, by: &str, files: &RunFiles) -> Result<GroupTargets, Failure> {
        let keep = &args.rows_to_keep.keep;
        if args.pieces.is_empty() {
            let [column] = args.columns.as_slice() else {
                return Err(Failure::usage("--by breaks one column down", "name it with -c"));
            };
            let rules = RuleArgs { keep, ..RuleArgs::default() };
            let pieces = if keep.is_empty() { None } else { Some(Pieces::read(&rules, files)?) };
            return Ok(GroupTargets {
                columns: vec![by.to_owned(), column.clone()],
                pieces,
                names: None,
                shown: None,
                main: None,
            });
        }
        let main = args.columns.first().map(String::as_str);
        let read = |pieces: &[String]| Pieces::read(&RuleArgs { pieces, keep, column: main, ..RuleArgs::default() }, files);
        let given = read(&args.pieces)?;
        let names: Vec<&str> = given.wanted.pieces.iter().map(|piece| piece.name.as_str()).collect();
        let others: Vec<&str> = names.iter().copied().filter(|name| *name != by).collect();
        let free = |wanted: &str| {
            (0..).map(|n| format!("{wanted}{}", "_".repeat(n))).find(|name| !names.contains(&name.as_str())).unwrap_or_default()
        };
        let mut texts = args.pieces.clone();
        let group = match names.contains(&by) {
            true => by.to_owned(),
            false => {
                let name = free("group");
                texts.push(format!("{name} of {}: whole", column_word(by)));
                name
            }
        };
        let value = match others.as_slice() {
            [] => {
                let name = free("value");
                let of = main.map_or_else(String::new, |column| format!(" of {}", column_word(column)));
                texts.push(format!("{name}{of}: whole"));
                name
            }
            [only] => (*only).to_owned(),
            [_, second, ..] => {
                let message = format!("--by breaks one piece down, and {second} is a second one");
                return Err(Failure::usage(message, "name one piece, and the one for --by"));
            }
        };
        let of_value = others.first().copied().or(main).unwrap_or("the column");
        let shown = [by, of_value].map(|name| name.trim_matches('"').to_owned());
        let (names, shown, main) = (Some([group, value]), Some(shown), main.map(str::to_owned));
        Ok(GroupTargets { columns: Vec::new(), pieces: Some(read(&texts)?), names, shown, main })
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
            return Err(looks_back());
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

/// The targets of `survey --by`.
pub struct GroupTargets {
    columns: Vec<String>,
    pieces: Option<Pieces>,
    /// The pieces with the group and the value.
    names: Option<[String; 2]>,
    /// Titles of the group and the value for the user, if they are pieces.
    shown: Option<[String; 2]>,
    main: Option<String>,
}

impl GroupTargets {
    /// The titles of the group and the value.
    pub fn titles(&self, of_view: &[String]) -> [String; 2] {
        let title = |place: usize| of_view.get(place).cloned().unwrap_or_default();
        self.shown.clone().unwrap_or_else(|| [title(0), title(1)])
    }

    pub fn bind(&self, header: &Header) -> Result<BoundGroups, Failure> {
        let targets = SurveyTargets { columns: &self.columns, pieces: None };
        let carving = self.pieces.as_ref().map(|pieces| pieces.bind(self.main.as_deref(), header)).transpose()?;
        if carving.as_ref().is_some_and(Carving::looks_back) {
            return Err(looks_back());
        }
        let columns = if self.names.is_some() { None } else { targets.bind(header)?.columns };
        let keeps = self.pieces.as_ref().is_some_and(|pieces| !pieces.wanted.keep.is_empty());
        let bound = Bound { columns, carving, keeps };
        let titles = bound.view().titles(header);
        let places = match &self.names {
            None => [0, 1],
            Some(names) => {
                let place = |name: &String| titles.iter().position(|title| title == name).ok_or_else(|| several_results(name));
                [place(&names[0])?, place(&names[1])?]
            }
        };
        Ok(BoundGroups { bound, places })
    }
}

/// The same in a table.
pub struct BoundGroups {
    pub bound: Bound,
    /// The places of the group and the value in the view.
    pub places: [usize; 2],
}

fn several_results(name: &str) -> Failure {
    Failure::usage(format!("--by needs one text for each row, and {name} has several"), "take a single result, or join them")
}

fn looks_back() -> Failure {
    let message = "a survey compares no rows, so its --keep cannot ask for `unique`";
    Failure::usage(message, "run carve --keep first, and survey its output")
}

/// A column as the head of a piece names it.
fn column_word(column: &str) -> String {
    if column.starts_with(['#', '"']) { column.to_owned() } else { phrase::quoted(column) }
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
