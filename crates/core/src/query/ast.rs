//! The tree of a statement, each node with its span in the statement's text.

use serde::{Deserialize, Serialize};

use crate::source::Span;
use crate::time::DatePart;

/// A node with its span, which does not count for equality.
#[derive(Debug, Clone)]
pub struct At<T> {
    /// The node.
    pub node: T,
    /// The bytes in the statement.
    pub span: Span,
}

impl<T: PartialEq> PartialEq for At<T> {
    fn eq(&self, other: &Self) -> bool {
        self.node == other.node
    }
}

impl<T> At<T> {
    pub(super) fn new(node: T, span: Span) -> Self {
        Self { node, span }
    }
}

/// A whole statement: which posts, in which order, how many.
#[derive(Debug, Clone, PartialEq, Default)]
pub struct Statement {
    /// Content sets and named queries; empty for all content sets.
    pub from: Vec<At<String>>,
    /// Set if posts of all languages are meant, by `any language`.
    pub any_language: bool,
    /// The condition that the posts must meet.
    pub condition: Option<Condition>,
    /// In which order.
    pub order: Vec<At<Key>>,
    /// The most that are wanted.
    pub limit: Option<usize>,
    /// The number that is skipped first.
    pub offset: Option<usize>,
}

/// The time for which an answer is valid while the posts do not change.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Default, Serialize, Deserialize)]
pub enum Validity {
    /// For ever.
    #[default]
    Ever,
    /// Until the day is over: it counts from today.
    Today,
    /// Not at all: it counts from now.
    Moment,
}

impl Statement {
    /// Returns the validity of the answer, without that of its named queries.
    #[must_use]
    pub fn validity(&self) -> Validity {
        let condition = self.condition.as_ref().map(Condition::validity);
        let shuffles = self.order.iter().map(|key| match &key.node {
            Key::Random(Seed::Today | Seed::Week) => Validity::Today,
            _ => Validity::Ever,
        });
        condition
            .into_iter()
            .chain(shuffles)
            .max()
            .unwrap_or_default()
    }

    /// Returns true if it says of which language posts are, so that it is not limited to that of the page.
    #[must_use]
    pub fn names_language(&self) -> bool {
        self.any_language || self.names("language")
    }

    /// Returns true if it reads the texts of posts, or counts their words.
    #[must_use]
    pub fn looks_into_texts(&self) -> bool {
        let of_texts = ["words", "minutes", "text"];
        of_texts.iter().any(|field| self.names(field))
    }

    /// Returns true if it tests a field or orders by it, without its named queries.
    #[must_use]
    pub fn names(&self, field: &str) -> bool {
        self.fields().any(|name| name == field)
    }

    /// Returns the fields that it orders by and tests, without those of named queries after `from`. A field may
    /// come several times.
    pub fn fields(&self) -> impl Iterator<Item = &str> {
        let ordered = self.order.iter().filter_map(|key| match &key.node {
            Key::Field(name, _) => Some(name.as_str()),
            Key::Random(_) => None,
        });
        let tested = self.values().filter_map(|value| match &value.node {
            Value::Field(name) | Value::This(name) => Some(name.as_str()),
            _ => None,
        });
        ordered.chain(tested)
    }

    /// The names of the parameters that it asks for, in the order written.
    #[must_use]
    pub fn parameters(&self) -> Vec<&str> {
        let values = self.values();
        let names = values.filter_map(|value| match &value.node {
            Value::Parameter(name) => Some(name.as_str()),
            _ => None,
        });
        names.collect()
    }

    /// All that have a value in its condition.
    fn values(&self) -> impl Iterator<Item = &At<Value>> {
        self.condition.iter().flat_map(Condition::values)
    }
}

impl Condition {
    /// All that have a value in it, in the order written.
    fn values(&self) -> Vec<&At<Value>> {
        match self {
            Condition::And(parts) | Condition::Or(parts) => {
                parts.iter().flat_map(Condition::values).collect()
            }
            Condition::Not(part) => part.values(),
            Condition::Test(test) => test.node.values(),
        }
    }

    /// Returns the validity of a condition's result.
    #[must_use]
    pub fn validity(&self) -> Validity {
        let values = self.values().into_iter();
        let validity = values.map(|value| match &value.node {
            Value::Relative(Base::Today, _) => Validity::Today,
            Value::Relative(Base::Now, _) => Validity::Moment,
            _ => Validity::Ever,
        });
        validity.max().unwrap_or_default()
    }
}

/// The posts.
#[derive(Debug, Clone, PartialEq)]
pub enum Condition {
    /// All of these hold.
    And(Vec<Condition>),
    /// One of these holds.
    Or(Vec<Condition>),
    /// The condition does not hold.
    Not(Box<Condition>),
    /// A single test.
    Test(At<Test>),
}

/// A single test.
#[derive(Debug, Clone, PartialEq)]
pub enum Test {
    /// `a = b`
    Compare(At<Value>, Comparison, At<Value>),
    /// `a in (b, c)`
    In(At<Value>, Polarity, Vec<At<Value>>),
    /// `a in 2026-03`
    Within(At<Value>, Polarity, At<Value>),
    /// `a in b .. c`
    Range(At<Value>, Polarity, At<Value>, At<Value>),
    /// `a between b and c`
    Between(At<Value>, Polarity, At<Value>, At<Value>),
    /// `a has any (b, c)`
    Has(At<Value>, Quantity, Vec<At<Value>>),
    /// `a contains b`
    Text(At<Value>, Polarity, Search, At<Value>),
    /// `a is missing`
    Missing(At<Value>, Polarity),
    /// `a`, a boolean field
    Flag(At<Value>),
}

impl Test {
    /// All that have a value in it, in the order written.
    #[must_use]
    pub fn values(&self) -> Vec<&At<Value>> {
        match self {
            Test::Compare(left, _, right)
            | Test::Within(left, _, right)
            | Test::Text(left, _, _, right) => vec![left, right],
            Test::Range(left, _, low, high) | Test::Between(left, _, low, high) => {
                vec![left, low, high]
            }
            Test::In(left, _, values) | Test::Has(left, _, values) => {
                std::iter::once(left).chain(values).collect()
            }
            Test::Missing(left, _) | Test::Flag(left) => vec![left],
        }
    }
}

/// `=` and the like.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Comparison {
    /// `=`
    Equal,
    /// `!=`
    Unequal,
    /// `<`
    Less,
    /// `<=`
    LessOrEqual,
    /// `>`
    Greater,
    /// `>=`
    GreaterOrEqual,
}

impl Comparison {
    /// The comparison when its two sides change places.
    pub(super) fn turned(self) -> Self {
        match self {
            Comparison::Equal | Comparison::Unequal => self,
            Comparison::Less => Comparison::Greater,
            Comparison::LessOrEqual => Comparison::GreaterOrEqual,
            Comparison::Greater => Comparison::Less,
            Comparison::GreaterOrEqual => Comparison::LessOrEqual,
        }
    }
}

/// The sense of a test: plain, or negated by `not`.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Polarity {
    /// The test as it is written.
    Plain,
    /// With `not`.
    Negated,
}

/// The number of values that must be there.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Quantity {
    /// At least one.
    Any,
    /// Each of them.
    All,
    /// Not one.
    None,
}

/// The way in which a text is searched for in another.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Search {
    /// Anywhere.
    Contains,
    /// At the start.
    StartsWith,
    /// At the end.
    EndsWith,
    /// As a regular expression, anywhere.
    Matches,
}

/// Something that has a value.
#[derive(Debug, Clone, PartialEq)]
pub enum Value {
    /// A field of the post that is tested.
    Field(String),
    /// A field of the post whose page is being made.
    This(String),
    /// A text.
    Text(String),
    /// A number, and its text as written.
    Number(f64, String),
    /// True or false.
    Flag(bool),
    /// A date, a part of one, or an instant, and its text as written.
    Date(DatePart, String),
    /// A parameter.
    Parameter(String),
    /// A day or instant counted from now.
    Relative(Base, Vec<Step>),
}

/// The start of a relative date.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Base {
    /// The whole day.
    Today,
    /// The instant.
    Now,
}

impl Base {
    /// The word for it.
    pub(super) fn word(self) -> &'static str {
        match self {
            Base::Today => "today",
            Base::Now => "now",
        }
    }
}

/// One step of a relative date.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Step {
    /// The number, negative for `-`.
    pub count: i32,
    /// Of what.
    pub unit: Unit,
}

/// A unit of the calendar.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Unit {
    /// 1 day
    Day,
    /// 7 days
    Week,
    /// 1 month, clamped to the month's end
    Month,
    /// 3 months
    Quarter,
    /// 12 months
    Year,
}

/// The key by which posts are ordered.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum Key {
    /// A field; `true` for descending.
    Field(String, bool),
    /// A shuffle.
    Random(Seed),
}

/// The seed of a shuffle.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Seed {
    /// A number: the shuffle stays the same.
    Fixed(u64),
    /// The day of the build.
    Today,
    /// The week of the build (ISO 8601), from Monday.
    Week,
}
