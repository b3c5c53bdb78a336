use std::collections::HashSet;
use std::sync::Arc;

use crate::phrase::ast::ListSource;
use crate::text::unit::Unit;

/// A list for `listed in`.
pub type List = Arc<ListTexts>;

#[derive(Debug, Clone, Default, PartialEq, Eq)]
pub struct ListTexts {
    pub texts: HashSet<Box<str>>,
    /// The header of their column, if the file has one.
    pub header: Option<Box<str>>,
}

/// An unavailable list: the reason and a suggestion, each as a sentence.
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
pub struct Setting<'a> {
    pub unit: Unit,
    /// Returns the texts of a column of a file.
    pub lists: &'a GetList<'a>,
}

impl Setting<'static> {
    pub fn new(unit: Unit) -> Setting<'static> {
        Setting {
            unit,
            lists: &|_| {
                Err(NoList {
                    reason: "lists are not available here".to_owned(),
                    help: "ask it in a cut list, as `check`".to_owned(),
                })
            },
        }
    }
}
