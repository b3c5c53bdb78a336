//! What is in a column, before any rule is written: lengths, shapes, delimiters, positions, oddities.
//!
//! A value is encoded to its fine shape in one pass over its bytes, and that is all that most values cost:
//! delimiters and positions are read off the shapes at the end. Everything is kept up to a bound, so that
//! memory does not grow with the number of rows.

mod delimiters;
mod distinct;
mod fine;
mod group;
mod kinds;
mod lengths;
mod oddities;
mod positions;
mod shape;
mod shapes;

pub use delimiters::Delimiter;
pub use distinct::Count;
pub use fine::{FineRun, What, runs_of};
pub use group::Group;
pub use kinds::Kinds;
pub use lengths::{Bar, Lengths};
pub use oddities::Oddity;
pub use positions::{Position, Stands};
pub use shape::{Part, Shape};

use delimiters::Delimiters;
use distinct::Distinct;
use fine::Encoder;
use oddities::Oddities;
use positions::Places;
use shapes::{Kept, Shapes};

use crate::sightings::Sightings;

/// How much of a column is kept.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Depth {
    /// Enough for a line: about 1 MB.
    Brief,
    /// Enough for a page: about 10 MB.
    Full,
}

/// A share of values that share a length, at which positions are worth a map.
const STEADY: f64 = 0.6;

/// A column as it is surveyed, and what was found.
#[derive(Debug, Clone)]
pub struct Survey {
    /// Rows seen.
    pub rows: u64,
    /// Rows with nothing but white space.
    pub blank: Sightings,
    /// Of those, rows with white space.
    pub spaces_only: u64,
    /// The lengths of the values that are not blank, in characters.
    pub lengths: Lengths,
    distinct: Distinct,
    shapes: Shapes,
    oddities: Oddities,
    delimiters: Delimiters,
    places: Places,
    encoder: Encoder,
}

impl Survey {
    /// A survey of nothing so far.
    pub fn new(depth: Depth) -> Survey {
        let (values, shapes) = match depth {
            Depth::Brief => (10_000, 500),
            Depth::Full => (100_000, 8_000),
        };
        Survey {
            rows: 0,
            blank: Sightings::default(),
            spaces_only: 0,
            lengths: Lengths::default(),
            distinct: Distinct::new(values),
            shapes: Shapes::new(shapes),
            oddities: Oddities::default(),
            delimiters: Delimiters::default(),
            places: Places::default(),
            encoder: Encoder::default(),
        }
    }

    /// Sees the value of a row.
    #[inline]
    pub fn see(&mut self, row: u64, value: &str) {
        self.rows += 1;
        if value.chars().all(char::is_whitespace) {
            self.blank.note(row);
            self.spaces_only += u64::from(!value.is_empty());
            return;
        }
        self.distinct.see(value);
        let glance = self.encoder.encode(value);
        self.lengths.see(glance.length);
        if glance.odd {
            self.oddities.look(row, value);
        }
        let kept = self.shapes.see(row, value, glance, &self.encoder);
        if kept == Kept::Not || glance.cut_off {
            self.delimiters.look(row, value, glance.plain);
            if kept == Kept::Not {
                self.places.look(row, value, glance.length, glance.plain);
            }
        }
    }

    /// Values that are not blank.
    pub fn values(&self) -> u64 {
        self.rows - self.blank.count
    }

    /// How many different values there are that are not blank.
    pub fn distinct(&self) -> Count {
        match self.distinct.count() {
            Count::About(count) => Count::About(count.min(self.values())),
            exact => exact,
        }
    }

    /// The standard error of [`Count::About`], as a share.
    pub fn distinct_error(&self) -> f64 {
        self.distinct.error()
    }

    /// Shapes, close ones together; the commonest first.
    pub fn groups(&self) -> Vec<Group> {
        group::groups(&self.shapes)
    }

    /// Every shape by itself; the commonest first.
    pub fn fine_groups(&self) -> Vec<Group> {
        group::each(&self.shapes)
    }

    /// Values whose shapes were beyond what is kept.
    pub fn other_shapes(&self) -> &Sightings {
        &self.shapes.others
    }

    /// Whether there were more fine shapes than are kept.
    pub fn shapes_overflowed(&self) -> bool {
        self.shapes.coarse().next().is_some()
    }

    /// What cannot be told by looking, and where.
    pub fn oddities(&self) -> Vec<(Oddity, Sightings)> {
        self.oddities.all().map(|(oddity, seen)| (oddity, seen.clone())).collect()
    }

    /// What values may be divided at, the steadiest first.
    pub fn delimiters(&self) -> Vec<Delimiter> {
        let mut delimiters = self.delimiters.clone();
        for (runs, entry) in self.shapes.fine().filter(|(runs, _)| runs.last().is_none_or(|run| run.what != What::Rest)) {
            delimiters.add(&runs, &entry.seen);
        }
        delimiters.all(self.values())
    }

    /// What stands at each position of the values of the commonest length, where most have that and it is more
    /// than one character.
    pub fn positions(&self) -> Option<(usize, Vec<Position>)> {
        let (length, count) = self.lengths.commonest()?;
        if length < 2 || (count as f64) < STEADY * self.values() as f64 {
            return None;
        }
        let positions = positions::positions(length, &self.shapes, &self.places);
        (!positions.is_empty()).then_some((length, positions))
    }

    /// Finds the rows of groups once a column has been surveyed.
    pub fn members(&self, groups: &[Group]) -> Members {
        let all = |of: fn(&Group) -> &Vec<usize>| groups.iter().flat_map(move |group| of(group).iter().copied()).collect();
        Members {
            shapes: self.shapes.clone(),
            fine: all(|group| &group.fine),
            coarse: all(|group| &group.coarse),
            encoder: Encoder::default(),
        }
    }
}

/// Tells which values belong to some groups.
#[derive(Debug)]
pub struct Members {
    shapes: Shapes,
    fine: std::collections::HashSet<usize>,
    coarse: std::collections::HashSet<usize>,
    encoder: Encoder,
}

impl Members {
    /// Whether a value belongs to one of the groups.
    pub fn has(&mut self, value: &str) -> bool {
        if value.chars().all(char::is_whitespace) {
            return false;
        }
        self.encoder.encode(value);
        match self.shapes.find(self.encoder.key()) {
            Some(index) => self.fine.contains(&index),
            None => self.shapes.find_coarse(self.encoder.key()).is_some_and(|index| self.coarse.contains(&index)),
        }
    }
}
