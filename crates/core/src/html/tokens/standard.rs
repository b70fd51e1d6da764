//! The HTML standard's tokenizer.

use html5gum::emitters::default::{DefaultEmitter, StartTag};
use html5gum::emitters::{Emitter, ForwardingEmitter};
use html5gum::{Error, HtmlString, State, StringReader, Token as Raw, Tokenizer};

use super::{Attribute, Tag, Token};

/// Makes tokens, and no errors, as checking each character for them takes half of the time.
#[derive(Debug)]
struct WithoutErrors(DefaultEmitter<usize>);

impl ForwardingEmitter for WithoutErrors {
    type Token = Raw<usize>;

    fn inner(&mut self) -> &mut impl Emitter<Token = Self::Token> {
        &mut self.0
    }

    fn emit_error(&mut self, _: Error) {}

    fn should_emit_errors(&mut self) -> bool {
        false
    }
}

/// The tokens of an HTML text from some place on that is in no tag.
pub(super) struct Standard<'a> {
    html: &'a [u8],
    start: usize,
    inner: Tokenizer<StringReader<'a>, WithoutErrors>,
    /// The number of open `svg` and `math` elements; they contain no raw text elements.
    foreign: usize,
    /// Set after the start tag of an element whose content is read in a way of its own.
    is_raw: bool,
}

impl<'a> Standard<'a> {
    pub(super) fn new(html: &'a [u8], start: usize) -> Self {
        let emitter = WithoutErrors(DefaultEmitter::new_with_span());
        Self {
            html,
            start,
            inner: Tokenizer::new_with_emitter(&html[start..], emitter),
            foreign: 0,
            is_raw: false,
        }
    }

    /// Returns true if another tokenizer that began after the last tag or comment would read the same.
    pub(super) fn is_outside(&self) -> bool {
        self.foreign == 0 && !self.is_raw
    }

    /// Returns a start tag, after which the tokenizer reads the element's content as its name
    /// demands.
    fn start(&mut self, tag: StartTag<usize>) -> Tag<'a> {
        let name = text_of(&tag.name);
        let is_in_foreign = self.foreign > 0 || is_foreign(&name);
        if is_foreign(&name) && !tag.self_closing {
            self.foreign += 1;
        } else if self.foreign == 0
            && let Some(state) = content_state(&name)
        {
            self.inner.set_state(state);
            self.is_raw = true;
        }
        let attributes = tag.attributes.into_iter();
        let mut attributes: Vec<Attribute<'_>> = attributes
            .map(|(name, value)| {
                let start = self.start + value.span.start;
                Attribute {
                    name: text_of(&name).into(),
                    value: text_of(&value).into(),
                    span: start..attribute_end(self.html, start),
                }
            })
            .collect();
        attributes.sort_by_key(|attribute| attribute.span.start);
        Tag {
            name: name.into(),
            attributes,
            span: self.start + tag.span.start..self.start + tag.span.end,
            closes_itself: tag.self_closing && is_in_foreign,
            has_slash: tag.self_closing,
        }
    }
}

impl<'a> Iterator for Standard<'a> {
    type Item = Token<'a>;

    fn next(&mut self) -> Option<Token<'a>> {
        loop {
            let Ok(token) = self.inner.next()?;
            return Some(match token {
                Raw::String(text) => Token::Text(text_of(&text).into()),
                Raw::StartTag(tag) => Token::Start(self.start(tag)),
                Raw::EndTag(tag) => {
                    let name = text_of(&tag.name);
                    if is_foreign(&name) {
                        self.foreign = self.foreign.saturating_sub(1);
                    }
                    self.is_raw = false;
                    let span = self.start + tag.span.start..self.start + tag.span.end;
                    let name = name.into();
                    Token::End { name, span }
                }
                Raw::Comment(comment) => {
                    let span = comment.span;
                    Token::Comment(self.start + span.start..self.start + span.end)
                }
                Raw::Doctype(_) | Raw::Error(_) => continue,
            });
        }
    }
}

fn is_foreign(name: &str) -> bool {
    matches!(name, "svg" | "math")
}

/// Returns true for an element whose content is not text and tags as elsewhere.
pub(super) fn is_special(name: &str) -> bool {
    is_foreign(name) || content_state(name).is_some()
}

/// Returns the state for the content of an element that holds no tags (HTML, "Parsing HTML
/// fragments").
fn content_state(name: &str) -> Option<State> {
    match name {
        "textarea" | "title" => Some(State::RcData),
        "script" => Some(State::ScriptData),
        "style" | "iframe" | "xmp" | "noembed" | "noframes" => Some(State::RawText),
        "plaintext" => Some(State::PlainText),
        _ => None,
    }
}

/// Returns where an attribute ends that begins at `start`: past its value, if it has one.
fn attribute_end(html: &[u8], start: usize) -> usize {
    let in_name = |byte: u8| !byte.is_ascii_whitespace() && !matches!(byte, b'/' | b'>' | b'=');
    // The first byte belongs to the name, even if it is `=`.
    let at = start + 1 + count(&html[start + 1..], in_name);
    let past_space = |at: usize| at + count(&html[at..], |byte| byte.is_ascii_whitespace());
    let equals = past_space(at);
    if html.get(equals) != Some(&b'=') {
        return at;
    }
    let value = past_space(equals + 1);
    match html.get(value) {
        Some(quote @ (b'"' | b'\'')) => {
            let end = value + 1 + count(&html[value + 1..], |byte| byte != *quote);
            (end + 1).min(html.len())
        }
        _ => {
            value
                + count(&html[value..], |byte| {
                    !byte.is_ascii_whitespace() && byte != b'>'
                })
        }
    }
}

/// Returns the number of bytes at the start for which `is` holds.
fn count(bytes: &[u8], is: impl Fn(u8) -> bool) -> usize {
    bytes.iter().take_while(|byte| is(**byte)).count()
}

/// Returns a text of the tokenizer, which is UTF-8 if the HTML is.
fn text_of(text: &HtmlString) -> String {
    String::from_utf8_lossy(text).into_owned()
}
