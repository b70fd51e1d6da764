//! The index of several fields; scores of pairs of documents and their breakdown.

use std::sync::{Arc, OnceLock};

use crate::matrix::{CountMatrix, Doc, Term};
use crate::partitions::Partitions;
use crate::postings::{Postings, Slot};
use crate::scoped_threads::each_on_a_thread;
use crate::score::Score;
use crate::scratch::ScratchPool;
use crate::vectors::{IndexedField, Vectors};

/// One field of all documents, with what it counts.
#[derive(Debug, Clone)]
pub struct Field {
    /// The terms of each document.
    pub counts: Arc<CountMatrix>,
    /// The factor of the field's cosine, 0 to 1. The weights of all fields add up to 1, or all are 0.
    pub weight: f64,
    /// If set, documents that share no term of it with another have score 0.
    pub required: bool,
}

/// The measures by which a search chooses its steps. They change the time that a search takes, never what is
/// found. A posting is the unit of time.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Tuning<'a> {
    /// The number of postings that a search walks in a field up to the end of each tier but the last, in the
    /// mean over all indexed documents and as a multiple of their number; rising.
    pub tiers: &'a [f64],
    /// The time for comparing two documents without terms: for finding them in memory.
    pub comparison: usize,
    /// The time for each term of a compared document.
    pub compared_term: usize,
    /// The number of partial scores that are looked through in one unit of time.
    pub scanned: usize,
    /// The number of documents beyond k whose exact scores give a threshold, as partial scores are not in the
    /// order of the exact ones.
    pub spare: usize,
}

impl Default for Tuning<'_> {
    /// Returns the measures that took the least time for 1,000 to 100,000 documents of 5 to 500 terms.
    fn default() -> Self {
        Self {
            tiers: &[0.02, 0.2, 1.0, 6.0],
            comparison: 200,
            compared_term: 4,
            scanned: 16,
            spare: 8,
        }
    }
}

/// Returns the highest document frequency of the terms that a tier ends with, so that all documents
/// together walk no more than `most` postings. Each document of a term walks all of the term's list, so
/// that the squares of the document frequencies count.
fn highest_frequency(document_frequencies: &[u32], most: f64) -> u32 {
    let mut rising = document_frequencies.to_vec();
    rising.sort_unstable();
    let mut postings = 0.0;
    let first_above = rising.iter().find(|df| {
        postings += f64::from(**df).powi(2);
        postings > most
    });
    // All terms of one document frequency are in one tier.
    first_above.map_or(u32::MAX, |df| df.saturating_sub(1))
}

/// The contribution of one field to a score.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Contribution {
    /// The number of the field, in the order in which fields were handed in.
    pub field: usize,
    /// The part of the score; the parts of all fields add up to the score.
    pub part: Score,
    /// The terms that both documents have, those that add most first.
    pub shared: Vec<Term>,
}

/// The fields of all documents, indexed for [`Index::top_k`].
#[derive(Debug)]
pub struct Index {
    pub(crate) fields: Vec<IndexedField>,
    /// The indexed documents by slot: partition by partition, and in rising order within each.
    pub(crate) docs: Vec<Doc>,
    pub(crate) partitions: Option<Partitions>,
    /// See [`Tuning`].
    pub(crate) tiers: Vec<f64>,
    /// By field, the inverted index, built by the first search that needs it.
    pub(crate) postings: OnceLock<Vec<Postings>>,
    /// The postings that are walked in the time in which two documents are compared, in the mean.
    pub(crate) comparison: usize,
    /// See [`Tuning`].
    pub(crate) scanned: usize,
    pub(crate) spare: usize,
    pub(crate) scratch: ScratchPool,
}

impl Index {
    /// Indexes some documents, given in rising order. Any document of the matrices can be compared
    /// and searched for; only these are found. Takes time linear in the entries of all matrices, and
    /// a thread for each field; so does the first search.
    ///
    /// # Panics
    /// If matrices have rows missing, or there are 2³² documents or more.
    #[must_use]
    pub fn new(fields: Vec<Field>, docs: Vec<Doc>, tuning: Tuning<'_>) -> Self {
        // Not a pool of threads: a worker that waits there takes up other work, which may wait for
        // this very index.
        let fields = each_on_a_thread(&fields, |field| IndexedField {
            vectors: Vectors::new(Arc::clone(&field.counts), &docs),
            weight: field.weight,
            required: field.required,
        });
        let mut docs = docs;
        let partitions = Partitions::choose(&fields, &mut docs);
        let entries = fields.iter().map(|field| field.vectors.postings());
        let mean_terms = entries.sum::<usize>().div_ceil(docs.len().max(1));
        Self {
            comparison: tuning.comparison + tuning.compared_term * mean_terms.max(1),
            tiers: tuning.tiers.to_vec(),
            postings: OnceLock::new(),
            scanned: tuning.scanned.max(1),
            spare: tuning.spare,
            partitions,
            fields,
            docs,
            scratch: ScratchPool::default(),
        }
    }

    /// Returns the inverted index of each field.
    pub(crate) fn postings(&self) -> &[Postings] {
        self.postings.get_or_init(|| {
            let ends = match &self.partitions {
                Some(partitions) => partitions.ends.clone(),
                None => vec![Slot::new(self.docs.len())],
            };
            let pairs = (self.docs.len() as f64).powi(2);
            each_on_a_thread(&self.fields, |field| {
                let frequencies = &field.vectors.document_frequencies;
                let tiers = self.tiers.iter();
                let limits = tiers.map(|multiple| highest_frequency(frequencies, multiple * pairs));
                Postings::new(&field.vectors, &self.docs, &ends, limits.collect())
            })
        })
    }

    /// Returns the score of two documents.
    #[must_use]
    pub fn score(&self, a: Doc, b: Doc) -> Score {
        self.score_by(|field| field.vectors.cosine(a, b))
    }

    /// Returns the score by the cosine in each field.
    pub(crate) fn score_by(&self, mut cosine: impl FnMut(&IndexedField) -> f64) -> Score {
        let mut sum = 0.0;
        for field in &self.fields {
            let cosine = cosine(field);
            if field.required && cosine <= 0.0 {
                return Score::ZERO;
            }
            sum += field.weight * cosine;
        }
        Score::from_ratio(sum)
    }

    /// Returns the terms that two documents share in a field, those that add most to the score
    /// first; of equals in rising order.
    #[must_use]
    pub fn shared_terms(&self, field: usize, a: Doc, b: Doc) -> Vec<Term> {
        let vectors = &self.fields[field].vectors;
        let mut shared = Vec::new();
        let (of_a, of_b) = (vectors.counts.row(a), vectors.counts.row(b));
        of_a.intersect(of_b, |term, count_a, count_b| {
            let product = vectors.weight(term, count_a) * vectors.weight(term, count_b);
            shared.push((product, term));
        });
        shared.sort_by(|a, b| b.0.total_cmp(&a.0).then(a.1.cmp(&b.1)));
        shared.into_iter().map(|(_, term)| term).collect()
    }

    /// Returns the score of two documents by field, without fields of weight 0. The parts add up to
    /// the score: units lost by rounding down go to the fields that lost most.
    #[must_use]
    pub fn breakdown(&self, a: Doc, b: Doc) -> Vec<Contribution> {
        let score = self.score(a, b);
        let weighted = self.fields.iter().enumerate();
        let weighted = weighted.filter(|(_, field)| field.weight > 0.0);
        let mut parts: Vec<(usize, f64)> = weighted
            .map(|(at, field)| {
                let ratio = match score {
                    Score::ZERO => 0.0,
                    _ => field.weight * field.vectors.cosine(a, b),
                };
                (at, ratio * f64::from(Score::ONE.units()))
            })
            .collect();
        let floor = |units: f64| Score::floor(units).units();
        let sum: u32 = parts.iter().map(|(_, units)| floor(*units)).sum();
        let mut order: Vec<usize> = (0..parts.len()).collect();
        order.sort_by(|a, b| parts[*b].1.fract().total_cmp(&parts[*a].1.fract()));
        let lost = score.units().saturating_sub(sum) as usize;
        for at in order.into_iter().cycle().take(lost) {
            parts[at].1 += 1.0;
        }
        let contribution = |(field, units)| Contribution {
            field,
            part: Score::floor(units),
            shared: self.shared_terms(field, a, b),
        };
        parts.into_iter().map(contribution).collect()
    }

    /// Returns the indexed documents that share any term of a weighted field with a document, in
    /// rising order.
    #[must_use]
    pub fn sharing(&self, doc: Doc) -> Vec<Doc> {
        let mut slots: Vec<Slot> = Vec::new();
        for (field, postings) in self.fields.iter().zip(self.postings()) {
            if field.weight > 0.0 {
                for term in field.vectors.counts.row(doc).terms {
                    slots.extend(postings.of(*term).iter().map(|posting| posting.slot));
                }
            }
        }
        let mut docs: Vec<Doc> = slots.into_iter().map(|slot| self.doc(slot)).collect();
        docs.sort_unstable();
        docs.dedup();
        docs
    }

    /// Returns true if documents that share nothing in some field have score 0.
    pub(crate) fn has_required(&self) -> bool {
        self.fields.iter().any(|field| field.required)
    }

    pub(crate) fn doc(&self, slot: Slot) -> Doc {
        self.docs[slot.at()]
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use rstest::rstest;

    #[rstest]
    #[case::all(&[3, 1, 2], 14.0, u32::MAX)]
    // 1 + 4 = 5 fit, and 5 + 9 = 14 do not.
    #[case::the_rarest(&[3, 1, 2], 13.0, 2)]
    #[case::none(&[3, 1, 2], 0.0, 0)]
    // Of three terms with two documents each only two would fit.
    #[case::no_part_of_equals(&[2, 1, 2, 2], 9.0, 1)]
    #[case::no_terms(&[], 0.0, u32::MAX)]
    fn a_tier_ends_with_the_last_list_that_fits(
        #[case] document_frequencies: &[u32],
        #[case] most: f64,
        #[case] expected: u32,
    ) {
        assert_eq!(highest_frequency(document_frequencies, most), expected);
    }
}
