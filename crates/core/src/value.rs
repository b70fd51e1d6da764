//! Values of front matter and settings: typed, with their place and their text as written.

use serde::{Deserialize, Serialize};

use crate::source::{Span, Spanned};
use crate::time::ZonedDate;

/// One value.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
pub enum Value {
    /// Nothing: an empty entry, or `null`.
    Null,
    /// Text.
    Text(String),
    /// A number, and its text as written (`1.10`).
    Number(f64, String),
    /// True or false, and its text as written.
    Flag(bool, String),
    /// A date, and its text as written.
    Date(Box<ZonedDate>, String),
    /// A list.
    List(Vec<Spanned<Value>>),
    /// A map, in the order written.
    Map(Map),
}

/// The kind of a value, for messages and for the types of fields.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord)]
pub enum Kind {
    /// [`Value::Text`]
    Text,
    /// [`Value::Number`]
    Number,
    /// [`Value::Flag`]
    Flag,
    /// [`Value::Date`]
    Date,
    /// Values that posts share.
    Term,
    /// [`Value::List`]
    List,
    /// [`Value::Map`]
    Map,
    /// [`Value::Null`]
    Null,
}

/// A key with its value.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
pub struct Entry {
    /// The key.
    pub key: Spanned<String>,
    /// The value.
    pub value: Spanned<Value>,
}

/// Keys with values, in the order written; each key once.
#[derive(Debug, Clone, PartialEq, Default, Serialize, Deserialize)]
pub struct Map {
    /// The entries.
    pub entries: Vec<Entry>,
}

impl Kind {
    /// The kind in words, with its article: "a list".
    #[must_use]
    pub fn article(self) -> &'static str {
        match self {
            Kind::Text => "text",
            Kind::Number => "a number",
            Kind::Flag => "true or false",
            Kind::Date => "a date",
            Kind::Term => "a term",
            Kind::List => "a list",
            Kind::Map => "a map",
            Kind::Null => "nothing",
        }
    }

    /// The kind in words, of many: "lists".
    #[must_use]
    pub fn plural(self) -> &'static str {
        match self {
            Kind::Text => "text",
            Kind::Number => "numbers",
            Kind::Flag => "true or false",
            Kind::Date => "dates",
            Kind::Term => "terms",
            Kind::List => "lists",
            Kind::Map => "maps",
            Kind::Null => "nothing",
        }
    }
}

impl Value {
    /// Returns the value as JSON: numbers as they are written, if JSON can hold them, and dates as text.
    #[must_use]
    pub fn json(&self) -> serde_json::Value {
        match self {
            Value::Null => serde_json::Value::Null,
            Value::Flag(flag, _) => (*flag).into(),
            Value::Number(number, written) => {
                serde_json::from_str(written).unwrap_or_else(|_| (*number).into())
            }
            Value::Text(text) | Value::Date(_, text) => text.as_str().into(),
            Value::List(items) => items.iter().map(|item| item.node.json()).collect(),
            Value::Map(map) => {
                let entries = map.entries.iter();
                let entries =
                    entries.map(|entry| (entry.key.node.clone(), entry.value.node.json()));
                serde_json::Value::Object(entries.collect())
            }
        }
    }

    /// The value's kind.
    #[must_use]
    pub fn kind(&self) -> Kind {
        match self {
            Value::Null => Kind::Null,
            Value::Text(_) => Kind::Text,
            Value::Number(..) => Kind::Number,
            Value::Flag(..) => Kind::Flag,
            Value::Date(..) => Kind::Date,
            Value::List(_) => Kind::List,
            Value::Map(_) => Kind::Map,
        }
    }

    /// The text of a single value as written; `None` for lists, maps and nothing.
    #[must_use]
    pub fn written(&self) -> Option<&str> {
        match self {
            Value::Text(text)
            | Value::Number(_, text)
            | Value::Flag(_, text)
            | Value::Date(_, text) => Some(text),
            Value::Null | Value::List(_) | Value::Map(_) => None,
        }
    }

    /// Returns true if it counts as missing: nothing, text of white space only, or a list of such.
    #[must_use]
    pub fn is_missing(&self) -> bool {
        match self {
            Value::Null => true,
            Value::Text(text) => text.trim().is_empty(),
            Value::List(items) => items.iter().all(|item| item.node.is_missing()),
            _ => false,
        }
    }
}

impl Map {
    /// The entry of this key.
    #[must_use]
    pub fn get(&self, key: &str) -> Option<&Entry> {
        self.entries.iter().find(|entry| entry.key.node == key)
    }

    /// The value at a dotted name: `boat.length` is the entry `boat.length`, or else `length`
    /// within the map `boat`.
    #[must_use]
    pub fn at(&self, name: &str) -> Option<&Spanned<Value>> {
        if let Some(entry) = self.get(name) {
            return Some(&entry.value);
        }
        name.match_indices('.')
            .find_map(|(dot, _)| match &self.get(&name[..dot])?.value.node {
                Value::Map(inner) => inner.at(&name[dot + 1..]),
                _ => None,
            })
    }

    /// Adds an entry, unless its key is there already: then the span of the first is returned.
    ///
    /// # Errors
    /// The place of the key's first use.
    pub fn insert(&mut self, entry: Entry) -> Result<(), Span> {
        match self.get(&entry.key.node) {
            Some(first) => Err(first.key.span),
            None => {
                self.entries.push(entry);
                Ok(())
            }
        }
    }
}

#[cfg(test)]
mod tests;
