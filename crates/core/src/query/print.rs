//! From the tree back to text, in one form: parsing what is printed gives the same tree.

use std::fmt::{self, Display, Formatter};

use super::ast::{
    At, Comparison, Condition, Key, Polarity, Quantity, Search, Seed, Statement, Step, Test, Unit,
    Value,
};
use super::lexer::word_length;
use super::parser::is_keyword;

impl Display for Statement {
    fn fmt(&self, f: &mut Formatter<'_>) -> fmt::Result {
        let mut parts: Vec<String> = Vec::new();
        if !self.from.is_empty() {
            let names: Vec<String> = self.from.iter().map(|name| name_text(&name.node)).collect();
            parts.push(format!("from {}", names.join(", ")));
        }
        if self.any_language {
            parts.push("any language".to_owned());
        }
        if let Some(condition) = &self.condition {
            parts.push(format!("where {condition}"));
        }
        if !self.order.is_empty() {
            let keys: Vec<String> = self.order.iter().map(|key| key.node.to_string()).collect();
            parts.push(format!("order by {}", keys.join(", ")));
        }
        if let Some(limit) = self.limit {
            parts.push(format!("limit {limit}"));
        }
        if let Some(offset) = self.offset {
            parts.push(format!("offset {offset}"));
        }
        f.write_str(&parts.join(" "))
    }
}

impl Display for Condition {
    fn fmt(&self, f: &mut Formatter<'_>) -> fmt::Result {
        match self {
            Condition::And(all) => join(f, all, " and ", |c| {
                matches!(c, Condition::Or(_) | Condition::And(_))
            }),
            Condition::Or(any) => join(f, any, " or ", |c| matches!(c, Condition::Or(_))),
            Condition::Not(inner) => match inner.as_ref() {
                // Parentheses that are not needed could be one level too many for the parser.
                Condition::Not(_) | Condition::Test(_) => write!(f, "not {inner}"),
                Condition::And(_) | Condition::Or(_) => write!(f, "not ({inner})"),
            },
            Condition::Test(test) => write!(f, "{}", test.node),
        }
    }
}

fn join(
    f: &mut Formatter<'_>,
    all: &[Condition],
    word: &str,
    wrap: fn(&Condition) -> bool,
) -> fmt::Result {
    for (at, condition) in all.iter().enumerate() {
        if at > 0 {
            f.write_str(word)?;
        }
        if wrap(condition) {
            write!(f, "({condition})")?;
        } else {
            write!(f, "{condition}")?;
        }
    }
    Ok(())
}

impl Display for Test {
    fn fmt(&self, f: &mut Formatter<'_>) -> fmt::Result {
        match self {
            Test::Compare(left, comparison, right) => {
                write!(f, "{} {comparison} {}", left.node, right.node)
            }
            Test::In(left, not, values) => write!(f, "{} {not}in ({})", left.node, list(values)),
            Test::Within(left, not, part) => write!(f, "{} {not}in {}", left.node, part.node),
            Test::Range(left, not, low, high) => {
                write!(f, "{} {not}in {} .. {}", left.node, low.node, high.node)
            }
            Test::Between(left, not, low, high) => {
                write!(
                    f,
                    "{} {not}between {} and {}",
                    left.node, low.node, high.node
                )
            }
            Test::Has(left, quantity, values) => {
                write!(f, "{} has {quantity} ({})", left.node, list(values))
            }
            Test::Text(left, not, search, text) => {
                write!(f, "{} {not}{search} {}", left.node, text.node)
            }
            Test::Missing(left, Polarity::Plain) => write!(f, "{} is missing", left.node),
            Test::Missing(left, Polarity::Negated) => write!(f, "{} is not missing", left.node),
            Test::Flag(field) => write!(f, "{}", field.node),
        }
    }
}

fn list(values: &[At<Value>]) -> String {
    values
        .iter()
        .map(|value| value.node.to_string())
        .collect::<Vec<_>>()
        .join(", ")
}

impl Display for Value {
    fn fmt(&self, f: &mut Formatter<'_>) -> fmt::Result {
        match self {
            Value::Field(name) => f.write_str(&name_text(name)),
            Value::This(name) if is_bare(name) => write!(f, "this.{name}"),
            Value::This(name) => write!(f, "this.{}", backquoted(name)),
            Value::Text(text) => write!(f, "'{}'", text.replace('\'', "''")),
            Value::Number(_, written) | Value::Date(_, written) => f.write_str(written),
            Value::Flag(flag) => write!(f, "{flag}"),
            Value::Parameter(name) => write!(f, ":{name}"),
            Value::Relative(base, steps) => {
                f.write_str(base.word())?;
                steps.iter().try_for_each(|step| write!(f, "{step}"))
            }
        }
    }
}

impl Display for Step {
    fn fmt(&self, f: &mut Formatter<'_>) -> fmt::Result {
        let sign = if self.count < 0 { '-' } else { '+' };
        let unit = match self.unit {
            Unit::Day => "day",
            Unit::Week => "week",
            Unit::Month => "month",
            Unit::Quarter => "quarter",
            Unit::Year => "year",
        };
        let count = self.count.unsigned_abs();
        write!(
            f,
            " {sign} {count} {unit}{}",
            if count == 1 { "" } else { "s" }
        )
    }
}

impl Display for Key {
    fn fmt(&self, f: &mut Formatter<'_>) -> fmt::Result {
        match self {
            Key::Field(name, false) => f.write_str(&name_text(name)),
            Key::Field(name, true) => write!(f, "{} desc", name_text(name)),
            Key::Random(Seed::Fixed(seed)) => write!(f, "random({seed})"),
            Key::Random(Seed::Today) => f.write_str("random(today)"),
            Key::Random(Seed::Week) => f.write_str("random(week)"),
        }
    }
}

impl Display for Comparison {
    fn fmt(&self, f: &mut Formatter<'_>) -> fmt::Result {
        f.write_str(match self {
            Comparison::Equal => "=",
            Comparison::Unequal => "!=",
            Comparison::Less => "<",
            Comparison::LessOrEqual => "<=",
            Comparison::Greater => ">",
            Comparison::GreaterOrEqual => ">=",
        })
    }
}

impl Display for Polarity {
    fn fmt(&self, f: &mut Formatter<'_>) -> fmt::Result {
        f.write_str(match self {
            Polarity::Plain => "",
            Polarity::Negated => "not ",
        })
    }
}

impl Display for Quantity {
    fn fmt(&self, f: &mut Formatter<'_>) -> fmt::Result {
        f.write_str(match self {
            Quantity::Any => "any",
            Quantity::All => "all",
            Quantity::None => "none",
        })
    }
}

impl Display for Search {
    fn fmt(&self, f: &mut Formatter<'_>) -> fmt::Result {
        f.write_str(match self {
            Search::Contains => "contains",
            Search::StartsWith => "starts with",
            Search::EndsWith => "ends with",
            Search::Matches => "matches",
        })
    }
}

/// A name bare where it can be, else in backquotes.
pub(crate) fn name_text(name: &str) -> String {
    let of_this = name.to_lowercase().starts_with("this.");
    if is_bare(name) && !is_keyword(name) && !of_this {
        name.to_owned()
    } else {
        backquoted(name)
    }
}

fn backquoted(name: &str) -> String {
    format!("`{}`", name.replace('`', "``"))
}

/// Returns true if the lexer reads it as one word.
fn is_bare(name: &str) -> bool {
    let starts = name.starts_with(|c: char| c.is_alphabetic() || c == '_');
    starts && word_length(name) == name.len()
}
