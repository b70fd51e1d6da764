//! Why a query finds nothing.

use super::ast::{Comparison, Condition, Statement, Test, Validity, Value};
use super::resolve::resolve;
use super::scope::Scope;
use super::words::nearest_terms;
use super::{Answer, Query, Written};
use crate::catalogue::{Catalogue, Cell, PostId};
use crate::diagnostic::{Code, Diagnostic};

impl Query<Written> {
    /// Returns true if the warnings of the query say why it finds nothing: its only test is of a term that no post has.
    #[must_use]
    pub fn is_empty_by(&self, warnings: &[Diagnostic]) -> bool {
        let has_one_test = matches!(self.0.statement.condition, Some(Condition::Test(_)));
        has_one_test && warnings.iter().any(|found| found.code == Code::UnusedTerm)
    }

    /// Why it finds nothing: how many posts of its sources each of the tests that must hold
    /// leaves by itself, as a warning. `None` where it has no such tests.
    #[must_use]
    pub fn why_empty(&self, scope: Scope<'_>, this: Option<PostId>) -> Option<Diagnostic> {
        let left = self.what_is_left(scope, this)?;
        Some(self.say(&left, scope.catalogue))
    }

    /// As [`Self::why_empty`], where that is likely a slip: one of the tests alone leaves
    /// nothing, on no page, and on no other day.
    #[must_use]
    pub fn slip(&self, scope: Scope<'_>) -> Option<Diagnostic> {
        let left = self.what_is_left(scope, None)?;
        let slip = left
            .tests
            .iter()
            .any(|(test, count)| *count == 0 && test.validity() == Validity::Ever);
        slip.then(|| self.say(&left, scope.catalogue))
    }

    /// Why a listed post is not among what it finds on the page of `this`; `None` where only its limit can say.
    #[must_use]
    pub fn rejects(&self, scope: Scope<'_>, this: Option<PostId>, post: PostId) -> Option<String> {
        let statement = &self.0.statement;
        let finds = |condition| {
            let found = self.alone(condition, scope, this)?;
            Some(found.posts.contains(&post))
        };
        let own = scope.catalogue.language(scope.catalogue.post(post).locale);
        if let Some(locale) = scope.locale.filter(|_| !statement.names_language())
            && scope.catalogue.post(post).locale != locale
        {
            let page = scope.catalogue.language(locale).tag();
            return Some(format!(
                "it is in `{}`, and the list is of posts in `{page}`",
                own.tag()
            ));
        }
        if finds(None) == Some(false) {
            let set = &scope.catalogue.sets()[scope.catalogue.post(post).set];
            let from: Vec<&str> = statement.from.iter().map(|name| &*name.node).collect();
            return Some(format!(
                "it is of `{set}`, and not among the posts of `{}`",
                from.join("`, `")
            ));
        }
        let failed = self
            .tests()?
            .iter()
            .find(|test| finds(Some((*test).clone())) == Some(false))?;
        Some(format!("`{failed}` is false for it"))
    }

    fn what_is_left(&self, scope: Scope<'_>, this: Option<PostId>) -> Option<Left<'_>> {
        let left = |condition| self.alone(condition, scope, this);
        let counted = self
            .tests()?
            .iter()
            .map(|test| Some((test, left(Some(test.clone()))?.total)));
        Some(Left {
            tests: counted.collect::<Option<_>>()?,
            of: left(None)?.posts,
        })
    }

    /// The tests that must all hold.
    pub(super) fn tests(&self) -> Option<&[Condition]> {
        Some(match self.0.statement.condition.as_ref()? {
            Condition::And(tests) => tests,
            single => std::slice::from_ref(single),
        })
    }

    /// Runs the query with another condition, and without order and limit.
    pub(super) fn alone(
        &self,
        condition: Option<Condition>,
        scope: Scope<'_>,
        this: Option<PostId>,
    ) -> Option<Answer> {
        let alone = Statement {
            from: self.0.statement.from.clone(),
            any_language: self.0.statement.names_language(),
            condition,
            ..Statement::default()
        };
        let query = resolve(&alone, &self.0.embedded, scope).output?;
        Some(query.run(scope.catalogue, this))
    }

    fn say(&self, left: &Left<'_>, catalogue: &Catalogue) -> Diagnostic {
        let none = |count: usize| count == 0;
        let mut hints: Vec<String> = left
            .tests
            .iter()
            .filter(|(_, count)| none(*count))
            .filter_map(|(test, _)| hint(test, &left.of, catalogue))
            .collect();
        if !left.tests.iter().any(|(_, count)| none(*count)) {
            hints.push("each finds posts, and no post meets them all".to_owned());
            hints.extend(either_hint(&left.tests));
        }
        let counts = left.tests.iter();
        let counts: Vec<String> = counts
            .map(|(test, count)| format!("`{test}` leaves {count}"))
            .collect();
        let message = format!(
            "nothing is found among {} {}: {}",
            left.of.len(),
            if left.of.len() == 1 { "post" } else { "posts" },
            counts.join(", ")
        );
        let warning = Diagnostic::warning(Code::EmptyResult, self.location(), message);
        if hints.is_empty() {
            warning.help("change or leave out what leaves 0")
        } else {
            warning.help(hints.join("; "))
        }
    }
}

/// The number of posts that each of a query's tests leaves by itself.
struct Left<'a> {
    tests: Vec<(&'a Condition, usize)>,
    of: Vec<PostId>,
}

/// Returns the help for a test that leaves nothing.
fn hint(condition: &Condition, posts: &[PostId], catalogue: &Catalogue) -> Option<String> {
    let Condition::Test(test) = condition else {
        return None;
    };
    let test = &test.node;
    let hint = state_hint(test).or_else(|| turned_hint(test));
    hint.or_else(|| range_hint(test, posts, catalogue))
}

/// A way out where posts of a state are asked for that lists exclude.
fn state_hint(test: &Test) -> Option<String> {
    let (Test::Flag(field) | Test::Compare(field, Comparison::Equal, _)) = test else {
        return None;
    };
    let Value::Field(name) = &field.node else {
        return None;
    };
    let states = match name.as_str() {
        "draft" => "drafts",
        "scheduled" | "expired" | "unlisted" => name,
        _ => return None,
    };
    Some(format!(
        "lists exclude them: write `--include {states}` to let them in"
    ))
}

/// Returns the help for a range whose higher end is first.
fn turned_hint(test: &Test) -> Option<String> {
    let (Test::Range(_, _, low, high) | Test::Between(_, _, low, high)) = test else {
        return None;
    };
    let is_turned = match (&low.node, &high.node) {
        (Value::Number(low, _), Value::Number(high, _)) => low > high,
        // A part of a date is as long as it is exact: what both say is compared.
        (
            Value::Date(_, low) | Value::Number(_, low),
            Value::Date(_, high) | Value::Number(_, high),
        ) => {
            let both = low.len().min(high.len());
            low.as_bytes()[..both] > high.as_bytes()[..both]
        }
        _ => false,
    };
    let turned = match test.clone() {
        Test::Range(field, polarity, low, high) => Test::Range(field, polarity, high, low),
        Test::Between(field, polarity, low, high) => Test::Between(field, polarity, high, low),
        other => other,
    };
    is_turned.then(|| format!("write the lower end first: `{turned}`"))
}

/// Returns the range of the field's values, for a test of it that leaves nothing.
fn range_hint(test: &Test, posts: &[PostId], catalogue: &Catalogue) -> Option<String> {
    let (Test::Compare(left, ..)
    | Test::In(left, ..)
    | Test::Within(left, ..)
    | Test::Range(left, ..)
    | Test::Between(left, ..)
    | Test::Text(left, ..)) = test
    else {
        return None;
    };
    let Value::Field(name) = &left.node else {
        return None;
    };
    let days = posts
        .iter()
        .filter_map(|post| catalogue.post(*post).date)
        .map(|date| date.day);
    match name.as_str() {
        "year" | "date" | "updated" => {
            let (first, last) = (days.clone().min()?, days.max()?);
            let (first, last) = match name.as_str() {
                "year" => (first.year().to_string(), last.year().to_string()),
                _ => (first.to_string(), last.to_string()),
            };
            Some(if first == last {
                format!("all posts here are of {first}")
            } else if name == "year" {
                format!("years here are {first} to {last}")
            } else {
                format!("dates here are {first} to {last}")
            })
        }
        "month" => Some("a month is 1 to 12; that of one year is `date in 2026-03`".to_owned()),
        "day" => Some("a day is 1 to 31; that of one month is `date = 2026-03-14`".to_owned()),
        "title" => {
            let titles = posts.iter().map(|post| &*catalogue.post(*post).title);
            nearest_text(test, titles)
        }
        _ if catalogue.term_field(name).is_some() => None,
        _ => own_hint(test, name, posts, catalogue),
    }
}

/// The numbers, or the nearest texts, of a front matter field.
fn own_hint(test: &Test, name: &str, posts: &[PostId], catalogue: &Catalogue) -> Option<String> {
    let column = catalogue.column(name)?;
    let cells = || posts.iter().flat_map(|post| catalogue.cells(column, *post));
    let numbers = cells().filter_map(|cell| match cell {
        Cell::Number(number) => Some(number),
        _ => None,
    });
    let ends = numbers.fold(None, |ends, number| {
        let (low, high) = ends.unwrap_or((number, number));
        Some((number.min(low), number.max(high)))
    });
    if let Some((low, high)) = ends {
        return Some(format!("`{name}` here is {low} to {high}"));
    }
    let texts = cells().filter_map(|cell| match cell {
        Cell::Text(text) => Some(text),
        _ => None,
    });
    nearest_text(test, texts)
}

fn nearest_text<'a>(test: &Test, texts: impl Iterator<Item = &'a str>) -> Option<String> {
    let Test::Compare(_, Comparison::Equal, wanted) = test else {
        return None;
    };
    let Value::Text(wanted) = &wanted.node else {
        return None;
    };
    let mut texts: Vec<&str> = texts.collect();
    texts.sort_unstable();
    texts.dedup();
    let near = nearest_terms(wanted, &texts);
    let near: Vec<String> = near.iter().map(|text| format!("'{text}'")).collect();
    (!near.is_empty()).then(|| format!("the nearest: {}", near.join(", ")))
}

/// Returns the help for tests that require several different values of one field.
fn either_hint(tests: &[(&Condition, usize)]) -> Option<String> {
    let equals = |condition: &Condition| match condition {
        Condition::Test(test) => match &test.node {
            Test::Compare(left, Comparison::Equal, right) => {
                Some((left.node.to_string(), right.node.to_string()))
            }
            _ => None,
        },
        _ => None,
    };
    let asked: Vec<(String, String)> = tests.iter().filter_map(|(test, _)| equals(test)).collect();
    let (field, _) = asked.iter().find(|(field, _)| {
        let same = asked.iter().filter(|(other, _)| other == field);
        same.count() > 1
    })?;
    let same = asked.iter().filter(|(other, _)| other == field);
    let values: Vec<&str> = same.map(|(_, value)| value.as_str()).collect();
    Some(format!(
        "for either of them, write `{field} in ({})`",
        values.join(", ")
    ))
}
