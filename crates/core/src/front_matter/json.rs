//! JSON headers (RFC 8259). A text in the form of a date is a date, as JSON has no other way.

use std::borrow::Cow;

use jiff::tz::TimeZone;
use serde::Deserialize;
use serde::de::{MapAccess, Visitor};
use serde_json::error::Category;
use serde_json::value::RawValue;

use super::{DEPTH, as_date, insert};
use crate::diagnostic::{Code, Diagnostic, Diagnostics};
use crate::source::{Source, Span, Spanned};
use crate::value::{Map, Value};

/// Reads the object at `span`, which is known to be well formed.
pub(super) fn parse(
    source: &Source,
    span: Span,
    zone: &TimeZone,
    diagnostics: &mut Diagnostics,
) -> Map {
    let text = &source.text()[span.start..span.end];
    let mut reader = Reader {
        source,
        zone,
        diagnostics,
        depth: 0,
    };
    match reader.value(text) {
        Value::Map(map) => map,
        _ => Map::default(),
    }
}

/// Returns the place of the object that a whole file is.
///
/// # Errors
/// A syntax error, or a file that is no object.
pub(super) fn check(source: &Source) -> Result<Span, Box<Diagnostic>> {
    let text = source.text();
    match serde_json::from_str::<&RawValue>(text) {
        Ok(raw) if raw.get().starts_with('{') => {
            let start = text.len() - text.trim_start().len();
            Ok(Span::new(start, start + raw.get().len()))
        }
        Ok(_) => {
            let message = "a post in JSON is an object";
            let found = Diagnostic::error(Code::FrontMatterSyntax, source.top(), message);
            Err(Box::new(found.help("put its entries between `{` and `}`")))
        }
        Err(error) => Err(Box::new(diagnostic(source, 0, text, &error))),
    }
}

/// Returns the diagnostic of a syntax error in `text`, which begins at byte `base` of `source`.
pub(super) fn diagnostic(
    source: &Source,
    base: usize,
    text: &str,
    error: &serde_json::Error,
) -> Diagnostic {
    let line_start: usize = text
        .split_inclusive('\n')
        .take(error.line().saturating_sub(1))
        .map(str::len)
        .sum();
    let at = (base + line_start + error.column().saturating_sub(1)).min(source.text().len());
    let why = match error.classify() {
        Category::Eof => "it ends before its last `}`".to_owned(),
        Category::Io | Category::Syntax | Category::Data => unexpected(source.text(), at),
    };
    Diagnostic::error(
        Code::FrontMatterSyntax,
        source.location(Span::new(at, at + 1)),
        format!("invalid JSON: {why}"),
    )
    .help("write keys and texts in double quotes, a comma between entries, and `}` at the end")
}

/// Says what is not expected at byte `at` of a text.
fn unexpected(text: &str, at: usize) -> String {
    let after_comma = text
        .get(..at)
        .is_some_and(|before| before.trim_end().ends_with(','));
    match text.get(at..).and_then(|rest| rest.chars().next()) {
        Some(end @ ('}' | ']')) if after_comma => {
            format!("nothing follows the comma before `{end}`")
        }
        Some(c) if c.is_control() => "a line end or a tab is not expected here".to_owned(),
        Some(c) => format!("`{c}` is not expected here"),
        None => "more is expected here".to_owned(),
    }
}

struct Reader<'a> {
    source: &'a Source,
    zone: &'a TimeZone,
    diagnostics: &'a mut Diagnostics,
    /// The number of open lists and maps.
    depth: usize,
}

struct Pairs<'a>(Vec<(Cow<'a, str>, &'a RawValue)>);

impl<'de: 'a, 'a> Deserialize<'de> for Pairs<'a> {
    fn deserialize<D: serde::Deserializer<'de>>(deserializer: D) -> Result<Self, D::Error> {
        struct Each;
        impl<'de> Visitor<'de> for Each {
            type Value = Pairs<'de>;
            fn expecting(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
                f.write_str("an object")
            }
            fn visit_map<A: MapAccess<'de>>(self, mut map: A) -> Result<Self::Value, A::Error> {
                let mut pairs = Vec::new();
                while let Some(Key(key)) = map.next_key()? {
                    pairs.push((key, map.next_value()?));
                }
                Ok(Pairs(pairs))
            }
        }
        deserializer.deserialize_map(Each)
    }
}

struct Key<'a>(Cow<'a, str>);

impl<'de: 'a, 'a> Deserialize<'de> for Key<'a> {
    fn deserialize<D: serde::Deserializer<'de>>(deserializer: D) -> Result<Self, D::Error> {
        struct Text;
        impl<'de> Visitor<'de> for Text {
            type Value = Key<'de>;
            fn expecting(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
                f.write_str("a text")
            }
            fn visit_borrowed_str<E>(self, text: &'de str) -> Result<Self::Value, E> {
                Ok(Key(Cow::Borrowed(text)))
            }
            fn visit_str<E>(self, text: &str) -> Result<Self::Value, E> {
                Ok(Key(Cow::Owned(text.to_owned())))
            }
        }
        deserializer.deserialize_str(Text)
    }
}

impl Reader<'_> {
    /// The bytes of `part`, a slice of the source's text.
    fn span(&self, part: &str) -> Span {
        let start = part.as_ptr() as usize - self.source.text().as_ptr() as usize;
        Span::new(start, start + part.len())
    }

    /// Reads a list or a map, unless it lies too deep in others.
    fn nested(&mut self, raw: &str) -> Value {
        if self.depth == DEPTH {
            let location = self.source.location(self.span(raw));
            let message = format!("lists and maps are nested more than {DEPTH} deep");
            self.diagnostics.push(
                Diagnostic::error(Code::FrontMatterSyntax, location, message)
                    .help("write the value in fewer levels"),
            );
            return Value::Null;
        }
        self.depth += 1;
        let value = if raw.starts_with('{') {
            {
                let pairs = serde_json::from_str::<Pairs<'_>>(raw);
                self.map(pairs.expect("the text of a value was read as one already"))
            }
        } else {
            let items = serde_json::from_str::<Vec<&RawValue>>(raw);
            let items = items.expect("the text of a value was read as one already");
            Value::List(items.into_iter().map(|item| self.spanned(item)).collect())
        };
        self.depth -= 1;
        value
    }

    fn value(&mut self, raw: &str) -> Value {
        match raw.as_bytes().first() {
            Some(b'{' | b'[') => self.nested(raw),
            Some(b'"') => serde_json::from_str::<String>(raw).map_or(Value::Null, |text| {
                as_date(&text, self.zone).unwrap_or(Value::Text(text))
            }),
            Some(b't') => Value::Flag(true, raw.to_owned()),
            Some(b'f') => Value::Flag(false, raw.to_owned()),
            Some(b'n') | None => Value::Null,
            Some(_) => Value::Number(raw.parse().unwrap_or(f64::NAN), raw.to_owned()),
        }
    }

    fn spanned(&mut self, raw: &RawValue) -> Spanned<Value> {
        Spanned::new(self.value(raw.get()), self.span(raw.get()))
    }

    fn map(&mut self, pairs: Pairs<'_>) -> Value {
        let mut map = Map::default();
        for (key, raw) in pairs.0 {
            let value = self.spanned(raw);
            let key_span = match &key {
                Cow::Borrowed(text) => self.span(text),
                Cow::Owned(_) => value.span,
            };
            let key = Spanned::new(key.into_owned(), key_span);
            insert(&mut map, key, value, self.source, self.diagnostics);
        }
        Value::Map(map)
    }
}
