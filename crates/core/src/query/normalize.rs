//! The normal form of a condition: conjuncts that must all hold, those that cost least first.

use super::ast::{Condition, Polarity, Search};
use super::fields::DerivedField;
use super::predicate::{FieldRef, Needle, Predicate, Side};

/// Returns the conjuncts of a condition, in the order written.
pub(super) fn conjuncts(condition: &Condition) -> Vec<Condition> {
    let condition = push_not_inward(condition.clone(), Polarity::Plain);
    match flatten(condition) {
        Condition::And(conjuncts) => conjuncts,
        single => vec![single],
    }
}

/// Moves each `not` to a test: `not (a and b)` becomes `not a or not b` (De Morgan). A test keeps its
/// `not`, as it is false for a missing value in both forms.
fn push_not_inward(condition: Condition, polarity: Polarity) -> Condition {
    let each = |conditions: Vec<Condition>| -> Vec<Condition> {
        let conditions = conditions.into_iter();
        let pushed = conditions.map(|condition| push_not_inward(condition, polarity));
        pushed.collect()
    };
    match (condition, polarity) {
        (Condition::Not(inner), Polarity::Plain) => push_not_inward(*inner, Polarity::Negated),
        (Condition::Not(inner), Polarity::Negated) => push_not_inward(*inner, Polarity::Plain),
        (Condition::And(all), Polarity::Plain) => Condition::And(each(all)),
        (Condition::Or(any), Polarity::Plain) => Condition::Or(each(any)),
        (Condition::And(all), Polarity::Negated) => Condition::Or(each(all)),
        (Condition::Or(any), Polarity::Negated) => Condition::And(each(any)),
        (test, Polarity::Plain) => test,
        (test, Polarity::Negated) => Condition::Not(Box::new(test)),
    }
}

/// Removes each `and` directly within an `and`, and each `or` within an `or`.
fn flatten(condition: Condition) -> Condition {
    match condition {
        Condition::And(all) => Condition::And(
            (all.into_iter().map(flatten))
                .flat_map(|inner| match inner {
                    Condition::And(all) => all,
                    other => vec![other],
                })
                .collect(),
        ),
        Condition::Or(any) => Condition::Or(
            (any.into_iter().map(flatten))
                .flat_map(|inner| match inner {
                    Condition::Or(any) => any,
                    other => vec![other],
                })
                .collect(),
        ),
        other => other,
    }
}

/// Sorts the parts of each `and` and `or` within a predicate by their cost; equal ones stay in the order
/// written.
pub(super) fn cheapest_first(predicate: Predicate) -> Predicate {
    let sorted = |predicates: Vec<Predicate>| {
        let mut predicates: Vec<Predicate> = predicates.into_iter().map(cheapest_first).collect();
        predicates.sort_by_key(cost);
        predicates
    };
    match predicate {
        Predicate::All(all) => Predicate::All(sorted(all)),
        Predicate::Any(any) => Predicate::Any(sorted(any)),
        other => other,
    }
}

/// Returns the cost of testing one post, in units of comparing a number.
pub(super) fn cost(predicate: &Predicate) -> u32 {
    let read = |side: &Side| match side {
        Side::Field(FieldRef::Derived(DerivedField::Text)) => 500,
        Side::Field(FieldRef::Derived(DerivedField::Likeness)) => 200,
        Side::Field(FieldRef::Derived(_)) => 4,
        Side::Field(_) => 2,
        _ => 1,
    };
    match predicate {
        Predicate::All(each) | Predicate::Any(each) => each.iter().map(cost).sum(),
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
