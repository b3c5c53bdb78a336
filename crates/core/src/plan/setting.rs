//! What a plan is made with.

use std::collections::HashSet;
use std::sync::Arc;

use crate::text::unit::Unit;

/// A list of texts, as `listed in` asks for it.
pub type List = Arc<HashSet<Box<str>>>;

/// What a plan is made with: what its positions count, and where its lists come from.
pub struct Setting<'a> {
    /// What positions and widths count.
    pub unit: Unit,
    /// Gives the texts of a column of a file, the first one where none is named, or says in a sentence what
    /// is wrong with it and in another what to do.
    pub lists: &'a dyn Fn(&str, Option<&str>) -> Result<List, (String, String)>,
}

impl Setting<'static> {
    /// A setting without lists.
    pub fn new(unit: Unit) -> Setting<'static> {
        Setting {
            unit,
            lists: &|_, _| Err(("there are no lists here".to_owned(), "ask it in a cut list, as `check`".to_owned())),
        }
    }
}
