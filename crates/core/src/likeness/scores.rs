//! The buffers of a search: rough scores, and the vectors of the post that is searched for.

use std::sync::{Mutex, PoisonError};

use rustc_hash::FxHashMap;

/// The vectors of one post, by aspect and feature number, for lookups in constant time.
#[derive(Debug, Default)]
pub(super) struct Laid {
    /// The component in the unit vector, times idf: only the frequency in the other post is missing.
    pub(super) weights: Vec<Vec<f32>>,
    /// The exact component in the vector before it is normalised.
    pub(super) components: Vec<Vec<f64>>,
    /// Bloom-style signatures of the words with postings.
    pub(super) marks: Vec<u64>,
    /// The norm of the part of the vector that is compared feature by feature.
    pub(super) norms: Vec<f32>,
}

impl Laid {
    /// Returns the norm of the common words in the unit vector of an aspect, 0 to 1.
    pub(super) fn common(&self, space: usize) -> f32 {
        self.norms[space]
    }

    /// Returns the signature of the words with postings in an aspect.
    pub(super) fn mark(&self, space: usize) -> u64 {
        self.marks[space]
    }
}

/// The scores of a search, all 0 between searches, and the vectors of its post.
#[derive(Debug, Default)]
pub(super) struct Scores {
    /// The approximate score of each class.
    pub(super) of: Vec<f32>,
    /// The classes with a score.
    pub(super) met: Vec<u32>,
    /// The contribution of words, by slot, quantised.
    pub(super) words: Vec<u16>,
    pub(super) laid: Laid,
    /// The approximate likeness of the classes that were compared.
    pub(super) compared: FxHashMap<u32, f64>,
    /// The contribution of the postings of words, for slots nearby; empty for others.
    pub(super) listed: Vec<f32>,
}

impl Scores {
    /// All scores are 0 again.
    pub(super) fn forget(&mut self) {
        for class in self.met.drain(..) {
            self.of[class as usize] = 0.0;
        }
    }
}

/// Buffers for searches on several threads: each search takes one, and gives it back.
#[derive(Debug, Default)]
pub(super) struct ScorePool(Mutex<Vec<Scores>>);

impl ScorePool {
    /// Calls `search` with buffers of which all scores are 0.
    pub(super) fn with<T>(&self, search: impl FnOnce(&mut Scores) -> T) -> T {
        let mut scores = self.idle().pop().unwrap_or_default();
        let found = search(&mut scores);
        self.idle().push(scores);
        found
    }

    fn idle(&self) -> std::sync::MutexGuard<'_, Vec<Scores>> {
        self.0.lock().unwrap_or_else(PoisonError::into_inner)
    }
}
