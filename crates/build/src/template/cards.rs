//! Cards of posts, kept for all lists that show them. There are as many as posts, and they are
//! forgotten together: so they lie one behind the other in a few pieces of memory, each of which
//! goes back whole, where thousands of small ones would leave holes.

use std::collections::BTreeMap;
use std::ops::Range;

use tabulae_core::catalogue::PostId;

use crate::cache::Need;

/// The size of a piece, in bytes of text; a longer card has a piece of its own.
const PIECE: usize = 1 << 20;

/// The cards of one kind.
#[derive(Debug, Default)]
pub(super) struct Cards {
    cards: BTreeMap<PostId, Card>,
    pieces: Vec<Piece>,
}

/// Where a card lies.
#[derive(Debug)]
struct Card {
    piece: usize,
    text: Range<usize>,
    needs: Range<usize>,
}

#[derive(Debug)]
struct Piece {
    text: String,
    needs: Vec<Need>,
}

impl Cards {
    /// The card of a post, and what it asked for.
    pub(super) fn get(&self, post: PostId) -> Option<(&str, &[Need])> {
        let card = self.cards.get(&post)?;
        let piece = &self.pieces[card.piece];
        Some((
            &piece.text[card.text.clone()],
            &piece.needs[card.needs.clone()],
        ))
    }

    /// Keeps a card, in place of one that is kept already.
    pub(super) fn insert(&mut self, post: PostId, text: &str, needs: &[Need]) {
        let fits = |piece: &Piece| piece.text.len() + text.len() <= PIECE;
        if !self.pieces.last().is_some_and(fits) {
            self.pieces.push(Piece {
                text: String::with_capacity(PIECE.max(text.len())),
                needs: Vec::new(),
            });
        }
        let last = self.pieces.len() - 1;
        let piece = &mut self.pieces[last];
        let (text_start, needs_start) = (piece.text.len(), piece.needs.len());
        piece.text.push_str(text);
        piece.needs.extend_from_slice(needs);
        let card = Card {
            piece: last,
            text: text_start..piece.text.len(),
            needs: needs_start..piece.needs.len(),
        };
        self.cards.insert(post, card);
    }

    /// How many there are.
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
