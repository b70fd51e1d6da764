//! Likeness in a query: the similarity index of the posts of its sources.

use std::sync::{Arc, OnceLock};

use super::ast::Comparison;
use super::eval::Runner;
use super::fields::DerivedField;
use super::predicate::{FieldRef, Literal, Order, Predicate, Side, Source};
use super::scope::Scope;
use super::{Conjunct, Query, Resolved};
use crate::catalogue::{Catalogue, PostId};
use crate::similarity::{BoundedHits, Drift, FieldWeights, Index, Score};

/// The field weights of a query that uses likeness, and its index, built when it is first needed.
#[derive(Debug)]
pub(super) struct Similar {
    weights: Arc<FieldWeights>,
    index: OnceLock<Index>,
}

impl Similar {
    pub(super) fn new(scope: Scope<'_>) -> Self {
        let weights = scope.library.weights.clone();
        let default = || {
            let nowhere = crate::source::Source::command_line("");
            Arc::new(FieldWeights::new(
                None,
                scope.catalogue,
                &nowhere,
                &mut Vec::new(),
            ))
        };
        Self {
            weights: weights.unwrap_or_else(default),
            index: OnceLock::new(),
        }
    }
}

impl Query<Resolved> {
    /// Returns the similarity index of the posts of its sources; `None` if it does not use likeness.
    #[must_use]
    pub fn index(&self, catalogue: &Catalogue) -> Option<&Index> {
        let similar = self.0.similar.as_ref()?;
        Some(
            similar
                .index
                .get_or_init(|| Index::new(catalogue, &similar.weights, &self.found(catalogue))),
        )
    }

    /// Returns the field weights of its likeness; `None` if it does not use likeness.
    #[must_use]
    pub fn weights(&self) -> Option<&FieldWeights> {
        self.0.similar.as_ref().map(|similar| &*similar.weights)
    }

    /// Returns the posts of its sources, in rising order. Of a named query that depends on the page all
    /// posts of its content sets count.
    fn found(&self, catalogue: &Catalogue) -> Vec<PostId> {
        let mut posts = Vec::new();
        for source in &self.0.sources {
            match source {
                Source::Set(set) => {
                    posts.extend_from_slice(catalogue.of_set(*set, self.0.within));
                }
                Source::Named(named) if named.query.needs_this() => {
                    let (sets, within) = (named.query.0.sets(), named.query.0.within);
                    let sets = sets.into_iter();
                    sets.for_each(|set| posts.extend_from_slice(catalogue.of_set(set, within)));
                }
                Source::Named(named) => posts.extend_from_slice(&named.posts(catalogue, None)),
            }
        }
        posts.sort_unstable();
        posts.dedup();
        posts
    }

    /// Returns the hits that [`Query::first`] needs, with a bound on all other posts: those of `before`, which
    /// were found before an edit of texts, if they tell, or else those of a search. `None` unless the query
    /// asks for the most similar posts first, in no other order, and tests likeness only for its least.
    /// Hits from before an edit may only be given if no condition reads texts.
    #[must_use]
    pub fn bounded_hits(
        &self,
        catalogue: &Catalogue,
        this: PostId,
        before: Option<(&BoundedHits, &Drift)>,
    ) -> Option<BoundedHits> {
        let runner = self.runner(catalogue, Some(this));
        let search = runner.similarity_search(&self.0)?;
        if self.0.order.len() > 1 || search.filters_on_likeness() {
            return None;
        }
        let accepts = runner.accepts(&search);
        let floor = Score::from_units(search.floor.saturating_sub(1));
        let confirmed = before.and_then(|(hits, drift)| {
            let index = search.index;
            index.confirm(this, search.wanted, floor, hits, drift, &accepts)
        });
        let drift = before.map(|(_, drift)| drift);
        let find = || (search.index).bounded_hits(this, search.wanted, drift, &accepts);
        Some(confirmed.unwrap_or_else(find))
    }

    /// Returns the posts of [`Query::first`] by hits of [`Query::bounded_hits`].
    #[must_use]
    pub fn first_of(&self, hits: &BoundedHits) -> Vec<PostId> {
        let query = &self.0;
        let floors = query.conjuncts.iter();
        let floors = floors.filter_map(|conjunct| least(&conjunct.predicate));
        let floor = floors.max().unwrap_or(0);
        let hits = hits.hits.iter();
        let hits = hits.filter(|hit| hit.score.units() >= floor);
        let posts = hits.map(|hit| PostId(hit.doc.0)).skip(query.offset);
        posts.take(query.limit.unwrap_or(usize::MAX)).collect()
    }

    /// Returns the query with another limit.
    #[must_use]
    pub fn with_limit(&self, limit: usize) -> Self {
        Query(Resolved {
            limit: Some(limit),
            ..self.0.clone()
        })
    }
}

/// Returns the least likeness that a predicate accepts, in units of 10⁻⁹; one more than the highest if it
/// accepts none. `None` if it accepts 0, or tests something else.
pub(super) fn least(check: &Predicate) -> Option<u32> {
    let Predicate::Compare(
        Side::Field(FieldRef::Derived(DerivedField::Likeness)),
        comparison,
        Side::Literals(literals),
    ) = check
    else {
        return None;
    };
    let [Literal::Number(number)] = literals.as_slice() else {
        return None;
    };
    const HIGHEST: u32 = Score::ONE.units();
    let passes = |likeness: u32| {
        let likeness = Score::from_units(likeness).ratio();
        match comparison {
            Comparison::Greater => likeness > *number,
            _ => likeness >= *number,
        }
    };
    let above_nothing = match comparison {
        Comparison::Greater => *number >= 0.0,
        Comparison::GreaterOrEqual => *number > 0.0,
        _ => false,
    };
    if !above_nothing {
        return None;
    }
    #[expect(
        clippy::cast_possible_truncation,
        clippy::cast_sign_loss,
        reason = "from 0 to one more than the highest"
    )]
    let mut least = (number.min(1.0) * f64::from(HIGHEST)).round() as u32;
    while least > 0 && passes(least - 1) {
        least -= 1;
    }
    while least <= HIGHEST && !passes(least) {
        least += 1;
    }
    Some(least)
}

/// A top-k search that answers a query for the posts most similar to `this`.
pub(super) struct SimilaritySearch<'a> {
    index: &'a Index,
    this: PostId,
    wanted: usize,
    /// The least likeness, in units of 10⁻⁹.
    floor: u32,
    /// The conjuncts that say something else than the least likeness.
    filters: Vec<&'a Conjunct>,
}

impl SimilaritySearch<'_> {
    /// Returns true if a filter depends on likeness.
    fn filters_on_likeness(&self) -> bool {
        let filters = self.filters.iter();
        let mut predicates: Vec<&Predicate> = filters.map(|filter| &filter.predicate).collect();
        let is_likeness =
            |side: &Side| matches!(side, Side::Field(FieldRef::Derived(DerivedField::Likeness)));
        while let Some(predicate) = predicates.pop() {
            let depends = match predicate {
                Predicate::All(parts) | Predicate::Any(parts) => {
                    predicates.extend(parts);
                    false
                }
                Predicate::Not(part) => {
                    predicates.push(part);
                    false
                }
                Predicate::Compare(left, _, right) => is_likeness(left) || is_likeness(right),
                Predicate::OneOf(side, _, values) | Predicate::EachOf(side, values) => {
                    is_likeness(side) || values.iter().any(is_likeness)
                }
                Predicate::Range(side, _, from, to) => {
                    [side, from, to].into_iter().any(is_likeness)
                }
                Predicate::Search(side, ..)
                | Predicate::Missing(side, _)
                | Predicate::Flag(side) => is_likeness(side),
            };
            if depends {
                return true;
            }
        }
        false
    }
}

impl<'a> Runner<'a> {
    /// Returns the filter of a similarity search.
    fn accepts<'s>(&'s self, search: &'s SimilaritySearch<'a>) -> impl Fn(PostId) -> bool + 's {
        |post| {
            let mut filters = search.filters.iter();
            filters.all(|conjunct| self.holds(&conjunct.predicate, post))
        }
    }

    /// Returns the top-k search for a query that asks for the most similar posts first, with a limit and a
    /// likeness above 0; `None` if it is no such query.
    pub(super) fn similarity_search(&self, query: &'a Resolved) -> Option<SimilaritySearch<'a>> {
        let first = query.order.first()?;
        let Order::Field(FieldRef::Derived(DerivedField::Likeness), true) = first else {
            return None;
        };
        let depends_on_page =
            |source: &Source| matches!(source, Source::Named(named) if named.query.needs_this());
        if query.sources.iter().any(depends_on_page) {
            return None;
        }
        let floors = query.conjuncts.iter();
        let floors = floors.map(|conjunct| (least(&conjunct.predicate), conjunct));
        let (floors, filters): (Vec<_>, Vec<_>) = floors.partition(|(floor, _)| floor.is_some());
        Some(SimilaritySearch {
            index: self.index?,
            this: self.this?,
            wanted: query.offset.saturating_add(query.limit?),
            floor: floors.iter().filter_map(|(floor, _)| *floor).max()?,
            filters: filters.into_iter().map(|(_, conjunct)| conjunct).collect(),
        })
    }

    /// Returns the posts that a similarity search finds; of posts that are as similar as the last of them all
    /// that another order key can tell apart.
    pub(super) fn most_similar(
        &self,
        search: &SimilaritySearch<'_>,
        query: &Resolved,
    ) -> Vec<PostId> {
        let accepts = self.accepts(search);
        let ties = query.order.len() > 1;
        let found = (search.index).most_similar(search.this, search.wanted, ties, accepts);
        let found = found.into_iter();
        let found = found.filter(|(_, likeness)| likeness.units() >= search.floor);
        found.map(|(post, _)| post).collect()
    }
}
