//! Keys: names of everything that an output can depend on, the same in any build.

use serde::{Deserialize, Serialize};
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
    /// The terms of an archive, by its name.
    Groups(String),
    /// The entries of a feed, by its address.
    Feed(String),
    /// All feeds.
    Feeds,
    /// A page of `pages/`, by its path.
    Page(String),
    /// A template, by its name.
    Template(String),
    /// The posts that a query finds, on the page of a post.
    Query(String, Option<String>),
    /// The report on a query that has warnings or finds nothing, by its template and text, and whether it runs
    /// on a post's page. Always the same: the pages stay valid, and each build repeats the report.
    QueryReport(String, String, bool),
    /// A list of terms. Boxed, as it is rare and much larger than the others.
    Terms(Box<Listing>),
    /// The existence of a front matter field in any post, also within a list, and whether it is a map.
    Field(String),
    /// The address of a source file, or its absence, by its path.
    Address(String),
    /// The stamp of a file that is copied or measured.
    File(String),
    /// The values that all pages show: navigation, feeds, the site's own words.
    Site,
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

/// The arguments of a list of terms.
#[derive(Debug, Clone, PartialEq, Eq, PartialOrd, Ord, Hash, Serialize, Deserialize)]
pub(crate) struct Listing {
    /// The term field.
    pub(crate) field: String,
    pub(crate) order: OverviewOrder,
    pub(crate) limit: Option<usize>,
    /// The query whose posts are counted; all listed posts if `None`.
    pub(crate) query: Option<String>,
}

impl Key {
    /// Returns the query that the value depends on.
    pub(crate) fn query(&self) -> Option<&str> {
        match self {
            Self::Query(text, _) => Some(text),
            Self::Terms(listing) => listing.query.as_deref(),
            _ => None,
        }
    }
}
