//! The posts that are most alike one, exactly, without comparing all.
//!
//! The lists of what the post has are walked, those first that tell most for their length, and
//! rough scores are added up. After some of them the best are compared in full. No post that was
//! not met can be more alike than what is left of the post's own vectors: by Cauchy and Schwarz
//! the length of the part that was not walked yet, aspect by aspect. As soon as that is less than
//! the last of the best, the other lists need not be walked, and of the posts that were met only
//! those are compared whose score could still reach it, roughly first. Where a field splits the
//! posts into blocks, the post's own block is searched so before all others.

use std::cell::RefCell;
use std::ops::Range;

use rustc_hash::FxHashMap;

use super::best::{Best, HighestFirst, last_of_best};
use super::index::{Index, Laid};
use super::space::{Space, rough};
use super::{Aspect, Ninths, WHOLE};
use crate::catalogue::PostId;
use crate::id::number;

/// More than the error of a rough score: sums of at most some thousand single-precision products.
const MARGIN: f64 = 1e-4;

/// More than the error of a sum of at most some thousand squares in single precision that is 1.
const ROUNDING: f64 = 1e-4;

/// So few are compared without more ado.
const FEW: usize = 16;

/// For each post that would be compared, so many entries of a list may be walked first.
const ENTRIES: usize = 80;

/// For each post that would be compared word by word, so many entries of lists are walked first.
const WORDS: usize = 120;

/// So many of a text's words are put in order.
const SORTED: usize = 96;

/// Where the other words can add no more than this, they are left.
const CLOSE: f64 = 0.01;

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
    /// The same of texts alone, for those that are near, and the squared length of what was
    /// walked of theirs.
    texts: Vec<(f32, f32)>,
    laid: Laid,
    /// The rough likeness of those that were compared.
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
    /// The most that a post of another block can have.
    beyond: f64,
}

thread_local! {
    static SCORES: RefCell<Scores> = RefCell::new(Scores::default());
}

impl Index {
    /// The posts that share anything with `this`, in rising order, itself too if it can be found.
    #[must_use]
    pub fn sharing(&self, this: PostId) -> Vec<PostId> {
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
            .flat_map(|class| &self.classes[*class as usize])
            .copied()
            .collect();
        posts.sort_unstable();
        posts
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
            self.lay_out(this, &mut scores.laid);
            let mut search = Search {
                index: self,
                this,
                wanted,
                ties,
                fits: &fits,
                scores,
            };
            let found = search.run();
            self.clear(this, &mut scores.laid);
            scores.compared.clear();
            scores.forget();
            found
        })
    }

    /// What the post has of the texts, or of all else, that first which tells most for its length.
    fn walks(&self, this: PostId, own: Option<&Own<'_>>, texts: bool) -> Vec<Walk<'_>> {
        let mut walks = Vec::new();
        for (space, known) in self.spaces.iter().enumerate() {
            let part = known.weighed.part;
            let is_text = known.weighed.aspect == Aspect::Body;
            let is_sure = own.is_some_and(|own| own.space == space);
            if part <= 0.0 || is_text != texts || is_sure {
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
        let by_gain = |a: &Walk<'_>, b: &Walk<'_>| {
            let gain = b.gain.total_cmp(&a.gain);
            gain.then_with(|| a.component.total_cmp(&b.component))
        };
        // Of a text's many words the first few are seldom not enough.
        let first = if walks.len() > 2 * SORTED {
            walks.select_nth_unstable_by(SORTED, by_gain);
            SORTED
        } else {
            walks.len()
        };
        walks[..first].sort_unstable_by(by_gain);
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
            beyond: self.most(this) - part * (1.0 - block.next),
        })
    }

    /// How alike another post can be to this one at most: in all that it has.
    fn most(&self, this: PostId) -> f64 {
        let has = |space: &&Space| !space.of(this).numbers.is_empty();
        let spaces = self.spaces.iter().filter(has);
        spaces.map(|space| space.weighed.part).sum()
    }

    /// The part that texts have of the whole.
    fn part_of_texts(&self) -> f64 {
        let texts = self
            .spaces
            .iter()
            .filter(|space| space.weighed.aspect == Aspect::Body);
        texts.map(|space| space.weighed.part).sum()
    }
}

struct Search<'a, F> {
    index: &'a Index,
    this: PostId,
    wanted: usize,
    ties: bool,
    fits: &'a F,
    scores: &'a mut Scores,
}

impl<F: Fn(PostId) -> bool> Search<'_, F> {
    /// Looks among those of the post's own block first; where others could be as alike, among all.
    fn run(&mut self) -> Vec<(PostId, Ninths)> {
        let part = self.index.part_of_texts();
        let mut floor = 0.0;
        if let Some(own) = self.index.own(self.this) {
            let walks = self.index.walks(self.this, Some(&own), false);
            let (least, bound) = self.walk(walks, part + own.sure, floor);
            if least > bound.max(own.beyond) + MARGIN {
                return self.among(Some(&own), least, bound, part);
            }
            floor = least;
            self.scores.forget();
        }
        let walks = self.index.walks(self.this, None, false);
        let (floor, bound) = self.walk(walks, part, floor);
        self.among(None, floor, bound, part)
    }

    /// Looks among what was met, in the post's own block or anywhere, when all lists but those of
    /// texts were walked: with what floor, and what could be added to a score, of it the `part`
    /// of texts.
    fn among(
        &mut self,
        own: Option<&Own<'_>>,
        floor: f64,
        bound: f64,
        part: f64,
    ) -> Vec<(PostId, Ninths)> {
        if part <= 0.0 {
            let near = self.near(floor - bound - MARGIN);
            return self.compare(near, bound);
        }
        let texts = self.index.walks(self.this, own, true);
        if bound + MARGIN < floor {
            let near = self.near(floor - bound - MARGIN);
            let (near, bound) = self.nearer(&near, &texts, floor, part, bound - part);
            return self.compare(near, bound);
        }
        // What shares nothing but words could be among the wanted.
        let (floor, bound) = self.walk(texts, bound - part, floor);
        let near = self.near(floor - bound - MARGIN);
        self.compare(near, bound)
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
        let score = |class: &u32| (f64::from(self.scores.of[*class as usize]), *class);
        let met = self.scores.met.iter().map(score);
        met.filter(|(score, _)| *score >= least).collect()
    }

    /// Of what is near, where no text was looked at yet, what could be among the wanted, with
    /// better scores: those of all but the texts, and the most that the texts can give, by their
    /// most telling words; and how far such a score can be off. `rest` is what lists that were not walked
    /// can add beside the texts.
    fn nearer(
        &mut self,
        near: &[(f64, u32)],
        texts: &[Walk<'_>],
        mut floor: f64,
        part: f64,
        rest: f64,
    ) -> (Vec<(f64, u32)>, f64) {
        // Where all other lists were walked, and nothing is required, the scores are full already.
        let required = self.index.spaces.iter().any(|space| space.weighed.required);
        let mut nearer = if rest < MARGIN / 100.0 && !required {
            let full = near.iter().map(|(score, class)| (score - MARGIN, *class));
            full.collect()
        } else {
            self.without_texts(near)
        };
        floor = self.risen(floor, &nearer, |score, _| score);
        nearer.retain(|(score, _)| score + part + 2.0 * MARGIN >= floor);
        let known = self.scores.texts.len();
        let classes = self.index.classes.len();
        self.scores.texts.resize(classes.max(known), (0.0, 0.0));
        for (_, class) in &nearer {
            self.scores.texts[*class as usize] = (f32::MIN_POSITIVE, 0.0);
        }
        let mut left: f64 = texts.iter().map(|text| text.component.powi(2)).sum();
        let (mut walked, mut look_at) = (0, nearer.len());
        for text in texts {
            if walked >= look_at {
                floor = self.thin(&mut nearer, floor, part, left);
                look_at = walked * 4;
            }
            walked += text.list.len();
            let dear = walked > nearer.len() * WORDS;
            if dear || nearer.len() <= FEW || part * left.sqrt() < CLOSE {
                break;
            }
            left = (left - text.component.powi(2)).max(0.0);
            let own = rough(part * text.component);
            let scores = self.scores.texts.as_mut_slice();
            for (class, component) in text.list {
                let (score, length) = &mut scores[*class as usize];
                if *score > 0.0 {
                    *score += own * component;
                    *length += component * component;
                }
            }
        }
        for (score, class) in &mut nearer {
            let of_text = std::mem::take(&mut self.scores.texts[*class as usize]);
            *score += most_of_text(of_text, part, left);
        }
        (nearer, 2.0 * MARGIN)
    }

    /// Leaves those alone that could be among the wanted, by what was walked of their texts.
    /// Gives the floor, which that may raise.
    fn thin(&mut self, near: &mut Vec<(f64, u32)>, floor: f64, part: f64, left: f64) -> f64 {
        let texts = &self.scores.texts;
        let least = |score: f64, class: u32| score + f64::from(texts[class as usize].0) - MARGIN;
        let floor = self.risen(floor, near, least);
        let texts = &mut self.scores.texts;
        near.retain(|(score, class)| {
            let of_text = &mut texts[*class as usize];
            let reaches = score + most_of_text(*of_text, part, left) + 3.0 * MARGIN >= floor;
            if !reaches {
                *of_text = (0.0, 0.0);
            }
            reaches
        });
        floor
    }

    /// The floor as it is raised by what some have `least`.
    fn risen(&self, floor: f64, near: &[(f64, u32)], least: impl Fn(f64, u32) -> f64) -> f64 {
        let all = near
            .iter()
            .map(|(score, class)| (least(*score, *class), *class));
        let rank = |least, class| Some((least, self.fitting(class).take(self.wanted).count()));
        last_of_best(all, self.wanted, rank).map_or(floor, |last| last.max(floor))
    }

    /// The same with full scores but for the texts.
    fn without_texts(&self, near: &[(f64, u32)]) -> Vec<(f64, u32)> {
        let full = near.iter();
        full.map(|(_, class)| (self.roughly(*class, false) - MARGIN, *class))
            .collect()
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
            let posts = &self.index.classes[class as usize];
            let fitting = posts.iter().filter(|post| (self.fits)(**post));
            let count = fitting.take(self.wanted).count();
            let compare = || self.index.roughly(self.this, laid, posts[0], true);
            let likeness = (count > 0).then(|| *compared.entry(class).or_insert_with(compare))?;
            Some((likeness - MARGIN, count))
        };
        last_of_best(met, self.wanted, rank).unwrap_or(0.0)
    }

    /// What is near in full, as far as a score with `bound` added can reach the last of the wanted
    /// posts: first roughly, and exactly what may then be among the wanted.
    fn compare(&self, near: Vec<(f64, u32)>, bound: f64) -> Vec<(PostId, Ninths)> {
        let near = self.compare_roughly(near, bound);
        let mut best: Best<Ninths> = Best::of(self.wanted);
        for (likeness, class) in HighestFirst::of(near) {
            let last = best.last().unwrap_or(1);
            if likeness + MARGIN < f64::from(last) / f64::from(WHOLE) {
                break;
            }
            let first = self.index.classes[class as usize][0];
            let likeness = self.index.likeness(self.this, first);
            if likeness >= last {
                best.insert(likeness, class, self.fitting(class));
            }
        }
        let each = if self.ties { usize::MAX } else { self.wanted };
        let posts = best.ranked.into_iter().flat_map(|(likeness, class, _)| {
            let fitting = self.fitting(class).take(each);
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
        for (score, class) in HighestFirst::of(near) {
            let least = best.last().map_or(0.0, |last| last - 2.0 * MARGIN);
            if score + bound + MARGIN < least {
                break;
            }
            let known = self.scores.compared.get(&class).copied();
            let likeness = known.unwrap_or_else(|| self.roughly(class, true));
            if likeness < least {
                continue;
            }
            compared.push((likeness, class));
            if best.last().is_none_or(|last| likeness > last) {
                best.insert(likeness, class, self.fitting(class));
            }
        }
        let least = best.last().map_or(0.0, |last| last - 2.0 * MARGIN);
        compared.retain(|(likeness, _)| *likeness >= least);
        compared
    }

    /// How alike a class is, roughly; without texts what all else gives.
    fn roughly(&self, class: u32, with_texts: bool) -> f64 {
        let first = self.index.classes[class as usize][0];
        let laid = &self.scores.laid;
        self.index.roughly(self.this, laid, first, with_texts)
    }

    /// The posts of a class that are let through, in rising order.
    fn fitting(&self, class: u32) -> impl Iterator<Item = PostId> {
        let posts = self.index.classes[class as usize].iter().copied();
        posts.filter(|post| (self.fits)(*post))
    }
}

/// The most that a text can give, of which a part was walked: by Cauchy and Schwarz the other
/// words add at most the product of what is left of both texts.
fn most_of_text((score, length): (f32, f32), part: f64, left: f64) -> f64 {
    let other = (1.0 - f64::from(length) + ROUNDING).max(0.0);
    f64::from(score) + part * (left * other).sqrt()
}
