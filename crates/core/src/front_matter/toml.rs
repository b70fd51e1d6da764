//! TOML headers, and `tabulae.toml` itself (TOML 1.1).

use ::toml::de::{DeTable, DeValue};
use ::toml::{Spanned as TomlSpanned, value::Datetime};
use jiff::tz::TimeZone;

use super::insert;
use crate::diagnostic::{Code, Diagnostic, Diagnostics};
use crate::source::{Source, Span, Spanned};
use crate::time::parse_date;
use crate::value::{Map, Value};

/// Reads the TOML at `span`. All diagnostics of the text are reported; after one the entries are
/// those that could be read.
pub fn parse(source: &Source, span: Span, zone: &TimeZone, diagnostics: &mut Diagnostics) -> Map {
    let text = &source.text()[span.start..span.end];
    let (table, errors) = DeTable::parse_recoverable(text);
    for error in &errors {
        diagnostics.push(diagnostic(source, span, error));
    }
    let mut reader = Reader {
        source,
        base: span.start,
        zone,
        diagnostics,
    };
    reader.map(table.get_ref())
}

fn diagnostic(source: &Source, span: Span, error: &::toml::de::Error) -> Diagnostic {
    let at = error.span().unwrap_or(0..0);
    let location_span = Span::new(span.start + at.start, span.start + at.end);
    let location = source.location(location_span);
    if is_second(source.text(), span, location_span) {
        return Diagnostic::error(Code::DuplicateKey, location, "this key is given twice")
            .help("keep one of the two");
    }
    let message = error.message().trim().replace('\n', ", ");
    Diagnostic::error(
        Code::FrontMatterSyntax,
        location,
        format!("invalid TOML: {message}"),
    )
    .help("write `key = value`, and texts in double quotes")
}

/// Returns true if what is at `key` in the TOML at `whole` is a key or a table that the lines before it have,
/// too. An error there can have no other reason.
fn is_second(text: &str, whole: Span, key: Span) -> bool {
    let Some(name) = text.get(key.start..key.end).filter(|name| !name.is_empty()) else {
        return false;
    };
    let after = text[key.end..].trim_start_matches([' ', '\t', ']']);
    let is_table = text[..key.start].ends_with('[');
    let is_key = after.starts_with(['=', '.']) || is_table;
    // A key belongs to the table whose header is the last before it.
    let before = &text[whole.start..key.start];
    let table = before
        .rfind("\n[")
        .filter(|_| !is_table)
        .map_or(0, |at| at + 1);
    let mut lines = before[table..].lines();
    let has_it = lines.any(|line| {
        let line = line.trim_start_matches([' ', '\t', '[']);
        let rest = line.strip_prefix(name);
        rest.is_some_and(|rest| rest.trim_start().starts_with(['=', ']', '.']))
    });
    is_key && has_it
}

struct Reader<'a> {
    source: &'a Source,
    base: usize,
    zone: &'a TimeZone,
    diagnostics: &'a mut Diagnostics,
}

impl Reader<'_> {
    fn span<T>(&self, spanned: &TomlSpanned<T>) -> Span {
        let range = spanned.span();
        Span::new(self.base + range.start, self.base + range.end)
    }

    fn map(&mut self, table: &DeTable<'_>) -> Map {
        let mut entries: Vec<_> = table.iter().collect();
        entries.sort_by_key(|(key, _)| key.span().start);
        let mut map = Map::default();
        for (key, value) in entries {
            let key = Spanned::new(key.get_ref().to_string(), self.span(key));
            let value = self.value(value);
            insert(&mut map, key, value, self.source, self.diagnostics);
        }
        map
    }

    fn value(&mut self, value: &TomlSpanned<DeValue<'_>>) -> Spanned<Value> {
        let span = self.span(value);
        let written = || self.source.text()[span.start..span.end].to_owned();
        let node = match value.get_ref() {
            DeValue::String(text) => Value::Text(text.to_string()),
            DeValue::Integer(number) => {
                match i64::from_str_radix(number.as_str(), number.radix()) {
                    #[expect(clippy::cast_precision_loss, reason = "numbers are compared as f64")]
                    Ok(exact) => Value::Number(exact as f64, written()),
                    Err(_) => self.too_large(span),
                }
            }
            DeValue::Float(number) => match number.as_str().parse() {
                Ok(exact) => Value::Number(exact, written()),
                Err(_) => self.too_large(span),
            },
            DeValue::Boolean(flag) => Value::Flag(*flag, written()),
            DeValue::Datetime(date) => self.date(date, span),
            DeValue::Array(items) => {
                Value::List(items.iter().map(|item| self.value(item)).collect())
            }
            DeValue::Table(table) => Value::Map(self.map(table)),
        };
        Spanned::new(node, span)
    }

    /// Reports a number beyond 64 bits (TOML, "Integer"), and returns the value that takes its place.
    fn too_large(&mut self, span: Span) -> Value {
        let location = self.source.location(span);
        let message = "this number does not fit into 64 bits";
        let help = format!(
            "write a number from {} to {}, or a text in quotes",
            i64::MIN,
            i64::MAX
        );
        let found = Diagnostic::error(Code::InvalidValue, location, message);
        self.diagnostics.push(found.help(help));
        Value::Null
    }

    /// A local time alone is no date; it is kept as text.
    fn date(&mut self, date: &Datetime, span: Span) -> Value {
        let written = self.source.text()[span.start..span.end].to_owned();
        if date.date.is_none() {
            return Value::Text(written);
        }
        let plain = written.replace('t', "T").replace('z', "Z");
        match parse_date(&plain).and_then(|date| date.zoned(self.zone)) {
            Ok(date) => Value::Date(Box::new(date), written),
            Err(_) => Value::Text(written),
        }
    }
}
