//! What a plan is made with.

use std::collections::HashSet;
use std::sync::Arc;

use crate::phrase::ast::ListSource;
use crate::text::unit::Unit;

/// A list of texts, as `listed in` asks for it.
pub type List = Arc<ListTexts>;

/// The texts of a list.
#[derive(Debug, Clone, Default, PartialEq, Eq)]
pub struct ListTexts {
    /// The texts.
    pub texts: HashSet<Box<str>>,
    /// The name of the column that they come from, if the file has a header.
    pub header: Option<Box<str>>,
}

/// Why a list cannot be had, and what to do about it, each in a sentence.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct NoList {
    /// Why.
    pub reason: String,
    /// What to do.
    pub help: String,
}

impl std::fmt::Display for NoList {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        write!(f, "{}; {}", self.reason, self.help)
    }
}

impl std::error::Error for NoList {}

/// Gives the texts of a column of a file.
pub type GetList<'a> = dyn Fn(&ListSource) -> Result<List, NoList> + 'a;

/// What a plan is made with: what its positions count, and where its lists come from.
pub struct Setting<'a> {
    /// What positions and widths count.
    pub unit: Unit,
    /// Gives the texts of a column of a file.
    pub lists: &'a GetList<'a>,
}

impl Setting<'static> {
    /// A setting without lists.
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
