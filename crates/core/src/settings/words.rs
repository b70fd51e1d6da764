//! The theme's own words: those of the site's language, and what the site says instead.

use indexmap::IndexMap;

use super::locales::{Locale, Locales};
use super::reader::Table;
use super::theme_words::{TRANSLATIONS, Translated};
use crate::diagnostic::{Code, Diagnostic, Diagnostics};
use crate::id::LocaleId;
use crate::language::{Plural, check_tag};
use crate::source::{Location, Source};
use crate::value::{Entry, Value};

/// The words of the theme: name, English text, and use.
pub const WORDS: &[(&str, &str, &str)] = &[
    ("alert_caution", "Caution", "title of an alert `[!CAUTION]`"),
    (
        "alert_important",
        "Important",
        "title of an alert `[!IMPORTANT]`",
    ),
    ("alert_note", "Note", "title of an alert `[!NOTE]`"),
    ("alert_tip", "Tip", "title of an alert `[!TIP]`"),
    ("alert_warning", "Warning", "title of an alert `[!WARNING]`"),
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
    (
        "beside",
        "Posts before and after",
        "name of the links to the posts before and after one, for screen readers",
    ),
    ("by", "by", "before the names of authors"),
    (
        "categories",
        "Categories",
        "title of the overview of categories",
    ),
    ("comma", ", ", "between the links of a list"),
    ("count", "Posts", "heading of the column of counts"),
    ("draft", "Draft", "mark of a draft that was let in"),
    ("empty", "Nothing here yet.", "what an empty list says"),
    (
        "expired",
        "Expired",
        "mark of an expired post that was let in",
    ),
    (
        "facets",
        "Narrow by",
        "name of the facets of the full-text search, for screen readers",
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
        "hits",
        "Posts found",
        "name of the hits of the full-text search, for screen readers",
    ),
    (
        "journal",
        "Journal",
        "title of the built-in list of all posts",
    ),
    (
        "languages",
        "Languages",
        "name of the switch between languages, for screen readers",
    ),
    (
        "menu",
        "Lists",
        "name of the navigation, for screen readers",
    ),
    (
        "more",
        "More",
        "button for more hits of the full-text search, and for more values of a facet",
    ),
    (
        "moved",
        "This page has moved to",
        "on a page that leads elsewhere",
    ),
    ("newer", "Newer", "link to the page with newer posts"),
    (
        "next",
        "Next",
        "link to the next page of a list that is not ordered by date",
    ),
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
        "posts_few",
        "",
        "a few posts, if the language has a form for it (CLDR plural rules); else as `posts`",
    ),
    ("posts_many", "", "many posts, likewise"),
    ("posts_two", "", "two posts, likewise"),
    ("posts_zero", "", "no posts, likewise"),
    (
        "previous",
        "Previous",
        "link to the page before, in a list that is not ordered by date",
    ),
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
        "search_full_hint",
        "Titles, summaries, terms, authors and whole texts are searched.",
        "below the field of the full-text search",
    ),
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
        "task_done",
        "done",
        "name of a task that is done, for screen readers",
    ),
    (
        "task_open",
        "to do",
        "name of a task that is not done, likewise",
    ),
    (
        "terms",
        "Terms",
        "name of a post's terms, for screen readers",
    ),
    ("undated", "Undated", "heading above posts without a date"),
    ("updated", "updated", "before the date of a change"),
    ("years", "Years", "title of the overview of years"),
];

/// The words in force, by name.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Words(pub IndexMap<String, String>);

impl Default for Words {
    fn default() -> Self {
        Self::of("en")
    }
}

impl Words {
    /// Returns the words of a language (BCP 47); the English ones if the theme is not in it.
    #[must_use]
    pub fn of(language: &str) -> Self {
        let words = translation(language).unwrap_or_default();
        let own = |name: &str| {
            let mut words = words.iter();
            words
                .find(|(known, _)| *known == name)
                .map(|(_, word)| *word)
        };
        let each = WORDS.iter();
        let each = each.map(|(name, word, _)| (*name, own(name).unwrap_or(word)));
        Self(
            each.map(|(name, word)| (name.to_owned(), word.to_owned()))
                .collect(),
        )
    }

    /// Returns a warning if some of these words are English, and the language is another one; see
    /// [`Words::of`]. `table` is where they can be written.
    fn untranslated(&self, language: &str, table: &str, location: Location) -> Option<Diagnostic> {
        if is_of_language(language, "en") || translation(language).is_some() {
            return None;
        }
        // Most languages have the same comma, and may lack forms of plurals.
        let is_word = |name: &str, word: &str| name != "comma" && !word.is_empty();
        let is_english =
            |(name, word, _): &&(&str, &str, _)| is_word(name, word) && self.get(name) == *word;
        let english: Vec<&str> = WORDS
            .iter()
            .filter(is_english)
            .map(|(name, ..)| *name)
            .collect();
        let (first, rest) = english.split_first()?;
        let message = match rest.len() {
            0 => format!("the theme's word `{first}` is in English, not in \"{language}\""),
            more => format!(
                "{} of the theme's words are in English, not in \"{language}\"",
                more + 1
            ),
        };
        let names: Vec<String> = english.iter().map(|name| format!("`{name}`")).collect();
        let help = format!("write below [{table}] what they are: {}", names.join(", "));
        Some(Diagnostic::warning(Code::UntranslatedWords, location, message).help(help))
    }

    /// Returns the word for a number of posts, by the plural category of the number.
    #[must_use]
    pub fn posts(&self, plural: Plural) -> &str {
        let name = match plural {
            Plural::One => "post",
            Plural::Zero => "posts_zero",
            Plural::Two => "posts_two",
            Plural::Few => "posts_few",
            Plural::Many => "posts_many",
            Plural::Other => "posts",
        };
        match self.get(name) {
            "" => self.get("posts"),
            word => word,
        }
    }

    /// Returns the word of a name; the name itself if there is no word.
    #[must_use]
    pub fn get<'a>(&'a self, name: &'a str) -> &'a str {
        self.0.get(name).map_or(name, String::as_str)
    }
}

/// Returns the theme's words in a language (BCP 47) other than English.
fn translation(language: &str) -> Option<Translated> {
    let mut translations = TRANSLATIONS.iter();
    let found = translations.find(|(code, _)| is_of_language(language, code));
    found.map(|(_, words)| *words)
}

/// Returns true if a tag (BCP 47) is of the language with a code.
fn is_of_language(tag: &str, code: &str) -> bool {
    let language = tag.split('-').next().unwrap_or_default();
    language.eq_ignore_ascii_case(code)
}

impl Locale {
    /// Returns a warning if some of the theme's words are in English, and this is another language. A tag that is
    /// none is an error by itself.
    pub(super) fn untranslated(&self, location: Location) -> Option<Diagnostic> {
        let of_locale = format!("words.{}", self.tag);
        let table = match self.prefix.is_empty() {
            true => "words",
            false => &of_locale,
        };
        check_tag(&self.tag).ok()?;
        self.words.untranslated(&self.tag, table, location)
    }
}

/// Reads `[words]`, which has the words of the site's language, and of each other one a table by its tag.
pub(super) fn read(root: &mut Table<'_>, locales: &mut Locales, diagnostics: &mut Diagnostics) {
    let Some(table) = root.table("words", diagnostics) else {
        return;
    };
    let source = table.source();
    for entry in table.all() {
        match &entry.value.node {
            Value::Map(words) => match locales.find(&entry.key.node) {
                Some(locale) => {
                    for entry in &words.entries {
                        take(entry, locales.words_mut(locale), source, diagnostics);
                    }
                }
                None => {
                    let location = source.location(entry.key.span);
                    diagnostics.push(locales.undeclared(&entry.key.node, location));
                }
            },
            _ => take(
                entry,
                locales.words_mut(LocaleId::SITE),
                source,
                diagnostics,
            ),
        }
    }
}

fn take(entry: &Entry, words: &mut Words, source: &Source, diagnostics: &mut Diagnostics) {
    let key = entry.key.node.as_str();
    if !words.0.contains_key(key) {
        let location = source.location(entry.key.span);
        let message = format!("the theme has no word `{key}`");
        diagnostics.push(
            Diagnostic::error(Code::UnknownKey, location, message)
                .suggest(key, WORDS.iter().map(|(name, ..)| *name)),
        );
        return;
    }
    match &entry.value.node {
        Value::Text(text) => {
            words.0.insert(key.to_owned(), text.clone());
        }
        other => {
            let location = source.location(entry.value.span);
            let message = format!("a word is text, and this is {}", other.kind().article());
            diagnostics.push(
                Diagnostic::error(Code::InvalidType, location, message).help("put it in quotes"),
            );
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::language::Language;
    use rstest::rstest;

    /// The forms that a language need not have.
    const FORMS: [&str; 4] = ["posts_few", "posts_many", "posts_two", "posts_zero"];

    #[test]
    fn each_language_has_every_word_once() {
        for (code, words) in TRANSLATIONS {
            let mut names: Vec<&str> = words.iter().map(|(name, _)| *name).collect();
            names.sort_unstable();
            let known = WORDS.iter().map(|(name, ..)| *name);
            let known = known.filter(|name| !FORMS.contains(name) || names.contains(name));
            assert_eq!(names, known.collect::<Vec<_>>(), "{code}");
            assert!(words.iter().all(|(_, word)| !word.is_empty()), "{code}");
        }
    }

    #[rstest]
    #[case::english("en", "older", "Older")]
    #[case::german("de", "older", "Ältere")]
    #[case::of_a_country("de-AT", "older", "Ältere")]
    #[case::in_capitals("FR", "tags", "Étiquettes")]
    #[case::not_a_prefix("den", "older", "Older")]
    #[case::no_translation("fi", "older", "Older")]
    fn words_are_those_of_the_language(
        #[case] language: &str,
        #[case] name: &str,
        #[case] word: &str,
    ) {
        assert_eq!(Words::of(language).get(name), word);
    }

    #[rstest]
    #[case::english("en-GB", "", None)]
    #[case::translated("de", "", None)]
    #[case::none_at_all(
        "fi",
        "",
        Some("51 of the theme's words are in English, not in \"fi\"")
    )]
    #[case::some(
        "fi",
        "by",
        Some("50 of the theme's words are in English, not in \"fi\"")
    )]
    #[case::all_but_one(
        "fi",
        "ALL but by",
        Some("the theme's word `by` is in English, not in \"fi\"")
    )]
    #[case::all("fi", "ALL", None)]
    fn english_words_in_another_language_are_a_warning(
        #[case] language: &str,
        #[case] own: &str,
        #[case] expected: Option<&str>,
    ) {
        let mut words = Words::of(language);
        let all = own.starts_with("ALL");
        let but = own.strip_prefix("ALL but ");
        for (name, word) in &mut words.0 {
            if (all || name == own) && but != Some(name) {
                word.insert(0, '~');
            }
        }
        let found = words.untranslated(language, "words", Location::top_of("tabulae.toml"));
        assert_eq!(found.map(|found| found.message).as_deref(), expected);
    }

    /// The plural rules of CLDR: Arabic has six forms, French counts 0 as one.
    #[rstest]
    #[case::english("en", &[(0, "posts"), (1, "post"), (2, "posts"), (11, "posts")])]
    #[case::french("fr", &[(0, "billet"), (1, "billet"), (2, "billets")])]
    #[case::arabic("ar", &[(1, "تدوينة"), (2, "تدوينتان"), (3, "تدوينات"), (10, "تدوينات"), (11, "تدوينة"), (100, "تدوينة")])]
    // A language with a form for few posts, of which the theme has no words.
    #[case::polish("pl", &[(1, "post"), (3, "posts"), (5, "posts")])]
    fn a_number_of_posts_has_the_words_form(
        #[case] language: &str,
        #[case] expected: &[(usize, &str)],
    ) {
        let words = Words::of(language);
        let language = Language::new(language).unwrap();
        for (count, word) in expected {
            assert_eq!(words.posts(language.plural(*count)), *word, "{count}");
        }
    }
}
