//! The theme's own words, which a site can say in another language.

use indexmap::IndexMap;

use super::reader::Table;
use crate::diagnostic::{Code, Diagnostic, Diagnostics};
use crate::value::Value;

/// The words of the theme: name, English text, and use.
pub const WORDS: &[(&str, &str, &str)] = &[
    (
        "all_feeds",
        "Feeds",
        "title of the page of all feeds, and before their list at the foot",
    ),
    ("authors", "Authors", "title of the overview of authors"),
    (
        "below",
        "Parts",
        "name of the terms below one, for screen readers",
    ),
    ("by", "by", "before the names of authors"),
    (
        "categories",
        "Categories",
        "title of the overview of categories",
    ),
    ("count", "Posts", "heading of the column of counts"),
    ("draft", "Draft", "mark of a draft that was let in"),
    ("empty", "Nothing here yet.", "what an empty list says"),
    (
        "expired",
        "Expired",
        "mark of an expired post that was let in",
    ),
    (
        "failed",
        "The list cannot be loaded.",
        "what filter and search say without a connection",
    ),
    (
        "feed_opened",
        "This is a feed, for a reader program: give it the address of this page to be told of new posts.",
        "above a feed that is opened in a browser",
    ),
    (
        "feeds_about",
        "A feed tells a reader program of new posts. Give it one of these addresses.",
        "on the page of all feeds",
    ),
    ("filter", "Filter by title", "label of the filter of a list"),
    (
        "menu",
        "Lists",
        "name of the navigation, for screen readers",
    ),
    (
        "moved",
        "This page has moved to",
        "on a page that leads elsewhere",
    ),
    ("newer", "Newer", "link to the page with newer posts"),
    (
        "none",
        "Nothing found.",
        "what filter and search say of words that nothing has",
    ),
    ("of", "of", "between the items shown and all of them"),
    ("older", "Older", "link to the page with older posts"),
    ("page", "Page", "before the number of a page"),
    (
        "pages",
        "Pages",
        "name of the links between pages, for screen readers",
    ),
    ("post", "post", "one post"),
    ("posts", "posts", "several posts"),
    (
        "related",
        "Read next",
        "heading of the list of related posts",
    ),
    (
        "scheduled",
        "Scheduled",
        "mark of a scheduled post that was let in",
    ),
    ("search", "Search", "title and label of the search page"),
    (
        "search_hint",
        "Titles, summaries, terms and authors are searched.",
        "below the field of the search page",
    ),
    (
        "search_off",
        "Searching needs a script. These lists do not:",
        "on the search page, where scripts are off",
    ),
    (
        "shares",
        "shares",
        "before the terms that a related post shares with this one",
    ),
    (
        "skip",
        "Skip to the text",
        "link for keyboards, to pass the navigation",
    ),
    ("tags", "Tags", "title of the overview of tags"),
    (
        "terms",
        "Terms",
        "name of a post's terms, for screen readers",
    ),
    ("undated", "Undated", "heading above posts without a date"),
    ("updated", "updated", "before the date of a change"),
];

/// The words in force, by name.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Words(pub IndexMap<String, String>);

impl Default for Words {
    fn default() -> Self {
        Self(
            WORDS
                .iter()
                .map(|(name, word, _)| ((*name).to_owned(), (*word).to_owned()))
                .collect(),
        )
    }
}

impl Words {
    /// Returns the word of a name; the name itself if there is no word.
    #[must_use]
    pub fn get<'a>(&'a self, name: &'a str) -> &'a str {
        self.0.get(name).map_or(name, String::as_str)
    }
}

pub(super) fn read(root: &mut Table<'_>, diagnostics: &mut Diagnostics) -> Words {
    let mut words = Words::default();
    let Some(table) = root.table("words", diagnostics) else {
        return words;
    };
    for entry in table.all() {
        let key = entry.key.node.as_str();
        if !words.0.contains_key(key) {
            diagnostics.push(
                Diagnostic::error(
                    Code::UnknownKey,
                    table.source().location(entry.key.span),
                    format!("the theme has no word `{key}`"),
                )
                .suggest(key, WORDS.iter().map(|(name, ..)| *name)),
            );
            continue;
        }
        match &entry.value.node {
            Value::Text(text) => {
                words.0.insert(key.to_owned(), text.clone());
            }
            other => diagnostics.push(
                Diagnostic::error(
                    Code::InvalidType,
                    table.source().location(entry.value.span),
                    format!("a word is text, and this is {}", other.kind().article()),
                )
                .help("put it in quotes"),
            ),
        }
    }
    words
}
