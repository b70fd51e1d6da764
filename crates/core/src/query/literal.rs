//! Literals: relative dates, the words for kinds, and hints for those that find nothing.

use super::ast::{Base, Condition, Step, Test, Unit, Value};
use crate::catalogue::{Catalogue, PostId};
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

/// What the dates or years of the posts are, for a test of them that leaves nothing over.
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
    | Test::Between(left, ..)) = &test.node
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
    let (first, last) = (days.clone().min()?, days.max()?);
    match name.as_str() {
        "year" => Some(format!(
            "years here are {} to {}",
            first.year(),
            last.year()
        )),
        "date" | "updated" => Some(format!("dates here are {first} to {last}")),
        "month" => Some("a month is 1 to 12; that of one year is `date in 2026-03`".to_owned()),
        _ => None,
    }
}
