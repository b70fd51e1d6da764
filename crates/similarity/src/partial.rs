//! The partial scores of a search, by slot.

use std::ops::{ControlFlow, Range};

use crate::postings::{Posting, Slot};

/// The number of scores that are looked at together.
const CHUNK: usize = 32;

/// The part of all documents up to which a list of those with a score is kept.
const FEW: usize = 16;

/// The partial score of each document. While few have one, these are listed, so that a search whose terms are
/// rare costs nothing for all the others.
#[derive(Debug, Default)]
pub(crate) struct PartialScores {
    by_slot: Vec<f32>,
    /// The documents that are searched.
    slots: Range<usize>,
    /// The documents with a score above 0, in the order met; incomplete once there are many.
    met: Vec<Slot>,
    has_many: bool,
}

impl PartialScores {
    /// Prepares for a search among some documents. All scores are 0.
    pub(crate) fn begin(&mut self, slots: &Range<Slot>) {
        self.slots = slots.start.at()..slots.end.at();
        self.by_slot
            .resize(self.slots.end.max(self.by_slot.len()), 0.0);
    }

    /// Adds the weights of postings of these documents, times a factor.
    pub(crate) fn add(&mut self, factor: f32, postings: &[Posting]) {
        self.has_many |= self.met.len() + postings.len() > self.slots.len() / FEW;
        let scores = self.by_slot.as_mut_slice();
        if self.has_many {
            for posting in postings {
                scores[posting.slot.at()] += factor * posting.weight;
            }
            return;
        }
        for posting in postings {
            let score = &mut scores[posting.slot.at()];
            if *score == 0.0 {
                self.met.push(posting.slot);
            }
            // Never 0, so that no document is met twice.
            *score += (factor * posting.weight).max(f32::MIN_POSITIVE);
        }
    }

    /// Returns the score of a document.
    pub(crate) fn of(&self, slot: Slot) -> f32 {
        self.by_slot[slot.at()]
    }

    /// Calls `see` with the scores of at least a limit, until it breaks; it returns the limit for the next
    /// scores, which does not fall. The order is the same in each run.
    pub(crate) fn each_from(
        &self,
        mut limit: f32,
        mut see: impl FnMut(f32, Slot) -> ControlFlow<(), f32>,
    ) {
        if !self.has_many && limit > 0.0 {
            for slot in &self.met {
                let score = self.by_slot[slot.at()];
                if score >= limit {
                    match see(score, *slot) {
                        ControlFlow::Continue(next) => limit = next,
                        ControlFlow::Break(()) => return,
                    }
                }
            }
            return;
        }
        let mut slot = self.slots.start;
        for chunk in self.by_slot[self.slots.clone()].chunks(CHUNK) {
            // Vectorised: the whole chunk is compared before any score of it is read.
            if chunk
                .iter()
                .fold(false, |any, score| any | (*score >= limit))
            {
                for (slot, score) in (slot..).map(Slot::new).zip(chunk) {
                    if *score >= limit {
                        match see(*score, slot) {
                            ControlFlow::Continue(next) => limit = next,
                            ControlFlow::Break(()) => return,
                        }
                    }
                }
            }
            slot += CHUNK;
        }
    }

    /// Sets all scores to 0.
    pub(crate) fn clear(&mut self) {
        if self.has_many {
            self.by_slot[self.slots.clone()].fill(0.0);
            self.met.clear();
        }
        for slot in self.met.drain(..) {
            self.by_slot[slot.at()] = 0.0;
        }
        self.has_many = false;
    }
}
