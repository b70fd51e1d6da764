//! Which posts the indexes give before any test is made.

use std::cmp::Ordering;
use std::ops::Range;

use super::alike::least;
use super::ast::{Comparison, Polarity};
use super::eval::Runner;
use super::fields::DerivedField;
use super::predicate::{FieldRef, Literal, Order, Predicate, Side, Source};
use super::{Query, Resolved};
use crate::catalogue::PostId;
use crate::time::Stamp;

/// The posts that can be meant, and which of the tests the indexes have answered already.
pub(super) struct Candidates {
    pub(super) posts: Vec<PostId>,
    pub(super) answered: Vec<bool>,
}

/// Posting lists whose union holds each post that a test lets through.
struct Lists<'a> {
    lists: Vec<&'a [PostId]>,
    /// Whether the union holds no other posts.
    exact: bool,
}

impl Lists<'_> {
    fn len(&self) -> usize {
        self.lists.iter().map(|list| list.len()).sum()
    }
}

impl<'a> Runner<'a> {
    /// Posts of content sets come from the shortest lists of terms among the tests, cut to the
    /// dates that the tests ask for; those of a named query from that query, in its order.
    pub(super) fn candidates(&self, query: &Query<Resolved>) -> Candidates {
        let query = &query.0;
        let mut answered = vec![false; query.checks.len()];
        let sets: Option<Vec<usize>> = query.sources.iter().map(Source::set).collect();
        let Some(sets) = sets else {
            return Candidates {
                posts: self.of_sources(&query.sources),
                answered,
            };
        };
        let mut stretch = PostId(0)..PostId(u32::MAX);
        for (check, done) in query.checks.iter().zip(&mut answered) {
            if let Some(range) = self.dates(check) {
                stretch.start = stretch.start.max(range.start);
                stretch.end = stretch.end.min(range.end);
                *done = true;
            }
        }
        let lists = query.checks.iter().enumerate();
        let shortest = lists
            .filter_map(|(at, check)| Some((at, self.lists(check)?)))
            .min_by_key(|(_, lists)| lists.len());
        let every = sets.len() == self.catalogue.sets().len();
        let posts = match shortest {
            Some((at, lists)) => {
                answered[at] = lists.exact;
                let mut posts = united(&lists.lists, &stretch);
                if !every {
                    posts.retain(|post| sets.contains(&self.catalogue.post(*post).set));
                }
                posts
            }
            None if let Some((index, this)) = self.index.zip(self.this)
                && query.checks.iter().any(|check| least(check).is_some())
                && let Some(sharing) = index.sharing(this) =>
            {
                united(&[&sharing], &stretch)
            }
            None if every => united(&[self.catalogue.listed()], &stretch),
            None => {
                let lists: Vec<_> = sets.iter().map(|set| self.catalogue.of_set(*set)).collect();
                united(&lists, &stretch)
            }
        };
        Candidates { posts, answered }
    }

    /// The posts of a query for the newest, found without looking beyond the last of them;
    /// `None` where it asks for something else, or an index gives them.
    pub(super) fn newest(&self, query: &Query<Resolved>) -> Option<Vec<PostId>> {
        let query = &query.0;
        let by_date = match query.order.as_slice() {
            [] => true,
            [Order::Field(FieldRef::Derived(DerivedField::Date), descending)] => *descending,
            _ => false,
        };
        let sets: Vec<usize> = query
            .sources
            .iter()
            .map(Source::set)
            .collect::<Option<_>>()?;
        let posts = match sets.as_slice() {
            [only] => self.catalogue.of_set(*only),
            sets if sets.len() == self.catalogue.sets().len() => self.catalogue.listed(),
            _ => return None,
        };
        let indexed = |check| self.lists(check).is_some() || self.dates(check).is_some();
        if !by_date || query.checks.iter().any(indexed) {
            return None;
        }
        let fitting = posts.iter().copied().filter(|post| {
            let mut checks = query.checks.iter();
            checks.all(|check| self.holds(check, *post))
        });
        Some(fitting.skip(query.offset).take(query.limit?).collect())
    }

    /// The posts of sources of which one at least is a named query: of a single one in its own
    /// order, of several each post once.
    fn of_sources(&self, sources: &[Source]) -> Vec<PostId> {
        if let [Source::Named(named)] = sources {
            return named.run(self.catalogue, self.this).posts;
        }
        let mut posts = Vec::new();
        for source in sources {
            match source {
                Source::Set(set) => posts.extend_from_slice(self.catalogue.of_set(*set)),
                Source::Named(named) => posts.extend(named.run(self.catalogue, self.this).posts),
            }
        }
        posts.sort_unstable();
        posts.dedup();
        posts
    }

    /// The posts, by number, that a test of the date or the year lets through: they stand in
    /// one row, since posts are numbered by date.
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
            (FieldRef::Derived(DerivedField::Date), Literal::Date(stretch)) => {
                let order = |date: &Stamp| stretch.order_of(date.at);
                Some(self.catalogue.dated(order, wanted))
            }
            (FieldRef::Derived(DerivedField::Year), Literal::Number(year))
                if self.catalogue.days_in_order() && !year.is_nan() =>
            {
                let order = |date: &Stamp| f64::from(date.day.year()).total_cmp(year);
                Some(self.catalogue.dated(order, wanted))
            }
            _ => None,
        }
    }

    /// The posting lists of a test that asks for terms.
    fn lists(&self, check: &Predicate) -> Option<Lists<'a>> {
        let terms = |field: usize, sides: &[Side]| {
            let lists: Option<Vec<_>> = sides
                .iter()
                .map(|side| self.of_terms(field, side))
                .collect();
            Some(Lists {
                lists: lists?.concat(),
                exact: true,
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
                Some(Lists {
                    lists: vec![shortest],
                    exact: false,
                })
            }
            Predicate::Any(checks) => {
                let each: Option<Vec<_>> = checks.iter().map(|check| self.lists(check)).collect();
                let each = each?;
                Some(Lists {
                    exact: each.iter().all(|lists| lists.exact),
                    lists: each.into_iter().flat_map(|lists| lists.lists).collect(),
                })
            }
            Predicate::All(checks) => {
                let lists = checks.iter().filter_map(|check| self.lists(check));
                let shortest = lists.min_by_key(Lists::len)?;
                Some(Lists {
                    exact: false,
                    ..shortest
                })
            }
            _ => None,
        }
    }

    /// The posts of each of the terms that a side stands for.
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

/// The posts of the lists within a stretch, in order, each once.
fn united(lists: &[&[PostId]], stretch: &Range<PostId>) -> Vec<PostId> {
    let cut = |list: &&'_ [PostId]| {
        let start = list.partition_point(|post| *post < stretch.start);
        let end = list.partition_point(|post| *post < stretch.end);
        list.get(start..end).unwrap_or_default().to_vec()
    };
    if let [only] = lists {
        return cut(only);
    }
    let mut posts: Vec<PostId> = lists.iter().flat_map(cut).collect();
    posts.sort_unstable();
    posts.dedup();
    posts
}
