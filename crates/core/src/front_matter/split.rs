//! The split of a file into header and body.

use serde::{Deserialize, Serialize};

use crate::diagnostic::{Code, Diagnostic};
use crate::source::{Source, Span};

/// The language of a header.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize)]
pub enum Format {
    /// Between `---` lines.
    Yaml,
    /// Between `+++` lines.
    Toml,
    /// One object at the very start.
    Json,
}

/// The endings of files that are front matter alone, with the format of each.
const DATA_ENDINGS: [(&str, Format); 4] = [
    ("yaml", Format::Yaml),
    ("yml", Format::Yaml),
    ("toml", Format::Toml),
    ("json", Format::Json),
];

/// Returns the format of a file that is front matter alone, by the ending of its path; `None` for any other.
#[must_use]
pub fn data_format(path: &str) -> Option<Format> {
    let (_, ending) = path.rsplit_once('.')?;
    let found = DATA_ENDINGS.iter().find(|(known, _)| *known == ending);
    found.map(|(_, format)| *format)
}

/// A header cut from its file.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Header {
    /// The format; `None` where there is no header.
    pub format: Option<Format>,
    /// The header's text, without its fences.
    pub span: Span,
    /// The byte at which the body begins.
    pub body: usize,
}

/// Finds the header of `source`: the whole text of a file that is front matter alone.
///
/// # Errors
/// A fence that is opened and never closed, or an object that does not end.
pub fn split(source: &Source) -> Result<Header, Box<Diagnostic>> {
    let text = source.text();
    let none = Header {
        format: None,
        span: Span::default(),
        body: 0,
    };
    if let Some(format) = source.file().and_then(data_format) {
        return Ok(Header {
            format: Some(format),
            span: match format {
                Format::Json => super::json::check(source)?,
                Format::Yaml | Format::Toml => Span::new(0, text.len()),
            },
            body: text.len(),
        });
    }
    if is_json(text) {
        return json(source);
    }
    let (first, rest) = line_at(text, 0);
    match first.trim_end() {
        "---" => fenced(source, Format::Yaml, "---", rest),
        "+++" => fenced(source, Format::Toml, "+++", rest),
        _ => Ok(none),
    }
}

/// Returns the format of the front matter of `source`; `None` if it has none, or it does not end.
#[must_use]
pub fn format_of(source: &Source) -> Option<Format> {
    split(source).ok()?.format
}

/// A brace opens an object, unless it opens a template's tag.
fn is_json(text: &str) -> bool {
    let mut chars = text.chars();
    chars.next() == Some('{') && !matches!(chars.next(), Some('%' | '{' | '#'))
}

fn line_at(text: &str, start: usize) -> (&str, usize) {
    match text[start..].find('\n') {
        Some(at) => (&text[start..start + at], start + at + 1),
        None => (&text[start..], text.len()),
    }
}

fn fenced(
    source: &Source,
    format: Format,
    fence: &str,
    start: usize,
) -> Result<Header, Box<Diagnostic>> {
    let text = source.text();
    let mut at = start;
    while at < text.len() {
        let (line, next) = line_at(text, at);
        if line.trim_end() == fence {
            return Ok(Header {
                format: Some(format),
                span: Span::new(start, at),
                body: next,
            });
        }
        at = next;
    }
    let diagnostic = Diagnostic::error(
        Code::UnclosedFrontMatter,
        source.location(Span::new(0, fence.len())),
        format!("front matter is opened with `{fence}` and never closed"),
    )
    .help(format!(
        "put a line of `{fence}` after the last entry; for a rule at the top of a text without front matter, put an empty line above it"
    ));
    Err(Box::new(diagnostic))
}

fn json(source: &Source) -> Result<Header, Box<Diagnostic>> {
    let text = source.text();
    let mut objects =
        serde_json::Deserializer::from_str(text).into_iter::<&serde_json::value::RawValue>();
    match objects.next() {
        Some(Ok(raw)) => {
            let end = raw.get().len();
            let (blank, next) = line_at(text, end);
            Ok(Header {
                format: Some(Format::Json),
                span: Span::new(0, end),
                body: if blank.trim().is_empty() { next } else { end },
            })
        }
        Some(Err(error)) => Err(Box::new(super::json::diagnostic(source, 0, text, &error))),
        None => Err(Box::new(Diagnostic::error(
            Code::UnclosedFrontMatter,
            source.top(),
            "front matter in JSON does not end",
        ))),
    }
}
