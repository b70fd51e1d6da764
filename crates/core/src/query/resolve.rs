//! Resolves names: sources, fields, terms, literals with fitting types.

mod literals;
mod names;
mod search;

use std::borrow::Cow;
use std::sync::Arc;

use super::ast::{At, Condition, Key, Polarity, Quantity, Seed, Statement, Test, Value};
use super::normalize::{cheapest_first, conjuncts, cost};
use super::predicate::{Order, Predicate, Side, Source};
use super::scope::Scope;
use super::similar::Similar;
use super::words::kinds_text;
use super::{Conjunct, Query, Resolved};
use crate::diagnostic::{Code, Collected, Diagnostic, Diagnostics, Help};
use crate::id::LocaleId;
use crate::source::{EmbeddedText, Span};
use crate::value::Kind;

/// Resolves a statement. After an error there is no query.
pub(super) fn resolve(
    statement: &Statement,
    embedded: &EmbeddedText,
    scope: Scope<'_>,
) -> Collected<Option<Query<Resolved>>> {
    let mut diagnostics = Diagnostics::new();
    let names_language = statement.names_language();
    let catalogue = scope.catalogue;
    let within = scope
        .locale
        .filter(|_| catalogue.has_languages() && !names_language);
    let mut resolver = Resolver {
        embedded,
        scope,
        within,
        sets: Vec::new(),
        needs_this: false,
        asks_likeness: false,
        in_value: false,
        diagnostics: &mut diagnostics,
    };
    let sources = resolver.sources(&statement.from);
    let conjuncts = resolver.conjuncts(statement.condition.as_ref());
    let order: Option<Vec<Order>> = statement
        .order
        .iter()
        .map(|key| resolver.key(key))
        .collect();
    let needs_this = resolver.needs_this;
    let similar = resolver
        .asks_likeness
        .then(|| Arc::new(Similar::new(scope)));
    let sound = !diagnostics.iter().any(Diagnostic::is_error);
    let query = match (sources, conjuncts, order) {
        (Some(sources), Some(conjuncts), Some(order)) if sound => Some(Query(Resolved {
            needs_this: needs_this
                || sources.iter().any(
                    |source| matches!(source, Source::Named(named) if named.query.needs_this()),
                ),
            sources,
            within,
            collation: scope.locale.unwrap_or(LocaleId::SITE),
            similar,
            conjuncts,
            order,
            limit: statement.limit,
            offset: statement.offset.unwrap_or(0),
        })),
        _ => None,
    };
    Collected {
        output: query,
        diagnostics,
    }
}

struct Resolver<'a> {
    embedded: &'a EmbeddedText,
    scope: Scope<'a>,
    /// The language to which posts are limited.
    within: Option<LocaleId>,
    sets: Vec<usize>,
    needs_this: bool,
    asks_likeness: bool,
    /// Set while a side is resolved on which a value is expected.
    in_value: bool,
    diagnostics: &'a mut Diagnostics,
}

impl Resolver<'_> {
    fn error(&mut self, code: Code, span: Span, message: impl Into<String>, help: impl Into<Help>) {
        let location = self.embedded.location(span);
        self.diagnostics
            .push(Diagnostic::error(code, location, message).help(help));
    }

    /// Returns a text whose general case folding is that of the page's language.
    fn prepared<'t>(&self, text: &'t str) -> Cow<'t, str> {
        let page = self.scope.locale.unwrap_or(LocaleId::SITE);
        self.scope.catalogue.language(page).folding().prepare(text)
    }

    /// Returns the conjuncts of a condition, those that cost least first; none for no condition.
    fn conjuncts(&mut self, condition: Option<&Condition>) -> Option<Vec<Conjunct>> {
        let written = condition.map_or_else(Vec::new, conjuncts);
        let predicates = self.each(&written)?.into_iter().map(cheapest_first);
        let conjuncts = written.into_iter().zip(predicates);
        let conjuncts = conjuncts.map(|(written, predicate)| Conjunct { written, predicate });
        let mut conjuncts: Vec<Conjunct> = conjuncts.collect();
        conjuncts.sort_by_key(|conjunct| cost(&conjunct.predicate));
        Some(conjuncts)
    }

    fn condition(&mut self, condition: &Condition) -> Option<Predicate> {
        match condition {
            Condition::And(all) => self.each(all).map(Predicate::All),
            Condition::Or(any) => self.each(any).map(Predicate::Any),
            Condition::Not(inner) => self
                .condition(inner)
                .map(|check| Predicate::Not(Box::new(check))),
            Condition::Test(test) => self.test(&test.node),
        }
    }

    /// All diagnostics of a condition are reported, not the first.
    fn each(&mut self, conditions: &[Condition]) -> Option<Vec<Predicate>> {
        let checks: Vec<Option<Predicate>> = conditions
            .iter()
            .map(|condition| self.condition(condition))
            .collect();
        checks.into_iter().collect()
    }

    fn test(&mut self, test: &Test) -> Option<Predicate> {
        match test {
            Test::Compare(left, comparison, right) => {
                let (left, right) = self.pair(left, right)?;
                Some(match (left, right) {
                    (Side::Literals(left), right @ (Side::Field(_) | Side::This(_))) => {
                        Predicate::Compare(right, comparison.turned(), Side::Literals(left))
                    }
                    (left, right) => Predicate::Compare(left, *comparison, right),
                })
            }
            Test::In(left, polarity, values) => {
                let (left, values) = self.pairs(left, values)?;
                Some(Predicate::OneOf(left, *polarity, values))
            }
            Test::Within(left, polarity, part) => {
                let (left, part) = self.pair(left, part)?;
                Some(Predicate::OneOf(left, *polarity, vec![part]))
            }
            Test::Range(left, polarity, low, high) | Test::Between(left, polarity, low, high) => {
                let (side, low_side) = self.pair(left, low)?;
                let (_, high_side) = self.pair(left, high)?;
                Some(Predicate::Range(side, *polarity, low_side, high_side))
            }
            Test::Has(left, quantity, values) => {
                let (left, values) = self.pairs(left, values)?;
                Some(match quantity {
                    Quantity::Any => Predicate::OneOf(left, Polarity::Plain, values),
                    Quantity::None => Predicate::OneOf(left, Polarity::Negated, values),
                    Quantity::All => Predicate::EachOf(left, values),
                })
            }
            Test::Text(left, polarity, search, text) => self.search(left, *polarity, *search, text),
            Test::Missing(left, polarity) => {
                let (side, _) = self.left(left)?;
                Some(Predicate::Missing(side, *polarity))
            }
            Test::Flag(field) => self.flag(field),
        }
    }

    fn flag(&mut self, field: &At<Value>) -> Option<Predicate> {
        let (side, kinds) = self.left(field)?;
        if kinds.contains(&Kind::Flag) {
            return Some(Predicate::Flag(side));
        }
        let name = field.node.to_string();
        let holds = kinds_text(&kinds);
        let form = match kinds.first() {
            Some(Kind::Number) => format!("`{name} > 0`, or `{name} is not missing`"),
            Some(Kind::Date) => format!("`{name} > 2026-01`, or `{name} is not missing`"),
            _ => format!("`{name} = '…'`, or `{name} is not missing`"),
        };
        self.error(
            Code::InvalidType,
            field.span,
            format!("`{name}` alone is not a test: it holds {holds}, not true or false"),
            format!("write {form}"),
        );
        None
    }

    fn pairs(&mut self, left: &At<Value>, values: &[At<Value>]) -> Option<(Side, Vec<Side>)> {
        let (side, kinds) = self.left(left)?;
        let sides: Vec<Option<Side>> = values
            .iter()
            .map(|value| self.right(left, &side, &kinds, value))
            .collect();
        Some((side, sides.into_iter().collect::<Option<_>>()?))
    }

    /// Resolves both sides of a comparison. A literal is read by the kind of the field on the other side, left
    /// or right.
    fn pair(&mut self, left: &At<Value>, right: &At<Value>) -> Option<(Side, Side)> {
        let literal_left = !matches!(left.node, Value::Field(_) | Value::This(_));
        if literal_left && matches!(right.node, Value::Field(_) | Value::This(_)) {
            let (field, kinds) = self.left(right)?;
            let literal = self.right(right, &field, &kinds, left)?;
            return Some((literal, field));
        }
        let (side, kinds) = self.left(left)?;
        let right = self.right(left, &side, &kinds, right)?;
        Some((side, right))
    }

    /// The side that sets the type.
    fn left(&mut self, value: &At<Value>) -> Option<(Side, Vec<Kind>)> {
        match &value.node {
            Value::Field(name) => {
                let (field, kinds) = self.field(name, value.span)?;
                Some((Side::Field(field), kinds))
            }
            Value::This(name) => {
                self.use_this(value.span, "this")?;
                let all = self.scope.catalogue.every_set();
                let (field, kinds) = self.field_in(name, value.span, &all)?;
                Some((Side::This(field), kinds))
            }
            _ => {
                let kinds = match &value.node {
                    Value::Text(_) => vec![Kind::Text],
                    Value::Number(..) => vec![Kind::Number, Kind::Date],
                    Value::Flag(_) => vec![Kind::Flag],
                    Value::Date(..) | Value::Relative(..) => vec![Kind::Date],
                    _ => vec![Kind::Text, Kind::Number, Kind::Date, Kind::Flag],
                };
                let side = self.literal(&value.clone(), None, &kinds, &value.node.to_string())?;
                Some((side, kinds))
            }
        }
    }

    /// Resolves a field where a value is expected.
    fn as_value(&mut self, value: &At<Value>) -> Option<(Side, Vec<Kind>)> {
        self.in_value = true;
        let found = self.left(value);
        self.in_value = false;
        found
    }

    fn right(
        &mut self,
        left: &At<Value>,
        side: &Side,
        kinds: &[Kind],
        value: &At<Value>,
    ) -> Option<Side> {
        match &value.node {
            Value::Field(_) | Value::This(_) => {
                let (right, right_kinds) = self.as_value(value)?;
                let texts = |kinds: &[Kind]| {
                    kinds
                        .iter()
                        .any(|kind| matches!(kind, Kind::Text | Kind::Term))
                };
                let fits = kinds.iter().any(|kind| right_kinds.contains(kind))
                    || texts(kinds) && texts(&right_kinds);
                if !fits && !kinds.is_empty() && !right_kinds.is_empty() {
                    self.error(
                        Code::InvalidType,
                        value.span,
                        format!(
                            "`{}` holds {}, and `{}` holds {}",
                            left.node,
                            kinds_text(kinds),
                            value.node,
                            kinds_text(&right_kinds)
                        ),
                        "compare fields of the same type; write texts in quotes",
                    );
                    return None;
                }
                Some(right)
            }
            _ => {
                let field = match side {
                    Side::Field(field) | Side::This(field) => Some(field),
                    _ => None,
                };
                self.literal(value, field, kinds, &left.node.to_string())
            }
        }
    }

    /// Returns the number of a shuffle: of each day and each week another one.
    fn seed(&self, seed: Seed) -> u64 {
        let number = |year: i16, part: i16| {
            u64::from(year.unsigned_abs()) << 16 | u64::from(part.unsigned_abs())
        };
        let today = self.scope.moment.today();
        match seed {
            Seed::Fixed(seed) => seed,
            Seed::Today => number(today.year(), today.day_of_year()),
            Seed::Week => {
                let week = today.iso_week_date();
                number(week.year(), week.week().into())
            }
        }
    }

    fn key(&mut self, key: &At<Key>) -> Option<Order> {
        match &key.node {
            Key::Random(seed) => Some(Order::Random(self.seed(*seed))),
            Key::Field(name, descending) => {
                let (field, _) = self.field(name, key.span)?;
                Some(Order::Field(field, *descending))
            }
        }
    }
}
