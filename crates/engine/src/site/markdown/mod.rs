//! Bodies to HTML: Markdown (CommonMark with tables, footnotes and strikethrough) and HTML.

mod listener;

use std::collections::VecDeque;

use listener::Listener;
use memchr::memchr;
use pulldown_cmark::{
    CodeBlockKind, CowStr, Event, HeadingLevel, Options, Parser, Tag, TagEnd, html,
};
use tabulae_core::html as core_html;
use tabulae_core::post::{Body, Notes};
use tabulae_core::template_tags;
use tabulae_core::term::slug;
use tabulae_core::weave::has_placeholders;

/// The separator between the summary and the rest of a text.
const MORE: &str = "<!-- more -->";

/// The Markdown extensions that are enabled beside CommonMark.
const OPTIONS: Options = Options::ENABLE_TABLES
    .union(Options::ENABLE_FOOTNOTES)
    .union(Options::ENABLE_STRIKETHROUGH);

/// Renders a Markdown body. Headings get ids made of their text. Where the front matter has no
/// title, the first level-one heading is it, and is left out of the HTML.
#[must_use]
pub(crate) fn render(text: &str, has_title: bool) -> Body {
    let mut out = String::with_capacity(text.len() + text.len() / 4);
    let mut listener = Listener::new(has_title, has_more(text));
    let reading = Reading {
        events: Parser::new_ext(text, OPTIONS),
        ready: VecDeque::new(),
        images: 0,
        listener: &mut listener,
    };
    html::push_html(&mut out, reading);
    noted(out, listener.notes)
}

/// Returns true if a text has the separator. Most texts have no tag or comment, which a byte search sees
/// fast.
fn has_more(text: &str) -> bool {
    memchr(b'<', text.as_bytes()).is_some_and(|at| text[at..].contains(MORE))
}

/// Reads an HTML body; as [`render`] where it applies.
#[must_use]
pub(crate) fn read_html(text: &str, has_title: bool) -> Body {
    let mut html = text.to_owned();
    let more = core_html::comment(&html, MORE);
    let before_more = more.map(|range| {
        let before = core_html::text(&html[..range.start]);
        html.replace_range(range, "");
        before
    });
    let heading =
        core_html::element(&html, "h1").map(|range| (core_html::text(&html[range.clone()]), range));
    if let (false, Some((_, range))) = (has_title, &heading) {
        html.replace_range(range.clone(), "");
    }
    let first_paragraph = core_html::element(&html, "p").map(|range| core_html::text(&html[range]));
    let notes = Notes {
        heading: heading.map(|(text, _)| text),
        before_more,
        first_paragraph: first_paragraph.filter(|text| !text.is_empty()),
        links: true,
        ..Notes::default()
    };
    noted(html, notes)
}

/// A body, with the addresses that are relative to its page.
fn noted(html: String, mut notes: Notes) -> Body {
    if notes.links {
        notes.addresses = core_html::relative_addresses(&html);
    }
    notes.placeholders = has_placeholders(&html);
    notes.template_tag = template_tags::first_outside_code(&html);
    Body {
        html: html.into(),
        notes,
        counted: None,
    }
}

/// The parser's events on their way to HTML; what a post needs of them is noted in passing.
struct Reading<'a, 'l> {
    events: Parser<'a>,
    ready: VecDeque<Event<'a>>,
    images: usize,
    listener: &'l mut Listener,
}

impl<'a> Iterator for Reading<'a, '_> {
    type Item = Event<'a>;

    fn next(&mut self) -> Option<Event<'a>> {
        // Most events are returned as they came: to take them apart and put them together again
        // would copy each.
        while self.ready.is_empty() {
            let event = self.events.next();
            let passes = |event| !self.listener.listens() && says_nothing_else(event);
            if event.as_ref().is_none_or(passes) {
                return event;
            }
            let event = event.and_then(|event| self.pass(event));
            if event.is_some() {
                return event;
            }
        }
        self.ready.pop_front()
    }
}

impl<'a> Reading<'a, '_> {
    /// Notes an event, and returns what is rendered for it. A function of its own, as most events do not
    /// come here, and the path of the others has to stay small.
    #[inline(never)]
    fn pass(&mut self, event: Event<'a>) -> Option<Event<'a>> {
        self.note(&event);
        match event {
            Event::Start(Tag::Heading { level, .. }) => {
                self.heading(level);
                None
            }
            Event::Html(text) | Event::InlineHtml(text) if text.trim() == MORE => {
                self.listener.more();
                None
            }
            Event::Start(Tag::FootnoteDefinition(label)) => {
                Some(Event::Start(Tag::FootnoteDefinition(note_id(&label))))
            }
            Event::Start(Tag::CodeBlock(kind)) => Some(Event::Html(code_block(&kind).into())),
            Event::FootnoteReference(label) => Some(Event::FootnoteReference(note_id(&label))),
            event => Some(event),
        }
    }

    fn note(&mut self, event: &Event<'a>) {
        match event {
            // What is said of an image for those who do not see it is not the text.
            Event::Text(_) | Event::Code(_) if self.images > 0 => {}
            Event::Text(text) | Event::Code(text) => self.listener.text(text),
            Event::End(TagEnd::Image) => self.images -= 1,
            Event::SoftBreak | Event::HardBreak | Event::Rule => self.listener.space(),
            Event::Start(Tag::Paragraph) => self.listener.paragraph_begins(),
            Event::End(TagEnd::Paragraph) => self.listener.paragraph_ends(),
            Event::End(end) if is_block(end) => self.listener.space(),
            Event::Start(Tag::Link { dest_url, .. } | Tag::Image { dest_url, .. }) => {
                self.images += usize::from(matches!(event, Event::Start(Tag::Image { .. })));
                self.listener.link(dest_url);
            }
            Event::Html(text) | Event::InlineHtml(text) => self.listener.html(text),
            _ => {}
        }
    }

    /// Takes the whole heading, as its id is made of its text.
    fn heading(&mut self, level: HeadingLevel) {
        let mut inner = Vec::new();
        for event in self.events.by_ref() {
            if matches!(event, Event::End(TagEnd::Heading(_))) {
                break;
            }
            inner.push(event);
        }
        self.listener.heading_begins();
        for event in &inner {
            self.note(event);
        }
        let Some(id) = self.listener.heading_ends(level == HeadingLevel::H1) else {
            return;
        };
        self.ready.push_back(Event::Start(Tag::Heading {
            level,
            id: Some(CowStr::from(id)),
            classes: Vec::new(),
            attrs: Vec::new(),
        }));
        self.ready.extend(inner);
        self.ready.push_back(Event::End(TagEnd::Heading(level)));
    }
}

/// Returns the opening tags of a code block. It can get the focus, because long lines scroll, and without a mouse
/// only what has the focus can be scrolled (WCAG 2.1.1).
fn code_block(kind: &CodeBlockKind<'_>) -> String {
    let language = match kind {
        CodeBlockKind::Fenced(info) => info.split_whitespace().next(),
        CodeBlockKind::Indented => None,
    };
    match language {
        Some(language) => {
            let class = core_html::attribute("class", &format!("language-{language}"));
            format!("<pre tabindex=\"0\"><code {class}>")
        }
        None => "<pre tabindex=\"0\"><code>".to_owned(),
    }
}

fn note_id<'a>(label: &str) -> CowStr<'a> {
    let slug = slug(label);
    CowStr::from(format!(
        "note-{}",
        if slug.is_empty() {
            label.len().to_string()
        } else {
            slug
        }
    ))
}

/// Returns true if an event does not matter when plain text is not needed any more.
fn says_nothing_else(event: &Event<'_>) -> bool {
    match event {
        Event::Text(_) | Event::Code(_) | Event::SoftBreak | Event::HardBreak => true,
        Event::Start(Tag::Link { dest_url, .. }) => !core_html::is_local(dest_url),
        Event::Start(tag) => matches!(
            tag,
            Tag::Paragraph | Tag::Emphasis | Tag::Strong | Tag::Strikethrough | Tag::Item
        ),
        Event::End(end) => *end != TagEnd::Image,
        _ => false,
    }
}

fn is_block(end: &TagEnd) -> bool {
    !matches!(
        end,
        TagEnd::Emphasis | TagEnd::Strong | TagEnd::Strikethrough | TagEnd::Link | TagEnd::Image
    )
}

#[cfg(test)]
mod tests {
    use super::*;
    use rstest::rstest;

    #[rstest]
    #[case::words("A lock, two gates.", "<p>A lock, two gates.</p>\n")]
    #[case::lines("one\ntwo \n\nthree\n", "<p>one\ntwo</p>\n<p>three</p>\n")]
    #[case::heading("## R & D\nwords", "<h2 id=\"r-and-d\">R &amp; D</h2>\n<p>words</p>\n")]
    #[case::emphasis(
        "*a b* and **c**, _d_",
        "<p><em>a b</em> and <strong>c</strong>, <em>d</em></p>\n"
    )]
    #[case::code("the `a < b` of", "<p>the <code>a &lt; b</code> of</p>\n")]
    #[case::link(
        "see [the log](/log/#x).",
        "<p>see <a href=\"/log/#x\">the log</a>.</p>\n"
    )]
    #[case::arrow("a -> b", "<p>a -&gt; b</p>\n")]
    #[case::year("In\n2026 it 'was'!", "<p>In\n2026 it 'was'!</p>\n")]
    #[case::other_scripts("Über «Schleusen»", "<p>Über «Schleusen»</p>\n")]
    fn prose_becomes_html(#[case] text: &str, #[case] expected: &str) {
        assert_eq!(render(text, true).html.get(), expected);
    }

    #[rstest]
    #[case::ids("## Lime & sand", "<h2 id=\"lime-and-sand\">Lime &amp; sand</h2>\n")]
    #[case::ids_differ("## A\n## A", "<h2 id=\"a\">A</h2>\n<h2 id=\"a-2\">A</h2>\n")]
    #[case::ids_differ_from_titles(
        "## A\n## A 2\n## A",
        "<h2 id=\"a\">A</h2>\n<h2 id=\"a-2\">A 2</h2>\n<h2 id=\"a-3\">A</h2>\n"
    )]
    #[case::title_kept("# Title\n\nx", "<h1 id=\"title\">Title</h1>\n<p>x</p>\n")]
    #[case::strike("~~x~~", "<p><del>x</del></p>\n")]
    #[case::more_is_gone("a\n\n<!-- more -->\n\nb", "<p>a</p>\n<p>b</p>\n")]
    #[case::code(
        "```rust x.rs\na < b\n```",
        "<pre tabindex=\"0\"><code class=\"language-rust\">a &lt; b\n</code></pre>\n"
    )]
    #[case::indented_code("    a\n", "<pre tabindex=\"0\"><code>a\n</code></pre>\n")]
    #[case::quoted_language(
        "```\"><b>\n```",
        "<pre tabindex=\"0\"><code class=\"language-&quot;><b>\"></code></pre>\n"
    )]
    #[case::code_in_a_list(
        "- a\n\n      b\n",
        "<ul>\n<li>\n<p>a</p>\n<pre tabindex=\"0\"><code>b\n</code></pre>\n</li>\n</ul>\n"
    )]
    #[case::table(
        "|a|\n|-|\n|b|",
        "<table><thead><tr><th>a</th></tr></thead><tbody>\n<tr><td>b</td></tr>\n</tbody></table>\n"
    )]
    fn markdown_becomes_html(#[case] text: &str, #[case] html: &str) {
        assert_eq!(render(text, true).html.get(), html);
    }

    #[test]
    fn a_first_heading_is_the_title_and_not_repeated() {
        let body = render("# The *long* walk\n\nIt was long.\n\n# Again", false);
        assert_eq!(body.notes.heading.as_deref(), Some("The long walk"));
        assert_eq!(
            body.html.get(),
            "<p>It was long.</p>\n<h1 id=\"again\">Again</h1>\n"
        );
        assert_eq!(body.notes.first_paragraph.as_deref(), Some("It was long."));
    }

    #[rstest]
    #[case::image_alone("![a](x.svg)\n\nText *here*.", Some("Text here."))]
    #[case::quote("> said\n\nText", Some("said"))]
    #[case::list_only("- a\n- b", None)]
    #[case::lines_join("a\nb", Some("a b"))]
    fn the_first_paragraph_with_text_is_noted(#[case] text: &str, #[case] expected: Option<&str>) {
        assert_eq!(
            render(text, true).notes.first_paragraph.as_deref(),
            expected
        );
    }

    #[rstest]
    #[case::relative("[a](b.md)", true)]
    #[case::rooted("[a](/b/)", true)]
    #[case::complete("[a](https://x.example/)", false)]
    #[case::raw("<img src=x>", true)]
    #[case::none("plain", false)]
    fn local_links_are_noted(#[case] text: &str, #[case] links: bool) {
        assert_eq!(render(text, true).notes.links, links);
    }

    #[test]
    fn html_bodies_are_read_alike() {
        let body = read_html(
            "<h1 class=\"x\">A &amp; b</h1><p>One <b>two</b></p><!-- more --><p>three</p>",
            false,
        );
        assert_eq!(body.notes.heading.as_deref(), Some("A & b"));
        assert_eq!(body.html.get(), "<p>One <b>two</b></p><p>three</p>");
        assert_eq!(body.notes.before_more.as_deref(), Some("A & b One two"));
    }

    #[test]
    fn footnotes_have_ids_without_spaces() {
        let html = render("a[^n]\n\n[^n]: note", true).html.get().into_owned();
        assert!(
            html.contains("id=\"note-n\"") && html.contains("href=\"#note-n\""),
            "{html}"
        );
    }
}
