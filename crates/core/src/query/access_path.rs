//! Query plans: the access path, and the predicates that it answers.

use std::borrow::Cow;
use std::cmp::Ordering;
use std::ops::Range;

use super::ast::{Comparison, Polarity};
use super::eval::Runner;
use super::fields::DerivedField;
use super::predicate::{FieldRef, Literal, Order, Predicate, Side, Source};
use super::similar::{SimilaritySearch, least};
use super::{Conjunct, Query, Resolved};
use crate::catalogue::PostId;
use crate::id::LocaleId;
use crate::time::ZonedDate;

/// The purpose of a plan.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(super) enum Goal {
    /// All posts, counted before offset and limit.
    All,
    /// The posts up to the limit, without counting the others.
    First,
}

/// The source of the posts on which a query's predicates are tested.
pub(super) enum AccessPath<'a> {
    /// The posts of sources of which one at least is a named query.
    Named,
    /// The posting lists of the terms of a conjunct.
    Terms(PostingLists<'a>),
    /// The posts that share a term with the page's post, for a conjunct on likeness.
    Sharing(Vec<PostId>),
    /// A top-k search by likeness.
    Similarity(SimilaritySearch<'a>),
    /// The newest posts of content sets, until the given number meets all predicates.
    Newest(usize),
    /// The posts of content sets within a range of dates.
    Dates,
    /// All posts of content sets.
    Scan,
}

/// The plan of a query.
pub(super) struct Plan<'a> {
    pub(super) path: AccessPath<'a>,
    /// The content sets that are the query's sources; none if one of them is a named query.
    sets: Vec<usize>,
    /// The language to which the posts of the content sets are limited.
    within: Option<LocaleId>,
    /// The posts whose dates meet all conjuncts on dates; posts are numbered by date.
    dates: Range<PostId>,
    /// By conjunct, set if the access path or the dates leave only posts that meet it.
    pub(super) answered: Vec<bool>,
}

impl<'a> Plan<'a> {
    /// Iterates over the conjuncts that are tested post by post.
    pub(super) fn tests<'q>(&self, query: &'q Resolved) -> impl Iterator<Item = &'q Conjunct> {
        let conjuncts = query.conjuncts.iter().zip(&self.answered);
        let tests = conjuncts.filter(|(_, answered)| !**answered);
        tests.map(|(conjunct, _)| conjunct)
    }
}

/// Posting lists whose union holds each post that a test lets through.
pub(super) struct PostingLists<'a> {
    lists: Vec<&'a [PostId]>,
    /// Set if the union holds no other posts.
    is_exact: bool,
}

impl PostingLists<'_> {
    fn len(&self) -> usize {
        self.lists.iter().map(|list| list.len()).sum()
    }
}

impl<'a> Runner<'a> {
    /// Chooses how to run a query: by named queries if they are its sources, else by the access path with the
    /// fewest posts to test. A top-k search and a walk from the newest post are for the first posts only.
    pub(super) fn plan(&self, query: &'a Query<Resolved>, goal: Goal) -> Plan<'a> {
        let query = &query.0;
        let mut plan = Plan {
            path: AccessPath::Named,
            sets: Vec::new(),
            within: query.within,
            dates: PostId(0)..PostId(u32::MAX),
            answered: vec![false; query.conjuncts.len()],
        };
        if goal == Goal::First
            && let Some(search) = self.similarity_search(query)
        {
            plan.path = AccessPath::Similarity(search);
            return plan;
        }
        let Some(sets) = query
            .sources
            .iter()
            .map(Source::set)
            .collect::<Option<Vec<_>>>()
        else {
            return plan;
        };
        for (conjunct, answered) in query.conjuncts.iter().zip(&mut plan.answered) {
            if let Some(range) = self.dates(&conjunct.predicate) {
                plan.dates.start = plan.dates.start.max(range.start);
                plan.dates.end = plan.dates.end.min(range.end);
                *answered = true;
            }
        }
        plan.sets = sets;
        plan.path = match (self.by_terms(query), query.limit) {
            (Some((at, lists)), _) if lists.len() <= self.posts_within(&plan.dates) => {
                plan.answered[at] |= lists.is_exact;
                AccessPath::Terms(lists)
            }
            // Only now: to find them takes longer than all other choices.
            _ if let Some(sharing) = self.by_likeness(query) => AccessPath::Sharing(sharing),
            _ if plan.answered.contains(&true) => AccessPath::Dates,
            (_, Some(limit)) if goal == Goal::First && query.is_newest_first() => {
                AccessPath::Newest(query.offset.saturating_add(limit))
            }
            _ => AccessPath::Scan,
        };
        plan
    }

    /// Returns the number of posts of all content sets within a range of dates.
    fn posts_within(&self, dates: &Range<PostId>) -> usize {
        let end = dates.end.0 as usize;
        let end = end.min(self.catalogue.all().len());
        end.saturating_sub(dates.start.0 as usize)
    }

    /// Returns the posting lists with the fewest posts among the conjuncts, with the conjunct's number.
    fn by_terms(&self, query: &'a Resolved) -> Option<(usize, PostingLists<'a>)> {
        let conjuncts = query.conjuncts.iter().enumerate();
        let lists =
            conjuncts.filter_map(|(at, conjunct)| Some((at, self.lists(&conjunct.predicate)?)));
        lists.min_by_key(|(_, lists)| lists.len())
    }

    /// Returns the posts that share a term with the page's post, if a conjunct demands likeness.
    fn by_likeness(&self, query: &Resolved) -> Option<Vec<PostId>> {
        let mut conjuncts = query.conjuncts.iter();
        if !conjuncts.any(|conjunct| least(&conjunct.predicate).is_some()) {
            return None;
        }
        self.index?.sharing(self.this?)
    }

    /// Returns the posts of a plan's content sets within its range of dates, in the default order.
    fn of_sets(&self, plan: &Plan<'_>) -> Cow<'a, [PostId]> {
        let (sets, dates, language) = (&plan.sets, &plan.dates, plan.within);
        if sets.len() == self.catalogue.sets().len() {
            return within(self.catalogue.listed(language), dates).into();
        }
        if let [only] = sets[..] {
            return within(self.catalogue.of_set(only, language), dates).into();
        }
        let lists = sets.iter();
        let lists: Vec<_> = lists
            .map(|set| self.catalogue.of_set(*set, language))
            .collect();
        united(&lists, dates).into()
    }

    /// Returns the posts that an access path gives, before any predicate is tested.
    pub(super) fn candidates(&self, plan: &Plan<'_>, query: &Resolved) -> Cow<'a, [PostId]> {
        let mut posts = match &plan.path {
            AccessPath::Named | AccessPath::Similarity(_) => {
                return self.of_sources(query).into();
            }
            AccessPath::Newest(_) | AccessPath::Dates | AccessPath::Scan => {
                return self.of_sets(plan);
            }
            AccessPath::Terms(lists) => united(&lists.lists, &plan.dates),
            AccessPath::Sharing(posts) => within(posts, &plan.dates).to_vec(),
        };
        if plan.sets.len() < self.catalogue.sets().len() {
            posts.retain(|post| plan.sets.contains(&self.catalogue.post(*post).set));
        }
        if let Some(language) = plan.within {
            posts.retain(|post| self.catalogue.post(*post).locale == language);
        }
        posts.into()
    }

    /// Returns the posts of sources of which one at least is a named query: of a single one in its own
    /// order, of several each post once.
    fn of_sources(&self, query: &Resolved) -> Vec<PostId> {
        let sources = &query.sources;
        if let [Source::Named(named)] = sources.as_slice() {
            return named.posts(self.catalogue, self.this).to_vec();
        }
        let mut posts = Vec::new();
        for source in sources {
            match source {
                Source::Set(set) => {
                    posts.extend_from_slice(self.catalogue.of_set(*set, query.within));
                }
                Source::Named(named) => {
                    posts.extend_from_slice(&named.posts(self.catalogue, self.this));
                }
            }
        }
        posts.sort_unstable();
        posts.dedup();
        posts
    }

    /// Returns the range of posts that meet a predicate on the date or the year: one range, since posts are
    /// numbered by date.
    fn dates(&self, check: &Predicate) -> Option<Range<PostId>> {
        let (field, low, high) = match check {
            Predicate::Compare(Side::Field(field), comparison, right) => {
                let side = || literal(right);
                match comparison {
                    Comparison::Equal => return self.row(field, side()?, &[Ordering::Equal]),
                    Comparison::Less => return self.row(field, side()?, &[Ordering::Less]),
                    Comparison::Greater => return self.row(field, side()?, &[Ordering::Greater]),
                    Comparison::LessOrEqual => (field, None, Some(side()?)),
                    Comparison::GreaterOrEqual => (field, Some(side()?), None),
                    Comparison::Unequal => return None,
                }
            }
            Predicate::OneOf(Side::Field(field), Polarity::Plain, sides) => {
                match sides.as_slice() {
                    [only] => return self.row(field, literal(only)?, &[Ordering::Equal]),
                    _ => return None,
                }
            }
            Predicate::Range(Side::Field(field), Polarity::Plain, low, high) => {
                (field, Some(literal(low)?), Some(literal(high)?))
            }
            _ => return None,
        };
        let newest = match high {
            Some(high) => {
                self.row(field, high, &[Ordering::Equal, Ordering::Less])?
                    .start
            }
            None => PostId(0),
        };
        let oldest = match low {
            Some(low) => {
                self.row(field, low, &[Ordering::Greater, Ordering::Equal])?
                    .end
            }
            None => {
                self.catalogue
                    .dated(|_| Ordering::Equal, &[Ordering::Equal])
                    .end
            }
        };
        Some(newest..oldest)
    }

    fn row(&self, field: &FieldRef, to: &Literal, wanted: &[Ordering]) -> Option<Range<PostId>> {
        match (field, to) {
            (FieldRef::Derived(DerivedField::Date), Literal::Date(interval)) => {
                let order = |date: &ZonedDate| interval.order_of(date.at);
                Some(self.catalogue.dated(order, wanted))
            }
            (FieldRef::Derived(DerivedField::Year), Literal::Number(year))
                if self.catalogue.days_in_order() && !year.is_nan() =>
            {
                let order = |date: &ZonedDate| f64::from(date.day.year()).total_cmp(year);
                Some(self.catalogue.dated(order, wanted))
            }
            _ => None,
        }
    }

    /// The posting lists of a test that asks for terms.
    fn lists(&self, check: &Predicate) -> Option<PostingLists<'a>> {
        let terms = |field: usize, sides: &[Side]| {
            let lists: Option<Vec<_>> = sides
                .iter()
                .map(|side| self.of_terms(field, side))
                .collect();
            Some(PostingLists {
                lists: lists?.concat(),
                is_exact: true,
            })
        };
        match check {
            Predicate::Compare(Side::Field(FieldRef::Term(field)), Comparison::Equal, right) => {
                terms(*field, std::slice::from_ref(right))
            }
            Predicate::OneOf(Side::Field(FieldRef::Term(field)), Polarity::Plain, sides) => {
                terms(*field, sides)
            }
            Predicate::EachOf(Side::Field(FieldRef::Term(field)), sides) => {
                let lists = sides
                    .iter()
                    .filter(|side| matches!(side, Side::Literals(_)));
                let lists = lists.flat_map(|side| self.of_terms(*field, side).unwrap_or_default());
                let shortest = lists.min_by_key(|list| list.len())?;
                Some(PostingLists {
                    lists: vec![shortest],
                    is_exact: false,
                })
            }
            Predicate::Any(checks) => {
                let each: Option<Vec<_>> = checks.iter().map(|check| self.lists(check)).collect();
                let each = each?;
                Some(PostingLists {
                    is_exact: each.iter().all(|lists| lists.is_exact),
                    lists: each.into_iter().flat_map(|lists| lists.lists).collect(),
                })
            }
            Predicate::All(checks) => {
                let lists = checks.iter().filter_map(|check| self.lists(check));
                let shortest = lists.min_by_key(PostingLists::len)?;
                Some(PostingLists {
                    is_exact: false,
                    ..shortest
                })
            }
            _ => None,
        }
    }

    /// Returns the posts of each of the terms of a side.
    fn of_terms(&self, field: usize, side: &Side) -> Option<Vec<&'a [PostId]>> {
        let table = self.catalogue.terms(field);
        match side {
            Side::Literals(literals) => literals
                .iter()
                .map(|literal| match literal {
                    Literal::Term(_, Some(id)) => Some(table.term(*id).posts.as_slice()),
                    Literal::Term(_, None) => Some(&[][..]),
                    _ => None,
                })
                .collect(),
            Side::This(FieldRef::Term(other)) if *other == field => {
                let terms = self
                    .this
                    .map(|this| self.catalogue.terms_and_above(this, field));
                let posts = terms.into_iter().flatten();
                Some(posts.map(|id| table.term(id).posts.as_slice()).collect())
            }
            Side::Missing => Some(Vec::new()),
            Side::Field(_) | Side::This(_) => None,
        }
    }
}

fn literal(side: &Side) -> Option<&Literal> {
    match side {
        Side::Literals(literals) => match literals.as_slice() {
            [only] => Some(only),
            _ => None,
        },
        _ => None,
    }
}

/// Returns the part of a list within a range; the list is in rising order.
fn within<'p>(list: &'p [PostId], range: &Range<PostId>) -> &'p [PostId] {
    let start = list.partition_point(|post| *post < range.start);
    let end = list.partition_point(|post| *post < range.end);
    list.get(start..end).unwrap_or_default()
}

/// Returns the posts of the lists within a range, in rising order, each once.
fn united(lists: &[&[PostId]], range: &Range<PostId>) -> Vec<PostId> {
    if let [only] = lists {
        return within(only, range).to_vec();
    }
    let lists = lists.iter().map(|list| within(list, range));
    let mut posts: Vec<PostId> = lists.flatten().copied().collect();
    posts.sort_unstable();
    posts.dedup();
    posts
}

impl Resolved {
    /// Returns true if the order is that of the default: newest first.
    fn is_newest_first(&self) -> bool {
        match self.order.as_slice() {
            [] => true,
            [Order::Field(FieldRef::Derived(DerivedField::Date), descending)] => *descending,
            _ => false,
        }
    }
}
