//! Front matter: the header of a post or page, in YAML, TOML or JSON, to values with places.

mod json;
mod split;
mod toml;
mod write;
mod yaml;

use jiff::tz::TimeZone;
use serde::{Deserialize, Serialize};

use crate::diagnostic::{Code, Collected, Diagnostic, Diagnostics};
use crate::source::{Source, Span, Spanned};
use crate::time::parse_date;
use crate::value::{Entry, Map, Value};

pub use self::split::{Format, Header, data_format, format_of, split};
pub use self::toml::parse as parse_toml;
pub use self::write::{insertion, scalar};

/// A header's entries, and where the body begins.
#[derive(Debug, Clone, Default, Serialize, Deserialize)]
pub struct FrontMatter {
    /// The entries, in the order written.
    pub map: Map,
    /// The byte at which the body begins.
    pub body: usize,
    /// The format, where there is a header.
    pub format: Option<Format>,
}

/// Reads the header of `source`. Dates without an offset are in `zone`.
/// After an error the entries are those that could be read.
#[must_use]
pub fn read(source: &Source, zone: &TimeZone) -> Collected<FrontMatter> {
    let mut diagnostics = Diagnostics::new();
    let header = match split(source) {
        Ok(header) => header,
        Err(diagnostic) => {
            return Collected {
                output: FrontMatter {
                    body: source.text().len(),
                    ..FrontMatter::default()
                },
                diagnostics: vec![*diagnostic],
            };
        }
    };
    let map = match header.format {
        None => Map::default(),
        Some(Format::Yaml) => yaml::parse(source, header.span, zone, &mut diagnostics),
        Some(Format::Toml) => toml::parse(source, header.span, zone, &mut diagnostics),
        Some(Format::Json) => json::parse(source, header.span, zone, &mut diagnostics),
    };
    Collected {
        output: FrontMatter {
            map,
            body: header.body,
            format: header.format,
        },
        diagnostics,
    }
}

/// The maximum nesting depth of lists and maps in YAML and JSON. The TOML parser's own limit is 80.
const DEPTH: usize = 32;

/// The date that `text` is, if the whole of it has the form of one that exists.
fn as_date(text: &str, zone: &TimeZone) -> Option<Value> {
    if text.len() < 10 || !text.as_bytes()[0].is_ascii_digit() {
        return None;
    }
    let date = parse_date(text).ok()?.zoned(zone).ok()?;
    Some(Value::Date(Box::new(date), text.to_owned()))
}

/// Adds an entry; a key given twice is an error that names both places.
fn insert(
    map: &mut Map,
    key: Spanned<String>,
    value: Spanned<Value>,
    source: &Source,
    diagnostics: &mut Diagnostics,
) {
    let (name, span) = (key.node.clone(), key.span);
    if let Err(first) = map.insert(Entry { key, value }) {
        diagnostics.push(repeated(source, &name, span, first));
    }
}

fn repeated(source: &Source, name: &str, again: Span, first: Span) -> Diagnostic {
    Diagnostic::error(
        Code::DuplicateKey,
        source.location(again),
        format!("`{name}` is given twice"),
    )
    .help("keep one of the two")
    .beside(source.location(first), "first given here")
}

#[cfg(test)]
mod tests;
