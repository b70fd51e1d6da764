//! The text of a post in a feed, where readers show it among other posts on pages of their own.

use std::ops::Range;

use crate::html::tokens::{Attribute, Tag, Token, tags};
use crate::html::{ADDRESSES, Edited, attribute, rewrite_srcset};
use crate::route::is_script;

/// Elements that are left out with all that they hold: they run, ask for input, or reach beyond
/// the entry.
const LEFT_OUT: [&str; 16] = [
    "script", "noscript", "style", "link", "meta", "base", "title", "template", "form", "input",
    "button", "select", "textarea", "datalist", "dialog", "portal",
];

/// Attributes that name elements of the same text by their ids, parted by spaces.
const BY_ID: [&str; 10] = [
    "for",
    "headers",
    "list",
    "itemref",
    "aria-labelledby",
    "aria-describedby",
    "aria-controls",
    "aria-details",
    "aria-owns",
    "aria-flowto",
];

/// Some HTML as the content of a feed's entry.
///
/// Each address is what `absolute` makes of it (`None` leaves it as it is), also in `srcset` and
/// in styles. Scripts, forms, styles and comments are left out, so are attributes that run and
/// addresses that are scripts. Ids are made the entry's own by `prefix`, so that those of two
/// entries on one page do not clash; what refers to them within the text goes along.
pub fn content(
    html: &str,
    prefix: &str,
    absolute: &mut dyn FnMut(&str) -> Option<String>,
) -> String {
    let mut out = Edited::new(html);
    let mut entry = Entry { prefix, absolute };
    let mut left_out: Option<LeftOut> = None;
    for token in tags(html) {
        if let Some(element) = &mut left_out {
            if let Some(end) = element.end(&token) {
                leave_out(html, element.start..end, &mut out);
                left_out = None;
            }
            continue;
        }
        match token {
            Token::Start(tag) if LEFT_OUT.contains(&&*tag.name) => {
                if let Some(sign) = task(&tag) {
                    out.replace(tag.span, sign);
                } else if tag.closes_itself || VOID.contains(&&*tag.name) {
                    leave_out(html, tag.span, &mut out);
                } else {
                    left_out = Some(LeftOut::new(tag));
                }
            }
            Token::Start(tag) => entry.element(&tag, html, &mut out),
            Token::End { name, span } if LEFT_OUT.contains(&&*name) => {
                leave_out(html, span, &mut out);
            }
            Token::Comment(span) => leave_out(html, span, &mut out),
            Token::End { .. } | Token::Text(_) => {}
        }
    }
    if let Some(element) = left_out {
        leave_out(html, element.start..html.len(), &mut out);
    }
    out.done()
}

/// Returns the sign for the box of a task, which readers would leave out as they leave out any input.
fn task(tag: &Tag) -> Option<&'static str> {
    let is_task = tag.name == "input"
        && tag.value("type") == Some("checkbox")
        && tag.value("disabled").is_some();
    is_task.then(|| match tag.value("checked") {
        Some(_) => "☑",
        None => "☐",
    })
}

/// Leaves out a range. A `<` right before it is text, but would begin a tag with what follows the range, as
/// in `<<!-- -->script>`: it is escaped.
fn leave_out(html: &str, range: Range<usize>, out: &mut Edited<'_>) {
    if html[..range.start].ends_with('<') {
        out.replace(range.start - 1..range.end, "&lt;");
    } else {
        out.replace(range, "");
    }
}

/// Elements of [`LEFT_OUT`] that have no content and no end tag.
const VOID: [&str; 4] = ["link", "meta", "base", "input"];

/// An element that is left out with all that it holds.
struct LeftOut {
    name: String,
    start: usize,
    /// The number of open elements of its name, including itself.
    open: usize,
}

impl LeftOut {
    fn new(tag: Tag) -> Self {
        Self {
            name: tag.name.into_owned(),
            start: tag.span.start,
            open: 1,
        }
    }

    /// Returns where the element ends, if it ends with this token.
    fn end(&mut self, token: &Token) -> Option<usize> {
        match token {
            Token::Start(tag) if tag.name == self.name && !tag.closes_itself => self.open += 1,
            Token::End { name, span } if *name == self.name => {
                self.open -= 1;
                return (self.open == 0).then_some(span.end);
            }
            _ => {}
        }
        None
    }
}

/// The entry whose text is made.
struct Entry<'a> {
    prefix: &'a str,
    absolute: &'a mut dyn FnMut(&str) -> Option<String>,
}

impl Entry<'_> {
    fn element(&mut self, tag: &Tag, html: &str, out: &mut Edited<'_>) {
        let mut kept = Vec::with_capacity(tag.attributes.len());
        for Attribute { name, value, span } in &tag.attributes {
            match self.attribute(&tag.name, name, value) {
                Some(new) if new == *value => kept.push((span, html[span.clone()].to_owned())),
                Some(new) => kept.push((span, attribute(name, &new))),
                None => {}
            }
        }
        if kept.len() == tag.attributes.len() {
            for (span, text) in kept {
                if html[span.clone()] != text {
                    out.replace(span.clone(), &text);
                }
            }
            return;
        }
        // The tag is written anew: of attributes with the same name only the first counts, and if it is left
        // out, the next one would count.
        let source = &html[tag.span.clone()];
        let ends = |c: char| c.is_ascii_whitespace() || matches!(c, '/' | '>');
        let name = &source[..source.find(ends).unwrap_or(source.len())];
        let attributes = kept.iter().map(|(_, text)| format!(" {text}"));
        let end = if tag.has_slash { " />" } else { ">" };
        let text = format!("{name}{}{end}", attributes.collect::<String>());
        out.replace(tag.span.clone(), &text);
    }

    /// Returns an attribute's new value; `None` if the attribute is left out.
    fn attribute(&mut self, tag: &str, name: &str, value: &str) -> Option<String> {
        let is_anchor = matches!(tag, "a" | "area");
        match name {
            _ if name.starts_with("on") => None,
            // No valid name (HTML, "Attributes"): written after another name, `=` would give that one a value.
            _ if name.contains(['"', '\'', '<', '=']) => None,
            "srcdoc" | "ping" | "autofocus" => None,
            "id" => Some(self.own(value)),
            "name" if matches!(tag, "a" | "map") => Some(self.own(value)),
            "usemap" => Some(self.within(value)),
            "srcset" | "imagesrcset" => Some(rewrite_srcset(value, self.absolute)),
            _ if ADDRESSES.contains(&name) || name == "xlink:href" => {
                if is_script(value) {
                    return None;
                }
                if value.starts_with('#') && !is_anchor {
                    return Some(self.within(value));
                }
                Some((self.absolute)(value).unwrap_or_else(|| value.to_owned()))
            }
            _ if BY_ID.contains(&name) => {
                let ids = value.split_whitespace().map(|id| self.own(id));
                Some(ids.collect::<Vec<_>>().join(" "))
            }
            _ if value.contains("url(") => Some(self.urls(value)),
            _ => Some(value.to_owned()),
        }
    }

    fn own(&self, id: &str) -> String {
        format!("{}-{id}", self.prefix)
    }

    /// A reference `#id` within the text.
    fn within(&self, value: &str) -> String {
        match value.strip_prefix('#') {
            Some(id) if !id.is_empty() => format!("#{}", self.own(id)),
            _ => value.to_owned(),
        }
    }

    /// Each `url(…)` (CSS Values 3, 3.4) of a style or of a drawing's attribute.
    fn urls(&mut self, value: &str) -> String {
        let mut out = String::with_capacity(value.len());
        let mut rest = value;
        while let Some(at) = rest.find("url(") {
            let (before, after) = rest.split_at(at + "url(".len());
            out.push_str(before);
            let end = after.find(')').unwrap_or(after.len());
            let inner = after[..end].trim();
            let quote = inner.chars().next().filter(|c| matches!(c, '"' | '\''));
            let address = quote.map_or(inner, |quote| inner.trim_matches(quote));
            let address = if address.starts_with('#') {
                self.within(address)
            } else {
                (self.absolute)(address).unwrap_or_else(|| address.to_owned())
            };
            out.extend(quote);
            out.push_str(&address);
            out.extend(quote);
            rest = &after[end..];
        }
        out.push_str(rest);
        out
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::html::is_local;
    use rstest::rstest;

    fn made(html: &str) -> String {
        content(html, "kiln", &mut |address| {
            is_local(address)
                .then(|| format!("https://x.example/{}", address.trim_start_matches('/')))
        })
    }

    #[rstest]
    #[case::link("<a href=\"b/\">b</a>", "<a href=\"https://x.example/b/\">b</a>")]
    #[case::complete(
        "<a href='https://y.example/'>b</a>",
        "<a href='https://y.example/'>b</a>"
    )]
    #[case::image(
        "<img src=/a.png alt=a>",
        "<img src=\"https://x.example/a.png\" alt=a>"
    )]
    #[case::video(
        "<video src=a.mp4 poster=a.png><track src=a.vtt></video>",
        "<video src=\"https://x.example/a.mp4\" poster=\"https://x.example/a.png\"><track src=\"https://x.example/a.vtt\"></video>"
    )]
    #[case::srcset(
        "<img srcset=\"a.png 1x,\n b.png 2x\">",
        "<img srcset=\"https://x.example/a.png 1x, https://x.example/b.png 2x\">"
    )]
    #[case::query(
        "<a href=\"?a=1&amp;b=2\">b</a>",
        "<a href=\"https://x.example/?a=1&amp;b=2\">b</a>"
    )]
    #[case::quote_within(
        "<a href='x?\"y'>b</a>",
        "<a href=\"https://x.example/x?&quot;y\">b</a>"
    )]
    #[case::style(
        "<p style=\"background: url('a.png')\">b</p>",
        "<p style=\"background: url('https://x.example/a.png')\">b</p>"
    )]
    #[case::text("<p>href=\"x\" &lt;b&gt;</p>", "<p>href=\"x\" &lt;b&gt;</p>")]
    fn addresses_are_absolute(#[case] html: &str, #[case] expected: &str) {
        assert_eq!(made(html), expected);
    }

    #[rstest]
    #[case::script("a<script>b</script>c", "ac")]
    #[case::open_script("a<script>b", "a")]
    #[case::script_with_a_slash("a<script/>b<script>c</script>d", "ad")]
    #[case::script_with_a_slash_in_a_drawing("<svg><script/><g/></svg>", "<svg><g/></svg>")]
    #[case::form_with_a_slash("a<form/>b</form>c", "ac")]
    #[case::in_a_drawing("<svg><script>b</script><g/></svg>", "<svg><g/></svg>")]
    #[case::task_done(
        "<li><input type=\"checkbox\" disabled checked> a</li>",
        "<li>☑ a</li>"
    )]
    #[case::task_open("<li><input type=\"checkbox\" disabled> a</li>", "<li>☐ a</li>")]
    #[case::input("a<input type=\"checkbox\">b", "ab")]
    #[case::form("a<form><p>b<input></p></form>c", "ac")]
    #[case::stray_button("a<BUTTON>b</BUTTON>c", "ac")]
    #[case::style("<style>p { }</style><p>a</p>", "<p>a</p>")]
    #[case::comment("a<!-- more -->b<!-- c -->", "ab")]
    #[case::handler("<p onclick=\"b()\">a</p>", "<p>a</p>")]
    #[case::script_address("<a href=\" java\nscript:b()\">a</a>", "<a>a</a>")]
    #[case::handlers_of_one_name("<p onclick=a() ONCLICK=b() x>c</p>", "<p x>c</p>")]
    #[case::script_addresses_of_one_name(
        "<a href='javascript:a()' href='javascript:b()'>c</a>",
        "<a>c</a>"
    )]
    #[case::a_name_that_begins_with_a_sign(
        "<p a/=\"b on=c>d\" onclick=e>f",
        "<p a>d\" onclick=e>f"
    )]
    #[case::a_name_with_a_quote("<p a\"b>c</p>", "<p>c</p>")]
    #[case::odd_name("<a\0é onclick=b()>c", "<a\0é>c")]
    #[case::closes_itself(
        "<img onload=a() SRC=https://y.example/b/>",
        "<img SRC=https://y.example/b/>"
    )]
    #[case::closes_itself_after_a_space("<IMG alt=a onload=b() />", "<IMG alt=a />")]
    #[case::no_script("<noscript><img src=a></noscript>b", "b")]
    fn what_runs_or_asks_is_left_out(#[case] html: &str, #[case] expected: &str) {
        assert_eq!(made(html), expected);
    }

    /// The text around an omitted part never becomes a tag.
    #[rstest]
    #[case::comment("<<!-- -->script>b()", "&lt;script>b()")]
    #[case::bogus_comment("<</ x>img src=a onerror=b()>", "&lt;img src=a onerror=b()>")]
    #[case::element("<<form></form>script>b()", "&lt;script>b()")]
    #[case::end_tag("<</form>script>b()", "&lt;script>b()")]
    #[case::void("<<input>script>b()", "&lt;script>b()")]
    #[case::several("<<!-- --><!-- -->script>b()", "&lt;script>b()")]
    #[case::at_the_end("<<script>", "&lt;")]
    #[case::not_beside("< <!-- -->a", "< a")]
    fn no_tag_comes_to_be(#[case] html: &str, #[case] expected: &str) {
        assert_eq!(made(html), expected);
    }

    #[rstest]
    #[case::id("<h2 id=\"a\">b</h2>", "<h2 id=\"kiln-a\">b</h2>")]
    #[case::anchor("<a name=a></a>", "<a name=\"kiln-a\"></a>")]
    #[case::link_leads_to_the_page(
        "<a href=\"#a\">b</a>",
        "<a href=\"https://x.example/#a\">b</a>"
    )]
    #[case::cells("<td headers=\"a b\">", "<td headers=\"kiln-a kiln-b\">")]
    #[case::drawing(
        "<svg><g id=a /><use href=\"#a\"/><path fill=\"url(#a)\"/></svg>",
        "<svg><g id=\"kiln-a\" /><use href=\"#kiln-a\"/><path fill=\"url(#kiln-a)\"/></svg>"
    )]
    #[case::map(
        "<map name=a></map><img usemap=\"#a\">",
        "<map name=\"kiln-a\"></map><img usemap=\"#kiln-a\">"
    )]
    fn ids_are_the_entrys_own(#[case] html: &str, #[case] expected: &str) {
        assert_eq!(made(html), expected);
    }
}
