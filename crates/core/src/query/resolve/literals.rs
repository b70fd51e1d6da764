//! Literals, as the fields that they are compared with ask.

use super::super::ast::{At, Base, Step, Unit, Value};
use super::super::predicate::{FieldRef, Literal, Side};
use super::super::scope::Parameter;
use super::super::words::{kinds_text, nearest_terms};
use super::Resolver;
use crate::catalogue::TermTable;
use crate::diagnostic::{Code, Diagnostic};
use crate::language::fold;
use crate::source::Span;
use crate::term::TermId;
use crate::time::{DatePart, Interval, Moment, month_number, parse_part};
use crate::value::Kind;

impl<'a> Resolver<'a> {
    /// The parameter of this name; one that is not given is an error.
    pub(super) fn given(&mut self, name: &str, span: Span) -> Option<&'a Parameter> {
        let parameters = self.scope.parameters;
        let found = parameters.iter().find(|(known, _)| known == name);
        if let Some((_, given)) = found {
            return Some(given);
        }
        let location = self.embedded.location(span);
        let message = format!("the parameter :{name} is not given");
        let diagnostic = Diagnostic::error(Code::InvalidQuery, location, message);
        self.diagnostics.push(match parameters {
            [] => diagnostic.help(format!("in a template, write query(\"…\", {name}=…)")),
            known => diagnostic.suggest(name, known.iter().map(|(name, _)| name.as_str())),
        });
        None
    }

    /// A literal as the kinds of the field ask; one of a type that the field never has is an error.
    pub(super) fn literal(
        &mut self,
        value: &At<Value>,
        field: Option<&FieldRef>,
        kinds: &[Kind],
        name: &str,
    ) -> Option<Side> {
        if let Value::Parameter(parameter) = &value.node {
            let given = self.given(parameter, value.span)?;
            return self.parameter(given, value, field, kinds, name);
        }
        self.plain_literal(&value.node, value.span, field, kinds, name)
            .map(|literal| Side::Literals(vec![literal]))
    }

    pub(super) fn parameter(
        &mut self,
        given: &Parameter,
        value: &At<Value>,
        field: Option<&FieldRef>,
        kinds: &[Kind],
        name: &str,
    ) -> Option<Side> {
        let node = match given {
            Parameter::Missing => return Some(Side::Missing),
            Parameter::List(items) => {
                let mut literals = Vec::new();
                for item in items {
                    match self.parameter(item, value, field, kinds, name)? {
                        Side::Literals(more) => literals.extend(more),
                        _ => return Some(Side::Missing),
                    }
                }
                return Some(Side::Literals(literals));
            }
            Parameter::Text(text) => Value::Text(text.clone()),
            Parameter::Number(number) => Value::Number(*number, number.to_string()),
            Parameter::Flag(flag) => Value::Flag(*flag),
            Parameter::Date(date) if kinds.contains(&Kind::Date) => {
                let interval = Interval {
                    start: date.at,
                    end: date.at,
                };
                return Some(Side::Literals(vec![Literal::Date(interval)]));
            }
            Parameter::Date(date) => Value::Text(date.iso()),
        };
        self.plain_literal(&node, value.span, field, kinds, name)
            .map(|literal| Side::Literals(vec![literal]))
    }

    pub(super) fn plain_literal(
        &mut self,
        value: &Value,
        span: Span,
        field: Option<&FieldRef>,
        kinds: &[Kind],
        name: &str,
    ) -> Option<Literal> {
        if let Some(FieldRef::Term(number)) = field {
            return Some(self.term(*number, value, span));
        }
        let has = |kind| kinds.contains(&kind);
        let moment = self.scope.moment;
        match value {
            Value::Text(text) if has(Kind::Text) || has(Kind::Term) => {
                return Some(Literal::Text {
                    written: text.clone(),
                    folded: fold(&self.prepared(text)).into_owned(),
                });
            }
            Value::Number(number, _) if has(Kind::Number) => return Some(Literal::Number(*number)),
            Value::Number(_, written) if has(Kind::Date) && written.len() == 4 => {
                if let Some(interval) = parse_part(written)
                    .ok()
                    .and_then(|part| part.interval(&moment.zone).ok())
                {
                    return Some(Literal::Date(interval));
                }
            }
            Value::Flag(flag) if has(Kind::Flag) => return Some(Literal::Flag(*flag)),
            Value::Date(part, written) if has(Kind::Date) => {
                return self.interval(part, written, span).map(Literal::Date);
            }
            Value::Relative(base, steps) if has(Kind::Date) => {
                return match relative(*base, steps, moment) {
                    Some(interval) => Some(Literal::Date(interval)),
                    None => {
                        self.error(
                            Code::InvalidQuery,
                            span,
                            "this leads out of the calendar",
                            "count fewer years",
                        );
                        None
                    }
                };
            }
            _ => {}
        }
        self.unfit(value, span, kinds, name);
        None
    }

    pub(super) fn interval(
        &mut self,
        part: &DatePart,
        written: &str,
        span: Span,
    ) -> Option<Interval> {
        match part.interval(&self.scope.moment.zone) {
            Ok(interval) => Some(interval),
            Err(_) => {
                self.error(
                    Code::InvalidQuery,
                    span,
                    format!("the date {written} leads out of the calendar"),
                    "write a year of four digits",
                );
                None
            }
        }
    }

    pub(super) fn unfit(&mut self, value: &Value, span: Span, kinds: &[Kind], name: &str) {
        let found = match value {
            Value::Text(_) => "a text",
            Value::Number(..) => "a number",
            Value::Flag(_) => "true or false",
            Value::Date(..) | Value::Relative(..) => "a date",
            _ => "something else",
        };
        let help = match (value, kinds.first()) {
            (Value::Text(text), Some(Kind::Number)) if text.parse::<f64>().is_ok() => {
                format!("write {text} without quotes")
            }
            (Value::Text(text), Some(Kind::Date)) if parse_part(text).is_ok() => {
                format!("write {text} without quotes")
            }
            (Value::Text(text), Some(Kind::Flag)) if text == "true" || text == "false" => {
                format!("write {text} without quotes")
            }
            (Value::Date(_, written), _) if ["year", "month", "day"].contains(&name) => {
                format!("write `date in {written}`")
            }
            (Value::Text(text), _) if name == "month" => match month_number(text) {
                Some(number) => format!("write the month's number: `month = {number}`"),
                None => "write the month's number, 1 to 12".to_owned(),
            },
            (Value::Number(_, written) | Value::Date(_, written), Some(Kind::Text)) => {
                format!("put it in quotes: '{written}'")
            }
            (_, Some(Kind::Date)) => "write a date such as 2026-03-14, 2026-03 or 2026".to_owned(),
            (_, Some(Kind::Number)) => "write a number".to_owned(),
            (_, Some(Kind::Flag)) => format!("write `{name}`, or `not {name}`"),
            (_, Some(Kind::Text)) => "write a text in quotes".to_owned(),
            _ => "no post has a value here that can be compared".to_owned(),
        };
        self.error(
            Code::InvalidType,
            span,
            format!("`{name}` holds {}, never {found}", kinds_text(kinds)),
            help,
        );
    }

    /// A term by any of its spellings; one that no listed post has is a warning.
    pub(super) fn term(&mut self, number: usize, value: &Value, span: Span) -> Literal {
        let table = self.scope.catalogue.terms(number);
        let spelling = match value {
            Value::Text(text) | Value::Number(_, text) | Value::Date(_, text) => text.clone(),
            other => other.to_string(),
        };
        let found = table.find(&spelling);
        let used = found.filter(|id| !table.term(*id).posts.is_empty());
        if used.is_none() {
            let field = &table.field.name;
            let warning = Diagnostic::warning(
                Code::UnusedTerm,
                self.embedded.location(span),
                format!("no post has the {field} \"{spelling}\""),
            );
            let help = instead_of_term(table, &spelling);
            self.diagnostics.push(warning.help(help));
        }
        Literal::Term(number, found)
    }
}

/// The number of terms up to which all of them are listed.
const LISTED: usize = 12;

/// Returns the help for a term that no listed post has.
fn instead_of_term(table: &TermTable, spelling: &str) -> String {
    let field = &table.field.name;
    let is_used = |part: &str| {
        table
            .find(part)
            .is_some_and(|id| !table.term(id).posts.is_empty())
    };
    let parts: Vec<&str> = spelling.split([',', ';', '|']).map(str::trim).collect();
    if parts.len() > 1 && parts.iter().any(|part| is_used(part)) {
        let list: Vec<String> = parts
            .iter()
            .map(|part| Value::Text((*part).to_owned()).to_string())
            .collect();
        let list = list.join(", ");
        return format!(
            "for several terms, write `{field} has any ({list})` or `{field} has all ({list})`"
        );
    }
    let counted = |id: TermId| {
        let term = table.term(id);
        format!("`{}` ({})", term.name, term.posts.len())
    };
    let used = table.terms.iter().filter(|term| !term.posts.is_empty());
    let names: Vec<&str> = used.map(|term| term.name.as_str()).collect();
    let list = |names: &[&str]| {
        let found = names.iter().filter_map(|name| table.find(name));
        found.map(counted).collect::<Vec<_>>().join(", ")
    };
    let near = nearest_terms(spelling, &names);
    let has_few = names.len() <= LISTED;
    match near.len() {
        _ if names.is_empty() => format!("no post has any {field}"),
        0 if has_few => format!("those there are: {}", list(&names)),
        0 => format!("`tabulae query \"\" --by {field}` lists those there are"),
        count if has_few && count < names.len() => {
            format!("the nearest: {}; all: {}", list(&near), list(&names))
        }
        _ => format!("the nearest: {}", list(&near)),
    }
}

/// A day or instant counted from the moment, in the site's time zone; `None` out of the calendar.
fn relative(base: Base, steps: &[Step], moment: &Moment) -> Option<Interval> {
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
            DatePart::Day(day).interval(&moment.zone).ok()
        }
        Base::Now => {
            let mut at = moment.now.to_zoned_datetime(moment.zone.clone());
            for step in steps {
                at = at.checked_add(span(step)?).ok()?;
            }
            let at = at.timestamp();
            Some(Interval { start: at, end: at })
        }
    }
}
