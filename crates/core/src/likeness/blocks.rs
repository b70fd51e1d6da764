//! Posts by their values of one field that tells a few kinds of posts apart, such as the category.
//!
//! Within a block all are equally alike a post in that field. So what shares all of a post's
//! values of it is looked at first, and where the best of them are more alike than anything
//! else could be, the other blocks need not be looked at.

use std::ops::Range;

use indexmap::IndexMap;
use rustc_hash::{FxBuildHasher, FxHashMap};

use super::space::Space;
use crate::catalogue::PostId;
use crate::id::number;

/// A field with more kinds of posts than this is left.
const MOST: usize = 256;

/// The part of the likeness that blocks tell apart at least; less is not worth it.
const LEAST: f64 = 0.05;

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
    /// Chooses the field that tells most apart, if one is worth it, and puts the classes in the
    /// order of its blocks, else leaves them as they are.
    pub(super) fn sort(spaces: &[Space], classes: &mut Vec<Vec<PostId>>) -> Option<Self> {
        let fields = spaces.iter().enumerate();
        let kinds = fields.filter_map(|(at, space)| {
            let kinds = Kinds::of(space, classes)?;
            Some((
                space.weighed.part * kinds.told_apart(classes.len()),
                at,
                kinds,
            ))
        });
        let best = kinds.max_by(|a, b| a.0.total_cmp(&b.0).then(b.1.cmp(&a.1)));
        // Words are never quite alike, so that others can be more alike than the best of a block
        // where words count as much.
        let of_words = spaces.iter().filter(|space| !space.of_terms());
        let words: f64 = of_words.map(|space| space.weighed.part).sum();
        let worth_it =
            |told_apart: f64, at: usize| told_apart >= LEAST && spaces[at].weighed.part > words;
        let (_, at, kinds) = best.filter(|(told_apart, at, _)| worth_it(*told_apart, *at))?;
        let firsts: Vec<PostId> = kinds
            .of
            .values()
            .map(|first| classes[first[0]][0])
            .collect();
        let mut each = Vec::new();
        let mut sorted = Vec::with_capacity(classes.len());
        for (kind, members) in kinds.of.values().enumerate() {
            let others = firsts
                .iter()
                .enumerate()
                .filter(|(other, _)| *other != kind);
            let cosines = others.map(|(_, other)| spaces[at].cosine(firsts[kind], *other));
            let start = number(sorted.len());
            sorted.extend(
                members
                    .iter()
                    .map(|class| std::mem::take(&mut classes[*class])),
            );
            each.push(Block {
                classes: start..number(sorted.len()),
                next: cosines.fold(0.0, f64::max),
            });
        }
        *classes = sorted;
        let numbered = kinds.of.into_keys().zip(0..);
        Some(Self {
            space: at,
            by_features: numbered
                .map(|(features, at)| (features.to_vec(), at))
                .collect(),
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

/// The classes by what they have of one aspect.
struct Kinds<'a> {
    of: IndexMap<&'a [u32], Vec<usize>, FxBuildHasher>,
}

impl<'a> Kinds<'a> {
    /// `None` where that is no field of terms, does not count, or has too many kinds.
    fn of(space: &'a Space, classes: &[Vec<PostId>]) -> Option<Self> {
        if !space.of_terms() || space.weighed.part <= 0.0 {
            return None;
        }
        let mut of: IndexMap<&[u32], Vec<usize>, FxBuildHasher> = IndexMap::default();
        for (class, posts) in classes.iter().enumerate() {
            of.entry(space.of(posts[0]).numbers)
                .or_default()
                .push(class);
            if of.len() > MOST {
                return None;
            }
        }
        Some(Self { of })
    }

    /// How likely two classes are of two kinds, 0 to 1.
    fn told_apart(&self, classes: usize) -> f64 {
        let all = f64::from(number(classes.max(1)));
        let shares = self
            .of
            .values()
            .map(|kind| f64::from(number(kind.len())) / all);
        1.0 - shares.map(|share| share * share).sum::<f64>()
    }
}
