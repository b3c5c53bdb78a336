use std::collections::HashSet;
use std::sync::Arc;

use super::lookup::LookupTable;
use crate::phrase::ast::{ListSource, LookupSource};
use crate::text::unit::Unit;

/// A list for `listed in`.
///
/// ```
/// use keen_notch_core::runner::{List, ListTexts};
///
/// let none = List::new(ListTexts::default());
/// assert!(none.texts.is_empty());
/// ```
pub type List = Arc<ListTexts>;

/// The values of a list for `listed in`.
///
/// ```
/// use keen_notch_core::runner::{List, ListTexts};
///
/// let teams = List::new(ListTexts { texts: ["RIG".into(), "EL".into()].into(), header: Some("team".into()) });
/// assert!(teams.texts.contains("EL"));
/// ```
#[derive(Debug, Clone, Default, PartialEq, Eq)]
pub struct ListTexts {
    pub texts: HashSet<Box<str>>,
    /// The header of their column, if the file has one.
    pub header: Option<Box<str>>,
}

/// An unavailable list: the reason and a suggestion, each as a sentence.
///
/// ```
/// use keen_notch_core::cutlist::CutList;
///
/// let list = CutList::parse("[piece.team]\ntake = 'last 3'\ncheck = 'listed in \"teams.csv\"'\n", 0)?;
/// let error = list.bind(&["crew_id"]).unwrap_err();
/// assert_eq!(error.to_string(), "the texts of teams.csv are not given; supply them with `Runner::new`");
/// # Ok::<(), keen_notch_core::TextError>(())
/// ```
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct NoList {
    pub reason: String,
    pub help: String,
}

impl std::fmt::Display for NoList {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        write!(f, "{}; {}", self.reason, self.help)
    }
}

impl std::error::Error for NoList {}

/// The files that phrases name, for `listed in` and `lookup in`. A method that is left out has no files.
///
/// ```
/// use std::sync::Arc;
/// use keen_notch_core::{Column, cutlist::CutList};
/// use keen_notch_core::runner::{Files, Header, LookupSource, LookupTable, NoList, Runner, Setting, Unit};
///
/// struct Families;
/// impl Files for Families {
///     fn lookup(&self, source: &LookupSource) -> Result<Arc<LookupTable>, NoList> {
///         let mut table = LookupTable::of_file(source, None);
///         table.add("GRP", "grip").map_err(|error| NoList { reason: error.to_string(), help: "shorten it".to_owned() })?;
///         Ok(Arc::new(table))
///     }
/// }
/// let list = CutList::parse("[piece.family]\ntake = 'first 3 then lookup in \"families.csv\"'\n", 0)?;
/// let header = Header::Names(vec!["part_code".to_owned()]);
/// let mut runner = Runner::new(&list, header, &Setting { files: &Families, ..Setting::new(Unit::Characters) })?;
/// let family = runner.piece("family").expect("the list has it");
/// assert_eq!(runner.push(vec![Column::of(["GRP-00041273-S7K2"])])?.text(family, 0), Some("grip"));
/// # Ok::<(), Box<dyn std::error::Error>>(())
/// ```
pub trait Files {
    /// The texts of a column of a file.
    ///
    /// # Errors
    /// The file or the column is unavailable.
    fn list(&self, source: &ListSource) -> Result<List, NoList> {
        Err(NoList::not_here(source))
    }

    /// Two columns of a file, as keys and results.
    ///
    /// # Errors
    /// The file or a column is unavailable, or a key has two results.
    fn lookup(&self, source: &LookupSource) -> Result<Arc<LookupTable>, NoList> {
        Err(NoList::not_here(&source.keys))
    }
}

/// No files.
impl Files for () {}

impl NoList {
    fn not_here(source: &ListSource) -> NoList {
        let reason = format!("{} is not available here", source.file);
        NoList { reason, help: "name it in a piece of a table".to_owned() }
    }
}

/// The settings for compiling: the unit, the files and the current date.
///
/// ```
/// use std::sync::Arc;
/// use keen_notch_core::{Column, cutlist::CutList};
/// use keen_notch_core::runner::{Files, Header, List, ListSource, ListTexts, NoList, Runner, Setting, Unit};
///
/// struct Teams(List);
/// impl Files for Teams {
///     fn list(&self, _source: &ListSource) -> Result<List, NoList> {
///         Ok(Arc::clone(&self.0))
///     }
/// }
/// let teams = Teams(Arc::new(ListTexts { texts: ["RIG".into(), "EL".into()].into(), header: Some("team".into()) }));
/// let list = CutList::parse("[piece.team]\ntake = 'last 3'\ncheck = 'listed in \"teams.csv\"'\n", 0)?;
/// let header = Header::Names(vec!["crew_id".to_owned()]);
/// let mut runner = Runner::new(&list, header, &Setting { files: &teams, ..Setting::new(Unit::Characters) })?;
/// assert_eq!(runner.push(vec![Column::of(["2019-0385-RIG", "2020-0007-OPS"])])?.faults().count(), 1);
/// # Ok::<(), Box<dyn std::error::Error>>(())
/// ```
pub struct Setting<'a> {
    pub unit: Unit,
    pub files: &'a dyn Files,
    /// Returns the current date in ISO 8601, for `today`.
    pub today: &'a dyn Fn() -> Option<String>,
}

impl Setting<'static> {
    pub fn new(unit: Unit) -> Setting<'static> {
        Setting { unit, files: &(), today: &|| None }
    }
}
