//! Every key of `tabulae.toml`, in one table: the JSON Schema and the reference are made of it, and
//! a test holds it against what is read.

use super::{CONTENTS, EXPORT_FORMATS, FORMATS, ORDERS};

/// Keys that have another name now: table, former name, name. For the message alone.
const FORMER: [(&str, &str, &str); 6] = [
    ("site", "about", "description"),
    ("site", "dates", "date_format"),
    ("locale", "about", "description"),
    ("feed", "about", "description"),
    ("archive", "order", "overview_order"),
    ("related", "notice", "empty_text"),
];

/// Returns the name of a key that had another name in a table such as `archive.tags`.
pub(super) fn renamed(table: &str, key: &str) -> Option<&'static str> {
    let table = table.split('.').next().unwrap_or_default();
    let mut former = FORMER.iter();
    let found = former.find(|(known, name, _)| *known == table && *name == key)?;
    Some(found.2)
}

/// A key of a table.
#[derive(Debug, Clone, Copy)]
pub struct Key {
    /// The table: `site`, or `archive.NAME` where the writer chooses the name.
    pub table: &'static str,
    /// The key; `NAME` where the writer chooses it too.
    pub name: &'static str,
    /// The type of its value.
    pub holds: Holds,
    /// The default; `None` if the key is required.
    pub default: Option<&'static str>,
    /// The meaning, in one sentence.
    pub about: &'static str,
}

/// The type of a key's value.
#[derive(Debug, Clone, Copy)]
pub enum Holds {
    /// A text.
    Text,
    /// `true` or `false`.
    Flag,
    /// A whole number of at least 1.
    Count,
    /// A number of at least 0.
    Weight,
    /// A statement of the query language.
    Query,
    /// An address from the site's root, which may hold variables (RFC 6570, level 1).
    Pattern,
    /// An address from the site's root.
    Link,
    /// An address from the site's root, or `false` for none.
    LinkOrFalse,
    /// A text, or `false` for none.
    TextOrFalse,
    /// An absolute address (RFC 3986).
    Address,
    /// One of a few words.
    Word(&'static [&'static str]),
    /// One of [`super::SHOWS`], or the name of a part.
    Show,
    /// A list of texts; a single text is a list of one.
    Texts,
    /// A list of some of a few words; a single word is a list of one.
    Words(&'static [&'static str]),
    /// A list of codes of diagnostics.
    Codes,
    /// A list of names of archives, addresses, and tables with `title` and `link`.
    Menu,
    /// A table of its own.
    Table,
    /// A table of its own, or `false` for none.
    TableOrFalse,
    /// `true`, `false`, or one of a few words.
    FlagOr(&'static [&'static str]),
}

const FORMAT_NAMES: &[&str] = &names(FORMATS);
const ORDER_NAMES: &[&str] = &names(ORDERS);
const EXPORT_NAMES: &[&str] = &names(EXPORT_FORMATS);
const CONTENT_NAMES: &[&str] = &names(CONTENTS);

const fn names<T: Copy, const N: usize>(choices: [(&'static str, T); N]) -> [&'static str; N] {
    let mut names = [""; N];
    let mut at = 0;
    while at < N {
        names[at] = choices[at].0;
        at += 1;
    }
    names
}

/// The meaning of each table, in the order of the reference.
pub const TABLES: &[(&str, &str)] = &[
    ("site", "The site as a whole."),
    ("site.author", "Who answers for the site."),
    (
        "locale.TAG",
        "A further language of the blog, by its tag (BCP 47). It inherits all that is not written here.",
    ),
    (
        "locale.TAG.titles",
        "Titles of archives and feeds in this language, by their names.",
    ),
    (
        "content.NAME",
        "The posts of one folder. The content set `posts` also exists without its table, if its folder does and no other set has it.",
    ),
    (
        "content.NAME.fields",
        "What this blog calls things: for a name of Tabulae's the front matter keys that give it; the first present wins.",
    ),
    (
        "content.NAME.related",
        "Related posts of this content set, in place of those of [related], whose keys it inherits. Weights are the same for the whole blog.",
    ),
    ("queries", "Named queries, for `from` in any other query."),
    (
        "archive.NAME",
        "A query published as pages. `journal`, `tags`, `categories` and `years` are built in; a table of their name changes the keys that it names.",
    ),
    (
        "feed.NAME",
        "A query published as a feed. `atom`, of the newest posts, is built in; a table of its name changes the keys that it names.",
    ),
    (
        "export.NAME",
        "A query published as data for other programs.",
    ),
    (
        "related",
        "The list of related posts under each post. Posts have no such list without this table.",
    ),
    (
        "related.weigh",
        "How much each field counts for likeness; one that is left out does not.",
    ),
    ("code", "Code blocks of Markdown."),
    ("terms.FIELD", "A field whose values are terms."),
    ("audit", "The levels of warnings, for every command."),
    (
        "words",
        "The theme's own words in the site's language; those of another language of the blog are in a table by its tag, such as `[words.de]`.",
    ),
];

macro_rules! keys {
    ($($table:literal { $($name:ident $holds:expr, $default:expr, $about:literal;)* })*) => {
        /// Every key, table by table; `[words]` has those of [`super::WORDS`].
        pub const KEYS: &[Key] = &[$($(Key {
            table: $table,
            name: stringify!($name),
            holds: $holds,
            default: $default,
            about: $about,
        },)*)*];
    };
}

use Holds::{
    Address, Codes, Count, Flag, FlagOr, Link, LinkOrFalse, Menu, Pattern, Query, Show, Table,
    TableOrFalse, Text, TextOrFalse, Texts, Weight, Word, Words,
};

const NOTHING: Option<&str> = Some("");

keys! {
    "site" {
        title Text, None, "The site's title.";
        address Address, None, "The address of the site, with scheme and host; it may have a path.";
        language Text, Some("\"en\""), "The language's tag (BCP 47): it decides order, stemming and dates in words.";
        timezone Text, Some("\"UTC\""), "The time zone (IANA) of dates without an offset, and of years, months and days.";
        description Text, NOTHING, "One sentence on the site.";
        author Table, NOTHING, "Who answers for the site: `name`, `email`, `link`.";
        image Text, NOTHING, "The image of posts that have none, and of the feeds.";
        rights Text, NOTHING, "Who may do what with the texts, in feeds.";
        source_limit Count, Some("32"), "The maximum size of a post, a page, a template or a term note, in megabytes.";
        follow_links Flag, Some("false"), "Whether symbolic links below the site's folders may lead out of the site's folder.";
        hub Address, NOTHING, "The hub that tells subscribers of feeds of changes (WebSub).";
        styles Texts, NOTHING, "Style sheets of every page, after the theme's: from the site's root, such as \"/extra.css\" for assets/extra.css, or absolute.";
        scripts Texts, NOTHING, "Scripts of every page, with `defer`: from the site's root, or absolute.";
        menu Menu, Some("all archives, their overviews, and pages"), "The entries of the navigation, in order: names of archives, addresses of pages, and links as `{ title = \"Shop\", link = \"https://shop.example/\" }`.";
        search FlagOr(&["full"]), Some("false"), "Whether there is a search page at `/search/`; \"full\" finds the words of whole texts too, with facets.";
        defaults Flag, Some("true"), "Whether the built-in archives, feed and content set exist beside those that are named.";
        date_format Text, Some("\"long\""), "The theme's dates: \"long\", \"medium\", \"short\" (by language), or a strftime pattern.";
    }
    "site.author" {
        name Text, NOTHING, "The name.";
        email Text, NOTHING, "The e-mail address.";
        link Text, NOTHING, "A page about them, absolute or from the site's root.";
    }
    "locale.TAG" {
        title Text, Some("the site's"), "The site's title in this language.";
        description Text, Some("the site's"), "One sentence on the site in this language.";
        prefix Link, Some("\"/TAG/\""), "The folder that holds all pages of this language.";
        date_format Text, Some("the site's"), "The theme's dates in this language, as in [site].";
        titles Table, NOTHING, "Titles of archives and feeds in this language.";
        empty_text Text, Some("that of [related]"), "What an empty list of related posts says in this language.";
        fill_title Text, Some("that of [related]"), "The heading of a list of related posts that is all `fill` in this language.";
    }
    "locale.TAG.titles" {
        NAME Text, Some("the archive's or feed's"), "The title of the archive or feed of this name; `{term}` in it is the term.";
    }
    "content.NAME" {
        folder Text, Some("the set's name"), "The folder of the posts, below the site's.";
        files Texts, Some("[\"*.md\", \"*.markdown\", \"*.html\"]"), "Globs of the files that are posts. One without a slash is of files in any folder below the set's. Files in YAML, TOML and JSON are front matter alone.";
        exclude Texts, NOTHING, "Globs of files that are no posts, and that no post publishes beside it, such as \"**/README.md\".";
        date_formats Texts, NOTHING, "Further forms of dates (strptime), such as \"%d.%m.%Y\", tried in order after the known ones.";
        link Pattern, Some("\"/{year}/{slug}/\", or \"/NAME/{slug}/\" where undated"), "The addresses of the posts.";
        dated Flag, Some("true"), "Whether each post needs a date; posts without one are ordered by title.";
        pages Flag, Some("true"), "Whether the posts have pages; false if another program makes them.";
        draft Flag, Some("false"), "Whether every post is a draft, whatever it says of itself.";
        template Text, Some("\"post.html\""), "The template of the posts' pages.";
        related TableOrFalse, Some("those of [related]"), "The list of related posts under its posts; `false` for none.";
        language Text, Some("the site's"), "The language of posts that do not say it themselves: the tag of one of the blog's languages.";
        feed_id Text, NOTHING, "A pattern (RFC 6570, level 1) of the ids of its posts in feeds, such as \"https://old.example/?p={info.number}\", for posts that have the fields it names.";
        terms Texts, NOTHING, "Further fields whose values are terms.";
        fields Table, NOTHING, "What this blog calls things.";
    }
    "content.NAME.fields" {
        NAME Texts, NOTHING, "The entries that give the field, the first present first: of a field of Tabulae's, or of any other name. Of `draft` they are rules, any of which excludes a post: `hidden` (true), `not published` (false), `status in (idea, review)` (one of these words).";
    }
    "content.NAME.related" {
        query Query, Some("that of [related]"), "Which posts, in which order; its limit is that of the whole list.";
        fill Query, Some("that of [related]"), "What tops the list up.";
        empty_text Text, Some("that of [related]"), "What an empty list says.";
        fill_title Text, Some("that of [related]"), "The heading of a list that is all `fill`.";
        feeds Flag, Some("that of [related]"), "Whether the list also ends each full feed entry.";
        show Show, Some("that of [related]"), "The form of the list, as in [related].";
    }
    "queries" {
        NAME Query, NOTHING, "A query.";
    }
    "archive.NAME" {
        enabled Flag, Some("true"), "False for a built-in archive that the site does not have.";
        query Query, Some("all posts; of a built-in archive those of the dated content sets"), "Which posts.";
        by Text, NOTHING, "What splits the posts into one set of pages for each value: a term field, any field with few values, \"year\", \"month\", \"day\".";
        link Pattern, Some("\"/NAME/\", split by a field \"/NAME/{FIELD}/\""), "The address of page 1.";
        overview LinkOrFalse, NOTHING, "The address of the page that lists the terms; without it, or with `false`, the archive has no such page.";
        overview_order Word(ORDER_NAMES), Some("by name; date parts newest first"), "The overview's order.";
        per_page Count, Some("all on one page"), "How many posts a page has.";
        feeds Words(FORMAT_NAMES), NOTHING, "The formats of its feeds: `atom.xml`, `rss.xml`, `feed.json` below the link.";
        feed_limit Count, Some("20"), "The maximum number of entries of a feed.";
        feed_content Word(CONTENT_NAMES), Some("\"summary\""), "The part of a post that feeds have.";
        feed_history Flag, Some("false"), "Whether older entries are on further pages of the feed (RFC 5005).";
        at_least Count, Some("1"), "How many posts a term needs to have a page.";
        group TextOrFalse, NOTHING, "The headings within a page: \"year\", \"month\", or a field; `false` for none.";
        show Show, Some("\"cards\""), "Cards have title, date, summary and image; lines date and title. The name of a part, such as \"parts/tile.html\", is another form.";
        title Text, Some("made from the name, or the term"), "The title; `{term}` in it is the term, `{count}` the number of posts, `{posts}` that number with the word for posts.";
        locales Texts, Some("all"), "The languages in which it exists, by their tags.";
        template Text, Some("\"archive.html\""), "The template of its pages.";
        menu Flag, Some("true"), "Whether the navigation has it, if `[site] menu` does not say what it has.";
        moved_from Texts, NOTHING, "Earlier addresses, with variables as in its link, each of which leads to the list; without a variable to the overview of a split archive. Its feeds stay below them.";
    }
    "feed.NAME" {
        enabled Flag, Some("true"), "False for the built-in feed `atom` if the site does not have it.";
        query Query, Some("all posts of the dated content sets"), "Which posts; without a limit 20.";
        link Link, Some("\"/NAME.xml\", \"/NAME.json\""), "The address.";
        format Word(FORMAT_NAMES), Some("\"atom\""), "Atom (RFC 4287), RSS 2.0 or JSON Feed 1.1.";
        content Word(CONTENT_NAMES), Some("\"summary\""), "The part of a post that it has.";
        title Text, Some("the site's and the name"), "The title.";
        locales Texts, Some("all"), "The languages in which it exists, by their tags.";
        description Text, Some("the site's"), "One sentence on it.";
        page Link, Some("\"/\", announced on every page"), "The page that it belongs to, which announces it.";
        history Flag, Some("false"), "Whether older entries are on further pages (RFC 5005).";
        moved_from Texts, NOTHING, "Earlier addresses, at which the feed stays as well.";
        ttl Count, NOTHING, "How many minutes a reader may keep it (RSS only).";
    }
    "export.NAME" {
        query Query, Some("all posts of the dated content sets"), "Which posts, of all languages.";
        link Link, Some("\"/NAME.json\""), "The address; with another format it ends with its name.";
        fields Texts, Some("title, link, date, summary and the term fields"), "The fields of queries, term fields, `state`, `content`, `related`, and any front matter.";
        format Word(EXPORT_NAMES), Some("by the ending of the link"), "A JSON list, JSON objects a line, or comma-separated values (RFC 4180).";
    }
    "related" {
        query Query, Some("\"from posts where likeness > 0 order by likeness desc limit 4\""), "Which posts, in which order; its limit is that of the whole list.";
        fill Query, NOTHING, "What tops the list up; without it a short list stays short.";
        weigh Table, Some("{ tag = 3, category = 2, title = 1, body = 1 }"), "How much each field counts.";
        require Texts, NOTHING, "Fields in each of which something must be shared.";
        empty_text Text, NOTHING, "What an empty list says; without it nothing is shown.";
        fill_title Text, Some("`related` of [words]"), "The heading of a list that is all `fill`, as nothing is like the post.";
        feeds Flag, Some("false"), "Whether the list also ends each full feed entry.";
        show Show, Some("\"lines\""), "Cards have title, date, summary and image; lines date, title and image; both say what is shared. The name of a part, such as \"parts/tile.html\", is another form.";
    }
    "related.weigh" {
        NAME Weight, Some("0"), "The weight of a term field, of `title` or of `body`.";
    }
    "code" {
        highlight Flag, Some("true"), "Whether code is highlighted by its language, as classes; the theme's style colours them.";
    }
    "terms.FIELD" {
        nested Flag, Some("false"), "Whether `Waterway/Locks` also counts under `Waterway`.";
    }
    "audit" {
        deny Codes, NOTHING, "Warnings of these codes are errors in every command, so that the exit code is 1 and `build` writes nothing; \"all\" for every code.";
        allow Codes, NOTHING, "Warnings of these codes are left out in every command.";
    }
}
