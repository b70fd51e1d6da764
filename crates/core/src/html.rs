//! HTML that posts hold: its plain text, and its links made whole.

use std::borrow::Cow;
use std::fmt;
use std::sync::Arc;

use indexmap::IndexSet;
use lol_html::{HtmlRewriter, Settings, element};

/// Some HTML that is at hand, or that is made each time it is asked for.
#[derive(Clone)]
pub struct Html(Kind);

#[derive(Clone)]
enum Kind {
    Here(String),
    Made(Arc<dyn Fn() -> String + Send + Sync>),
}

impl Html {
    /// HTML that `maker` makes each time it is asked for, so that it need not be kept.
    pub fn made(maker: impl Fn() -> String + Send + Sync + 'static) -> Self {
        Self(Kind::Made(Arc::new(maker)))
    }

    /// The HTML.
    #[must_use]
    pub fn get(&self) -> Cow<'_, str> {
        match &self.0 {
            Kind::Here(text) => text.into(),
            Kind::Made(maker) => maker().into(),
        }
    }

    /// How many bytes of it are kept.
    #[must_use]
    pub fn kept(&self) -> usize {
        match &self.0 {
            Kind::Here(text) => text.len(),
            Kind::Made(_) => 0,
        }
    }
}

impl Default for Html {
    fn default() -> Self {
        String::new().into()
    }
}

impl From<String> for Html {
    fn from(text: String) -> Self {
        Self(Kind::Here(text))
    }
}

impl fmt::Debug for Html {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        match &self.0 {
            Kind::Here(text) => f.debug_tuple("Html").field(text).finish(),
            Kind::Made(_) => f.write_str("Html(made)"),
        }
    }
}

/// The text of some HTML without tags, with entities resolved; scripts and styles are left out.
#[must_use]
pub fn text(html: &str) -> String {
    let mut out = String::with_capacity(html.len());
    let mut rest = html;
    while let Some(first) = rest.chars().next() {
        let plain = plain_length(rest.as_bytes());
        out.push_str(&rest[..plain]);
        rest = &rest[plain..];
        if plain > 0 {
            continue;
        }
        match first {
            '<' => rest = after_tag(rest, &mut out),
            '&' => {
                let (c, length) = entity(rest);
                out.push(c.unwrap_or('&'));
                rest = &rest[length..];
            }
            // White space runs become one space.
            c if c.is_whitespace() => {
                if !out.is_empty() && !out.ends_with(' ') {
                    out.push(' ');
                }
                rest = &rest[c.len_utf8()..];
            }
            c => {
                out.push(c);
                rest = &rest[c.len_utf8()..];
            }
        }
    }
    out.truncate(out.trim_end().len());
    out
}

/// What follows the tag or comment that begins `rest`, and for a script or style its content. A tag
/// that parts words leaves a space.
fn after_tag<'a>(rest: &'a str, out: &mut String) -> &'a str {
    if let Some(after) = rest.strip_prefix("<!--") {
        return after.find("-->").map_or("", |end| &after[end + 3..]);
    }
    let closes = rest.starts_with("</");
    let inner = &rest[if closes { 2 } else { 1 }..];
    let name_end = inner
        .find(|c: char| !c.is_ascii_alphanumeric())
        .unwrap_or(inner.len());
    let name = inner[..name_end].to_ascii_lowercase();
    let mut rest = tag_end(rest);
    if !closes && (name == "script" || name == "style") {
        let close = format!("</{name}");
        rest = rest
            .to_ascii_lowercase()
            .find(&close)
            .map_or("", |at| &rest[at..]);
    }
    if !INLINE.contains(&name.as_str()) && !out.is_empty() && !out.ends_with(char::is_whitespace) {
        out.push(' ');
    }
    rest
}

/// Tags that do not part words.
const INLINE: [&str; 18] = [
    "a", "abbr", "b", "bdi", "cite", "code", "del", "em", "i", "ins", "kbd", "mark", "q", "s",
    "span", "strong", "sub", "sup",
];

/// What follows the tag that begins `rest`; a `>` within quotes does not end it.
fn tag_end(rest: &str) -> &str {
    let mut quote = None;
    for (at, c) in rest.char_indices() {
        match (quote, c) {
            (None, '>') => return &rest[at + 1..],
            (None, '"' | '\'') => quote = Some(c),
            (Some(open), c) if open == c => quote = None,
            _ => {}
        }
    }
    ""
}

/// How many bytes at the start are ASCII words with single spaces between them, without anything
/// that HTML means something by.
fn plain_length(bytes: &[u8]) -> usize {
    let start = plain_chunks(bytes);
    // Where nothing was seen yet, that is as good as a space.
    let mut spaced = start.checked_sub(1).is_none_or(|last| bytes[last] == b' ');
    let mut goes_on = |byte: u8| {
        let space = byte == b' ';
        let plain = PLAIN[usize::from(byte)] || space && !spaced;
        spaced = space;
        plain
    };
    let end = bytes[start..].iter().position(|byte| !goes_on(*byte));
    let end = end.map_or(bytes.len(), |end| start + end);
    let trailing = end > 0 && bytes[end - 1] == b' ';
    end - usize::from(trailing)
}

/// So many bytes are looked at as quickly as one.
const CHUNK: usize = 32;

/// The same in whole chunks, as far as they and what follows are plain; no byte stops the looking at
/// others, so that many are looked at at once.
fn plain_chunks(bytes: &[u8]) -> usize {
    let mut end = 0;
    if bytes.first() == Some(&b' ') {
        return end;
    }
    let stops = |byte: u8| (byte != b' ') & !is_plain(byte);
    while let Some(chunk) = bytes[end..].first_chunk::<{ CHUNK + 1 }>() {
        let pairs = chunk.iter().zip(&chunk[1..]);
        let ends = pairs.fold(false, |ends, (byte, next)| {
            ends | stops(*byte) | ((*byte == b' ') & (*next == b' '))
        });
        if ends {
            break;
        }
        end += CHUNK;
    }
    end
}

/// Whether a byte is just itself.
const fn is_plain(byte: u8) -> bool {
    byte.is_ascii_graphic() && byte != b'<' && byte != b'&'
}

/// The same of every byte.
static PLAIN: [bool; 256] = {
    let mut plain = [false; 256];
    let mut byte: u8 = 0;
    while byte.is_ascii() {
        plain[byte as usize] = is_plain(byte);
        byte += 1;
    }
    plain
};

fn entity(text: &str) -> (Option<char>, usize) {
    let Some(end) = text
        .char_indices()
        .take(12)
        .find(|(_, c)| *c == ';')
        .map(|(at, _)| at)
    else {
        return (None, 1);
    };
    let name = &text[1..end];
    let found = match name {
        "amp" => Some('&'),
        "lt" => Some('<'),
        "gt" => Some('>'),
        "quot" => Some('"'),
        "apos" => Some('\''),
        "nbsp" => Some('\u{a0}'),
        _ => name.strip_prefix('#').and_then(|number| {
            let code = match number.strip_prefix(['x', 'X']) {
                Some(hex) => u32::from_str_radix(hex, 16).ok(),
                None => number.parse().ok(),
            };
            code.and_then(char::from_u32)
        }),
    };
    found.map_or((None, 1), |c| (Some(c), end + 1))
}

/// Attributes that hold one address.
pub(crate) const ADDRESSES: [&str; 6] = ["href", "src", "poster", "data", "cite", "action"];

/// Rewrites each address in `html` by `change`, which returns `None` to leave one as it is.
/// Also the addresses of `srcset`.
///
/// HTML that cannot be rewritten is returned as it is.
#[must_use]
pub fn rewrite_links(html: &str, change: &mut dyn FnMut(&str) -> Option<String>) -> String {
    let mut out = Vec::with_capacity(html.len() + html.len() / 8);
    let change = std::cell::RefCell::new(change);
    let mut rewriter = HtmlRewriter::new(
        Settings {
            element_content_handlers: vec![element!(
                "[href],[src],[poster],[data],[cite],[action],[srcset]",
                |el| {
                    for name in ADDRESSES {
                        let changed = el
                            .get_attribute(name)
                            .and_then(|old| (change.borrow_mut())(&unescape(&old)));
                        if let Some(new) = changed {
                            el.set_attribute(name, &escape_attribute(&new))?;
                        }
                    }
                    if let Some(set) = el.get_attribute("srcset") {
                        let new = rewrite_srcset(&unescape(&set), &mut **change.borrow_mut());
                        el.set_attribute("srcset", &escape_attribute(&new))?;
                    }
                    Ok(())
                }
            )],
            ..Settings::new()
        },
        |chunk: &[u8]| out.extend_from_slice(chunk),
    );
    let done = rewriter
        .write(html.as_bytes())
        .and_then(|()| rewriter.end());
    match done {
        Ok(()) => String::from_utf8(out).unwrap_or_else(|_| html.to_owned()),
        Err(_) => html.to_owned(),
    }
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

/// Those of [`addresses`] that are relative to its page.
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

/// An attribute's value with its entities resolved.
pub(crate) fn unescape(value: &str) -> String {
    if !value.contains('&') {
        return value.to_owned();
    }
    let mut out = String::with_capacity(value.len());
    let mut rest = value;
    while let Some(at) = rest.find('&') {
        out.push_str(&rest[..at]);
        let (c, length) = entity(&rest[at..]);
        out.push(c.unwrap_or('&'));
        rest = &rest[at + length..];
    }
    out.push_str(rest);
    out
}

/// A value as an attribute holds it, but for quotes, which the rewriter escapes.
pub(crate) fn escape_attribute(value: &str) -> String {
    value.replace('&', "&amp;")
}

/// Whether an address is relative to the page or to the site's root, and so no complete one.
#[must_use]
pub fn is_local(address: &str) -> bool {
    let parts = |byte: &u8| matches!(byte, b':' | b'/' | b'?' | b'#');
    !address.starts_with("//") && address.bytes().find(parts) != Some(b':')
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;
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
    fn text_is_what_a_reader_sees(#[case] html: &str, #[case] expected: &str) {
        assert_eq!(text(html), expected);
    }

    proptest! {
        #[test]
        fn what_is_plain_is_found_in_chunks_as_byte_by_byte(text in "([a-y]{1,9} ){0,14}[a-y ]{0,40}[<&é\n]?[a-y ]{0,9}") {
            let bytes = text.as_bytes();
            let plain = |at: usize| {
                let spaced = at.checked_sub(1).is_none_or(|last| bytes[last] == b' ');
                PLAIN[usize::from(bytes[at])] || bytes[at] == b' ' && !spaced
            };
            let end = (0..bytes.len()).find(|at| !plain(*at)).unwrap_or(bytes.len());
            let trailing = end > 0 && bytes[end - 1] == b' ';
            prop_assert_eq!(plain_length(bytes), end - usize::from(trailing));
        }
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
