//! The steps of publishing, counted, and a build that ends between two of them.

use std::sync::atomic::{AtomicUsize, Ordering};

/// Counts steps, and panics at one of them and at all that follow.
#[derive(Debug, Default)]
pub(crate) struct Steps {
    /// The number of the last step, from 1; 0 for a build that runs to its end.
    last: usize,
    taken: AtomicUsize,
}

impl Steps {
    /// Ends a build at this step, from 1.
    pub(crate) fn until(last: usize) -> Self {
        Self {
            last,
            taken: AtomicUsize::new(0),
        }
    }

    pub(crate) fn take(&self) {
        let taken = self.taken.fetch_add(1, Ordering::Relaxed) + 1;
        if self.last > 0 && taken >= self.last {
            std::panic::resume_unwind(Box::new("killed"));
        }
    }
}
