//! The buffers of a search: rough scores, and the vectors of the post that is searched for.

use std::sync::{Mutex, PoisonError};

use rustc_hash::FxHashMap;

/// One post's vectors, laid out by aspect so that what belongs to a feature is found at once.
#[derive(Debug, Default)]
pub(super) struct Laid {
    /// The component in the vector of length 1, times idf, so that only the other's frequency is
    /// missing.
    pub(super) weights: Vec<Vec<f32>>,
    /// The exact component in a vector that is not of length 1.
    pub(super) components: Vec<Vec<f64>>,
    /// What tells which words with lists it may have.
    pub(super) marks: Vec<u64>,
    /// The length of the part of the vector that is compared feature by feature.
    pub(super) norms: Vec<f32>,
}

impl Laid {
    /// The length of the part that the common words of an aspect have of its vector, 0 to 1.
    pub(super) fn common(&self, space: usize) -> f32 {
        self.norms[space]
    }

    /// What tells which words with lists the post may have in an aspect.
    pub(super) fn mark(&self, space: usize) -> u64 {
        self.marks[space]
    }
}

/// Rough scores, all 0 between searches, and room for a post's vectors.
#[derive(Debug, Default)]
pub(super) struct Scores {
    /// By class.
    pub(super) of: Vec<f32>,
    pub(super) met: Vec<u32>,
    /// What words add, by place, in steps.
    pub(super) words: Vec<u16>,
    pub(super) laid: Laid,
    /// The rough likeness of the classes that were compared.
    pub(super) compared: FxHashMap<u32, f64>,
    /// Where words are looked at, what the lists say of the posts at places that are near; nothing
    /// of others.
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

/// Buffers for searches on several threads: each takes one, and gives it back. There are as many as searches
/// ran at once.
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
