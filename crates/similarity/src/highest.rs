//! The documents with the highest scores.

use std::ops::ControlFlow;

use crate::partial::PartialScores;
use crate::postings::Slot;

/// Returns the documents with the highest scores above 0, in no order: `wanted`, or all if there are fewer.
pub(crate) fn highest(scores: &PartialScores, wanted: usize) -> Vec<Slot> {
    let mut best: Vec<(f32, Slot)> = Vec::new();
    let mut least = f32::MIN_POSITIVE;
    scores.each_from(least, |score, slot| {
        best.push((score, slot));
        if best.len() >= wanted.saturating_mul(4) {
            keep_highest(&mut best, wanted);
            let kept = best.iter().map(|(score, _)| *score);
            // Not the ones that are equal to the last: there may be thousands.
            least = kept.fold(f32::INFINITY, f32::min).next_up();
        }
        ControlFlow::Continue(least)
    });
    keep_highest(&mut best, wanted);
    best.into_iter().map(|(_, slot)| slot).collect()
}

fn keep_highest(scores: &mut Vec<(f32, Slot)>, wanted: usize) {
    if scores.len() > wanted {
        scores.select_nth_unstable_by(wanted - 1, |a, b| b.0.total_cmp(&a.0));
        scores.truncate(wanted);
    }
}

/// Scores with their documents, the highest first; sorts no more of them than are asked for.
pub(crate) struct HighestFirst {
    scores: Vec<(f32, Slot)>,
    sorted: usize,
    next: usize,
}

impl HighestFirst {
    pub(crate) fn new(scores: Vec<(f32, Slot)>) -> Self {
        Self {
            scores,
            sorted: 0,
            next: 0,
        }
    }
}

impl Iterator for HighestFirst {
    type Item = (f32, Slot);

    fn next(&mut self) -> Option<Self::Item> {
        if self.next == self.sorted {
            let order = |a: &(f32, Slot), b: &(f32, Slot)| b.0.total_cmp(&a.0).then(a.1.cmp(&b.1));
            let rest = &mut self.scores[self.sorted..];
            let more = rest.len().min(self.sorted.max(64));
            if more < rest.len() {
                rest.select_nth_unstable_by(more, order);
            }
            rest[..more].sort_unstable_by(order);
            self.sorted += more;
        }
        let next = self.scores.get(self.next).copied();
        self.next += 1;
        next
    }
}

#[cfg(test)]
mod tests {
    use proptest::collection::vec;
    use proptest::prelude::*;

    use super::*;
    use crate::postings::Posting;

    /// The scores above a limit by falling score, of equals by slot: by sorting all.
    fn sorted(scores: &[f32], least: f32) -> Vec<(f32, Slot)> {
        let all = scores.iter().copied().zip((0u32..).map(Slot));
        let mut all: Vec<(f32, Slot)> = all.filter(|(score, _)| *score >= least).collect();
        all.sort_by(|a, b| b.0.total_cmp(&a.0).then(a.1.cmp(&b.1)));
        all
    }

    proptest! {
        #[test]
        fn selections_are_those_of_sorting_all(
            scores in vec(prop_oneof![2 => Just(0.0), 3 => (1u16..40).prop_map(|n| f32::from(n) / 40.0)], 0..400),
            wanted in 1usize..40,
            least in 0u16..40,
            zeros in 0usize..2_000,
            step in 1usize..50,
        ) {
            let mut scores = scores;
            scores.resize(scores.len() + zeros, 0.0);
            let least = f32::from(least) / 40.0;
            let mut partial = PartialScores::default();
            partial.begin(&(Slot(0)..Slot::new(scores.len())));
            let postings = (0u32..).map(Slot).zip(&scores).filter(|(_, score)| **score > 0.0);
            let postings: Vec<Posting> =
                postings.map(|(slot, score)| Posting { slot, weight: *score }).collect();
            // In small steps or in one, listed or not.
            postings.chunks(step).for_each(|some| partial.add(1.0, some));
            let mut found = Vec::new();
            partial.each_from(least, |score, slot| {
                found.push((score, slot));
                ControlFlow::Continue(least)
            });
            prop_assert_eq!(HighestFirst::new(found.clone()).collect::<Vec<_>>(), sorted(&scores, least));
            found.sort_by(|a, b| b.0.total_cmp(&a.0).then(a.1.cmp(&b.1)));
            prop_assert_eq!(found, sorted(&scores, least));
            let mut best: Vec<f32> = highest(&partial, wanted).iter().map(|slot| scores[slot.at()]).collect();
            best.sort_by(|a, b| b.total_cmp(a));
            let mut expected: Vec<f32> = sorted(&scores, f32::MIN_POSITIVE).iter().map(|(score, _)| *score).collect();
            expected.truncate(wanted);
            prop_assert_eq!(best, expected);
            partial.clear();
            prop_assert_eq!(highest(&partial, wanted), []);
        }
    }
}
