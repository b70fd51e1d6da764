//! HTML as tokens with their places in the text, as the HTML standard has them (section "Tokenization").

mod simple;
mod standard;

use std::borrow::Cow;
use std::ops::Range;

use memchr::memchr;

use self::standard::Standard;

/// One token of an HTML text.
#[derive(Debug, Clone, PartialEq, Eq)]
pub(crate) enum Token<'a> {
    /// Text, with its character references resolved. Text between two tags may be in several tokens.
    Text(Cow<'a, str>),
    /// A start tag.
    Start(Tag<'a>),
    /// An end tag.
    End {
        /// The name in lower case.
        name: Cow<'a, str>,
        /// The byte range, from `<` to `>`.
        span: Range<usize>,
    },
    /// A comment, from `<!--` to `-->`, or a processing instruction.
    Comment(Range<usize>),
}

impl Token<'_> {
    /// Returns the byte range; `None` for text.
    pub(crate) fn span(&self) -> Option<&Range<usize>> {
        match self {
            Self::Text(_) => None,
            Self::Start(Tag { span, .. }) | Self::End { span, .. } | Self::Comment(span) => {
                Some(span)
            }
        }
    }
}

/// A start tag.
#[derive(Debug, Clone, PartialEq, Eq)]
pub(crate) struct Tag<'a> {
    /// The name in lower case.
    pub(crate) name: Cow<'a, str>,
    /// The attributes in source order, without repeated names.
    pub(crate) attributes: Vec<Attribute<'a>>,
    /// The byte range, from `<` to `>`.
    pub(crate) span: Range<usize>,
    /// Set if the tag ends in `/>`.
    pub(crate) has_slash: bool,
    /// Set if the slash closes the element: only in `svg` and `math`, elsewhere it means nothing (HTML, "Start
    /// tags").
    pub(crate) closes_itself: bool,
}

impl Tag<'_> {
    /// Returns the value of an attribute by its name in lower case; `None` if the tag does not have it.
    pub(crate) fn value(&self, name: &str) -> Option<&str> {
        let found = self.attributes.iter().find(|known| known.name == name);
        found.map(|found| &*found.value)
    }
}

/// An attribute of a start tag.
#[derive(Debug, Clone, PartialEq, Eq)]
pub(crate) struct Attribute<'a> {
    /// The name in lower case.
    pub(crate) name: Cow<'a, str>,
    /// The value, with character references resolved; empty if there is no value.
    pub(crate) value: Cow<'a, str>,
    /// The byte range: name, `=`, and value with its quotes.
    pub(crate) span: Range<usize>,
}

/// Returns the tokens of `html`, in order: text in UTF-8, or in any encoding that holds ASCII as it is. Takes
/// linear time.
pub(crate) fn tokens(html: &(impl AsRef<[u8]> + ?Sized)) -> Tokens<'_> {
    Tokens {
        html: html.as_ref(),
        at: 0,
        standard: None,
        skips_texts: false,
    }
}

/// Returns the tags and comments of `html`, in order: the [`tokens`] without texts.
pub(crate) fn tags(html: &(impl AsRef<[u8]> + ?Sized)) -> Tokens<'_> {
    Tokens {
        skips_texts: true,
        ..tokens(html)
    }
}

/// Returns the byte ranges of the contents of all comments, between `<!--` and `-->`, in order. A comment
/// without an end is left out. Takes linear time.
pub(crate) fn comments(html: &[u8]) -> impl Iterator<Item = Range<usize>> {
    tags(html).filter_map(|token| {
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

/// The tokens of an HTML text, in order. Those of simple form are read without the standard's tokenizer, which begins at
/// the first one that is not, and ends at the next place where it could begin.
pub(crate) struct Tokens<'a> {
    html: &'a [u8],
    /// Where the next token begins, unless the standard's tokenizer reads it.
    at: usize,
    standard: Option<Standard<'a>>,
    skips_texts: bool,
}

impl<'a> Iterator for Tokens<'a> {
    type Item = Token<'a>;

    fn next(&mut self) -> Option<Token<'a>> {
        loop {
            let token = match &mut self.standard {
                Some(standard) => {
                    let token = standard.next()?;
                    if let Some(span) = token.span()
                        && standard.is_outside()
                    {
                        self.at = span.end;
                        self.standard = None;
                    }
                    token
                }
                None if self.at == self.html.len() => return None,
                None => match self.simple() {
                    Some(token) => token,
                    None => {
                        self.standard = Some(Standard::new(self.html, self.at));
                        continue;
                    }
                },
            };
            if !(self.skips_texts && matches!(token, Token::Text(_))) {
                return Some(token);
            }
        }
    }
}

impl<'a> Tokens<'a> {
    /// Reads a token; `None` if it is not simple.
    fn simple(&mut self) -> Option<Token<'a>> {
        let rest = &self.html[self.at..];
        let text = memchr(b'<', rest).unwrap_or(rest.len());
        if text > 0 {
            self.at += text;
            let text = match self.skips_texts {
                true => Cow::Borrowed(""),
                false => between_tags(&rest[..text]),
            };
            return Some(Token::Text(text));
        }
        let token = simple::tag(self.html, self.at)?;
        if let Some(span) = token.span() {
            self.at = span.end;
        }
        Some(token)
    }
}

/// Returns text between two tags with its references resolved.
fn between_tags(text: &[u8]) -> Cow<'_, str> {
    if let Some(text) = simple::resolved(text) {
        return text;
    }
    let parts = Standard::new(text, 0).map(|token| match token {
        Token::Text(text) => text,
        _ => Cow::Borrowed(""),
    });
    parts.collect::<String>().into()
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;
    use rstest::rstest;

    fn starts(html: &str) -> Vec<Tag<'_>> {
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
            .map(|a| (&*a.name, &*a.value, &html[a.span.clone()]))
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
