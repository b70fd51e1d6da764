//! HTML that posts hold: its plain text, and its links made whole.

mod kept;
pub(crate) mod tokens;

use std::borrow::Cow;
use std::ops::Range;

use indexmap::IndexSet;

pub use self::kept::Html;
use self::tokens::{Attribute, Tag, Token, tags, tokens};

/// Returns the text of some HTML without tags, with character references resolved; scripts and
/// styles are left out. Runs of white space become one space, and so does a tag that parts words.
#[must_use]
pub fn text(html: &str) -> String {
    let mut out = String::with_capacity(html.len());
    let mut unseen: Option<Cow<'_, str>> = None;
    for token in tokens(html) {
        match token {
            Token::Text(text) if unseen.is_none() => push_text(&text, &mut out),
            Token::Text(_) | Token::Comment(_) => {}
            Token::Start(Tag { name, .. }) => {
                part_words(&name, &mut out);
                if matches!(&*name, "script" | "style") {
                    unseen = Some(name);
                }
            }
            Token::End { name, .. } => {
                part_words(&name, &mut out);
                unseen = unseen.filter(|unseen| *unseen != name);
            }
        }
    }
    out.truncate(out.trim_end().len());
    out
}

/// Appends text in which each run of white space is one space.
fn push_text(text: &str, out: &mut String) {
    let mut words = text.split_ascii_whitespace();
    if text.starts_with(|c: char| c.is_ascii_whitespace()) {
        space(out);
    }
    if let Some(first) = words.next() {
        out.push_str(first);
    }
    for word in words {
        out.push(' ');
        out.push_str(word);
    }
    if text.ends_with(|c: char| c.is_ascii_whitespace()) {
        space(out);
    }
}

/// Appends a space, unless there is one, or nothing before it.
fn space(out: &mut String) {
    if !out.is_empty() && !out.ends_with(' ') {
        out.push(' ');
    }
}

/// Appends a space for a tag that is not part of a line.
fn part_words(name: &str, out: &mut String) {
    if !INLINE.contains(&name) {
        space(out);
    }
}

/// Tags that do not part words.
const INLINE: [&str; 18] = [
    "a", "abbr", "b", "bdi", "cite", "code", "del", "em", "i", "ins", "kbd", "mark", "q", "s",
    "span", "strong", "sub", "sup",
];

/// Returns the byte range of the first element of a name, with its tags, up to the first end tag of the name:
/// for elements that do not contain themselves, such as `p` and headings. `None` without such an element, or if
/// it is not closed. Takes linear time.
#[must_use]
pub fn element(html: &str, name: &str) -> Option<Range<usize>> {
    let mut start = None;
    for token in tags(html) {
        match token {
            Token::Start(tag) if tag.name == name => {
                start.get_or_insert(tag.span.start);
            }
            Token::End { name: ended, span } if ended == name && start.is_some() => {
                return Some(start?..span.end);
            }
            _ => {}
        }
    }
    None
}

/// Returns the byte range of the first comment that is exactly `comment`, such as `<!-- more -->`. Takes linear time.
#[must_use]
pub fn comment(html: &str, comment: &str) -> Option<Range<usize>> {
    // Most texts do not have it.
    memchr::memmem::find(html.as_bytes(), comment.as_bytes())?;
    tags(html).find_map(|token| match token {
        Token::Comment(span) if html[span.clone()] == *comment => Some(span),
        _ => None,
    })
}

/// Attributes that hold one address.
pub(crate) const ADDRESSES: [&str; 6] = ["href", "src", "poster", "data", "cite", "action"];

/// Rewrites each address in `html` by `change`, which returns `None` to leave one as it is.
/// Also the addresses of `srcset`. All other bytes stay as they are.
#[must_use]
pub fn rewrite_links(html: &str, change: &mut dyn FnMut(&str) -> Option<String>) -> String {
    rewrite_page(html, change, &mut |_| None)
}

/// Rewrites addresses as [`rewrite_links`], and gives images without width and height those of `size`, in pixels, by their
/// address as it is written.
#[must_use]
pub fn rewrite_page(
    html: &str,
    change: &mut dyn FnMut(&str) -> Option<String>,
    size: &mut dyn FnMut(&str) -> Option<(u32, u32)>,
) -> String {
    let mut out = Edited::new(html);
    for token in tags(html) {
        let Token::Start(tag) = token else {
            continue;
        };
        let has = |name: &str| tag.value(name).is_some();
        let is_bare = tag.name == "img" && !has("width") && !has("height");
        let source = tag.value("src").filter(|_| is_bare);
        let size = source.and_then(&mut *size);
        let last = tag.attributes.last().map(|last| last.span.end);
        for Attribute { name, value, span } in tag.attributes {
            let new = match &*name {
                "srcset" => Some(rewrite_srcset(&value, change)),
                name if ADDRESSES.contains(&name) => change(&value),
                _ => None,
            };
            if let Some(new) = new.filter(|new| **new != value) {
                out.replace(span, &attribute(&name, &new));
            }
        }
        if let (Some((width, height)), Some(last)) = (size, last) {
            let attributes = format!(" width=\"{width}\" height=\"{height}\"");
            out.replace(last..last, &attributes);
        }
    }
    out.done()
}

/// A heading that can be linked to.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Heading {
    /// The level, 1 to 6.
    pub level: u8,
    /// The id.
    pub id: String,
    /// The text.
    pub text: String,
}

/// Returns the headings that have an id, in order. Takes linear time.
#[must_use]
pub fn headings(html: &str) -> Vec<Heading> {
    let mut found: Vec<Heading> = Vec::new();
    let mut open: Option<(u8, String, usize)> = None;
    for token in tags(html) {
        match token {
            Token::Start(tag) => {
                let id = tag.value("id");
                if let (Some(level), Some(id)) = (heading_level(&tag.name), id) {
                    open = Some((level, id.to_owned(), tag.span.end));
                }
            }
            Token::End { name, span } if heading_level(&name).is_some() => {
                if let Some((level, id, start)) = open.take() {
                    let text = text(html.get(start..span.start).unwrap_or_default());
                    found.push(Heading { level, id, text });
                }
            }
            _ => {}
        }
    }
    found
}

fn heading_level(name: &str) -> Option<u8> {
    match name.as_bytes() {
        [b'h', level @ b'1'..=b'6'] => Some(level - b'0'),
        _ => None,
    }
}

/// Returns the width and the height of an image in SVG, in pixels; `None` if its root does not have both as numbers.
#[must_use]
pub fn svg_size(text: &str) -> Option<(u32, u32)> {
    let root = tags(text).find_map(|token| match token {
        Token::Start(tag) => Some(tag),
        _ => None,
    })?;
    let number = |name: &str| {
        let digits = root.value(name)?.trim().trim_end_matches("px");
        let number: f64 = digits.parse().ok()?;
        #[expect(
            clippy::cast_possible_truncation,
            clippy::cast_sign_loss,
            reason = "within these bounds"
        )]
        (1.0..=65_535.0)
            .contains(&number)
            .then(|| number.round() as u32)
    };
    (root.name == "svg").then_some((number("width")?, number("height")?))
}

/// The addresses in `html`, each once, in the order met.
#[must_use]
pub fn addresses(html: &str) -> Vec<String> {
    let mut found: IndexSet<String> = IndexSet::new();
    let _ = rewrite_links(html, &mut |address| {
        if !found.contains(address) {
            found.insert(address.to_owned());
        }
        None
    });
    found.into_iter().collect()
}

/// Returns those of [`addresses`] that are relative to the page.
#[must_use]
pub fn relative_addresses(html: &str) -> Vec<String> {
    let mut found = addresses(html);
    found.retain(|address| is_local(address) && !address.starts_with(['/', '#', '?']));
    found
}

/// The addresses of a `srcset` by `change`. One ends at white space, or at the commas at its end
/// (HTML, "parsing a srcset attribute").
pub(crate) fn rewrite_srcset(set: &str, change: &mut dyn FnMut(&str) -> Option<String>) -> String {
    let mut rest = set;
    let mut candidates = Vec::new();
    loop {
        rest = rest.trim_start_matches(|c: char| c.is_ascii_whitespace() || c == ',');
        if rest.is_empty() {
            return candidates.join(", ");
        }
        let end = rest.find(|c: char| c.is_ascii_whitespace());
        let (address, after) = rest.split_at(end.unwrap_or(rest.len()));
        let alone = address.trim_end_matches(',');
        let size = if alone.len() < address.len() {
            rest = after;
            ""
        } else {
            let end = after.find(',').unwrap_or(after.len());
            rest = &after[end..];
            after[..end].trim()
        };
        let address = change(alone).unwrap_or_else(|| alone.to_owned());
        candidates.push(if size.is_empty() {
            address
        } else {
            format!("{address} {size}")
        });
    }
}

/// Returns an attribute as HTML.
pub fn attribute(name: &str, value: &str) -> String {
    let value = value.replace('&', "&amp;").replace('"', "&quot;");
    format!("{name}=\"{value}\"")
}

/// Escapes text for HTML between tags.
#[must_use]
pub fn escape_text(text: &str) -> Cow<'_, str> {
    if !text.contains(['&', '<', '>']) {
        return text.into();
    }
    let text = text.replace('&', "&amp;").replace('<', "&lt;");
    text.replace('>', "&gt;").into()
}

/// Returns the text of HTML that [`escape_text`] or a Markdown writer made.
#[must_use]
pub fn unescape_text(html: &str) -> Cow<'_, str> {
    if !html.contains('&') {
        return html.into();
    }
    let text = html.replace("&lt;", "<").replace("&gt;", ">");
    text.replace("&quot;", "\"").replace("&amp;", "&").into()
}

/// A text in which parts are replaced, from its start to its end.
pub(crate) struct Edited<'a> {
    text: &'a str,
    out: String,
    at: usize,
}

impl<'a> Edited<'a> {
    pub(crate) fn new(text: &'a str) -> Self {
        let out = String::with_capacity(text.len() + text.len() / 8);
        Self { text, out, at: 0 }
    }

    /// Replaces a part. Parts that begin before the end of the last one are left alone.
    pub(crate) fn replace(&mut self, part: Range<usize>, new: &str) {
        if let Some(before) = self.text.get(self.at..part.start) {
            self.out.push_str(before);
            self.out.push_str(new);
            self.at = part.end;
        }
    }

    pub(crate) fn done(mut self) -> String {
        self.out
            .push_str(self.text.get(self.at..).unwrap_or_default());
        self.out
    }
}

/// Returns true if an address is relative to the page or to the site's root.
#[must_use]
pub fn is_local(address: &str) -> bool {
    let parts = |byte: &u8| matches!(byte, b':' | b'/' | b'?' | b'#');
    !address.starts_with("//") && address.bytes().find(parts) != Some(b':')
}

#[cfg(test)]
mod tests {
    use super::*;
    use rstest::rstest;

    #[rstest]
    #[case::blocks("<p>One</p>\n<p>two</p>", "One two")]
    #[case::inline("<p>li<em>m</em>e</p>", "lime")]
    #[case::entities("a &amp; b &#8217; &lt;", "a & b ’ <")]
    #[case::no_entity("a & b &unknown; c", "a & b &unknown; c")]
    #[case::script("a<script>if (1 < 2) {}</script>b", "a b")]
    #[case::comment("a<!-- <p> -->b", "ab")]
    #[case::quoted_bracket("<p title=\"a > b\">c</p>", "c")]
    #[case::break_parts("a<br>b", "a b")]
    #[case::less_than("<p>if a < b and c > d</p>", "if a < b and c > d")]
    #[case::named_entities("caf&eacute; &hellip; &mdash; &ensp;x", "café … — \u{2002}x")]
    #[case::no_semicolon("a &amp b &copy2", "a & b ©2")]
    #[case::spaces(" a \n\t b<i> c </i> d ", "a b c d")]
    #[case::no_break_space("a&nbsp;\u{a0}b", "a\u{a0}\u{a0}b")]
    #[case::elements(
        "<p class=\"a\" id=\"b\">A <em>lime</em>kiln<br />here.</p>\n<p>B</p>",
        "A limekiln here. B"
    )]
    #[case::references("a &amp;&lt;b&gt; &quot;c&quot;", "a &<b> \"c\"")]
    #[case::comment_of_words("a<!-- more -->b", "ab")]
    #[case::flag("<input disabled type=\"checkbox\"> to do", "to do")]
    fn text_is_what_a_reader_sees(#[case] html: &str, #[case] expected: &str) {
        assert_eq!(text(html), expected);
    }

    #[rstest]
    #[case::first("<p>a</p><p>b</p>", Some("<p>a</p>"))]
    #[case::with_attributes("<div><P title='>'>a</P></div>", Some("<P title='>'>a</P>"))]
    #[case::not_a_longer_name("<pre>a</pre><p>b</p>", Some("<p>b</p>"))]
    #[case::not_in_a_comment("<!-- <p>a</p> --><p>b</p>", Some("<p>b</p>"))]
    #[case::not_in_a_script("<script>'<p>a</p>'</script><p>b</p>", Some("<p>b</p>"))]
    #[case::without_an_end_tag("<p>a<p>b</p>c", Some("<p>a<p>b</p>"))]
    #[case::not_closed("<p>a", None)]
    #[case::none("a", None)]
    fn the_first_element_of_a_name(#[case] html: &str, #[case] expected: Option<&str>) {
        assert_eq!(element(html, "p").map(|range| &html[range]), expected);
    }

    #[rstest]
    #[case::first("a<!-- more -->b<!-- more -->", Some(1))]
    #[case::another_comment("a<!-- more of it -->", None)]
    #[case::in_a_script("<script><!-- more --></script><!-- more -->", Some(30))]
    #[case::in_an_attribute("<p title='<!-- more -->'>", None)]
    fn the_first_comment_of_a_text(#[case] html: &str, #[case] expected: Option<usize>) {
        let found = comment(html, "<!-- more -->");
        assert_eq!(found.map(|range| range.start), expected);
    }

    #[rstest]
    #[case::link("<a href=\"x\">y</a>", "<a href=\"/p/x\">y</a>")]
    #[case::single_quotes("<img src='x'>", "<img src=\"/p/x\">")]
    #[case::in_text("<code>href=\"x\"</code>", "<code>href=\"x\"</code>")]
    #[case::comment("<!-- <a href=\"x\"> -->", "<!-- <a href=\"x\"> -->")]
    #[case::ampersand(
        "<a href=\"x?a=1&amp;b=2\">y</a>",
        "<a href=\"/p/x?a=1&amp;b=2\">y</a>"
    )]
    #[case::srcset("<img srcset=\"a 1x, b 2x\">", "<img srcset=\"/p/a 1x, /p/b 2x\">")]
    #[case::srcset_data(
        "<img srcset=\"data:image/png;base64,AA 1x,b,c 2x\">",
        "<img srcset=\"data:image/png;base64,AA 1x, /p/b,c 2x\">"
    )]
    #[case::srcset_lone("<img srcset=\"a, b 2x\">", "<img srcset=\"/p/a, /p/b 2x\">")]
    #[case::complete(
        "<a href=\"https://x.example/\">y</a>",
        "<a href=\"https://x.example/\">y</a>"
    )]
    fn addresses_are_rewritten_and_nothing_else(#[case] html: &str, #[case] expected: &str) {
        let mut change = |old: &str| is_local(old).then(|| format!("/p/{old}"));
        assert_eq!(rewrite_links(html, &mut change), expected);
    }

    #[rstest]
    #[case::bare(
        "<img src=\"a.png\" alt=\"A\" />",
        "<img src=\"/p/a.png\" alt=\"A\" width=\"3\" height=\"2\" />"
    )]
    #[case::with_width(
        "<img src=\"a.png\" width=\"9\">",
        "<img src=\"/p/a.png\" width=\"9\">"
    )]
    #[case::no_size("<img src=b.png>", "<img src=\"/p/b.png\">")]
    #[case::no_source("<img alt=a.png>", "<img alt=a.png>")]
    #[case::not_an_image("<video src=\"a.png\">", "<video src=\"/p/a.png\">")]
    fn images_get_their_size(#[case] html: &str, #[case] expected: &str) {
        let mut change = |old: &str| is_local(old).then(|| format!("/p/{old}"));
        let mut size = |address: &str| (address == "a.png").then_some((3, 2));
        assert_eq!(rewrite_page(html, &mut change, &mut size), expected);
    }

    #[rstest]
    #[case::numbers("<?xml version=\"1.0\"?><!-- a --><svg width=\"3\" height=\"2.4\">", Some((3, 2)))]
    #[case::pixels("<svg height='2px' width='3px'/>", Some((3, 2)))]
    #[case::percent("<svg width=\"100%\" height=\"2\">", None)]
    #[case::only_a_box("<svg viewBox=\"0 0 3 2\">", None)]
    #[case::huge("<svg width=\"1e99\" height=\"2\">", None)]
    #[case::another_root("<html><svg width=\"3\" height=\"2\">", None)]
    fn the_size_of_an_svg(#[case] text: &str, #[case] expected: Option<(u32, u32)>) {
        assert_eq!(svg_size(text), expected);
    }

    #[rstest]
    #[case::none("a")]
    #[case::all("a < b && c > \"d\"")]
    #[case::a_reference("&lt; &amp;lt;")]
    fn text_is_escaped_and_back(#[case] text: &str) {
        assert_eq!(unescape_text(&escape_text(text)), text);
    }

    #[test]
    fn headings_have_level_id_and_text() {
        let html = "<h2 id=\"a\">A <em>b</em></h2><p>x</p><h3>none</h3><h4 id='c'>C &amp; d</h4>";
        let found = headings(html);
        let found: Vec<_> = found
            .iter()
            .map(|found| (found.level, &*found.id, &*found.text))
            .collect();
        assert_eq!(found, [(2, "a", "A b"), (4, "c", "C & d")]);
    }

    #[rstest]
    #[case("x.svg", true)]
    #[case("/x/", true)]
    #[case("#note", true)]
    #[case("x?a=b:c", true)]
    #[case("//x.example/", false)]
    #[case("https://x.example/", false)]
    #[case("mailto:log@towpath.example", false)]
    fn a_local_address_has_neither_scheme_nor_host(#[case] address: &str, #[case] local: bool) {
        assert_eq!(is_local(address), local);
    }
}
