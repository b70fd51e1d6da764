//! Feeds: one document, written as Atom, RSS or JSON Feed.

mod atom;
mod json;
mod rss;

use jiff::Timestamp;
use jiff::tz::TimeZone;

use crate::settings::FeedFormat;
use crate::time::Stamp;

/// What a feed says of itself, and its entries.
#[derive(Debug, Clone, Default)]
pub struct Document {
    /// The title.
    pub title: String,
    /// One sentence on the site.
    pub about: Option<String>,
    /// The feed's own address, absolute; also its id.
    pub address: String,
    /// The address of the page that it belongs to, absolute.
    pub home: String,
    /// The language's tag (BCP 47).
    pub language: String,
    /// Who answers for it.
    pub author: Person,
    /// Minutes that a reader may keep it (RSS only).
    pub ttl: Option<usize>,
    /// The entries, in order.
    pub entries: Vec<Entry>,
}

/// A person or group.
#[derive(Debug, Clone, Default, PartialEq, Eq)]
pub struct Person {
    /// The name.
    pub name: String,
    /// The e-mail address.
    pub email: Option<String>,
    /// A page about them, absolute.
    pub link: Option<String>,
}

/// One entry of a feed.
#[derive(Debug, Clone)]
pub struct Entry {
    /// The id: an absolute address, or another URI.
    pub id: String,
    /// The address of the post's page, absolute.
    pub link: String,
    /// The title, plain.
    pub title: String,
    /// When it was dated.
    pub published: Option<Stamp>,
    /// When it was last changed.
    pub updated: Stamp,
    /// The names of its authors.
    pub authors: Vec<String>,
    /// Its terms.
    pub categories: Vec<String>,
    /// The summary, plain.
    pub summary: Option<String>,
    /// The whole text as HTML with absolute addresses.
    pub content: Option<String>,
    /// Its image, absolute.
    pub image: Option<String>,
}

impl Document {
    /// The feed in a format. The same document gives the same bytes.
    #[must_use]
    pub fn write(&self, format: FeedFormat) -> String {
        match format {
            FeedFormat::Atom => atom::write(self),
            FeedFormat::Rss => rss::write(self),
            FeedFormat::Json => json::write(self),
        }
    }

    /// The newest change of any entry; the epoch when there are none.
    #[must_use]
    pub fn updated(&self) -> Stamp {
        self.entries
            .iter()
            .map(|entry| entry.updated)
            .max_by_key(|updated| updated.at)
            .unwrap_or_else(|| Stamp::new(Timestamp::UNIX_EPOCH, &TimeZone::UTC, true))
    }
}

/// `text` without the characters that XML 1.0 forbids (2.2).
fn allowed(text: &str) -> String {
    text.chars()
        .filter(|c| matches!(c, '\t' | '\n' | '\r' | ' '..='\u{d7ff}' | '\u{e000}'..='\u{fffd}' | '\u{10000}'..))
        .collect()
}

/// An XML document that is written element by element.
struct Xml {
    writer: quick_xml::Writer<Vec<u8>>,
}

impl Xml {
    fn new() -> Self {
        let mut writer = quick_xml::Writer::new_with_indent(Vec::new(), b' ', 1);
        let declaration = quick_xml::events::BytesDecl::new("1.0", Some("utf-8"), None);
        // Writing to memory cannot fail.
        let _ = writer.write_event(quick_xml::events::Event::Decl(declaration));
        Self { writer }
    }

    fn event(&mut self, event: quick_xml::events::Event<'_>) {
        // Writing to memory cannot fail.
        let _ = self.writer.write_event(event);
    }

    fn tag<'a>(name: &'a str, attributes: &[(&str, &str)]) -> quick_xml::events::BytesStart<'a> {
        let mut tag = quick_xml::events::BytesStart::new(name);
        for (key, value) in attributes {
            tag.push_attribute((*key, allowed(value).as_str()));
        }
        tag
    }

    fn open(&mut self, name: &str, attributes: &[(&str, &str)]) {
        self.event(quick_xml::events::Event::Start(Self::tag(name, attributes)));
    }

    fn close(&mut self, name: &str) {
        self.event(quick_xml::events::Event::End(
            quick_xml::events::BytesEnd::new(name),
        ));
    }

    fn empty(&mut self, name: &str, attributes: &[(&str, &str)]) {
        self.event(quick_xml::events::Event::Empty(Self::tag(name, attributes)));
    }

    fn text(&mut self, name: &str, attributes: &[(&str, &str)], text: &str) {
        self.open(name, attributes);
        let text = allowed(text);
        self.event(quick_xml::events::Event::Text(
            quick_xml::events::BytesText::new(&text),
        ));
        self.close(name);
    }

    fn finish(self) -> String {
        let mut text = String::from_utf8(self.writer.into_inner()).unwrap_or_default();
        text.push('\n');
        text
    }
}

/// Plain text as HTML.
fn escape(text: &str) -> String {
    text.replace('&', "&amp;")
        .replace('<', "&lt;")
        .replace('>', "&gt;")
}

#[cfg(test)]
mod tests;
