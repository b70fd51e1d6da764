//! Lists of posts by word, in four bytes an entry, and scores in two: to add lists up takes as long
//! as memory takes to hand them over.
//!
//! A score is a whole number of steps. What a list adds to it is rounded down, so that a score is
//! never more than all words can say, and too low by less than two steps for each list.

use std::ops::Range;

/// The score of a post that is alike in all of its words.
const FULL: f64 = 65_000.0;

/// The component 1 in an entry.
const ONE: f64 = 65_535.0;

/// As far ahead as an entry can lead.
const FAR: u32 = 0xffff;

/// Lists of the places of posts by word, one behind the other, of a run of places. An entry says how
/// far on its place is from that of the entry before, or from where the run begins, and the word's
/// component in the vector of length 1.
#[derive(Debug)]
pub(super) struct Packed {
    places: Range<u32>,
    starts: Vec<u32>,
    entries: Vec<u32>,
}

impl Packed {
    /// Lists of so many words. `each` gives the words of the post at a place with their components,
    /// and gives the same when it is asked again.
    pub(super) fn new<W: Iterator<Item = (u32, f64)>>(
        words: usize,
        places: Range<u32>,
        each: impl Fn(u32) -> W,
    ) -> Self {
        let mut starts = vec![0u32; words + 1];
        let mut last = vec![places.start; words];
        for place in places.clone() {
            for (word, _) in each(place) {
                let last = &mut last[word as usize];
                starts[word as usize + 1] += 1 + leaps(place - *last);
                *last = place;
            }
        }
        for at in 1..starts.len() {
            starts[at] += starts[at - 1];
        }
        let mut next = starts.clone();
        let mut entries = vec![0; starts[words] as usize];
        last.fill(places.start);
        for place in places.clone() {
            for (word, component) in each(place) {
                let (next, last) = (&mut next[word as usize], &mut last[word as usize]);
                for _ in 0..leaps(place - *last) {
                    entries[*next as usize] = FAR << 16;
                    *next += 1;
                    *last += FAR;
                }
                entries[*next as usize] = (place - *last) << 16 | in_entry(component);
                *next += 1;
                *last = place;
            }
        }
        Self {
            places,
            starts,
            entries,
        }
    }

    /// The places that the lists are about.
    pub(super) fn places(&self) -> Range<u32> {
        self.places.clone()
    }

    /// Adds a word's list to the scores of these places: the product of its components and `own`,
    /// which is the word's part in the likeness of the post itself, 0 to 1.
    pub(super) fn add(&self, word: u32, own: f64, scores: &mut [u16]) {
        let word = word as usize;
        let list = self.starts[word] as usize..self.starts[word + 1] as usize;
        let own = in_fractions(own);
        let mut place = 0;
        for entry in &self.entries[list] {
            place += entry >> 16;
            scores[place as usize] += product(own, entry & FAR);
        }
    }
}

/// The scores as likenesses: how much a step of theirs is where that of all words is `whole`.
pub(super) fn step(whole: f64) -> f64 {
    whole / FULL
}

/// So many entries that stand for no post lead on to a place so far away.
fn leaps(far: u32) -> u32 {
    far.saturating_sub(1) / FAR
}

#[expect(
    clippy::cast_possible_truncation,
    clippy::cast_sign_loss,
    reason = "a component is 0 to 1"
)]
fn in_entry(component: f64) -> u32 {
    (component * ONE) as u32
}

/// A factor for [`product`]: steps, with 32 bits for what is less than one.
#[expect(
    clippy::cast_possible_truncation,
    clippy::cast_sign_loss,
    reason = "0 to about 2 to the 32nd"
)]
fn in_fractions(own: f64) -> u64 {
    (own * FULL / ONE * 2f64.powi(32)) as u64
}

/// A product in steps.
#[expect(
    clippy::cast_possible_truncation,
    reason = "the factor is at most 2 to the 32nd, so that this is at most 65,535"
)]
fn product(own: u64, component: u32) -> u16 {
    ((own * u64::from(component)) >> 32) as u16
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::id::number;
    use proptest::prelude::*;
    use rstest::rstest;

    #[rstest]
    #[case::near(1, 0)]
    #[case::as_far_as_one_leads(65_535, 0)]
    #[case::one_on(65_536, 1)]
    #[case::as_far_as_two_lead(131_070, 1)]
    #[case::two_on(131_071, 2)]
    fn far_places_are_reached_by_leaps(#[case] place: u32, #[case] expected: u32) {
        assert_eq!(leaps(place), expected);
        let list = |at: u32| (at == 0 || at == place).then_some((0, 0.5)).into_iter();
        let packed = Packed::new(1, 0..place + 1, list);
        let mut scores = vec![0; place as usize + 1];
        packed.add(0, 1.0, &mut scores);
        // Half of 65,000, less what rounding may lose.
        let at = [0, place as usize].map(|at| scores[at]);
        assert!(
            at.iter().all(|score| (32_498..=32_500).contains(score)),
            "{at:?}"
        );
        assert_eq!(scores.iter().filter(|score| **score > 0).count(), 2);
    }

    #[test]
    fn a_post_that_is_alike_in_all_words_has_no_more_than_the_whole() {
        let packed = Packed::new(1, 0..1, |_| [(0, 1.0)].into_iter());
        let mut scores = [0];
        packed.add(0, 1.0, &mut scores);
        assert!((64_998..=65_000).contains(&scores[0]), "{scores:?}");
    }

    proptest! {
        /// Vectors of length 1 at most, as texts have them.
        #[test]
        fn scores_are_too_low_by_less_than_two_steps_a_list(
            own in prop::collection::vec(0.0f64..1.0, 1..40),
            others in prop::collection::vec(prop::collection::vec(0.0f64..1.0, 40), 1..8),
            first in 0u32..200_000,
        ) {
            let unit = |vector: &[f64]| {
                let length = vector.iter().map(|part| part * part).sum::<f64>().sqrt();
                vector.iter().map(|part| part / length.max(1e-9)).collect::<Vec<f64>>()
            };
            let own = unit(&own);
            let others: Vec<Vec<f64>> = others.iter().map(|other| unit(&other[..own.len()])).collect();
            let each = |place: u32| (0..).zip(others[(place - first) as usize].iter().copied());
            let packed = Packed::new(own.len(), first..first + number(others.len()), each);
            let mut scores = vec![0; others.len()];
            for (word, own) in (0..).zip(&own) {
                packed.add(word, *own, &mut scores);
            }
            for (other, score) in others.iter().zip(scores) {
                let exact: f64 = own.iter().zip(other).map(|(a, b)| a * b).sum();
                let lost = exact / step(1.0) - f64::from(score);
                prop_assert!(lost > -1e-6 && lost < 2.0 * own.len() as f64, "{lost}");
            }
        }
    }
}
