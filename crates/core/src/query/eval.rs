//! The values of a post, and how they compare.

use std::borrow::Cow;
use std::cmp::Ordering;

use jiff::Timestamp;

use super::ast::Comparison;
use super::fields::DerivedField;
use super::predicate::{FieldRef, Literal, Side};
use crate::catalogue::{Catalogue, Cell, PostId, PostText};
use crate::language::{Language, fold};
use crate::similarity::Index;
use crate::term::TermId;

/// One value of a post.
#[derive(Debug, Clone)]
pub(super) enum Val<'a> {
    Text(Cow<'a, str>),
    Number(f64),
    Flag(bool),
    Date(Timestamp),
    Term(usize, TermId),
}

impl<'a> From<Cell<'a>> for Val<'a> {
    fn from(cell: Cell<'a>) -> Self {
        match cell {
            Cell::Text(text) => Val::Text(Cow::Borrowed(text)),
            Cell::Number(number) => Val::Number(number),
            Cell::Flag(flag) => Val::Flag(flag),
            Cell::Date(at) => Val::Date(at),
        }
    }
}

/// The catalogue that a query runs over, and the post of the page.
#[derive(Clone, Copy)]
pub(super) struct Runner<'a> {
    pub(super) catalogue: &'a Catalogue,
    /// The language whose collation orders texts.
    pub(super) language: &'a Language,
    pub(super) this: Option<PostId>,
    /// The similarity index, if the query uses likeness.
    pub(super) index: Option<&'a Index>,
}

impl<'a> Runner<'a> {
    /// Returns true if one of a side's values meets a test; `None` if it has no value.
    pub(super) fn any(
        &self,
        side: &Side,
        post: PostId,
        mut meets: impl FnMut(&Val<'_>) -> bool,
    ) -> Option<bool> {
        match side {
            Side::Field(field) => self.any_value(field, post, meets),
            Side::This(field) => self.any_value(field, self.this?, meets),
            Side::Literals(literals) => {
                let mut values = literals.iter().filter_map(literal_value).peekable();
                values.peek()?;
                Some(values.any(|value| meets(&value)))
            }
            Side::Missing => None,
        }
    }

    pub(super) fn any_value(
        &self,
        field: &FieldRef,
        post: PostId,
        mut meets: impl FnMut(&Val<'_>) -> bool,
    ) -> Option<bool> {
        match field {
            FieldRef::Derived(field) => self.derived(*field, post).map(|value| meets(&value)),
            FieldRef::Term(field) => {
                let mut terms = self.catalogue.terms_and_above(post, *field).peekable();
                terms.peek()?;
                Some(terms.any(|id| meets(&Val::Term(*field, id))))
            }
            FieldRef::Own { column, .. } => {
                let mut cells = self.catalogue.cells(*column, post).peekable();
                cells.peek()?;
                Some(cells.any(|cell| meets(&cell.into())))
            }
        }
    }

    /// Returns the first or last value of the field in its order.
    pub(super) fn foremost(
        &self,
        field: &FieldRef,
        post: PostId,
        wins: Ordering,
    ) -> Option<Val<'a>> {
        let foremost = |best: Val<'a>, value: Val<'a>| {
            if self.compare_values(&value, &best) == wins {
                value
            } else {
                best
            }
        };
        match field {
            FieldRef::Derived(field) => self.derived(*field, post),
            FieldRef::Term(field) => {
                let terms = self
                    .catalogue
                    .terms_and_above(post, *field)
                    .map(|id| Val::Term(*field, id));
                terms.reduce(foremost)
            }
            FieldRef::Own { column, .. } => {
                let cells = self.catalogue.cells(*column, post).map(Val::from);
                cells.reduce(foremost)
            }
        }
    }

    fn derived(&self, field: DerivedField, id: PostId) -> Option<Val<'a>> {
        let post = self.catalogue.post(id);
        let text = |text: &'a str| Some(Val::Text(Cow::Borrowed(text)));
        let laid = |which| self.catalogue.text(which, id).and_then(text);
        #[expect(clippy::cast_precision_loss, reason = "counts of words are small")]
        let number = |number: usize| Some(Val::Number(number as f64));
        let of_day = |part: fn(&jiff::civil::Date) -> i16| {
            let date = post.date?;
            Some(Val::Number(f64::from(part(&date.day))))
        };
        match field {
            DerivedField::Title => laid(PostText::Title),
            DerivedField::Link => text(&self.catalogue.link(id).encoded),
            DerivedField::Slug => laid(PostText::Slug),
            DerivedField::Path => text(&post.path),
            DerivedField::Folder => text(&post.folder).filter(|_| !post.folder.is_empty()),
            DerivedField::Set => text(&self.catalogue.sets()[post.set]),
            DerivedField::Language => text(self.catalogue.language(post.locale).tag()),
            DerivedField::Date => post.date.map(|date| Val::Date(date.at)),
            DerivedField::Updated => post.updated.map(|date| Val::Date(date.at)),
            DerivedField::Year => of_day(|day| day.year()),
            DerivedField::Month => of_day(|day| day.month().into()),
            DerivedField::Day => of_day(|day| day.day().into()),
            DerivedField::Summary => laid(PostText::Summary),
            DerivedField::Image => laid(PostText::Image),
            DerivedField::Words => number(post.words()),
            DerivedField::Minutes => number(post.minutes()),
            DerivedField::Text => Some(Val::Text(self.catalogue.body(id))),
            DerivedField::Draft => Some(Val::Flag(post.exclusion.draft)),
            DerivedField::Scheduled => Some(Val::Flag(post.exclusion.scheduled)),
            DerivedField::Expired => Some(Val::Flag(post.exclusion.expired)),
            DerivedField::Unlisted => Some(Val::Flag(post.exclusion.unlisted)),
            DerivedField::Current => Some(Val::Flag(self.this == Some(id))),
            DerivedField::Likeness => {
                let likeness = self.index?.likeness(self.this?, id);
                Some(Val::Number(likeness.ratio()))
            }
        }
    }

    /// Returns true if a comparison holds between a value and any value of a side.
    pub(super) fn any_of(
        &self,
        value: &Val<'_>,
        side: &Side,
        post: PostId,
        comparison: Comparison,
    ) -> bool {
        match side {
            Side::Literals(literals) => literals
                .iter()
                .any(|literal| self.meets(value, comparison, literal)),
            side => {
                let meets = |other: &Val<'_>| {
                    self.order_of(value, other)
                        .is_some_and(|order| comparison.admits(order))
                };
                self.any(side, post, meets) == Some(true)
            }
        }
    }

    pub(super) fn meets(&self, value: &Val<'_>, comparison: Comparison, literal: &Literal) -> bool {
        match (value, literal) {
            (Val::Term(field, id), Literal::Term(wanted, found)) if field == wanted => {
                match comparison {
                    Comparison::Equal => Some(*id) == *found,
                    Comparison::Unequal => Some(*id) != *found,
                    _ => found.is_some_and(|found| {
                        let table = self.catalogue.terms(*field);
                        let order = self
                            .language
                            .compare(&table.term(*id).name, &table.term(found).name);
                        comparison.admits(order)
                    }),
                }
            }
            (Val::Date(at), Literal::Date(interval)) => comparison.admits(interval.order_of(*at)),
            (Val::Number(a), Literal::Number(b)) => a
                .partial_cmp(b)
                .is_some_and(|order| comparison.admits(order)),
            (Val::Flag(a), Literal::Flag(b)) => comparison.admits(a.cmp(b)),
            (Val::Text(a), Literal::Text { written, folded }) => match comparison {
                Comparison::Equal => folds_to(&self.prepared(a), folded),
                Comparison::Unequal => !folds_to(&self.prepared(a), folded),
                _ => comparison.admits(self.language.compare(a, written)),
            },
            _ => false,
        }
    }

    /// Returns a text whose general case folding is that of the language.
    pub(super) fn prepared<'t>(&self, text: &'t str) -> Cow<'t, str> {
        self.language.folding().prepare(text)
    }

    /// The order of two values of one kind.
    pub(super) fn order_of(&self, a: &Val<'_>, b: &Val<'_>) -> Option<Ordering> {
        match (a, b) {
            (Val::Number(a), Val::Number(b)) => a.partial_cmp(b),
            (Val::Flag(a), Val::Flag(b)) => Some(a.cmp(b)),
            (Val::Date(a), Val::Date(b)) => Some(a.cmp(b)),
            (Val::Term(f, a), Val::Term(g, b)) if f == g && a == b => Some(Ordering::Equal),
            (Val::Term(..) | Val::Text(_), Val::Term(..) | Val::Text(_)) => {
                let (a_text, b_text) = (self.text_of(a)?, self.text_of(b)?);
                if matches!((a, b), (Val::Text(_), Val::Text(_))) {
                    return Some(self.language.compare(a_text, b_text));
                }
                let identity = |text| crate::term::identity(&self.prepared(text));
                if identity(a_text) == identity(b_text) {
                    return Some(Ordering::Equal);
                }
                Some(self.language.compare(a_text, b_text))
                    .filter(|order| *order != Ordering::Equal)
            }
            _ => None,
        }
    }

    pub(super) fn text_of<'v>(&'v self, value: &'v Val<'_>) -> Option<&'v str> {
        match value {
            Val::Text(text) => Some(text),
            Val::Term(field, id) => Some(&self.catalogue.terms(*field).term(*id).name),
            _ => None,
        }
    }

    /// Numbers before dates before text; true and false before all.
    pub(super) fn compare_values(&self, a: &Val<'_>, b: &Val<'_>) -> Ordering {
        let rank = |value: &Val<'_>| match value {
            Val::Flag(_) => 0,
            Val::Number(_) => 1,
            Val::Date(_) => 2,
            Val::Text(_) | Val::Term(..) => 3,
        };
        rank(a).cmp(&rank(b)).then_with(|| match (a, b) {
            (Val::Number(a), Val::Number(b)) => a.total_cmp(b),
            _ => match (self.text_of(a), self.text_of(b)) {
                (Some(a), Some(b)) => self.language.compare(a, b),
                _ => self.order_of(a, b).unwrap_or(Ordering::Equal),
            },
        })
    }
}

impl Comparison {
    pub(super) fn admits(self, order: Ordering) -> bool {
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

/// Returns true if `text` is equal to a folded text without regard to case.
fn folds_to(text: &str, folded: &str) -> bool {
    if folded.is_ascii() && text.is_ascii() {
        return text.eq_ignore_ascii_case(folded);
    }
    fold(text) == folded
}

fn literal_value(literal: &Literal) -> Option<Val<'_>> {
    match literal {
        Literal::Text { written, .. } => Some(Val::Text(Cow::Borrowed(written))),
        Literal::Number(number) => Some(Val::Number(*number)),
        Literal::Flag(flag) => Some(Val::Flag(*flag)),
        Literal::Date(interval) => Some(Val::Date(interval.start)),
        Literal::Term(field, id) => id.map(|id| Val::Term(*field, id)),
    }
}
