//! HTML as tokens with their places in the text, by the HTML standard's tokenizer (section
//! "Tokenization").

use std::ops::Range;

use html5gum::emitters::default::{DefaultEmitter, StartTag};
use html5gum::{HtmlString, State, StringReader, Token as Raw, Tokenizer};

/// One token of an HTML text.
#[derive(Debug, Clone, PartialEq, Eq)]
pub(crate) enum Token {
    /// Text, with its character references resolved.
    Text(String),
    /// A start tag.
    Start(Tag),
    /// An end tag.
    End {
        /// The name in lower case.
        name: String,
        /// The byte range, from `<` to `>`.
        span: Range<usize>,
    },
    /// A comment, from `<!--` to `-->`, or a processing instruction.
    Comment(Range<usize>),
}

/// A start tag.
#[derive(Debug, Clone, PartialEq, Eq)]
pub(crate) struct Tag {
    /// The name in lower case.
    pub(crate) name: String,
    /// The attributes in source order, without repeated names.
    pub(crate) attributes: Vec<Attribute>,
    /// The byte range, from `<` to `>`.
    pub(crate) span: Range<usize>,
    /// Set if the tag ends in `/>`.
    pub(crate) has_slash: bool,
    /// Set if the slash closes the element: only in `svg` and `math`, elsewhere it means nothing (HTML, "Start
    /// tags").
    pub(crate) closes_itself: bool,
}

impl Tag {
    /// Returns the value of an attribute by its name in lower case; `None` if the tag does not have it.
    pub(crate) fn value(&self, name: &str) -> Option<&str> {
        let found = self.attributes.iter().find(|known| known.name == name);
        found.map(|found| found.value.as_str())
    }
}

/// An attribute of a start tag.
#[derive(Debug, Clone, PartialEq, Eq)]
pub(crate) struct Attribute {
    /// The name in lower case.
    pub(crate) name: String,
    /// The value, with character references resolved; empty if there is no value.
    pub(crate) value: String,
    /// The byte range: name, `=`, and value with its quotes.
    pub(crate) span: Range<usize>,
}

/// Returns the tokens of `html`, in order: text in UTF-8, or in any encoding that holds ASCII as it is. Takes
/// linear time.
pub(crate) fn tokens(html: &(impl AsRef<[u8]> + ?Sized)) -> Tokens<'_> {
    let html = html.as_ref();
    Tokens {
        html,
        inner: Tokenizer::new_with_emitter(html, DefaultEmitter::new_with_span()),
        foreign: 0,
    }
}

/// Returns the byte ranges of the contents of all comments, between `<!--` and `-->`, in order. A comment
/// without an end is left out. Takes linear time.
pub(crate) fn comments(html: &[u8]) -> impl Iterator<Item = Range<usize>> {
    tokens(html).filter_map(|token| {
        let Token::Comment(span) = token else {
            return None;
        };
        let inner = span.start + COMMENT_START.len()..span.end.checked_sub(COMMENT_END.len())?;
        let is_whole = html[span.clone()].starts_with(COMMENT_START.as_bytes())
            && html[span].ends_with(COMMENT_END.as_bytes());
        (is_whole && inner.start <= inner.end).then_some(inner)
    })
}

/// The start of a comment.
pub(crate) const COMMENT_START: &str = "<!--";

/// The end of a comment.
pub(crate) const COMMENT_END: &str = "-->";

/// The tokens of an HTML text, in order.
pub(crate) struct Tokens<'a> {
    html: &'a [u8],
    inner: Tokenizer<StringReader<'a>, DefaultEmitter<usize>>,
    /// The number of open `svg` and `math` elements; they contain no raw text elements.
    foreign: usize,
}

impl Iterator for Tokens<'_> {
    type Item = Token;

    fn next(&mut self) -> Option<Token> {
        loop {
            let Ok(token) = self.inner.next()?;
            return Some(match token {
                Raw::String(text) => Token::Text(text_of(&text)),
                Raw::StartTag(tag) => Token::Start(self.start(tag)),
                Raw::EndTag(tag) => {
                    let name = text_of(&tag.name);
                    if is_foreign(&name) {
                        self.foreign = self.foreign.saturating_sub(1);
                    }
                    let span = tag.span.start..tag.span.end;
                    Token::End { name, span }
                }
                Raw::Comment(comment) => Token::Comment(comment.span.start..comment.span.end),
                Raw::Doctype(_) | Raw::Error(_) => continue,
            });
        }
    }
}

impl Tokens<'_> {
    /// Returns a start tag, after which the tokenizer reads the element's content as its name
    /// demands.
    fn start(&mut self, tag: StartTag<usize>) -> Tag {
        let name = text_of(&tag.name);
        let is_in_foreign = self.foreign > 0 || is_foreign(&name);
        if is_foreign(&name) && !tag.self_closing {
            self.foreign += 1;
        } else if self.foreign == 0
            && let Some(state) = content_state(&name)
        {
            self.inner.set_state(state);
        }
        let attributes = tag.attributes.into_iter();
        let mut attributes: Vec<Attribute> = attributes
            .map(|(name, value)| {
                let (start, name) = (value.span.start, text_of(&name));
                let end = attribute_end(self.html, start);
                let value = text_of(&value);
                let span = start..end;
                Attribute { name, value, span }
            })
            .collect();
        attributes.sort_by_key(|attribute| attribute.span.start);
        Tag {
            name,
            attributes,
            span: tag.span.start..tag.span.end,
            closes_itself: tag.self_closing && is_in_foreign,
            has_slash: tag.self_closing,
        }
    }
}

fn is_foreign(name: &str) -> bool {
    matches!(name, "svg" | "math")
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

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;
    use rstest::rstest;

    fn starts(html: &str) -> Vec<Tag> {
        tokens(html)
            .filter_map(|token| match token {
                Token::Start(tag) => Some(tag),
                _ => None,
            })
            .collect()
    }

    #[rstest]
    #[case::quoted("<a b=\"c\">", &[("b", "c", "b=\"c\"")])]
    #[case::single("<a b='c' d>", &[("b", "c", "b='c'"), ("d", "", "d")])]
    #[case::bare("<a B=c/d>", &[("b", "c/d", "B=c/d")])]
    #[case::spaces("<a b\n=\r\n 'c'/>", &[("b", "c", "b\n=\r\n 'c'")])]
    #[case::empty("<a b=\"\" c=''>", &[("b", "", "b=\"\""), ("c", "", "c=''")])]
    #[case::twice("<a b=c b=d>", &[("b", "c", "b=c")])]
    #[case::references("<a b='&eacute;&#x41;&amp;'>", &[("b", "éA&", "b='&eacute;&#x41;&amp;'")])]
    #[case::not_ascii("<é><a é='ü'>", &[("é", "ü", "é='ü'")])]
    #[case::in_order("<a z=1 b=2>", &[("z", "1", "z=1"), ("b", "2", "b=2")])]
    fn attributes_have_values_and_places(
        #[case] html: &str,
        #[case] expected: &[(&str, &str, &str)],
    ) {
        let tags = starts(html);
        let found: Vec<_> = tags[0]
            .attributes
            .iter()
            .map(|a| (a.name.as_str(), a.value.as_str(), &html[a.span.clone()]))
            .collect();
        assert_eq!(found, expected);
    }

    #[rstest]
    #[case::less_than("1 < 2 <b>x</b>", &["b"])]
    #[case::script("<script>if (a<b) {}</script><i>", &["script", "i"])]
    #[case::title("<title><b></title><i>", &["title", "i"])]
    #[case::in_a_drawing("<svg><script/><g></svg><style><b></style>", &["svg", "script", "g", "style"])]
    #[case::comment("<!-- <b> --><i>", &["i"])]
    fn tags_are_found_where_html_has_them(#[case] html: &str, #[case] expected: &[&str]) {
        let names: Vec<_> = starts(html).into_iter().map(|tag| tag.name).collect();
        assert_eq!(names, expected);
    }

    #[rstest]
    #[case::each("<!--a--><p><!-- b --></p>", &["a", " b "])]
    #[case::not_closed("<!--a--><!-- b", &["a"])]
    #[case::empty("<!----><!--><!--->x<!--y-->", &["", "y"])]
    #[case::in_an_attribute("<p a=\"<!--b-->\"><p ='<!--c-->'><!--d-->", &["d"])]
    #[case::in_a_script("<script><!--a--></script><style><!--b--></style><!--c-->", &["c"])]
    #[case::in_a_drawing("<svg><style><!--a--></style></svg>", &["a"])]
    #[case::declaration("<!doctype html><!x><?y><!--z-->", &["z"])]
    #[case::not_utf8("\u{e9}<!--a-->", &["a"])]
    fn comments_are_found_where_html_has_them(#[case] html: &str, #[case] expected: &[&str]) {
        // Latin-1: a byte that is not UTF-8.
        let bytes: Vec<u8> = html.chars().map(|c| u8::try_from(c).unwrap()).collect();
        let found = comments(&bytes).map(|comment| &bytes[comment]);
        let expected: Vec<&[u8]> = expected.iter().map(|text| text.as_bytes()).collect();
        assert_eq!(found.collect::<Vec<_>>(), expected);
    }

    proptest! {
        /// Whatever the text, tags and comments lie one after the other, where they say.
        #[test]
        fn spans_are_in_order_and_hold_what_they_name(
            pieces in prop::collection::vec(prop::sample::select(vec![
                "<a ", "b", "=", "'", "\"", ">", "/>", " ", "\r\n", "é", "</a>", "<!-- ", "-->", "&amp;",
                "<script>", "</script>", "<svg>", "</svg>", "x", "<", "\0", "<?x ", "<!", "</",
            ]), 0..14)
        ) {
            let html = pieces.concat();
            let mut end = 0;
            for token in tokens(&html) {
                let span = match &token {
                    Token::Text(_) => continue,
                    Token::Start(tag) => tag.span.clone(),
                    Token::End { span, .. } | Token::Comment(span) => span.clone(),
                };
                prop_assert!(end <= span.start && span.end <= html.len(), "{token:?}");
                prop_assert!(html[span.clone()].starts_with('<'), "{token:?}");
                if let Token::Start(tag) = &token {
                    prop_assert!(html[span.clone()].ends_with('>'));
                    let mut inner = span.start;
                    for attribute in &tag.attributes {
                        let part = &html[attribute.span.clone()];
                        prop_assert!(inner < attribute.span.start, "{token:?}");
                        prop_assert!(attribute.span.end < span.end, "{token:?}");
                        let name = attribute.name.replace('\u{fffd}', "\0");
                        prop_assert!(part.to_lowercase().starts_with(&name), "{part:?} {token:?}");
                        inner = attribute.span.end - 1;
                    }
                }
                end = span.end;
            }
        }
    }
}
