//! Bodies to HTML: Markdown (CommonMark, with tables, task lists, footnotes, alerts, strikethrough and bare links) and
//! HTML.

mod footnotes;
mod highlight;
mod listener;

use std::collections::VecDeque;
use std::sync::Arc;

use footnotes::Footnotes;
use linkify::{LinkFinder, LinkKind};
use listener::Listener;
use memchr::{memchr, memmem};
use pulldown_cmark::{
    BlockQuoteKind, CodeBlockKind, CowStr, Event, HeadingLevel, Options, Parser, Tag, TagEnd, html,
};
use tabulae_core::html::{self as core_html, attribute, escape_text};
use tabulae_core::id::{Counted, LocaleId};
use tabulae_core::post::{Body, Notes};
use tabulae_core::settings::{Settings, Words};
use tabulae_core::template_tags;
use tabulae_core::weave::has_placeholders;

#[cfg(test)]
pub(crate) use self::highlight::CLASSES;
pub(crate) use self::highlight::Highlighter;

/// The separator between the summary and the rest of a text.
const MORE: &str = "<!-- more -->";

/// The Markdown extensions that are enabled beside CommonMark.
const OPTIONS: Options = Options::ENABLE_TABLES
    .union(Options::ENABLE_FOOTNOTES)
    .union(Options::ENABLE_TASKLISTS)
    .union(Options::ENABLE_GFM)
    .union(Options::ENABLE_STRIKETHROUGH);

/// The site's input for rendering Markdown: the theme's words, and the highlighting of code.
#[derive(Debug, Clone, Default)]
pub(crate) struct MarkdownStyle {
    /// The words of each language.
    words: Arc<[Words]>,
    /// `None` if code stays plain.
    highlighter: Option<Arc<Highlighter>>,
}

impl MarkdownStyle {
    /// Returns the style of a site.
    pub(crate) fn new(settings: &Settings, highlighter: &Arc<Highlighter>) -> Self {
        let words = settings.locales.iter();
        let highlighter = settings.highlight.then(|| Arc::clone(highlighter));
        Self {
            words: words.map(|(_, locale)| locale.words.clone()).collect(),
            highlighter,
        }
    }

    /// Returns the HTML of a text for its page, with its code highlighted.
    pub(crate) fn highlighted(&self, html: String) -> String {
        match &self.highlighter {
            Some(highlighter) => highlighter.page(html),
            None => html,
        }
    }

    /// Renders a Markdown body in a language. Code is plain until [`MarkdownStyle::highlighted`]. Headings get ids made of their text. Where the front matter has no
    /// title, the first level-one heading is it, and is left out of the HTML.
    #[must_use]
    pub(crate) fn render(&self, text: &str, has_title: bool, locale: LocaleId) -> Body {
        let mut out = String::with_capacity(text.len() + text.len() / 4);
        let mut listener = Listener::new(has_title, has_more(text));
        let reading = Reading {
            events: Parser::new_ext(text, OPTIONS),
            held: None,
            ready: VecDeque::new(),
            footnotes: Footnotes::default(),
            is_finished: false,
            images: 0,
            links: 0,
            has_addresses: memmem::find(text.as_bytes(), b"://").is_some(),
            words: self.words.get(locale.at()),
            listener: &mut listener,
        };
        html::push_html(&mut out, reading);
        noted(out, listener.notes)
    }
}

/// Returns true if a text has the separator. Most texts have no tag or comment, which a byte search sees
/// fast.
fn has_more(text: &str) -> bool {
    memchr(b'<', text.as_bytes()).is_some_and(|at| text[at..].contains(MORE))
}

/// Reads an HTML body; as [`MarkdownStyle::render`] where it applies.
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
        counted: Counted::default(),
    }
}

/// The parser's events on their way to HTML; what a post needs of them is noted in passing.
struct Reading<'a, 'l> {
    events: Parser<'a>,
    /// An event that was taken from the parser too early.
    held: Option<Event<'a>>,
    ready: VecDeque<Event<'a>>,
    footnotes: Footnotes<'a>,
    /// Set if all events were read, and the footnotes are ready.
    is_finished: bool,
    /// The number of open images, and of open links.
    images: usize,
    links: usize,
    /// Set if the text may have bare addresses.
    has_addresses: bool,
    /// The theme's words in the language of the text.
    words: Option<&'l Words>,
    listener: &'l mut Listener,
}

impl<'a> Iterator for Reading<'a, '_> {
    type Item = Event<'a>;

    fn next(&mut self) -> Option<Event<'a>> {
        // Most events are returned as they came: to take them apart and put them together again
        // would copy each.
        while self.ready.is_empty() {
            let event = self.held.take().or_else(|| self.events.next());
            let listens = self.listener.listens() || self.has_addresses;
            match event {
                None if self.is_finished => return None,
                None => {
                    self.is_finished = true;
                    self.ready.extend(self.footnotes.finish());
                }
                Some(event) if !listens && says_nothing_else(&event) => return Some(event),
                Some(event) => {
                    let event = self.pass(event);
                    if event.is_some() {
                        return event;
                    }
                }
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
                let text = self.taken_until(|end| *end == TagEnd::FootnoteDefinition);
                self.footnotes.define(label, text);
                None
            }
            Event::Start(Tag::CodeBlock(kind)) => Some(Event::Html(self.code_block(&kind).into())),
            Event::Start(Tag::BlockQuote(Some(kind))) => Some(Event::Html(self.alert(kind).into())),
            Event::End(TagEnd::BlockQuote(Some(_))) => Some(Event::Html("</div>\n".into())),
            Event::TaskListMarker(is_done) => Some(self.task(is_done)),
            event => Some(self.in_line(event)),
        }
    }

    /// Returns what is rendered for an event within a line.
    fn in_line(&mut self, event: Event<'a>) -> Event<'a> {
        match event {
            Event::FootnoteReference(label) => {
                Event::InlineHtml(self.footnotes.reference(&label).into())
            }
            Event::Text(text) if self.may_have_address(&text) => self.text_with_addresses(text),
            event => event,
        }
    }

    /// Returns what is rendered for the events up to the end of an element.
    fn taken_until(&mut self, ends: impl Fn(&TagEnd) -> bool) -> Vec<Event<'a>> {
        let mut taken = Vec::new();
        while let Some(event) = self.held.take().or_else(|| self.events.next()) {
            if matches!(&event, Event::End(end) if ends(end)) {
                break;
            }
            let passed = self.pass(event);
            taken.extend(self.ready.drain(..));
            taken.extend(passed);
        }
        taken
    }

    fn note(&mut self, event: &Event<'a>) {
        match event {
            // What is said of an image for those who do not see it is not the text.
            Event::Text(_) | Event::Code(_) if self.images > 0 => {}
            Event::Text(text) | Event::Code(text) => self.listener.text(text),
            Event::End(TagEnd::Image) => self.images -= 1,
            Event::End(TagEnd::Link) => self.links = self.links.saturating_sub(1),
            Event::SoftBreak | Event::HardBreak | Event::Rule => self.listener.space(),
            Event::Start(Tag::Paragraph) => self.listener.paragraph_begins(),
            Event::End(TagEnd::Paragraph) => self.listener.paragraph_ends(),
            Event::End(end) if is_block(end) => self.listener.space(),
            Event::Start(Tag::Link { dest_url, .. }) => {
                self.links += 1;
                self.listener.link(dest_url);
            }
            Event::Start(Tag::Image { dest_url, .. }) => {
                self.images += 1;
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
        for event in inner {
            let event = match event {
                Event::FootnoteReference(label) => {
                    Event::InlineHtml(self.footnotes.reference(&label).into())
                }
                event => event,
            };
            self.ready.push_back(event);
        }
        self.ready.push_back(Event::End(TagEnd::Heading(level)));
    }

    /// Returns the HTML of a code block but for its end tags. It can get the focus, because long lines scroll, and
    /// without a mouse only what has the focus can be scrolled (WCAG 2.1.1).
    fn code_block(&mut self, kind: &CodeBlockKind<'_>) -> String {
        let mut code = String::new();
        for event in self.events.by_ref() {
            match event {
                Event::Text(text) => code.push_str(&text),
                end => {
                    self.held = Some(end);
                    break;
                }
            }
        }
        self.listener.text(&code);
        let language = language_of(kind);
        let block = language.and_then(|language| highlight::fingerprint(language, &code));
        self.listener.notes.code.extend(block);
        let html = escape_text(&code);
        let class = language.map(|language| attribute("class", &format!("language-{language}")));
        let class = class.map_or_else(String::new, |class| format!(" {class}"));
        format!("<pre tabindex=\"0\"><code{class}>{html}")
    }

    /// Returns the start of an alert (GitHub Flavored Markdown): its kind as a class, and its title.
    fn alert(&self, kind: BlockQuoteKind) -> String {
        let name = match kind {
            BlockQuoteKind::Note => "note",
            BlockQuoteKind::Tip => "tip",
            BlockQuoteKind::Important => "important",
            BlockQuoteKind::Warning => "warning",
            BlockQuoteKind::Caution => "caution",
        };
        let word = format!("alert_{name}");
        let title = escape_text(self.word(&word));
        format!(
            "<div class=\"alert {name}\" role=\"note\">\n<p class=\"alert-title\">{title}</p>\n"
        )
    }

    /// Returns the box of a task.
    fn task(&self, is_done: bool) -> Event<'a> {
        let (name, checked) = match is_done {
            true => ("task_done", " checked"),
            false => ("task_open", ""),
        };
        let label = attribute("aria-label", self.word(name));
        Event::InlineHtml(format!("<input type=\"checkbox\" disabled{checked} {label}> ").into())
    }

    fn word<'w>(&'w self, name: &'w str) -> &'w str {
        self.words.map_or("", |words| words.get(name))
    }

    fn may_have_address(&self, text: &str) -> bool {
        self.has_addresses && self.images == 0 && self.links == 0 && text.contains("http")
    }

    /// Returns a text, with what follows of it, in which bare addresses are links.
    fn text_with_addresses(&mut self, text: CowStr<'a>) -> Event<'a> {
        let mut whole = String::from(text);
        // The parser cuts texts at characters that may mean something, such as `_`.
        loop {
            match self.events.next() {
                Some(Event::Text(more)) => {
                    self.listener.text(&more);
                    whole.push_str(&more);
                }
                other => {
                    self.held = other;
                    break;
                }
            }
        }
        let mut finder = LinkFinder::new();
        finder.kinds(&[LinkKind::Url]);
        let is_address = |text: &str| {
            ["https://", "http://"]
                .iter()
                .any(|scheme| text.starts_with(scheme))
        };
        let mut html = String::with_capacity(whole.len() * 2);
        for span in finder.spans(&whole) {
            let shown = escape_text(span.as_str());
            match span.kind().filter(|_| is_address(span.as_str())) {
                None => html.push_str(&shown),
                Some(_) => {
                    let link = attribute("href", span.as_str());
                    html.extend(["<a ", &link, ">", &shown, "</a>"]);
                }
            }
        }
        Event::InlineHtml(html.into())
    }
}

/// Returns the language of a fenced block: the word before a comma or a space.
fn language_of<'k>(kind: &'k CodeBlockKind<'_>) -> Option<&'k str> {
    let CodeBlockKind::Fenced(info) = kind else {
        return None;
    };
    let word = info.split(|c: char| c.is_whitespace() || c == ',').next();
    word.filter(|word| !word.is_empty())
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
        Event::End(end) => !matches!(
            end,
            TagEnd::Image | TagEnd::Link | TagEnd::BlockQuote(Some(_))
        ),
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

    /// Renders a text without highlighting, with English words.
    fn render(text: &str, has_title: bool) -> Body {
        let style = MarkdownStyle {
            words: [Words::of("en")].into(),
            highlighter: None,
        };
        style.render(text, has_title, LocaleId::SITE)
    }

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

    #[rstest]
    #[case::word("```rust x.rs\na\n```", "language-rust")]
    #[case::comma("```rust,ignore\na\n```", "language-rust")]
    #[case::comma_and_space("```rust, ignore\na\n```", "language-rust")]
    fn the_language_of_a_fence_is_its_first_word(#[case] text: &str, #[case] class: &str) {
        let html = render(text, true).html.get().into_owned();
        assert_eq!(
            html,
            format!("<pre tabindex=\"0\"><code class=\"{class}\">a\n</code></pre>\n")
        );
    }

    #[rstest]
    #[case::open(
        "- [ ] dig",
        "<ul>\n<li><input type=\"checkbox\" disabled aria-label=\"to do\"> dig</li>\n</ul>\n"
    )]
    #[case::done(
        "1. [x] rest",
        "<ol>\n<li><input type=\"checkbox\" disabled checked aria-label=\"done\"> rest</li>\n</ol>\n"
    )]
    #[case::alert(
        "> [!NOTE]\n> Lime *burns*.",
        "<div class=\"alert note\" role=\"note\">\n<p class=\"alert-title\">Note</p>\n<p>Lime <em>burns</em>.</p>\n</div>\n"
    )]
    #[case::alert_in_small_letters(
        "> [!tip]\n> a",
        "<div class=\"alert tip\" role=\"note\">\n<p class=\"alert-title\">Tip</p>\n<p>a</p>\n</div>\n"
    )]
    #[case::no_alert("> [!LIME]\n> a", "<blockquote>\n<p>[!LIME]\na</p>\n</blockquote>\n")]
    #[case::quote("> a", "<blockquote>\n<p>a</p>\n</blockquote>\n")]
    #[case::no_attributes("## A {#b .c}", "<h2 id=\"a-sharp-b-c\">A {#b .c}</h2>\n")]
    fn extensions_become_html(#[case] text: &str, #[case] html: &str) {
        assert_eq!(render(text, true).html.get(), html);
    }

    #[rstest]
    #[case::alone(
        "https://x.example/",
        "<a href=\"https://x.example/\">https://x.example/</a>"
    )]
    #[case::in_a_sentence(
        "See http://x.example/a_b_c?d=1&e=2.",
        "See <a href=\"http://x.example/a_b_c?d=1&amp;e=2\">http://x.example/a_b_c?d=1&amp;e=2</a>."
    )]
    #[case::in_brackets(
        "(https://x.example/a)",
        "(<a href=\"https://x.example/a\">https://x.example/a</a>)"
    )]
    #[case::two(
        "https://x.example and https://y.example",
        "<a href=\"https://x.example\">https://x.example</a> and <a href=\"https://y.example\">https://y.example</a>"
    )]
    #[case::in_emphasis(
        "*https://x.example/*",
        "<em><a href=\"https://x.example/\">https://x.example/</a></em>"
    )]
    #[case::a_link(
        "[https://x.example/](https://y.example/)",
        "<a href=\"https://y.example/\">https://x.example/</a>"
    )]
    #[case::in_angles(
        "<https://x.example/>",
        "<a href=\"https://x.example/\">https://x.example/</a>"
    )]
    #[case::an_image(
        "![https://x.example/](a.png)",
        "<img src=\"a.png\" alt=\"https://x.example/\" />"
    )]
    #[case::code("`https://x.example/`", "<code>https://x.example/</code>")]
    #[case::another_scheme("ftp://x.example/ and a < b", "ftp://x.example/ and a &lt; b")]
    #[case::no_script(
        "http://x.example/\"onclick=\"a",
        "<a href=\"http://x.example/\">http://x.example/</a>\"onclick=\"a"
    )]
    fn bare_addresses_are_links(#[case] text: &str, #[case] html: &str) {
        assert_eq!(render(text, true).html.get(), format!("<p>{html}</p>\n"));
    }

    #[test]
    fn the_texts_around_bare_addresses_are_noted() {
        let notes = render("See https://x.example/a_b *now*.", false).notes;
        assert_eq!(
            notes.first_paragraph.as_deref(),
            Some("See https://x.example/a_b now.")
        );
    }

    /// Numbers are those of the first references; each note leads back to its first.
    #[test]
    fn footnotes_are_at_the_end() {
        let html = render(
            "a[^second note] b[^1] c[^1]\n\n[^1]: One *line*.\n\n[^second note]: Two\n\n    - lines\n\nEnd.",
            true,
        );
        let expected = "\
<p>a<sup><a href=\"#note-second-note\" id=\"ref-second-note\" role=\"doc-noteref\">1</a></sup> \
b<sup><a href=\"#note-1\" id=\"ref-1\" role=\"doc-noteref\">2</a></sup> \
c<sup><a href=\"#note-1\" id=\"ref-1-2\" role=\"doc-noteref\">2</a></sup></p>
<p>End.</p>
<section class=\"notes\" role=\"doc-endnotes\">
<ol>
<li id=\"note-second-note\">
<p>Two</p>
<ul>
<li>lines</li>
</ul>
 <a href=\"#ref-second-note\" role=\"doc-backlink\" class=\"back\">↩</a></li>
<li id=\"note-1\">
<p>One <em>line</em>. <a href=\"#ref-1\" role=\"doc-backlink\" class=\"back\">↩</a></p>
</li>
</ol>
</section>
";
        assert_eq!(html.html.get(), expected);
    }

    #[rstest]
    #[case::no_such_note("a[^x]", "<p>a[^x]</p>\n", false)]
    #[case::never_named("[^x]: b", "<p>b</p>", true)]
    #[case::in_a_heading(
        "## A[^x]\n\n[^x]: b",
        "<h2 id=\"a\">A<sup><a href=\"#note-x\" id=\"ref-x\" role=\"doc-noteref\">1</a></sup></h2>",
        true
    )]
    fn no_footnote_is_lost(#[case] text: &str, #[case] part: &str, #[case] has_notes: bool) {
        let html = render(text, true).html.get().into_owned();
        assert!(html.contains(part), "{html}");
        assert_eq!(html.contains("doc-endnotes"), has_notes, "{html}");
    }

    #[test]
    fn code_is_highlighted_by_its_language() {
        let style = MarkdownStyle {
            words: [Words::of("en")].into(),
            highlighter: Some(Arc::default()),
        };
        let body = style.render(
            "```rust\nlet a = \"<\";\n```\n\n```\nlet\n```\n",
            true,
            LocaleId::SITE,
        );
        let html = style.highlighted(body.html.get().into_owned());
        let (first, second) = html.split_once("</pre>").unwrap();
        assert!(first.starts_with("<pre tabindex=\"0\"><code class=\"language-rust\"><span class=\"code-keyword\">let</span> "), "{html}");
        assert!(
            first.contains("<span class=\"code-string\">\"&lt;\"</span>"),
            "{html}"
        );
        assert_eq!(second, "\n<pre tabindex=\"0\"><code>let\n</code></pre>\n");
        assert_eq!(body.notes.code.len(), 1);
    }
}
