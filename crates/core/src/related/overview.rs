//! Figures on the lists of related posts of a site: empty, filled-up and one-sided lists, and the posts in most lists
//! and in none.

use std::cmp::Reverse;
use std::collections::BTreeSet;

use rustc_hash::FxHashSet;

use crate::catalogue::PostId;

/// The related posts of one post.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct RelatedOf {
    /// The post that has the list.
    pub post: PostId,
    /// The list, in order.
    pub posts: Vec<PostId>,
    /// The number of posts without those that fill up the list.
    pub found: usize,
}

/// Figures on all lists of related posts.
#[derive(Debug, Clone, PartialEq, Eq, Default)]
pub struct RelatedFigures {
    /// The number of lists.
    pub lists: usize,
    /// The lists without a post.
    pub empty: usize,
    /// The lists with a post that fills them up.
    pub filled: usize,
    /// The lists with posts that fill them up, and no others.
    pub all_fill: usize,
    /// The lists with posts of which none has the list's post in its own.
    pub one_sided: usize,
    /// The posts that could be recommended and are in no list, in the default order.
    pub never: Vec<PostId>,
    /// The posts that are in lists with the number of lists, the most first; of equals in the default order.
    pub recommended: Vec<(PostId, usize)>,
}

impl RelatedFigures {
    /// Counts lists. `candidates` are the posts that could be recommended. Takes linear time in the posts of all
    /// lists, but for sorting.
    #[must_use]
    pub fn of(lists: &[RelatedOf], candidates: impl Iterator<Item = PostId>) -> Self {
        let pairs = lists
            .iter()
            .flat_map(|list| list.posts.iter().map(|post| (list.post, *post)));
        let pairs: FxHashSet<(PostId, PostId)> = pairs.collect();
        let is_filled = |list: &&RelatedOf| list.posts.len() > list.found;
        let is_one_sided = |list: &&RelatedOf| {
            let mut posts = list.posts.iter();
            !list.posts.is_empty() && !posts.any(|post| pairs.contains(&(*post, list.post)))
        };
        let count = |is: &dyn Fn(&&RelatedOf) -> bool| lists.iter().filter(is).count();
        let mut in_lists: Vec<PostId> = pairs.iter().map(|(_, post)| *post).collect();
        in_lists.sort_unstable();
        let recommended = in_lists.chunk_by(PartialEq::eq);
        let mut recommended: Vec<_> = recommended.map(|same| (same[0], same.len())).collect();
        let known: BTreeSet<PostId> = recommended.iter().map(|(post, _)| *post).collect();
        recommended.sort_by_key(|(_, lists)| Reverse(*lists));
        let mut never: Vec<PostId> = candidates.filter(|post| !known.contains(post)).collect();
        never.sort_unstable();
        Self {
            lists: lists.len(),
            empty: count(&|list| list.posts.is_empty()),
            filled: count(&is_filled),
            all_fill: count(&|list| is_filled(list) && list.found == 0),
            one_sided: count(&is_one_sided),
            never,
            recommended,
        }
    }
}

/// A list that differs between two settings.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct RelatedChange {
    /// The post that has the list.
    pub post: PostId,
    /// The list by the present settings; `None` if the post has none.
    pub now: Option<Vec<PostId>>,
    /// The list by the others.
    pub then: Option<Vec<PostId>>,
}

impl RelatedChange {
    /// Returns true if the lists have the same posts in another order.
    #[must_use]
    pub fn is_order_alone(&self) -> bool {
        let set = |list: &Option<Vec<PostId>>| {
            list.as_ref()
                .map(|posts| posts.iter().copied().collect::<BTreeSet<_>>())
        };
        set(&self.now) == set(&self.then)
    }
}

/// Returns the lists that differ, in the default order of their posts. Both are in this order.
#[must_use]
pub fn changes(now: &[RelatedOf], then: &[RelatedOf]) -> Vec<RelatedChange> {
    let posts: BTreeSet<PostId> = now.iter().chain(then).map(|list| list.post).collect();
    let list_of = |lists: &[RelatedOf], post: PostId| {
        let at = lists.binary_search_by_key(&post, |list| list.post).ok()?;
        Some(lists[at].posts.clone())
    };
    let each = posts.into_iter().map(|post| RelatedChange {
        post,
        now: list_of(now, post),
        then: list_of(then, post),
    });
    each.filter(|change| change.now != change.then).collect()
}

#[cfg(test)]
mod tests {
    use std::collections::BTreeMap;

    use super::*;
    use proptest::prelude::*;

    fn list(post: u32, posts: &[u32], found: usize) -> RelatedOf {
        RelatedOf {
            post: PostId(post),
            posts: posts.iter().copied().map(PostId).collect(),
            found,
        }
    }

    #[test]
    fn lists_are_counted_by_hand() {
        // 0 and 1 list each other; 2 lists 0 by fill alone; 3 has none; 4 lists 1 and by fill 0.
        let lists = [
            list(0, &[1], 1),
            list(1, &[0], 1),
            list(2, &[0], 0),
            list(3, &[], 0),
            list(4, &[1, 0], 1),
        ];
        let figures = RelatedFigures::of(&lists, (0..6).map(PostId));
        let expected = RelatedFigures {
            lists: 5,
            empty: 1,
            filled: 2,
            all_fill: 1,
            one_sided: 2,
            never: [2, 3, 4, 5].map(PostId).into(),
            recommended: vec![(PostId(0), 3), (PostId(1), 2)],
        };
        assert_eq!(figures, expected);
    }

    #[test]
    fn changes_are_lists_that_differ() {
        let now = [list(0, &[1, 2], 2), list(1, &[0], 1), list(2, &[], 0)];
        let then = [list(0, &[2, 1], 2), list(1, &[0], 0), list(3, &[1], 1)];
        let changes = changes(&now, &then);
        let posts: Vec<u32> = changes.iter().map(|change| change.post.0).collect();
        assert_eq!(posts, [0, 2, 3]);
        let orders: Vec<bool> = changes.iter().map(RelatedChange::is_order_alone).collect();
        assert_eq!(orders, [true, false, false]);
        assert_eq!(
            [changes[1].then.clone(), changes[2].now.clone()],
            [None, None]
        );
    }

    proptest! {
        #[test]
        fn figures_are_those_of_comparing_every_pair(
            posts in prop::collection::vec((prop::collection::btree_set(0_u32..8, 0..4), 0_usize..4), 8),
        ) {
            let lists: Vec<RelatedOf> = posts.iter().zip(0..).map(|((others, found), post)| {
                let others: Vec<u32> = others.iter().copied().filter(|other| *other != post).collect();
                list(post, &others, others.len().min(*found))
            }).collect();
            let figures = RelatedFigures::of(&lists, (0..8).map(PostId));
            let has = |a: u32, b: u32| lists[a as usize].posts.contains(&PostId(b));
            let one_sided = (0..8).filter(|a| (0..8).any(|b| has(*a, b)) && !(0..8).any(|b| has(*a, b) && has(b, *a)));
            prop_assert_eq!(figures.one_sided, one_sided.count());
            let counts: BTreeMap<PostId, usize> = (0..8).map(|b| (PostId(b), (0..8).filter(|a| has(*a, b)).count())).collect();
            for (post, count) in counts {
                prop_assert_eq!(figures.never.contains(&post), count == 0);
                let found = figures.recommended.iter().find(|(known, _)| *known == post);
                prop_assert_eq!(found.map_or(0, |(_, count)| *count), count);
            }
            prop_assert!(figures.recommended.is_sorted_by(|a, b| a.1 > b.1 || a.1 == b.1 && a.0 < b.0));
        }
    }
}
