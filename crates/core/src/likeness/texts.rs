//! The search where words are looked at, too.
//!
//! What all lists say is added up: those of terms by class, those of telling words by post. What
//! the common words, which have no list, can add is at most the product of two lengths, of what
//! both posts have of them (Cauchy and Schwarz). That is little, so that but a few posts must be
//! compared: those that are near by their terms, and those of which words say much. Where those of
//! the post's own block are so alike that no post of another can be near by its terms, only the
//! parts of the lists that are about the own block are added up.

use std::ops::Range;

use super::best::{at_least, highest, highest_of, last_of_best, take_at_least};
use super::common::Commons;
use super::index::Index;
use super::packed::step;
use super::search::{MARGIN, Own, Scores, Search, count_fitting};
use super::space::{Lists, Space, rough};
use super::{Ninths, WHOLE};
use crate::catalogue::PostId;
use crate::id::number;

/// The part of what words can say that is much.
const MUCH: f64 = 0.15;

/// What common words can add to the likeness of a post.
struct Common<'a> {
    commons: &'a Commons,
    /// What those of an aspect add at most where the other has nothing else.
    each: Vec<f32>,
    /// The most that they add to any.
    most: f32,
}

impl<'a> Common<'a> {
    fn new(index: &'a Index, scores: &Scores) -> Self {
        let own = |at: usize, space: &Space| rough(space.weighed.part) * scores.laid.common(at);
        let texts = index.texts();
        let each: Vec<f32> = texts.map(|(at, space)| own(at, space)).collect();
        let commons = &index.commons;
        let most = each.iter().zip(commons.most());
        Self {
            commons,
            most: most.map(|(own, most)| own * most).sum(),
            each,
        }
    }

    /// The most that they add to that of the post at a place.
    fn at(&self, place: u32) -> f32 {
        let each = self.each.iter().zip(self.commons.norms(place));
        each.map(|(own, norm)| own * norm).sum()
    }
}

/// What words can say at most without being looked at.
struct Said {
    /// The telling ones, where they do not say much.
    much: f64,
    /// The common ones.
    common: f64,
}

impl<F: Fn(PostId) -> bool> Search<'_, F> {
    /// Adds up what all lists say, and compares what can then be among the wanted.
    pub(super) fn with_words(&mut self) -> Vec<(PostId, Ninths)> {
        let index = self.index;
        let places = index.classes.all().len().max(self.scores.words.len());
        self.scores.words.resize(places, 0);
        let common = Common::new(index, self.scores);
        let words = index.texts().map(|(_, space)| space.weighed.part);
        let words = words.sum::<f64>();
        self.step = step(words);
        self.lost = f64::from(self.add_words(words));
        self.margin = MARGIN + self.step * self.lost;
        let said = Said {
            much: words * MUCH,
            common: f64::from(common.most),
        };
        let own = index.own(self.this);
        let floor = own.as_ref().and_then(|own| self.floor_of_block(own));
        let beyond = own.as_ref().map_or(f64::INFINITY, |own| own.beyond);
        let alike = floor.map(|floor| (floor, self.least(floor, &said)));
        let alike = alike.filter(|(_, least)| *least > beyond + MARGIN);
        let (near, floor) = match (&own, alike) {
            (Some(own), Some((floor, least))) => {
                self.only = true;
                let near = self.near_by_terms(own.classes.clone(), least, said.much);
                (near, floor)
            }
            _ => self.near_in_all(own.as_ref(), floor, &said),
        };
        let near = self.near_by_words(near, &common, floor);
        let found = self.compare(near, self.rest);
        let block = own.filter(|_| self.only).map(|own| own.classes.clone());
        let added = block.unwrap_or(0..number(self.scores.of.len()));
        self.scores.of[added.start as usize..added.end as usize].fill(0.0);
        found
    }

    /// What terms must say at least of a post of which telling words do not say much.
    fn least(&self, floor: f64, said: &Said) -> f64 {
        floor - said.much - said.common - self.margin
    }

    /// Adds up the lists of terms for the post's own block. Gives the likeness that the last of the
    /// wanted posts has at least by the terms of those; `None` where there are too few, or where
    /// words decide whether posts are alike at all.
    fn floor_of_block(&mut self, own: &Own<'_>) -> Option<f64> {
        let classes = own.classes;
        self.add_terms(Some(own), |lists, term| [lists.among(term, classes), &[]]);
        let of = &mut self.scores.of[classes.start as usize..classes.end as usize];
        of.iter_mut().for_each(|score| *score += rough(own.sure));
        self.floor_of_classes(classes.clone())
    }

    /// Adds up the other lists of terms. Gives the places that are near, and the likeness that the
    /// last of the wanted has at least, without what terms can still add.
    fn near_in_all(
        &mut self,
        own: Option<&Own<'_>>,
        floor: Option<f64>,
        said: &Said,
    ) -> (Vec<(f64, u32)>, f64) {
        match own {
            Some(block) => self.add_terms(own, |lists, term| lists.around(term, block.classes)),
            None => self.add_terms(None, |lists, term| [lists.of(term), &[]]),
        }
        self.rest = own.map_or(0.0, |own| own.next);
        let all = 0..number(self.index.classes.len());
        // The most alike are nearly always of the post's own block.
        let floor = floor.or_else(|| self.floor_of_classes(all.clone()));
        let floor = floor.unwrap_or(0.0) - self.rest;
        let least = self.least(floor, said);
        let near = if least > 0.0 {
            self.near_by_terms(all, least, said.much)
        } else {
            // What shares no term can be among the wanted.
            self.near_by_telling_words(floor, said.common)
        };
        (near, floor)
    }

    /// The places of those of some classes that have at least so much, and those where words say
    /// `much`, with what words say. They say nothing from then on.
    fn near_by_terms(&mut self, among: Range<u32>, least: f64, much: f64) -> Vec<(f64, u32)> {
        let classes = &self.index.classes;
        let of = &self.scores.of[among.start as usize..among.end as usize];
        let near = at_least(of, rough(least)).into_iter();
        let near = near.flat_map(|(_, class)| classes.places(among.start + class));
        let near = near.map(|place| (self.by_words(place), place));
        let mut near: Vec<(f64, u32)> = near.collect();
        let much = self.take_words(much).into_iter();
        near.extend(much.filter(|(_, place)| self.score(classes.class_at(*place)) < least));
        near
    }

    /// The same of those where telling words say as much as is needed to be among the wanted where
    /// terms say most, and common words add the `most` that they can.
    fn near_by_telling_words(&mut self, floor: f64, most: f64) -> Vec<(f64, u32)> {
        let best = |most| {
            let best = highest_of(self.words(), most).into_iter();
            best.map(|(_, place)| (self.by_words(place), place))
                .collect()
        };
        let floor = f64::max(floor, self.floor_of(best) - self.rest);
        let of = self.scores.of[..self.index.classes.len()].iter().copied();
        let terms = f64::from(of.fold(0.0, f32::max));
        self.take_words(floor - terms - most - 2.0 * MARGIN - self.margin)
    }

    /// The places where words say at least so much, with what they say.
    fn take_words(&mut self, least: f64) -> Vec<(f64, u32)> {
        let least = self.steps(least);
        let words = &mut self.scores.words[..self.index.classes.all().len()];
        let taken = take_at_least(words, least).into_iter();
        taken
            .map(|(score, place)| (self.likeness_of(score), place))
            .collect()
    }

    /// What words say by place.
    fn words(&self) -> &[u16] {
        &self.scores.words[..self.index.classes.all().len()]
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

    /// What the lists of terms say of the post at a place; where they were added up for its own
    /// block only, what both posts say.
    fn by_terms(&self, place: u32) -> f64 {
        let terms = self.score(self.index.classes.class_at(place));
        if self.only && terms == 0.0 {
            let other = self.index.classes.all()[place as usize];
            return self.index.roughly_by_terms(&self.scores.laid, other);
        }
        terms
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
        parts: impl Fn(&'b Lists, u32) -> [&'b [(u32, f32)]; 2],
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
                for (class, component) in parts(&space.lists, term).into_iter().flatten() {
                    of[*class as usize] += own * component;
                }
            }
        }
    }

    /// The likeness that the last of the wanted posts has at least, by the terms of some classes;
    /// `None` where there are too few, or where words decide whether posts are alike at all.
    fn floor_of_classes(&self, classes: Range<u32>) -> Option<f64> {
        let mut texts = self.index.texts();
        if texts.any(|(_, space)| space.weighed.required) {
            return None;
        }
        let requires = self.index.requires();
        let rank = |score: f64, at: u32| {
            let posts = self.index.classes.posts(classes.start + at);
            let count = count_fitting(posts, self.wanted, self.fits);
            let likeness = if requires && count > 0 {
                self.index.roughly_by_terms(&self.scores.laid, posts[0])
            } else {
                score
            };
            Some((likeness - MARGIN, count))
        };
        let of = &self.scores.of[classes.start as usize..classes.end as usize];
        last_of_best(|most| highest_of(of, most), self.wanted, rank)
    }

    /// Adds the lists of words to the scores by place, as parts of what all words can say. Gives
    /// how many lists there are.
    fn add_words(&mut self, words: f64) -> u32 {
        let scores = self.scores.words.as_mut_slice();
        let mut lists = 0;
        for (_, space) in self.index.texts() {
            let part = space.weighed.part / words.max(f64::MIN_POSITIVE);
            for (word, component) in space.listed(self.this) {
                space.words.add(word, part * component, scores);
                lists += 1;
            }
        }
        lists
    }

    /// Of some places, with what words say, those whose posts could be among the wanted, with the
    /// most that they can have beside what terms could still add.
    fn near_by_words(
        &mut self,
        near: Vec<(f64, u32)>,
        common: &Common<'_>,
        floor: f64,
    ) -> Vec<(f64, u32)> {
        let near = near.into_iter();
        let near = near.map(|(words, place)| (self.by_terms(place) + words, place));
        let near: Vec<(f64, u32)> = near.collect();
        let best = |most| highest(near.iter().copied(), most);
        let floor = f64::max(floor, self.floor_of(best) - self.rest) - MARGIN - self.margin;
        let any = f64::from(common.most);
        let mut most = Vec::new();
        for (score, place) in near.into_iter().filter(|(score, _)| score + any >= floor) {
            let with_common = score + f64::from(common.at(place));
            if with_common >= floor && with_common + self.rest > 0.0 {
                most.push((with_common, place));
                self.scores.listed.insert(place, score);
            }
        }
        common.commons.fetch(most.iter().map(|(_, place)| *place));
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
        let exactly = || f64::from(self.index.likeness(self.this, other)) / f64::from(WHOLE);
        if self.index.requires() {
            return exactly();
        }
        let laid = &self.scores.laid;
        let mut likeness = self.scores.listed[&place] + self.index.in_common(laid, place);
        if self.rest > 0.0 {
            likeness += self.index.roughly_by_terms(laid, other) - self.by_terms(place);
        }
        if likeness.is_nan() {
            exactly()
        } else {
            likeness
        }
    }
}
