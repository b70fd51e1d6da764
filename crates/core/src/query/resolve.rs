//! From names to what they stand for: sources, fields, terms, literals with fitting types.

use std::sync::Arc;

use regex::RegexBuilder;

use super::ast::{At, Condition, Key, Polarity, Quantity, Search, Statement, Test, Value};
use super::check::{Check, FieldRef, Literal, Needle, Order, Side, Source};
use super::elsewhere;
use super::fields::{DerivedField, FIELDS, derived, meant};
use super::library::Library;
use super::literal::{kinds_text, listed, nearest_terms, relative};
use super::plan::plan;
use super::{Query, Resolved};
use crate::catalogue::Catalogue;
use crate::diagnostic::{Code, Collected, Diagnostic, Faults, nearest};
use crate::language::fold;
use crate::source::{Passage, Span};
use crate::time::{DatePart, Moment, Stamp, Stretch, parse_part};
use crate::value::Kind;

/// The value of a parameter, as a template hands it in.
#[derive(Debug, Clone, PartialEq)]
pub enum Parameter {
    /// A text.
    Text(String),
    /// A number.
    Number(f64),
    /// True or false.
    Flag(bool),
    /// A date.
    Date(Stamp),
    /// Several values.
    List(Vec<Parameter>),
    /// Nothing: each test with it is false.
    Missing,
}

/// What a query is resolved against.
#[derive(Debug, Clone, Copy)]
pub struct Scope<'a> {
    /// The posts.
    pub catalogue: &'a Catalogue,
    /// The named queries.
    pub library: &'a Library,
    /// The clock.
    pub moment: &'a Moment,
    /// Whether there is a post whose page is being made.
    pub has_this: bool,
    /// The parameters by name.
    pub parameters: &'a [(String, Parameter)],
}

/// Resolves a statement. After an error there is no query.
pub(super) fn resolve(
    statement: &Statement,
    passage: &Passage,
    scope: Scope<'_>,
) -> Collected<Option<Query<Resolved>>> {
    let mut faults = Faults::new();
    let mut resolver = Resolver {
        passage,
        scope,
        sets: Vec::new(),
        needs_this: false,
        in_value: false,
        faults: &mut faults,
    };
    let sources = resolver.sources(&statement.from);
    let check = match &statement.condition {
        None => Some(None),
        Some(condition) => resolver.condition(condition).map(Some),
    };
    let order: Option<Vec<Order>> = statement
        .order
        .iter()
        .map(|key| resolver.key(key))
        .collect();
    let needs_this = resolver.needs_this;
    let sound = !faults.iter().any(Diagnostic::is_error);
    let query = match (sources, check, order) {
        (Some(sources), Some(check), Some(order)) if sound => Some(Query(Resolved {
            needs_this: needs_this
                || sources
                    .iter()
                    .any(|source| matches!(source, Source::Named(query) if query.0.needs_this)),
            sources,
            checks: check.map_or_else(Vec::new, plan),
            order,
            limit: statement.limit,
            offset: statement.offset.unwrap_or(0),
        })),
        _ => None,
    };
    Collected {
        output: query,
        diagnostics: faults,
    }
}

struct Resolver<'a> {
    passage: &'a Passage,
    scope: Scope<'a>,
    sets: Vec<usize>,
    needs_this: bool,
    /// Whether what is looked at stands where a value is expected.
    in_value: bool,
    faults: &'a mut Faults,
}

impl Resolver<'_> {
    fn error(
        &mut self,
        code: Code,
        span: Span,
        message: impl Into<String>,
        help: impl Into<String>,
    ) {
        let place = self.passage.place(span);
        self.faults
            .push(Diagnostic::error(code, place, message).help(help));
    }

    fn sources(&mut self, from: &[At<String>]) -> Option<Vec<Source>> {
        let catalogue = self.scope.catalogue;
        if from.is_empty() {
            self.sets = (0..catalogue.sets().len()).collect();
            return Some(self.sets.iter().map(|set| Source::Set(*set)).collect());
        }
        let mut sources = Vec::new();
        for name in from {
            if let Some(set) = catalogue.sets().iter().position(|set| *set == name.node) {
                self.sets.push(set);
                sources.push(Source::Set(set));
            } else if let Some(query) = self.scope.library.queries.get(&name.node) {
                self.sets.extend(query.0.sets());
                sources.push(Source::Named(Arc::clone(query)));
            } else {
                let queries = self.scope.library.queries.keys().map(String::as_str);
                let known: Vec<&str> = catalogue
                    .sets()
                    .iter()
                    .map(String::as_str)
                    .chain(queries)
                    .collect();
                let place = self.passage.place(name.span);
                let message = format!("there is no content set or named query `{}`", name.node);
                self.faults.push(
                    Diagnostic::error(Code::SourceUnknown, place, message)
                        .suggest(&name.node, known),
                );
            }
        }
        self.sets.sort_unstable();
        self.sets.dedup();
        (sources.len() == from.len()).then_some(sources)
    }

    fn condition(&mut self, condition: &Condition) -> Option<Check> {
        match condition {
            Condition::And(all) => self.each(all).map(Check::All),
            Condition::Or(any) => self.each(any).map(Check::Any),
            Condition::Not(inner) => self
                .condition(inner)
                .map(|check| Check::Not(Box::new(check))),
            Condition::Test(test) => self.test(&test.node),
        }
    }

    /// All faults of a condition are reported, not the first.
    fn each(&mut self, conditions: &[Condition]) -> Option<Vec<Check>> {
        let checks: Vec<Option<Check>> = conditions
            .iter()
            .map(|condition| self.condition(condition))
            .collect();
        checks.into_iter().collect()
    }

    fn test(&mut self, test: &Test) -> Option<Check> {
        match test {
            Test::Compare(left, comparison, right) => {
                let (left, right) = self.pair(left, right)?;
                Some(match (left, right) {
                    (Side::Literals(left), right @ (Side::Field(_) | Side::This(_))) => {
                        Check::Compare(right, comparison.turned(), Side::Literals(left))
                    }
                    (left, right) => Check::Compare(left, *comparison, right),
                })
            }
            Test::In(left, polarity, values) => {
                let (left, values) = self.pairs(left, values)?;
                Some(Check::OneOf(left, *polarity, values))
            }
            Test::Within(left, polarity, part) => {
                let (left, part) = self.pair(left, part)?;
                Some(Check::OneOf(left, *polarity, vec![part]))
            }
            Test::Range(left, polarity, low, high) | Test::Between(left, polarity, low, high) => {
                let (side, low_side) = self.pair(left, low)?;
                let (_, high_side) = self.pair(left, high)?;
                Some(Check::Range(side, *polarity, low_side, high_side))
            }
            Test::Has(left, quantity, values) => {
                let (left, values) = self.pairs(left, values)?;
                Some(match quantity {
                    Quantity::Any => Check::OneOf(left, Polarity::Plain, values),
                    Quantity::None => Check::OneOf(left, Polarity::Negated, values),
                    Quantity::All => Check::EachOf(left, values),
                })
            }
            Test::Text(left, polarity, search, text) => self.search(left, *polarity, *search, text),
            Test::Missing(left, polarity) => {
                let (side, _) = self.left(left)?;
                Some(Check::Missing(side, *polarity))
            }
            Test::Flag(field) => self.flag(field),
        }
    }

    fn flag(&mut self, field: &At<Value>) -> Option<Check> {
        let (side, kinds) = self.left(field)?;
        if kinds.contains(&Kind::Flag) {
            return Some(Check::Flag(side));
        }
        let name = field.node.to_string();
        let holds = kinds_text(&kinds);
        let form = match kinds.first() {
            Some(Kind::Number) => format!("`{name} > 0`, or `{name} is not missing`"),
            Some(Kind::Date) => format!("`{name} > 2026-01`, or `{name} is not missing`"),
            _ => format!("`{name} = '…'`, or `{name} is not missing`"),
        };
        self.error(
            Code::TypeUnfit,
            field.span,
            format!("`{name}` alone is no test: it holds {holds}, not true or false"),
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

    /// Both sides of a comparison; where the field stands on the right, the literal on the left
    /// is read as the field's kind asks.
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
                let all: Vec<usize> = (0..self.scope.catalogue.sets().len()).collect();
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

    fn use_this(&mut self, span: Span, name: &str) -> Option<()> {
        self.needs_this = true;
        if self.scope.has_this {
            return Some(());
        }
        self.error(
            Code::QueryUnfit,
            span,
            format!("`{name}` has no meaning here: no post's page is being made"),
            "use it in a post's template, or on the command line with `--this PATH`",
        );
        None
    }

    fn field(&mut self, name: &str, span: Span) -> Option<(FieldRef, Vec<Kind>)> {
        let sets = self.sets.clone();
        self.field_in(name, span, &sets)
    }

    fn field_in(
        &mut self,
        name: &str,
        span: Span,
        sets: &[usize],
    ) -> Option<(FieldRef, Vec<Kind>)> {
        let catalogue = self.scope.catalogue;
        if let Some(field) = catalogue.term_field(name) {
            return Some((FieldRef::Term(field), vec![Kind::Term]));
        }
        if let Some(derived) = derived(name) {
            match derived.field {
                DerivedField::Current => self.use_this(span, "current")?,
                DerivedField::Likeness => {
                    self.error(
                        Code::NotYet,
                        span,
                        "`likeness` does not come with this version",
                        "order by date for now: `order by date desc`",
                    );
                    return None;
                }
                _ => {}
            }
            return Some((FieldRef::Derived(derived.field), vec![derived.kind]));
        }
        let own = name.strip_prefix("meta.").unwrap_or(name);
        if let Some(profile) = catalogue.profile(own, sets) {
            if profile.kinds == [Kind::Map] {
                let inner = catalogue
                    .field_names(sets)
                    .into_iter()
                    .find(|known| known.starts_with(&format!("{own}.")));
                let example = inner.unwrap_or(own).to_owned();
                self.error(
                    Code::FieldUnfit,
                    span,
                    format!("`{name}` is a map, and a test is of one of its entries"),
                    format!("name the entry: `{example}`"),
                );
                return None;
            }
            if let Some(column) = catalogue.column(own) {
                let many = profile.many;
                return Some((FieldRef::Own { column, many }, profile.kinds));
            }
        }
        self.unknown_field(name, span, sets);
        None
    }

    fn unknown_field(&mut self, name: &str, span: Span, sets: &[usize]) {
        let catalogue = self.scope.catalogue;
        let own = catalogue.field_names(sets);
        let terms = catalogue
            .term_tables()
            .iter()
            .map(|table| table.field.name.as_str());
        let of_every = FIELDS
            .iter()
            .filter(|field| field.field != DerivedField::Likeness)
            .map(|field| field.name);
        let mut known: Vec<&str> = of_every.chain(terms).collect();
        for name in own {
            if !known.contains(&name) && catalogue.term_field(name).is_none() {
                known.push(name);
            }
        }
        let of: Vec<&str> = sets
            .iter()
            .map(|set| catalogue.sets()[*set].as_str())
            .collect();
        let all: Vec<usize> = (0..catalogue.sets().len()).collect();
        let elsewhere = all
            .iter()
            .find(|set| !sets.contains(set) && catalogue.profile(name, &[**set]).is_some());
        let fault = Diagnostic::error(
            Code::FieldUnknown,
            self.passage.place(span),
            format!("no post of `{}` has a field `{name}`", of.join("`, `")),
        );
        let help = if let Some(set) = elsewhere {
            let set = &catalogue.sets()[*set];
            format!("the posts of `{set}` have it: write `from {set}`")
        } else if let Some(help) = elsewhere::name(name) {
            help.to_owned()
        } else if let Some(near) = nearest(name, known.iter().copied()) {
            format!("did you mean `{near}`?")
        } else if self.in_value {
            format!("a text stands in quotes: '{name}'")
        } else if let Some(field) = meant(name) {
            format!("did you mean `{}`?", field.name)
        } else {
            known.retain(|name| derived(name).is_none());
            format!(
                "fields here are {}, and those of every post, such as `title`, `date` and `year`",
                listed(&known)
            )
        };
        let fault = fault.help(help);
        self.faults.push(fault);
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
                self.in_value = true;
                let found = self.left(value);
                self.in_value = false;
                let (right, right_kinds) = found?;
                let texts = |kinds: &[Kind]| {
                    kinds
                        .iter()
                        .any(|kind| matches!(kind, Kind::Text | Kind::Term))
                };
                let fits = kinds.iter().any(|kind| right_kinds.contains(kind))
                    || texts(kinds) && texts(&right_kinds);
                if !fits && !kinds.is_empty() && !right_kinds.is_empty() {
                    self.error(
                        Code::TypeUnfit,
                        value.span,
                        format!(
                            "`{}` holds {}, and `{}` holds {}",
                            left.node,
                            kinds_text(kinds),
                            value.node,
                            kinds_text(&right_kinds)
                        ),
                        "compare fields that hold the same kind of value; a text stands in quotes",
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

    /// A literal as the kinds of the field ask; one of a type that the field never has is an error.
    fn literal(
        &mut self,
        value: &At<Value>,
        field: Option<&FieldRef>,
        kinds: &[Kind],
        name: &str,
    ) -> Option<Side> {
        if let Value::Parameter(parameter) = &value.node {
            let scope = self.scope;
            let Some((_, given)) = scope
                .parameters
                .iter()
                .find(|(known, _)| known == parameter)
            else {
                let known: Vec<&str> = scope
                    .parameters
                    .iter()
                    .map(|(name, _)| name.as_str())
                    .collect();
                let place = self.passage.place(value.span);
                let fault = Diagnostic::error(
                    Code::QueryUnfit,
                    place,
                    format!("the parameter :{parameter} is not given"),
                );
                self.faults.push(if known.is_empty() {
                    fault.help(format!("in a template, write query(\"…\", {parameter}=…)"))
                } else {
                    fault.suggest(parameter, known)
                });
                return None;
            };
            return self.parameter(given, value, field, kinds, name);
        }
        self.plain_literal(&value.node, value.span, field, kinds, name)
            .map(|literal| Side::Literals(vec![literal]))
    }

    fn parameter(
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
            Parameter::Date(stamp) if kinds.contains(&Kind::Date) => {
                let stretch = Stretch {
                    start: stamp.at,
                    end: stamp.at,
                };
                return Some(Side::Literals(vec![Literal::Date(stretch)]));
            }
            Parameter::Date(stamp) => Value::Text(stamp.iso()),
        };
        self.plain_literal(&node, value.span, field, kinds, name)
            .map(|literal| Side::Literals(vec![literal]))
    }

    fn plain_literal(
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
                    folded: fold(text).into_owned(),
                });
            }
            Value::Number(number, _) if has(Kind::Number) => return Some(Literal::Number(*number)),
            Value::Number(_, written) if has(Kind::Date) && written.len() == 4 => {
                if let Some(stretch) = parse_part(written)
                    .ok()
                    .and_then(|part| part.stretch(&moment.zone).ok())
                {
                    return Some(Literal::Date(stretch));
                }
            }
            Value::Flag(flag) if has(Kind::Flag) => return Some(Literal::Flag(*flag)),
            Value::Date(part, written) if has(Kind::Date) => {
                return self.stretch(part, written, span).map(Literal::Date);
            }
            Value::Relative(base, steps) if has(Kind::Date) => {
                return match relative(*base, steps, moment) {
                    Some(stretch) => Some(Literal::Date(stretch)),
                    None => {
                        self.error(
                            Code::QueryUnfit,
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

    fn stretch(&mut self, part: &DatePart, written: &str, span: Span) -> Option<Stretch> {
        match part.stretch(&self.scope.moment.zone) {
            Ok(stretch) => Some(stretch),
            Err(_) => {
                self.error(
                    Code::QueryUnfit,
                    span,
                    format!("the date {written} leads out of the calendar"),
                    "write a year of four digits",
                );
                None
            }
        }
    }

    fn unfit(&mut self, value: &Value, span: Span, kinds: &[Kind], name: &str) {
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
            (Value::Text(_), _) if name == "month" => {
                "write the month's number, 1 to 12".to_owned()
            }
            (Value::Number(_, written) | Value::Date(_, written), Some(Kind::Text)) => {
                format!("put it in quotes: '{written}'")
            }
            (_, Some(Kind::Date)) => "write a date such as 2026-03-14, 2026-03 or 2026".to_owned(),
            (_, Some(Kind::Number)) => "write a number".to_owned(),
            (_, Some(Kind::Flag)) => format!("write `{name}`, or `not {name}`"),
            (_, Some(Kind::Text)) => "write a text in quotes".to_owned(),
            _ => "no post holds a value here that could be compared".to_owned(),
        };
        self.error(
            Code::TypeUnfit,
            span,
            format!("`{name}` holds {}, never {found}", kinds_text(kinds)),
            help,
        );
    }

    /// A term by any of its spellings; one that no listed post has is a warning.
    fn term(&mut self, number: usize, value: &Value, span: Span) -> Literal {
        let table = self.scope.catalogue.terms(number);
        let spelling = match value {
            Value::Text(text) | Value::Number(_, text) | Value::Date(_, text) => text.clone(),
            other => other.to_string(),
        };
        let found = table.find(&spelling);
        let used = found.filter(|id| !table.term(*id).posts.is_empty());
        if used.is_none() {
            let names: Vec<&str> = table
                .terms
                .iter()
                .filter(|term| !term.posts.is_empty())
                .map(|term| term.name.as_str())
                .collect();
            let near: Vec<String> = nearest_terms(&spelling, &names)
                .into_iter()
                .filter_map(|name| table.find(name))
                .map(|id| format!("`{}` ({})", table.term(id).name, table.term(id).posts.len()))
                .collect();
            let field = &table.field.name;
            let warning = Diagnostic::warning(
                Code::TermUnknown,
                self.passage.place(span),
                format!("no post has the {field} \"{spelling}\""),
            );
            self.faults.push(if near.is_empty() {
                warning.help(format!(
                    "`tabulae query \"\" --by {field}` lists those there are"
                ))
            } else {
                warning.help(format!("the nearest: {}", near.join(", ")))
            });
        }
        Literal::Term(number, found)
    }

    fn search(
        &mut self,
        left: &At<Value>,
        polarity: Polarity,
        search: Search,
        text: &At<Value>,
    ) -> Option<Check> {
        let (side, kinds) = self.left(left)?;
        if !kinds
            .iter()
            .any(|kind| matches!(kind, Kind::Text | Kind::Term))
        {
            self.error(
                Code::TypeUnfit,
                left.span,
                format!(
                    "`{}` holds {}, and `{search}` looks into text",
                    left.node,
                    kinds_text(&kinds)
                ),
                if kinds.contains(&Kind::Date) {
                    "write `date in 2026-03`, or compare it with `=`, `<` or `>`"
                } else {
                    "compare it with `=`, `<` or `>`"
                },
            );
            return None;
        }
        let needle = match &text.node {
            Value::Text(text) => Some(text.clone()),
            Value::Number(_, written) | Value::Date(_, written) if kinds.contains(&Kind::Term) => {
                Some(written.clone())
            }
            Value::Parameter(name) => match self
                .scope
                .parameters
                .iter()
                .find(|(known, _)| known == name)
            {
                Some((_, Parameter::Text(text))) => Some(text.clone()),
                Some((_, Parameter::Number(number))) => Some(number.to_string()),
                Some((_, Parameter::Missing)) => {
                    return Some(Check::Search(side, polarity, Needle::Missing));
                }
                _ => None,
            },
            Value::Field(_) | Value::This(_) if search != Search::Matches => {
                self.in_value = true;
                let found = self.left(text);
                self.in_value = false;
                let (right, _) = found?;
                return match right {
                    Side::This(field) => {
                        Some(Check::Search(side, polarity, Needle::Of(search, field)))
                    }
                    _ => {
                        self.error(
                            Code::QueryUnfit,
                            text.span,
                            format!("`{search}` looks for a text, and this is a field"),
                            format!("put the text in quotes: '{}'", text.node),
                        );
                        None
                    }
                };
            }
            _ => None,
        };
        let Some(needle) = needle else {
            self.error(
                Code::TypeUnfit,
                text.span,
                format!("`{search}` looks for a text"),
                format!("put the text in quotes: '{}'", text.node),
            );
            return None;
        };
        let needle = match search {
            Search::Matches => self.pattern(&needle, text.span)?,
            _ => Needle::Plain(search, search.folded(&needle).into_owned()),
        };
        Some(Check::Search(side, polarity, needle))
    }

    fn pattern(&mut self, text: &str, span: Span) -> Option<Needle> {
        match RegexBuilder::new(text)
            .case_insensitive(true)
            .size_limit(1 << 20)
            .build()
        {
            Ok(pattern) => Some(Needle::Pattern(pattern)),
            Err(error) => {
                let shown = error.to_string();
                let why = shown
                    .lines()
                    .last()
                    .unwrap_or_default()
                    .trim_start_matches("error: ")
                    .to_owned();
                self.error(
                    Code::QueryUnreadable,
                    span,
                    format!("this is not a regular expression: {why}"),
                    "to find the text as it stands, write `contains`",
                );
                None
            }
        }
    }

    fn key(&mut self, key: &At<Key>) -> Option<Order> {
        match &key.node {
            Key::Random(seed) => Some(Order::Random(*seed)),
            Key::Field(name, descending) => {
                let (field, _) = self.field(name, key.span)?;
                Some(Order::Field(field, *descending))
            }
        }
    }
}
