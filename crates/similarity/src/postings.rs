//! The inverted index of one field: by term the documents that have it, in tiers of document frequency.
//!
//! The lists of terms that many documents have are long and tell little, as the terms' idf is low. So a
//! search walks the lists of the rarest terms first, and the others only if it must (the split of
//! `MaxScore`, Turtle and Flood 1995, in several steps). What the tiers not yet walked can add to a
//! cosine is bounded by the product of the norms of both vectors' remaining parts (Cauchy-Schwarz; the
//! remaining-norm bound of L2AP, Anastasiu and Karypis 2014).

use crate::matrix::{Doc, Term};
use crate::vectors::Vectors;

/// The position of a document among the indexed ones.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord)]
pub(crate) struct Slot(pub(crate) u32);

impl Slot {
    /// Creates the slot of a position.
    ///
    /// # Panics
    /// If there are 2³² documents.
    pub(crate) fn new(at: usize) -> Self {
        Self(u32::try_from(at).expect("fewer than 2^32 documents"))
    }

    pub(crate) fn at(self) -> usize {
        self.0 as usize
    }
}

/// A range of document frequencies: 0 is that of the rarest terms.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord)]
pub(crate) struct Tier(pub(crate) usize);

/// A document that has a term, with the term's weight in the document's vector of norm 1.
#[derive(Debug, Clone, Copy)]
pub(crate) struct Posting {
    pub(crate) slot: Slot,
    pub(crate) weight: f32,
}

/// The lists of one field, of rising slots.
#[derive(Debug)]
pub(crate) struct Postings {
    /// The start of each term's list, and the end of the last.
    starts: Vec<usize>,
    /// By term, and by partition: the end of the partition's postings in the term's list.
    ends: Vec<u32>,
    /// The number of partitions, from 1.
    partitions: usize,
    entries: Vec<Posting>,
    /// The highest document frequency of each tier but the last.
    limits: Vec<u32>,
    /// By tier but the last, and by slot: the norm of the terms of all higher tiers in each document's
    /// vector of norm 1, rounded up.
    remaining: Vec<Vec<f32>>,
}

impl Postings {
    /// Builds the lists of some documents with the end of each partition of them, and with the highest document
    /// frequency of each tier but the last. Takes time linear in the entries of the matrix, and in its terms
    /// times the partitions.
    pub(crate) fn new(
        vectors: &Vectors,
        indexed: &[Doc],
        partitions: &[Slot],
        limits: Vec<u32>,
    ) -> Self {
        let mut starts = vec![0];
        let mut end = 0;
        starts.extend(vectors.document_frequencies.iter().map(|df| {
            end += *df as usize;
            end
        }));
        let unset = Posting {
            slot: Slot(0),
            weight: 0.0,
        };
        let mut squares = vec![0.0; limits.len() + 1];
        let mut postings = Self {
            ends: vec![0; (starts.len() - 1) * partitions.len()],
            partitions: partitions.len(),
            entries: vec![unset; end],
            starts,
            remaining: vec![Vec::with_capacity(indexed.len()); limits.len()],
            limits,
        };
        let mut lengths = vec![0u32; vectors.document_frequencies.len()];
        let mut start = 0;
        for (number, end) in partitions.iter().enumerate() {
            for slot in (start..end.0).map(Slot) {
                squares.fill(0.0);
                for (term, weight) in vectors.unit_row(indexed[slot.at()]) {
                    let length = &mut lengths[term.at()];
                    postings.entries[postings.starts[term.at()] + *length as usize] = Posting {
                        slot,
                        weight: single(weight),
                    };
                    *length += 1;
                    squares[postings.tier(vectors, term).0] += weight * weight;
                }
                let mut sum = 0.0;
                for (tier, norms) in postings.remaining.iter_mut().enumerate().rev() {
                    sum += squares[tier + 1];
                    norms.push(single(f64::sqrt(sum)).next_up());
                }
            }
            let ends = postings.ends.iter_mut().skip(number);
            for (end, length) in ends.step_by(partitions.len()).zip(&lengths) {
                *end = *length;
            }
            start = end.0;
        }
        postings
    }

    /// Returns the list of a term.
    pub(crate) fn of(&self, term: Term) -> &[Posting] {
        &self.entries[self.starts[term.at()]..self.starts[term.at() + 1]]
    }

    /// Returns the list of a term in three parts: the documents of the partitions before one, those of
    /// that partition, and those of the partitions after it.
    pub(crate) fn around(&self, term: Term, partition: usize) -> [&[Posting]; 3] {
        let ends = &self.ends[term.at() * self.partitions..][..self.partitions];
        let start = match partition {
            0 => 0,
            _ => ends[partition - 1] as usize,
        };
        let (before, list) = self.of(term).split_at(start);
        let (own, after) = list.split_at(ends[partition] as usize - start);
        [before, own, after]
    }

    /// Returns the tier of a term.
    pub(crate) fn tier(&self, vectors: &Vectors, term: Term) -> Tier {
        let df = vectors.document_frequencies[term.at()];
        Tier(self.limits.partition_point(|limit| *limit < df))
    }

    /// Returns the norms of the terms from a tier on in the documents' vectors of norm 1, by slot; `None` for
    /// the first tier, as these are the whole vectors.
    pub(crate) fn remaining_from(&self, tier: Tier) -> Option<&[f32]> {
        let below = tier.0.checked_sub(1)?;
        Some(&self.remaining[below])
    }
}

/// Rounds to single precision, which is enough to narrow a search.
#[expect(clippy::cast_possible_truncation, reason = "that is its purpose")]
pub(crate) fn single(exact: f64) -> f32 {
    exact as f32
}
