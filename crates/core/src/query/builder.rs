//! Queries made in code: the same tree as that of a written one, so that a value can never be
//! taken for part of the statement.
//!
//! ```
//! use tabulae_core::query::builder::{Builder, Direction, field, this};
//!
//! let newest = Builder::from("posts")
//!     .filter(field("tag").has_all(["masonry", "lime"]).and(field("author").eq("Ines").negated()))
//!     .order_by("date", Direction::Descending)
//!     .limit(2)
//!     .query()?;
//! assert_eq!(
//!     newest.to_string(),
//!     "from posts where tag has all ('masonry', 'lime') and not author = 'Ines' \
//!      order by date desc limit 2"
//! );
//!
//! let neighbours = Builder::from("posts").filter(field("category").eq(this("category")));
//! assert_eq!(
//!     neighbours.query()?.to_string(),
//!     "from posts where category = this.category"
//! );
//! # Ok::<(), Box<tabulae_core::diagnostic::Diagnostic>>(())
//! ```

use std::ops::{BitAnd, BitOr, Not};

use jiff::civil::Date;

use super::ast::{
    At, Comparison, Condition, Key, Polarity, Quantity, Search, Seed, Statement, Test, Value,
};
use super::{Query, Written};
use crate::diagnostic::{Code, Diagnostic};
use crate::source::{EmbeddedText, Span};
use crate::time::DatePart;

/// A query that is being made.
#[derive(Debug, Clone, Default)]
#[must_use]
pub struct Builder(Statement);

/// The direction of an order.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Direction {
    /// Smallest or oldest first.
    Ascending,
    /// Largest or newest first.
    Descending,
}

impl Builder {
    /// Returns the query of all posts of a content set or named query.
    pub fn from(source: impl Into<String>) -> Self {
        Self::default().and_from(source)
    }

    /// Returns the query of all live posts.
    pub fn all() -> Self {
        Self::default()
    }

    /// Adds the posts of another content set or named query.
    pub fn and_from(mut self, source: impl Into<String>) -> Self {
        self.0.from.push(at(source.into()));
        self
    }

    /// Adds the posts of other languages than that of the page.
    pub fn any_language(mut self) -> Self {
        self.0.any_language = true;
        self
    }

    /// Keeps the posts for which a condition holds; of several conditions all must hold.
    pub fn filter(mut self, condition: Condition) -> Self {
        self.0.condition = Some(match self.0.condition.take() {
            Some(before) => before & condition,
            None => condition,
        });
        self
    }

    /// Orders by a field. A later call orders posts that are equal by the earlier ones.
    pub fn order_by(self, field: &str, direction: Direction) -> Self {
        let is_descending = direction == Direction::Descending;
        self.key(Key::Field(field.to_owned(), is_descending))
    }

    /// Shuffles; each number is another fixed shuffle.
    pub fn shuffled(self, seed: u64) -> Self {
        self.key(Key::Random(Seed::Fixed(seed)))
    }

    fn key(mut self, key: Key) -> Self {
        self.0.order.push(at(key));
        self
    }

    /// Limits the number of posts.
    pub fn limit(mut self, limit: usize) -> Self {
        self.0.limit = Some(limit);
        self
    }

    /// Skips the first posts.
    pub fn offset(mut self, offset: usize) -> Self {
        self.0.offset = Some(offset);
        self
    }

    /// The query; its diagnostics point into the statement as it is printed.
    ///
    /// # Errors
    /// Where no statement can say it: an empty list, a parameter's name with a blank, a year of
    /// five digits.
    pub fn query(self) -> Result<Query<Written>, Box<Diagnostic>> {
        let embedded = EmbeddedText::command_line(&self.0.to_string());
        let query = Query::parse(&embedded)?;
        if *query.statement() == self.0 {
            return Ok(query);
        }
        let location = embedded.location(Span::new(0, embedded.text().len()));
        let diagnostic = Diagnostic::error(
            Code::InvalidQuery,
            location,
            "a name or a value of this query cannot be written",
        );
        Err(Box::new(diagnostic.help(
            "names of parameters are letters, digits and `_`; years have four digits",
        )))
    }
}

fn at<T>(node: T) -> At<T> {
    At::new(node, Span::default())
}

/// A field of the tested post, to be compared.
#[derive(Debug, Clone)]
#[must_use]
pub struct Field(Value);

/// A field of the tested post. Any text is a name here, keywords too.
pub fn field(name: &str) -> Field {
    Field(Value::Field(name.to_owned()))
}

/// The value that a field has in the post whose page is being made.
#[must_use]
pub fn this(name: &str) -> Value {
    Value::This(name.to_owned())
}

/// The value that a parameter has when the query is resolved. The name is made of letters,
/// digits and `_`.
#[must_use]
pub fn parameter(name: &str) -> Value {
    Value::Parameter(name.to_owned())
}

impl Field {
    fn compare(self, comparison: Comparison, value: impl Into<Value>) -> Condition {
        test(Test::Compare(at(self.0), comparison, at(value.into())))
    }

    /// `=`
    #[must_use]
    pub fn eq(self, value: impl Into<Value>) -> Condition {
        self.compare(Comparison::Equal, value)
    }

    /// `!=`: none of its values equals this; a single one that is missing does not hold.
    #[must_use]
    pub fn ne(self, value: impl Into<Value>) -> Condition {
        self.compare(Comparison::Unequal, value)
    }

    /// `<`
    #[must_use]
    pub fn lt(self, value: impl Into<Value>) -> Condition {
        self.compare(Comparison::Less, value)
    }

    /// `<=`
    #[must_use]
    pub fn le(self, value: impl Into<Value>) -> Condition {
        self.compare(Comparison::LessOrEqual, value)
    }

    /// `>`
    #[must_use]
    pub fn gt(self, value: impl Into<Value>) -> Condition {
        self.compare(Comparison::Greater, value)
    }

    /// `>=`
    #[must_use]
    pub fn ge(self, value: impl Into<Value>) -> Condition {
        self.compare(Comparison::GreaterOrEqual, value)
    }

    /// `between`, both ends included.
    #[must_use]
    pub fn between(self, low: impl Into<Value>, high: impl Into<Value>) -> Condition {
        let (low, high) = (at(low.into()), at(high.into()));
        test(Test::Between(at(self.0), Polarity::Plain, low, high))
    }

    fn has<V: Into<Value>>(
        self,
        quantity: Quantity,
        values: impl IntoIterator<Item = V>,
    ) -> Condition {
        let values = values.into_iter().map(|value| at(value.into())).collect();
        test(Test::Has(at(self.0), quantity, values))
    }

    /// `has any`: one of these is among its values.
    #[must_use]
    pub fn has_any<V: Into<Value>>(self, values: impl IntoIterator<Item = V>) -> Condition {
        self.has(Quantity::Any, values)
    }

    /// `has all`: each of these is among its values.
    #[must_use]
    pub fn has_all<V: Into<Value>>(self, values: impl IntoIterator<Item = V>) -> Condition {
        self.has(Quantity::All, values)
    }

    /// `has none`: not one of these is among its values.
    #[must_use]
    pub fn has_none<V: Into<Value>>(self, values: impl IntoIterator<Item = V>) -> Condition {
        self.has(Quantity::None, values)
    }

    fn search(self, search: Search, text: &str) -> Condition {
        let text = at(Value::from(text));
        test(Test::Text(at(self.0), Polarity::Plain, search, text))
    }

    /// `contains`, without regard to case and accents.
    #[must_use]
    pub fn contains(self, text: &str) -> Condition {
        self.search(Search::Contains, text)
    }

    /// `starts with`, without regard to case.
    #[must_use]
    pub fn starts_with(self, text: &str) -> Condition {
        self.search(Search::StartsWith, text)
    }

    /// `ends with`, without regard to case.
    #[must_use]
    pub fn ends_with(self, text: &str) -> Condition {
        self.search(Search::EndsWith, text)
    }

    /// `matches`: the regular expression is found anywhere, without regard to case.
    #[must_use]
    pub fn matches(self, pattern: &str) -> Condition {
        self.search(Search::Matches, pattern)
    }

    /// `is missing`
    #[must_use]
    pub fn is_missing(self) -> Condition {
        test(Test::Missing(at(self.0), Polarity::Plain))
    }

    /// The field alone, which holds true or false.
    #[must_use]
    pub fn holds(self) -> Condition {
        test(Test::Flag(at(self.0)))
    }
}

fn test(test: Test) -> Condition {
    Condition::Test(at(test))
}

impl Condition {
    /// Returns the condition that this one and another hold; also as `a & b`.
    #[must_use]
    pub fn and(self, other: Condition) -> Condition {
        self & other
    }

    /// Returns the condition that this one or another holds; also as `a | b`.
    #[must_use]
    pub fn or(self, other: Condition) -> Condition {
        self | other
    }

    /// Returns the condition that this one does not hold; also as `!a`.
    #[must_use]
    pub fn negated(self) -> Condition {
        !self
    }
}

impl BitAnd for Condition {
    type Output = Condition;

    fn bitand(self, other: Condition) -> Condition {
        let mut all = match self {
            Condition::And(all) => all,
            single => vec![single],
        };
        all.push(other);
        Condition::And(all)
    }
}

impl BitOr for Condition {
    type Output = Condition;

    fn bitor(self, other: Condition) -> Condition {
        let mut any = match self {
            Condition::Or(any) => any,
            single => vec![single],
        };
        any.push(other);
        Condition::Or(any)
    }
}

impl Not for Condition {
    type Output = Condition;

    fn not(self) -> Condition {
        Condition::Not(Box::new(self))
    }
}

impl From<&str> for Value {
    fn from(text: &str) -> Self {
        Value::Text(text.to_owned())
    }
}

impl From<String> for Value {
    fn from(text: String) -> Self {
        Value::Text(text)
    }
}

impl From<i32> for Value {
    fn from(number: i32) -> Self {
        Value::Number(number.into(), number.to_string())
    }
}

impl From<bool> for Value {
    fn from(flag: bool) -> Self {
        Value::Flag(flag)
    }
}

impl From<Date> for Value {
    fn from(day: Date) -> Self {
        Value::Date(DatePart::Day(day), day.to_string())
    }
}

/// A number that is not whole; `None` where it is not finite.
#[must_use]
pub fn number(number: f64) -> Option<Value> {
    number
        .is_finite()
        .then(|| Value::Number(number, number.to_string()))
}
