//! Exact top-k search by the weighted sum of TF-IDF cosines over several sparse fields.
//!
//! ```text
//! score(a, b) = Σ weight(f) · cosine(a_f, b_f)          over the fields f
//! a_f[t]      = (1 + ln count(a, t)) · ln(1 + N / df(t))  for each term t of document a
//! ```
//!
//! N is the number of indexed documents, and df(t) how many of them have the term, at least 1. A
//! document without any term of a field has cosine 0 in it. If a field is required, documents
//! whose cosine is 0 in it have score 0.
//!
//! From the top down; each module imports only from those below it.
//!
//! | module | contents |
//! |---|---|
//! | [`brute_force`] | the definition above, pair by pair: the oracle of the tests |
//! | [`drift`] | [`Index::confirm`]: the best documents after an edit, from those before it |
//! | `search` | [`Index::top_k`] |
//! | [`index`] | [`Index`]: the fields together; scores of pairs and their breakdown |
//! | `top_k` | the k best so far |
//! | `highest` | the documents with the highest scores |
//! | `scratch` | the buffers of searches |
//! | `partial` | the partial scores of a search |
//! | `partitions` | the documents by the field that tells a few kinds of them apart |
//! | `postings` | the inverted index of one field, by partition and in tiers of document frequency |
//! | `vectors` | TF-IDF weights and norms of one matrix |
//! | [`matrix`] | [`CountMatrix`]: the input, documents by terms, in compressed sparse row format |
//! | `score` | [`Score`]: scores as fixed-point numbers |
//!
//! ```
//! use std::sync::Arc;
//! use tabulae_similarity::{CountMatrix, Doc, Field, Index, Tuning, Search, Term};
//!
//! let mut tags = CountMatrix::default();
//! tags.push([(Term(0), 1), (Term(1), 1)]);
//! tags.push([(Term(0), 1)]);
//! tags.push([(Term(2), 1)]);
//! let field = Field { counts: Arc::new(tags), weight: 1.0, required: false };
//! let index = Index::new(vec![field], vec![Doc(0), Doc(1), Doc(2)], Tuning::default());
//! let found = index.top_k(Search { query: Doc(0), k: 5, with_ties: false }, |doc| doc != Doc(0));
//! assert_eq!(found.len(), 1);
//! assert_eq!(found[0].doc, Doc(1));
//! ```

pub mod brute_force;
pub mod drift;
mod highest;
pub mod index;
pub mod matrix;
mod partial;
mod partitions;
mod postings;
mod scoped_threads;
mod score;
mod scratch;
mod search;
#[cfg(test)]
mod tests;
mod top_k;
mod vectors;

pub use self::drift::{BoundedHits, Drift, Edited};
pub use self::index::{Contribution, Field, Index, Tuning};
pub use self::matrix::{CountMatrix, Doc, Row, Term};
pub use self::score::Score;
pub use self::search::Search;
pub use self::top_k::Hit;
