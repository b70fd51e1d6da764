//! Likeness within a query: over the posts of its sources.

use std::sync::{Arc, OnceLock};

use super::ast::Comparison;
use super::eval::Runner;
use super::fields::DerivedField;
use super::predicate::{FieldRef, Literal, Order, Predicate, Side, Source};
use super::scope::Scope;
use super::{Query, Resolved};
use crate::catalogue::{Catalogue, PostId};
use crate::likeness::{Index, Ninths, WHOLE, Weighing};

/// What likeness in a query is made of, and the index for it, once it was asked for.
#[derive(Debug)]
pub(super) struct Alike {
    weighing: Arc<Weighing>,
    index: OnceLock<Index>,
}

impl Alike {
    pub(super) fn new(scope: Scope<'_>) -> Self {
        let weighing = scope.library.weighing.clone();
        let default = || {
            let nowhere = crate::source::Source::command_line("");
            Arc::new(Weighing::new(
                None,
                scope.catalogue,
                &nowhere,
                &mut Vec::new(),
            ))
        };
        Self {
            weighing: weighing.unwrap_or_else(default),
            index: OnceLock::new(),
        }
    }
}

impl Query<Resolved> {
    /// The index for likeness over the posts of its sources; `None` where it does not ask for
    /// likeness.
    #[must_use]
    pub fn index(&self, catalogue: &Catalogue) -> Option<&Index> {
        let alike = self.0.alike.as_ref()?;
        Some(
            alike
                .index
                .get_or_init(|| Index::new(catalogue, &alike.weighing, &self.found(catalogue))),
        )
    }

    /// What its likeness is made of.
    #[must_use]
    pub fn weighing(&self) -> Option<&Weighing> {
        self.0.alike.as_ref().map(|alike| &*alike.weighing)
    }

    /// The posts of its sources, in rising order. Of a named query that differs from page to
    /// page all posts of its content sets count.
    fn found(&self, catalogue: &Catalogue) -> Vec<PostId> {
        let mut posts = Vec::new();
        for source in &self.0.sources {
            match source {
                Source::Set(set) => posts.extend_from_slice(catalogue.of_set(*set)),
                Source::Named(named) if named.needs_this() => {
                    let sets = named.0.sets().into_iter();
                    sets.for_each(|set| posts.extend_from_slice(catalogue.of_set(set)));
                }
                Source::Named(named) => posts.extend(named.run(catalogue, None).posts),
            }
        }
        posts.sort_unstable();
        posts.dedup();
        posts
    }

    /// The same query with another limit.
    #[must_use]
    pub fn with_limit(&self, limit: usize) -> Self {
        Query(Resolved {
            limit: Some(limit),
            ..self.0.clone()
        })
    }
}

/// The least likeness that a check lets through, where it lets through only more than 0.
pub(super) fn least(check: &Predicate) -> Option<Ninths> {
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
    let passes = |likeness: Ninths| {
        let likeness = f64::from(likeness) / f64::from(WHOLE);
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
        reason = "from 0 to one more than WHOLE"
    )]
    let mut least = (number.min(1.0) * f64::from(WHOLE)).round() as Ninths;
    while least > 0 && passes(least - 1) {
        least -= 1;
    }
    while least <= WHOLE && !passes(least) {
        least += 1;
    }
    Some(least)
}

impl Runner<'_> {
    /// The posts of a query that asks for those most alike, without looking at all the others;
    /// `None` where it asks for something else.
    pub(super) fn most_alike(&self, query: &Query<Resolved>) -> Option<Vec<PostId>> {
        let (index, this) = (self.index?, self.this?);
        let query = &query.0;
        let first = query.order.first()?;
        let Order::Field(FieldRef::Derived(DerivedField::Likeness), true) = first else {
            return None;
        };
        if query
            .sources
            .iter()
            .any(|source| matches!(source, Source::Named(named) if named.needs_this()))
        {
            return None;
        }
        let all = self.catalogue.all().count();
        let wanted = query.offset.saturating_add(query.limit?).min(all);
        let floors: Vec<Option<Ninths>> = query.checks.iter().map(least).collect();
        let floor = floors.iter().flatten().max()?;
        let others: Vec<&Predicate> = query
            .checks
            .iter()
            .zip(&floors)
            .filter(|(_, least)| least.is_none())
            .map(|(check, _)| check)
            .collect();
        let fits = |post| others.iter().all(|check| self.holds(check, post));
        let found = index
            .nearest(this, wanted, query.order.len() > 1, fits)
            .into_iter();
        let mut posts: Vec<PostId> = found
            .filter(|(_, likeness)| likeness >= floor)
            .map(|(post, _)| post)
            .collect();
        if query.order.len() > 1 {
            self.sort(&mut posts, &query.order, wanted);
        }
        posts.truncate(wanted);
        posts.drain(..query.offset.min(posts.len()));
        Some(posts)
    }
}
