//! Feeds: one document, written as Atom, RSS or JSON Feed.

mod atom;
mod content;
mod json;
mod rss;
mod xml;

use jiff::Timestamp;
use jiff::tz::TimeZone;

use crate::settings::FeedFormat;
use crate::time::ZonedDate;

pub use self::content::content;

/// The name of the program that wrote the feeds.
const GENERATOR: &str = "Tabulae";

/// A feed with its entries.
#[derive(Debug, Clone, Default)]
pub struct Document {
    /// The title.
    pub title: String,
    /// One sentence on the site.
    pub description: Option<String>,
    /// The id: the address of its first page.
    pub id: String,
    /// The page's own address, absolute.
    pub address: String,
    /// The address of the page that it belongs to, absolute.
    pub home: String,
    /// The language's tag (BCP 47).
    pub language: String,
    /// Who answers for it.
    pub author: Person,
    /// Who may do what with it.
    pub rights: Option<String>,
    /// The feed's image.
    pub image: Option<Image>,
    /// The hub that tells subscribers of changes (WebSub), absolute.
    pub hub: Option<String>,
    /// Minutes that a reader may keep it (RSS only).
    pub ttl: Option<usize>,
    /// The position among the pages of a long feed.
    pub pages: Option<Pages>,
    /// The style sheet by which browsers show it, from the site's root.
    pub style: Option<String>,
    /// The entries, in order.
    pub entries: Vec<Entry>,
}

/// The other pages of a feed that has several (RFC 5005, section 3): absolute addresses.
#[derive(Debug, Clone, Default, PartialEq, Eq)]
pub struct Pages {
    /// The page with the newest entries.
    pub first: String,
    /// The page with the oldest entries.
    pub last: String,
    /// The page with the entries before these, newer ones.
    pub previous: Option<String>,
    /// The page with the entries after these, older ones.
    pub next: Option<String>,
}

/// An image.
#[derive(Debug, Clone, Default, PartialEq, Eq)]
pub struct Image {
    /// The address, absolute.
    pub address: String,
    /// The media type, where it is known.
    pub media_type: Option<String>,
    /// The length in bytes, where it is known.
    pub length: Option<u64>,
}

/// A term of an entry.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Category {
    /// The term's name, which identifies it within its scheme, and is shown.
    pub name: String,
    /// The scheme of the terms of a field: the absolute address of their overview.
    pub scheme: Option<String>,
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
    /// The language's tag (BCP 47), if it is another than the feed's.
    pub language: Option<String>,
    /// When it was dated.
    pub published: Option<ZonedDate>,
    /// When it was last changed.
    pub updated: ZonedDate,
    /// The authors; those of the feed if the entry has no author.
    pub authors: Vec<Person>,
    /// The terms.
    pub categories: Vec<Category>,
    /// The summary, plain.
    pub summary: Option<String>,
    /// The whole text as HTML with absolute addresses.
    pub content: Option<String>,
    /// The image.
    pub image: Option<Image>,
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

    /// The feed's own address and those that belong to it, by the names of their relation
    /// (RFC 4287, RFC 5005, WebSub).
    fn links(&self) -> impl Iterator<Item = (&'static str, &str)> {
        let mut links = vec![("self", self.address.as_str())];
        if let Some(pages) = &self.pages {
            links.push(("first", &pages.first));
            links.extend(pages.previous.as_deref().map(|page| ("previous", page)));
            links.extend(pages.next.as_deref().map(|page| ("next", page)));
            links.push(("last", &pages.last));
        }
        links.extend(self.hub.as_deref().map(|hub| ("hub", hub)));
        links.into_iter()
    }

    /// Returns the newest change of any entry; the epoch without entries.
    #[must_use]
    pub fn updated(&self) -> ZonedDate {
        self.entries
            .iter()
            .map(|entry| entry.updated)
            .max_by_key(|updated| updated.at)
            .unwrap_or_else(|| ZonedDate::new(Timestamp::UNIX_EPOCH, &TimeZone::UTC, true))
    }
}

/// Plain text as HTML.
fn escape(text: &str) -> String {
    text.replace('&', "&amp;")
        .replace('<', "&lt;")
        .replace('>', "&gt;")
}
