//! Literals: relative dates, the words for kinds, and hints for those that find nothing.

use super::ast::{Base, Comparison, Condition, Step, Test, Unit, Value};
use crate::catalogue::{Catalogue, Cell, PostId};
use crate::language::fold;
use crate::time::{DatePart, Moment, Stretch};
use crate::value::Kind;

pub(super) fn kinds_text(kinds: &[Kind]) -> String {
    if kinds.is_empty() {
        return "nothing yet".to_owned();
    }
    kinds
        .iter()
        .map(|kind| kind.plural())
        .collect::<Vec<_>>()
        .join(" and ")
}

pub(super) fn listed(names: &[&str]) -> String {
    names
        .iter()
        .map(|name| format!("`{name}`"))
        .collect::<Vec<_>>()
        .join(", ")
}

/// At most three names, the most alike first.
pub(super) fn nearest_terms<'a>(written: &str, names: &[&'a str]) -> Vec<&'a str> {
    let wanted = fold(written);
    let mut scored: Vec<(f64, &str)> = names
        .iter()
        .map(|name| (strsim::jaro_winkler(&wanted, &fold(name)), *name))
        .filter(|(score, _)| *score >= 0.75)
        .collect();
    scored.sort_by(|a, b| b.0.total_cmp(&a.0).then_with(|| a.1.cmp(b.1)));
    scored.into_iter().take(3).map(|(_, name)| name).collect()
}

/// A day or instant counted from the moment, in the site's time zone; `None` out of the calendar.
pub(super) fn relative(base: Base, steps: &[Step], moment: &Moment) -> Option<Stretch> {
    let span = |step: &Step| {
        let count = i64::from(step.count);
        let span = jiff::Span::new();
        match step.unit {
            Unit::Day => span.try_days(count),
            Unit::Week => span.try_weeks(count),
            Unit::Month => span.try_months(count),
            Unit::Quarter => span.try_months(count * 3),
            Unit::Year => span.try_years(count),
        }
        .ok()
    };
    match base {
        Base::Today => {
            let mut day = moment.today();
            for step in steps {
                day = day.checked_add(span(step)?).ok()?;
            }
            DatePart::Day(day).stretch(&moment.zone).ok()
        }
        Base::Now => {
            let mut at = moment.now.to_zoned_datetime(moment.zone.clone());
            for step in steps {
                at = at.checked_add(span(step)?).ok()?;
            }
            let at = at.timestamp();
            Some(Stretch { start: at, end: at })
        }
    }
}

/// What the values of the field are among the posts, for a test of it that leaves nothing over.
pub(super) fn range_hint(
    condition: &Condition,
    posts: &[PostId],
    catalogue: &Catalogue,
) -> Option<String> {
    let Condition::Test(test) = condition else {
        return None;
    };
    let (Test::Compare(left, ..)
    | Test::In(left, ..)
    | Test::Within(left, ..)
    | Test::Range(left, ..)
    | Test::Between(left, ..)
    | Test::Text(left, ..)) = &test.node
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
            Some(if name == "year" {
                format!("years here are {} to {}", first.year(), last.year())
            } else {
                format!("dates here are {first} to {last}")
            })
        }
        "month" => Some("a month is 1 to 12; that of one year is `date in 2026-03`".to_owned()),
        "day" => Some("a day is 1 to 31; that of one month is `date = 2026-03-14`".to_owned()),
        "title" => {
            let titles = posts.iter().map(|post| &*catalogue.post(*post).title);
            nearest_text(&test.node, titles)
        }
        _ if catalogue.term_field(name).is_some() => None,
        _ => own_hint(&test.node, name, posts, catalogue),
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

/// A way out where tests ask one field for several values at once.
pub(super) fn either_hint(tests: &[Condition]) -> Option<String> {
    let equals = |condition: &Condition| match condition {
        Condition::Test(test) => match &test.node {
            Test::Compare(left, Comparison::Equal, right) => {
                Some((left.node.to_string(), right.node.to_string()))
            }
            _ => None,
        },
        _ => None,
    };
    let asked: Vec<(String, String)> = tests.iter().filter_map(equals).collect();
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
