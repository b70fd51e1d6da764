//! TF-IDF vectors of the rows of one matrix.

use std::sync::{Arc, LazyLock};

use crate::matrix::{CountMatrix, Doc, PIECE, Term};
use crate::scoped_threads::parts_on_threads;

/// The rows of a matrix as TF-IDF vectors. Weights are computed from the counts when they are
/// needed: an entry takes six bytes instead of twelve.
#[derive(Debug)]
pub(crate) struct Vectors {
    pub(crate) counts: Arc<CountMatrix>,
    /// The number of indexed documents that have each term.
    pub(crate) document_frequencies: Vec<u32>,
    /// ln(1 + N / df) by term, with df at least 1.
    idf: Vec<f64>,
    /// The Euclidean norm of each document's vector; 0 if it has no terms.
    norms: Vec<f64>,
}

/// 1 + ln(count) for counts below 256. A table, as it is computed for each entry of each search.
static TERM_FREQUENCIES: LazyLock<[f64; 256]> = LazyLock::new(|| {
    let mut table = [0.0; 256];
    for (count, frequency) in (0u16..).zip(&mut table) {
        *frequency = 1.0 + f64::from(count.max(1)).ln();
    }
    table
});

/// Returns 1 + ln(count), the weight of a term in a document, for counts from 1.
pub(crate) fn term_frequency(count: u16) -> f64 {
    let known = TERM_FREQUENCIES.get(usize::from(count)).copied();
    known.unwrap_or_else(|| 1.0 + f64::from(count).ln())
}

/// Returns ln(1 + N / df), the weight of a term that df of N documents have, with df at least 1.
pub(crate) fn inverse_document_frequency(documents: usize, df: u32) -> f64 {
    (documents as f64 / f64::from(df.max(1))).ln_1p()
}

impl Vectors {
    /// Weights the terms by how many of the `indexed` documents have them. Takes time linear in
    /// the entries of the matrix, on several threads.
    pub(crate) fn new(counts: Arc<CountMatrix>, indexed: &[Doc]) -> Self {
        let frequencies = parts_on_threads(indexed, |docs| {
            let mut frequencies = vec![0u32; counts.width()];
            for doc in docs {
                for term in counts.row(*doc).terms {
                    frequencies[term.at()] += 1;
                }
            }
            frequencies
        });
        let mut document_frequencies = vec![0u32; counts.width()];
        for part in frequencies {
            let sums = document_frequencies.iter_mut().zip(part);
            sums.for_each(|(sum, more)| *sum += more);
        }
        let each = document_frequencies.iter();
        let idf = each.map(|df| inverse_document_frequency(indexed.len(), *df));
        let mut vectors = Self {
            idf: idf.collect(),
            norms: Vec::new(),
            document_frequencies,
            counts,
        };
        let docs = (0u32..).take(vectors.counts.height()).map(Doc);
        let docs: Vec<Doc> = docs.collect();
        let norm = |doc: &Doc| {
            let weights = vectors.row(*doc).map(|(_, weight)| weight.powi(2));
            weights.sum::<f64>().sqrt()
        };
        let norms = parts_on_threads(&docs, |docs| docs.iter().map(norm).collect::<Vec<_>>());
        vectors.norms = norms.concat();
        vectors
    }

    /// Returns the number of entries of the indexed documents.
    pub(crate) fn postings(&self) -> usize {
        let frequencies = self.document_frequencies.iter();
        frequencies.map(|df| *df as usize).sum()
    }

    /// Returns the weight of a term by its count in a document.
    pub(crate) fn weight(&self, term: Term, count: u16) -> f64 {
        term_frequency(count) * self.idf[term.at()]
    }

    /// Iterates over the terms of a document with their weights, in rising order of the terms.
    pub(crate) fn row(&self, doc: Doc) -> impl ExactSizeIterator<Item = (Term, f64)> {
        let row = self.counts.row(doc).iter();
        row.map(|(term, count)| (term, self.weight(term, count)))
    }

    /// Iterates over the terms of a document with their weights in the vector of norm 1.
    pub(crate) fn unit_row(&self, doc: Doc) -> impl ExactSizeIterator<Item = (Term, f64)> {
        let norm = self.norm(doc);
        self.row(doc)
            .map(move |(term, weight)| (term, weight / norm))
    }

    /// Returns the norm of a document's vector; 0 if it has no terms.
    pub(crate) fn norm(&self, doc: Doc) -> f64 {
        self.norms[doc.at()]
    }

    /// Returns the cosine of two documents' vectors, 0 to 1; 0 if one of them has no terms.
    pub(crate) fn cosine(&self, a: Doc, b: Doc) -> f64 {
        let mut dot = 0.0;
        let (of_a, of_b) = (self.counts.row(a), self.counts.row(b));
        of_a.intersect(of_b, |term, count_a, count_b| {
            dot += self.weight(term, count_a) * self.weight(term, count_b);
        });
        self.normalised(dot, a, b)
    }

    /// Returns the cosine of `a`, whose weights are `dense`, and `b`. The same as [`Self::cosine`] to the
    /// last bit: it adds the same products in the same order.
    pub(crate) fn cosine_of_dense(&self, dense: &Dense, a: Doc, b: Doc) -> f64 {
        let mut dot = 0.0;
        for row in self.counts.row(b).pieces() {
            // The positions first: whether a document has a term is not to be predicted, so that nothing branches on it.
            let mut shared = [0; PIECE];
            let mut count = 0;
            for (at, term) in (0u8..).zip(row.terms) {
                shared[count] = at;
                count += usize::from(dense.has(*term));
            }
            for at in &shared[..count] {
                let (term, count) = row.entry(usize::from(*at));
                let (weight, idf) = dense.weights[term.at()];
                dot += weight * (term_frequency(count) * idf);
            }
        }
        self.normalised(dot, a, b)
    }

    fn normalised(&self, dot: f64, a: Doc, b: Doc) -> f64 {
        let norms = self.norm(a) * self.norm(b);
        if norms > 0.0 { dot / norms } else { 0.0 }
    }
}

/// The vectors of one field, with what it counts.
#[derive(Debug)]
pub(crate) struct IndexedField {
    pub(crate) vectors: Vectors,
    pub(crate) weight: f64,
    pub(crate) required: bool,
}

/// The weights of one document, by term.
#[derive(Debug, Default)]
pub(crate) struct Dense {
    /// With the idf of the term.
    weights: Vec<(f64, f64)>,
    /// A bit for each term, 64 to a word: set if the document has the term. A small part of the weights' size,
    /// so that it stays in the processor's cache while other documents' terms are looked up.
    present: Vec<u64>,
}

impl Dense {
    /// Lays out a document's weights; all are 0 before.
    pub(crate) fn load(&mut self, vectors: &Vectors, doc: Doc) {
        let width = vectors.counts.width();
        self.weights.resize(width, (0.0, 0.0));
        self.present.resize(width.div_ceil(64), 0);
        for (term, weight) in vectors.row(doc) {
            self.weights[term.at()] = (weight, vectors.idf[term.at()]);
            self.present[term.at() / 64] |= 1 << (term.at() % 64);
        }
    }

    /// Sets the weights of terms to 0.
    pub(crate) fn clear(&mut self, terms: &[Term]) {
        for term in terms {
            self.weights[term.at()] = (0.0, 0.0);
            self.present[term.at() / 64] = 0;
        }
    }

    fn has(&self, term: Term) -> bool {
        self.present[term.at() / 64] >> (term.at() % 64) & 1 == 1
    }
}
