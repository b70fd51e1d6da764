//! The posts that are most alike one, exactly, without comparing all.
//!
//! First terms, by class of posts that have the same. The lists of what the post has are walked,
//! those first that tell most for their length, and rough scores are added up. After some of them
//! the best are compared in full. No class that was not met can be more alike than what is left of
//! the post's own vectors: by Cauchy and Schwarz the length of the part that was not walked yet,
//! aspect by aspect. As soon as that is less than the last of the best, the other lists need not
//! be walked. Where a field splits the posts into blocks, the post's own block is searched so
//! before all others.
//!
//! Then words, post by post of the classes that are near. The lists of the telling words that the
//! post has are walked in full. What the common ones, that have no list, can add is again at most
//! the product of two lengths: of what both posts have of them. That is little, so that but a few
//! must be compared, those first that can be most alike.

use std::cell::RefCell;
use std::ops::Range;

use rustc_hash::FxHashMap;

use super::best::{Best, HighestFirst, at_least, highest, highest_of, last_of_best};
use super::index::{Index, Laid};
use super::space::{Space, rough};
use super::{Ninths, WHOLE};
use crate::catalogue::PostId;
use crate::id::number;

/// More than the error of a rough score: sums of at most some thousand single-precision products.
const MARGIN: f64 = 1e-4;

/// So few are compared without more ado.
const FEW: usize = 16;

/// For each post that would be compared, so many entries of a list may be walked first.
const ENTRIES: usize = 80;

/// The part of what words can say that is much.
const MUCH: f64 = 0.25;

/// One list to be walked.
struct Walk<'a> {
    list: &'a [(u32, f32)],
    space: usize,
    /// The component of the post's vector of length 1.
    component: f64,
    /// What it tells for its length.
    gain: f64,
}

/// Rough scores by class, all 0 between searches, and room for a post's vectors.
#[derive(Default)]
struct Scores {
    of: Vec<f32>,
    met: Vec<u32>,
    /// Rough scores by place of what words add, all 0 between searches.
    words: Vec<f32>,
    /// The places where these are much.
    much: Vec<u32>,
    laid: Laid,
    /// The rough likeness in terms of the classes that were compared.
    compared: FxHashMap<u32, f64>,
}

impl Scores {
    /// All scores are 0 again.
    fn forget(&mut self) {
        for class in self.met.drain(..) {
            self.of[class as usize] = 0.0;
        }
    }
}

/// The block of the post's own, to look among its classes alone.
struct Own<'a> {
    classes: &'a Range<u32>,
    /// The aspect in which all of them are equally alike the post: its lists are not walked.
    space: usize,
    /// The part of the likeness that all of them have by it.
    sure: f64,
    /// The most that a post of another block can have by it, and in all.
    next: f64,
    beyond: f64,
}

thread_local! {
    static SCORES: RefCell<Scores> = RefCell::new(Scores::default());
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
        SCORES.with_borrow_mut(|scores| {
            scores
                .of
                .resize(self.classes.len().max(scores.of.len()), 0.0);
            let places = self.classes.all().len().max(scores.words.len());
            scores.words.resize(places, 0.0);
            self.lay_out(this, &mut scores.laid);
            let mut search = Search {
                index: self,
                this,
                wanted,
                ties,
                fits: &fits,
                scores,
                rest: 0.0,
            };
            let found = search.run();
            self.clear(this, &mut scores.laid);
            scores.compared.clear();
            scores.forget();
            found
        })
    }

    /// The terms that the post has, that first which tells most for its length.
    fn walks(&self, this: PostId, own: Option<&Own<'_>>) -> Vec<Walk<'_>> {
        let mut walks = Vec::new();
        for (space, known) in self.spaces.iter().enumerate() {
            let part = known.weighed.part;
            let is_sure = own.is_some_and(|own| own.space == space);
            if part <= 0.0 || !known.of_terms() || is_sure {
                continue;
            }
            walks.extend(known.unit(this).map(|(feature, component)| {
                let list = match own {
                    Some(own) => known.lists.among(feature, own.classes),
                    None => known.lists.of(feature),
                };
                let length = number(list.len());
                Walk {
                    list,
                    space,
                    component,
                    gain: part * component * component / f64::from(length.max(1)),
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
    fn own(&self, this: PostId) -> Option<Own<'_>> {
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

    /// How alike another post can be to this one at most: in all that it has.
    fn most(&self, this: PostId) -> f64 {
        let has = |space: &&Space| !space.of(this).numbers.is_empty();
        let spaces = self.spaces.iter().filter(has);
        spaces.map(|space| space.weighed.part).sum()
    }
}

struct Search<'a, F> {
    index: &'a Index,
    this: PostId,
    wanted: usize,
    ties: bool,
    fits: &'a F,
    scores: &'a mut Scores,
    /// What terms that were not walked can add.
    rest: f64,
}

impl<F: Fn(PostId) -> bool> Search<'_, F> {
    /// Looks among those of the post's own block first; where others could be as alike, among all.
    fn run(&mut self) -> Vec<(PostId, Ninths)> {
        if self.index.has_texts() {
            return self.with_words();
        }
        let mut floor = 0.0;
        if let Some(own) = self.index.own(self.this) {
            let walks = self.index.walks(self.this, Some(&own));
            let (least, bound) = self.walk(walks, own.sure, floor);
            if least > bound.max(own.beyond) + MARGIN {
                let near = self.near(least - bound - MARGIN);
                return self.compare(near, bound);
            }
            floor = least;
            self.scores.forget();
        }
        let walks = self.index.walks(self.this, None);
        let (floor, bound) = self.walk(walks, 0.0, floor);
        let near = self.near(floor - bound - MARGIN);
        self.compare(near, bound)
    }

    /// Adds up what all lists say. Of the posts of which words say much each is looked at, of all
    /// others only those that are near by their terms.
    fn with_words(&mut self) -> Vec<(PostId, Ninths)> {
        let words: f64 = self.index.texts().map(|space| space.weighed.part).sum();
        let much = words * MUCH;
        self.add_words(rough(much));
        let unmet = self.add_terms();
        let floor = self.floor();
        let least = floor - self.rest - much - self.index.most_in_common(self.this) - 2.0 * MARGIN;
        let of = &self.scores.of[..self.index.classes.len()];
        // Where what shares no term can be among the wanted, all are near.
        let least = if least > unmet { least } else { 0.0 };
        let near = at_least(of, rough(least));
        let classes = &self.index.classes;
        let near = near.iter().flat_map(|(score, class)| {
            let places = classes.places(*class);
            places.map(|place| (*score, place))
        });
        let much = self.scores.much.iter();
        let much = much.map(|place| (self.score(classes.class_at(*place)), *place));
        let much = much.filter(|(score, _)| *score < least);
        let near = self.near_by_words(near.chain(much), floor - self.rest);
        let found = self.compare(near, self.rest);
        self.scores.words.fill(0.0);
        self.scores.of.fill(0.0);
        self.scores.much.clear();
        found
    }

    /// Adds all lists of terms to the scores by class. Gives the most that a class without a score
    /// can have.
    fn add_terms(&mut self) -> f64 {
        let own = self.index.own(self.this);
        let space = own.as_ref().map(|own| own.space);
        for walk in self
            .index
            .walks(self.this, None)
            .iter()
            .filter(|walk| Some(walk.space) != space)
        {
            let part = self.index.spaces[walk.space].weighed.part;
            let own = rough(part * walk.component);
            let of = self.scores.of.as_mut_slice();
            for (class, component) in walk.list {
                of[*class as usize] += own * component;
            }
        }
        let Some(own) = own else { return 0.0 };
        let sure = rough(own.sure);
        for class in own.classes.clone() {
            self.scores.of[class as usize] += sure;
        }
        self.rest = own.next;
        self.rest
    }

    /// Adds the lists of words to the scores by place, and notes which are `much`.
    fn add_words(&mut self, much: f32) {
        let mut lists: Vec<(&[(u32, f32)], f32)> = Vec::new();
        for space in self.index.texts() {
            let part = rough(space.weighed.part);
            let listed = space.listed(self.this);
            lists.extend(listed.map(|(list, component)| (list, part * rough(component))));
        }
        // All lists are asked for before the first is walked, as the memory is slow to answer.
        let heads = lists.iter().filter_map(|(list, _)| list.first());
        std::hint::black_box(heads.fold(0, |all, (place, _)| all ^ place));
        let Scores {
            words,
            much: places,
            ..
        } = &mut *self.scores;
        let words = words.as_mut_slice();
        for (list, own) in lists {
            for (place, component) in list {
                let score = &mut words[*place as usize];
                let before = *score;
                *score += own * component;
                if before < much && *score >= much {
                    places.push(*place);
                }
            }
        }
    }

    /// The places that could be among the wanted, of those with what terms say, with the most that
    /// they can have as far as terms were walked.
    fn near_by_words(&self, near: impl Iterator<Item = (f64, u32)>, floor: f64) -> Vec<(f64, u32)> {
        let own = |space: &Space| rough(space.weighed.part) * space.common_of(self.this);
        let common: Vec<(f32, &Space)> = self
            .index
            .texts()
            .map(|space| (own(space), space))
            .collect();
        let most = self.index.most_in_common(self.this);
        let floor = floor - 2.0 * MARGIN;
        let mut posts = Vec::new();
        for (score, place) in near {
            let score = score + f64::from(self.scores.words[place as usize]);
            if score + most < floor {
                continue;
            }
            let common = common
                .iter()
                .map(|(own, space)| own * space.common_at(place));
            let most = score + f64::from(common.sum::<f32>());
            if most >= floor {
                posts.push((most, place));
            }
        }
        posts
    }

    /// Walks lists as far as a post that is not met could be among the wanted: what their rest
    /// and `more` can add. Gives the floor, and the most that can be added to a score.
    fn walk(&mut self, walks: Vec<Walk<'_>>, more: f64, mut floor: f64) -> (f64, f64) {
        let mut left = self.left(&walks);
        let mut bound = more + self.bound(&left);
        let (mut walked, mut look_at) = (0, 64);
        // What can still be among the wanted, when all that could be were met.
        let mut near: Option<Vec<u32>> = None;
        for walk in walks {
            if near.is_none() && walked >= look_at {
                floor = f64::max(floor, self.floor());
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
        (f64::max(floor, self.floor()), bound)
    }

    /// What was met with a score of at least `least`.
    fn near(&self, least: f64) -> Vec<(f64, u32)> {
        let met = self.scores.met.iter();
        let met = met.map(|class| (self.score(*class), *class));
        met.filter(|(score, _)| *score >= least).collect()
    }

    fn score(&self, class: u32) -> f64 {
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

    /// The likeness that the last of the wanted posts has at least: that in terms of the last among
    /// the best so far; 0 while there are too few, or where words decide whether posts are alike
    /// at all.
    fn floor(&mut self) -> f64 {
        if self.index.texts().any(|space| space.weighed.required) {
            return 0.0;
        }
        let Scores {
            of,
            met,
            laid,
            compared,
            ..
        } = &mut *self.scores;
        let has_texts = self.index.has_texts();
        let is_sum = has_texts && !self.index.requires();
        let best = |most| {
            if has_texts {
                return highest_of(of, most);
            }
            let met = met.iter();
            let met = met.map(|class| (f64::from(of[*class as usize]), *class));
            highest(met, most)
        };
        let rank = |score, class: u32| {
            let posts = self.index.classes.posts(class);
            let fitting = posts.iter().filter(|post| (self.fits)(**post));
            let count = fitting.take(self.wanted).count();
            if is_sum {
                return Some((score - MARGIN, count));
            }
            let compare = || self.index.roughly(laid, posts[0]);
            let likeness = (count > 0).then(|| *compared.entry(class).or_insert_with(compare))?;
            Some((likeness - MARGIN, count))
        };
        last_of_best(best, self.wanted, rank).unwrap_or(0.0)
    }

    /// What is near in full, as far as a score with `bound` added can reach the last of the wanted
    /// posts: first roughly, and exactly what may then be among the wanted.
    fn compare(&self, near: Vec<(f64, u32)>, bound: f64) -> Vec<(PostId, Ninths)> {
        let near = self.compare_roughly(near, bound);
        let mut best: Best<Ninths> = Best::of(self.wanted);
        for (likeness, member) in HighestFirst::of(near) {
            let last = best.last().unwrap_or(1);
            if likeness + MARGIN < f64::from(last) / f64::from(WHOLE) {
                break;
            }
            let Some(first) = self.fitting(member).next() else {
                continue;
            };
            let likeness = self.index.likeness(self.this, first);
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

    /// The rough likeness of what may be among the wanted.
    fn compare_roughly(&self, near: Vec<(f64, u32)>, bound: f64) -> Vec<(f64, u32)> {
        let mut compared = Vec::new();
        let mut best: Best<f64> = Best::of(self.wanted);
        for (score, member) in HighestFirst::of(near) {
            let least = best.last().map_or(0.0, |last| last - 2.0 * MARGIN);
            if score + bound + MARGIN < least {
                break;
            }
            let Some(first) = self.fitting(member).next() else {
                continue;
            };
            let likeness = self.roughly(member, first);
            if likeness < least {
                continue;
            }
            compared.push((likeness, member));
            if best.last().is_none_or(|last| likeness > last) {
                best.insert(likeness, member, self.fitting(member));
            }
        }
        let least = best.last().map_or(0.0, |last| last - 2.0 * MARGIN);
        compared.retain(|(likeness, _)| *likeness >= least);
        compared
    }

    /// How alike a post is, the `first` of a class or the one at a place, roughly.
    fn roughly(&self, member: u32, first: PostId) -> f64 {
        let Scores {
            words,
            laid,
            compared,
            ..
        } = &*self.scores;
        if !self.index.has_texts() {
            let known = compared.get(&member).copied();
            return known.unwrap_or_else(|| self.index.roughly(laid, first));
        }
        let exactly = || f64::from(self.index.likeness(self.this, first)) / f64::from(WHOLE);
        if self.index.requires() {
            return exactly();
        }
        let common = self.index.in_common(laid, first, member);
        let terms = if self.rest > MARGIN / 100.0 {
            self.index.roughly(laid, first)
        } else {
            self.score(self.index.classes.class_at(member))
        };
        let likeness = terms + f64::from(words[member as usize]) + common;
        if likeness.is_nan() {
            exactly()
        } else {
            likeness
        }
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
