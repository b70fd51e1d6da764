//! Placeholders in HTML: lists that a page asks for by two comments,
//! `<!-- tabulae query "from posts limit 5" -->` and `<!-- tabulae end -->`. What is between them is replaced, and not a
//! byte else.

mod encoding;
#[cfg(test)]
mod tests;

use std::ops::Range;

use crate::diagnostic::{Code, Collected, Diagnostic, Diagnostics};
use crate::html::tokens::{COMMENT_END, COMMENT_START, comments};
use crate::source::{EmbeddedText, Location, Source, Span, Spanned};

/// A page with placeholders.
#[derive(Debug)]
pub struct Page<'a> {
    bytes: &'a [u8],
    /// The text that diagnostics point into: the page's own, or that of its source file.
    pub source: Source,
    /// The placeholders, in order.
    pub placeholders: Vec<Placeholder>,
    /// The byte in `source` from which the next comment is looked for, if that is another text than the page's.
    found: Option<usize>,
    /// The byte of the page up to which comments are read, and the byte of `source` that shows it.
    shown: (usize, usize),
}

/// A list that a page asks for.
#[derive(Debug)]
pub struct Placeholder {
    /// The list.
    pub ask: Ask,
    /// The text of the first comment, within [`Page::source`].
    pub span: Span,
    /// The bytes between the two comments.
    inner: Range<usize>,
    /// The bytes with the two comments.
    outer: Range<usize>,
}

/// The list that a placeholder asks for.
#[derive(Debug)]
pub struct Ask {
    /// The posts or terms.
    pub what: What,
    /// The most that are wanted.
    pub limit: Option<usize>,
    /// The template part that makes it.
    pub part: Option<Part>,
}

/// The posts or terms.
#[derive(Debug)]
pub enum What {
    /// `query "…"`: the posts that a query finds.
    Query(EmbeddedText),
    /// `related`, `related of "PATH"`: the related posts of the page's own post, or of another.
    Related(Option<Spanned<String>>),
    /// `newest ARCHIVE`, `newest ARCHIVE of "TERM"`: the first posts of an archive.
    Newest(Spanned<String>, Option<Spanned<String>>),
    /// `terms FIELD`, `terms FIELD order name`: the terms of a field.
    Terms(Spanned<String>, Option<Spanned<String>>),
}

/// A template part.
#[derive(Debug)]
pub enum Part {
    /// `with "…"`: it makes the whole list.
    Whole(Spanned<String>),
    /// `each "…"`: it makes each post.
    Each(Spanned<String>),
}

/// The first word of a placeholder's comment.
const MARK: &str = "tabulae";
const END: &str = "end";
const KINDS: [&str; 5] = ["query", "related", "newest", "terms", END];

impl<'a> Page<'a> {
    /// Finds the placeholders of a page that another program made; `None` if it has none. All errors are reported: a
    /// comment that is not understood, a placeholder that is not closed, or one within another.
    ///
    /// The page may be in any encoding that holds ASCII as it is. Takes linear time.
    pub fn read(file: &str, bytes: &'a [u8]) -> Collected<Option<Self>> {
        let marks = marks(bytes);
        if marks.is_empty() {
            let wide = encoding::is_utf16(bytes) && encoding::holds_utf16(bytes, "<!-- tabulae ");
            return Collected {
                output: None,
                diagnostics: wide.then(|| utf16(file)).into_iter().collect(),
            };
        }
        let text = String::from_utf8_lossy(bytes);
        let page = Self {
            bytes,
            source: Source::new(file, &text),
            placeholders: Vec::new(),
            found: None,
            shown: (0, 0),
        };
        let read = page.with_placeholders(marks);
        Collected {
            output: Some(read.output),
            diagnostics: read.diagnostics,
        }
    }

    /// Finds the placeholders of HTML that is made of a source file, such as Markdown. The diagnostics are those of
    /// [`Self::read`], and point into `source`, in which the comments are as they are in the HTML.
    pub fn of_source(source: &Source, html: &'a str) -> Collected<Self> {
        let page = Self {
            bytes: html.as_bytes(),
            source: source.clone(),
            placeholders: Vec::new(),
            found: Some(0),
            shown: (0, 0),
        };
        page.with_placeholders(marks(html.as_bytes()))
    }

    fn with_placeholders(mut self, marks: Vec<Range<usize>>) -> Collected<Self> {
        let mut diagnostics = Diagnostics::new();
        let page = &mut self;
        let mut open: Option<(Ask, Span, Range<usize>)> = None;
        for comment in marks {
            let mark = page.mark(&comment);
            let mut words = Words::new(&mark, &page.source);
            match words.kind(&mut diagnostics) {
                Some(END) => match open.take() {
                    Some((ask, span, opening)) => page.placeholders.push(Placeholder {
                        ask,
                        span,
                        inner: opening.end..comment.start - COMMENT_START.len(),
                        outer: opening.start..comment.end + COMMENT_END.len(),
                    }),
                    None => diagnostics.push(page.diagnostic(
                        mark.span,
                        "this closes a placeholder that is not open",
                        "delete the comment, or open a placeholder above it: `<!-- tabulae query \"from posts limit 5\" -->`",
                    )),
                },
                kind => {
                    if let Some((_, first, _)) = &open {
                        let diagnostic = page.diagnostic(
                            mark.span,
                            "this placeholder is inside another one",
                            "close the other one with `<!-- tabulae end -->` first",
                        );
                        let first = page.source.location(*first);
                        diagnostics.push(diagnostic.beside(first, "the other one is here"));
                        continue;
                    }
                    let ask = kind.and_then(|kind| words.ask(kind, &mut diagnostics));
                    // A comment with an error opens a placeholder, too.
                    let ask = ask.unwrap_or(Ask::NOTHING);
                    let opening = comment.start - COMMENT_START.len()..comment.end + COMMENT_END.len();
                    open = Some((ask, mark.span, opening));
                }
            }
        }
        if let Some((_, span, _)) = open {
            diagnostics.push(page.diagnostic(
                span,
                "this placeholder is not closed",
                "write `<!-- tabulae end -->` where it ends",
            ));
        }
        Collected {
            output: self,
            diagnostics,
        }
    }

    /// Returns the page with a text in each placeholder, in order, and without the comments.
    #[must_use]
    pub fn replaced(&self, texts: &[String]) -> String {
        let mut out = Vec::with_capacity(self.bytes.len() + self.bytes.len() / 4);
        let mut done = 0;
        for (placeholder, text) in self.placeholders.iter().zip(texts) {
            out.extend_from_slice(&self.bytes[done..placeholder.outer.start]);
            out.extend_from_slice(text.trim().as_bytes());
            done = placeholder.outer.end;
        }
        out.extend_from_slice(&self.bytes[done..]);
        String::from_utf8_lossy(&out).into_owned()
    }

    /// Returns the page with a text in each placeholder, in order; every other byte is as it was.
    ///
    /// A text of several lines is put on lines of its own, one of a single line where the comments are.
    /// Lines end as the page's do. In a page that is not known to be UTF-8, letters beyond ASCII
    /// are written as character references.
    #[must_use]
    pub fn filled(&self, texts: &[String]) -> Vec<u8> {
        let mut out = Vec::with_capacity(self.bytes.len() + self.bytes.len() / 4);
        let mut done = 0;
        for (location, text) in self.placeholders.iter().zip(texts) {
            out.extend_from_slice(&self.bytes[done..location.inner.start]);
            out.extend_from_slice(self.fitted(text.trim(), location).as_bytes());
            done = location.inner.end;
        }
        out.extend_from_slice(&self.bytes[done..]);
        out
    }

    fn fitted(&self, text: &str, location: &Placeholder) -> String {
        let old = &self.bytes[location.inner.clone()];
        let on_lines = text.contains('\n') || old.starts_with(b"\n") || old.starts_with(b"\r\n");
        let text = match on_lines {
            true => format!("\n{text}\n"),
            false => text.to_owned(),
        };
        let first_end = memchr::memchr(b'\n', self.bytes);
        let crlf = first_end.is_some_and(|at| at > 0 && self.bytes[at - 1] == b'\r');
        let text = match crlf {
            true => text.replace("\r\n", "\n").replace('\n', "\r\n"),
            false => text,
        };
        if encoding::is_utf8(self.bytes) {
            return text;
        }
        let mut plain = String::with_capacity(text.len());
        for c in text.chars() {
            match c.is_ascii() {
                true => plain.push(c),
                false => plain.push_str(&format!("&#{};", u32::from(c))),
            }
        }
        plain
    }

    /// Returns an error at a placeholder's comment.
    #[must_use]
    pub fn diagnostic(&self, span: Span, message: impl Into<String>, help: &str) -> Diagnostic {
        Diagnostic::error(
            Code::InvalidPlaceholder,
            self.source.location(span),
            message,
        )
        .help(help)
    }

    /// Returns the text of a comment, with its location in the source.
    fn mark(&mut self, comment: &Range<usize>) -> Spanned<String> {
        if let Some(found) = self.found {
            let text = String::from_utf8_lossy(&self.bytes[comment.clone()]).into_owned();
            let start = self.source.text()[found..].find(&text);
            let start = start.map_or(found, |at| found + at);
            let end = (start + text.len()).min(self.source.text().len());
            self.found = Some(end);
            return Spanned::new(text, Span::new(start, end));
        }
        // The source has a longer sign for bytes that are no text.
        let (byte, at) = self.shown;
        let before = String::from_utf8_lossy(&self.bytes[byte..comment.start]);
        let start = at + before.len()
            - if byte == 0 {
                byte_order_mark(&before)
            } else {
                0
            };
        self.shown = (comment.start, start);
        let text = String::from_utf8_lossy(&self.bytes[comment.clone()]).into_owned();
        let span = Span::new(start, start + text.len());
        Spanned::new(text, span)
    }
}

/// Returns true if HTML has a comment that may open or close a placeholder.
#[must_use]
pub fn has_placeholders(html: &str) -> bool {
    memchr::memmem::find(html.as_bytes(), COMMENT_START.as_bytes()).is_some()
        && !marks(html.as_bytes()).is_empty()
}

/// Returns the byte ranges of the comments that open or close placeholders, without `<!--` and `-->`.
fn marks(bytes: &[u8]) -> Vec<Range<usize>> {
    let comments = comments(bytes);
    comments
        .filter(|comment| is_mark(&bytes[comment.clone()]))
        .collect()
}

/// Returns the length of the byte order mark that a text begins with.
fn byte_order_mark(text: &str) -> usize {
    text.chars()
        .next()
        .filter(|first| *first == '\u{feff}')
        .map_or(0, char::len_utf8)
}

fn utf16(file: &str) -> Diagnostic {
    let message = "this page is in UTF-16, and its placeholders are not filled";
    Diagnostic::error(Code::InvalidUtf8, Location::top_of(file), message)
        .help("save it as UTF-8, or in any encoding that contains ASCII")
}

fn is_mark(comment: &[u8]) -> bool {
    let text = comment.trim_ascii_start();
    text.strip_prefix(MARK.as_bytes())
        .is_some_and(|rest| rest.first().is_none_or(u8::is_ascii_whitespace))
}

impl Ask {
    /// Takes the place of a comment that is not understood.
    const NOTHING: Self = Self {
        what: What::Related(None),
        limit: None,
        part: None,
    };
}

/// The words of a placeholder's comment.
struct Words<'a> {
    source: &'a Source,
    /// The comment, for what is missing.
    mark: Span,
    words: Vec<Word>,
    next: usize,
}

/// A word, or a text in quotes.
struct Word {
    text: Spanned<String>,
    quoted: bool,
    closed: bool,
}

impl<'a> Words<'a> {
    fn new(mark: &Spanned<String>, source: &'a Source) -> Self {
        Self {
            source,
            mark: mark.span,
            words: words_of(mark),
            next: 1,
        }
    }

    fn diagnostic(&self, span: Span, message: impl Into<String>) -> Diagnostic {
        Diagnostic::error(
            Code::InvalidPlaceholder,
            self.source.location(span),
            message,
        )
    }

    fn next(&mut self) -> Option<&Word> {
        let word = self.words.get(self.next)?;
        self.next += 1;
        Some(word)
    }

    /// Returns the kind of the list that is asked for.
    fn kind(&mut self, diagnostics: &mut Diagnostics) -> Option<&'static str> {
        if let Some(open) = self.words.iter().find(|word| !word.closed) {
            let diagnostic = self.diagnostic(open.text.span, "this text is not closed");
            diagnostics.push(
                diagnostic.help("write the same quote at its end; within it the quote doubled"),
            );
            return None;
        }
        let Some(word) = self.next().map(|word| word.text.clone()) else {
            let message = "this placeholder does not say which list it is";
            diagnostics.push(self.diagnostic(self.mark, message).suggest("", KINDS));
            return None;
        };
        let kind = KINDS.into_iter().find(|kind| *kind == word.node);
        if kind.is_none() {
            let message = format!("there is no placeholder `{}`", word.node);
            diagnostics.push(
                self.diagnostic(word.span, message)
                    .suggest(&word.node, KINDS),
            );
        }
        kind
    }

    fn ask(&mut self, kind: &str, diagnostics: &mut Diagnostics) -> Option<Ask> {
        let what = match kind {
            "query" => {
                let text = self.text("the query", "query \"from posts limit 5\"", diagnostics)?;
                What::Query(EmbeddedText::new(&text.node, self.source, text.span))
            }
            "newest" => What::Newest(
                self.text("the archive", "newest journal", diagnostics)?,
                None,
            ),
            "terms" => What::Terms(self.text("the term field", "terms tag", diagnostics)?, None),
            _ => What::Related(None),
        };
        let mut ask = Ask {
            what,
            limit: None,
            part: None,
        };
        while let Some(word) = self.next().map(|word| word.text.clone()) {
            self.option(&word, &mut ask, diagnostics)?;
        }
        Some(ask)
    }

    fn option(
        &mut self,
        word: &Spanned<String>,
        ask: &mut Ask,
        diagnostics: &mut Diagnostics,
    ) -> Option<()> {
        match (word.node.as_str(), &mut ask.what) {
            ("limit", _) => {
                let text = self.text("a number", "limit 5", diagnostics)?;
                let Ok(limit) = text.node.parse() else {
                    let message = format!("\"{}\" is not a whole number", text.node);
                    diagnostics.push(self.diagnostic(text.span, message).help("write `limit 5`"));
                    return None;
                };
                ask.limit = Some(limit);
            }
            ("with", _) => {
                let part = self.text("a template", "with \"parts/lines.html\"", diagnostics)?;
                ask.part = Some(Part::Whole(part));
            }
            ("each", What::Query(_) | What::Related(_) | What::Newest(..)) => {
                let part = self.text("a template", "each \"parts/card.html\"", diagnostics)?;
                ask.part = Some(Part::Each(part));
            }
            ("of", What::Related(of)) => {
                *of = Some(self.text("a post", "of \"posts/lime.md\"", diagnostics)?);
            }
            ("of", What::Newest(_, of)) => {
                *of = Some(self.text("a term", "of \"lime\"", diagnostics)?);
            }
            ("order", What::Terms(_, order)) => {
                *order = Some(self.text("an order", "order count", diagnostics)?);
            }
            (other, what) => {
                let known: &[&str] = match what {
                    What::Query(_) => &["limit", "with", "each"],
                    What::Related(_) | What::Newest(..) => &["of", "limit", "with", "each"],
                    What::Terms(..) => &["order", "limit", "with"],
                };
                let message = format!("`{other}` is not understood here");
                let known = known.iter().copied();
                diagnostics.push(self.diagnostic(word.span, message).suggest(other, known));
                return None;
            }
        }
        Some(())
    }

    /// The next word, whatever it is.
    fn text(
        &mut self,
        wanted: &str,
        example: &str,
        diagnostics: &mut Diagnostics,
    ) -> Option<Spanned<String>> {
        let found = self.next().map(|word| (word.text.clone(), word.quoted));
        match found {
            Some((text, quoted)) if quoted || wanted != "the query" => Some(text),
            Some((text, _)) => {
                let diagnostic = self.diagnostic(text.span, "the query has no quotes");
                diagnostics.push(diagnostic.help(format!("write `{example}`")));
                None
            }
            None => {
                let diagnostic = self.diagnostic(self.mark, format!("{wanted} is missing"));
                diagnostics.push(diagnostic.help(format!("write `{example}`")));
                None
            }
        }
    }
}

fn words_of(mark: &Spanned<String>) -> Vec<Word> {
    let text = mark.node.as_str();
    let mut words = Vec::new();
    let mut at = 0;
    while let Some(start) = text[at..].find(|c: char| !c.is_whitespace()) {
        let start = at + start;
        let rest = &text[start..];
        let quote = rest.chars().next().filter(|c| matches!(c, '"' | '\''));
        let (word, length, closed) = match quote {
            Some(quote) => quoted(rest, quote),
            None => {
                let end = rest.find(char::is_whitespace).unwrap_or(rest.len());
                (rest[..end].to_owned(), end, true)
            }
        };
        let from = mark.span.start + start;
        words.push(Word {
            text: Spanned::new(word, Span::new(from, from + length)),
            quoted: quote.is_some(),
            closed,
        });
        at = start + length;
    }
    words
}

/// A text that begins with a quote: what it says, how many bytes it takes, whether it is closed.
fn quoted(rest: &str, quote: char) -> (String, usize, bool) {
    let mut said = String::new();
    let mut at = 1;
    while let Some(end) = rest[at..].find(quote) {
        said.push_str(&rest[at..at + end]);
        at += end + 1;
        if !rest[at..].starts_with(quote) {
            return (said, at, true);
        }
        said.push(quote);
        at += 1;
    }
    said.push_str(&rest[at..]);
    (said, rest.len(), false)
}
