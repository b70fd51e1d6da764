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
//!
//! If the index has partitions, the query's own is searched so first, and the others only if their documents
//! can be among the k best.

use std::ops::{ControlFlow, Range};

use crate::highest::{HighestFirst, highest};
use crate::index::{Index, IndexedField};
use crate::matrix::Doc;
use crate::postings::{Posting, Slot, Tier, among, single};
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

/// The postings that are walked in the time for comparing the documents beyond k whose exact scores give a
/// threshold: partial scores are not in the order of the exact ones.
const SPARE: usize = 4_000;

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
        let (constant, parts) = self.parts(search.query);
        let query = Query::new(self, search.query, constant);
        let mut best = TopK::new(k);
        for part in parts {
            if best.is_full() && part.highest < best.least().ratio() {
                break;
            }
            scratch.partial.begin(&part.slots);
            let mut running = Running {
                query: &query,
                part,
                scratch: &mut scratch,
                filter: &filter,
            };
            running.top_k(k, &mut best);
            scratch.partial.clear();
        }
        scratch.clear(self, search.query);
        self.scratch.give(scratch);
        best.into_hits(search.with_ties)
    }

    /// Returns the parts of the documents that are searched one after the other: the query's own partition
    /// and the others, or a single part without partitions. With partitions, returns the field of which each
    /// part has a constant.
    fn parts(&self, query: Doc) -> (Option<usize>, Vec<Part>) {
        let all = Part {
            slots: Slot(0)..Slot::new(self.docs.len()),
            without: Slot(0)..Slot(0),
            constant: 0.0,
            highest: 1.0,
        };
        let own = self.partitions.as_ref().and_then(|partitions| {
            let field = &self.fields[partitions.field];
            Some((partitions, field, partitions.of(&field.vectors, query)?))
        });
        let Some((partitions, field, own)) = own else {
            return (None, vec![all]);
        };
        let has_terms = |field: &&IndexedField| field.vectors.norm(query) > 0.0;
        let weights = self
            .fields
            .iter()
            .filter(has_terms)
            .map(|field| field.weight);
        let elsewhere = field.weight * own.nearest;
        let others = Part {
            without: own.slots.clone(),
            constant: elsewhere,
            // With room for the rounding of the sum.
            highest: weights.sum::<f64>() - field.weight + elsewhere + Score::UNIT,
            ..all
        };
        let own = Part {
            slots: own.slots.clone(),
            without: Slot(0)..Slot(0),
            constant: field.weight,
            highest: 1.0,
        };
        (Some(partitions.field), vec![own, others])
    }
}

/// A part of the documents that is searched by itself.
struct Part {
    slots: Range<Slot>,
    /// Slots that are not looked at, as they were before.
    without: Range<Slot>,
    /// The most that the partitions' field adds to a score of these documents.
    constant: f64,
    /// The most that a score of these documents is.
    highest: f64,
}

impl Scratch {
    /// Lays out the query's weights by term.
    fn load(&mut self, index: &Index, query: Doc) {
        self.dense.resize(index.fields.len(), Vec::new());
        for (field, dense) in index.fields.iter().zip(&mut self.dense) {
            dense.resize(field.vectors.counts.width(), 0.0);
            for (term, weight) in field.vectors.row(query) {
                dense[term.at()] = weight;
            }
        }
    }

    fn clear(&mut self, index: &Index, query: Doc) {
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
    /// A field whose postings are not walked, as each part of the documents has a constant for it.
    constant: Option<usize>,
    tiers: Vec<QueryTier<'a>>,
    /// The most by which rounding makes a bound too low.
    error: f32,
}

/// The part of the query's vectors in one tier.
#[derive(Clone)]
struct QueryTier<'a> {
    /// The postings of each term, with the factor of their weights.
    walks: Vec<(f32, &'a [Posting])>,
    /// By field the square of the norm of these terms in the vector of norm 1.
    squares: Vec<f64>,
}

impl<'a> Query<'a> {
    fn new(index: &'a Index, doc: Doc, constant: Option<usize>) -> Self {
        let empty = QueryTier {
            walks: Vec::new(),
            squares: vec![0.0; index.fields.len()],
        };
        let mut tiers = vec![empty; index.last_tier.0 + 1];
        let mut terms = 0;
        let fields = index.fields.iter().enumerate();
        for (at, field) in fields.filter(|(at, _)| constant != Some(*at)) {
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
            constant,
        }
    }

    /// Returns about how many postings a tier has for the query among a part's documents.
    fn cost(&self, tier: Tier, part: &Part) -> usize {
        let walks = self.tiers[tier.0].walks.iter();
        let postings = walks.map(|(_, postings)| postings.len()).sum::<usize>();
        let documents = part.slots.end.at() - part.slots.start.at();
        postings * documents / self.index.docs.len()
    }

    /// Returns the bound on what all tiers above one add to the score of a part's documents.
    fn bound_above(&self, tier: Tier, part: &Part) -> Bound<'a> {
        let fields = self.index.fields.iter().enumerate();
        let fields = fields.filter(|(at, _)| self.constant != Some(*at));
        let remaining = fields.filter_map(|(at, field)| {
            let above = self.tiers[tier.0 + 1..].iter();
            let norm = above.map(|tier| tier.squares[at]).sum::<f64>().sqrt();
            let norms = field.postings.remaining(tier)?;
            (norm > 0.0).then(|| (single(field.weight * norm).next_up(), norms))
        });
        Bound {
            remaining: remaining.collect(),
            constant: single(part.constant).next_up(),
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
    /// The most that a field adds whose postings are not walked.
    constant: f32,
    error: f32,
}

impl Bound<'_> {
    /// Returns the most that is missing, whichever document it is of.
    fn highest(&self) -> f32 {
        let factors = self.remaining.iter().map(|(factor, _)| *factor);
        (self.constant + factors.sum::<f32>()) * (1.0 + 16.0 * f32::EPSILON) + self.error
    }

    /// Returns the most that the score of a document can be; 0 if it shares no term with the query.
    fn of(&self, partial: f32, slot: Slot) -> f32 {
        let remaining = self.remaining.iter();
        let missing = remaining.map(|(factor, norms)| factor * norms[slot.at()]);
        let bound = self.constant + partial + missing.sum::<f32>();
        if bound > 0.0 { bound + self.error } else { 0.0 }
    }
}

/// A search among a part of the documents, with its partial scores.
struct Running<'a, F> {
    query: &'a Query<'a>,
    part: Part,
    scratch: &'a mut Scratch,
    filter: &'a F,
}

impl<F: Fn(Doc) -> bool> Running<'_, F> {
    /// Adds the part's documents to the k best.
    fn top_k(&mut self, k: usize, best: &mut TopK) {
        let index = self.query.index;
        for tier in (0..index.last_tier.0).map(Tier) {
            self.walk(tier);
            let next = self.query.cost(Tier(tier.0 + 1), &self.part);
            if next > 0 {
                let affordable = next / index.comparison_cost();
                if let Some(candidates) = self.candidates(tier, k, best, affordable) {
                    return self.compare(candidates, best);
                }
            }
        }
        self.walk(index.last_tier);
        let candidates = self.candidates(index.last_tier, k, best, usize::MAX);
        self.compare(candidates.unwrap_or_default(), best);
    }

    /// Adds the postings of a tier to the partial scores.
    fn walk(&mut self, tier: Tier) {
        for (factor, postings) in &self.query.tiers[tier.0].walks {
            let postings = among(postings, &self.part.slots);
            self.scratch.partial.add(*factor, postings);
        }
    }

    /// Returns a score that k documents have at least: the k-th best of those with the highest
    /// partial scores.
    fn threshold(&self, k: usize) -> Score {
        let spare = SPARE / self.query.index.comparison_cost();
        let mut wanted = k + spare.max(8);
        loop {
            let slots = highest(&self.scratch.partial, wanted);
            let mut best = TopK::new(k);
            for slot in &slots {
                if !self.part.without.contains(slot) {
                    self.take_in(*slot, &mut best);
                }
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
    fn candidates(
        &self,
        tier: Tier,
        k: usize,
        best: &TopK,
        most: usize,
    ) -> Option<Vec<(f32, Slot)>> {
        let bound = self.query.bound_above(tier, &self.part);
        let threshold = match best.is_full() {
            true => best.least(),
            false => self.threshold(k),
        };
        let threshold = single(threshold.ratio()).next_down();
        let least = threshold - bound.highest();
        let mut candidates = Vec::new();
        self.scratch.partial.each_from(least, |partial, slot| {
            let bound = bound.of(partial, slot);
            if bound >= threshold && !self.part.without.contains(&slot) {
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
    fn compare(&self, candidates: Vec<(f32, Slot)>, best: &mut TopK) {
        for (bound, slot) in HighestFirst::new(candidates) {
            if f64::from(bound) < best.least().ratio() {
                break;
            }
            self.take_in(slot, best);
        }
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
