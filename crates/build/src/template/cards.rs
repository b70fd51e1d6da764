//! Cards of posts, made once and kept for all lists that show them. There are as many as posts, and
//! they are forgotten together: so they lie one behind the other in a few pieces of memory, each of
//! which goes back whole, where thousands of small ones would leave holes.

use std::collections::{BTreeMap, BTreeSet};
use std::ops::Range;
use std::sync::Arc;

use minijinja::{Environment, Error, State, Value, context};
use tabulae_core::catalogue::PostId;

use super::arguments::wrong;
use super::limits::render_part;
use super::loads::CARD;
use super::objects::{PostList, PostObject};
use super::scope::CardScope;
use super::{Shared, this};
use crate::cache::{Need, needs_of, recorded};

/// A post's card, or those of a list, each on a line of its own: `parts/card.html`, which is made
/// once for all lists that show the post, where it asks for nothing that differs between them.
pub(super) fn card(
    shared: &Arc<Shared>,
    state: &State<'_, '_>,
    posts: &Value,
    level: Option<usize>,
) -> Result<Value, Error> {
    let level = level.unwrap_or(2);
    let names = shared
        .card_names
        .get_or_init(|| names_of_card(shared, state.env()));
    let outer = names.iter();
    let outer = outer.filter_map(|name| Some((Value::from(name.as_str()), state.lookup(name)?)));
    let outer: Vec<_> = outer.collect();
    let cards = CardMaker {
        shared,
        state,
        level,
        same_everywhere: outer.is_empty() && this().is_none(),
        outer,
    };
    let mut text = String::new();
    if let Some(post) = posts.downcast_object_ref::<PostObject>() {
        cards.push(post.id, &mut text)?;
    } else if let Some(list) = posts.downcast_object_ref::<PostList>() {
        cards.push_all(list.ids().iter().copied(), &mut text)?;
    } else {
        let ids: Vec<PostId> = posts
            .try_iter()?
            .map(|post| id_of(&post))
            .collect::<Result<_, _>>()?;
        cards.push_all(ids.into_iter(), &mut text)?;
    }
    Ok(Value::from_safe_string(text))
}

fn id_of(post: &Value) -> Result<PostId, Error> {
    let post = post.downcast_object_ref::<PostObject>();
    post.map(|post| post.id)
        .ok_or_else(|| wrong("`card` takes a post, or a list of posts"))
}

/// Room for a card in a list, in bytes: a card with a summary and some terms.
const ROOM: usize = 1 << 10;

/// Makes the cards of one list.
struct CardMaker<'a> {
    shared: &'a Arc<Shared>,
    state: &'a State<'a, 'a>,
    level: usize,
    /// What cards ask for and the list knows.
    outer: Vec<(Value, Value)>,
    /// Whether the cards are the same in any list.
    same_everywhere: bool,
}

impl CardMaker<'_> {
    fn push_all(
        &self,
        posts: impl ExactSizeIterator<Item = PostId>,
        out: &mut String,
    ) -> Result<(), Error> {
        out.reserve(posts.len() * ROOM);
        for (at, post) in posts.enumerate() {
            if at > 0 {
                out.push('\n');
            }
            self.push(post, out)?;
        }
        Ok(())
    }

    fn push(&self, post: PostId, out: &mut String) -> Result<(), Error> {
        if self.same_everywhere
            && let Some((known, needs)) = self.shared.cards(self.level).get(post)
        {
            needs_of(needs);
            out.push_str(known);
            return Ok(());
        }
        let (text, needs) = recorded(|| self.make(post));
        let text = text?;
        out.push_str(&text);
        if self.same_everywhere {
            self.shared.cards(self.level).insert(post, &text, &needs);
        }
        Ok(())
    }

    fn make(&self, post: PostId) -> Result<String, Error> {
        let own = CardScope {
            site: self.state.lookup("site").unwrap_or_default(),
            post: PostObject::value(post, self.shared),
            below: self.level.into(),
        };
        let template = self.state.get_template(CARD)?;
        if self.outer.is_empty() {
            return render_part(self.state, &template, own.into());
        }
        let outer = Value::from_pairs(self.outer.iter().cloned());
        render_part(
            self.state,
            &template,
            context! { ..Value::from(own), ..outer },
        )
    }
}

/// The names that the card and the parts that it loads ask for, and that may differ between lists,
/// where a list knows them.
fn names_of_card(shared: &Shared, env: &Environment<'_>) -> Vec<String> {
    let mut names = BTreeSet::new();
    let parts = shared.loaded_by(CARD).into_iter();
    for template in parts.filter_map(|part| env.get_template(part).ok()) {
        names.extend(template.undeclared_variables(false));
    }
    let is_the_same = |name: &str| {
        CardScope::NAMES.contains(&name) || env.globals().any(|(global, _)| global == name)
    };
    names.retain(|name| !is_the_same(name));
    names.into_iter().collect()
}

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
