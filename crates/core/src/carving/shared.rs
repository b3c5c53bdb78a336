//! Searches that several pieces begin with, done once for all of them.

use super::row::{PieceBody, PiecePlan};

/// A search for a byte in the values of a column.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(super) struct Search {
    pub(super) column: usize,
    pub(super) byte: u8,
}

/// The searches that more than one of the pieces begin with; each of these pieces is told which of them is its own.
pub(super) fn searches(pieces: &mut [PiecePlan]) -> Vec<Search> {
    let search = |piece: &PiecePlan| match &piece.body {
        PieceBody::Take { column, plan } => plan.looks_for().map(|byte| Search { column: *column, byte }),
        PieceBody::Field { .. } | PieceBody::Build(_) => None,
    };
    let all: Vec<_> = pieces.iter().map(search).collect();
    let mut shared: Vec<Search> = Vec::new();
    for (piece, own) in pieces.iter_mut().zip(&all) {
        let Some(own) = own else { continue };
        if all.iter().flatten().filter(|other| *other == own).count() < 2 {
            continue;
        }
        piece.search = shared.iter().position(|search| search == own).or_else(|| {
            shared.push(*own);
            Some(shared.len() - 1)
        });
    }
    shared
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::carving::Carving;
    use crate::column::{ColumnRef, Header};
    use crate::piece::{Piece, Wanted};
    use crate::program::Setting;
    use crate::text::unit::Unit;

    #[test]
    fn pieces_of_a_column_that_look_for_the_same_share_a_search() {
        let phrases = [
            r#"before "@""#,
            r#"section 2 by "-""#,
            r#"after "@" then lower"#,
            r#"after "@" then lower then first 2"#,
            r#"after last "-""#,
            r#"before ".""#,
            r#"before "@" or "none""#,
        ];
        let piece = |(index, phrase)| Piece::parse(&format!("p{index}: {phrase}"), 0).unwrap();
        let wanted = Wanted { pieces: phrases.iter().enumerate().map(piece).collect(), ..Wanted::default() };
        let (column, setting) = (ColumnRef::Number(1), Setting::new(Unit::Characters));
        let carving = Carving::new(&wanted, Some(&column), &setting, &Header::Unnamed(1)).unwrap();
        assert_eq!(carving.searches, [Search { column: 0, byte: b'@' }, Search { column: 0, byte: b'-' }]);
        let of_pieces: Vec<_> = carving.pieces.iter().map(|piece| piece.search).collect();
        assert_eq!(of_pieces, [Some(0), Some(1), Some(0), None, Some(1), None, None]);
    }
}
