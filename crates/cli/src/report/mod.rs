//! A report to hand on: what was found, as a page or as JSON.

mod html;
mod page;
mod plot;

pub use html::page as html;
pub use page::*;
