//! The posts that are most alike one, exactly, without comparing all.
//!
//! Posts of the same terms are a class. The lists of what the post has are walked, those first
//! that tell most for their length, and rough scores are added up. After some of them the best are
//! compared in full. No class that was not met can be more alike than what is left of the post's
//! own vectors: by Cauchy and Schwarz the length of the part that was not walked yet, aspect by
//! aspect. As soon as that is less than the last of the best, the other lists need not be walked,
//! and of what was met only that is compared whose score could still reach it. Where a field
//! splits the posts into blocks, the post's own block is searched so before all others.

use std::ops::Range;

use super::best::{Best, HighestFirst, highest, last_of_best};
use super::index::Index;
use super::scores::Scores;
use super::space::{Lists, Space, rough};
use super::{Ninths, WHOLE};
use crate::catalogue::PostId;
use crate::id::number;

/// More than the error of a rough score: sums of at most some thousand single-precision products.
pub(super) const MARGIN: f64 = 1e-4;

/// So few are compared without more ado.
const FEW: usize = 16;

/// For each post that would be compared, so many entries of a list may be walked first.
const ENTRIES: usize = 80;

/// One list to be walked.
pub(super) struct Walk<'a> {
    list: &'a [(u32, f32)],
    space: usize,
    /// The component of the post's vector of length 1.
    component: f64,
    /// What it tells for its length.
    gain: f64,
}

/// The block of the post's own.
pub(super) struct Own<'a> {
    pub(super) classes: &'a Range<u32>,
    /// The aspect in which all of them are equally alike the post: its lists are not walked.
    pub(super) space: usize,
    /// The part of the likeness that all of them have by it.
    pub(super) sure: f64,
    /// The most that a post of another block can have by it.
    pub(super) next: f64,
    /// The most that a post of another block can have by terms.
    pub(super) beyond: f64,
}

impl Index {
    /// The posts that share anything with `this`, in rising order, itself too if it can be found;
    /// `None` where words count, as nearly all posts share some.
    #[must_use]
    pub fn sharing(&self, this: PostId) -> Option<Vec<PostId>> {
        if self.has_texts() {
            return None;
        }
        let mut met: Vec<u32> = Vec::new();
        for space in self.spaces.iter().filter(|space| space.weighed.part > 0.0) {
            for feature in space.of(this).numbers {
                met.extend(space.lists.of(*feature).iter().map(|(class, _)| *class));
            }
        }
        met.sort_unstable();
        met.dedup();
        let mut posts: Vec<PostId> = met
            .iter()
            .flat_map(|class| self.classes.posts(*class))
            .copied()
            .collect();
        posts.sort_unstable();
        Some(posts)
    }

    /// The `wanted` posts most alike to `this` among those that `fits` lets through, with `ties`
    /// all that are as alike as the last of them too; most alike first, of equals those with
    /// lower numbers. Posts of likeness 0 are not among them.
    pub fn nearest(
        &self,
        this: PostId,
        wanted: usize,
        ties: bool,
        fits: impl Fn(PostId) -> bool,
    ) -> Vec<(PostId, Ninths)> {
        if wanted == 0 {
            return Vec::new();
        }
        self.scores.with(|scores| {
            scores
                .of
                .resize(self.classes.len().max(scores.of.len()), 0.0);
            self.lay_out(this, &mut scores.laid);
            let mut search = Search {
                index: self,
                this,
                wanted,
                ties,
                fits: &fits,
                scores,
                step: 0.0,
                lost: 0.0,
                margin: MARGIN,
            };
            let found = if self.has_texts() {
                search.with_words()
            } else {
                search.in_terms()
            };
            self.clear(this, &mut scores.laid);
            scores.compared.clear();
            scores.forget();
            found
        })
    }

    /// What the post has in terms, but for the aspect `without`, that first which tells most for its
    /// length.
    pub(super) fn walks<'a>(
        &'a self,
        this: PostId,
        without: Option<usize>,
        part: impl Fn(&'a Lists, u32) -> &'a [(u32, f32)],
    ) -> Vec<Walk<'a>> {
        let mut walks = Vec::new();
        for (space, known) in self.spaces.iter().enumerate() {
            let weight = known.weighed.part;
            if weight <= 0.0 || !known.of_terms() || without == Some(space) {
                continue;
            }
            walks.extend(known.compared_unit(this).map(|(term, component)| {
                let list = part(&known.lists, term);
                let length = number(list.len());
                Walk {
                    list,
                    space,
                    component,
                    gain: weight * component * component / f64::from(length.max(1)),
                }
            }));
        }
        walks.sort_unstable_by(|a, b| {
            let gain = b.gain.total_cmp(&a.gain);
            gain.then_with(|| a.component.total_cmp(&b.component))
        });
        walks
    }

    /// The block of the post, if there are blocks and it is in one.
    pub(super) fn own(&self, this: PostId) -> Option<Own<'_>> {
        let blocks = self.blocks.as_ref()?;
        let block = blocks.of(&self.spaces, this)?;
        let part = self.spaces[blocks.space].weighed.part;
        Some(Own {
            classes: &block.classes,
            space: blocks.space,
            sure: part,
            next: part * block.next,
            beyond: self.most(this) - part * (1.0 - block.next),
        })
    }

    /// How alike another post can be to this one by terms at most: in all that it has.
    fn most(&self, this: PostId) -> f64 {
        let has = |space: &&Space| space.of_terms() && !space.of(this).numbers.is_empty();
        let spaces = self.spaces.iter().filter(has);
        spaces.map(|space| space.weighed.part).sum()
    }
}

/// What was compared roughly and may be among the wanted.
pub(super) struct Compared {
    best: Best<f64>,
    near: Vec<(f64, u32)>,
    /// The places that were looked at before all others.
    pub(super) first: Vec<u32>,
}

impl Compared {
    pub(super) fn of(wanted: usize) -> Self {
        Self {
            best: Best::of(wanted),
            near: Vec::new(),
            first: Vec::new(),
        }
    }

    /// The rough likeness that the last of the wanted has at least, where each is off by no more
    /// than a margin; 0 while there are too few.
    pub(super) fn least(&self, margin: f64) -> f64 {
        self.best.last().map_or(0.0, |last| last - 2.0 * margin)
    }
}

pub(super) struct Search<'a, F> {
    pub(super) index: &'a Index,
    pub(super) this: PostId,
    pub(super) wanted: usize,
    ties: bool,
    pub(super) fits: &'a F,
    pub(super) scores: &'a mut Scores,
    /// How much likeness a step of the scores of words is.
    pub(super) step: f64,
    /// Half of the steps that rounding can have lost of a score.
    pub(super) lost: f64,
    /// More than a rough likeness is off.
    pub(super) margin: f64,
}

impl<F: Fn(PostId) -> bool> Search<'_, F> {
    /// Looks among those of the post's own block first; where others could be as alike, among all.
    fn in_terms(&mut self) -> Vec<(PostId, Ninths)> {
        let mut floor = 0.0;
        if let Some(own) = self.index.own(self.this) {
            let among = |lists, term| Lists::among(lists, term, own.classes);
            let walks = self.index.walks(self.this, Some(own.space), among);
            let (least, bound) = self.walk(walks, own.sure, floor, true);
            if least > bound.max(own.beyond) + MARGIN {
                let near = self.near(least - bound - MARGIN);
                return self.compare(near, bound);
            }
            floor = least;
            self.scores.forget();
        }
        let (near, bound) = self.near_in_terms(floor);
        self.compare(near, bound)
    }

    /// Of all posts those that can be among the wanted by terms alone, the last of which has at
    /// least `floor`; and the most that can be added to a score.
    pub(super) fn near_in_terms(&mut self, floor: f64) -> (Vec<(f64, u32)>, f64) {
        let walks = self.index.walks(self.this, None, Lists::of);
        let (floor, bound) = self.walk(walks, 0.0, floor, true);
        (self.near(floor - bound - MARGIN), bound)
    }

    /// Walks lists as far as a post that is not met could be among the wanted: what their rest
    /// and `more` can add. Gives the floor, which `rises` where terms are all that counts, and the
    /// most that can be added to a score.
    pub(super) fn walk(
        &mut self,
        walks: Vec<Walk<'_>>,
        more: f64,
        mut floor: f64,
        rises: bool,
    ) -> (f64, f64) {
        let mut left = self.left(&walks);
        let mut bound = more + self.bound(&left);
        let (mut walked, mut look_at) = (0, 64);
        // What can still be among the wanted, when all that could be were met.
        let mut near: Option<Vec<u32>> = None;
        for walk in walks {
            if near.is_none() && (walked >= look_at || !rises) {
                if rises {
                    floor = f64::max(floor, self.floor());
                }
                look_at = walked * 4;
                near = (bound + MARGIN < floor).then(|| self.scores.met.clone());
            }
            // A list that is shorter than what is near costs less than to look whether it is needed.
            if let Some(near) = near.as_mut().filter(|near| walk.list.len() > near.len()) {
                let least = floor - bound - MARGIN;
                near.retain(|class| f64::from(self.scores.of[*class as usize]) >= least);
                // To walk on makes fewer to be compared, and is worth it while it costs less.
                if near.len() <= FEW || walk.list.len() > near.len() * ENTRIES {
                    return (floor, bound);
                }
            }
            self.add(&walk, near.is_some());
            walked += walk.list.len();
            left[walk.space] = (left[walk.space] - walk.component * walk.component).max(0.0);
            bound = more + self.bound(&left);
        }
        if rises {
            floor = f64::max(floor, self.floor());
        }
        (floor, bound)
    }

    /// What was met with a score of at least `least`.
    pub(super) fn near(&self, least: f64) -> Vec<(f64, u32)> {
        let met = self.scores.met.iter();
        let met = met.map(|class| (self.score(*class), *class));
        met.filter(|(score, _)| *score >= least).collect()
    }

    pub(super) fn score(&self, class: u32) -> f64 {
        f64::from(self.scores.of[class as usize])
    }

    /// The squared length of each aspect's vector.
    fn left(&self, walks: &[Walk<'_>]) -> Vec<f64> {
        let mut left = vec![0.0; self.index.spaces.len()];
        for walk in walks {
            left[walk.space] += walk.component * walk.component;
        }
        left
    }

    /// The most that lists that were not walked can add to a likeness.
    fn bound(&self, left: &[f64]) -> f64 {
        let spaces = self.index.spaces.iter().zip(left);
        spaces
            .map(|(space, left)| space.weighed.part * left.sqrt())
            .sum()
    }

    /// Adds a list to the scores, `only_met` of what was met before.
    fn add(&mut self, walk: &Walk<'_>, only_met: bool) {
        let part = self.index.spaces[walk.space].weighed.part;
        let own = rough(part * walk.component);
        let Scores { of, met, .. } = &mut *self.scores;
        let of = of.as_mut_slice();
        for (class, component) in walk.list {
            let score = &mut of[*class as usize];
            if *score == 0.0 {
                if only_met {
                    continue;
                }
                met.push(*class);
            }
            // Never 0 again, so that no class is met twice.
            *score += (own * component).max(f32::MIN_POSITIVE);
        }
    }

    /// The likeness that the last of the wanted posts has at least: that of the last among the
    /// best so far; 0 while there are too few.
    fn floor(&mut self) -> f64 {
        let Scores {
            of,
            met,
            laid,
            compared,
            ..
        } = &mut *self.scores;
        let met = met.iter();
        let met = met.map(|class| (f64::from(of[*class as usize]), *class));
        let rank = |_, class: u32| {
            let posts = self.index.classes.posts(class);
            let count = count_fitting(posts, self.wanted, self.fits);
            let compare = || self.index.roughly_by_terms(laid, posts[0]);
            let likeness = (count > 0).then(|| *compared.entry(class).or_insert_with(compare))?;
            Some((likeness - MARGIN, count))
        };
        let best = |most| highest(met.clone(), most);
        last_of_best(best, self.wanted, rank).unwrap_or(0.0)
    }

    /// What is near in full, as far as a score with `bound` added can reach the last of the wanted
    /// posts: first roughly, and exactly what may then be among the wanted.
    fn compare(&self, near: Vec<(f64, u32)>, bound: f64) -> Vec<(PostId, Ninths)> {
        let mut compared = Compared::of(self.wanted);
        self.compare_roughly(near, bound, &mut compared);
        self.compare_exactly(compared)
    }

    /// The rough likeness of what may be among the wanted.
    pub(super) fn compare_roughly(
        &self,
        near: Vec<(f64, u32)>,
        bound: f64,
        compared: &mut Compared,
    ) {
        for (score, member) in HighestFirst::of(near) {
            if score + bound + self.margin < compared.least(self.margin) {
                break;
            }
            if let Some(first) = self.fitting(member).next() {
                self.take_in(member, self.roughly(member, first), compared);
            }
        }
    }

    /// Takes in what may be among the wanted, if it still may.
    pub(super) fn take_in(&self, member: u32, likeness: f64, compared: &mut Compared) {
        if likeness < compared.least(self.margin) {
            return;
        }
        compared.near.push((likeness, member));
        let best = &mut compared.best;
        if best.last().is_none_or(|last| likeness > last) {
            best.insert(likeness, member, self.fitting(member));
        }
    }

    /// Of what was compared roughly the wanted posts, exactly.
    pub(super) fn compare_exactly(&self, compared: Compared) -> Vec<(PostId, Ninths)> {
        let least = compared.least(self.margin);
        let mut near = compared.near;
        near.retain(|(likeness, _)| *likeness >= least);
        let mut best: Best<Ninths> = Best::of(self.wanted);
        for (likeness, member) in HighestFirst::of(near) {
            let last = best.last().unwrap_or(1);
            if likeness + self.margin < f64::from(last) / f64::from(WHOLE) {
                break;
            }
            let Some(first) = self.fitting(member).next() else {
                continue;
            };
            let laid = &self.scores.laid;
            let likeness = self.index.likeness_laid(laid, self.this, first);
            if likeness >= last {
                best.insert(likeness, member, self.fitting(member));
            }
        }
        let each = if self.ties { usize::MAX } else { self.wanted };
        let posts = best.ranked.into_iter().flat_map(|(likeness, member, _)| {
            let fitting = self.fitting(member).take(each);
            fitting.map(move |post| (post, likeness))
        });
        let mut found: Vec<(PostId, Ninths)> = posts.collect();
        found.sort_unstable_by(|a, b| b.1.cmp(&a.1).then(a.0.cmp(&b.0)));
        if !self.ties {
            found.truncate(self.wanted);
        }
        found
    }

    /// How alike a class whose first post that fits is known, or the post at a place is, roughly.
    fn roughly(&self, member: u32, first: PostId) -> f64 {
        if self.index.has_texts() {
            return self.roughly_with_words(member);
        }
        let known = self.scores.compared.get(&member).copied();
        known.unwrap_or_else(|| self.index.roughly_by_terms(&self.scores.laid, first))
    }

    /// The posts that are let through of a class, in rising order, or where there are texts the
    /// one at a place.
    fn fitting(&self, member: u32) -> impl Iterator<Item = PostId> {
        let classes = &self.index.classes;
        let posts = if self.index.has_texts() {
            std::slice::from_ref(&classes.all()[member as usize])
        } else {
            classes.posts(member)
        };
        let posts = posts.iter().copied();
        posts.filter(|post| (self.fits)(*post))
    }
}

/// How many of some posts are let through, at most all wanted.
pub(super) fn count_fitting(
    posts: &[PostId],
    wanted: usize,
    fits: impl Fn(PostId) -> bool,
) -> usize {
    let fitting = posts.iter().filter(|post| fits(**post));
    fitting.take(wanted).count()
}
