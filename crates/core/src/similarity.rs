//! The similarity of posts: which fields count and with what weight, and the index of the posts of a
//! query's sources.
//!
//! likeness(a, b) = Σ w·cosine / Σ w over the weighted fields. Vectors and search are those of
//! [`tabulae_similarity`], which has the formula; this module turns posts, terms and stems into its
//! matrices.

use std::sync::Arc;

use tabulae_similarity::drift::{COMPARED, SPARE};
use tabulae_similarity::{Edited, Field, Search, Tuning};

use crate::catalogue::{Catalogue, PostId};
use crate::diagnostic::{Code, Diagnostic, Diagnostics, Help};
use crate::id::{LocaleId, TermId};
use crate::settings::{FILE, Related};
use crate::source::{Location, Source};

pub use tabulae_similarity::{
    BoundedHits, Contribution, CountMatrix, Doc, Drift, Hit, Score, Term,
};

/// A field in which posts are compared.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord)]
pub enum ComparedField {
    /// The terms of the term field of this number; the parents of a nested term do not count.
    Terms(usize),
    /// The words of the title.
    Title,
    /// The words of the text.
    Body,
}

/// A field with its weight.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct WeightedField {
    /// The field.
    pub field: ComparedField,
    /// The normalised weight, 0 to 1: the weights of all fields add up to 1.
    pub weight: f64,
    /// If set, posts that share nothing in it have likeness 0.
    pub required: bool,
}

/// The fields that count, in the order of the settings; those of weight 0 only if they are required.
#[derive(Debug, Clone, PartialEq, Default)]
pub struct FieldWeights {
    /// The fields.
    pub fields: Vec<WeightedField>,
}

/// The weights if the settings give none.
pub const DEFAULT_WEIGHTS: [(&str, f64); 4] = [
    ("tag", 3.0),
    ("category", 2.0),
    ("title", 1.0),
    ("body", 1.0),
];

impl FieldWeights {
    /// Reads the weights of `[related]`; the default ones if it gives none. An unknown field is a
    /// diagnostic.
    pub fn new(
        related: Option<&Related>,
        catalogue: &Catalogue,
        source: &Source,
        diagnostics: &mut Diagnostics,
    ) -> Self {
        let given = related.filter(|related| !related.weigh.is_empty());
        let mut weights: Vec<(ComparedField, f64)> = Vec::new();
        let mut note = |field: Option<ComparedField>, weight: f64| {
            if let Some(field) = field
                && !weights.iter().any(|(known, _)| *known == field)
            {
                weights.push((field, weight));
            }
        };
        match given {
            None => DEFAULT_WEIGHTS
                .iter()
                .for_each(|(name, weight)| note(named(name, catalogue), *weight)),
            Some(related) => {
                for (name, weight) in &related.weigh {
                    let location = source.location(name.span);
                    note(known(&name.node, location, catalogue, diagnostics), *weight);
                }
            }
        }
        let sum: f64 = weights.iter().map(|(_, weight)| weight).sum();
        if let Some(related) = given
            && sum <= 0.0
            && !weights.is_empty()
        {
            let location = related.weigh.first();
            let location = location.map_or_else(
                || Location::top_of(FILE),
                |(name, _)| source.location(name.span),
            );
            diagnostics.push(
                Diagnostic::error(
                    Code::InvalidValue,
                    location,
                    "all weights are 0, so that no post is like another",
                )
                .help("give one field a weight above 0, such as `tag = 1`"),
            );
        }
        let mut required = Vec::new();
        for name in related.iter().flat_map(|related| &related.require) {
            let location = source.location(name.span);
            required.extend(known(&name.node, location, catalogue, diagnostics));
        }
        for field in &required {
            if !weights.iter().any(|(known, _)| known == field) {
                weights.push((*field, 0.0));
            }
        }
        let fields = weights.into_iter().map(|(field, weight)| WeightedField {
            field,
            weight: if sum > 0.0 { weight / sum } else { 0.0 },
            required: required.contains(&field),
        });
        Self {
            fields: fields
                .filter(|weighted| weighted.weight > 0.0 || weighted.required)
                .collect(),
        }
    }
}

/// Returns true if related posts depend on the words of texts.
#[must_use]
pub fn looks_into_texts(related: &Related) -> bool {
    let mut weighed = related.weigh.iter();
    let mut required = related.require.iter();
    related.weigh.is_empty()
        || weighed.any(|(name, weight)| is_body(&name.node) && *weight > 0.0)
        || required.any(|name| is_body(&name.node))
}

fn is_body(name: &str) -> bool {
    matches!(name, "body" | "text")
}

fn named(name: &str, catalogue: &Catalogue) -> Option<ComparedField> {
    match name {
        "title" => Some(ComparedField::Title),
        name if is_body(name) => Some(ComparedField::Body),
        name => catalogue.term_field(name).map(ComparedField::Terms),
    }
}

fn known(
    name: &str,
    location: Location,
    catalogue: &Catalogue,
    diagnostics: &mut Diagnostics,
) -> Option<ComparedField> {
    let found = named(name, catalogue);
    if found.is_none() {
        let tables = catalogue.term_tables().iter();
        let names: Vec<&str> = tables
            .map(|table| table.field.name.as_str())
            .chain(["title", "body"])
            .collect();
        let diagnostic = Diagnostic::error(
            Code::UnknownField,
            location,
            format!(
                "likeness cannot weigh `{name}`: it is not a term field, and neither `title` nor `body`"
            ),
        );
        let near = crate::diagnostic::nearest(name, names.iter().copied());
        diagnostics.push(match near {
            Some(near) => diagnostic.help(Help::did_you_mean(near)),
            None => diagnostic.help(format!(
                "write one of {}; or make `{name}` a term field by `terms = [\"{name}\"]` in its content set",
                names.iter().map(|name| format!("`{name}`")).collect::<Vec<_>>().join(", ")
            )),
        });
    }
    found
}

impl ComparedField {
    /// Returns the name in the settings.
    #[must_use]
    pub fn name(self, catalogue: &Catalogue) -> &str {
        match self {
            ComparedField::Terms(field) => &catalogue.terms(field).field.name,
            ComparedField::Title => "title",
            ComparedField::Body => "body",
        }
    }

    /// Returns the name of a term in a language, or the stem.
    #[must_use]
    pub fn term_name(
        self,
        Term(number): Term,
        (catalogue, locale): (&Catalogue, LocaleId),
    ) -> &str {
        match self {
            ComparedField::Terms(field) => {
                catalogue.terms(field).terms[number as usize].name_in(locale)
            }
            ComparedField::Title => catalogue.words().title.stem(number),
            ComparedField::Body => catalogue.words().body.stem(number),
        }
    }
}

/// The similarity index of some posts. Any post of the catalogue can be compared and searched for; only
/// the indexed ones are found.
#[derive(Debug)]
pub struct Index {
    fields: Vec<WeightedField>,
    index: tabulae_similarity::Index,
}

impl Index {
    /// Indexes some posts, given in rising order.
    #[must_use]
    pub fn new(catalogue: &Catalogue, weights: &FieldWeights, posts: &[PostId]) -> Self {
        let fields = weights.fields.iter().map(|weighted| Field {
            counts: counts(catalogue, weighted.field),
            weight: weighted.weight,
            required: weighted.required,
        });
        let docs = posts.iter().map(|post| Doc(post.0)).collect();
        Self {
            index: tabulae_similarity::Index::new(fields.collect(), docs, Tuning::default()),
            fields: weights.fields.clone(),
        }
    }

    /// Returns the likeness of two posts.
    #[must_use]
    pub fn likeness(&self, a: PostId, b: PostId) -> Score {
        self.index.score(Doc(a.0), Doc(b.0))
    }

    /// Returns the contribution of each weighted field to a likeness, in the order of the settings. The
    /// parts add up to the likeness; shared terms are numbers of terms or stems.
    #[must_use]
    pub fn breakdown(&self, a: PostId, b: PostId) -> Vec<Contribution> {
        self.index.breakdown(Doc(a.0), Doc(b.0))
    }

    /// Returns the terms that two posts share and that count for their likeness: by term field in the
    /// order of the settings, and within a field those that count most first.
    pub fn shared_terms(&self, a: PostId, b: PostId) -> impl Iterator<Item = (usize, TermId)> {
        let fields = self.fields.iter().enumerate();
        let counted = fields.filter(|(_, weighted)| weighted.weight > 0.0);
        counted.flat_map(move |(at, weighted)| {
            let (field, shared) = match weighted.field {
                ComparedField::Terms(field) => {
                    (field, self.index.shared_terms(at, Doc(a.0), Doc(b.0)))
                }
                ComparedField::Title | ComparedField::Body => (0, Vec::new()),
            };
            let shared = shared.into_iter();
            shared.map(move |Term(term)| (field, TermId(term)))
        })
    }

    /// Returns the posts that share anything with `this`, in rising order, itself too if it is indexed;
    /// `None` if words count, as nearly all posts share some.
    #[must_use]
    pub fn sharing(&self, this: PostId) -> Option<Vec<PostId>> {
        let counts_words = |field: &WeightedField| !matches!(field.field, ComparedField::Terms(_));
        if self.fields.iter().any(counts_words) {
            return None;
        }
        let sharing = self.index.sharing(Doc(this.0)).into_iter();
        Some(sharing.map(|Doc(post)| PostId(post)).collect())
    }

    /// Returns the `wanted` posts most similar to `this` among those that `filter` accepts, with `ties`
    /// all that are as similar as the last of them, too: most similar first, of equals those with
    /// lower numbers. Posts of likeness 0 are not among them.
    pub fn most_similar(
        &self,
        this: PostId,
        wanted: usize,
        ties: bool,
        filter: impl Fn(PostId) -> bool,
    ) -> Vec<(PostId, Score)> {
        let search = Search {
            query: Doc(this.0),
            k: wanted,
            with_ties: ties,
        };
        let hits = (self.index).top_k(search, |Doc(post)| filter(PostId(post)));
        let hits = hits.into_iter();
        hits.map(|hit| (PostId(hit.doc.0), hit.score)).collect()
    }
}

impl Index {
    /// Returns the `wanted` posts most similar to `this` among those that `filter` accepts and a few more, with a
    /// bound on all others; with the drift since an edit if there was one. See [`Self::most_similar`] for the order.
    pub fn bounded_hits(
        &self,
        this: PostId,
        wanted: usize,
        drift: Option<&Drift>,
        filter: impl Fn(PostId) -> bool,
    ) -> BoundedHits {
        let k = wanted.saturating_add(SPARE);
        let (query, with_ties) = (Doc(this.0), false);
        let filter = |Doc(post)| filter(PostId(post));
        let hits = match drift {
            Some(drift) => self.index.top_k_after(drift, query, k, filter),
            None => (self.index).top_k(
                Search {
                    query,
                    k,
                    with_ties,
                },
                filter,
            ),
        };
        BoundedHits::new(hits, k)
    }

    /// Returns how far likeness can have moved since the texts of posts had other stems. No other post changed,
    /// and the indexed posts are the same ones.
    #[must_use]
    pub fn drift(&self, edited: &[EditedText]) -> Drift {
        let mut fields = self.fields.iter();
        let body = fields.position(|weighted| weighted.field == ComparedField::Body);
        let edited = edited.iter().map(|text| Edited {
            doc: Doc(text.post.0),
            field: body.unwrap_or(self.fields.len()),
            terms: text.stems.clone(),
        });
        self.index.drift(&edited.collect::<Vec<_>>(), COMPARED)
    }

    /// Returns the hits of [`Self::bounded_hits`] from those before an edit; `None` if they do not tell.
    /// Posts whose likeness is at most `floor` are not asked for.
    pub fn confirm(
        &self,
        this: PostId,
        wanted: usize,
        floor: Score,
        before: &BoundedHits,
        drift: &Drift,
        filter: impl Fn(PostId) -> bool,
    ) -> Option<BoundedHits> {
        let filter = |Doc(post)| filter(PostId(post));
        (self.index).confirm(Doc(this.0), wanted, floor, before, drift, filter)
    }
}

/// A post whose text changed.
#[derive(Debug, Clone)]
pub struct EditedText {
    /// The post.
    pub post: PostId,
    /// The stems of the text before the change that some text has now, in rising order of their numbers.
    pub stems: Vec<Term>,
}

/// Returns the matrix of a field.
fn counts(catalogue: &Catalogue, field: ComparedField) -> Arc<CountMatrix> {
    match field {
        ComparedField::Title => Arc::clone(&catalogue.words().title.counts),
        ComparedField::Body => Arc::clone(&catalogue.words().body.counts),
        ComparedField::Terms(field) => {
            let mut counts = CountMatrix::default();
            for id in catalogue.all() {
                let mut terms: Vec<TermId> = catalogue.terms_of(id, field).to_vec();
                terms.sort_unstable();
                counts.push(terms.into_iter().map(|term| (Term(term.0), 1)));
            }
            Arc::new(counts)
        }
    }
}

#[cfg(test)]
mod tests;
