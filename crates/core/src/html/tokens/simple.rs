//! Tags of simple form, such as Markdown writers make them: a fast path beside the HTML standard's tokenizer.

use std::borrow::Cow;
use std::str;

use memchr::{memchr, memmem};

use super::standard::is_special;
use super::{Attribute, COMMENT_END, COMMENT_START, Tag, Token};

/// The most attributes of a simple tag: each is compared with those before it.
const ATTRIBUTES: usize = 32;

/// Returns the tag or comment that begins at a `<`; `None` if it is not simple. Simple are comments without further dashes,
/// and tags in lower case with values in double quotes, of elements whose content is text and tags.
pub(super) fn tag(html: &[u8], start: usize) -> Option<Token<'_>> {
    let rest = &html[start..];
    if let Some(comment) = rest.strip_prefix(COMMENT_START.as_bytes()) {
        let length = comment_length(comment)?;
        return Some(Token::Comment(
            start..start + COMMENT_START.len() + length + COMMENT_END.len(),
        ));
    }
    let is_end = rest.get(1) == Some(&b'/');
    let mut reader = Reader {
        html,
        at: start + 1 + usize::from(is_end),
    };
    let name = reader.name()?;
    if !name.as_bytes().first()?.is_ascii_lowercase() || is_special(name) {
        return None;
    }
    let name = Cow::Borrowed(name);
    if is_end {
        reader.spaces();
        let is_done = reader.skip(b">");
        let span = start..reader.at;
        return is_done.then_some(Token::End { name, span });
    }
    let mut attributes: Vec<Attribute<'_>> = Vec::new();
    loop {
        let before = reader.at;
        reader.spaces();
        let has_slash = reader.skip(b"/>");
        if has_slash || reader.skip(b">") {
            return Some(Token::Start(Tag {
                name,
                attributes,
                span: start..reader.at,
                has_slash,
                closes_itself: false,
            }));
        }
        if reader.at == before {
            return None;
        }
        if attributes.len() == ATTRIBUTES {
            return None;
        }
        let attribute = reader.attribute()?;
        // Of attributes of one name the first counts.
        if !attributes.iter().any(|known| known.name == attribute.name) {
            attributes.push(attribute);
        }
    }
}

/// Returns the number of bytes before the end of a comment that has no dashes and no start of a comment of its own.
fn comment_length(comment: &[u8]) -> Option<usize> {
    let length = memmem::find(comment, b"--")?;
    let is_plain = !comment.starts_with(b">")
        && !comment.starts_with(b"-")
        && memmem::find(&comment[..length], b"<!").is_none()
        && comment[length..].starts_with(COMMENT_END.as_bytes());
    is_plain.then_some(length)
}

/// A place within a tag.
struct Reader<'a> {
    html: &'a [u8],
    at: usize,
}

impl<'a> Reader<'a> {
    fn rest(&self) -> &'a [u8] {
        self.html.get(self.at..).unwrap_or_default()
    }

    /// Skips bytes if they are next.
    fn skip(&mut self, bytes: &[u8]) -> bool {
        let is_next = self.rest().starts_with(bytes);
        self.at += if is_next { bytes.len() } else { 0 };
        is_next
    }

    fn spaces(&mut self) {
        let spaces = self.rest().iter();
        self.at += spaces
            .take_while(|byte| matches!(byte, b' ' | b'\n' | b'\t'))
            .count();
    }

    /// Reads a name, which may be empty.
    fn name(&mut self) -> Option<&'a str> {
        let rest = self.rest();
        let is_name =
            |byte: &u8| byte.is_ascii_lowercase() || byte.is_ascii_digit() || *byte == b'-';
        let length = rest.iter().take_while(|byte| is_name(byte)).count();
        self.at += length;
        str::from_utf8(&rest[..length]).ok()
    }

    /// Reads an attribute; `None` if it is not simple.
    fn attribute(&mut self) -> Option<Attribute<'a>> {
        let start = self.at;
        let name = self.name().filter(|name| !name.is_empty())?;
        let value = match self.skip(b"=\"") {
            true => {
                let rest = self.rest();
                let length = memchr(b'"', rest)?;
                self.at += length + 1;
                resolved(&rest[..length])?
            }
            // Anything else than a space or the end is not simple.
            false if matches!(self.rest().first(), Some(b' ' | b'\n' | b'>')) => Cow::Borrowed(""),
            false => return None,
        };
        // A sign of equality may be behind the spaces.
        let behind = self.rest().iter().find(|byte| !byte.is_ascii_whitespace());
        let span = start..self.at;
        let name = Cow::Borrowed(name);
        (behind != Some(&b'=')).then_some(Attribute { name, value, span })
    }
}

/// The references that are resolved here, as Markdown writers make them.
const REFERENCES: [(&str, &str); 6] = [
    ("&amp;", "&"),
    ("&lt;", "<"),
    ("&gt;", ">"),
    ("&quot;", "\""),
    ("&#39;", "'"),
    ("&#x27;", "'"),
];

/// Returns text or a value with its references resolved; `None` if it has another reference, or a byte that the standard
/// replaces (HTML, "Preprocessing the input stream").
pub(super) fn resolved(text: &[u8]) -> Option<Cow<'_, str>> {
    if memchr::memchr2(b'\r', 0, text).is_some() {
        return None;
    }
    let Some(first) = memchr(b'&', text) else {
        return Some(String::from_utf8_lossy(text));
    };
    let text = str::from_utf8(text).ok()?;
    let mut resolved = String::with_capacity(text.len());
    let (before, mut rest) = text.split_at(first);
    resolved.push_str(before);
    while !rest.is_empty() {
        let mut known = REFERENCES.iter();
        let (character, after) = known
            .find_map(|(reference, character)| Some((character, rest.strip_prefix(reference)?)))?;
        resolved.push_str(character);
        let end = memchr(b'&', after.as_bytes()).unwrap_or(after.len());
        resolved.push_str(&after[..end]);
        rest = &after[end..];
    }
    Some(resolved.into())
}

#[cfg(test)]
mod tests {
    use super::super::standard::Standard;
    use super::super::{tags, tokens};
    use super::*;
    use proptest::prelude::*;
    use rstest::rstest;

    #[rstest]
    #[case::start("<p>", 3)]
    #[case::attributes("<a href=\"b?c&amp;d\" id=\"e\">f", 27)]
    #[case::flag("<input disabled type=\"checkbox\">", 32)]
    #[case::slash("<br />", 6)]
    #[case::end("</code>", 7)]
    #[case::comment("<!-- more -->a", 13)]
    fn simple_tags_are_read(#[case] html: &str, #[case] end: usize) {
        let read = tag(html.as_bytes(), 0).unwrap();
        assert_eq!(read.span(), Some(&(0..end)));
        assert_eq!(Standard::new(html.as_bytes(), 0).next(), Some(read));
    }

    #[rstest]
    #[case::script("<script>a</script>")]
    #[case::upper_case("<P>a</P>")]
    #[case::single_quotes("<a href='>'>a</a>")]
    #[case::other_reference("<a href=\"&nbsp;\">")]
    #[case::bare_ampersand("<a href=\"a&b\">")]
    #[case::less_than("< b")]
    #[case::doctype("<!doctype html>")]
    #[case::dashes("<!-- a -- b -->")]
    #[case::no_end("<a href=\"")]
    #[case::carriage_return("<a href=\"\r\n\">")]
    #[case::sign_behind_a_space("<a b =\"c\">")]
    #[case::end_with_an_attribute("</a b>")]
    fn other_tags_are_left_to_the_standard(#[case] html: &str) {
        assert_eq!(tag(html.as_bytes(), 0), None);
    }

    #[test]
    fn tags_of_many_attributes_are_left_to_the_standard() {
        let tag_of = |count| {
            let attributes = (0..count).map(|number| format!(" a{number}"));
            format!("<p{}>", attributes.collect::<String>())
        };
        assert!(tag(tag_of(ATTRIBUTES).as_bytes(), 0).is_some());
        assert_eq!(tag(tag_of(ATTRIBUTES + 1).as_bytes(), 0), None);
    }

    /// Joins texts that follow each other.
    fn joined<'a>(tokens: impl Iterator<Item = Token<'a>>) -> Vec<Token<'a>> {
        let mut joined: Vec<Token<'_>> = Vec::new();
        for token in tokens {
            match (joined.last_mut(), token) {
                (Some(Token::Text(text)), Token::Text(more)) => text.to_mut().push_str(&more),
                (_, token) => joined.push(token),
            }
        }
        joined
    }

    proptest! {
        #![proptest_config(ProptestConfig { cases: 4000, ..ProptestConfig::default() })]

        #[test]
        fn tokens_are_those_of_the_standard(
            parts in prop::collection::vec(prop::sample::select(vec![
                "a", " ", "\n", "\t", "\r\n", "\0", "<p>", "</p>", "<em>", "</em>", "<br />", "<br/>", "<a href=\"&x>\">",
                "<a b>", "</a >", "<a b c=\"&amp;&#39;\" b=\"d\">", "&amp;", "&lt;", "&gt;", "&quot;", "&#39;", "&copy",
                "<!-- c -->", "<!---->", "<!-->", "<!--<!---->", "<!--", "-->", "-", "--", "<", ">", "\"", "'", "=", "/",
                "<b\nc=\"d\"\n>", "<1>", "<svg/>", "<svg>", "</svg>", "<title>", "</title>", "<script>", "</script>",
                "<style>", "</style>", "<textarea>", "<math><mi/>", "</math>", "é", "\u{a0}", "<a b=\"c\"d>", "<a b =c>",
                "<a b =\"c\">", "&", "<?x>", "<!x", "<P>", "<plaintext>",
            ]), 0..14),
        ) {
            let html = parts.concat();
            prop_assert_eq!(joined(tokens(&html)), joined(Standard::new(html.as_bytes(), 0)));
        }

        #[test]
        fn tags_of_bytes_are_those_of_the_standard(bytes in prop::collection::vec(
            prop::sample::select(b"<>/=\"'&;-! apx#\xe9\xc3\xa9\0\n".to_vec()), 0..24,
        )) {
            let is_tag = |token: &Token<'_>| !matches!(token, Token::Text(_));
            let standard = Standard::new(&bytes, 0).filter(is_tag);
            prop_assert_eq!(tags(&bytes).collect::<Vec<_>>(), standard.collect::<Vec<_>>());
        }
    }
}
