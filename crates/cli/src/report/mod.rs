//! The report as a page or JSON.

mod html;
mod page;
mod plot;

pub use html::page as html;
pub use page::*;
