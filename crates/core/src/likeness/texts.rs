//! The search where words are looked at, too.
//!
//! What lists say is added up: those of terms by class, those of telling words by post. What the
//! common words, which have no list, can add is at most the product of two lengths, of what both
//! posts have of them (Cauchy and Schwarz). That is little, so that but a few posts must be
//! compared: those that are near by their terms, and those of which words say much.
//!
//! The post's own block is searched so first, with the parts of the lists that are about it: most
//! posts have those that are most alike there. From then on it is known how alike the last of the
//! wanted is, and a post of another block must be very near by its terms to be as alike, whatever
//! its words are. Such posts are few and are compared one by one; where they are many, all posts are
//! searched by lists.

use std::ops::Range;

use super::best::{HighestFirst, at_least, highest, highest_of, last_of_best, take_at_least};
use super::index::Index;
use super::packed::step;
use super::scores::{Laid, Scores};
use super::search::{Compared, MARGIN, Own, Search, count_fitting};
use super::space::{Lists, Space, rough};
use super::{Ninths, WHOLE};
use crate::catalogue::PostId;
use crate::id::number;

/// The part of what words can say that is much.
const MUCH: f64 = 0.15;

/// So many posts of other blocks are compared one by one, as that takes less time than to add up
/// lists. The catalogues of tests are too small to have as many.
const ONE_BY_ONE: usize = if cfg!(test) { 4 } else { 100 };

/// So many classes are looked at to learn how alike the last of the wanted is at least.
const FIRST: usize = 8;

/// What words can say at most.
struct Words<'a> {
    /// All of them.
    all: f64,
    index: &'a Index,
    /// What common words of an aspect add at most where the other has nothing else.
    each: Vec<f32>,
    /// The most that common words add to any.
    common: f64,
}

impl<'a> Words<'a> {
    fn new(index: &'a Index, scores: &Scores) -> Self {
        let own = |at: usize, space: &Space| rough(space.weighed.part) * scores.laid.common(at);
        let texts = index.texts();
        let each: Vec<f32> = texts.map(|(at, space)| own(at, space)).collect();
        let most = each.iter().zip(index.commons.most());
        Self {
            all: index.texts().map(|(_, space)| space.weighed.part).sum(),
            index,
            common: f64::from(most.map(|(own, most)| own * most).sum::<f32>()),
            each,
        }
    }

    /// The most that common words of a text add to that of the post at a place.
    fn in_text(&self, text: usize, place: u32) -> f64 {
        f64::from(self.each[text] * self.index.commons.norm(place, text))
    }

    /// The most that words add to it, as far as can be told without looking at each.
    fn shared(&self, laid: &Laid, place: u32) -> f64 {
        let each = self.index.texts().enumerate().map(|(text, (at, space))| {
            if self.index.commons.may_share(laid.mark(at), place, text) {
                space.weighed.part
            } else {
                self.in_text(text, place)
            }
        });
        each.sum()
    }

    /// The most that common words add to the likeness of the post at a place.
    fn at(&self, place: u32) -> f64 {
        let each = self.each.iter().zip(self.index.commons.norms(place));
        f64::from(each.map(|(own, norm)| own * norm).sum::<f32>())
    }

    /// What is much for telling words to say.
    fn much(&self) -> f64 {
        self.all * MUCH
    }
}

impl<F: Fn(PostId) -> bool> Search<'_, F> {
    /// Looks among those of the post's own block first; where that is not enough, among all.
    pub(super) fn with_words(&mut self) -> Vec<(PostId, Ninths)> {
        let index = self.index;
        let places = index.classes.all().len().max(self.scores.words.len());
        self.scores.words.resize(places, 0);
        self.scores.listed.resize(places, 0.0);
        let words = Words::new(index, self.scores);
        self.step = step(words.all);
        let lists = index
            .texts()
            .map(|(_, space)| space.listed(self.this).len());
        self.lost = f64::from(number(lists.sum()));
        self.margin = MARGIN + self.step * self.lost;
        let own = index.own(self.this);
        let compared = own.and_then(|own| self.block_first(&own, &words));
        let compared = compared.unwrap_or_else(|| self.in_all(&words));
        self.compare_exactly(compared)
    }

    /// Compares those of all posts that can be among the wanted.
    fn in_all(&mut self, words: &Words<'_>) -> Compared {
        let all = 0..number(self.index.classes.len());
        self.add_terms(None, Lists::of);
        let floor = self.floor_of_classes(&all);
        let mut compared = Compared::of(self.wanted);
        self.look(&all, 0.0, floor, words, &mut compared);
        compared
    }

    /// Compares those of the post's own block, and one by one those of other blocks that can be as
    /// alike; `None` where these are many.
    fn block_first(&mut self, own: &Own<'_>, words: &Words<'_>) -> Option<Compared> {
        let mut compared = Compared::of(self.wanted);
        self.add_block(own);
        let floor = self.floor_of_classes(own.classes);
        if self.least(floor, words) <= own.sure {
            // Terms tell those of the block hardly apart.
            self.clear_terms(own.classes);
            self.compare_first(words, &mut compared);
            self.add_block(own);
        }
        self.look(own.classes, own.sure, floor, words, &mut compared);
        let least = compared.least(self.margin);
        if least <= own.beyond + words.all + MARGIN {
            let others = self.near_of_others(own, least - words.all - MARGIN)?;
            self.compare_others(others, words, &mut compared)?;
        }
        Some(compared)
    }

    /// Compares those that are most alike by terms.
    fn compare_first(&mut self, words: &Words<'_>, compared: &mut Compared) {
        let classes = &self.index.classes;
        let (near, bound) = self.near_in_terms(0.0);
        self.scores.forget();
        for (terms, class) in HighestFirst::of(near).take(FIRST) {
            let fits = |place: &u32| (self.fits)(classes.all()[*place as usize]);
            if let Some(place) = classes.places(class).find(fits) {
                self.compare_alone(terms + bound, place, words, compared);
                compared.first.push(place);
            }
        }
    }

    /// The classes of other blocks of which terms say at least so much, with the most that they
    /// say; `None` where that can be nothing.
    fn near_of_others(&mut self, own: &Own<'_>, least: f64) -> Option<Vec<(f64, u32)>> {
        if least <= MARGIN {
            return None;
        }
        // Where no other block shares anything of the field, its lists say nothing of them.
        let without = (own.next == 0.0).then_some(own.space);
        let walks = self.index.walks(self.this, without, Lists::of);
        let (_, bound) = self.walk(walks, 0.0, least, false);
        let near = self.near(least - bound - MARGIN).into_iter();
        self.scores.forget();
        let others = near.filter(|(_, class)| !own.classes.contains(class));
        let most = others.map(|(terms, class)| (terms + bound + MARGIN, class));
        Some(most.collect())
    }

    /// Compares posts of some classes of which terms say at most so much, one by one, as far as they
    /// can be among the wanted; `None` where they are many.
    fn compare_others(
        &self,
        near: Vec<(f64, u32)>,
        words: &Words<'_>,
        compared: &mut Compared,
    ) -> Option<()> {
        let mut alone = 0;
        for (terms, class) in HighestFirst::of(near) {
            if terms + words.all < compared.least(self.margin) - MARGIN {
                break;
            }
            for place in self.index.classes.places(class) {
                alone += usize::from(self.compare_alone(terms, place, words, compared));
            }
            if alone > ONE_BY_ONE {
                return None;
            }
        }
        Some(())
    }

    /// Compares the post at a place of which terms say at most so much, as far as it can be among
    /// the wanted. Whether it was looked at closely.
    fn compare_alone(
        &self,
        terms: f64,
        place: u32,
        words: &Words<'_>,
        compared: &mut Compared,
    ) -> bool {
        let (index, laid) = (self.index, &self.scores.laid);
        let least = compared.least(self.margin) - MARGIN;
        let other = index.classes.all()[place as usize];
        if terms + words.shared(laid, place) < least
            || !(self.fits)(other)
            || compared.first.contains(&place)
        {
            return false;
        }
        if index.requires() {
            self.take_in(place, self.exactly(other), compared);
            return true;
        }
        let (mut likeness, mut rest) = (index.roughly_by_terms(laid, other), words.all);
        for (text, (at, space)) in index.texts().enumerate() {
            rest -= space.weighed.part;
            likeness += space.weighed.part * space.roughly_listed(&laid.weights[at], other);
            if likeness + words.in_text(text, place) + rest < least {
                return true;
            }
            likeness += index.in_common_of(laid, (text, (at, space)), place);
        }
        self.take_in(place, self.or_exactly(likeness, other), compared);
        true
    }

    /// Compares those of some classes that can be among the wanted, where terms say at least `sure`
    /// of each, and the last of the wanted has at least `floor`: what the lists say is added up, and
    /// no letter or digit is left of it.
    fn look(
        &mut self,
        among: &Range<u32>,
        sure: f64,
        floor: f64,
        words: &Words<'_>,
        compared: &mut Compared,
    ) {
        self.add_words(among, words.all);
        let floor = floor.max(compared.least(self.margin));
        let least = self.least(floor, words);
        let near = if least > sure {
            self.near_by_terms(among, least, words.much())
        } else {
            // What shares no term can be among the wanted.
            self.near_by_telling_words(among, floor, words.common)
        };
        let mut near = self.near_by_words(near, words, floor);
        self.clear_terms(among);
        near.retain(|(_, place)| !compared.first.contains(place));
        self.compare_roughly(near, 0.0, compared);
    }

    /// What terms must say at least of a post of which telling words do not say much.
    fn least(&self, floor: f64, words: &Words<'_>) -> f64 {
        floor - words.much() - words.common - self.margin
    }

    /// Adds up what terms say of those of the post's own block.
    fn add_block(&mut self, own: &Own<'_>) {
        let block = own.classes;
        self.add_terms(Some(own), |lists, term| lists.among(term, block));
        let of = &mut self.scores.of[indices(block)];
        of.iter_mut().for_each(|score| *score += rough(own.sure));
    }

    fn clear_terms(&mut self, among: &Range<u32>) {
        self.scores.of[indices(among)].fill(0.0);
    }

    /// What the lists of terms say of some classes.
    fn terms(&self, among: &Range<u32>) -> &[f32] {
        &self.scores.of[indices(among)]
    }

    /// The places of those of some classes that have at least so much, and those where words say
    /// `much`, with what words say. They say nothing from then on.
    fn near_by_terms(&mut self, among: &Range<u32>, least: f64, much: f64) -> Vec<(f64, u32)> {
        let classes = &self.index.classes;
        let least = rough(least);
        let near = at_least(self.terms(among), least).into_iter();
        let near = near.flat_map(|(_, class)| classes.places(among.start + class));
        let near = near.map(|place| (self.by_words(place), place));
        let mut near: Vec<(f64, u32)> = near.collect();
        let much = self.take_words(among, much).into_iter();
        near.extend(much.filter(|(_, place)| self.by_terms(*place) < f64::from(least)));
        near
    }

    /// The same of those where telling words say as much as is needed to be among the wanted where
    /// terms say most, and common words add the `most` that they can.
    fn near_by_telling_words(
        &mut self,
        among: &Range<u32>,
        floor: f64,
        most: f64,
    ) -> Vec<(f64, u32)> {
        let places = self.index.classes.places_of(among);
        let best = |most| {
            let words = &self.scores.words[indices(&places)];
            let best = highest_of(words, most).into_iter();
            let best = best.map(|(_, place)| places.start + place);
            best.map(|place| (self.by_words(place), place)).collect()
        };
        let floor = f64::max(floor, self.floor_of(best));
        let terms = f64::from(self.terms(among).iter().copied().fold(0.0, f32::max));
        self.take_words(among, floor - terms - most - 2.0 * MARGIN - self.margin)
    }

    /// The places where words say at least so much, with what they say.
    fn take_words(&mut self, among: &Range<u32>, least: f64) -> Vec<(f64, u32)> {
        let among = self.index.classes.places_of(among);
        let least = self.steps(least);
        let mut found = Vec::new();
        for section in self.index.sections(&among) {
            let words = &mut self.scores.words[indices(&section)];
            let taken = take_at_least(words, least).into_iter();
            let taken =
                taken.map(|(score, place)| (self.likeness_of(score), section.start + place));
            found.extend(taken.filter(|(_, place)| among.contains(place)));
        }
        found
    }

    /// The score of a likeness by words; 0 for less than nothing.
    #[expect(
        clippy::cast_possible_truncation,
        clippy::cast_sign_loss,
        reason = "no likeness is more than the whole"
    )]
    fn steps(&self, likeness: f64) -> u16 {
        (likeness / self.step - self.lost) as u16
    }

    /// What the lists of terms say of the post at a place.
    fn by_terms(&self, place: u32) -> f64 {
        self.score(self.index.classes.class_at(place))
    }

    /// What the lists of words say of it, in the middle of what it can be.
    fn by_words(&self, place: u32) -> f64 {
        self.likeness_of(f64::from(self.scores.words[place as usize]))
    }

    /// The likeness by words that a score stands for.
    fn likeness_of(&self, score: f64) -> f64 {
        self.step * (score + self.lost)
    }

    /// Adds parts of the lists of terms to the scores by class, but not of that in which the post's
    /// own block is alike.
    fn add_terms<'b>(
        &mut self,
        own: Option<&Own<'_>>,
        part: impl Fn(&'b Lists, u32) -> &'b [(u32, f32)],
    ) where
        Self: 'b,
    {
        let of = self.scores.of.as_mut_slice();
        for (at, space) in self.index.spaces.iter().enumerate() {
            if !space.of_terms() || own.is_some_and(|own| own.space == at) {
                continue;
            }
            for (term, component) in space.listed(self.this) {
                let own = rough(space.weighed.part * component);
                for (class, component) in part(&space.lists, term) {
                    of[*class as usize] += own * component;
                }
            }
        }
    }

    /// The likeness that the last of the wanted posts has at least, by the terms of some classes;
    /// 0 where there are too few, or where words decide whether posts are alike at all.
    fn floor_of_classes(&self, among: &Range<u32>) -> f64 {
        let mut texts = self.index.texts();
        if texts.any(|(_, space)| space.weighed.required) {
            return 0.0;
        }
        let requires = self.index.requires();
        let rank = |score: f64, at: u32| {
            let posts = self.index.classes.posts(among.start + at);
            let count = count_fitting(posts, self.wanted, self.fits);
            let likeness = if requires && count > 0 {
                self.index.roughly_by_terms(&self.scores.laid, posts[0])
            } else {
                score
            };
            Some((likeness - MARGIN, count))
        };
        let of = self.terms(among);
        last_of_best(|most| highest_of(of, most), self.wanted, rank).unwrap_or(0.0)
    }

    /// Adds the lists of words to the scores by place, as parts of what all words can say, of the
    /// sections that some classes are in.
    fn add_words(&mut self, among: &Range<u32>, words: f64) {
        let among = self.index.classes.places_of(among);
        for (_, space) in self.index.texts() {
            let part = space.weighed.part / words.max(f64::MIN_POSITIVE);
            for (section, lists) in space.words_about(&among) {
                let scores = &mut self.scores.words[indices(&section)];
                for (word, component) in space.listed(self.this) {
                    lists.add(word, part * component, scores);
                }
            }
        }
    }

    /// Of some places, with what words say, those whose posts could be among the wanted, with the
    /// most that they can have.
    fn near_by_words(
        &mut self,
        near: Vec<(f64, u32)>,
        words: &Words<'_>,
        floor: f64,
    ) -> Vec<(f64, u32)> {
        let near = near.into_iter();
        let near = near.map(|(words, place)| (self.by_terms(place) + words, place));
        let near: Vec<(f64, u32)> = near.collect();
        let best = |most| highest(near.iter().copied(), most);
        let floor = f64::max(floor, self.floor_of(best)) - MARGIN - self.margin;
        let mut most = Vec::new();
        for (score, place) in near
            .into_iter()
            .filter(|(score, _)| score + words.common >= floor)
        {
            let with_common = score + words.at(place);
            if with_common >= floor && with_common > 0.0 {
                most.push((with_common, place));
                self.scores.listed[place as usize] = rough(score);
            }
        }
        self.index
            .commons
            .fetch(most.iter().map(|(_, place)| *place));
        most
    }

    /// The likeness that the last of the wanted posts has at least, by the `best` so many of the
    /// places with what they have at least; 0 where there are too few, or where it may be that
    /// posts are not alike at all.
    fn floor_of(&self, best: impl Fn(usize) -> Vec<(f64, u32)>) -> f64 {
        if self.index.requires() {
            return 0.0;
        }
        let rank = |score: f64, place: u32| {
            let fits = (self.fits)(self.index.classes.all()[place as usize]);
            Some((score - self.margin, usize::from(fits)))
        };
        last_of_best(best, self.wanted, rank).unwrap_or(0.0)
    }

    /// How alike the post at a place is, roughly.
    pub(super) fn roughly_with_words(&self, place: u32) -> f64 {
        let other = self.index.classes.all()[place as usize];
        if self.index.requires() {
            return self.exactly(other);
        }
        let common = self.index.in_common(&self.scores.laid, place);
        let likeness = f64::from(self.scores.listed[place as usize]) + common;
        self.or_exactly(likeness, other)
    }

    /// A likeness, or the exact one where it is not a number.
    fn or_exactly(&self, likeness: f64, other: PostId) -> f64 {
        if likeness.is_nan() {
            self.exactly(other)
        } else {
            likeness
        }
    }

    fn exactly(&self, other: PostId) -> f64 {
        let laid = &self.scores.laid;
        let likeness = self.index.likeness_laid(laid, self.this, other);
        f64::from(likeness) / f64::from(WHOLE)
    }
}

/// Where some classes or places lie in a row of scores.
fn indices(run: &Range<u32>) -> Range<usize> {
    run.start as usize..run.end as usize
}
