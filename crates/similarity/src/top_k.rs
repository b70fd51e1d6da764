//! The k best hits so far.

use std::cmp::Reverse;
use std::collections::BinaryHeap;

use crate::matrix::Doc;
use crate::score::Score;

/// A document that was found, with its score.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Hit {
    /// The document.
    pub doc: Doc,
    /// The score, above 0.
    pub score: Score,
}

/// The hits that can be among the k best, of those handed in.
pub(crate) struct TopK {
    k: usize,
    /// The k highest scores.
    scores: BinaryHeap<Reverse<Score>>,
    hits: Vec<Hit>,
}

impl TopK {
    /// Keeps the `k` best, from 1.
    pub(crate) fn new(k: usize) -> Self {
        Self {
            k,
            scores: BinaryHeap::new(),
            hits: Vec::new(),
        }
    }

    /// Returns true if there are k hits.
    pub(crate) fn is_full(&self) -> bool {
        self.scores.len() == self.k
    }

    /// Returns the score that a hit needs at least to be among the k best or as good as the last of
    /// them; the lowest above 0 while there are fewer than k.
    pub(crate) fn least(&self) -> Score {
        match self.scores.peek() {
            Some(Reverse(least)) if self.is_full() => *least,
            _ => Score::from_units(1),
        }
    }

    /// Takes in a hit whose score is at least [`Self::least`]. Takes O(log k).
    pub(crate) fn insert(&mut self, hit: Hit) {
        self.hits.push(hit);
        self.scores.push(Reverse(hit.score));
        if self.scores.len() > self.k {
            self.scores.pop();
        }
    }

    /// Returns the k best, with `with_ties` all that are as good as the last of them, too: highest
    /// score first, of equals in rising order of the documents.
    pub(crate) fn into_hits(self, with_ties: bool) -> Vec<Hit> {
        let least = self.least();
        let mut hits = self.hits;
        hits.retain(|hit| hit.score >= least);
        sort(&mut hits);
        if !with_ties {
            hits.truncate(self.k);
        }
        hits
    }
}

/// Sorts by falling score, and hits of equal scores in rising order of the documents.
pub(crate) fn sort(hits: &mut [Hit]) {
    // Stable, as that is fast for runs of equal scores, which are in order already.
    hits.sort_by_key(rank);
}

/// Returns the key by which the best hits come first, of equal ones the document with the lowest number.
pub(crate) fn rank(hit: &Hit) -> (Reverse<Score>, Doc) {
    (Reverse(hit.score), hit.doc)
}
