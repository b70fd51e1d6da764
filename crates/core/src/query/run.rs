//! Running a resolved query over a catalogue.

use std::borrow::Cow;
use std::cmp::Ordering;

use super::ast::{Comparison, Polarity, Search};
use super::check::{Check, FieldRef, Literal, Needle, Order, Side, Source};
use super::fields::DerivedField;
use super::{Answer, Query, Resolved};
use crate::catalogue::{Catalogue, PostId};
use crate::language::{fold, fold_accents};
use crate::post::State;
use crate::term::TermId;
use crate::time::Stamp;
use crate::value::Value;

/// One value of a post.
#[derive(Debug, Clone)]
enum Val<'a> {
    Text(Cow<'a, str>),
    Number(f64),
    Flag(bool),
    Date(Stamp),
    Term(usize, TermId),
}

/// What a query runs over, and from which post's page.
#[derive(Clone, Copy)]
pub(super) struct Runner<'a> {
    pub(super) catalogue: &'a Catalogue,
    pub(super) this: Option<PostId>,
}

impl<'a> Runner<'a> {
    pub(super) fn run(&self, query: &Query<Resolved>) -> Answer {
        let query = &query.0;
        let (mut posts, answered) = self.candidates(query);
        if let Some(check) = &query.check {
            match (check, answered) {
                (_, None) => posts.retain(|post| self.holds(check, *post)),
                (Check::All(checks), Some(done)) => {
                    let rest = || checks.iter().enumerate().filter(|(at, _)| *at != done);
                    posts.retain(|post| rest().all(|(_, check)| self.holds(check, *post)));
                }
                (_, Some(_)) => {}
            }
        }
        let total = posts.len();
        let wanted = query
            .limit
            .map_or(total, |limit| query.offset.saturating_add(limit))
            .min(total);
        if !query.order.is_empty() {
            self.sort(&mut posts, &query.order, wanted);
        }
        posts.truncate(wanted);
        posts.drain(..query.offset.min(posts.len()));
        Answer { posts, total }
    }

    /// The posts of the sources in the order in which they stand there, each once: of content
    /// sets the default order, of a single named query its own. Beside them the number of the
    /// test, of those that must all hold, that an index has answered already.
    fn candidates(&self, query: &Resolved) -> (Vec<PostId>, Option<usize>) {
        if let [Source::Named(named)] = query.sources.as_slice() {
            return (self.run(named).posts, None);
        }
        if let Some(found) = self.indexed(query) {
            return found;
        }
        let mut posts = Vec::new();
        for source in &query.sources {
            match source {
                Source::Set(set) => posts.extend_from_slice(self.catalogue.of_set(*set)),
                Source::Named(named) => posts.extend(self.run(named).posts),
            }
        }
        if query.sources.len() > 1 {
            posts.sort_unstable();
            posts.dedup();
        }
        (posts, None)
    }

    /// Where a test that must hold asks for one term, only that term's posts can be meant: of
    /// several such tests the shortest list.
    fn indexed(&self, query: &Resolved) -> Option<(Vec<PostId>, Option<usize>)> {
        let sets: Vec<usize> = query
            .sources
            .iter()
            .map(|source| match source {
                Source::Set(set) => Some(*set),
                Source::Named(_) => None,
            })
            .collect::<Option<_>>()?;
        let checks: &[Check] = match query.check.as_ref()? {
            Check::All(checks) => checks,
            single => std::slice::from_ref(single),
        };
        let lists = checks
            .iter()
            .enumerate()
            .filter_map(|(at, check)| Some((at, self.posting_list(check)?)));
        let (at, shortest) = lists.min_by_key(|(_, list)| list.len())?;
        let every = sets.len() == self.catalogue.sets().len();
        let posts = shortest
            .iter()
            .copied()
            .filter(|post| every || sets.contains(&self.catalogue.post(*post).set))
            .collect();
        let whole = !matches!(checks[at], Check::EachOf(..));
        Some((posts, whole.then_some(at)))
    }

    fn posting_list(&self, check: &Check) -> Option<&'a [PostId]> {
        let literals = match check {
            Check::Compare(
                Side::Field(FieldRef::Term(_)),
                Comparison::Equal,
                Side::Literals(literals),
            ) => literals,
            Check::OneOf(Side::Field(FieldRef::Term(_)), Polarity::Plain, sides) => {
                match sides.as_slice() {
                    [Side::Literals(literals)] => literals,
                    _ => return None,
                }
            }
            Check::EachOf(Side::Field(FieldRef::Term(_)), sides) => {
                let lists = sides.iter().filter_map(|side| match side {
                    Side::Literals(literals) => self.term_posts(literals),
                    _ => None,
                });
                return lists.min_by_key(|list| list.len());
            }
            _ => return None,
        };
        self.term_posts(literals)
    }

    fn term_posts(&self, literals: &[Literal]) -> Option<&'a [PostId]> {
        match literals {
            [Literal::Term(field, Some(id))] => Some(&self.catalogue.terms(*field).term(*id).posts),
            [Literal::Term(_, None)] => Some(&[]),
            _ => None,
        }
    }

    fn holds(&self, check: &Check, post: PostId) -> bool {
        match check {
            Check::All(all) => all.iter().all(|check| self.holds(check, post)),
            Check::Any(any) => any.iter().any(|check| self.holds(check, post)),
            Check::Not(inner) => !self.holds(inner, post),
            Check::Compare(left, Comparison::Unequal, right) => {
                self.negatable(left, post, Polarity::Negated, |value| {
                    self.any_of(value, right, post, Comparison::Equal)
                }) && self.present(right, post)
            }
            Check::Compare(left, comparison, right) => {
                self.negatable(left, post, Polarity::Plain, |value| {
                    self.any_of(value, right, post, *comparison)
                })
            }
            Check::OneOf(left, polarity, sides) => {
                let found = |value: &Val<'_>| {
                    sides
                        .iter()
                        .any(|side| self.any_of(value, side, post, Comparison::Equal))
                };
                self.negatable(left, post, *polarity, found)
            }
            Check::EachOf(left, sides) => {
                let values = self.side(left, post);
                sides.iter().all(|side| match side {
                    Side::Literals(literals) => literals.iter().all(|literal| {
                        values
                            .iter()
                            .any(|value| self.meets(value, Comparison::Equal, literal))
                    }),
                    Side::Missing => false,
                    Side::Field(_) | Side::This(_) => self.side(side, post).iter().all(|wanted| {
                        values
                            .iter()
                            .any(|value| self.order_of(value, wanted) == Some(Ordering::Equal))
                    }),
                })
            }
            Check::Range(left, polarity, low, high) => {
                self.negatable(left, post, *polarity, |value| {
                    self.any_of(value, low, post, Comparison::GreaterOrEqual)
                        && self.any_of(value, high, post, Comparison::LessOrEqual)
                })
            }
            Check::Search(left, polarity, needle) => {
                let needles = match needle {
                    Needle::Of(_, field) => self
                        .this
                        .map_or_else(Vec::new, |this| self.values(field, this)),
                    _ => Vec::new(),
                };
                self.negatable(left, post, *polarity, |value| {
                    self.found(value, needle, &needles)
                }) && !matches!(needle, Needle::Missing)
            }
            Check::Missing(side, polarity) => {
                self.side(side, post).is_empty() == (*polarity == Polarity::Plain)
            }
            Check::Flag(side) => self
                .side(side, post)
                .iter()
                .any(|value| matches!(value, Val::Flag(true))),
        }
    }

    /// A test holds if any value meets it, a negated one if none does. A field with one value
    /// that is missing makes both false.
    fn negatable(
        &self,
        left: &Side,
        post: PostId,
        polarity: Polarity,
        meets: impl Fn(&Val<'_>) -> bool,
    ) -> bool {
        let values = self.side(left, post);
        if values.is_empty() && !is_many(left) {
            return false;
        }
        let any = values.iter().any(meets);
        any == (polarity == Polarity::Plain)
    }

    /// Whether a side with one value has it.
    fn present(&self, side: &Side, post: PostId) -> bool {
        match side {
            Side::Missing => false,
            Side::Literals(_) => true,
            side => is_many(side) || !self.side(side, post).is_empty(),
        }
    }

    fn side<'v>(&'v self, side: &'v Side, post: PostId) -> Vec<Val<'v>> {
        match side {
            Side::Field(field) => self.values(field, post),
            Side::This(field) => self
                .this
                .map_or_else(Vec::new, |this| self.values(field, this)),
            Side::Literals(literals) => literals.iter().filter_map(literal_value).collect(),
            Side::Missing => Vec::new(),
        }
    }

    fn values(&self, field: &FieldRef, post: PostId) -> Vec<Val<'_>> {
        match field {
            FieldRef::Derived(field) => self.derived(*field, post).into_iter().collect(),
            FieldRef::Term(field) => self.terms(*field, post),
            FieldRef::Own { name, .. } => {
                let mut values = Vec::new();
                if let Some(value) = self.catalogue.post(post).front.at(name) {
                    own_values(&value.node, &mut values);
                }
                values
            }
        }
    }

    /// The post's terms, and those above them where terms are nested.
    fn terms(&self, field: usize, post: PostId) -> Vec<Val<'_>> {
        let table = self.catalogue.terms(field);
        let mut terms = Vec::new();
        for own in self.catalogue.terms_of(post, field) {
            let mut next = Some(*own);
            while let Some(id) = next {
                terms.push(Val::Term(field, id));
                next = table.term(id).parent;
            }
        }
        terms
    }

    fn derived(&self, field: DerivedField, id: PostId) -> Option<Val<'_>> {
        let post = self.catalogue.post(id);
        let text = |text: &'a str| Some(Val::Text(Cow::Borrowed(text)));
        #[expect(clippy::cast_precision_loss, reason = "counts of words are small")]
        let number = |number: usize| Some(Val::Number(number as f64));
        match field {
            DerivedField::Title => text(&self.catalogue.post(id).title),
            DerivedField::Link => text(&self.catalogue.link(id).encoded),
            DerivedField::Slug => text(&self.catalogue.post(id).slug),
            DerivedField::Path => text(&self.catalogue.post(id).path),
            DerivedField::Folder => {
                text(&self.catalogue.post(id).folder).filter(|_| !post.folder.is_empty())
            }
            DerivedField::Content => text(&self.catalogue.sets()[post.set]),
            DerivedField::Date => post.date.map(Val::Date),
            DerivedField::Updated => post.updated.map(Val::Date),
            DerivedField::Year => post
                .date
                .map(|date| Val::Number(f64::from(date.day.year()))),
            DerivedField::Month => post
                .date
                .map(|date| Val::Number(f64::from(date.day.month()))),
            DerivedField::Day => post.date.map(|date| Val::Number(f64::from(date.day.day()))),
            DerivedField::Summary => self.catalogue.post(id).summary.as_deref().and_then(text),
            DerivedField::Image => self.catalogue.post(id).image.as_deref().and_then(text),
            DerivedField::Words => number(post.words()),
            DerivedField::Minutes => number(post.minutes()),
            DerivedField::Text => Some(Val::Text(Cow::Owned(crate::html::text(&post.html)))),
            DerivedField::Draft => Some(Val::Flag(post.draft)),
            DerivedField::Scheduled => Some(Val::Flag(post.state == State::Scheduled)),
            DerivedField::Expired => Some(Val::Flag(post.state == State::Expired)),
            DerivedField::Unlisted => Some(Val::Flag(post.unlisted)),
            DerivedField::Current => Some(Val::Flag(self.this == Some(id))),
            DerivedField::Likeness => None,
        }
    }

    /// Whether a value stands in this comparison to any value of a side.
    fn any_of(&self, value: &Val<'_>, side: &Side, post: PostId, comparison: Comparison) -> bool {
        match side {
            Side::Literals(literals) => literals
                .iter()
                .any(|literal| self.meets(value, comparison, literal)),
            Side::Missing => false,
            side => self.side(side, post).iter().any(|other| {
                self.order_of(value, other)
                    .is_some_and(|order| comparison.admits(order))
            }),
        }
    }

    fn meets(&self, value: &Val<'_>, comparison: Comparison, literal: &Literal) -> bool {
        match (value, literal) {
            (Val::Term(field, id), Literal::Term(wanted, found)) if field == wanted => {
                match comparison {
                    Comparison::Equal => Some(*id) == *found,
                    Comparison::Unequal => Some(*id) != *found,
                    _ => found.is_some_and(|found| {
                        let table = self.catalogue.terms(*field);
                        let order = self
                            .catalogue
                            .language
                            .compare(&table.term(*id).name, &table.term(found).name);
                        comparison.admits(order)
                    }),
                }
            }
            (Val::Date(stamp), Literal::Date(stretch)) => {
                let order = if stamp.at < stretch.start {
                    Ordering::Less
                } else if stamp.at >= stretch.end && stamp.at != stretch.start {
                    Ordering::Greater
                } else {
                    Ordering::Equal
                };
                comparison.admits(order)
            }
            (Val::Number(a), Literal::Number(b)) => a
                .partial_cmp(b)
                .is_some_and(|order| comparison.admits(order)),
            (Val::Flag(a), Literal::Flag(b)) => comparison.admits(a.cmp(b)),
            (Val::Text(a), Literal::Text { written, folded }) => match comparison {
                Comparison::Equal => fold(a) == *folded,
                Comparison::Unequal => fold(a) != *folded,
                _ => comparison.admits(self.catalogue.language.compare(a, written)),
            },
            _ => false,
        }
    }

    /// The order of two values of one kind.
    fn order_of(&self, a: &Val<'_>, b: &Val<'_>) -> Option<Ordering> {
        match (a, b) {
            (Val::Number(a), Val::Number(b)) => a.partial_cmp(b),
            (Val::Flag(a), Val::Flag(b)) => Some(a.cmp(b)),
            (Val::Date(a), Val::Date(b)) => Some(a.at.cmp(&b.at)),
            (Val::Term(f, a), Val::Term(g, b)) if f == g && a == b => Some(Ordering::Equal),
            (Val::Term(..) | Val::Text(_), Val::Term(..) | Val::Text(_)) => {
                let (a_text, b_text) = (self.text_of(a)?, self.text_of(b)?);
                if matches!((a, b), (Val::Text(_), Val::Text(_))) {
                    return Some(self.catalogue.language.compare(&a_text, &b_text));
                }
                if crate::term::identity(&a_text) == crate::term::identity(&b_text) {
                    return Some(Ordering::Equal);
                }
                Some(self.catalogue.language.compare(&a_text, &b_text))
                    .filter(|order| *order != Ordering::Equal)
            }
            _ => None,
        }
    }

    fn text_of<'v>(&'v self, value: &'v Val<'_>) -> Option<Cow<'v, str>> {
        match value {
            Val::Text(text) => Some(Cow::Borrowed(text)),
            Val::Term(field, id) => {
                Some(Cow::Borrowed(&self.catalogue.terms(*field).term(*id).name))
            }
            _ => None,
        }
    }

    fn found(&self, value: &Val<'_>, needle: &Needle, needles: &[Val<'_>]) -> bool {
        let Some(text) = self.text_of(value) else {
            return false;
        };
        let plain = |search: Search, wanted: &str| match search {
            Search::Contains => fold_accents(&text).contains(wanted),
            Search::StartsWith => fold(&text).starts_with(wanted),
            Search::EndsWith => fold(&text).ends_with(wanted),
            Search::Matches => false,
        };
        match needle {
            Needle::Plain(search, wanted) => plain(*search, wanted),
            Needle::Pattern(pattern) => pattern.is_match(&text),
            Needle::Of(search, _) => needles
                .iter()
                .filter_map(|needle| self.text_of(needle))
                .any(|needle| {
                    let wanted = if *search == Search::Contains {
                        fold_accents(&needle)
                    } else {
                        fold(&needle)
                    };
                    plain(*search, &wanted)
                }),
            Needle::Missing => false,
        }
    }

    /// Sorts so that the first `wanted` posts are the first of the whole order.
    fn sort(&self, posts: &mut Vec<PostId>, order: &[Order], wanted: usize) {
        let mut keyed: Vec<(Vec<SortKey<'_>>, PostId)> = posts
            .iter()
            .map(|post| {
                (
                    order.iter().map(|key| self.sort_key(key, *post)).collect(),
                    *post,
                )
            })
            .collect();
        let compare = |a: &(Vec<SortKey<'_>>, PostId), b: &(Vec<SortKey<'_>>, PostId)| {
            let keys = a.0.iter().zip(&b.0).zip(order);
            keys.map(|((a, b), key)| self.compare_keys(a, b, key))
                .find(|order| *order != Ordering::Equal)
                .unwrap_or_else(|| a.1.cmp(&b.1))
        };
        if wanted > 0 && wanted < keyed.len() / 2 {
            keyed.select_nth_unstable_by(wanted - 1, compare);
            keyed.truncate(wanted);
        }
        keyed.sort_unstable_by(compare);
        *posts = keyed.into_iter().map(|(_, post)| post).collect();
    }

    /// Of several values the first in the key's direction.
    fn sort_key(&self, key: &Order, post: PostId) -> SortKey<'_> {
        match key {
            Order::Random(seed) => {
                let path = self.catalogue.post(post).path.as_bytes();
                SortKey::Shuffled(xxhash_rust::xxh3::xxh3_64_with_seed(path, *seed))
            }
            Order::Field(field, descending) => {
                let values = self.values(field, post);
                let first = values.into_iter().reduce(|best, value| {
                    let order = self.compare_values(&value, &best);
                    let wins = if *descending {
                        order == Ordering::Greater
                    } else {
                        order == Ordering::Less
                    };
                    if wins { value } else { best }
                });
                first.map_or(SortKey::Missing, SortKey::Value)
            }
        }
    }

    fn compare_keys(&self, a: &SortKey<'_>, b: &SortKey<'_>, key: &Order) -> Ordering {
        match (a, b) {
            (SortKey::Shuffled(a), SortKey::Shuffled(b)) => a.cmp(b),
            (SortKey::Missing, SortKey::Missing) => Ordering::Equal,
            (SortKey::Missing, _) => Ordering::Greater,
            (_, SortKey::Missing) => Ordering::Less,
            (SortKey::Value(a), SortKey::Value(b)) => {
                let order = self.compare_values(a, b);
                if matches!(key, Order::Field(_, true)) {
                    order.reverse()
                } else {
                    order
                }
            }
            _ => Ordering::Equal,
        }
    }

    /// Numbers before dates before text; true and false before all.
    fn compare_values(&self, a: &Val<'_>, b: &Val<'_>) -> Ordering {
        let rank = |value: &Val<'_>| match value {
            Val::Flag(_) => 0,
            Val::Number(_) => 1,
            Val::Date(_) => 2,
            Val::Text(_) | Val::Term(..) => 3,
        };
        rank(a).cmp(&rank(b)).then_with(|| match (a, b) {
            (Val::Number(a), Val::Number(b)) => a.total_cmp(b),
            _ => match (self.text_of(a), self.text_of(b)) {
                (Some(a), Some(b)) => self.catalogue.language.compare(&a, &b),
                _ => self.order_of(a, b).unwrap_or(Ordering::Equal),
            },
        })
    }
}

/// What a post is sorted by.
#[derive(Debug)]
enum SortKey<'a> {
    Value(Val<'a>),
    Shuffled(u64),
    Missing,
}

impl Comparison {
    fn admits(self, order: Ordering) -> bool {
        match self {
            Comparison::Equal => order == Ordering::Equal,
            Comparison::Unequal => order != Ordering::Equal,
            Comparison::Less => order == Ordering::Less,
            Comparison::LessOrEqual => order != Ordering::Greater,
            Comparison::Greater => order == Ordering::Greater,
            Comparison::GreaterOrEqual => order != Ordering::Less,
        }
    }
}

fn is_many(side: &Side) -> bool {
    match side {
        Side::Field(field) | Side::This(field) => field.is_many(),
        Side::Literals(_) | Side::Missing => false,
    }
}

fn literal_value(literal: &Literal) -> Option<Val<'_>> {
    match literal {
        Literal::Text { written, .. } => Some(Val::Text(Cow::Borrowed(written))),
        Literal::Number(number) => Some(Val::Number(*number)),
        Literal::Flag(flag) => Some(Val::Flag(*flag)),
        Literal::Date(stretch) => Some(Val::Date(Stamp::new(
            stretch.start,
            &jiff::tz::TimeZone::UTC,
            true,
        ))),
        Literal::Term(field, id) => id.map(|id| Val::Term(*field, id)),
    }
}

fn own_values<'a>(value: &'a Value, values: &mut Vec<Val<'a>>) {
    match value {
        Value::Text(text) if !text.trim().is_empty() => values.push(Val::Text(Cow::Borrowed(text))),
        Value::Number(number, _) => values.push(Val::Number(*number)),
        Value::Flag(flag, _) => values.push(Val::Flag(*flag)),
        Value::Date(stamp, _) => values.push(Val::Date(*stamp)),
        Value::List(items) => items.iter().for_each(|item| own_values(&item.node, values)),
        Value::Text(_) | Value::Map(_) | Value::Null => {}
    }
}
