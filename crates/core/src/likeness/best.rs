//! The best of many, without putting more of them in order than are asked for.

use super::space::rough;
use crate::catalogue::PostId;
use crate::id::number;

/// So many more than are wanted are ranked at first, as not all fit, and scores are rough.
const SPARE: usize = 4;

/// So many scores lie in the nearest cache while they are looked through and set to 0.
const CHUNK: usize = 4096;

/// The classes that rank highest so far, as many as the wanted posts need, and all that rank
/// equal with the last of them.
pub(super) struct Best<T> {
    wanted: usize,
    /// By falling rank, with how many of their posts fit, at most all wanted.
    pub(super) ranked: Vec<(T, u32, usize)>,
    last: Option<T>,
}

impl<T: PartialOrd + Copy> Best<T> {
    pub(super) fn of(wanted: usize) -> Self {
        Self {
            wanted,
            ranked: Vec::new(),
            last: None,
        }
    }

    /// The rank of the last of the wanted posts; `None` while there are too few.
    pub(super) fn last(&self) -> Option<T> {
        self.last
    }

    /// Takes in a class of which some posts fit.
    pub(super) fn insert(&mut self, rank: T, class: u32, fitting: impl Iterator<Item = PostId>) {
        let count = fitting.take(self.wanted).count();
        if count == 0 {
            return;
        }
        let at = self.ranked.partition_point(|(known, ..)| *known >= rank);
        self.ranked.insert(at, (rank, class, count));
        let counted = self.ranked.iter().map(|(rank, _, count)| (*rank, *count));
        if let Some(last) = last_of(counted, self.wanted) {
            self.last = Some(last);
            let end = self.ranked.partition_point(|(known, ..)| *known >= last);
            self.ranked.truncate(end);
        }
    }
}

/// The rank of the last of the wanted posts, as far as the best by their scores tell: no more of
/// them are asked for and ranked than are needed. `rank` gives how many posts have it, too; `None`
/// where there are too few.
pub(super) fn last_of_best(
    best: impl Fn(usize) -> Vec<(f64, u32)>,
    wanted: usize,
    mut rank: impl FnMut(f64, u32) -> Option<(f64, usize)>,
) -> Option<f64> {
    let mut most = wanted + SPARE;
    loop {
        let best = best(most);
        let ranks = best
            .iter()
            .filter_map(|(score, class)| rank(*score, *class));
        let mut ranks: Vec<(f64, usize)> = ranks.collect();
        ranks.sort_unstable_by(|a, b| b.0.total_cmp(&a.0));
        let last = last_of(ranks.into_iter(), wanted);
        if last.is_some() || best.len() < most {
            return last;
        }
        most *= 8;
    }
}

/// Those with the highest scores, `most` of them if there are as many, in no order.
pub(super) fn highest(all: impl Iterator<Item = (f64, u32)>, most: usize) -> Vec<(f64, u32)> {
    let mut best = Highest::of(most);
    for (score, class) in all {
        best.see(score, class);
    }
    best.best()
}

/// The same of scores by place, those above 0.
pub(super) fn highest_of<S: Score>(scores: &[S], most: usize) -> Vec<(f64, u32)> {
    let mut best = Highest::of(most);
    best.least = 0.0;
    let is_worth = |best: &Highest| {
        let least = S::rough(best.least);
        move |score| score > least
    };
    let see = |best: &mut Highest, score: S, place| best.see(score.into(), place);
    each_worth(scores, is_worth, see, &mut best);
    best.best()
}

/// The places with a score of at least `least`, with it.
pub(super) fn at_least<S: Score>(scores: &[S], least: S) -> Vec<(f64, u32)> {
    let mut found = Vec::new();
    let see = |found: &mut Vec<(f64, u32)>, score: S, place| {
        if score >= least {
            found.push((score.into(), place));
        }
    };
    each_worth(scores, |_| move |score| score >= least, see, &mut found);
    found
}

/// The same, after which all scores are 0: so they are looked through but once.
pub(super) fn take_at_least(scores: &mut [u16], least: u16) -> Vec<(f64, u32)> {
    let mut found = Vec::new();
    let mut place = 0;
    for chunk in scores.chunks_mut(CHUNK) {
        let enough = at_least(chunk, least).into_iter();
        found.extend(enough.map(|(score, at)| (score, place + at)));
        chunk.fill(0);
        place += number(CHUNK);
    }
    found
}

/// A score in a row of many.
pub(super) trait Score: Copy + PartialOrd + Into<f64> {
    /// One that is known, not negative.
    fn rough(score: f64) -> Self;
}

impl Score for f32 {
    fn rough(score: f64) -> Self {
        rough(score)
    }
}

impl Score for u16 {
    #[expect(
        clippy::cast_possible_truncation,
        clippy::cast_sign_loss,
        reason = "such a score was one before"
    )]
    fn rough(score: f64) -> Self {
        score as Self
    }
}

/// So many scores are looked at as quickly as one.
const AT_ONCE: usize = 32;

/// Hands on scores with their places, but not those of a chunk in which none is worth it.
fn each_worth<S: Score, T, W: Fn(S) -> bool>(
    scores: &[S],
    is_worth: impl Fn(&T) -> W,
    mut see: impl FnMut(&mut T, S, u32),
    found: &mut T,
) {
    let (chunks, rest) = scores.as_chunks::<AT_ONCE>();
    let mut place = 0;
    for chunk in chunks {
        let is_worth = is_worth(found);
        // Each is looked at, as several at once are as quick as one.
        if chunk
            .iter()
            .fold(false, |any, score| any | is_worth(*score))
        {
            for (place, score) in (place..).zip(chunk) {
                see(found, *score, place);
            }
        }
        place += number(AT_ONCE);
    }
    for (place, score) in (place..).zip(rest) {
        see(found, *score, place);
    }
}

/// The highest so far, and some that were when they were seen.
struct Highest {
    most: usize,
    best: Vec<(f64, u32)>,
    least: f64,
}

impl Highest {
    fn of(most: usize) -> Self {
        Self {
            most,
            best: Vec::with_capacity(4 * most),
            least: f64::NEG_INFINITY,
        }
    }

    fn see(&mut self, score: f64, class: u32) {
        if score > self.least {
            self.best.push((score, class));
            if self.best.len() == 4 * self.most {
                self.narrow();
            }
        }
    }

    fn narrow(&mut self) {
        let last = self.most - 1;
        self.best
            .select_nth_unstable_by(last, |a, b| b.0.total_cmp(&a.0));
        self.best.truncate(self.most);
        self.least = self.best[last].0;
    }

    fn best(mut self) -> Vec<(f64, u32)> {
        if self.best.len() > self.most {
            self.narrow();
        }
        self.best
    }
}

/// Of ranks with how many posts have them, the best first: that of the last of the wanted posts.
fn last_of<T>(mut ranks: impl Iterator<Item = (T, usize)>, wanted: usize) -> Option<T> {
    let mut counted = 0;
    let last = ranks.find(|(_, posts)| {
        counted += posts;
        counted >= wanted
    });
    last.map(|(rank, _)| rank)
}

/// Scores with their classes, the highest first. No more are put in order than are asked for.
pub(super) struct HighestFirst {
    scores: Vec<(f64, u32)>,
    /// So many are in order.
    ordered: usize,
    at: usize,
}

impl HighestFirst {
    pub(super) fn of(scores: Vec<(f64, u32)>) -> Self {
        Self {
            scores,
            ordered: 0,
            at: 0,
        }
    }
}

impl Iterator for HighestFirst {
    type Item = (f64, u32);

    fn next(&mut self) -> Option<Self::Item> {
        if self.at == self.ordered {
            let order = |a: &(f64, u32), b: &(f64, u32)| b.0.total_cmp(&a.0).then(a.1.cmp(&b.1));
            let rest = &mut self.scores[self.ordered..];
            let next = rest.len().min(self.ordered.max(32));
            if next < rest.len() {
                rest.select_nth_unstable_by(next, order);
            }
            rest[..next].sort_unstable_by(order);
            self.ordered += next;
        }
        let next = self.scores.get(self.at).copied();
        self.at += 1;
        next
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    proptest! {
        #[test]
        fn what_is_taken_is_what_has_as_much_and_nothing_is_left(
            length in 1usize..3 * CHUNK,
            some in prop::collection::vec((any::<prop::sample::Index>(), 1u16..9), 0..20),
            least in 1u16..9,
        ) {
            let mut scores = vec![0u16; length];
            some.iter().for_each(|(at, score)| scores[at.index(length)] = *score);
            let enough = (0u32..).zip(&scores).filter(|(_, score)| **score >= least);
            let enough: Vec<(f64, u32)> =
                enough.map(|(place, score)| (f64::from(*score), place)).collect();
            prop_assert_eq!(&at_least(&scores, least), &enough);
            prop_assert_eq!(take_at_least(&mut scores, least), enough);
            prop_assert_eq!(scores, vec![0; length]);
        }
    }
}
