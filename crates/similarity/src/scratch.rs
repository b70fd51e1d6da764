//! The buffers of searches, reused from search to search.

use std::sync::{Mutex, PoisonError};

use crate::partial::PartialScores;
use crate::vectors::Dense;

/// The buffers of one search. Between searches all numbers in them are 0.
#[derive(Debug, Default)]
pub(crate) struct Scratch {
    pub(crate) partial: PartialScores,
    /// By field, the query's weights.
    pub(crate) dense: Vec<Dense>,
}

/// Buffers for searches on several threads.
#[derive(Debug, Default)]
pub(crate) struct ScratchPool(Mutex<Vec<Scratch>>);

impl ScratchPool {
    /// Takes buffers from the pool, or makes new ones.
    pub(crate) fn take(&self) -> Scratch {
        let mut idle = self.0.lock().unwrap_or_else(PoisonError::into_inner);
        idle.pop().unwrap_or_default()
    }

    /// Gives buffers back, in which all numbers are 0.
    pub(crate) fn give(&self, scratch: Scratch) {
        let mut idle = self.0.lock().unwrap_or_else(PoisonError::into_inner);
        idle.push(scratch);
    }
}
