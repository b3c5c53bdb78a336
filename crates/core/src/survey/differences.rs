//! What distinguishes some rows of a column from the others.

use super::against::has_moved;
use super::shape::Shape;
use super::{Depth, Survey};
use crate::sightings::at_rank;

/// In a group that is not small, a smaller difference from the expected number of rows may be chance.
const SURPLUS: f64 = 2.0;
/// Smaller groups differ by single rows.
const SMALL: u64 = 5;

/// A property with another share of the rows, or of the values, than elsewhere.
#[derive(Debug, Clone, PartialEq)]
pub struct Difference {
    pub what: DifferentProperty,
    /// The number of rows or values that have it, and of all.
    pub here: (u64, u64),
    pub elsewhere: (u64, u64),
}

#[derive(Debug, Clone, PartialEq)]
pub enum DifferentProperty {
    Blank,
    Shape(Shape),
}

impl Difference {
    fn distance(&self) -> f64 {
        let share = |(part, all): (u64, u64)| part as f64 / all.max(1) as f64;
        (share(self.here) - share(self.elsewhere)).abs()
    }
}

/// How each group of rows differs from the others: significant differences, the greatest first.
///
/// A share is compared with the typical one, the median over all rows of the shares of their groups. So one odd group does not make the
/// others odd.
///
/// ```
/// use keen_notch_core::survey::{DifferentProperty, Survey, differences};
///
/// let groups = [["GRP-1"; 50], ["HNG-2"; 50], ["BRK/3"; 50]].map(Survey::of_values);
/// let found = differences(&groups.iter().collect::<Vec<_>>());
/// assert!(found[0].is_empty() && found[1].is_empty());
/// assert!(matches!(&found[2][0].what, DifferentProperty::Shape(shape) if shape.to_string() == "U3-d1"));
/// assert_eq!((found[2][0].here, found[2][0].elsewhere), ((0, 50), (100, 100)));
/// ```
pub fn differences(groups: &[&Survey]) -> Vec<Vec<Difference>> {
    let mut whole = Survey::new(Depth::Brief);
    groups.iter().for_each(|group| whole.merge((*group).clone()));
    let known: Vec<Shape> = whole.groups().into_iter().map(|group| group.shape).collect();
    let counts: Vec<Vec<u64>> = groups.iter().map(|group| counts(group, &known)).collect();
    let mut found: Vec<Vec<Difference>> = vec![Vec::new(); groups.len()];
    let mut compare = |what: &DifferentProperty, shares: Vec<Share>| {
        for (found, difference) in found.iter_mut().zip(unlike_typical(what, &shares)) {
            found.extend(difference);
        }
    };
    compare(&DifferentProperty::Blank, groups.iter().map(|group| (group.blank.count, group.rows)).collect());
    for (place, shape) in known.iter().enumerate() {
        let shares = groups.iter().zip(&counts).map(|(group, counts)| (counts[place], group.values()));
        compare(&DifferentProperty::Shape(shape.clone()), shares.collect());
    }
    found.iter_mut().for_each(|found| found.sort_by(|one, other| other.distance().total_cmp(&one.distance())));
    found
}

/// A number of rows or values, and of all.
type Share = (u64, u64);

/// The values of each shape. A value counts for the first shape that it has.
fn counts(survey: &Survey, shapes: &[Shape]) -> Vec<u64> {
    let mut counts = vec![0; shapes.len()];
    for member in survey.fine_groups() {
        if let Some(place) = shapes.iter().position(|shape| shape.has_shape(&member.shape)) {
            counts[place] += member.seen.count;
        }
    }
    counts
}

fn unlike_typical(what: &DifferentProperty, shares: &[Share]) -> Vec<Option<Difference>> {
    let (all, of_all) = shares.iter().fold((0, 0), |(part, all), share| (part + share.0, all + share.1));
    let typical = typical(shares);
    let difference = |here: &Share| {
        let elsewhere = (all - here.0, of_all - here.1);
        let usual = (typical * elsewhere.1 as f64).round() as u64;
        let surplus = here.0 as f64 - typical * here.1 as f64;
        let is_chance = surplus.abs() < SURPLUS && here.1 >= SMALL;
        (!is_chance && has_moved((usual, elsewhere.1), *here)).then(|| Difference {
            what: what.clone(),
            here: *here,
            elsewhere,
        })
    };
    shares.iter().map(difference).collect()
}

/// The median over all rows of the shares of their groups.
fn typical(shares: &[Share]) -> f64 {
    let mut sorted: Vec<(f64, u64)> =
        shares.iter().filter(|(_, all)| *all > 0).map(|(part, all)| (*part as f64 / *all as f64, *all)).collect();
    sorted.sort_by(|(one, _), (other, _)| one.total_cmp(other));
    let half = sorted.iter().map(|(_, all)| all).sum::<u64>().div_ceil(2);
    at_rank(sorted, half).unwrap_or_default()
}
