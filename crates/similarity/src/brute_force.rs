//! The definition of a score, computed pair by pair: the oracle of the tests. It shares nothing with the
//! index but its input.

use std::collections::BTreeMap;

use crate::index::Field;
use crate::matrix::Doc;

/// The TF-IDF vectors of all documents, by field.
#[derive(Debug)]
pub struct BruteForce<'a> {
    indexed: &'a [Doc],
    fields: Vec<(&'a Field, Vec<BTreeMap<u32, f64>>)>,
}

impl<'a> BruteForce<'a> {
    /// Computes all vectors; the `indexed` documents decide how rare terms are.
    #[must_use]
    pub fn new(fields: &'a [Field], indexed: &'a [Doc]) -> Self {
        let vectors = fields.iter().map(|field| (field, vectors(field, indexed)));
        Self {
            indexed,
            fields: vectors.collect(),
        }
    }

    /// Returns the score of two documents as a ratio. Takes time linear in their terms.
    #[must_use]
    pub fn score(&self, a: Doc, b: Doc) -> f64 {
        let mut sum = 0.0;
        for (field, vectors) in &self.fields {
            let (a, b) = (&vectors[a.at()], &vectors[b.at()]);
            let norms = (dot(a, a) * dot(b, b)).sqrt();
            let cosine = if norms > 0.0 { dot(a, b) / norms } else { 0.0 };
            if field.required && cosine == 0.0 {
                return 0.0;
            }
            sum += field.weight * cosine;
        }
        sum
    }

    /// Returns the indexed documents with the highest scores above 0, with their scores: highest
    /// first, of equals in rising order.
    #[must_use]
    pub fn ranking(&self, query: Doc) -> Vec<(Doc, f64)> {
        let scores = self.indexed.iter();
        let scores = scores.map(|doc| (*doc, self.score(query, *doc)));
        let mut scores: Vec<(Doc, f64)> = scores.filter(|(_, score)| *score > 0.0).collect();
        scores.sort_by(|a, b| b.1.total_cmp(&a.1).then(a.0.cmp(&b.0)));
        scores
    }
}

/// Returns the TF-IDF weights of each document by term.
fn vectors(field: &Field, indexed: &[Doc]) -> Vec<BTreeMap<u32, f64>> {
    let mut document_frequencies: BTreeMap<u32, f64> = BTreeMap::new();
    for doc in indexed {
        for (term, _) in field.counts.row(*doc).iter() {
            *document_frequencies.entry(term.0).or_default() += 1.0;
        }
    }
    let vector = |doc: Doc| {
        let row = field.counts.row(doc).iter();
        let weights = row.map(|(term, count)| {
            let df = document_frequencies.get(&term.0).copied().unwrap_or(1.0);
            let idf = (1.0 + indexed.len() as f64 / df).ln();
            (term.0, (1.0 + f64::from(count).ln()) * idf)
        });
        weights.collect()
    };
    let docs = (0u32..).take(field.counts.height()).map(Doc);
    docs.map(vector).collect()
}

fn dot(a: &BTreeMap<u32, f64>, b: &BTreeMap<u32, f64>) -> f64 {
    let shared = a.iter().filter_map(|(term, x)| Some(x * b.get(term)?));
    shared.sum()
}
