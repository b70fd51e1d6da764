//! The search: postings from the rarest terms on, a bound on the rest, exact scores where it allows.
//!
//! 1. The postings of the query's terms in one tier add up to a partial score for each document
//!    (term-at-a-time, in single precision).
//! 2. The documents with the highest partial scores get their exact scores. The k-th best of these is
//!    a threshold: no result has a lower score.
//! 3. The remaining terms add no more to a partial score than the product of the norms of both vectors'
//!    remaining parts. The candidates are the documents whose partial score and this bound reach
//!    the threshold. If to walk the postings of the next tier costs less than to compare the candidates,
//!    the search goes on with it at 1.
//! 4. The candidates get their exact scores, the highest bounds first, until the next bound is below the
//!    k-th best exact score.

use std::ops::ControlFlow;

use crate::highest::{HighestFirst, each_from, highest};
use crate::index::Index;
use crate::matrix::Doc;
use crate::postings::{Posting, Slot, Tier, single};
use crate::score::Score;
use crate::scratch::Scratch;
use crate::top_k::{Hit, TopK};

/// A request for the most similar documents.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Search {
    /// The document that others are compared with; it finds itself, too, if it is indexed.
    pub query: Doc,
    /// The number of documents wanted; more than there are count as all.
    pub k: usize,
    /// If set, all documents as similar as the last of the k are found, too.
    pub with_ties: bool,
}

/// The number of documents beyond k whose exact scores give a threshold, as partial scores are not in the
/// order of the exact ones.
const SPARE: usize = 8;

impl Index {
    /// Returns the `k` documents most similar to one among those that `filter` accepts: highest score
    /// first, of equals in rising order. Documents of score 0 are not among them.
    pub fn top_k(&self, search: Search, filter: impl Fn(Doc) -> bool) -> Vec<Hit> {
        let k = search.k.min(self.docs.len());
        if k == 0 {
            return Vec::new();
        }
        let mut scratch = self.scratch.take();
        scratch.load(self, search.query);
        let mut running = Running {
            query: Query::new(self, search.query),
            scratch: &mut scratch,
            filter: &filter,
        };
        let hits = running.top_k(k).into_hits(search.with_ties);
        scratch.clear(self, search.query);
        self.scratch.give(scratch);
        hits
    }
}

impl Scratch {
    /// Lays out the query's weights by term.
    fn load(&mut self, index: &Index, query: Doc) {
        self.partial.resize(index.docs.len(), 0.0);
        self.dense.resize(index.fields.len(), Vec::new());
        for (field, dense) in index.fields.iter().zip(&mut self.dense) {
            dense.resize(field.vectors.counts.width(), 0.0);
            for (term, weight) in field.vectors.row(query) {
                dense[term.at()] = weight;
            }
        }
    }

    fn clear(&mut self, index: &Index, query: Doc) {
        self.partial.fill(0.0);
        for (field, dense) in index.fields.iter().zip(&mut self.dense) {
            for term in field.vectors.counts.row(query).terms {
                dense[term.at()] = 0.0;
            }
        }
    }
}

/// The query document's terms as lists to walk, by tier.
struct Query<'a> {
    index: &'a Index,
    doc: Doc,
    tiers: Vec<QueryTier<'a>>,
    /// The most by which rounding makes a bound too low.
    error: f32,
}

/// The part of the query's vectors in one tier.
#[derive(Clone, Default)]
struct QueryTier<'a> {
    /// The postings of each term, with the factor of their weights.
    walks: Vec<(f32, &'a [Posting])>,
    /// By field the square of the norm of these terms in the vector of norm 1.
    squares: Vec<f64>,
}

impl<'a> Query<'a> {
    fn new(index: &'a Index, doc: Doc) -> Self {
        let empty = QueryTier {
            walks: Vec::new(),
            squares: vec![0.0; index.fields.len()],
        };
        let mut tiers = vec![empty; index.last_tier.0 + 1];
        let mut terms = 0;
        for (at, field) in index.fields.iter().enumerate() {
            for (term, weight) in field.vectors.unit_row(doc) {
                let tier = &mut tiers[field.postings.tier(&field.vectors, term).0];
                tier.squares[at] += weight * weight;
                let factor = single(field.weight * weight);
                tier.walks.push((factor, field.postings.of(term)));
                terms += 1;
            }
        }
        Self {
            index,
            doc,
            tiers,
            error: rounding_error(terms, index.fields.len()),
        }
    }

    /// Returns the number of postings that a tier has for the query.
    fn cost(&self, tier: Tier) -> usize {
        let walks = self.tiers[tier.0].walks.iter();
        walks.map(|(_, postings)| postings.len()).sum()
    }

    /// Returns the bound on what all tiers above one add to a score.
    fn bound_above(&self, tier: Tier) -> Bound<'a> {
        let fields = self.index.fields.iter().enumerate();
        let remaining = fields.filter_map(|(at, field)| {
            let above = self.tiers[tier.0 + 1..].iter();
            let norm = above.map(|tier| tier.squares[at]).sum::<f64>().sqrt();
            let norms = field.postings.remaining(tier)?;
            (norm > 0.0).then(|| (single(field.weight * norm).next_up(), norms))
        });
        Bound {
            remaining: remaining.collect(),
            error: self.error,
        }
    }
}

/// Returns the most by which rounding makes a bound too low. A partial score is a sum of one product for
/// each of the query's terms, all positive and together at most 1. Each product has three roundings and
/// each addition one, each by a part of 2⁻²⁴ at most (half of `f32::EPSILON`), and the bound has a
/// few for each field; twice that many leave room for what roundings multiply to. An exact score is
/// rounded by half a unit.
fn rounding_error(terms: usize, fields: usize) -> f32 {
    let roundings = terms + 8 * (fields + 1);
    single(roundings as f64 * f64::from(f32::EPSILON) + Score::UNIT)
}

/// An upper bound on what is missing from partial scores.
struct Bound<'a> {
    /// By field: the field's weight times the norm of the query's remaining terms, and the norm of each
    /// document's remaining terms, by slot.
    remaining: Vec<(f32, &'a [f32])>,
    error: f32,
}

impl Bound<'_> {
    /// Returns the most that is missing, whichever document it is of.
    fn highest(&self) -> f32 {
        let factors = self.remaining.iter().map(|(factor, _)| *factor);
        factors.sum::<f32>() * (1.0 + 16.0 * f32::EPSILON) + self.error
    }

    /// Returns the most that the score of a document can be; 0 if it shares no term with the query.
    fn of(&self, partial: f32, slot: Slot) -> f32 {
        let remaining = self.remaining.iter();
        let missing = remaining.map(|(factor, norms)| factor * norms[slot.at()]);
        let bound = partial + missing.sum::<f32>();
        if bound > 0.0 { bound + self.error } else { 0.0 }
    }
}

/// A search with its partial scores.
struct Running<'a, F> {
    query: Query<'a>,
    scratch: &'a mut Scratch,
    filter: &'a F,
}

impl<F: Fn(Doc) -> bool> Running<'_, F> {
    fn top_k(&mut self, k: usize) -> TopK {
        let index = self.query.index;
        for tier in (0..index.last_tier.0).map(Tier) {
            self.walk(tier);
            let next = self.query.cost(Tier(tier.0 + 1));
            if next > 0 {
                let affordable = next / index.comparison_cost();
                if let Some(candidates) = self.candidates(tier, k, affordable) {
                    return self.compare(candidates, k);
                }
            }
        }
        self.walk(index.last_tier);
        let candidates = self.candidates(index.last_tier, k, usize::MAX);
        self.compare(candidates.unwrap_or_default(), k)
    }

    /// Adds the postings of a tier to the partial scores.
    fn walk(&mut self, tier: Tier) {
        let partial = self.scratch.partial.as_mut_slice();
        for (factor, postings) in &self.query.tiers[tier.0].walks {
            for posting in *postings {
                partial[posting.slot.at()] += factor * posting.weight;
            }
        }
    }

    /// Returns a score that k documents have at least: the k-th best of those with the highest
    /// partial scores.
    fn threshold(&self, k: usize) -> Score {
        let mut wanted = k + SPARE;
        loop {
            let slots = highest(&self.scratch.partial, wanted);
            let mut best = TopK::new(k);
            for slot in &slots {
                self.take_in(*slot, &mut best);
            }
            if best.is_full() || slots.len() < wanted {
                return best.least();
            }
            // The filter rejects most.
            wanted *= 8;
        }
    }

    /// Returns the documents that can be among the k best once all tiers up to one are walked, each with
    /// its bound; `None` if there are more than `most`.
    fn candidates(&self, tier: Tier, k: usize, most: usize) -> Option<Vec<(f32, Slot)>> {
        let bound = self.query.bound_above(tier);
        let threshold = single(self.threshold(k).ratio()).next_down();
        let least = threshold - bound.highest();
        let mut candidates = Vec::new();
        each_from(&self.scratch.partial, least, |partial, slot| {
            let bound = bound.of(partial, slot);
            if bound >= threshold {
                candidates.push((bound, slot));
            }
            match candidates.len() > most {
                true => ControlFlow::Break(()),
                false => ControlFlow::Continue(least),
            }
        });
        (candidates.len() <= most).then_some(candidates)
    }

    /// Compares candidates exactly, as long as their bounds allow a score among the k best.
    fn compare(&self, candidates: Vec<(f32, Slot)>, k: usize) -> TopK {
        let mut best = TopK::new(k);
        for (bound, slot) in HighestFirst::new(candidates) {
            if f64::from(bound) < best.least().ratio() {
                break;
            }
            self.take_in(slot, &mut best);
        }
        best
    }

    fn take_in(&self, slot: Slot, best: &mut TopK) {
        let doc = self.query.index.doc(slot);
        let score = self.score(doc);
        if score >= best.least() && (self.filter)(doc) {
            best.insert(Hit { doc, score });
        }
    }

    /// Returns the exact score of a document.
    fn score(&self, doc: Doc) -> Score {
        let mut dense = self.scratch.dense.iter();
        self.query.index.score_by(|field| {
            let dense = dense.next().map_or(&[][..], Vec::as_slice);
            field.vectors.cosine_of_dense(dense, self.query.doc, doc)
        })
    }
}
