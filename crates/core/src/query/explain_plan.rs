//! The plan of a query in words, with how many posts each step leaves.

use super::access_path::{AccessPath, Goal, Plan};
use super::{Query, Resolved};
use crate::catalogue::{Catalogue, PostId};

/// The plan of a query.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct QueryPlan {
    /// The access path: `terms`, `likeness`, `dates`, `named query`, `newest first` or `scan`.
    pub access_path: &'static str,
    /// The number of posts that the access path gives, before any predicate is tested.
    pub candidates: usize,
    /// The predicates that must all hold: first those that the access path answers, then the others in the order
    /// in which they are tested.
    pub steps: Vec<PlanStep>,
    /// The number of posts after offset and limit.
    pub posts: usize,
}

/// A predicate of a plan.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct PlanStep {
    /// The predicate, as it is written in a query.
    pub predicate: String,
    /// Set if the access path gives only posts that meet it.
    pub is_answered: bool,
    /// The number of posts that meet it and all predicates before.
    pub rows: usize,
}

impl Query<Resolved> {
    /// Returns the name of the access path on the page of `this`, without running the query; see
    /// [`QueryPlan::access_path`].
    #[must_use]
    pub fn access_path(&self, catalogue: &Catalogue, this: Option<PostId>) -> &'static str {
        self.runner(catalogue, this).plan(self, Goal::First).name()
    }

    /// Returns how the query is run on the page of `this`. Takes as long as running it.
    #[must_use]
    pub fn explain(&self, catalogue: &Catalogue, this: Option<PostId>) -> QueryPlan {
        let runner = self.runner(catalogue, this);
        let plan = runner.plan(self, Goal::First);
        let mut rows = runner.candidates(&plan, &self.0).into_owned();
        let candidates = rows.len();
        let conjuncts = || self.0.conjuncts.iter().zip(&plan.answered);
        let answered = conjuncts().filter(|(_, answered)| **answered);
        let tested = conjuncts().filter(|(_, answered)| !**answered);
        let steps = answered.chain(tested).map(|(conjunct, answered)| {
            if !answered {
                runner.retain(&mut rows, &conjunct.predicate);
            }
            PlanStep {
                predicate: conjunct.written.to_string(),
                is_answered: *answered,
                rows: rows.len(),
            }
        });
        let steps: Vec<PlanStep> = steps.collect();
        let posts = match plan.path {
            AccessPath::Similarity(_) => runner.execute(self, &plan).posts.len(),
            _ => self.window(rows.len()),
        };
        QueryPlan {
            access_path: plan.name(),
            candidates,
            steps,
            posts,
        }
    }
}

impl Plan<'_> {
    fn name(&self) -> &'static str {
        match self.path {
            AccessPath::Named => "named query",
            AccessPath::Terms(_) => "terms",
            AccessPath::Sharing(_) | AccessPath::Similarity(_) => "likeness",
            AccessPath::Newest(_) => "newest first",
            AccessPath::Dates => "dates",
            AccessPath::Scan => "scan",
        }
    }
}
