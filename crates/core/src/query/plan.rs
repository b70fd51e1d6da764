//! How a condition is best answered: its shape, and the order of its tests.

use super::ast::{Polarity, Search};
use super::fields::DerivedField;
use super::predicate::{FieldRef, Needle, Predicate, Side};

/// The tests that must all hold, cheapest first; none for the query of all posts.
pub(super) fn plan(check: Predicate) -> Vec<Predicate> {
    let check = push_not_inward(check, Polarity::Plain);
    let check = flatten(check);
    match cheapest_first(check) {
        Predicate::All(checks) => checks,
        single => vec![single],
    }
}

/// `not (a and b)` is `not a or not b`, so that a test stands by itself where it can. A test
/// itself keeps its `not`: it is no longer false where a value is missing.
fn push_not_inward(check: Predicate, polarity: Polarity) -> Predicate {
    let each = |checks: Vec<Predicate>| -> Vec<Predicate> {
        let pushed = checks
            .into_iter()
            .map(|check| push_not_inward(check, polarity));
        pushed.collect()
    };
    match (check, polarity) {
        (Predicate::Not(inner), Polarity::Plain) => push_not_inward(*inner, Polarity::Negated),
        (Predicate::Not(inner), Polarity::Negated) => push_not_inward(*inner, Polarity::Plain),
        (Predicate::All(all), Polarity::Plain) => Predicate::All(each(all)),
        (Predicate::Any(any), Polarity::Plain) => Predicate::Any(each(any)),
        (Predicate::All(all), Polarity::Negated) => Predicate::Any(each(all)),
        (Predicate::Any(any), Polarity::Negated) => Predicate::All(each(any)),
        (test, Polarity::Plain) => test,
        (test, Polarity::Negated) => Predicate::Not(Box::new(test)),
    }
}

/// No "and" directly within an "and", no "or" within an "or".
fn flatten(check: Predicate) -> Predicate {
    let parts = |checks: Vec<Predicate>,
                 open: fn(Predicate) -> Result<Vec<Predicate>, Predicate>| {
        let flat = checks.into_iter().map(flatten);
        flat.flat_map(|check| open(check).unwrap_or_else(|single| vec![single]))
            .collect()
    };
    match check {
        Predicate::All(all) => Predicate::All(parts(all, |check| match check {
            Predicate::All(inner) => Ok(inner),
            other => Err(other),
        })),
        Predicate::Any(any) => Predicate::Any(parts(any, |check| match check {
            Predicate::Any(inner) => Ok(inner),
            other => Err(other),
        })),
        other => other,
    }
}

/// Within "and" and "or" alike the test that costs least is made first. Equal ones stay in the
/// order written.
fn cheapest_first(check: Predicate) -> Predicate {
    let sorted = |checks: Vec<Predicate>| {
        let mut checks: Vec<Predicate> = checks.into_iter().map(cheapest_first).collect();
        checks.sort_by_key(cost);
        checks
    };
    match check {
        Predicate::All(all) => Predicate::All(sorted(all)),
        Predicate::Any(any) => Predicate::Any(sorted(any)),
        other => other,
    }
}

/// What a test of one post costs, in units of comparing a number.
fn cost(check: &Predicate) -> u32 {
    let read = |side: &Side| match side {
        Side::Field(FieldRef::Derived(DerivedField::Text)) => 500,
        Side::Field(FieldRef::Derived(DerivedField::Likeness)) => 200,
        Side::Field(FieldRef::Derived(_)) => 4,
        Side::Field(_) => 2,
        _ => 1,
    };
    match check {
        Predicate::All(checks) | Predicate::Any(checks) => checks.iter().map(cost).sum(),
        Predicate::Not(inner) => cost(inner),
        Predicate::Compare(left, _, right) => read(left) + read(right),
        Predicate::OneOf(left, _, sides) | Predicate::EachOf(left, sides) => {
            read(left) + sides.iter().map(read).sum::<u32>()
        }
        Predicate::Range(left, _, low, high) => read(left) + read(low) + read(high),
        Predicate::Search(left, _, Needle::Pattern(_)) => read(left) * 8,
        Predicate::Search(left, _, Needle::Plain(Search::Contains, _)) => read(left) * 4,
        Predicate::Search(left, ..) => read(left) * 3,
        Predicate::Missing(side, _) | Predicate::Flag(side) => read(side),
    }
}
