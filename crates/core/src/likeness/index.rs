//! The posts of a query's sources by what they share, and the likeness of two posts.

use std::ops::Range;

use indexmap::IndexMap;
use rustc_hash::FxBuildHasher;

use super::blocks::{self, Blocks};
use super::classes::Classes;
use super::common::Commons;
use super::scores::{Laid, ScorePool};
use super::space::{Space, rough};
use super::{Aspect, Ninths, WHOLE, Weighing};
use crate::catalogue::{Catalogue, PostId};
use crate::id::TermId;

/// So many entries of lists of words are walked for a post, and for every third post one more. It
/// was found by trying: with fewer, more posts are compared.
const WALKED: usize = 1_000;

/// What makes two posts alike in one aspect.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Share {
    /// The aspect's place in the weighing.
    pub aspect: usize,
    /// Its part of the likeness; the parts of all aspects add up to it.
    pub part: Ninths,
    /// The numbers of the terms or stems that both have, those that count most first.
    pub shared: Vec<u32>,
}

/// Everything that likeness over some posts needs. Any post of the catalogue can be compared;
/// only those that were handed in are found.
#[derive(Debug)]
pub struct Index {
    pub(super) spaces: Vec<Space>,
    /// The posts that can be found, by block and then by the first post of their class.
    pub(super) classes: Classes,
    pub(super) blocks: Option<Blocks>,
    pub(super) commons: Commons,
    pub(super) scores: ScorePool,
}

impl Index {
    /// Indexes the posts that can be found; they are in rising order.
    #[must_use]
    pub fn new(catalogue: &Catalogue, weighing: &Weighing, found: &[PostId]) -> Self {
        Self::walking(catalogue, weighing, found, WALKED + found.len() / 3)
    }

    /// The same, where so many entries of lists of words are walked for a post in the mean: the
    /// words that many posts have get no list, so that it is no more.
    pub(super) fn walking(
        catalogue: &Catalogue,
        weighing: &Weighing,
        found: &[PostId],
        entries: usize,
    ) -> Self {
        let mut spaces: Vec<Space> = weighing
            .aspects
            .iter()
            .map(|weighed| Space::new(catalogue, *weighed, found, entries))
            .collect();
        let mut classes = by_terms(&spaces, found);
        let blocks = Blocks::sort(&spaces, &mut classes);
        let classes = Classes::of(&classes);
        let sections = blocks::sections(blocks.as_ref(), &classes);
        for space in &mut spaces {
            space.list(&classes, &sections);
        }
        let texts: Vec<&Space> = spaces.iter().filter(|space| !space.of_terms()).collect();
        Self {
            commons: Commons::new(classes.all(), &texts),
            spaces,
            classes,
            blocks,
            scores: ScorePool::default(),
        }
    }

    /// How alike two posts are, to nine digits.
    #[must_use]
    pub fn likeness(&self, a: PostId, b: PostId) -> Ninths {
        self.likeness_by(|_, space| space.cosine(a, b))
    }

    /// The same of the post that is laid out and another.
    pub(super) fn likeness_laid(&self, laid: &Laid, this: PostId, other: PostId) -> Ninths {
        self.likeness_by(|at, space| space.cosine_laid(&laid.components[at], this, other))
    }

    /// The likeness of two posts whose cosine in each aspect is known.
    fn likeness_by(&self, cosine: impl Fn(usize, &Space) -> f64) -> Ninths {
        let mut sum = 0.0;
        for (at, space) in self.spaces.iter().enumerate() {
            let cosine = cosine(at, space);
            if space.weighed.required && cosine <= 0.0 {
                return 0;
            }
            sum += space.weighed.part * cosine;
        }
        ninths(sum)
    }

    /// Lays out the vectors of a post.
    pub(super) fn lay_out(&self, this: PostId, laid: &mut Laid) {
        let spaces = self.spaces.len();
        laid.weights
            .resize(spaces.max(laid.weights.len()), Vec::new());
        laid.components
            .resize(spaces.max(laid.components.len()), Vec::new());
        laid.norms.clear();
        laid.marks.clear();
        let each = laid.weights.iter_mut().zip(&mut laid.components);
        for (space, (weights, components)) in self.spaces.iter().zip(each) {
            let kinds = space.idf.len();
            weights.resize(kinds.max(weights.len()), 0.0);
            components.resize(kinds.max(components.len()), 0.0);
            let norm = space.norm_of(this);
            let compared = space.compared_length(this);
            let mut squares = 0.0;
            for (at, (feature, component)) in space.components(this).enumerate() {
                let (feature, unit) = (feature as usize, component / norm);
                components[feature] = component;
                weights[feature] = rough(unit * space.idf[feature]);
                if at < compared {
                    squares += unit * unit;
                }
            }
            laid.norms.push(rough(squares.sqrt()));
            laid.marks.push(space.mark(this));
        }
    }

    /// Clears what [`Self::lay_out`] wrote.
    pub(super) fn clear(&self, this: PostId, laid: &mut Laid) {
        let laid = laid.weights.iter_mut().zip(&mut laid.components);
        for (space, (weights, components)) in self.spaces.iter().zip(laid) {
            for feature in space.of(this).numbers {
                weights[*feature as usize] = 0.0;
                components[*feature as usize] = 0.0;
            }
        }
    }

    /// How alike the post that is laid out and another are in terms, as exact as sums in single
    /// precision are.
    pub(super) fn roughly_by_terms(&self, laid: &Laid, other: PostId) -> f64 {
        let mut sum = 0.0;
        let spaces = self.spaces.iter().zip(&laid.weights);
        for (space, weights) in spaces.filter(|(space, _)| space.of_terms()) {
            let cosine = space.roughly(weights, other);
            if space.weighed.required && cosine <= 0.0 {
                return 0.0;
            }
            sum += space.weighed.part * cosine;
        }
        sum
    }

    /// The sections that any of some places are in.
    pub(super) fn sections(&self, places: &Range<u32>) -> Vec<Range<u32>> {
        let first = self.texts().next();
        let sections = first.map(|(_, space)| space.words_about(places));
        let sections = sections.into_iter().flatten();
        sections.map(|(section, _)| section).collect()
    }

    /// What the common words add to the likeness of the post that is laid out and the one at a
    /// place; not a number where that has one too often.
    pub(super) fn in_common(&self, laid: &Laid, place: u32) -> f64 {
        let each = self.texts().enumerate();
        each.map(|text| self.in_common_of(laid, text, place)).sum()
    }

    /// The same of one aspect, with its number among those of words and its place among all.
    pub(super) fn in_common_of(
        &self,
        laid: &Laid,
        (text, (at, space)): (usize, (usize, &Space)),
        place: u32,
    ) -> f64 {
        let cosine = self.commons.cosine(&laid.weights[at], place, text);
        space.weighed.part * f64::from(cosine)
    }

    /// Whether words are looked at.
    pub(super) fn has_texts(&self) -> bool {
        self.texts().next().is_some()
    }

    /// The aspects of words, with their places among all.
    pub(super) fn texts(&self) -> impl Iterator<Item = (usize, &Space)> {
        let spaces = self.spaces.iter().enumerate();
        spaces.filter(|(_, space)| !space.of_terms())
    }

    /// Whether there are posts that are not alike at all whatever they share.
    pub(super) fn requires(&self) -> bool {
        self.spaces.iter().any(|space| space.weighed.required)
    }

    /// The terms that two posts share and that count for their likeness: by term field in the
    /// order of the settings, and of a field's those that count most first.
    pub fn shared_terms(&self, a: PostId, b: PostId) -> impl Iterator<Item = (usize, TermId)> {
        let counted = self.spaces.iter().filter(|space| space.weighed.part > 0.0);
        let fields = counted.filter_map(move |space| match space.weighed.aspect {
            Aspect::Terms(field) => Some((field, space.shared(a, b))),
            Aspect::Title | Aspect::Body => None,
        });
        fields.flat_map(|(field, shared)| {
            let terms = shared.into_iter().map(TermId);
            terms.map(move |term| (field, term))
        })
    }

    /// A likeness taken apart: an entry for each aspect that counts, in the order of the
    /// settings. The parts add up to the likeness.
    #[must_use]
    pub fn shares(&self, a: PostId, b: PostId) -> Vec<Share> {
        let whole = self.likeness(a, b);
        let parts: Vec<f64> = self
            .spaces
            .iter()
            .map(|space| space.weighed.part * space.cosine(a, b) * f64::from(WHOLE))
            .collect();
        let counted = self
            .spaces
            .iter()
            .enumerate()
            .filter(|(_, space)| space.weighed.part > 0.0);
        let mut shares: Vec<(f64, Share)> = counted
            .map(|(aspect, space)| {
                let exact = if whole == 0 { 0.0 } else { parts[aspect] };
                let share = Share {
                    aspect,
                    part: floor(exact),
                    shared: space.shared(a, b),
                };
                (exact.fract(), share)
            })
            .collect();
        // What rounding down lost goes to those that lost most.
        let sum: Ninths = shares.iter().map(|(_, share)| share.part).sum();
        let mut order: Vec<usize> = (0..shares.len()).collect();
        order.sort_by(|a, b| shares[*b].0.total_cmp(&shares[*a].0).then(a.cmp(b)));
        for at in order
            .into_iter()
            .cycle()
            .take(whole.saturating_sub(sum) as usize)
        {
            shares[at].1.part += 1;
        }
        shares.into_iter().map(|(_, share)| share).collect()
    }
}

/// A sum of parts to nine digits.
fn ninths(sum: f64) -> Ninths {
    floor((sum.clamp(0.0, 1.0) * f64::from(WHOLE)).round())
}

#[expect(
    clippy::cast_possible_truncation,
    clippy::cast_sign_loss,
    reason = "0 to WHOLE"
)]
fn floor(value: f64) -> Ninths {
    value.clamp(0.0, f64::from(WHOLE)) as Ninths
}

/// The posts by equal terms, by their first post.
fn by_terms(spaces: &[Space], found: &[PostId]) -> Vec<Vec<PostId>> {
    let mut classes: IndexMap<Vec<u32>, Vec<PostId>, FxBuildHasher> = IndexMap::default();
    for id in found {
        let mut key = Vec::new();
        for space in spaces.iter().filter(|space| space.of_terms()) {
            key.extend(space.of(*id).numbers);
            key.push(u32::MAX);
        }
        classes.entry(key).or_default().push(*id);
    }
    classes.into_values().collect()
}
