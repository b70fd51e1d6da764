//! Posts as answers of a workspace.

use std::fmt;

use tabulae_core::archive;
use tabulae_core::catalogue::PostId;
use tabulae_core::diagnostic::{Diagnostic, Diagnostics};
use tabulae_core::id::LocaleId;
use tabulae_core::post::{Post, State};
use tabulae_core::query::{Answer, Query, Resolved, Written};
use tabulae_core::similarity::Score;
use tabulae_core::source::Source;
use tabulae_core::time::ZonedDate;
use tabulae_core::value::Value;

use crate::error::Error;
use crate::site::Site;

/// The posts that a query found, in order.
#[derive(Debug, Clone)]
pub struct Posts<'a> {
    pub(super) site: &'a Site,
    pub(super) query: Query<Written>,
    pub(super) resolved: Query<Resolved>,
    /// The post on whose page the query was run.
    pub(super) this: Option<PostId>,
    /// The language of that page.
    pub(super) locale: Option<LocaleId>,
    pub(super) answer: Answer,
    pub(super) warnings: Diagnostics,
}

impl<'a> Posts<'a> {
    /// Returns the posts, in order.
    pub fn iter(&self) -> impl ExactSizeIterator<Item = PostRef<'a>> + '_ {
        let posts = self.answer.posts.iter();
        posts.map(|id| PostRef::new(self.site, *id))
    }

    /// Returns the number of posts.
    #[must_use]
    pub fn len(&self) -> usize {
        self.answer.posts.len()
    }

    /// Returns true if there are no posts.
    #[must_use]
    pub fn is_empty(&self) -> bool {
        self.answer.posts.is_empty()
    }

    /// Returns the number of posts before limit and offset.
    #[must_use]
    pub fn total(&self) -> usize {
        self.answer.total
    }

    /// Returns the name of the query's access path; see [`QueryPlan::access_path`](tabulae_core::query::QueryPlan).
    #[must_use]
    pub fn access_path(&self) -> &'static str {
        self.resolved.access_path(&self.site.catalogue, self.this)
    }

    /// Returns the query.
    #[must_use]
    pub fn query(&self) -> &Query<Written> {
        &self.query
    }

    /// Returns the warnings of the query, the reason for an empty answer among them.
    #[must_use]
    pub fn warnings(&self) -> &[Diagnostic] {
        &self.warnings
    }

    /// Returns the likeness of a post to the one on whose page the query was run: the value that the query
    /// compares, or that of templates if it compares none. `None` if it was run on no page.
    #[must_use]
    pub fn likeness(&self, post: PostRef<'_>) -> Option<Score> {
        let index = self.resolved.index(&self.site.catalogue);
        let this = self.this?;
        let index = index.or_else(|| Some(self.site.likeness(this)?.0))?;
        Some(index.likeness(this, post.id))
    }

    /// Returns true if the query was run as on a page, which has a language.
    #[must_use]
    pub fn is_on_page(&self) -> bool {
        self.locale.is_some()
    }

    /// Returns true if a post is the one on whose page the query was run.
    #[must_use]
    pub fn is_current(&self, post: PostRef<'_>) -> bool {
        self.this == Some(post.id)
    }

    /// Counts the posts by a field: a term field, `year`, `month`, `day`, or one of front matter. Returns name,
    /// slug and count of each group, in the order of an archive by this field.
    ///
    /// # Errors
    /// If posts cannot be grouped by it.
    pub fn count_by(&self, field: &str) -> Result<Vec<(String, String, usize)>, Error> {
        let catalogue = &self.site.catalogue;
        let locale = self.locale.unwrap_or_default();
        let by = archive::by(field, catalogue, Source::command_line(field).top())?;
        let counts = archive::counts(&by, &self.answer.posts, catalogue.within(locale)).into_iter();
        Ok(counts
            .map(|(term, count)| (term.name, term.slug, count))
            .collect())
    }
}

impl<'a> IntoIterator for Posts<'a> {
    type Item = PostRef<'a>;
    type IntoIter = std::vec::IntoIter<PostRef<'a>>;

    fn into_iter(self) -> Self::IntoIter {
        self.iter().collect::<Vec<_>>().into_iter()
    }
}

/// A post of a workspace.
#[derive(Clone, Copy)]
pub struct PostRef<'a> {
    site: &'a Site,
    id: PostId,
}

impl fmt::Debug for PostRef<'_> {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.write_str(self.path())
    }
}

impl PartialEq for PostRef<'_> {
    fn eq(&self, other: &Self) -> bool {
        std::ptr::eq(self.site, other.site) && self.id == other.id
    }
}

impl<'a> PostRef<'a> {
    pub(super) fn new(site: &'a Site, id: PostId) -> Self {
        Self { site, id }
    }

    fn post(&self) -> &'a Post {
        self.site.catalogue.post(self.id)
    }

    /// Returns the number of the post in the catalogue.
    #[must_use]
    pub fn id(&self) -> PostId {
        self.id
    }

    /// Returns the path of its source below the site's folder.
    #[must_use]
    pub fn path(&self) -> &'a str {
        &self.post().path
    }

    /// Returns the folder of its source below that of the content set, or an empty text.
    #[must_use]
    pub fn folder(&self) -> &'a str {
        &self.post().folder
    }

    /// Returns the title.
    #[must_use]
    pub fn title(&self) -> &'a str {
        &self.post().title
    }

    /// Returns the slug.
    #[must_use]
    pub fn slug(&self) -> &'a str {
        &self.post().slug
    }

    /// Returns the address from the site's root, percent-encoded.
    #[must_use]
    pub fn link(&self) -> &'a str {
        &self.site.catalogue.link(self.id).encoded
    }

    /// Returns the address after the path of the site's address, as pages link to it.
    #[must_use]
    pub fn href(&self) -> String {
        self.site.href(self.site.catalogue.link(self.id))
    }

    /// Returns the date. It prints as in ISO 8601, and as nothing if the post has none.
    #[must_use]
    pub fn date(&self) -> PostDate {
        PostDate(self.post().date)
    }

    /// Returns the date of the last update, or else the date.
    #[must_use]
    pub fn updated(&self) -> PostDate {
        PostDate(self.post().updated)
    }

    /// Returns the image as it is written: a file beside the post, or an address.
    #[must_use]
    pub fn image(&self) -> Option<&'a str> {
        self.post().image.as_deref()
    }

    /// Returns the minutes that it takes to read, at least 1.
    #[must_use]
    pub fn minutes(&self) -> usize {
        self.post().minutes()
    }

    /// Returns true if the settings and its front matter give it a list of related posts, which may be empty.
    #[must_use]
    pub fn has_related_list(&self) -> bool {
        self.site.related_list(self.id).is_some()
    }

    /// Returns the state.
    #[must_use]
    pub fn state(&self) -> State {
        self.post().state()
    }

    /// Returns all reasons for which lists exclude it, in the order in which states are named; none if it is
    /// live.
    pub fn exclusions(&self) -> impl Iterator<Item = State> + use<> {
        self.post().exclusion.states()
    }

    /// Returns the name of its content set.
    #[must_use]
    pub fn set(&self) -> &'a str {
        &self.site.catalogue.sets()[self.post().set]
    }

    /// Returns the tag of its language (BCP 47).
    #[must_use]
    pub fn language(&self) -> &'a str {
        &self.site.locale(self.post().locale).tag
    }

    /// Returns its listed translations into other languages, in the order of the languages.
    #[must_use]
    pub fn translations(&self) -> Vec<Self> {
        let translations = self.site.catalogue.translations(self.id);
        translations.map(|id| Self::new(self.site, id)).collect()
    }

    /// Returns the summary as plain text, if there is one.
    #[must_use]
    pub fn summary(&self) -> Option<&'a str> {
        self.post().summary.as_deref()
    }

    /// Returns the number of words of the text.
    #[must_use]
    pub fn words(&self) -> usize {
        self.post().words()
    }

    /// Returns the body as HTML, with resolved links.
    #[must_use]
    pub fn html(&self) -> String {
        self.site.html_of(self.site.owner(self.id), self.post())
    }

    /// Returns the body as plain text.
    #[must_use]
    pub fn text(&self) -> String {
        self.post().html.text()
    }

    /// Returns the names of its terms in a term field, in its language and the order written; none in an unknown
    /// field.
    #[must_use]
    pub fn terms(&self, field: &str) -> Vec<&'a str> {
        let catalogue = &self.site.catalogue;
        let Some(field) = catalogue.term_field(field) else {
            return Vec::new();
        };
        let table = catalogue.terms(field);
        let terms = catalogue.terms_of(self.id, field).iter();
        let locale = self.post().locale;
        terms
            .map(|term| table.term(*term).name_in(locale))
            .collect()
    }

    /// Returns a value of the front matter; within maps by names with dots: `info.part`.
    #[must_use]
    pub fn get(&self, name: &str) -> Option<&'a Value> {
        Some(&self.post().front.at(name)?.node)
    }
}

/// A date of a post. It prints as in ISO 8601: a day, or a time with offset; a missing one as nothing.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct PostDate(Option<ZonedDate>);

impl PostDate {
    /// Returns the time with its day, if there is a date.
    #[must_use]
    pub fn zoned(self) -> Option<ZonedDate> {
        self.0
    }
}

impl fmt::Display for PostDate {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        match self.0 {
            Some(stamp) => f.pad(&stamp.iso()),
            None => f.pad(""),
        }
    }
}
