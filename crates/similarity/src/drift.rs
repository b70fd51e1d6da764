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

use crate::index::Index;
use crate::matrix::{Doc, Term};
use crate::scoped_threads::parts_on_threads;
use crate::score::Score;
use crate::search::Search;
use crate::top_k::{Hit, rank, sort};
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
    /// The documents that were edited, each with its scores with all documents if it is indexed, else with none.
    edited: BTreeMap<Doc, Vec<Score>>,
    /// The indexed documents that drift most, beside the edited ones.
    most: Vec<Doc>,
    /// By document: the weighted distance of its unit vectors before and after.
    by_doc: Vec<f64>,
    /// The highest drift of all other documents.
    highest: f64,
    /// The number of searches since.
    searches: AtomicUsize,
}

impl Drift {
    fn of(&self, doc: Doc) -> f64 {
        self.by_doc.get(doc.at()).copied().unwrap_or(0.0)
    }
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
    /// The most by which the scores of the hits can be wrong: 0 after a search.
    pub slack: Score,
}

impl BoundedHits {
    /// Creates the hits of a search for the `k` best.
    #[must_use]
    pub fn new(hits: Vec<Hit>, k: usize) -> Self {
        let last = hits.last().filter(|_| hits.len() >= k);
        Self {
            bound: last.map_or(Score::ZERO, |last| last.score),
            slack: Score::ZERO,
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
        moved.truncate(most);
        let all: Vec<Doc> = (0u32..).map(Doc).take(by_doc.len()).collect();
        let scores = |doc: Doc| -> Vec<Score> {
            let all = if self.docs.contains(&doc) {
                &all[..]
            } else {
                &[]
            };
            let hits = parts_on_threads(all, |others| self.scores(doc, others));
            hits.concat().iter().map(|hit| hit.score).collect()
        };
        Drift {
            edited: docs.into_iter().map(|doc| (doc, scores(doc))).collect(),
            most: moved,
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

    /// Returns the `k` best documents from the hits of a search before an edit, in the order in which [`Index::top_k`]
    /// finds them without ties, and perhaps more; `None` if the hits do not tell, so that a search is needed. Scores up to
    /// `floor` are not asked for. The filter accepts the same documents as before, except perhaps for edited ones.
    ///
    /// The scores before the edit are enough if they are further apart than they can have moved; else those of the hits
    /// are computed.
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
        if drift.edited.contains_key(&query) {
            return None;
        }
        let drifted = Drifted {
            query,
            before,
            drift,
        };
        let by_bounds = drifted.by_bounds(self, k, &filter).best(k, floor);
        by_bounds.or_else(|| drifted.by_scores(self, &filter).best(k, floor))
    }
}

/// A document with bounds on its score after an edit.
#[derive(Debug, Clone, Copy)]
struct Ranged {
    hit: Hit,
    /// The most by which the score of the hit can be wrong.
    slack: Score,
}

impl Ranged {
    fn exact(hit: Hit) -> Self {
        let slack = Score::ZERO;
        Self { hit, slack }
    }

    fn least(&self) -> Score {
        Score::from_units(self.hit.score.units().saturating_sub(self.slack.units()))
    }

    fn most(&self) -> Score {
        Score::from_units(self.hit.score.units() + self.slack.units())
    }

    /// Returns true if the document comes before one that [`sort`] puts after it, whatever their scores are exactly.
    fn precedes(&self, other: &Self) -> bool {
        let are_exact = self.slack == Score::ZERO && other.slack == Score::ZERO;
        are_exact || self.least() > other.most()
    }
}

/// The documents that can be hits of a query after an edit.
#[derive(Debug)]
struct Candidates {
    /// In the order of [`sort`].
    ranged: Vec<Ranged>,
    /// No accepted document that is not among them has a higher score.
    bound: Score,
}

impl Candidates {
    /// Returns the `k` best and a few more; `None` if the bounds do not tell.
    fn best(self, k: usize, floor: Score) -> Option<BoundedHits> {
        let Self { mut ranged, bound } = self;
        let certain = ranged
            .iter()
            .take_while(|ranged| ranged.least() > bound)
            .count();
        if certain < k && bound > floor {
            return None;
        }
        let mut rest = ranged.as_slice();
        while let [first, others @ ..] = rest
            && ranged.len() - rest.len() < k
            && rest.iter().any(|ranged| ranged.most() > floor)
        {
            let is_clear = first.slack == Score::ZERO || first.least() > floor;
            if !is_clear || !others.iter().all(|other| first.precedes(other)) {
                return None;
            }
            rest = others;
        }
        // What is left out now is below the bound, too.
        let rest = ranged.iter().skip(k + SPARE).map(Ranged::most).max();
        ranged.truncate(k + SPARE);
        Some(BoundedHits {
            slack: ranged
                .iter()
                .map(|ranged| ranged.slack)
                .max()
                .unwrap_or_default(),
            hits: ranged.into_iter().map(|ranged| ranged.hit).collect(),
            bound: bound.max(rest.unwrap_or_default()),
        })
    }
}

/// The hits of a query before an edit, and the drift since.
struct Drifted<'a> {
    query: Doc,
    before: &'a BoundedHits,
    drift: &'a Drift,
}

impl Drifted<'_> {
    /// Returns the most by which the score of the query and a document of some drift can have moved.
    fn moved(&self, drift: f64) -> Score {
        let moved = self.drift.of(self.query) + drift;
        // Two more units: both scores are rounded, and the order of a sum's terms may have changed.
        Score::floor((moved / Score::UNIT).ceil() + 2.0)
    }

    /// Returns the bound on a document of some drift that was no hit before.
    fn bound(&self, drift: f64) -> Score {
        self.before.bound.plus(self.moved(drift))
    }

    /// Returns the accepted hits before the edit that are not edited, with bounds on their scores.
    fn known(&self, filter: impl Fn(Doc) -> bool) -> Vec<Ranged> {
        let before = self.before.hits.iter();
        let is_wanted = |hit: &&Hit| !self.drift.edited.contains_key(&hit.doc) && filter(hit.doc);
        let known = before.filter(is_wanted).map(|hit| Ranged {
            hit: *hit,
            slack: self.before.slack.plus(self.moved(self.drift.of(hit.doc))),
        });
        known.collect()
    }

    /// Returns the accepted documents that drift most, without those known.
    fn others(&self, known: &[Ranged], filter: impl Fn(Doc) -> bool) -> Vec<Doc> {
        let is_known = |doc: Doc| known.iter().any(|ranged| ranged.hit.doc == doc);
        let others = self.drift.most.iter().copied();
        others
            .filter(|doc| !is_known(*doc) && filter(*doc))
            .collect()
    }

    /// Returns the candidates by the scores before the edit, with bounds. Of the documents that drift most those are
    /// compared that could come near the `k`-th hit.
    fn by_bounds(&self, index: &Index, k: usize, filter: impl Fn(Doc) -> bool) -> Candidates {
        let known = self.known(&filter);
        let mut others = self.others(&known, &filter);
        let bound = self.bound(self.drift.highest);
        let mut least: Vec<Score> = known.iter().map(Ranged::least).collect();
        least.sort_unstable();
        let last = least.len().checked_sub(k).map_or(0, |at| least[at].units());
        // A bound that is nearly as high as the last hit would tell nothing after the next edit.
        let room = last.saturating_sub(bound.units());
        let near = Score::from_units(bound.units() + room / 8);
        let highest = |doc: &Doc| self.bound(self.drift.of(*doc));
        let far = others.iter().map(highest).filter(|bound| *bound <= near);
        let bound = far.max().map_or(bound, |far| far.max(bound));
        others.retain(|doc| highest(doc) > near);
        self.candidates(index, (known, &others), bound, filter)
    }

    /// Returns the candidates by their exact scores.
    fn by_scores(&self, index: &Index, filter: impl Fn(Doc) -> bool) -> Candidates {
        let known = self.known(&filter);
        let mut docs = self.others(&known, &filter);
        docs.extend(known.iter().map(|ranged| ranged.hit.doc));
        let bound = self.bound(self.drift.highest);
        self.candidates(index, (Vec::new(), &docs), bound, filter)
    }

    /// Returns some documents with bounds, others that are compared, and the accepted edited ones, as candidates.
    fn candidates(
        &self,
        index: &Index,
        (mut ranged, others): (Vec<Ranged>, &[Doc]),
        bound: Score,
        filter: impl Fn(Doc) -> bool,
    ) -> Candidates {
        let edited = self.drift.edited.iter();
        let edited = edited.filter(|(doc, _)| filter(**doc));
        let edited = edited.filter_map(|(doc, scores)| {
            let score = *scores.get(self.query.at())?;
            Some(Hit { doc: *doc, score })
        });
        let scored = match others {
            [] => Vec::new(),
            others => index.scores(self.query, others),
        };
        ranged.extend(edited.chain(scored).map(Ranged::exact));
        ranged.retain(|ranged| ranged.hit.score > Score::ZERO);
        ranged.sort_by_key(|ranged| rank(&ranged.hit));
        Candidates { ranged, bound }
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
