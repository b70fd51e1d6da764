//! Running a resolved query over a catalogue.

use std::cmp::Ordering;

use super::access_path::{AccessPath, Plan};
use super::ast::{Comparison, Polarity, Search};
use super::eval::{Runner, Val};
use super::fields::DerivedField;
use super::normalize::cost;
use super::predicate::{FieldRef, Needle, Order, Predicate, Side};
use super::{Answer, Query, Resolved};
use crate::catalogue::PostId;
use crate::language::{CaseFolding, fold, fold_accents};
use crate::parallel;

/// The cost of a predicate, in units of comparing a number, from which a list of posts is tested on several threads: that
/// of reading a body.
const COST_OF_THREADS: u32 = 500;

impl Runner<'_> {
    /// Runs a query by a plan. If the plan is for the first posts only, the total is a lower bound.
    pub(super) fn execute(&self, query: &Query<Resolved>, plan: &Plan<'_>) -> Answer {
        let posts = match &plan.path {
            AccessPath::Similarity(search) => self.most_similar(search, &query.0),
            AccessPath::Newest(wanted) => {
                let posts = self.candidates(plan, &query.0);
                let fitting = posts.iter().copied().filter(|post| {
                    let mut tests = plan.tests(&query.0);
                    tests.all(|conjunct| self.holds(&conjunct.predicate, *post))
                });
                fitting.take(*wanted).collect()
            }
            _ => {
                let mut posts = self.candidates(plan, &query.0).into_owned();
                for conjunct in plan.tests(&query.0) {
                    self.retain(&mut posts, &conjunct.predicate);
                }
                posts
            }
        };
        self.cut(posts, &query.0)
    }

    /// Sorts the posts that meet all predicates, and cuts them by offset and limit.
    fn cut(&self, mut posts: Vec<PostId>, query: &Resolved) -> Answer {
        let total = posts.len();
        let wanted = query
            .limit
            .map_or(total, |limit| query.offset.saturating_add(limit))
            .min(total);
        self.sort(&mut posts, &query.order, wanted);
        posts.truncate(wanted);
        posts.drain(..query.offset.min(posts.len()));
        Answer { posts, total }
    }

    /// Removes the posts that do not meet a predicate; on all threads if testing a post takes long.
    pub(super) fn retain(&self, posts: &mut Vec<PostId>, predicate: &Predicate) {
        if cost(predicate) < COST_OF_THREADS {
            posts.retain(|post| self.holds(predicate, *post));
            return;
        }
        let met = parallel::parts(posts, |part| {
            let part = part.iter().copied();
            let met = part.filter(|post| self.holds(predicate, *post));
            met.collect::<Vec<_>>()
        });
        *posts = met.concat();
    }

    pub(super) fn holds(&self, check: &Predicate, post: PostId) -> bool {
        match check {
            Predicate::All(all) => all.iter().all(|check| self.holds(check, post)),
            Predicate::Any(any) => any.iter().any(|check| self.holds(check, post)),
            Predicate::Not(inner) => !self.holds(inner, post),
            Predicate::Compare(left, Comparison::Unequal, right) => {
                self.negatable(left, post, Polarity::Negated, |value| {
                    self.any_of(value, right, post, Comparison::Equal)
                }) && self.present(right, post)
            }
            Predicate::Compare(left, comparison, right) => {
                self.negatable(left, post, Polarity::Plain, |value| {
                    self.any_of(value, right, post, *comparison)
                })
            }
            Predicate::OneOf(left, polarity, sides) => {
                let equals =
                    |value: &Val<'_>, side| self.any_of(value, side, post, Comparison::Equal);
                self.negatable(left, post, *polarity, |value| {
                    sides.iter().any(|side| equals(value, side))
                })
            }
            Predicate::EachOf(left, sides) => {
                sides.iter().all(|side| self.has_all(left, side, post))
            }
            Predicate::Range(left, polarity, low, high) => {
                self.negatable(left, post, *polarity, |value| {
                    self.any_of(value, low, post, Comparison::GreaterOrEqual)
                        && self.any_of(value, high, post, Comparison::LessOrEqual)
                })
            }
            Predicate::Search(_, _, Needle::Missing) => false,
            Predicate::Search(left, polarity, needle) => {
                if let Some(found) = self.found_in_folded_body(left, needle, post) {
                    return found == (*polarity == Polarity::Plain);
                }
                self.negatable(left, post, *polarity, |value| self.found(value, needle))
            }
            Predicate::Missing(side, polarity) => {
                self.has_value(side, post) == (*polarity == Polarity::Negated)
            }
            Predicate::Flag(side) => {
                self.any(side, post, |value| matches!(value, Val::Flag(true))) == Some(true)
            }
        }
    }

    /// Returns true if each of a side's values is among those of `left`.
    fn has_all(&self, left: &Side, side: &Side, post: PostId) -> bool {
        match side {
            Side::Literals(literals) => literals.iter().all(|literal| {
                let equals = |value: &Val<'_>| self.meets(value, Comparison::Equal, literal);
                self.any(left, post, equals) == Some(true)
            }),
            Side::Missing => false,
            side => {
                let lacks = |wanted: &Val<'_>| {
                    let equals =
                        |value: &Val<'_>| self.order_of(value, wanted) == Some(Ordering::Equal);
                    self.any(left, post, equals) != Some(true)
                };
                self.any(side, post, lacks) != Some(true)
            }
        }
    }

    /// A test holds if any value meets it, a negated one if none does. A field with one value
    /// that is missing makes both false.
    fn negatable(
        &self,
        left: &Side,
        post: PostId,
        polarity: Polarity,
        meets: impl FnMut(&Val<'_>) -> bool,
    ) -> bool {
        match self.any(left, post, meets) {
            Some(any) => any == (polarity == Polarity::Plain),
            None => polarity == Polarity::Negated && left.is_many(),
        }
    }

    /// Returns true if a side with a single value has one.
    fn present(&self, side: &Side, post: PostId) -> bool {
        match side {
            Side::Missing => false,
            Side::Literals(_) => true,
            side => side.is_many() || self.has_value(side, post),
        }
    }

    fn has_value(&self, side: &Side, post: PostId) -> bool {
        self.any(side, post, |_| true).is_some()
    }

    /// Returns true if the kept body of a post contains a text; `None` for other fields and searches, and if bodies are not
    /// kept. The result is that of the search in the text as written.
    fn found_in_folded_body(&self, left: &Side, needle: &Needle, post: PostId) -> Option<bool> {
        let (Side::Field(FieldRef::Derived(DerivedField::Text)), Needle::Plain(search, wanted)) =
            (left, needle)
        else {
            return None;
        };
        if *search != Search::Contains || self.language.folding() != CaseFolding::General {
            return None;
        }
        let body = self.catalogue.folded_body(post)?;
        Some(memchr::memmem::find(body.as_bytes(), wanted.as_bytes()).is_some())
    }

    fn found(&self, value: &Val<'_>, needle: &Needle) -> bool {
        let Some(text) = self.text_of(value) else {
            return false;
        };
        match needle {
            Needle::Plain(search, wanted) => search.finds(&self.prepared(text), wanted),
            Needle::Pattern(pattern) => pattern.is_match(text),
            Needle::Of(search, field) => self.this.is_some_and(|this| {
                let finds = |needle: &Val<'_>| {
                    let needle = self.text_of(needle);
                    needle.is_some_and(|needle| {
                        let needle = self.prepared(needle);
                        search.finds(&self.prepared(text), &search.folded(&needle))
                    })
                };
                self.any_value(field, this, finds) == Some(true)
            }),
            Needle::Missing => false,
        }
    }

    /// Sorts so that the first `wanted` posts are the first of the whole order.
    pub(super) fn sort(&self, posts: &mut Vec<PostId>, order: &[Order], wanted: usize) {
        match order {
            [] => return,
            // That is the order in which posts are numbered.
            [Order::Field(FieldRef::Derived(DerivedField::Date), true)] => {
                if !posts.is_sorted() {
                    posts.sort_unstable();
                }
                return;
            }
            _ => {}
        }
        let keys: Vec<SortKey<'_>> = posts
            .iter()
            .flat_map(|post| order.iter().map(|key| self.sort_key(key, *post)))
            .collect();
        let mut rows: Vec<usize> = (0..posts.len()).collect();
        let compare = |a: &usize, b: &usize| {
            let of = |row: &usize| &keys[row * order.len()..(row + 1) * order.len()];
            let pairs = of(a).iter().zip(of(b)).zip(order);
            pairs
                .map(|((a, b), key)| self.compare_keys(a, b, key))
                .find(|order| *order != Ordering::Equal)
                .unwrap_or_else(|| posts[*a].cmp(&posts[*b]))
        };
        if wanted > 0 && wanted < rows.len() / 2 {
            rows.select_nth_unstable_by(wanted - 1, compare);
            rows.truncate(wanted);
        }
        rows.sort_unstable_by(compare);
        *posts = rows.into_iter().map(|row| posts[row]).collect();
    }

    /// Of several values the first in the key's direction.
    fn sort_key(&self, key: &Order, post: PostId) -> SortKey<'_> {
        match key {
            Order::Random(seed) => {
                let path = self.catalogue.post(post).path.as_bytes();
                SortKey::Shuffled(xxhash_rust::xxh3::xxh3_64_with_seed(path, *seed))
            }
            Order::Field(field, descending) => {
                let wins = if *descending {
                    Ordering::Greater
                } else {
                    Ordering::Less
                };
                self.foremost(field, post, wins)
                    .map_or(SortKey::Missing, SortKey::Value)
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
}

/// The sort key of a post.
#[derive(Debug)]
enum SortKey<'a> {
    Value(Val<'a>),
    Shuffled(u64),
    Missing,
}

impl Query<Resolved> {
    /// Returns the number of posts that offset and limit leave of a number of posts.
    pub(super) fn window(&self, total: usize) -> usize {
        let rest = total.saturating_sub(self.0.offset);
        self.0.limit.map_or(rest, |limit| limit.min(rest))
    }
}

impl Search {
    /// The text to be looked for, as [`Self::finds`] wants it.
    pub(super) fn folded(self, text: &str) -> std::borrow::Cow<'_, str> {
        match self {
            Search::Contains => fold_accents(text),
            Search::StartsWith | Search::EndsWith | Search::Matches => fold(text),
        }
    }

    fn finds(self, text: &str, wanted: &str) -> bool {
        if text.is_ascii() && wanted.is_ascii() {
            return self.finds_ascii(text.as_bytes(), wanted.as_bytes());
        }
        self.finds_any(text, wanted)
    }

    pub(super) fn finds_any(self, text: &str, wanted: &str) -> bool {
        let text = self.folded(text);
        match self {
            Search::Contains => text.contains(wanted),
            Search::StartsWith => text.starts_with(wanted),
            Search::EndsWith => text.ends_with(wanted),
            Search::Matches => false,
        }
    }

    /// As [`Self::finds_any`], where both are ASCII: nothing is folded beforehand.
    pub(super) fn finds_ascii(self, text: &[u8], wanted: &[u8]) -> bool {
        let Some(last) = text.len().checked_sub(wanted.len()) else {
            return false;
        };
        let stands_at = |at: usize| text[at..at + wanted.len()].eq_ignore_ascii_case(wanted);
        match (self, wanted.first()) {
            (Search::Matches, _) => false,
            (_, None) => true,
            (Search::StartsWith, _) => stands_at(0),
            (Search::EndsWith, _) => stands_at(last),
            (Search::Contains, Some(first)) => {
                let starts = &text[..=last];
                memchr::memchr2_iter(*first, first.to_ascii_uppercase(), starts).any(stands_at)
            }
        }
    }
}
