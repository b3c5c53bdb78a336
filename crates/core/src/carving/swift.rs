//! The short way through a row: where each piece is one cut of one column and nothing looks at several pieces
//! together, each is cut, judged and handed on in one go.

use super::asked::{Asked, Test};
use super::bind::Carving;
use super::judge::Fault;
use super::row::{PieceBody, Workspace};
use crate::piece::Shape;
use crate::plan::{Held, State};
use crate::tally::Tally;

/// A piece of a row on the short way.
#[derive(Debug, Clone, Copy)]
pub struct Swift<'a> {
    /// The piece, by its index.
    pub piece: usize,
    /// Its text; empty where it is missing.
    pub text: &'a str,
    /// The value it was cut from.
    pub value: &'a str,
    /// What became of it.
    pub state: State,
    /// Whether the text is a part of the value as it stands.
    pub is_part: bool,
}

impl Carving {
    /// Whether rows can go the short way.
    pub fn is_swift(&self) -> bool {
        let looks_around = |asked: &Asked| !matches!(asked.test, Test::Text(_));
        let is_swift = |piece: &super::row::PiecePlan| {
            matches!(piece.body, PieceBody::Take { .. })
                && piece.when.is_none()
                && piece.shape == Shape::One
                && !piece.checks.iter().any(|check| looks_around(&check.asked))
        };
        self.pieces.iter().all(is_swift)
            && self.layouts.is_empty()
            && self.proofs.is_empty()
            && self.keep.is_empty()
            && self.unique.is_none()
    }

    /// Works out and judges all pieces of a row whose values are plain texts, in the order of the pieces, and calls
    /// `see` with each. Only where [`Carving::is_swift`]; it comes to what [`Carving::run`] and [`Carving::judge`]
    /// come to.
    pub fn run_swiftly<'v>(
        &self,
        value: &impl Fn(usize) -> &'v str,
        work: &mut Workspace,
        tallies: &mut [Tally],
        faults: &mut Vec<Fault>,
        mut see: impl FnMut(Swift),
    ) {
        let mut number = 0;
        for (index, (piece, tally)) in self.pieces.iter().zip(tallies).enumerate() {
            let PieceBody::Take { column, plan } = &piece.body else { continue };
            let value = value(*column);
            work.scratch.clear();
            let (held, state) = plan.cut_plain(value, &mut work.scratch);
            let text = match held {
                Some(Held::Value(start, end)) => &value[start..end],
                Some(held) => plan.text(held, value, &work.scratch),
                None => "",
            };
            tally.count(state);
            if !piece.checks.is_empty() {
                let (mut warned, mut faulted) = (false, false);
                for check in &piece.checks {
                    if (!text.is_empty() || check.asks_missing)
                        && let Test::Text(condition) = &check.asked.test
                        && !condition.holds_of_plain(text)
                    {
                        let place = match held {
                            Some(Held::Value(start, end)) => Some((start, end)),
                            _ => None,
                        };
                        let misfit = condition.misfit(text);
                        faults.push(Fault { check: number, result: text.to_owned(), place, misfit });
                        if check.only_warns { warned = true } else { faulted = true }
                    }
                    number += 1;
                }
                tally.warned += u64::from(warned);
                tally.faulted += u64::from(faulted);
            }
            see(Swift { piece: index, text, value, state, is_part: !matches!(held, Some(Held::Made(..) | Held::Literal(_))) });
        }
    }
}
