//! Keys: names of everything that an output can depend on, the same in any build.

use serde::{Deserialize, Serialize};
use tabulae_core::id::LocaleId;
use tabulae_core::settings::OverviewOrder;

/// Something that an output can depend on.
#[derive(Debug, Clone, PartialEq, Eq, Hash, Serialize, Deserialize)]
pub(crate) enum Key {
    /// The front matter, name and summary of a post, by its path.
    Post(String),
    /// The text of a post.
    Text(String),
    /// The related posts of a post, with the shared terms.
    Related(String),
    /// The posts before and after a post.
    Beside(String),
    /// The likeness of the related posts of a post.
    Likeness(String),
    /// Name, link and note of a term, by its field and slug.
    Term(String, String),
    /// The number of posts with a term.
    Count(String, String),
    /// The posts of a list, its title, term and feeds, by its link.
    List(String),
    /// Titles, dates and links of all posts of a list.
    Rows(String),
    /// The terms of an archive, by its name and language.
    Groups(String, LocaleId),
    /// The entries of a feed, by its address.
    Feed(String),
    /// The posts of an export, by its name.
    Export(String),
    /// All feeds of a language.
    Feeds(LocaleId),
    /// The addresses of a page in the site's languages, by its own.
    Alternates(String),
    /// The translations of a post, by its path.
    Translations(String),
    /// A page of `pages/`, by its path.
    Page(String),
    /// A template, by its name.
    Template(String),
    /// The posts that a query finds on a page in a language, or on the page of a post.
    Query(String, Option<String>, LocaleId),
    /// The report on a query that has warnings or finds nothing. Always the same: the pages stay valid, and each
    /// build repeats the report.
    QueryReport(Box<QueryPlace>),
    /// A list of terms. Boxed, as it is rare and much larger than the others.
    Terms(Box<Listing>),
    /// The existence of a front matter field in any post, also within a list, and whether it is a map.
    Field(String),
    /// The address of a source file, or its absence, by its path.
    Address(String),
    /// The stamp of a file that is copied or measured.
    File(String),
    /// The values that all pages of a language show: navigation, feeds, the theme's words.
    Site(LocaleId),
    /// `tabulae.toml` and the options of the build.
    Settings,
    /// The input of the similarity of posts.
    Alike,
    /// All posts without their texts, and the names of terms.
    Posts,
    /// All posts with their texts.
    All,
    /// The current day.
    Day,
    /// The current time, which always changes.
    Moment,
    /// A warning, which each build repeats.
    Warned,
}

/// A query of a template, and where it runs.
#[derive(Debug, Clone, PartialEq, Eq, PartialOrd, Ord, Hash, Serialize, Deserialize)]
pub(crate) struct QueryPlace {
    /// The template, or the source file with the placeholder.
    pub(crate) template: String,
    /// The query.
    pub(crate) text: String,
    /// Set if it runs on a post's page.
    pub(crate) on_page: bool,
    /// The language of the page.
    pub(crate) locale: LocaleId,
}

/// The arguments of a list of terms.
#[derive(Debug, Clone, PartialEq, Eq, PartialOrd, Ord, Hash, Serialize, Deserialize)]
pub(crate) struct Listing {
    /// The language of the page.
    pub(crate) locale: LocaleId,
    /// The term field.
    pub(crate) field: String,
    pub(crate) order: OverviewOrder,
    pub(crate) limit: Option<usize>,
    /// The query whose posts are counted; all listed posts if `None`.
    pub(crate) query: Option<String>,
}

impl Key {
    /// Returns the language of the pages to which the value belongs.
    pub(crate) fn locale(&self) -> Option<LocaleId> {
        match self {
            Self::Groups(_, locale)
            | Self::Feeds(locale)
            | Self::Query(_, _, locale)
            | Self::Site(locale) => Some(*locale),
            Self::QueryReport(place) => Some(place.locale),
            Self::Terms(listing) => Some(listing.locale),
            _ => None,
        }
    }

    /// Returns the query that the value depends on.
    pub(crate) fn query(&self) -> Option<&str> {
        match self {
            Self::Query(text, ..) => Some(text),
            Self::Terms(listing) => listing.query.as_deref(),
            _ => None,
        }
    }
}
