//! YAML 1.2 headers by the core schema, from the events of a parser, so that each scalar keeps
//! its location and its text as written. What aliases unfold to is bounded, against alias bombs.

use std::borrow::Cow;
use std::collections::BTreeMap;

use jiff::tz::TimeZone;
use saphyr_parser::{Event, Parser, ScalarStyle, ScanError, Span as YamlSpan, StrInput};

use super::{DEPTH, as_date, insert};
use crate::diagnostic::{Code, Diagnostic, Diagnostics};
use crate::source::{Source, Span, Spanned};
use crate::value::{Map, Value};

/// The number of values that the aliases of one header may unfold to.
const UNFOLDED: usize = 1000;

/// Reads the YAML at `span`. The first diagnostic of the form ends the reading; repeated keys are
/// all reported.
pub(super) fn parse(
    source: &Source,
    span: Span,
    zone: &TimeZone,
    diagnostics: &mut Diagnostics,
) -> Map {
    let text = &source.text()[span.start..span.end];
    let mut reader = Reader {
        source,
        text,
        base: span.start,
        ascii: text.is_ascii(),
        zone,
        parser: Parser::new_from_str(text),
        anchors: BTreeMap::new(),
        left: UNFOLDED,
        diagnostics,
    };
    match reader.document() {
        Ok(map) => map,
        Err(diagnostic) => {
            reader.diagnostics.push(*diagnostic);
            Map::default()
        }
    }
}

struct Reader<'a> {
    source: &'a Source,
    text: &'a str,
    base: usize,
    ascii: bool,
    zone: &'a TimeZone,
    parser: Parser<'a, StrInput<'a>>,
    anchors: BTreeMap<usize, Value>,
    left: usize,
    diagnostics: &'a mut Diagnostics,
}

type Read<T> = Result<T, Box<Diagnostic>>;

impl<'a> Reader<'a> {
    fn next(&mut self) -> Read<(Event<'a>, Span)> {
        match self.parser.next_event() {
            None => Ok((Event::StreamEnd, Span::new(self.base + self.text.len(), 0))),
            Some(Ok((event, span))) => Ok((event, self.span(&span))),
            Some(Err(error)) => Err(self.unreadable(&error)),
        }
    }

    /// Returns the diagnostic of a syntax error, where a person would look for it: a line without a colon is
    /// noticed only after it, and a tab only where its value begins.
    fn unreadable(&self, error: &ScanError) -> Box<Diagnostic> {
        let at = self.byte(error.marker().index());
        let line = self.line_before(at);
        let written = &self.text[line.start - self.base..];
        let written = written.lines().next().unwrap_or_default();
        let is_plain = written.starts_with(|c: char| c.is_alphanumeric());
        if is_plain && !written.contains(':') {
            return self.diagnostic(line, "this line has no `key: value`");
        }
        let why = error.info();
        let tab = self.tab_near(at.saturating_sub(1));
        let at = tab.unwrap_or(at);
        let mut diagnostic = self.diagnostic(Span::new(self.base + at, self.base + at + 1), why);
        if tab.is_some() {
            diagnostic.help = Some("use spaces here; YAML does not take a tab".to_owned());
        }
        diagnostic
    }

    /// Returns the first tab from a byte of the header on: in its line, or in the indent of the next.
    fn tab_near(&self, from: usize) -> Option<usize> {
        let rest = &self.text.as_bytes()[from..];
        let line_end = rest.iter().position(|byte| *byte == b'\n');
        let line_end = line_end.unwrap_or(rest.len());
        let indent = rest.iter().skip(line_end + 1);
        let indent = indent
            .take_while(|byte| matches!(byte, b' ' | b'\t'))
            .count();
        let end = rest.len().min(line_end + 1 + indent);
        let tab = rest[..end].iter().position(|byte| *byte == b'\t');
        tab.map(|tab| from + tab)
    }

    /// The last line with text that begins before this byte of the header.
    fn line_before(&self, at: usize) -> Span {
        let text = self.text[..at].trim_end();
        let start = text.rfind('\n').map_or(0, |end| end + 1);
        let line = text[start..].trim_start();
        Span::new(self.base + text.len() - line.len(), self.base + text.len())
    }

    fn diagnostic(&self, span: Span, why: &str) -> Box<Diagnostic> {
        Box::new(
            Diagnostic::error(
                Code::FrontMatterSyntax,
                self.source.location(span),
                format!("invalid YAML: {why}"),
            )
            .help("write `key: value`; a text that contains `: ` or ` #`, or starts with a sign, needs quotes"),
        )
    }

    /// The parser counts characters; a span counts bytes.
    fn byte(&self, index: usize) -> usize {
        if self.ascii {
            return index.min(self.text.len());
        }
        self.text
            .char_indices()
            .nth(index)
            .map_or(self.text.len(), |(at, _)| at)
    }

    fn span(&self, span: &YamlSpan) -> Span {
        let start = self.byte(span.start.index());
        let end = self.byte(span.end.index());
        Span::new(self.base + start, self.base + end)
    }

    fn document(&mut self) -> Read<Map> {
        loop {
            let (event, span) = self.next()?;
            match event {
                Event::MappingStart(..) => {
                    let map = self.map(DEPTH)?;
                    self.end()?;
                    return Ok(map);
                }
                Event::StreamEnd | Event::DocumentEnd => return Ok(Map::default()),
                Event::Scalar(text, ScalarStyle::Plain, ..) if is_null(&text) => {
                    return Ok(Map::default());
                }
                Event::Scalar(..) | Event::SequenceStart(..) | Event::Alias(..) => {
                    return Err(Box::new(
                        Diagnostic::error(
                            Code::FrontMatterSyntax,
                            self.source.location(span),
                            "front matter consists of keys and values, and this is neither",
                        )
                        .help("write `key: value`, each on its own line"),
                    ));
                }
                _ => {}
            }
        }
    }

    fn end(&mut self) -> Read<()> {
        loop {
            let (event, span) = self.next()?;
            match event {
                Event::StreamEnd => return Ok(()),
                Event::DocumentStart(_) => {
                    return Err(self.diagnostic(span, "a second document begins here"));
                }
                _ => {}
            }
        }
    }

    /// The value of an alias.
    fn alias(&mut self, anchor: usize, span: Span) -> Read<Value> {
        let value = self.anchors.get(&anchor).cloned();
        let value =
            value.ok_or_else(|| self.diagnostic(span, "an alias is inside its own anchor"))?;
        match self.left.checked_sub(weight(&value)) {
            Some(left) => self.left = left,
            None => {
                return Err(Box::new(
                    Diagnostic::error(
                        Code::FrontMatterSyntax,
                        self.source.location(span),
                        format!(
                            "the aliases of this front matter unfold to more than {UNFOLDED} values"
                        ),
                    )
                    .help("write the values out where they are needed"),
                ));
            }
        }
        Ok(value)
    }

    fn map(&mut self, depth: usize) -> Read<Map> {
        let mut map = Map::default();
        loop {
            let (event, span) = self.next()?;
            let key = match event {
                Event::MappingEnd => {
                    map.entries.shrink_to_fit();
                    return Ok(map);
                }
                Event::Scalar(text, ..) => Spanned::new(exact(text), span),
                _ => return Err(self.diagnostic(span, "a key is a single text")),
            };
            let value = self.value(depth)?;
            insert(&mut map, key, value, self.source, self.diagnostics);
        }
    }

    fn value(&mut self, depth: usize) -> Read<Spanned<Value>> {
        let (event, span) = self.next()?;
        self.value_of(event, span, depth)
    }

    fn value_of(&mut self, event: Event<'a>, span: Span, depth: usize) -> Read<Spanned<Value>> {
        if depth == 0 {
            return Err(self.diagnostic(span, "lists and maps are nested too deep"));
        }
        let (anchor, node) = match event {
            Event::Scalar(text, style, anchor, tag) => {
                let as_text =
                    style != ScalarStyle::Plain || tag.is_some_and(|tag| tag.suffix == "str");
                let node = if as_text {
                    Value::Text(exact(text))
                } else {
                    plain(text, self.zone)
                };
                (anchor, node)
            }
            Event::SequenceStart(anchor, _) => (anchor, Value::List(self.list(depth - 1)?)),
            Event::MappingStart(anchor, _) => (anchor, Value::Map(self.map(depth - 1)?)),
            Event::Alias(anchor) => (0, self.alias(anchor, span)?),
            _ => return Err(self.diagnostic(span, "a value is missing here")),
        };
        if anchor != 0 {
            self.anchors.insert(anchor, node.clone());
        }
        Ok(Spanned::new(node, span))
    }

    fn list(&mut self, depth: usize) -> Read<Vec<Spanned<Value>>> {
        let mut items = Vec::new();
        loop {
            let (event, span) = self.next()?;
            if matches!(event, Event::SequenceEnd) {
                // Thousands of posts are held, each with its lists.
                items.shrink_to_fit();
                return Ok(items);
            }
            items.push(self.value_of(event, span, depth)?);
        }
    }
}

/// Counts the values within a value, itself included.
fn weight(value: &Value) -> usize {
    match value {
        Value::List(items) => 1 + items.iter().map(|item| weight(&item.node)).sum::<usize>(),
        Value::Map(map) => {
            1 + map
                .entries
                .iter()
                .map(|e| weight(&e.value.node))
                .sum::<usize>()
        }
        _ => 1,
    }
}

fn is_null(text: &str) -> bool {
    matches!(text, "" | "~" | "null" | "Null" | "NULL")
}

/// A plain scalar by the core schema (YAML 1.2.2, 10.3.2), dates besides.
fn plain(text: Cow<'_, str>, zone: &TimeZone) -> Value {
    if is_null(&text) {
        return Value::Null;
    }
    match text.as_ref() {
        "true" | "True" | "TRUE" => return Value::Flag(true, exact(text)),
        "false" | "False" | "FALSE" => return Value::Flag(false, exact(text)),
        _ => {}
    }
    if let Some(number) = number(&text) {
        return Value::Number(number, exact(text));
    }
    as_date(&text, zone).unwrap_or_else(|| Value::Text(exact(text)))
}

fn number(text: &str) -> Option<f64> {
    let unsigned = text.strip_prefix(['+', '-']).unwrap_or(text);
    let digits = |t: &str, radix| !t.is_empty() && t.chars().all(|c| c.is_digit(radix));
    #[expect(clippy::cast_precision_loss, reason = "numbers are compared as f64")]
    let whole = |t: &str, radix| u64::from_str_radix(t, radix).ok().map(|n| n as f64);
    if let Some(octal) = text.strip_prefix("0o").filter(|t| digits(t, 8)) {
        return whole(octal, 8);
    }
    if let Some(hex) = text.strip_prefix("0x").filter(|t| digits(t, 16)) {
        return whole(hex, 16);
    }
    match unsigned {
        ".inf" | ".Inf" | ".INF" => {
            return Some(if text.starts_with('-') {
                f64::NEG_INFINITY
            } else {
                f64::INFINITY
            });
        }
        _ => {}
    }
    let (mantissa, exponent) = match unsigned.find(['e', 'E']) {
        Some(at) => (&unsigned[..at], Some(&unsigned[at + 1..])),
        None => (unsigned, None),
    };
    let (whole_part, fraction) = mantissa.split_once('.').unwrap_or((mantissa, ""));
    let none_or_digits = |t: &str| t.is_empty() || digits(t, 10);
    let exponent_fits =
        exponent.is_none_or(|e| digits(e.strip_prefix(['+', '-']).unwrap_or(e), 10));
    let fits = none_or_digits(whole_part)
        && none_or_digits(fraction)
        && !(whole_part.is_empty() && fraction.is_empty())
        && exponent_fits;
    fits.then(|| text.parse().ok()).flatten()
}

/// A scalar without the room that the parser made for a longer one.
fn exact(text: Cow<'_, str>) -> String {
    let mut text = text.into_owned();
    text.shrink_to_fit();
    text
}
