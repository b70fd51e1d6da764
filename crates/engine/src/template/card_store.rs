//! Rendered cards of posts. There are as many as posts, and they are dropped together: so they are stored
//! in a few large pieces of memory instead of thousands of small ones, which would fragment it.

use std::collections::BTreeMap;
use std::ops::Range;

use tabulae_core::catalogue::PostId;

use crate::incremental::Dependency;

/// The size of a piece, in bytes of text; a longer card has a piece of its own.
const PIECE: usize = 1 << 20;

/// The cards of one kind.
#[derive(Debug, Default)]
pub(super) struct Cards {
    cards: BTreeMap<PostId, Card>,
    pieces: Vec<Piece>,
}

/// The location of a card.
#[derive(Debug)]
struct Card {
    piece: usize,
    text: Range<usize>,
    dependencies: Range<usize>,
}

#[derive(Debug)]
struct Piece {
    text: String,
    dependencies: Vec<Dependency>,
}

impl Cards {
    /// The card of a post, and what it asked for.
    pub(super) fn get(&self, post: PostId) -> Option<(&str, &[Dependency])> {
        let card = self.cards.get(&post)?;
        let piece = &self.pieces[card.piece];
        Some((
            &piece.text[card.text.clone()],
            &piece.dependencies[card.dependencies.clone()],
        ))
    }

    /// Keeps a card, in place of one that is kept already.
    pub(super) fn insert(&mut self, post: PostId, text: &str, dependencies: &[Dependency]) {
        let fits = |piece: &Piece| piece.text.len() + text.len() <= PIECE;
        if !self.pieces.last().is_some_and(fits) {
            self.pieces.push(Piece {
                text: String::with_capacity(PIECE.max(text.len())),
                dependencies: Vec::new(),
            });
        }
        let last = self.pieces.len() - 1;
        let piece = &mut self.pieces[last];
        let (text_start, dependencies_start) = (piece.text.len(), piece.dependencies.len());
        piece.text.push_str(text);
        piece.dependencies.extend_from_slice(dependencies);
        let card = Card {
            piece: last,
            text: text_start..piece.text.len(),
            dependencies: dependencies_start..piece.dependencies.len(),
        };
        self.cards.insert(post, card);
    }

    /// Returns the number of cards.
    #[cfg(test)]
    pub(super) fn len(&self) -> usize {
        self.cards.len()
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn cards_are_found_again_in_whichever_piece_they_lie() {
        let mut cards = Cards::default();
        let text = |id: u32| format!("{id}é").repeat(if id == 3 { PIECE } else { 100_000 });
        for id in [5, 3, 1, 2, 4] {
            cards.insert(PostId(id), &text(id), &[]);
        }
        cards.insert(PostId(2), "other", &[]);
        assert_eq!(cards.get(PostId(2)), Some(("other", &[][..])));
        for id in [1, 3, 4, 5] {
            assert_eq!(cards.get(PostId(id)), Some((&*text(id), &[][..])));
        }
        assert_eq!(cards.get(PostId(6)), None);
        assert_eq!(cards.pieces.len(), 3);
    }
}
