//! `tabulae.toml`, typed and checked, with its defaults.

mod archives;
mod drafts;
mod exports;
mod feeds;
mod file_globs;
mod keys;
mod locales;
mod read;
mod reader;
mod site;
mod theme_words;
mod trial;
mod words;

use std::num::NonZeroUsize;

use jiff::tz::TimeZone;
use serde::{Deserialize, Serialize};

use crate::diagnostic::{Code, Diagnostic};
use crate::id::LocaleId;
use crate::language::DateStyle;
use crate::lint_levels::LintLevels;
use url::Url;

use crate::route::{IdPattern, Pattern, decode};
use crate::source::{EmbeddedText, Location, Source, Span, Spanned};

pub use self::drafts::{DRAFT_WORDS, DraftRule, DraftTest};
pub use self::file_globs::{FileGlobs, FileKind, Role};
pub use self::keys::{Holds, KEYS, Key, TABLES};
pub use self::locales::{Locale, Locales};
pub use self::read::RENAMABLE;
use self::read::default_term_fields;
pub use self::trial::Trial;
pub use self::words::{WORDS, Words};

/// The file that holds the settings, in the site's folder.
pub const FILE: &str = "tabulae.toml";

/// All settings of a site.
#[derive(Debug, Clone)]
pub struct Settings {
    /// The text that they were read from.
    pub source: Source,
    /// `[site]`
    pub site: Site,
    /// The language of `[site]` and those of `[locale.*]`, with their words.
    pub locales: Locales,
    /// `[content.*]`, in the order written.
    pub content: Vec<ContentSet>,
    /// `[queries]`, in the order written.
    pub queries: Vec<(Spanned<String>, EmbeddedText)>,
    /// `[archive.*]`, in the order written.
    pub archives: Vec<Archive>,
    /// `[feed.*]`, in the order written.
    pub feeds: Vec<Feed>,
    /// The exports.
    pub exports: Vec<Export>,
    /// `[related]`
    pub related: Option<Related>,
    /// `[code]`: set if code blocks are highlighted.
    pub highlight: bool,
    /// Term fields by name: tag, category, author, and the site's own.
    pub term_fields: Vec<TermField>,
    /// `[audit]`
    pub audit: LintLevels,
    /// The reasons why built-in archives or the built-in feed are moved or left out, in sentences; see
    /// [`Settings::settle`].
    pub yields: Vec<String>,
}

impl Settings {
    /// Returns the related posts of a content set's posts, by the set's number; `None` if they have none.
    #[must_use]
    pub fn related_of(&self, set: usize) -> Option<&Related> {
        match &self.content[set].related {
            SetRelated::OfSite => self.related.as_ref(),
            SetRelated::Off => None,
            SetRelated::Own(related) => Some(related),
        }
    }

    /// Iterates over `[related]` and the tables of content sets in its place.
    pub fn all_related(&self) -> impl Iterator<Item = &Related> {
        let own = self.content.iter().filter_map(|set| match &set.related {
            SetRelated::Own(related) => Some(&**related),
            SetRelated::OfSite | SetRelated::Off => None,
        });
        self.related.iter().chain(own)
    }

    /// Iterates over the term fields that the site declares itself, in the order written.
    pub fn own_term_fields(&self) -> impl Iterator<Item = &TermField> {
        let built_in = default_term_fields();
        let fields = self.term_fields.iter();
        fields.filter(move |field| !built_in.iter().any(|known| known.is(&field.name)))
    }

    /// Iterates over the templates that the settings name, with the parts of lists.
    pub fn templates(&self) -> impl Iterator<Item = &Spanned<String>> {
        let archives = self.archives.iter();
        let archives =
            archives.flat_map(|archive| archive.template.iter().chain(archive.show.part()));
        let sets = self.content.iter();
        let sets = sets.filter_map(|set| set.template.as_ref());
        let related = self.all_related();
        let related = related.filter_map(|related| related.show.part());
        archives.chain(sets).chain(related)
    }

    /// Returns true if every post has its page here: no other program makes any.
    #[must_use]
    pub fn makes_all_pages(&self) -> bool {
        self.content.iter().all(|set| set.pages)
    }
}

/// `[site]`
#[derive(Debug, Clone)]
pub struct Site {
    /// The site's title.
    pub title: String,
    /// The address of the site.
    pub address: Address,
    /// The language's tag (BCP 47).
    pub language: String,
    /// The site's time zone.
    pub timezone: TimeZone,
    /// One sentence on the site.
    pub description: Option<String>,
    /// Who answers for the site.
    pub author: Option<Author>,
    /// The image of posts that have none.
    pub image: Option<String>,
    /// Who may do what with the texts, in feeds.
    pub rights: Option<String>,
    /// The hub that tells subscribers of changes (WebSub), absolute.
    pub hub: Option<String>,
    /// Style sheets of every page after the theme's: from the site's root, or absolute.
    pub styles: Vec<Spanned<String>>,
    /// Scripts of every page: from the site's root, or absolute.
    pub scripts: Vec<Spanned<String>>,
    /// The entries of the navigation, in order; all lists and pages that ask for it if `None`.
    pub menu: Option<Vec<MenuEntry>>,
    /// The search page.
    pub search: Search,
    /// The style of dates.
    pub date_format: DateStyle,
    /// The most megabytes that a text source may have; never asked of an asset.
    pub source_limit: usize,
    /// Set if links below the site's folders may lead out of the site's folder.
    pub follow_links: bool,
    /// Set if the built-in archives, feed and content set exist.
    pub defaults: bool,
}

/// An entry of `[site] menu`.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum MenuEntry {
    /// The name of an archive, or the address of a page of the site.
    Page(Spanned<String>),
    /// Any address, with the text to show.
    Link {
        /// The text.
        title: String,
        /// The address, absolute or from the site's root.
        link: String,
    },
}

/// The default of [`Site::source_limit`], in megabytes.
pub const SOURCE_LIMIT: usize = 32;

/// An absolute address, cut in two.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Address {
    /// Scheme and host: `https://x.example`.
    pub origin: String,
    /// The path without a slash at its end: `/log`, or empty.
    pub path: String,
}

/// The mistake of an address that is not within the site.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct NotWithin;

impl NotWithin {
    /// Returns the diagnostic of an earlier address.
    #[must_use]
    pub fn at(self, written: &str, location: Location) -> Diagnostic {
        let message = format!("the old address \"{written}\" is not within this site");
        Diagnostic::error(Code::InvalidAddress, location, message)
            .help("write it from the site's root, such as /2024/old-name/")
    }
}

/// A person or group.
#[derive(Debug, Clone, PartialEq, Eq, Default)]
pub struct Author {
    /// The name.
    pub name: Option<String>,
    /// The e-mail address.
    pub email: Option<String>,
    /// A page about them, absolute or from the site's root.
    pub link: Option<String>,
}

/// `[content.NAME]`
#[derive(Debug, Clone)]
pub struct ContentSet {
    /// The set's name.
    pub name: String,
    /// The folder, below the site's.
    pub folder: String,
    /// The place of the declaration, for messages.
    pub location: Span,
    /// Set for the set `posts` that exists without being declared, if its folder does.
    pub is_implicit: bool,
    /// The addresses of its posts.
    pub link: Pattern,
    /// The place of the link, or of the declaration if the link is the default.
    pub link_location: Span,
    /// The files of the folder that are posts.
    pub files: FileGlobs,
    /// Further forms of dates, as patterns of `strptime` (POSIX).
    pub date_formats: Vec<String>,
    /// Set if each post needs a date.
    pub dated: bool,
    /// Set if the posts have pages.
    pub pages: bool,
    /// Set if every post is a draft.
    pub draft: bool,
    /// The template of the posts' pages.
    pub template: Option<Spanned<String>>,
    /// The related posts of its posts.
    pub related: SetRelated,
    /// The language of posts that do not say it themselves.
    pub locale: LocaleId,
    /// The ids of its posts in feeds, if they have what it asks for.
    pub feed_id: Option<Spanned<IdPattern>>,
    /// The front matter keys of each derived field; the first present wins.
    pub fields: Vec<(String, Vec<Spanned<String>>)>,
    /// The rules by which its posts are drafts.
    pub draft_rules: Vec<DraftRule>,
}

impl ContentSet {
    /// Returns the front matter keys that a field is mapped to; `None` if the field goes by its own name.
    #[must_use]
    pub fn keys_of(&self, field: &str) -> Option<&[Spanned<String>]> {
        let found = self.fields.iter().find(|(name, _)| name == field);
        found.map(|(_, keys)| keys.as_slice())
    }

    /// Returns true if a front matter key gives a field: by the mapping of the field, or else by its name.
    #[must_use]
    pub fn gives(&self, key: &str, field: &str) -> bool {
        self.maps(key, field).unwrap_or(key == field)
    }

    /// Returns true if a front matter key gives a term field: by the mapping of the field, or else by one of its names.
    #[must_use]
    pub fn gives_terms(&self, key: &str, field: &TermField) -> bool {
        self.maps(key, &field.name).unwrap_or_else(|| field.is(key))
    }

    /// Returns true if the mapping of a field names a key; `None` if the field goes by its own name.
    fn maps(&self, key: &str, field: &str) -> Option<bool> {
        let keys = self.keys_of(field)?;
        Some(keys.iter().any(|known| known.node == key))
    }
}

/// The related posts of a content set's posts.
#[derive(Debug, Clone, Default)]
pub enum SetRelated {
    /// The related posts of `[related]`.
    #[default]
    OfSite,
    /// None: `related = false`.
    Off,
    /// The related posts of its own table, which inherits the keys that it leaves out from `[related]`. Weights and
    /// required fields are always those of `[related]`.
    Own(Box<Related>),
}

/// The names of the built-in forms of a list's items.
pub const SHOWS: [&str; 2] = ["cards", "lines"];

/// The ending of a template's name.
pub const TEMPLATE_ENDING: &str = ".html";

/// The form of a list's items.
#[derive(Debug, Clone, PartialEq, Eq, Default)]
pub enum Show {
    /// Title, date, summary, image.
    #[default]
    Cards,
    /// Date and title.
    Lines,
    /// By the part of this name, such as `parts/tile.html`.
    Part(Spanned<String>),
}

impl Show {
    /// Returns the name: that of [`SHOWS`], or of the part.
    #[must_use]
    pub fn name(&self) -> &str {
        match self {
            Show::Cards => SHOWS[0],
            Show::Lines => SHOWS[1],
            Show::Part(part) => &part.node,
        }
    }

    /// Returns the part, if it is one.
    #[must_use]
    pub fn part(&self) -> Option<&Spanned<String>> {
        match self {
            Show::Part(part) => Some(part),
            Show::Cards | Show::Lines => None,
        }
    }
}

/// The orders of an overview, by name.
pub const ORDERS: [(&str, OverviewOrder); 3] = [
    ("name", OverviewOrder::Name),
    ("count", OverviewOrder::Count),
    ("newest", OverviewOrder::Newest),
];

/// The order of an overview.
#[derive(
    Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash, Default, Serialize, Deserialize,
)]
pub enum OverviewOrder {
    /// By name; date parts newest first.
    #[default]
    Name,
    /// Most posts first.
    Count,
    /// The term with the newest post first.
    Newest,
}

impl OverviewOrder {
    /// The order of this name.
    #[must_use]
    pub fn named(name: &str) -> Option<Self> {
        let known = ORDERS.iter().find(|(known, _)| *known == name);
        known.map(|(_, order)| *order)
    }
}

/// The format of a feed.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord)]
pub enum FeedFormat {
    /// Atom 1.0 (RFC 4287).
    Atom,
    /// RSS 2.0.
    Rss,
    /// JSON Feed 1.1.
    Json,
}

/// The search page of a site.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default)]
pub enum Search {
    /// No search page.
    #[default]
    Off,
    /// Titles, summaries and terms are searched.
    Metadata,
    /// Texts are searched too, with facets.
    Full,
}

/// The part of a post that a feed has.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default)]
pub enum FeedContent {
    /// The summary.
    #[default]
    Summary,
    /// The whole text.
    Full,
}

/// The parts of an archive or a feed that come from the built-in one of its name.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default)]
pub struct Inherited {
    /// The link, which can yield to something else at its address.
    pub link: bool,
    /// The overview, likewise.
    pub overview: bool,
    /// The query: the posts of all dated content sets.
    pub query: bool,
    /// The formats of feeds.
    pub feeds: bool,
    /// The title: that of the site.
    pub title: bool,
    /// All of it: it is not written in the settings at all.
    pub whole: bool,
}

impl Inherited {
    /// Nothing is written.
    pub(crate) const ALL: Self = Self {
        link: true,
        overview: true,
        query: true,
        feeds: true,
        title: true,
        whole: true,
    };
}

/// `[archive.NAME]`
#[derive(Debug, Clone)]
pub struct Archive {
    /// The archive's name.
    pub name: String,
    /// The place of the declaration, for messages.
    pub location: Span,
    /// The language of its pages and posts.
    pub locale: LocaleId,
    /// The languages in which it exists, before [`Settings::settle`]; `None` for all.
    pub(crate) locales: Option<Vec<LocaleId>>,
    /// False for one that is turned off; those are not among the settings.
    pub(crate) enabled: bool,
    /// The parts that come from the built-in archive of its name.
    pub inherited: Inherited,
    /// The query; all posts if it is left out.
    pub query: Option<EmbeddedText>,
    /// The key that splits the posts into one set of pages for each value.
    pub by: Option<Spanned<String>>,
    /// The address of page 1.
    pub link: Pattern,
    /// The place of the link, for messages.
    pub link_location: Span,
    /// The address of the overview.
    pub overview: Option<Spanned<String>>,
    /// The overview's order.
    pub overview_order: Option<OverviewOrder>,
    /// The number of posts of a page; all on one if it is left out.
    pub per_page: Option<NonZeroUsize>,
    /// The formats of its feeds.
    pub feeds: Vec<FeedFormat>,
    /// The maximum number of entries of a feed.
    pub feed_limit: usize,
    /// The part of a post that feeds have.
    pub feed_content: FeedContent,
    /// Set if the feed has further pages with what is beyond the limit.
    pub feed_history: bool,
    /// The number of posts from which a term has a page, at least 1.
    pub at_least: usize,
    /// The key of the headings within a page.
    pub group: Option<Spanned<String>>,
    /// Cards, lines, or a part.
    pub show: Show,
    /// The title; made from the name, where it is left out.
    pub title: Option<String>,
    /// The template of its pages.
    pub template: Option<Spanned<String>>,
    /// False if the navigation leaves it out.
    pub menu: bool,
    /// The earlier addresses of its lists; without a variable that of a split archive's overview.
    pub moved_from: Vec<Spanned<Pattern>>,
}

/// `[feed.NAME]`
#[derive(Debug, Clone)]
pub struct Feed {
    /// The feed's name.
    pub name: String,
    /// The place of the declaration, for messages.
    pub location: Span,
    /// The language of the feed and of its posts.
    pub locale: LocaleId,
    /// The languages in which it exists, before [`Settings::settle`]; `None` for all.
    pub(crate) locales: Option<Vec<LocaleId>>,
    /// False for one that is turned off; those are not among the settings.
    pub(crate) enabled: bool,
    /// The parts that come from the built-in feed, if it has its name.
    pub inherited: Inherited,
    /// The query; all posts of the dated content sets if `None`.
    pub query: Option<EmbeddedText>,
    /// The address.
    pub link: String,
    /// The page that it belongs to; the site's root, where it is left out.
    pub page: Option<Spanned<String>>,
    /// The format.
    pub format: FeedFormat,
    /// Summary or whole text.
    pub content: FeedContent,
    /// The title.
    pub title: Option<String>,
    /// One sentence on it; the site's, where it is left out.
    pub description: Option<String>,
    /// Minutes that a reader may keep it (RSS only).
    pub ttl: Option<usize>,
    /// Set if there are further pages with what is beyond the limit.
    pub history: bool,
    /// The earlier addresses, at which the feed stays.
    pub moved_from: Vec<Spanned<String>>,
}

/// `[export.NAME]`
#[derive(Debug, Clone)]
pub struct Export {
    /// The export's name.
    pub name: String,
    /// The place of the declaration, for messages.
    pub location: Span,
    /// The query; all posts of the dated content sets if `None`.
    pub query: Option<EmbeddedText>,
    /// The address.
    pub link: String,
    /// The names of the fields; the usual ones if empty.
    pub fields: Vec<Spanned<String>>,
    /// The format.
    pub format: ExportFormat,
}

/// The format of an export.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum ExportFormat {
    /// A JSON list of objects.
    Json,
    /// A JSON object a line.
    Ndjson,
    /// Comma-separated values (RFC 4180).
    Csv,
}

impl ExportFormat {
    /// The name.
    #[must_use]
    pub fn name(self) -> &'static str {
        let found = EXPORT_FORMATS.iter().find(|(_, known)| *known == self);
        found.map_or("", |(name, _)| name)
    }
}

/// `[related]`
#[derive(Debug, Clone)]
pub struct Related {
    /// The place of the table, for messages.
    pub location: Span,
    /// The query of the list.
    pub query: Option<EmbeddedText>,
    /// The query that fills up the list.
    pub fill: Option<EmbeddedText>,
    /// The weight of each field, at least 0.
    pub weigh: Vec<(Spanned<String>, f64)>,
    /// Fields in which a value must be shared.
    pub require: Vec<Spanned<String>>,
    /// The text of an empty list.
    pub empty_text: Option<String>,
    /// The heading of a list that is all fill; that of other lists if `None`.
    pub fill_title: Option<String>,
    /// Set if each full feed entry ends with the list.
    pub feeds: bool,
    /// Cards, lines, or a part.
    pub show: Show,
}

impl Default for Related {
    fn default() -> Self {
        Self {
            location: Span::default(),
            query: None,
            fill: None,
            weigh: Vec::new(),
            require: Vec::new(),
            empty_text: None,
            fill_title: None,
            feeds: false,
            show: Show::Lines,
        }
    }
}

/// A field whose values are terms.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct TermField {
    /// The name: `tag`.
    pub name: String,
    /// The name of many, where it differs: `tags`.
    pub plural: Option<String>,
    /// Set if `Waterway/Locks` also counts under `Waterway`.
    pub nested: bool,
}

impl TermField {
    /// Returns true if `name` is a name of the field.
    #[must_use]
    pub fn is(&self, name: &str) -> bool {
        self.name == name || self.plural.as_deref() == Some(name)
    }

    /// The name of its list in templates: `tags`, or the name itself.
    #[must_use]
    pub fn many(&self) -> &str {
        self.plural.as_deref().unwrap_or(&self.name)
    }
}

/// The formats of feeds by name.
pub const FORMATS: [(&str, FeedFormat); 3] = [
    ("atom", FeedFormat::Atom),
    ("rss", FeedFormat::Rss),
    ("json", FeedFormat::Json),
];
const SEARCHES: &[(&str, Search)] = &[
    ("false", Search::Off),
    ("true", Search::Metadata),
    ("full", Search::Full),
];

const EXPORT_FORMATS: [(&str, ExportFormat); 3] = [
    ("json", ExportFormat::Json),
    ("ndjson", ExportFormat::Ndjson),
    ("csv", ExportFormat::Csv),
];

const CONTENTS: [(&str, FeedContent); 2] = [
    ("summary", FeedContent::Summary),
    ("full", FeedContent::Full),
];

impl FeedFormat {
    /// The file's name below an archive's link.
    #[must_use]
    pub fn file_name(self) -> &'static str {
        match self {
            FeedFormat::Atom => "atom.xml",
            FeedFormat::Rss => "rss.xml",
            FeedFormat::Json => "feed.json",
        }
    }

    /// The media type.
    #[must_use]
    pub fn media_type(self) -> &'static str {
        match self {
            FeedFormat::Atom => "application/atom+xml",
            FeedFormat::Rss => "application/rss+xml",
            FeedFormat::Json => "application/feed+json",
        }
    }

    /// The format's name for people.
    #[must_use]
    pub fn name(self) -> &'static str {
        match self {
            FeedFormat::Atom => "Atom",
            FeedFormat::Rss => "RSS",
            FeedFormat::Json => "JSON Feed",
        }
    }
}

impl Address {
    /// Splits an absolute `http` or `https` address into origin and path, both as they are written. `None` if
    /// the text is not one by the URL Standard, or has a user, a query, a fragment, or a step out of its path.
    #[must_use]
    pub fn parse(text: &str) -> Option<Self> {
        let url = Url::parse(text).ok()?;
        let rest = text
            .strip_prefix("https://")
            .or_else(|| text.strip_prefix("http://"))?;
        let host_end = rest.find('/').unwrap_or(rest.len());
        let path = rest[host_end..].trim_end_matches('/');
        // The parser corrects these; they would be written to pages as they are.
        let corrected = |c: char| {
            c.is_whitespace()
                || c.is_control()
                || matches!(c, '"' | '<' | '>' | '\\' | '^' | '`' | '{' | '|' | '}')
        };
        let fits = host_end > 0
            && url.username().is_empty()
            && url.password().is_none()
            && url.query().is_none()
            && url.fragment().is_none()
            && !text.contains(corrected)
            && !decode(path)
                .split('/')
                .any(|step| matches!(step, "." | ".."));
        fits.then(|| Self {
            origin: text[..text.len() - rest.len() + host_end].to_owned(),
            path: path.to_owned(),
        })
    }

    /// Returns an earlier address from the site's root, written so or as an absolute one of the site.
    ///
    /// # Errors
    /// If it is not within the site.
    pub fn below_root(&self, written: &str) -> Result<String, NotWithin> {
        let below = match written.strip_prefix(&self.root()) {
            Some(path) => format!("/{path}"),
            None => match written.strip_prefix(&format!("{}/", self.path)) {
                Some(path) if !self.path.is_empty() => format!("/{path}"),
                _ => written.to_owned(),
            },
        };
        let decoded = decode(&below);
        let steps_out = decoded.split('/').any(|step| matches!(step, "." | ".."));
        let fits = below.starts_with('/')
            && !decoded.starts_with("//")
            && !steps_out
            && !below.contains(['?', '#'])
            && !decoded.contains('\\')
            && !decoded.chars().any(char::is_control);
        if fits { Ok(below) } else { Err(NotWithin) }
    }

    /// The absolute form of a link that starts at the site's root, `/log` being put before it
    /// already.
    #[must_use]
    pub fn absolute(&self, link: &str) -> String {
        format!("{}{link}", self.origin)
    }

    /// The address of the site's root, with a slash at its end.
    #[must_use]
    pub fn root(&self) -> String {
        format!("{}{}/", self.origin, self.path)
    }
}

#[cfg(test)]
mod tests;
