//! The text of simple HTML, such as Markdown writers make it: a fast path beside the HTML standard's tokenizer.

use std::ops::ControlFlow;

use memchr::{memchr, memmem};

use super::{part_words, push_text};

/// Elements whose content the tokenizer reads in a way of its own, or whose text is left out.
const SPECIAL: [&str; 12] = [
    "iframe",
    "math",
    "noembed",
    "noframes",
    "noscript",
    "plaintext",
    "script",
    "style",
    "svg",
    "textarea",
    "title",
    "xmp",
];

/// Returns what [`super::text`] does for HTML of plain start and end tags, comments, and the references `&amp;`,
/// `&lt;`, `&gt;` and `&quot;`; `None` if there is anything else, which only the tokenizer knows to read.
pub(super) fn text(html: &str) -> Option<String> {
    let mut out = String::with_capacity(html.len());
    let mut rest = html;
    // Line ends and NUL are changed by the standard's preprocessing.
    if memchr(b'\r', html.as_bytes()).is_some() || memchr(0, html.as_bytes()).is_some() {
        return None;
    }
    loop {
        let end = memchr(b'<', rest.as_bytes()).unwrap_or(rest.len());
        push_references(&rest[..end], &mut out)?;
        rest = &rest[end..];
        if rest.is_empty() {
            break;
        }
        rest = match rest.strip_prefix("<!--") {
            Some(comment) => after_comment(comment)?,
            None => {
                let (name, after) = tag(&rest[1..])?;
                if SPECIAL.contains(&name) {
                    return None;
                }
                part_words(name, &mut out);
                after
            }
        };
    }
    out.truncate(out.trim_end().len());
    Some(out)
}

/// Appends text with its references resolved; `None` for a reference that is not simple.
fn push_references(text: &str, out: &mut String) -> Option<()> {
    let mut rest = text;
    while let Some(at) = memchr(b'&', rest.as_bytes()) {
        push_text(&rest[..at], out);
        let known = [
            ("&amp;", "&"),
            ("&lt;", "<"),
            ("&gt;", ">"),
            ("&quot;", "\""),
        ];
        let found = known.iter().find_map(|(reference, text)| {
            let after = rest[at..].strip_prefix(reference)?;
            Some((*text, after))
        });
        let (text, after) = found?;
        out.push_str(text);
        rest = after;
    }
    push_text(rest, out);
    Some(())
}

/// Returns what follows a comment that has no other dashes of its own.
fn after_comment(comment: &str) -> Option<&str> {
    let end = memmem::find(comment.as_bytes(), b"--")?;
    let is_plain = !comment.starts_with(['>', '-']) && !comment[..end].contains("<!");
    let after = comment[end..].strip_prefix("-->")?;
    is_plain.then_some(after)
}

/// Returns the name of a tag, and what follows it; the text begins after `<`. Names are in lower case, and values in
/// double quotes.
fn tag(text: &str) -> Option<(&str, &str)> {
    let name = text.strip_prefix('/').unwrap_or(text);
    let end = name.bytes().position(|byte| !is_name(byte))?;
    let (name, mut rest) = name.split_at(end);
    if !name.starts_with(|c: char| c.is_ascii_lowercase()) {
        return None;
    }
    loop {
        rest = match attribute(rest)? {
            ControlFlow::Break(after) => return Some((name, after)),
            ControlFlow::Continue(after) => after,
        };
    }
}

/// Returns what follows an attribute, or the end of the tag.
fn attribute(text: &str) -> Option<ControlFlow<&str, &str>> {
    let trimmed = text.trim_start_matches([' ', '\n']);
    let end = trimmed.strip_prefix('>');
    if let Some(after) = end.or_else(|| trimmed.strip_prefix("/>")) {
        return Some(ControlFlow::Break(after));
    }
    let end = trimmed.bytes().position(|byte| !is_name(byte))?;
    if end == 0 || trimmed.len() == text.len() {
        return None;
    }
    let rest = &trimmed[end..];
    let Some(value) = rest.strip_prefix("=\"") else {
        // Without a value; anything else than a space or the end is not simple.
        return rest
            .starts_with([' ', '\n', '>'])
            .then_some(ControlFlow::Continue(rest));
    };
    let end = memchr(b'"', value.as_bytes())?;
    Some(ControlFlow::Continue(&value[end + 1..]))
}

fn is_name(byte: u8) -> bool {
    byte.is_ascii_lowercase() || byte.is_ascii_digit() || byte == b'-'
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::html::tokenized_text;
    use proptest::prelude::*;
    use rstest::rstest;

    #[rstest]
    #[case::elements(
        "<p class=\"a\" id=\"b\">A <em>lime</em>kiln<br />here.</p>\n<p>B</p>",
        "A limekiln here. B"
    )]
    #[case::references("a &amp;&lt;b&gt; &quot;c&quot;", "a &<b> \"c\"")]
    #[case::comment("a<!-- more -->b", "ab")]
    #[case::flag("<input disabled type=\"checkbox\"> to do", " to do")]
    fn simple_html_has_its_text(#[case] html: &str, #[case] expected: &str) {
        assert_eq!(text(html).as_deref(), Some(expected.trim_start()));
    }

    #[rstest]
    #[case::script("<script>a</script>")]
    #[case::upper_case("<P>a</P>")]
    #[case::single_quotes("<a href='>'>a</a>")]
    #[case::other_reference("&nbsp;")]
    #[case::bare_ampersand("a & b")]
    #[case::less_than("a < b")]
    #[case::doctype("<!doctype html>")]
    #[case::dashes("<!-- a -- b -->")]
    #[case::no_end("<a href=\"")]
    #[case::carriage_return("a\r\nb")]
    fn other_html_is_left_to_the_tokenizer(#[case] html: &str) {
        assert_eq!(text(html), None);
    }

    proptest! {
        #![proptest_config(ProptestConfig { cases: 2000, ..ProptestConfig::default() })]

        #[test]
        fn what_is_read_is_what_the_tokenizer_reads(
            parts in prop::collection::vec(prop::sample::select(vec![
                "a", " ", "\n", "<p>", "</p>", "<em>", "</em>", "<br />", "<br/>", "<a href=\"&x>\">", "<a b>", "</a >",
                "&amp;", "&lt;", "&gt;", "&quot;", "&#39;", "<!-- c -->", "<!---->", "<!-->", "<!--<!---->", "-", "--",
                "<", ">", "\"", "=", "/", "<b\nc=\"d\"\n>", "<1>", "<svg/>", "<title>", "é", "\u{a0}", "<a b=\"c\"d>", "&",
            ]), 0..12),
        ) {
            let html = parts.concat();
            if let Some(read) = text(&html) {
                prop_assert_eq!(read, tokenized_text(&html));
            }
        }
    }
}
