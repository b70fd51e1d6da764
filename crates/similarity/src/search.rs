//! The search: postings that tell most come first, a bound on the rest, exact scores where it allows.
//!
//! The query's terms are walked in steps: the terms of one field in one tier of document frequency. The step
//! that lowers the bound most for each posting comes first.
//!
//! 1. The postings of a step add up to a partial score for each document (term-at-a-time, in single
//!    precision).
//! 2. The documents with the highest partial scores get their exact scores. The k-th best of these is
//!    a threshold: no result has a lower score.
//! 3. The remaining terms add no more to a partial score than the product of the norms of both vectors'
//!    remaining parts. The candidates are the documents whose partial score and this bound reach
//!    the threshold. If walking the next step costs less than comparing the candidates, the search goes on
//!    with it at 1; if it costs less than finding the candidates, they are not looked for.
//! 4. The candidates get their exact scores, the highest bounds first, until the next bound is below the
//!    k-th best exact score.
//!
//! If the index has partitions, the query's own is searched so first, and the others only if their documents
//! can be among the k best.

use std::ops::{ControlFlow, Range};

use crate::highest::{HighestFirst, highest};
use crate::index::Index;
use crate::matrix::{Doc, Term};
use crate::postings::{Posting, Postings, Slot, Tier, single};
use crate::score::Score;
use crate::scratch::Scratch;
use crate::top_k::{Hit, TopK};
use crate::vectors::{Dense, IndexedField};

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

    /// Returns the exact scores of some documents with one, in their order.
    pub(crate) fn scores(&self, query: Doc, docs: &[Doc]) -> Vec<Hit> {
        let mut scratch = self.scratch.take();
        scratch.load(self, query);
        let score = |doc: &Doc| Hit {
            doc: *doc,
            score: self.score_of_dense(&scratch.dense, query, *doc),
        };
        let hits = docs.iter().map(score).collect();
        scratch.clear(self, query);
        self.scratch.give(scratch);
        hits
    }

    /// Returns the exact score of a document with one whose weights are laid out by term.
    fn score_of_dense(&self, dense: &[Dense], query: Doc, doc: Doc) -> Score {
        let mut dense = dense.iter();
        self.score_by(|field| {
            let dense = dense.next().expect("one for each field");
            field.vectors.cosine_of_dense(dense, query, doc)
        })
    }

    /// Returns the parts of the documents that are searched one after the other: the query's own partition
    /// and the others, or a single part without partitions. With partitions, returns the field of which each
    /// part has a constant.
    fn parts(&self, query: Doc) -> (Option<usize>, Vec<Part>) {
        let documents = Slot(0)..Slot::new(self.docs.len());
        let own = self.partitions.as_ref().and_then(|partitions| {
            let field = &self.fields[partitions.field];
            Some((partitions, field, partitions.of(&field.vectors, query)?))
        });
        let Some((partitions, field, own)) = own else {
            let all = Part {
                lists: Lists::Whole,
                slots: documents,
                without: Slot(0)..Slot(0),
                constant: 0.0,
                highest: 1.0,
            };
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
            lists: Lists::Without(own.number),
            slots: documents,
            without: own.slots.clone(),
            constant: elsewhere,
            // With room for the rounding of the sum.
            highest: weights.sum::<f64>() - field.weight + elsewhere + Score::UNIT,
        };
        let own = Part {
            lists: Lists::Of(own.number),
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
    lists: Lists,
    slots: Range<Slot>,
    /// Slots that are not looked at, as they were before.
    without: Range<Slot>,
    /// The most that the partitions' field adds to a score of these documents.
    constant: f64,
    /// The most that a score of these documents is.
    highest: f64,
}

/// The part of each postings list that is about a part of the documents.
#[derive(Clone, Copy)]
enum Lists {
    Whole,
    /// The postings of the partition of this number.
    Of(usize),
    /// All other postings.
    Without(usize),
}

impl Part {
    /// Returns true if all documents have the same row in the partitions' field.
    fn is_one_partition(&self) -> bool {
        matches!(self.lists, Lists::Of(_))
    }
}

impl Lists {
    /// Returns the postings of a term, in rising order of the slots.
    fn of(self, postings: &Postings, term: Term) -> [&[Posting]; 2] {
        match self {
            Self::Whole => [postings.of(term), &[]],
            Self::Of(partition) => {
                let [_, own, _] = postings.around(term, partition);
                [own, &[]]
            }
            Self::Without(partition) => {
                let [before, _, after] = postings.around(term, partition);
                [before, after]
            }
        }
    }
}

impl Scratch {
    /// Lays out the query's weights by term.
    fn load(&mut self, index: &Index, query: Doc) {
        self.dense.resize_with(index.fields.len(), Dense::default);
        for (field, dense) in index.fields.iter().zip(&mut self.dense) {
            dense.load(&field.vectors, query);
        }
    }

    fn clear(&mut self, index: &Index, query: Doc) {
        for (field, dense) in index.fields.iter().zip(&mut self.dense) {
            dense.clear(field.vectors.counts.row(query).terms);
        }
    }
}

/// The query document's terms as lists to walk, step by step.
struct Query<'a> {
    index: &'a Index,
    /// By field.
    postings: &'a [Postings],
    doc: Doc,
    /// The steps in the order in which they are walked: most gain for each posting first, and the tiers of
    /// one field in rising order.
    steps: Vec<Step>,
    /// The most by which rounding makes a bound too low.
    error: f32,
}

/// The terms of the query in one tier of one field.
struct Step {
    field: usize,
    tier: Tier,
    /// The terms, each with the factor of its postings' weights.
    terms: Vec<(Term, f32)>,
    /// The number of postings.
    postings: usize,
    /// The square of the norm of these terms in the vector of norm 1.
    square: f64,
}

impl<'a> Query<'a> {
    /// Lays out the terms of all fields but one, for which each part of the documents has a constant.
    fn new(index: &'a Index, doc: Doc, constant: Option<usize>) -> Self {
        let postings = index.postings();
        let fields = (0..index.fields.len()).filter(|field| constant != Some(*field));
        let mut by_field: Vec<_> = fields
            .map(|field| {
                let steps = steps(index, &postings[field], doc, field);
                steps.into_iter().peekable()
            })
            .collect();
        let mut all: Vec<Step> = Vec::new();
        loop {
            let next = by_field.iter_mut().filter_map(|steps| {
                let gain = steps.peek()?.gain(index);
                Some((gain, steps))
            });
            let Some((_, steps)) = next.max_by(|a, b| a.0.total_cmp(&b.0)) else {
                break;
            };
            all.extend(steps.next());
        }
        let terms = all.iter().map(|step| step.terms.len()).sum();
        Self {
            index,
            postings,
            doc,
            steps: all,
            error: rounding_error(terms, index.fields.len()),
        }
    }

    /// Returns the bound on what all steps from one on add to the score of a part's documents.
    fn bound_from(&self, step: usize, part: &Part) -> Bound<'a> {
        let mut bound = Bound {
            remaining: Vec::new(),
            constant: single(part.constant).next_up(),
            error: self.error,
        };
        for (at, field) in self.index.fields.iter().enumerate() {
            let mut steps = self.steps[step..].iter().filter(|step| step.field == at);
            let Some(next) = steps.next() else { continue };
            let squares = next.square + steps.map(|step| step.square).sum::<f64>();
            let factor = single(field.weight * squares.sqrt()).next_up();
            match self.postings[at].remaining_from(next.tier) {
                Some(norms) => bound.remaining.push((factor, norms)),
                None => bound.constant += factor,
            }
        }
        bound
    }
}

/// Returns the steps of one field, in rising order of the tiers.
fn steps(index: &Index, postings: &Postings, doc: Doc, at: usize) -> Vec<Step> {
    let field = &index.fields[at];
    let new = |tier| Step {
        field: at,
        tier: Tier(tier),
        terms: Vec::new(),
        postings: 0,
        square: 0.0,
    };
    let mut steps: Vec<Step> = (0..=index.tiers.len()).map(new).collect();
    for (term, weight) in field.vectors.unit_row(doc) {
        let step = &mut steps[postings.tier(&field.vectors, term).0];
        step.square += weight * weight;
        step.postings += field.vectors.document_frequencies[term.at()] as usize;
        step.terms.push((term, single(field.weight * weight)));
    }
    steps.retain(|step| !step.terms.is_empty());
    steps
}

impl Step {
    /// Returns by how much the step lowers the bound, for each posting.
    fn gain(&self, index: &Index) -> f64 {
        index.fields[self.field].weight * self.square.sqrt() / self.postings.max(1) as f64
    }

    /// Returns about how many postings are about a part's documents.
    fn cost(&self, index: &Index, part: &Part) -> usize {
        let documents = part.slots.end.at() - part.slots.start.at();
        self.postings * documents / index.docs.len()
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
        let query = self.query;
        let mut walked = false;
        for (at, step) in query.steps.iter().enumerate() {
            let cost = step.cost(query.index, &self.part);
            let affordable = cost / query.index.comparison.max(1);
            if walked
                && cost > self.cost_of_candidates(k, best)
                && let Some(candidates) = self.candidates(at, k, best, affordable)
            {
                return self.compare(candidates, false, best);
            }
            walked = true;
            self.walk(step);
        }
        let candidates = self.candidates(query.steps.len(), k, best, usize::MAX);
        self.compare(candidates.unwrap_or_default(), true, best);
    }

    /// Returns about how many postings are walked in the time in which the candidates are found.
    fn cost_of_candidates(&self, k: usize, best: &TopK) -> usize {
        let index = self.query.index;
        let documents = self.part.slots.end.at() - self.part.slots.start.at();
        let compared = match best.is_full() {
            true => 0,
            false => k + index.spare,
        };
        compared * index.comparison + documents / index.scanned
    }

    /// Adds the postings of a step to the partial scores.
    fn walk(&mut self, step: &Step) {
        let postings = &self.query.postings[step.field];
        for (term, factor) in &step.terms {
            for list in self.part.lists.of(postings, *term) {
                self.scratch.partial.add(*factor, list);
            }
        }
    }

    /// Returns a score that k documents have at least: the k-th best of those with the highest
    /// partial scores.
    fn threshold(&self, k: usize) -> Score {
        let mut wanted = k + self.query.index.spare;
        loop {
            let slots = highest(&self.scratch.partial, wanted);
            let mut best = TopK::new(k);
            for slot in &slots {
                if !self.part.without.contains(slot) {
                    self.take_in(*slot, self.score(*slot), &mut best);
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
        step: usize,
        k: usize,
        best: &TopK,
        most: usize,
    ) -> Option<Vec<(f32, Slot)>> {
        let bound = self.query.bound_from(step, &self.part);
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

    /// Compares candidates exactly, as long as their bounds allow a score among the k best. If all steps are
    /// walked, documents of the query's partition without a partial score share nothing with the query but the
    /// partition's field, and all have one score.
    fn compare(&self, candidates: Vec<(f32, Slot)>, all_walked: bool, best: &mut TopK) {
        let is_one = all_walked && self.part.is_one_partition() && !self.query.index.has_required();
        let is_unmet = |slot| is_one && self.scratch.partial.of(slot) == 0.0;
        let (unmet, met): (Vec<_>, Vec<_>) = candidates
            .into_iter()
            .partition(|(_, slot)| is_unmet(*slot));
        for (bound, slot) in HighestFirst::new(met) {
            if f64::from(bound) < best.least().ratio() {
                break;
            }
            self.take_in(slot, self.score(slot), best);
        }
        let score = unmet.first().map(|(_, slot)| self.score(*slot));
        for ((_, slot), score) in unmet.into_iter().zip(score.into_iter().cycle()) {
            self.take_in(slot, score, best);
        }
    }

    fn score(&self, slot: Slot) -> Score {
        let doc = self.query.index.doc(slot);
        self.query
            .index
            .score_of_dense(&self.scratch.dense, self.query.doc, doc)
    }

    fn take_in(&self, slot: Slot, score: Score, best: &mut TopK) {
        let doc = self.query.index.doc(slot);
        if score >= best.least() && (self.filter)(doc) {
            best.insert(Hit { doc, score });
        }
    }
}
