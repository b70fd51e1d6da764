//! Headers of plain lines, as most are: entries of one line and lists of such. They are read
//! without the parser, to the same values at the same places; whatever else stands in a header
//! is left to it.

use std::borrow::Cow;

use jiff::tz::TimeZone;

use super::plain;
use crate::source::{Span, Spanned};
use crate::value::{Entry, Value};

/// The entries of `text`, which stands at byte `base` of its source, in the order written; also
/// those whose keys are given twice. `None` where the parser has to read it.
pub(super) fn parse(text: &str, base: usize, zone: &TimeZone) -> Option<Vec<Entry>> {
    let mut lines = Lines {
        rest: text,
        at: base,
        zone,
    };
    let mut entries = Vec::new();
    while let Some((line, at)) = lines.peek() {
        lines.step();
        let (key, value) = line.split_once(':')?;
        let is_name = |byte: u8| byte.is_ascii_alphanumeric() || byte == b'_' || byte == b'-';
        if !key.as_bytes().first()?.is_ascii_alphabetic() || !key.bytes().all(is_name) {
            return None;
        }
        let after = at + key.len() + 1;
        let value = match value.trim_start_matches(' ') {
            "" => lines.list()?,
            text if text.len() < value.len() => {
                scalar(text, after + value.len() - text.len(), zone)?
            }
            _ => return None,
        };
        let key = Spanned::new(key.to_owned(), Span::new(at, at + key.len()));
        entries.push(Entry { key, value });
    }
    Some(entries)
}

/// The lines that are not read yet.
struct Lines<'a> {
    rest: &'a str,
    at: usize,
    zone: &'a TimeZone,
}

impl<'a> Lines<'a> {
    /// The next line without its end, and where it begins.
    fn peek(&self) -> Option<(&'a str, usize)> {
        let line = self
            .rest
            .split('\n')
            .next()
            .filter(|_| !self.rest.is_empty())?;
        Some((line.strip_suffix('\r').unwrap_or(line), self.at))
    }

    fn step(&mut self) {
        let end = memchr::memchr(b'\n', self.rest.as_bytes());
        let end = end.map_or(self.rest.len(), |at| at + 1);
        self.rest = &self.rest[end..];
        self.at += end;
    }

    /// The list below a key without a value. Its place is as the parser has it: that of the first
    /// dash, or of the first item where the dashes stand at the margin.
    fn list(&mut self) -> Option<Spanned<Value>> {
        let mut items = Vec::new();
        let mut place = None;
        while let Some((line, at)) = self.peek() {
            let item = line.trim_start_matches(' ');
            let Some(text) = item.strip_prefix("- ") else {
                break;
            };
            let dash = at + line.len() - item.len();
            let trimmed = text.trim_start_matches(' ');
            let start = dash + item.len() - trimmed.len();
            let begins = if dash == at { start } else { dash };
            let (indent, _) = *place.get_or_insert((dash - at, begins));
            if dash - at != indent {
                return None;
            }
            items.push(scalar(trimmed, start, self.zone)?);
            self.step();
        }
        let (_, begins) = place?;
        items.shrink_to_fit();
        Some(Spanned::new(Value::List(items), Span::new(begins, begins)))
    }
}

/// A text of one line at byte `start`, with no sign in it that could be more than itself.
fn scalar(text: &str, start: usize, zone: &TimeZone) -> Option<Spanned<Value>> {
    let whole = text;
    let text = text.trim_end_matches(' ');
    let span = Span::new(start, start + text.len());
    let inner = |quote: char| text.strip_prefix(quote)?.strip_suffix(quote);
    let value = if let Some(text) = inner('"').or_else(|| inner('\'')) {
        let is_whole = whole.len() == span.end - span.start;
        if !is_whole || text.contains(['"', '\'', '\\']) || !text.chars().all(is_plain) {
            return None;
        }
        Value::Text(text.to_owned())
    } else {
        let first = text.chars().next()?;
        let stands_alone = first.is_alphanumeric() && text.chars().all(is_plain);
        let mut pairs = text.as_bytes().windows(2);
        let is_more = text.ends_with(':') || pairs.any(|pair| pair == b": " || pair == b" #");
        if !stands_alone || is_more {
            return None;
        }
        plain(Cow::Borrowed(text), zone)
    };
    Some(Spanned::new(value, span))
}

/// Returns true if a character has no special meaning within a scalar.
fn is_plain(c: char) -> bool {
    match c {
        ' '..='~' => true,
        '\u{2010}'..='\u{2026}' => true,
        c => c.is_alphanumeric(),
    }
}
