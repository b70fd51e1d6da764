//! Searches after an edit: how far scores can have moved since some documents had other terms, and the best
//! documents of an earlier search, confirmed without searching again.
//!
//! An edit changes the document frequencies of some terms, and thereby a little the weights of all documents
//! that have them. For unit vectors a, b before and a', b' after the edit, by Cauchy-Schwarz
//!
//! ```text
//! |a'·b' − a·b| ≤ |a' − a| + |b' − b|
//! ```
//!
//! The right side is the drift of both documents. Documents that drift most, and those that were edited, are
//! compared exactly. No other document that an earlier search did not find has a score above the bound of
//! that search plus its drift.

use std::collections::{BTreeMap, BTreeSet};
use std::sync::atomic::{AtomicUsize, Ordering};

use crate::index::{Index, each_on_a_thread};
use crate::matrix::{Doc, Term};
use crate::score::Score;
use crate::search::Search;
use crate::top_k::{Hit, sort};
use crate::vectors::{IndexedField, inverse_document_frequency, term_frequency};

/// The number of documents that are best compared exactly, beside the edited ones. A few documents with a rare
/// term drift much more than all others.
pub const COMPARED: usize = 8;

/// The terms that an edited document had before the edit in one field.
#[derive(Debug, Clone)]
pub struct Edited {
    /// The document.
    pub doc: Doc,
    /// The number of the field.
    pub field: usize,
    /// The terms, in rising order. Terms that no document has now may be left out.
    pub terms: Vec<Term>,
}

/// A bound on how much the scores of an index changed since some documents were edited.
#[derive(Debug)]
pub struct Drift {
    edited: BTreeSet<Doc>,
    /// The indexed documents among the edited ones and those that drift most, each with its scores with all
    /// documents.
    compared: Vec<(Doc, Vec<Score>)>,
    /// By document: the weighted distance of its unit vectors before and after.
    by_doc: Vec<f64>,
    /// The highest drift of all other documents.
    highest: f64,
    /// The number of searches since.
    searches: AtomicUsize,
}

/// The number of searches after an edit that compare all documents. The postings take about as long to build as
/// twenty.
const FEW_SEARCHES: usize = 10;

/// The hits of a search, and a bound on all other documents.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct BoundedHits {
    /// The hits, in the order of [`Index::top_k`].
    pub hits: Vec<Hit>,
    /// No accepted document that is not among the hits has a higher score.
    pub bound: Score,
}

impl BoundedHits {
    /// Creates the hits of a search for the `k` best.
    #[must_use]
    pub fn new(hits: Vec<Hit>, k: usize) -> Self {
        let last = hits.last().filter(|_| hits.len() >= k);
        Self {
            bound: last.map_or(Score::ZERO, |last| last.score),
            hits,
        }
    }
}

impl Index {
    /// Returns how far scores can have moved since documents had other terms. The indexed documents are the
    /// same ones, and no other document changed. The `most` documents that drift most are compared exactly,
    /// see [`COMPARED`]. Takes time linear in the entries of the edited fields.
    #[must_use]
    pub fn drift(&self, edited: &[Edited], most: usize) -> Drift {
        let docs: BTreeSet<Doc> = edited.iter().map(|edited| edited.doc).collect();
        let height = |field: &IndexedField| field.vectors.counts.height();
        let mut by_doc = vec![0.0; self.fields.iter().map(height).max().unwrap_or(0)];
        for (at, field) in self.fields.iter().enumerate() {
            let edited = edited.iter().filter(|edited| edited.field == at);
            let idf = self.idf_changes(field, edited);
            if !idf.is_empty() {
                add_drift(field, &idf, &mut by_doc);
            }
        }
        let mut moved: Vec<Doc> = self.docs.clone();
        moved.retain(|doc| by_doc[doc.at()] > 0.0 && !docs.contains(doc));
        moved.sort_by(|a, b| by_doc[b.at()].total_cmp(&by_doc[a.at()]));
        let highest = moved.get(most).map_or(0.0, |doc| by_doc[doc.at()]);
        let edited = self.docs.iter().filter(|doc| docs.contains(doc));
        let compared = moved.iter().take(most).chain(edited);
        let compared: Vec<Doc> = compared.copied().collect();
        let all: Vec<Doc> = (0u32..).map(Doc).take(by_doc.len()).collect();
        let scores = each_on_a_thread(&compared, |doc| {
            let hits = self.scores(*doc, &all).into_iter();
            hits.map(|hit| hit.score).collect()
        });
        let compared = compared.into_iter().zip(scores).collect();
        Drift {
            edited: docs,
            compared,
            by_doc,
            highest,
            searches: AtomicUsize::new(0),
        }
    }

    /// Returns by how much the idf of terms changed, for those whose document frequency did.
    fn idf_changes<'e>(
        &self,
        field: &IndexedField,
        edited: impl Iterator<Item = &'e Edited>,
    ) -> BTreeMap<Term, f64> {
        let mut more: BTreeMap<Term, i64> = BTreeMap::new();
        for edited in edited.filter(|edited| self.docs.contains(&edited.doc)) {
            for term in field.vectors.counts.row(edited.doc).terms {
                *more.entry(*term).or_default() += 1;
            }
            for term in &edited.terms {
                *more.entry(*term).or_default() -= 1;
            }
        }
        let vectors = &field.vectors;
        more.retain(|term, more| *more != 0 && term.at() < vectors.document_frequencies.len());
        let change = |(term, more): (Term, i64)| {
            let df = vectors.document_frequencies[term.at()];
            let before = u32::try_from(i64::from(df) - more).unwrap_or(0);
            let idf = |df| inverse_document_frequency(self.docs.len(), df);
            (term, (idf(df) - idf(before)).abs())
        };
        more.into_iter().map(change).collect()
    }

    /// Returns the `k` best documents as [`Index::top_k`] does without ties, for one of which [`Index::confirm`]
    /// does not tell. The first few searches after an edit compare all documents, unless the postings are there.
    pub fn top_k_after(
        &self,
        drift: &Drift,
        query: Doc,
        k: usize,
        filter: impl Fn(Doc) -> bool,
    ) -> Vec<Hit> {
        let before = drift.searches.fetch_add(1, Ordering::Relaxed);
        if before >= FEW_SEARCHES || self.postings.get().is_some() {
            let with_ties = false;
            return self.top_k(
                Search {
                    query,
                    k,
                    with_ties,
                },
                filter,
            );
        }
        let mut hits = self.scores(query, &self.docs);
        hits.retain(|hit| hit.score > Score::ZERO && filter(hit.doc));
        sort(&mut hits);
        hits.truncate(k);
        hits
    }

    /// Returns the `k` best documents from the hits of a search before an edit, the same as
    /// [`Index::top_k`] finds without ties, and perhaps more; `None` if the hits do not tell, so that a
    /// search is needed. Scores up to `floor` are not asked for. The filter accepts the same documents as
    /// before, except perhaps for edited ones.
    #[must_use]
    pub fn confirm(
        &self,
        query: Doc,
        k: usize,
        floor: Score,
        before: &BoundedHits,
        drift: &Drift,
        filter: impl Fn(Doc) -> bool,
    ) -> Option<BoundedHits> {
        if drift.edited.contains(&query) {
            return None;
        }
        let moved = drift.by_doc.get(query.at()).copied().unwrap_or(0.0) + drift.highest;
        // Two more units: both scores are rounded, and the order of a sum's terms may have changed.
        let units = (moved / Score::UNIT).ceil() + 2.0;
        let bound = Score::floor(f64::from(before.bound.units()) + units);
        let mut docs: Vec<Doc> = before.hits.iter().map(|hit| hit.doc).collect();
        let is_compared = |doc: &Doc| drift.compared.iter().any(|(other, _)| other == doc);
        docs.retain(|doc| !is_compared(doc) && filter(*doc));
        let mut hits = self.scores(query, &docs);
        let compared = drift.compared.iter().filter(|(doc, _)| filter(*doc));
        hits.extend(compared.map(|(doc, scores)| Hit {
            doc: *doc,
            score: scores[query.at()],
        }));
        hits.retain(|hit| hit.score > Score::ZERO);
        sort(&mut hits);
        let certain = hits.iter().take_while(|hit| hit.score > bound).count();
        if certain < k && bound > floor {
            return None;
        }
        // What is left out now is below the bound, too.
        let rest = hits.get(k + SPARE).map_or(Score::ZERO, |hit| hit.score);
        hits.truncate(k + SPARE);
        Some(BoundedHits {
            hits,
            bound: bound.max(rest),
        })
    }
}

/// The number of hits beyond the k best that are kept: as the bound is that of the last one, the k best are
/// confirmed if it is a little lower than theirs.
pub const SPARE: usize = 2;

/// Adds the weighted distance of each document's unit vectors in one field. |a/|a| − b/|b|| is at most
/// 2·|a − b| / (|a| + |b|) (Dunkl and Williams 1964), and |b| at least |a| − |a − b|.
fn add_drift(field: &IndexedField, idf: &BTreeMap<Term, f64>, by_doc: &mut [f64]) {
    let vectors = &field.vectors;
    let mut changes = vec![0.0; vectors.counts.width()];
    for (term, change) in idf {
        changes[term.at()] = *change;
    }
    let docs = (0u32..).map(Doc).take(vectors.counts.height());
    for (doc, drift) in docs.zip(by_doc) {
        let row = vectors.counts.row(doc).iter();
        let squares = row.map(|(term, count)| match changes[term.at()] {
            0.0 => 0.0,
            change => (term_frequency(count) * change).powi(2),
        });
        let distance = squares.sum::<f64>().sqrt();
        if distance > 0.0 {
            let norms = (2.0 * vectors.norm(doc) - distance).max(vectors.norm(doc));
            // Unit vectors are at most √2 apart, as no weight is negative; with room for rounding.
            let unit = (2.0 * distance / norms).min(std::f64::consts::SQRT_2);
            *drift += field.weight * unit * (1.0 + 1e-9);
        }
    }
}
