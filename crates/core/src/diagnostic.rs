//! A writer's mistake as data: code, place, sentence, and what to do about it.

use std::collections::{BTreeMap, BTreeSet};
use std::fmt;

use indexmap::IndexSet;
use serde::{Deserialize, Serialize};

use crate::edit::Edit;
use crate::source::Location;

/// The severity of a diagnostic.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Serialize, Deserialize)]
pub enum Severity {
    /// Nothing is written as long as there is one.
    Error,
    /// Worth a look; the build goes on.
    Warning,
}

/// One mistake, with its location and the way out.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
pub struct Diagnostic {
    /// Error or warning.
    pub severity: Severity,
    /// The kind of mistake.
    pub code: Code,
    /// The place.
    pub location: Location,
    /// One sentence on what is wrong.
    pub message: String,
    /// One sentence on what to do.
    pub help: Option<String>,
    /// A second place that takes part, with a word on it.
    pub other: Option<(Location, String)>,
    /// The edits that correct the mistake; none if a person has to decide.
    pub edits: Vec<Edit>,
}

/// The help of a diagnostic: a sentence, and the text to write if there is one.
#[derive(Debug, Clone)]
pub struct Help {
    text: String,
    /// The text to write in place of what the diagnostic marks.
    instead: Option<Instead>,
}

/// A text to write in place of another.
#[derive(Debug, Clone)]
enum Instead {
    /// In place of all that is marked.
    OfAll(String),
    /// In place of a word in it: the word, and the text.
    OfWord(String, String),
}

impl Help {
    /// Returns the help that asks for the name nearest to what is marked.
    #[must_use]
    pub fn did_you_mean(name: &str) -> Self {
        Self::instead(format!("did you mean `{name}`?"), name)
    }

    /// Returns the help to write a text in place of what is marked.
    #[must_use]
    pub fn write(new: &str) -> Self {
        Self::instead(format!("write `{new}`"), new)
    }

    /// Returns a help by which `new` is written in place of what is marked.
    #[must_use]
    pub fn instead(text: impl Into<String>, new: impl Into<String>) -> Self {
        Self {
            text: text.into(),
            instead: Some(Instead::OfAll(new.into())),
        }
    }

    /// Returns a help by which `new` is written in place of a word of what is marked.
    #[must_use]
    pub fn of_word(text: impl Into<String>, written: &str, new: &str) -> Self {
        Self {
            text: text.into(),
            instead: Some(Instead::OfWord(written.to_owned(), new.to_owned())),
        }
    }
}

impl From<String> for Help {
    fn from(text: String) -> Self {
        Self {
            text,
            instead: None,
        }
    }
}

impl From<&str> for Help {
    fn from(text: &str) -> Self {
        text.to_owned().into()
    }
}

/// An output with all diagnostics of making it.
#[derive(Debug, Clone)]
pub struct Collected<T> {
    /// The output, as far as it could be made.
    pub output: T,
    /// In the order found.
    pub diagnostics: Vec<Diagnostic>,
}

/// The diagnostics of a stage.
pub type Diagnostics = Vec<Diagnostic>;

/// Returns the diagnostics of `found` that are not in `known`, in their order. Takes time in proportion to both, times the
/// logarithm of `known`, unless many are of one line.
#[must_use]
pub fn without(mut found: Diagnostics, known: &[Diagnostic]) -> Diagnostics {
    fn place(of: &Diagnostic) -> (Code, Option<&str>, usize) {
        (of.code, of.location.file.as_deref(), of.location.line)
    }
    let mut by_place: BTreeMap<_, Vec<&Diagnostic>> = BTreeMap::new();
    for known in known {
        by_place.entry(place(known)).or_default().push(known);
    }
    found.retain(|new| {
        let same = by_place.get(&place(new));
        same.is_none_or(|same| !same.contains(&new))
    });
    found
}

macro_rules! codes {
    ($($variant:ident = $name:literal : $about:literal,)*) => {
        /// Every kind of mistake that Tabulae names.
        #[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord)]
        pub enum Code { $(#[doc = $about] $variant,)* }

        impl Code {
            /// All codes, in the order of this table.
            pub const ALL: &'static [Code] = &[$(Code::$variant,)*];

            /// The code as it is printed.
            #[must_use]
            pub fn name(self) -> &'static str {
                match self { $(Code::$variant => $name,)* }
            }

            /// Returns the meaning of the code, in one sentence.
            #[must_use]
            pub fn about(self) -> &'static str {
                match self { $(Code::$variant => $about,)* }
            }
        }
    };
}

codes! {
    AddressConflict = "address-conflict": "Two pages, feeds or files have the same address.",
    AddressLost = "address-lost": "An address of the last build is gone, and nothing redirects from it.",
    BrokenLink = "broken-link": "A link within the site leads nowhere.",
    BuildLocked = "build-locked": "Another build of the same site is running.",
    DroppedTemplateText = "dropped-template-text": "A template that extends another has text that no page shows.",
    DuplicateFeedId = "duplicate-feed-id": "Two posts have the same id in feeds.",
    DuplicateKey = "duplicate-key": "A key is given twice.",
    EmptyContent = "empty-content": "A content set has no posts.",
    EmptyFeed = "empty-feed": "A feed has no entries.",
    EmptyMonth = "empty-month": "A month has no posts, though the months around it have.",
    EmptyResult = "empty-result": "A query returns no posts.",
    EmptySlug = "empty-slug": "A name has no characters that a slug can hold.",
    ExportLost = "export-lost": "An export of the last build is gone.",
    FeedIdChanged = "feed-id-changed": "A feed entry has another id than in the last build, so readers show it again.",
    FeedLost = "feed-lost": "A feed of the last build is gone.",
    FieldTypeMismatch = "field-type-mismatch": "A field has another type than the query or setting needs.",
    FolderNotEmpty = "folder-not-empty": "A folder that should be new contains files.",
    ForeignFile = "foreign-file": "At the address of an output is a file that Tabulae did not write.",
    FrontMatterSyntax = "front-matter-syntax": "Front matter is not valid YAML, TOML or JSON.",
    GuessedFeedId = "guessed-feed-id": "A feed entry takes its first old address as its id; readers may know another.",
    ImplausibleDate = "implausible-date": "A date is probably a typing error.",
    InvalidAddress = "invalid-address": "An address is not absolute, or leads out of the site.",
    InvalidDate = "invalid-date": "A date has no known form, or does not exist.",
    InvalidLinkPattern = "invalid-link-pattern": "A link pattern cannot be used.",
    InvalidOutputFolder = "invalid-output-folder": "The output folder overlaps with the site's sources.",
    InvalidPath = "invalid-path": "An output's path leads out of the output folder, or cannot exist.",
    InvalidPlaceholder = "invalid-placeholder": "A placeholder comment is invalid, or is not closed.",
    InvalidQuery = "invalid-query": "A query uses something that is not available where the query runs.",
    InvalidSlug = "invalid-slug": "A slug has a character that is not allowed.",
    InvalidType = "invalid-type": "A value has the wrong type.",
    InvalidUsage = "invalid-usage": "The command line is wrong.",
    InvalidUtf8 = "invalid-utf8": "A file is not UTF-8 text.",
    InvalidValue = "invalid-value": "A value is not allowed here.",
    MissingContent = "missing-content": "The folder of a content set does not exist.",
    MissingDate = "missing-date": "A post has no date.",
    MissingImage = "missing-image": "The image that a post names does not exist.",
    MissingKey = "missing-key": "A required key is missing.",
    MissingSettings = "missing-settings": "There is no `tabulae.toml`.",
    MissingSummary = "missing-summary": "A post has no summary of its own.",
    NameConflict = "name-conflict": "One name is given to two things.",
    NearDuplicateTerms = "near-duplicate-terms": "Two terms are probably one.",
    OrphanedPost = "orphaned-post": "A post is in no archive.",
    PathCaseConflict = "path-case-conflict": "Two outputs have paths that differ only in case.",
    PathNotPortable = "path-not-portable": "Some file systems cannot hold the path of an output.",
    PostPublished = "post-published": "A post is public that was not public in the last build.",
    PostWithdrawn = "post-withdrawn": "A post of the last build is no longer public.",
    QueryCycle = "query-cycle": "A named query uses itself.",
    QuerySyntax = "query-syntax": "A query has a syntax error.",
    SettingsSyntax = "settings-syntax": "`tabulae.toml` is not valid TOML.",
    SinglePostTerm = "single-post-term": "Only one post has a term.",
    StrayFile = "stray-file": "Tabulae did not write a file of the output folder.",
    SuspiciousTerm = "suspicious-term": "A term looks like several terms in one, or starts with `#`.",
    TemplateError = "template-error": "A template uses something that does not exist.",
    TemplateLimit = "template-limit": "A template does more work for one page than it may.",
    TemplateSyntax = "template-syntax": "A template has a syntax error.",
    TranslationConflict = "translation-conflict": "Two posts of one language are the same translation.",
    UnclosedFrontMatter = "unclosed-front-matter": "Front matter has no closing line.",
    UndatedPosts = "undated-posts": "A list by date or a feed leaves out posts without a date.",
    UnknownField = "unknown-field": "No post has this field.",
    UnknownKey = "unknown-key": "A key is not known.",
    UnknownLanguage = "unknown-language": "The blog does not have a language.",
    UnknownRelatedPost = "unknown-related-post": "A post names a related post that does not exist.",
    UnknownSource = "unknown-source": "A query names a content set or query that does not exist.",
    UnpublishedTranslation = "unpublished-translation": "A translation is a draft, so that no page leads to it.",
    UnreadableFile = "unreadable-file": "A file or folder cannot be read.",
    UnrenderedTemplate = "unrendered-template": "Template syntax in a text is published as it is written.",
    UntranslatedWords = "untranslated-words": "Words of the theme are not in the language of their pages.",
    UnusedTemplate = "unused-template": "No page or template uses a template.",
    UnusedTerm = "unused-term": "No post has this term.",
    UnwritableFile = "unwritable-file": "A file or folder cannot be written.",
    UpdatedEarly = "updated-early": "A post has an `updated` before its `date`.",
    WeakRelatedPosts = "weak-related-posts": "More than half of a post's related posts only fill up the list.",
}

// By name: what a derive makes of a table of this length takes 1,700 lines of intermediate code.
impl Serialize for Code {
    fn serialize<S: serde::Serializer>(&self, serializer: S) -> Result<S::Ok, S::Error> {
        serializer.serialize_str(self.name())
    }
}

impl<'de> Deserialize<'de> for Code {
    fn deserialize<D: serde::Deserializer<'de>>(deserializer: D) -> Result<Self, D::Error> {
        let name = <&str>::deserialize(deserializer)?;
        let code = Code::ALL.iter().find(|code| code.name() == name);
        code.copied()
            .ok_or_else(|| serde::de::Error::custom(format!("unknown code `{name}`")))
    }
}

impl Diagnostic {
    /// An error at `location`.
    pub fn error(code: Code, location: Location, message: impl Into<String>) -> Self {
        Self {
            severity: Severity::Error,
            code,
            location,
            message: message.into(),
            help: None,
            other: None,
            edits: Vec::new(),
        }
    }

    /// A warning at `location`.
    pub fn warning(code: Code, location: Location, message: impl Into<String>) -> Self {
        Self {
            severity: Severity::Warning,
            ..Self::error(code, location, message)
        }
    }

    /// Adds the help: what to do about it, with the edit if it says what to write.
    #[must_use]
    pub fn help(mut self, help: impl Into<Help>) -> Self {
        let Help { text, instead } = help.into();
        let edit = instead.and_then(|instead| match instead {
            Instead::OfAll(new) => Edit::replacing(&self.location, &new),
            Instead::OfWord(word, new) => Edit::replacing_word(&self.location, &word, &new),
        });
        self.edits.extend(edit);
        self.help = Some(text);
        self
    }

    /// Adds an edit that corrects the mistake.
    #[must_use]
    pub fn edit(mut self, edit: impl IntoIterator<Item = Edit>) -> Self {
        self.edits.extend(edit);
        self
    }

    /// Adds the second place that takes part.
    #[must_use]
    pub fn beside(mut self, location: Location, word: impl Into<String>) -> Self {
        self.other = Some((location, word.into()));
        self
    }

    /// Adds the known name nearest to `written` as help, or else all known names.
    #[must_use]
    pub fn suggest<'a>(self, written: &str, known: impl IntoIterator<Item = &'a str>) -> Self {
        if self.help.is_some() {
            return self;
        }
        self.suggest_of(written, &known.into_iter().collect::<Vec<_>>())
    }

    fn suggest_of(self, written: &str, known: &[&str]) -> Self {
        match nearest_of(written, known) {
            Some(name) => {
                let help = format!("did you mean `{name}`?");
                self.help(Help::of_word(help, written, name))
            }
            None if known.is_empty() => self,
            None => {
                let shown: Vec<String> = known.iter().take(30).map(|k| format!("`{k}`")).collect();
                self.help(format!("known here: {}", shown.join(", ")))
            }
        }
    }

    /// Returns true if it keeps a build from being written.
    #[must_use]
    pub fn is_error(&self) -> bool {
        self.severity == Severity::Error
    }
}

/// `posts/a.md:3:7: error: sentence [code]`, and the help on a line of its own.
impl fmt::Display for Diagnostic {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        let Location { line, column, .. } = self.location;
        match &self.location.file {
            Some(file) => write!(f, "{file}:{line}:{column}: ")?,
            None => write!(f, "command line:{column}: ")?,
        }
        let severity = if self.is_error() { "error" } else { "warning" };
        write!(f, "{severity}: {} [{}]", self.message, self.code.name())?;
        match &self.help {
            Some(help) => write!(f, "\n  help: {help}"),
            None => Ok(()),
        }
    }
}

impl std::error::Error for Diagnostic {}

impl<T> Collected<T> {
    /// An output without mistakes.
    pub fn clean(output: T) -> Self {
        Self {
            output,
            diagnostics: Vec::new(),
        }
    }

    /// The output, with its mistakes moved to `diagnostics`.
    pub fn into_output(self, diagnostics: &mut Diagnostics) -> T {
        diagnostics.extend(self.diagnostics);
        self.output
    }
}

/// Diagnostics as they are shown: file by file, as the files first come up, and each file from its top.
/// Those at one place stay in their order.
pub fn by_location(diagnostics: &[Diagnostic]) -> Vec<&Diagnostic> {
    let files: IndexSet<_> = diagnostics
        .iter()
        .map(|diagnostic| &diagnostic.location.file)
        .collect();
    let mut shown: Vec<&Diagnostic> = diagnostics.iter().collect();
    shown.sort_by_key(|diagnostic| {
        let Location {
            file, line, column, ..
        } = &diagnostic.location;
        (files.get_index_of(&file), *line, *column)
    });
    shown
}

/// The most diagnostics of one code and cause that are shown.
pub const SHOWN: usize = 10;

/// Returns the diagnostics to show, in the order of [`by_location`]: of one cause at most `most`. With the last of a cause
/// comes the number of those that are left out.
///
/// Two diagnostics have one cause if they have the same severity, code and sentence, without the names and numbers in it.
/// Those with different helps are shown first. Takes time in proportion to the text of all diagnostics.
#[must_use]
pub fn first_of_each(diagnostics: &[Diagnostic], most: usize) -> Vec<(&Diagnostic, usize)> {
    let sorted = by_location(diagnostics);
    let mut causes: BTreeMap<_, Vec<usize>> = BTreeMap::new();
    for (at, diagnostic) in sorted.iter().enumerate() {
        let cause = (
            diagnostic.severity,
            diagnostic.code,
            form(&diagnostic.message),
        );
        causes.entry(cause).or_default().push(at);
    }
    let mut shown: Vec<(usize, usize)> = Vec::new();
    for found in causes.into_values() {
        let left_out = found.len().saturating_sub(most);
        let mut kept = match left_out {
            0 => found,
            _ => varied(&sorted, &found, most),
        };
        kept.sort_unstable();
        let last = kept.last().copied();
        shown.extend(kept.iter().map(|at| match Some(*at) == last {
            true => (*at, left_out),
            false => (*at, 0),
        }));
    }
    shown.sort_unstable();
    let shown = shown.into_iter();
    shown.map(|(at, more)| (sorted[at], more)).collect()
}

/// Returns `most` of the numbers in `found`: first one of each help, then in order.
fn varied(sorted: &[&Diagnostic], found: &[usize], most: usize) -> Vec<usize> {
    let mut helps = BTreeSet::new();
    let (first, others): (Vec<usize>, Vec<usize>) = found
        .iter()
        .partition(|at| helps.insert(sorted[**at].help.as_deref()));
    first.into_iter().chain(others).take(most).collect()
}

/// Returns a sentence without what is in quotes and without numbers.
fn form(message: &str) -> String {
    let mut text = String::with_capacity(message.len());
    let mut quote = None;
    for c in message.chars() {
        match quote {
            Some(end) if c == end => quote = None,
            Some(_) => {}
            None if c == '`' || c == '"' => quote = Some(c),
            None if c.is_ascii_digit() => {}
            None => text.push(c),
        }
    }
    text
}

/// The name in `known` that `written` most likely meant: at most a third of its letters away
/// (Damerau–Levenshtein), without regard to case. Of equals the first.
pub fn nearest<'a>(written: &str, known: impl IntoIterator<Item = &'a str>) -> Option<&'a str> {
    nearest_of(written, &known.into_iter().collect::<Vec<_>>())
}

/// [`nearest`], compiled once for all callers.
fn nearest_of<'a>(written: &str, known: &[&'a str]) -> Option<&'a str> {
    let mut search = NearestName::new(written);
    for name in known {
        let lower = name.to_lowercase();
        let letters = Letters::of(&lower);
        search.compare(name, &lower, &letters);
    }
    search.nearest.map(|(_, name)| name)
}

/// Names of which the [`nearest`] is looked up many times. Takes the same time for each as comparing the numbers of letters.
#[derive(Debug)]
pub struct KnownNames<'a>(Vec<(&'a str, Box<str>, Letters)>);

impl<'a> KnownNames<'a> {
    /// Prepares the names.
    pub fn new(known: impl IntoIterator<Item = &'a str>) -> Self {
        let known = known.into_iter().map(|name| {
            let lower = name.to_lowercase();
            let letters = Letters::of(&lower);
            (name, lower.into(), letters)
        });
        Self(known.collect())
    }

    /// Returns the [`nearest`] name but one.
    #[must_use]
    pub fn nearest_but(&self, written: &str, other: &str) -> Option<&'a str> {
        let mut search = NearestName::new(written);
        for (name, lower, letters) in &self.0 {
            if *name != other {
                search.compare(name, lower, letters);
            }
        }
        search.nearest.map(|(_, name)| name)
    }
}

/// A search for the nearest name. A name is compared letter by letter only if its letters, whatever their order, could make
/// it nearer than the nearest so far.
struct NearestName<'a> {
    wanted: String,
    letters: Letters,
    reach: usize,
    nearest: Option<(usize, &'a str)>,
}

impl<'a> NearestName<'a> {
    fn new(written: &str) -> Self {
        let wanted = written.to_lowercase();
        Self {
            letters: Letters::of(&wanted),
            reach: (wanted.chars().count() / 3).max(1),
            wanted,
            nearest: None,
        }
    }

    fn compare(&mut self, name: &'a str, lower: &str, letters: &Letters) {
        let wanted = self.wanted.as_str();
        let is_prefix = wanted.len() >= 3
            && (lower.starts_with(wanted) || wanted.starts_with(lower) && lower.len() >= 3);
        let limit = self
            .nearest
            .map_or(self.reach + 1, |(distance, _)| distance);
        if !is_prefix && self.letters.least_distance(letters) >= limit {
            return;
        }
        let mut distance = strsim::damerau_levenshtein(wanted, lower);
        if is_prefix {
            distance = distance.min(self.reach);
        }
        if distance < limit {
            self.nearest = Some((distance, name));
        }
    }
}

/// The letters of a text with their numbers, up to 255, some letters taken together. Bytes let the compiler use vector
/// instructions.
#[derive(Debug, Clone, Copy)]
struct Letters([u8; 64]);

impl Letters {
    fn of(text: &str) -> Self {
        let mut counts = [0; 64];
        for letter in text.chars() {
            let count: &mut u8 = &mut counts[letter as usize % 64];
            *count = count.saturating_add(1);
        }
        Self(counts)
    }

    /// Returns a lower bound of the Damerau–Levenshtein distance to another text (bag distance).
    fn least_distance(&self, other: &Self) -> usize {
        let more_than = |a: &Self, b: &Self| {
            let pairs = a.0.iter().zip(&b.0);
            let more = pairs.map(|(a, b)| u32::from(a.saturating_sub(*b)));
            more.sum::<u32>() as usize
        };
        more_than(self, other).max(more_than(other, self))
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;
    use rstest::rstest;

    proptest! {
        /// Equals a comparison of each with each.
        #[test]
        fn known_diagnostics_are_left_out(
            found in proptest::collection::vec((0..3_usize, 0..3_usize), 0..8),
            known in proptest::collection::vec((0..3_usize, 0..3_usize), 0..8),
        ) {
            let of = |all: &[(usize, usize)]| -> Diagnostics {
                let each = all.iter().map(|(line, message)| {
                    let location = Location { line: line + 1, ..Location::top_of("a.md") };
                    Diagnostic::warning(Code::BrokenLink, location, message.to_string())
                });
                each.collect()
            };
            let (found, known) = (of(&found), of(&known));
            let mut expected = found.clone();
            expected.retain(|new| known.iter().all(|known| known != new));
            prop_assert_eq!(without(found, &known), expected);
        }
    }

    #[rstest]
    #[case::letters_swapped("tilte", Some("title"))]
    #[case::letter_missing("categry", Some("category"))]
    #[case::case_differs("Title", Some("title"))]
    #[case::only_begun("cat", Some("category"))]
    #[case::nothing_like_it("zebra", None)]
    fn the_nearest_name_is_the_one_that_was_meant(
        #[case] written: &str,
        #[case] expected: Option<&str>,
    ) {
        assert_eq!(nearest(written, ["title", "date", "category"]), expected);
    }

    proptest! {
        #[test]
        fn the_nearest_name_is_that_of_all_distances(
            written in "[abcé/]{0,7}",
            known in prop::collection::vec("[abcÉ/]{0,7}", 0..6),
        ) {
            let names = known.iter().map(|name| {
                let (wanted, lower) = (written.to_lowercase(), name.to_lowercase());
                let reach = (wanted.chars().count() / 3).max(1);
                let distance = strsim::damerau_levenshtein(&wanted, &lower);
                let is_begun = lower.starts_with(&wanted) && wanted.len() >= 3
                    || wanted.starts_with(&lower) && lower.len() >= 3;
                (if is_begun { distance.min(reach) } else { distance }, reach, name)
            });
            let near = names.filter(|(distance, reach, _)| distance <= reach);
            let expected = near.min_by_key(|(distance, ..)| *distance).map(|(.., name)| name.as_str());
            prop_assert_eq!(nearest(&written, known.iter().map(String::as_str)), expected);
            // The same of names that are prepared, and without one of them.
            let other = known.first().map_or("none", String::as_str);
            let others: Vec<&str> = known.iter().map(String::as_str).filter(|name| *name != other).collect();
            let names = KnownNames::new(known.iter().map(String::as_str));
            prop_assert_eq!(names.nearest_but(&written, "\n"), expected);
            prop_assert_eq!(names.nearest_but(&written, other), nearest(&written, others));
        }
    }

    #[test]
    fn diagnostics_are_shown_file_by_file_from_the_top() {
        let diagnostics = [
            ("b.md", 3, 1, "first"),
            ("a.md", 2, 7, "second"),
            ("b.md", 1, 9, "third"),
            ("a.md", 2, 4, "fourth"),
            ("b.md", 1, 9, "fifth"),
        ];
        let diagnostics = diagnostics.map(|(file, line, column, message)| {
            let location = Location {
                line,
                column,
                ..Location::top_of(file)
            };
            Diagnostic::error(Code::UnknownKey, location, message)
        });
        let shown = by_location(&diagnostics);
        let shown: Vec<&str> = shown
            .iter()
            .map(|diagnostic| diagnostic.message.as_str())
            .collect();
        assert_eq!(shown, ["third", "fifth", "first", "fourth", "second"]);
    }

    fn of(code: Code, file: &str, message: &str, help: &str) -> Diagnostic {
        Diagnostic::warning(code, Location::top_of(file), message).help(help)
    }

    #[test]
    fn of_one_cause_ten_are_shown_and_the_rest_is_counted() {
        let mut diagnostics: Vec<Diagnostic> = (0..133)
            .map(|at| {
                of(
                    Code::UnknownKey,
                    "a.md",
                    &format!("`k{at}` is unknown"),
                    "did you mean `key`?",
                )
            })
            .collect();
        diagnostics.push(of(
            Code::UnknownKey,
            "a.md",
            "`other` is unknown",
            "did you mean `author`?",
        ));
        diagnostics.push(of(Code::UnknownKey, "b.md", "another sentence", "none"));
        let shown = first_of_each(&diagnostics, 10);
        let told: Vec<(&str, usize)> = shown
            .iter()
            .map(|(diagnostic, more)| (diagnostic.message.as_str(), *more))
            .collect();
        let mut expected: Vec<(String, usize)> = (0..9)
            .map(|at| (format!("`k{at}` is unknown"), 0))
            .collect();
        expected.push(("`other` is unknown".into(), 124));
        expected.push(("another sentence".into(), 0));
        let expected: Vec<(&str, usize)> = expected
            .iter()
            .map(|(text, more)| (text.as_str(), *more))
            .collect();
        assert_eq!(told, expected);
    }

    #[rstest]
    #[case::as_many_as_are_shown(10)]
    #[case::fewer(3)]
    #[case::none(0)]
    fn what_is_not_too_much_is_shown_whole(#[case] count: usize) {
        let diagnostics = vec![of(Code::UnknownKey, "a.md", "x", "y"); count];
        let shown = first_of_each(&diagnostics, 10);
        assert_eq!(shown.len(), count);
        assert!(shown.iter().all(|(_, more)| *more == 0));
    }

    #[test]
    fn code_names_are_unique() {
        let mut names: Vec<_> = Code::ALL.iter().map(|code| code.name()).collect();
        names.sort_unstable();
        names.dedup();
        assert_eq!(names.len(), Code::ALL.len());
    }
}
