//! Outputs with their addresses and kinds.

use std::ffi::OsStr;
use std::num::NonZeroUsize;
use std::path::Path;

use tabulae_core::catalogue::PostId;
use tabulae_core::id::LocaleId;
use tabulae_core::pager::Pager;
use tabulae_core::route::{Link, OutputPath};

/// The name of the theme's style sheet; a file of this name in `assets/` takes its place.
pub(crate) const STYLE: &str = "tabulae.css";

/// The name of the theme's script; a file of this name in `assets/` takes its place.
pub(crate) const SCRIPT: &str = "tabulae.js";

/// The name of the script of the full-text search; a file of this name in `assets/` takes its place.
pub(crate) const SEARCH_SCRIPT: &str = "tabulae-search.js";

/// The name of the style sheet by which browsers show feeds; a file of this name in `assets/`
/// takes its place.
pub(crate) const FEED_STYLE: &str = "tabulae-feeds.css";

/// The folder whose files are copied to the root of `out/`.
pub(super) const ASSETS: &str = "assets/";

/// The address of the search page.
pub(crate) const SEARCH: &str = "/search/";

/// An output: a file to be written.
#[derive(Debug, Clone)]
pub(crate) struct Output {
    /// The path below the output folder.
    pub file: OutputPath,
    /// The address.
    pub link: Link,
    /// The kind, and what it is made of.
    pub kind: OutputKind,
}

/// The kind of an output, with the number of what it is made of.
#[derive(Debug, Clone)]
pub(crate) enum OutputKind {
    /// A post's own page.
    Post(PostId),
    /// A page of `pages/`, by number.
    Page(usize),
    /// A page of a list.
    List {
        /// The archive's number.
        archive: usize,
        /// The list's number within it.
        group: usize,
        /// The page of the list.
        pager: Pager,
    },
    /// The page that lists an archive's terms.
    Overview(usize),
    /// A feed, by number.
    Feed(usize),
    /// An export, by number.
    Export(usize),
    /// A copy of a source file.
    Copy(String),
    /// A page that leads to another address.
    Redirect(Link),
    /// The theme's style sheet.
    Style,
    /// The theme's script.
    Script,
    /// The style sheet of the feeds of a language.
    FeedStyle(LocaleId),
    /// The page that lists the feeds of a language.
    Feeds(LocaleId),
    /// The feeds of a language for feed readers (OPML 2.0).
    Opml(LocaleId),
    /// The titles of a list that has several pages, for the script.
    Titles {
        /// The archive's number.
        archive: usize,
        /// The list's number within it.
        group: usize,
    },
    /// The search page of a language.
    Search(LocaleId),
    /// The summaries and terms of all listed posts of a language, for the script.
    Texts(LocaleId),
    /// A file of the full-text index of a language.
    SearchFile(LocaleId, SearchFile),
    /// The script of the full-text search.
    SearchScript,
    /// `sitemap.xml`, or part of it: the pages, in the order of their encoded addresses.
    Sitemap(Vec<Link>),
    /// The list of a sitemap's parts.
    SitemapIndex(usize),
}

/// A file of the full-text index; see [`tabulae_core::search::full_text`].
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(crate) enum SearchFile {
    /// The first one that the script loads.
    Start,
    /// A file of words, by number.
    Words(usize),
    /// The rows of a block of posts.
    Posts(usize),
    /// The values of a facet, by its number.
    Facet(usize),
    /// The values of a facet of each post of a block.
    FacetBlock(usize, usize),
}

impl SearchFile {
    /// Returns the name of the file.
    pub(crate) fn name(self) -> String {
        match self {
            Self::Start => "start.bin".to_owned(),
            Self::Words(number) => format!("words-{number}.bin"),
            Self::Posts(block) => format!("posts-{block}.bin"),
            Self::Facet(facet) => format!("facet-{facet}.bin"),
            Self::FacetBlock(facet, block) => format!("facet-{facet}-{block}.bin"),
        }
    }
}

/// A facet of the search page.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(crate) enum FacetOf {
    /// The terms of a field, by its number.
    Terms(usize),
    /// The years of dates.
    Years,
}

impl Output {
    /// Returns true for a file that all pages share: an asset, a style, a script, or a part of the search's index.
    pub(crate) fn is_shared(&self) -> bool {
        match &self.kind {
            OutputKind::Copy(source) => source.starts_with("assets/"),
            OutputKind::Style
            | OutputKind::Script
            | OutputKind::FeedStyle(_)
            | OutputKind::Texts(_)
            | OutputKind::SearchFile(..)
            | OutputKind::SearchScript => true,
            _ => false,
        }
    }

    /// Returns true for an HTML page that is no redirect.
    #[must_use]
    pub(crate) fn is_page(&self) -> bool {
        let is_html = Path::new(&*self.file).extension() == Some(OsStr::new("html"));
        is_html && !matches!(self.kind, OutputKind::Redirect(_))
    }
}

impl OutputKind {
    /// Returns true for a page that the site makes for its readers: no copied file, and no redirect.
    #[must_use]
    pub(crate) fn is_own_page(&self) -> bool {
        matches!(
            self,
            Self::Post(_)
                | Self::Page(_)
                | Self::List { .. }
                | Self::Overview(_)
                | Self::Feeds(_)
                | Self::Search(_)
        )
    }

    /// Returns true for outputs that are rendered in no time and depend on little: they are rendered by each
    /// build, and their dependencies are not recorded.
    #[must_use]
    pub(crate) fn is_rendered_each_time(&self) -> bool {
        matches!(
            self,
            Self::Style
                | Self::Script
                | Self::SearchScript
                | Self::FeedStyle(_)
                | Self::Redirect(_)
                | Self::Sitemap(_)
                | Self::SitemapIndex(_)
        )
    }
}

/// Returns true if a list has several pages, so that the script needs the titles of all.
#[must_use]
pub(crate) fn has_titles(posts: usize, per_page: Option<NonZeroUsize>) -> bool {
    per_page.is_some_and(|per_page| posts > per_page.get())
}

/// Returns the address of a list's titles.
#[must_use]
pub(crate) fn titles(list: &Link) -> Link {
    list.below("titles.json")
}
