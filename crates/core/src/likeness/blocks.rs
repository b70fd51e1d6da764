//! Posts by their values of one field that tells a few kinds of posts apart, such as the category.
//!
//! Within a block all are equally alike a post in that field. So what shares all of a post's
//! values of it is looked at first, and where the best of them are more alike than anything
//! else could be, the other blocks need not be looked at.

use std::ops::Range;

use indexmap::IndexMap;
use rustc_hash::{FxBuildHasher, FxHashMap};

use super::classes::Classes;
use super::space::Space;
use crate::catalogue::PostId;
use crate::id::number;

/// A field with more kinds of posts than this is left.
const MOST: usize = 256;

/// The part of the likeness that blocks tell apart at least; less is not worth it.
const LEAST: f64 = 0.05;

/// A section is a part of all places that is no smaller, but for the last, so that lists of words,
/// of which each section has its own, stay few.
const SECTIONS: u32 = 16;

/// The blocks of one field.
#[derive(Debug)]
pub(super) struct Blocks {
    /// The field's place among the aspects.
    pub(super) space: usize,
    by_features: FxHashMap<Vec<u32>, usize>,
    each: Vec<Block>,
}

/// Classes that have the same values of the field.
#[derive(Debug, Clone)]
pub(super) struct Block {
    /// Their numbers.
    pub(super) classes: Range<u32>,
    /// How alike a post of another block can be in the field, 0 to 1.
    pub(super) next: f64,
}

impl Blocks {
    /// Puts the classes in the order of the blocks of the field that tells most apart; leaves them
    /// as they are where none is worth it.
    pub(super) fn sort(spaces: &[Space], classes: &mut Vec<Vec<PostId>>) -> Option<Self> {
        let (at, kinds) = choose(spaces, classes)?;
        let first = |members: &Vec<usize>| classes[members[0]][0];
        let firsts: Vec<PostId> = kinds.values().map(first).collect();
        let mut each = Vec::new();
        let mut sorted = Vec::with_capacity(classes.len());
        for (kind, members) in kinds.values().enumerate() {
            let others = firsts.iter().enumerate();
            let others = others.filter(|(other, _)| *other != kind);
            let cosines = others.map(|(_, other)| spaces[at].cosine(firsts[kind], *other));
            let start = number(sorted.len());
            let members = members.iter();
            sorted.extend(members.map(|class| std::mem::take(&mut classes[*class])));
            each.push(Block {
                classes: start..number(sorted.len()),
                next: cosines.fold(0.0, f64::max),
            });
        }
        *classes = sorted;
        let numbered = kinds.into_keys().map(<[u32]>::to_vec).zip(0..);
        Some(Self {
            space: at,
            by_features: numbered.collect(),
            each,
        })
    }

    /// The block whose posts have all that this post has of the field, and no more; `None` where
    /// it has nothing, or no post that can be found has the same.
    pub(super) fn of(&self, spaces: &[Space], post: PostId) -> Option<&Block> {
        let features = spaces[self.space].of(post).numbers;
        let known = self.by_features.get(features)?;
        (!features.is_empty()).then(|| &self.each[*known])
    }
}

/// All places in a few runs, none of which ends within a block.
pub(super) fn sections(blocks: Option<&Blocks>, classes: &Classes) -> Vec<Range<u32>> {
    let blocks = blocks.iter().flat_map(|blocks| blocks.each.iter());
    let ends = blocks.map(|block| classes.places_of(&block.classes).end);
    cut(ends, number(classes.all().len()))
}

/// The places up to `end` in runs that end at some of the `ends`, which rise.
fn cut(ends: impl Iterator<Item = u32>, end: u32) -> Vec<Range<u32>> {
    let mut sections = Vec::new();
    let mut start = 0;
    for at in ends.chain([end]) {
        if at > start && (at == end || at - start >= end / SECTIONS) {
            sections.push(start..at);
            start = at;
        }
    }
    sections
}

/// The numbers of the classes by what they have of one aspect.
type Kinds<'a> = IndexMap<&'a [u32], Vec<usize>, FxBuildHasher>;

/// The field that tells most apart, if one is worth it, and its kinds of classes.
fn choose<'a>(spaces: &'a [Space], classes: &[Vec<PostId>]) -> Option<(usize, Kinds<'a>)> {
    let fields = spaces.iter().enumerate();
    let told_apart = fields.filter_map(|(at, space)| {
        let kinds = kinds(space, classes)?;
        Some((space.weighed.part * told_apart(&kinds), at, kinds))
    });
    let best = told_apart.max_by(|a, b| a.0.total_cmp(&b.0).then(b.1.cmp(&a.1)));
    let (_, at, kinds) = best.filter(|(told_apart, ..)| *told_apart >= LEAST)?;
    Some((at, kinds))
}

/// The classes by what they have of one aspect; `None` where that is of too many kinds.
fn kinds<'a>(space: &'a Space, classes: &[Vec<PostId>]) -> Option<Kinds<'a>> {
    let mut kinds = Kinds::default();
    for (class, posts) in classes.iter().enumerate() {
        let features = space.of(posts[0]).numbers;
        kinds.entry(features).or_default().push(class);
        if kinds.len() > MOST {
            return None;
        }
    }
    Some(kinds)
}

/// How likely two classes are of two kinds, 0 to 1.
fn told_apart(kinds: &Kinds<'_>) -> f64 {
    let sizes = || kinds.values().map(|kind| f64::from(number(kind.len())));
    let all = sizes().sum::<f64>().max(1.0);
    1.0 - sizes().map(|size| (size / all).powi(2)).sum::<f64>()
}

#[cfg(test)]
mod tests {
    use super::*;
    use rstest::rstest;

    #[rstest]
    #[case::no_posts(&[], 0, &[])]
    #[case::no_blocks(&[], 100, &[(0, 100)])]
    #[case::large_blocks(&[40, 100], 100, &[(0, 40), (40, 100)])]
    // 160/16 is 10.
    #[case::small_ones_are_joined(&[4, 9, 10, 60, 155, 160], 160, &[(0, 10), (10, 60), (60, 155), (155, 160)])]
    #[case::of_few_posts(&[1, 2, 3], 3, &[(0, 1), (1, 2), (2, 3)])]
    fn sections_end_where_blocks_do(
        #[case] ends: &[u32],
        #[case] end: u32,
        #[case] expected: &[(u32, u32)],
    ) {
        let sections = cut(ends.iter().copied(), end).into_iter();
        let sections: Vec<_> = sections.map(|places| (places.start, places.end)).collect();
        assert_eq!(sections, expected);
    }
}
