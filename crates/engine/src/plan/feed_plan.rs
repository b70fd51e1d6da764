//! Feeds as planned: title, address, posts and page.

use tabulae_core::catalogue::PostId;
use tabulae_core::id::LocaleId;
use tabulae_core::route::Link;
use tabulae_core::settings::{FeedContent, FeedFormat};

use crate::site::Site;

/// The address of the page that lists the feeds for people.
pub(crate) const FEEDS_PAGE: &str = "/feeds/";

/// The address of the list of the feeds for feed readers.
pub(crate) const OPML: &str = "/feeds.opml";

/// A feed that is made, or a page of it.
#[derive(Debug, Clone)]
pub(crate) struct FeedPlan {
    /// The title.
    pub title: String,
    /// The language.
    pub locale: LocaleId,
    /// One sentence on it, where it is not the site's.
    pub description: Option<String>,
    /// The address of its first page.
    pub link: Link,
    /// The page that it belongs to.
    pub home: Link,
    /// The format.
    pub format: FeedFormat,
    /// Summary or whole text.
    pub content: FeedContent,
    /// Minutes (RSS only).
    pub ttl: Option<usize>,
    /// The posts, in order.
    pub posts: Vec<PostId>,
    /// The list or the settings that the feed comes from.
    pub of: Origin,
    /// The page of the feed.
    pub part: Part,
}

/// The origin of a feed.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(crate) enum Origin {
    /// A list of an archive.
    List {
        /// The archive's number.
        archive: usize,
        /// The list's number within it.
        group: usize,
    },
    /// A feed of the settings, by number.
    Named(usize),
}

/// The number of a page of a feed.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(crate) struct Part {
    /// From 1.
    pub number: usize,
    /// The number of pages.
    pub pages: usize,
}

impl Part {
    /// The only page.
    pub(crate) const WHOLE: Part = Part {
        number: 1,
        pages: 1,
    };
}

impl FeedPlan {
    /// The address of a page of it: `/works.xml`, then `/works-2.xml`.
    #[must_use]
    pub(crate) fn address(&self, number: usize) -> Link {
        if number == 1 {
            return self.link.clone();
        }
        let plain = &self.link.plain;
        let name = plain.rfind('/').map_or(0, |slash| slash + 1);
        let dot = plain[name..]
            .rfind('.')
            .map_or(plain.len(), |dot| name + dot);
        Link::new(format!("{}-{number}{}", &plain[..dot], &plain[dot..]))
    }

    /// Returns true for a feed of the whole site in its language, which every page in it announces.
    #[must_use]
    pub(crate) fn is_of_the_site(&self, site: &Site) -> bool {
        match self.of {
            Origin::Named(_) => self.home.plain == site.locale(self.locale).below("/"),
            Origin::List { archive, .. } => site.settings.archives[archive].by.is_none(),
        }
    }
}
