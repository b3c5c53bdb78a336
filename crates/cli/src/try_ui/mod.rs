mod list;
mod model;
mod offers;
mod piece;
mod row_results;
mod sample;
mod screen;
mod terminal;
#[cfg(test)]
mod tests;
mod whole;

pub use list::{ListFile, command};
pub use model::{Field, Key, Model};
pub use piece::Draft;
pub use sample::Sample;
pub use screen::{At, ScreenMap, draw};
pub use terminal::{Screen, give_back};
pub use whole::{Counting, Counts};
