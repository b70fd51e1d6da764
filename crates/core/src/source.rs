//! Texts that were read, and places in them.

use std::sync::Arc;

use serde::{Deserialize, Serialize};

/// A text with the name under which messages show it.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Source {
    file: Option<Arc<str>>,
    text: Arc<str>,
}

/// Half-open range of bytes in a [`Source`].
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default, PartialOrd, Ord, Serialize, Deserialize)]
pub struct Span {
    /// First byte.
    pub start: usize,
    /// One past the last byte.
    pub end: usize,
}

/// A value with the span of the source in which it is written.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
pub struct Spanned<T> {
    /// The value.
    pub node: T,
    /// The bytes of the source.
    pub span: Span,
}

/// A location as an editor shows it; lines and columns count from 1, columns in characters.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
pub struct Location {
    /// Path below the site's folder; `None` is the command line.
    pub file: Option<Arc<str>>,
    /// Line, from 1.
    pub line: usize,
    /// Column in characters, from 1.
    pub column: usize,
    /// The line around the location; `None` for a file as a whole.
    pub excerpt: Option<Excerpt>,
    /// The number of characters of the line that are meant, at least 1.
    pub width: usize,
}

/// The part of a line around a location: the whole line, unless it is very long.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
pub struct Excerpt {
    /// The text, without the end of the line.
    pub text: String,
    /// The column of its first character, from 1.
    pub column: usize,
    /// Set if the line goes on after it.
    pub goes_on: bool,
}

/// The maximum number of characters of a line in an [`Excerpt`], before a location and from it on. A thousand
/// diagnostics of one long line hold it a thousand times.
const REACH: usize = 200;

impl Excerpt {
    /// Returns the excerpt of `line` around its byte `at`; `None` if there is only white space.
    fn around(line: &str, at: usize) -> Option<Self> {
        let (before, after) = line.split_at(at);
        let before = match before.char_indices().rev().nth(REACH - 1) {
            Some((start, _)) => &before[start..],
            None => before,
        };
        let end = after.char_indices().nth(REACH).map(|(end, _)| end);
        let start = at - before.len();
        let text = &line[start..at + end.unwrap_or(after.len())];
        (!text.trim().is_empty()).then(|| Self {
            text: text.to_owned(),
            column: line[..start].chars().count() + 1,
            goes_on: end.is_some(),
        })
    }
}

impl Span {
    /// The bytes from `start` up to, not including, `end`.
    #[must_use]
    pub fn new(start: usize, end: usize) -> Self {
        Self {
            start,
            end: end.max(start),
        }
    }
}

impl<T> Spanned<T> {
    /// `node`, written at `span`.
    pub fn new(node: T, span: Span) -> Self {
        Self { node, span }
    }
}

impl Source {
    /// A text read from `file`, a path below the site's folder.
    /// A byte order mark at the start is dropped.
    #[must_use]
    pub fn new(file: &str, text: &str) -> Self {
        Self {
            file: Some(file.into()),
            text: text[mark_length(text)..].into(),
        }
    }

    /// A text that was typed on the command line.
    #[must_use]
    pub fn command_line(text: &str) -> Self {
        Self {
            file: None,
            text: text.into(),
        }
    }

    /// The path below the site's folder, or `None` for the command line.
    #[must_use]
    pub fn file(&self) -> Option<&str> {
        self.file.as_deref()
    }

    /// Returns the whole text, without a byte order mark.
    #[must_use]
    pub fn text(&self) -> &str {
        &self.text
    }

    /// Returns the bytes of a span; `None` if it reaches beyond the text.
    #[must_use]
    pub fn get(&self, span: Span) -> Option<&str> {
        self.text.get(span.start..span.end)
    }

    /// Returns the file with only the first `bytes` bytes, so that a long body need not be kept.
    #[must_use]
    pub fn head(&self, bytes: usize) -> Self {
        Self {
            file: self.file.clone(),
            text: self.text[..bytes.min(self.text.len())].into(),
        }
    }

    /// Returns the location at which `span` begins, with its line.
    #[must_use]
    pub fn location(&self, span: Span) -> Location {
        let text = &self.text;
        let start = floor_boundary(text, span.start);
        let end = floor_boundary(text, span.end).max(start);
        let line_start = text[..start].rfind('\n').map_or(0, |at| at + 1);
        let line_end = text[start..].find('\n').map_or(text.len(), |at| start + at);
        let line = text[line_start..line_end].trim_end_matches('\r');
        Location {
            file: self.file.clone(),
            line: text[..start].matches('\n').count() + 1,
            column: text[line_start..start].chars().count() + 1,
            excerpt: Excerpt::around(line, (start - line_start).min(line.len())),
            width: text[start..end.min(line_end)].chars().count().max(1),
        }
    }

    /// Returns the first character of the file, without an excerpt: for diagnostics of the file as a whole.
    #[must_use]
    pub fn top(&self) -> Location {
        Location {
            file: self.file.clone(),
            line: 1,
            column: 1,
            excerpt: None,
            width: 1,
        }
    }
}

impl Location {
    /// Returns true if a text still has the excerpt of this location in its place. A location of a whole file is in every
    /// text.
    #[must_use]
    pub fn is_in(&self, text: &str) -> bool {
        let Some(excerpt) = &self.excerpt else {
            return true;
        };
        let text = &text[mark_length(text)..];
        let line = text.lines().nth(self.line - 1).unwrap_or_default();
        let start = line.char_indices().nth(excerpt.column - 1);
        let rest = &line[start.map_or(line.len(), |(at, _)| at)..];
        match excerpt.goes_on {
            true => rest.starts_with(&excerpt.text),
            false => rest == excerpt.text,
        }
    }

    /// Returns the text of the file that is marked; `None` on the command line, and for a file as a whole.
    #[must_use]
    pub fn marked(&self) -> Option<&str> {
        self.file.as_ref()?;
        let excerpt = self.excerpt.as_ref()?;
        let mut ends = excerpt
            .text
            .char_indices()
            .map(|(at, _)| at)
            .chain([excerpt.text.len()]);
        let start = ends.nth(self.column.checked_sub(excerpt.column)?)?;
        let end = ends.nth(self.width - 1)?;
        excerpt.text.get(start..end)
    }

    /// Returns the first character of `file`, for a file whose text could not be read.
    #[must_use]
    pub fn top_of(file: &str) -> Self {
        Source::new(file, "").top()
    }
}

/// A text within a source, such as a query in `tabulae.toml`, without its quotes and escapes. Locates
/// each of its characters in the source.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct EmbeddedText {
    text: String,
    source: Source,
    span: Span,
}

impl EmbeddedText {
    /// Creates the text at `span` of `source`, where it may be in quotes and with escapes.
    #[must_use]
    pub fn new(text: &str, source: &Source, span: Span) -> Self {
        Self {
            text: text.to_owned(),
            source: source.clone(),
            span,
        }
    }

    /// Creates a text that was typed on the command line.
    #[must_use]
    pub fn command_line(text: &str) -> Self {
        Self::new(text, &Source::command_line(text), Span::new(0, text.len()))
    }

    /// Returns the text, without quotes and escapes.
    #[must_use]
    pub fn text(&self) -> &str {
        &self.text
    }

    /// Returns the location at which the bytes `span` of the text were written.
    #[must_use]
    pub fn location(&self, span: Span) -> Location {
        let raw = self
            .source
            .text()
            .get(self.span.start..self.span.end)
            .unwrap_or_default();
        let base = self.span.start + quotes(raw, &self.text);
        let inner = &self.source.text()[base..];
        let at = |offset| base + raw_offset(inner, offset);
        let (start, end) = (at(span.start), at(span.end));
        self.source.location(Span::new(
            start,
            end.max(start + usize::from(span.end > span.start)),
        ))
    }
}

/// Returns the number of bytes of quotes (and a first line break) that open `raw`, in which `text` is written.
fn quotes(raw: &str, text: &str) -> usize {
    for fence in ["\"\"\"", "'''"] {
        if let Some(rest) = raw.strip_prefix(fence) {
            let broken = rest.len() - rest.trim_start_matches('\r').trim_start_matches('\n').len();
            return fence.len() + if text.starts_with('\n') { 0 } else { broken };
        }
    }
    usize::from(raw != text && raw.starts_with(['"', '\'']))
}

/// Returns the byte of `raw`, the text with escapes, at which byte `wanted` of the text is written.
fn raw_offset(raw: &str, wanted: usize) -> usize {
    let mut plain = 0;
    let mut chars = raw.char_indices();
    while let Some((at, c)) = chars.next() {
        if plain >= wanted {
            return at;
        }
        if c != '\\' {
            plain += c.len_utf8();
            continue;
        }
        plain += 1;
        let more = match chars.next() {
            Some((_, 'u')) => 4,
            Some((_, 'U')) => 8,
            Some((_, 'x')) => 2,
            _ => 0,
        };
        for _ in 0..more {
            chars.next();
        }
    }
    raw.len()
}

/// Returns the length of a text's byte order mark, which spans do not count: 3 bytes or none.
#[must_use]
pub fn mark_length(text: &str) -> usize {
    match text.starts_with('\u{feff}') {
        true => '\u{feff}'.len_utf8(),
        false => 0,
    }
}

fn floor_boundary(text: &str, at: usize) -> usize {
    let mut at = at.min(text.len());
    while !text.is_char_boundary(at) {
        at -= 1;
    }
    at
}

#[cfg(test)]
mod tests {
    use super::*;
    use rstest::rstest;

    #[rstest]
    #[case::start("abc\ndef", 0, 1, 1)]
    #[case::second_line("abc\ndef", 5, 2, 2)]
    #[case::characters_not_bytes("äöü x", 7, 1, 5)]
    #[case::after_crlf("a\r\nbc", 4, 2, 2)]
    #[case::end_of_text("ab\n", 3, 2, 1)]
    fn a_place_counts_lines_and_characters_from_one(
        #[case] text: &str,
        #[case] at: usize,
        #[case] line: usize,
        #[case] column: usize,
    ) {
        let location = Source::new("a.md", text).location(Span::new(at, at + 1));
        assert_eq!((location.line, location.column), (line, column));
    }

    #[rstest]
    #[case::same("one\ntwo\n", true)]
    #[case::line_ends("one\r\ntwo\r\n", true)]
    #[case::other_lines("x\ntwo\ny\n", true)]
    #[case::no_last_line_end("one\ntwo", true)]
    #[case::a_line_more("one\n\ntwo\n", false)]
    #[case::longer("one\ntwo words\n", false)]
    #[case::shorter("one\ntw\n", false)]
    #[case::gone("one\n", false)]
    #[case::empty("", false)]
    fn a_location_is_in_a_text_that_has_its_line(#[case] text: &str, #[case] expected: bool) {
        let source = Source::new("a.md", "\u{feff}one\ntwo\n");
        assert_eq!(source.location(Span::new(5, 6)).is_in(text), expected);
        assert!(Location::top_of("a.md").is_in(text));
    }

    /// Of a very long line only what surrounds the place is kept.
    #[rstest]
    #[case::short("abc", 1, "abc", 1, false)]
    #[case::at_its_end("abc\r", 3, "abc", 1, false)]
    #[case::in_the_middle(&"ä".repeat(1_000), 2 * 500, &"ä".repeat(400), 301, true)]
    #[case::at_the_start(&"ab".repeat(500), 0, &"ab".repeat(100), 1, true)]
    #[case::at_the_end(&"ab".repeat(500), 999, &("b".to_owned() + &"ab".repeat(100)), 800, false)]
    fn an_excerpt_is_a_part_of_a_long_line(
        #[case] line: &str,
        #[case] at: usize,
        #[case] text: &str,
        #[case] column: usize,
        #[case] goes_on: bool,
    ) {
        let source = Source::new("a.md", &format!("first\n{line}\nlast"));
        let location = source.location(Span::new(6 + at, 7 + at));
        let expected = Excerpt {
            text: text.to_owned(),
            column,
            goes_on,
        };
        assert_eq!(location.excerpt, Some(expected));
    }

    #[rstest]
    #[case::double("query = \"from x\"", 8, 16, "from x", 5, 15)]
    #[case::single("query = 'from x'", 8, 16, "from x", 5, 15)]
    #[case::escaped(r#"query = "a \"b\" x""#, 8, 19, "a \"b\" x", 6, 18)]
    #[case::plain("from x", 0, 6, "from x", 5, 6)]
    fn a_passage_knows_where_its_characters_stand(
        #[case] file: &str,
        #[case] start: usize,
        #[case] end: usize,
        #[case] text: &str,
        #[case] at: usize,
        #[case] column: usize,
    ) {
        let source = Source::new("tabulae.toml", file);
        let embedded = EmbeddedText::new(text, &source, Span::new(start, end));
        assert_eq!(embedded.location(Span::new(at, at + 1)).column, column);
    }

    #[test]
    fn a_byte_order_mark_is_not_a_character_of_the_text() {
        assert_eq!(Source::new("a.md", "\u{feff}---").text(), "---");
    }
}
