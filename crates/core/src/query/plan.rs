//! How a condition is best answered: its shape, and the order of its tests.

use super::ast::{Polarity, Search};
use super::check::{Check, FieldRef, Needle, Side};
use super::fields::DerivedField;

/// The tests that must all hold, cheapest first; none for the query of all posts.
pub(super) fn plan(check: Check) -> Vec<Check> {
    let check = push_not_inward(check, Polarity::Plain);
    let check = flatten(check);
    match cheapest_first(check) {
        Check::All(checks) => checks,
        single => vec![single],
    }
}

/// `not (a and b)` is `not a or not b`, so that a test stands by itself where it can. A test
/// itself keeps its `not`: it is no longer false where a value is missing.
fn push_not_inward(check: Check, polarity: Polarity) -> Check {
    let each = |checks: Vec<Check>| -> Vec<Check> {
        let pushed = checks
            .into_iter()
            .map(|check| push_not_inward(check, polarity));
        pushed.collect()
    };
    match (check, polarity) {
        (Check::Not(inner), Polarity::Plain) => push_not_inward(*inner, Polarity::Negated),
        (Check::Not(inner), Polarity::Negated) => push_not_inward(*inner, Polarity::Plain),
        (Check::All(all), Polarity::Plain) => Check::All(each(all)),
        (Check::Any(any), Polarity::Plain) => Check::Any(each(any)),
        (Check::All(all), Polarity::Negated) => Check::Any(each(all)),
        (Check::Any(any), Polarity::Negated) => Check::All(each(any)),
        (test, Polarity::Plain) => test,
        (test, Polarity::Negated) => Check::Not(Box::new(test)),
    }
}

/// No "and" directly within an "and", no "or" within an "or".
fn flatten(check: Check) -> Check {
    let parts = |checks: Vec<Check>, open: fn(Check) -> Result<Vec<Check>, Check>| {
        let flat = checks.into_iter().map(flatten);
        flat.flat_map(|check| open(check).unwrap_or_else(|single| vec![single]))
            .collect()
    };
    match check {
        Check::All(all) => Check::All(parts(all, |check| match check {
            Check::All(inner) => Ok(inner),
            other => Err(other),
        })),
        Check::Any(any) => Check::Any(parts(any, |check| match check {
            Check::Any(inner) => Ok(inner),
            other => Err(other),
        })),
        other => other,
    }
}

/// Within "and" and "or" alike the test that costs least is made first. Equal ones stay in the
/// order written.
fn cheapest_first(check: Check) -> Check {
    let sorted = |checks: Vec<Check>| {
        let mut checks: Vec<Check> = checks.into_iter().map(cheapest_first).collect();
        checks.sort_by_key(cost);
        checks
    };
    match check {
        Check::All(all) => Check::All(sorted(all)),
        Check::Any(any) => Check::Any(sorted(any)),
        other => other,
    }
}

/// What a test of one post costs, in units of comparing a number.
fn cost(check: &Check) -> u32 {
    let read = |side: &Side| match side {
        Side::Field(FieldRef::Derived(DerivedField::Text)) => 500,
        Side::Field(FieldRef::Derived(DerivedField::Likeness)) => 200,
        Side::Field(FieldRef::Derived(_)) => 4,
        Side::Field(_) => 2,
        _ => 1,
    };
    match check {
        Check::All(checks) | Check::Any(checks) => checks.iter().map(cost).sum(),
        Check::Not(inner) => cost(inner),
        Check::Compare(left, _, right) => read(left) + read(right),
        Check::OneOf(left, _, sides) | Check::EachOf(left, sides) => {
            read(left) + sides.iter().map(read).sum::<u32>()
        }
        Check::Range(left, _, low, high) => read(left) + read(low) + read(high),
        Check::Search(left, _, Needle::Pattern(_)) => read(left) * 8,
        Check::Search(left, _, Needle::Plain(Search::Contains, _)) => read(left) * 4,
        Check::Search(left, ..) => read(left) * 3,
        Check::Missing(side, _) | Check::Flag(side) => read(side),
    }
}
