use std::collections::HashSet;
use std::sync::Arc;

use crate::phrase::ast::ListSource;
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

/// Returns the texts of a column of a file.
pub type GetList<'a> = dyn Fn(&ListSource) -> Result<List, NoList> + 'a;

/// The settings for compiling: the unit and the source of lists.
///
/// ```
/// use std::sync::Arc;
/// use keen_notch_core::{Column, cutlist::CutList};
/// use keen_notch_core::runner::{Header, ListTexts, NoList, Runner, Setting, Unit};
///
/// let teams = Arc::new(ListTexts { texts: ["RIG".into(), "EL".into()].into(), header: Some("team".into()) });
/// let lists = |source: &keen_notch_core::runner::ListSource| match source.file.as_str() {
///     "teams.csv" => Ok(Arc::clone(&teams)),
///     file => Err(NoList { reason: format!("there is no list {file}"), help: "use teams.csv".to_owned() }),
/// };
/// let list = CutList::parse("[piece.team]\ntake = 'last 3'\ncheck = 'listed in \"teams.csv\"'\n", 0)?;
/// let header = Header::Names(vec!["crew_id".to_owned()]);
/// let mut runner = Runner::new(&list, header, &Setting { lists: &lists, ..Setting::new(Unit::Characters) })?;
/// assert_eq!(runner.push(vec![Column::of(["2019-0385-RIG", "2020-0007-OPS"])])?.faults().count(), 1);
/// # Ok::<(), Box<dyn std::error::Error>>(())
/// ```
pub struct Setting<'a> {
    pub unit: Unit,
    /// Returns the texts of a column of a file.
    pub lists: &'a GetList<'a>,
    /// Returns the current date in ISO 8601, for `today`.
    pub today: &'a dyn Fn() -> Option<String>,
}

impl Setting<'static> {
    pub fn new(unit: Unit) -> Setting<'static> {
        Setting {
            unit,
            today: &|| None,
            lists: &|_| {
                Err(NoList {
                    reason: "lists are not available here".to_owned(),
                    help: "ask it in a cut list, as `check`".to_owned(),
                })
            },
        }
    }
}
