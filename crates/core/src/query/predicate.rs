//! A query whose names are found: what the resolver makes and the runner reads.

use std::sync::{Arc, OnceLock};

use regex::Regex;

use super::ast::{Comparison, Polarity, Search};
use super::fields::DerivedField;
use super::{Query, Resolved};
use crate::catalogue::{Catalogue, PostId};
use crate::term::TermId;
use crate::time::Interval;

/// The source of a post's value.
#[derive(Debug, Clone, PartialEq)]
pub(super) enum FieldRef {
    Derived(DerivedField),
    Term(usize),
    /// A front matter field, by its column.
    Own {
        column: usize,
        many: bool,
    },
}

impl FieldRef {
    pub(super) fn is_many(&self) -> bool {
        match self {
            FieldRef::Derived(_) => false,
            FieldRef::Term(_) => true,
            FieldRef::Own { many, .. } => *many,
        }
    }
}

/// A literal made ready to be compared.
#[derive(Debug, Clone, PartialEq)]
pub(super) enum Literal {
    Text {
        written: String,
        folded: String,
    },
    Number(f64),
    Flag(bool),
    Date(Interval),
    /// A term of a term field; `None` where no post has it.
    Term(usize, Option<TermId>),
}

/// The right side of a test.
#[derive(Debug, Clone, PartialEq)]
pub(super) enum Side {
    /// A field of the tested post.
    Field(FieldRef),
    /// A field of the post whose page is being made.
    This(FieldRef),
    /// Values that are known.
    Literals(Vec<Literal>),
    /// A parameter without a value.
    Missing,
}

impl Side {
    pub(super) fn is_many(&self) -> bool {
        match self {
            Side::Field(field) | Side::This(field) => field.is_many(),
            Side::Literals(_) | Side::Missing => false,
        }
    }
}

/// A condition whose names cannot fail to be found.
#[derive(Debug, Clone)]
pub(super) enum Predicate {
    All(Vec<Predicate>),
    Any(Vec<Predicate>),
    Not(Box<Predicate>),
    Compare(Side, Comparison, Side),
    /// One (or none) of the values equals one of these.
    OneOf(Side, Polarity, Vec<Side>),
    /// Each of these is among the values.
    EachOf(Side, Vec<Side>),
    Range(Side, Polarity, Side, Side),
    Search(Side, Polarity, Needle),
    Missing(Side, Polarity),
    Flag(Side),
}

/// The text or pattern that is searched for.
#[derive(Debug, Clone)]
pub(super) enum Needle {
    Plain(Search, String),
    Of(Search, FieldRef),
    Pattern(Regex),
    Missing,
}

/// A resolved order key.
#[derive(Debug, Clone)]
pub(super) enum Order {
    Field(FieldRef, bool),
    Random(u64),
}

/// A resolved source.
#[derive(Debug, Clone)]
pub(super) enum Source {
    Set(usize),
    Named(Arc<NamedQuery>),
}

/// A named query, evaluated once if its answer is the same on every page.
#[derive(Debug)]
pub(super) struct NamedQuery {
    pub(super) query: Query<Resolved>,
    answer: OnceLock<Arc<[PostId]>>,
}

impl NamedQuery {
    pub(super) fn new(query: Query<Resolved>) -> Self {
        Self {
            query,
            answer: OnceLock::new(),
        }
    }

    /// Returns the posts of the query on the page of `this`, in its order.
    pub(super) fn posts(&self, catalogue: &Catalogue, this: Option<PostId>) -> Arc<[PostId]> {
        let run = || self.query.run(catalogue, this).posts.into();
        if self.query.needs_this() {
            return run();
        }
        Arc::clone(self.answer.get_or_init(run))
    }
}

impl Source {
    /// The content set that it is, unless it is a named query.
    pub(super) fn set(&self) -> Option<usize> {
        match self {
            Source::Set(set) => Some(*set),
            Source::Named(_) => None,
        }
    }
}
