//! A writer's mistake as data: code, place, sentence, and what to do about it.

use std::fmt;

use indexmap::IndexSet;
use serde::{Deserialize, Serialize};

use crate::source::Place;

/// How bad it is.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Serialize, Deserialize)]
pub enum Severity {
    /// Nothing is written while it stands.
    Error,
    /// Worth a look; the build goes on.
    Warning,
}

/// One mistake, with its place and the way out.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
pub struct Diagnostic {
    /// Error or warning.
    pub severity: Severity,
    /// The kind of mistake.
    pub code: Code,
    /// Where it stands.
    pub place: Place,
    /// One sentence on what is wrong.
    pub message: String,
    /// One sentence on what to do.
    pub help: Option<String>,
    /// A second place that takes part, with a word on it.
    pub other: Option<(Place, String)>,
}

/// What was made of the input, together with every mistake found on the way.
#[derive(Debug, Clone)]
pub struct Collected<T> {
    /// What could be made.
    pub output: T,
    /// In the order found.
    pub diagnostics: Vec<Diagnostic>,
}

/// Where mistakes are gathered while a stage runs.
pub type Diagnostics = Vec<Diagnostic>;

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

            /// What the code stands for, in one sentence.
            #[must_use]
            pub fn about(self) -> &'static str {
                match self { $(Code::$variant => $about,)* }
            }
        }
    };
}

codes! {
    AddressLost = "address-lost": "An address of the last build is gone, and nothing leads from it elsewhere.",
    AddressTaken = "address-taken": "Two outputs would stand at one address.",
    AddressUnreadable = "address-unreadable": "An address is not absolute, or leads out of the site.",
    BuildLocked = "build-locked": "Another build holds the lock.",
    ContentEmpty = "content-empty": "A content set has no posts.",
    ContentMissing = "content-missing": "A content set's folder is not there.",
    DateMissing = "date-missing": "A post of a dated set has no date.",
    DateOdd = "date-odd": "A date is far from where it is looked for, as by a slip of the keys.",
    DateUnreadable = "date-unreadable": "A date is not in a form that is known, or does not exist.",
    FeedEmpty = "feed-empty": "A feed has no entries.",
    FeedIdChanged = "feed-id-changed": "The id of a feed's entry is another than in the last build, so that readers show it once more.",
    FeedIdGuessed = "feed-id-guessed": "The id of a feed's entry is an old address, and readers may know another.",
    FeedIdTaken = "feed-id-taken": "Two posts have one id in feeds.",
    FeedLost = "feed-lost": "A feed of the last build is gone.",
    FieldUnfit = "field-unfit": "A field holds another kind of value than was asked for.",
    FieldUnknown = "field-unknown": "No post has a field of this name.",
    FileForeign = "file-foreign": "A file that no known build wrote is at an output's address.",
    FileStray = "file-stray": "A file in out/ was made by no build.",
    FileUnreadable = "file-unreadable": "A file or folder could not be read.",
    FileUnwritable = "file-unwritable": "A file or folder could not be written.",
    FolderTaken = "folder-taken": "A folder that should be new has files in it.",
    HeaderUnclosed = "header-unclosed": "Front matter was opened and never closed.",
    HeaderUnreadable = "header-unreadable": "Front matter is not well formed.",
    ImageMissing = "image-missing": "An image that a post names is not there.",
    KeyMissing = "key-missing": "A key that must be there is missing.",
    KeyRepeated = "key-repeated": "A key is given twice.",
    KeyUnknown = "key-unknown": "A key is not known here.",
    LinkBroken = "link-broken": "A link within the site leads nowhere.",
    LinkUnfit = "link-unfit": "A link pattern cannot be used.",
    MarkUnfit = "mark-unfit": "A mark for a place to be filled is not understood, or does not fit to the others.",
    MonthEmpty = "month-empty": "No post is of a month, though earlier and later ones are.",
    NameTaken = "name-taken": "A name stands for two things.",
    NotText = "not-text": "A file is not UTF-8 text.",
    OutputUnfit = "output-unfit": "The output folder overlaps with the site's sources.",
    PathCase = "path-case": "Two outputs have paths that differ only in case, and so are one file on many file systems.",
    PathNotPortable = "path-not-portable": "An output has a path that some file systems cannot hold.",
    PathUnfit = "path-unfit": "An output would have a path that leads out of the output folder, or that no file can have.",
    PostPublished = "post-published": "A post is public that was not in the last build.",
    PostUndated = "post-undated": "A list by date or a feed leaves out posts without a date.",
    PostUnfiled = "post-unfiled": "A post is in no archive.",
    PostWithdrawn = "post-withdrawn": "A post of the last build is no longer public.",
    QueryCircle = "query-circle": "A named query stands on itself.",
    QueryEmpty = "query-empty": "A query finds nothing.",
    QueryUnfit = "query-unfit": "A query asks for something that cannot be here.",
    QueryUnreadable = "query-unreadable": "A query is not well formed.",
    RelatedFilled = "related-filled": "More than half of a post's related posts are there only to fill the list.",
    RelatedUnknown = "related-unknown": "A post that is named as related does not exist.",
    SettingsMissing = "settings-missing": "There is no tabulae.toml.",
    SettingsUnreadable = "settings-unreadable": "tabulae.toml is not well formed.",
    SlugEmpty = "slug-empty": "Nothing is left of a name when it becomes a slug.",
    SlugUnfit = "slug-unfit": "A slug holds a character that it may not.",
    SourceUnknown = "source-unknown": "A query names a content set or query that does not exist.",
    SummaryMissing = "summary-missing": "A post has no summary of its own.",
    TemplateEndless = "template-endless": "A template does more work for one page than any page needs.",
    TemplateFailed = "template-failed": "A template asks for something that is not there.",
    TemplateUnreadable = "template-unreadable": "A template is not well formed.",
    TemplateUnused = "template-unused": "Nothing loads a template.",
    TermAlike = "term-alike": "Two terms are probably one.",
    TermLone = "term-lone": "Only one post has a term.",
    TermSeparator = "term-separator": "A term looks like several in one, or begins with `#`.",
    TermUnknown = "term-unknown": "No post has this term.",
    TypeUnfit = "type-unfit": "A value has another type than its place asks for.",
    UpdatedEarly = "updated-early": "A post was updated before its date.",
    UsageUnfit = "usage-unfit": "The command line is not understood.",
    ValueUnfit = "value-unfit": "A value is outside what its place allows.",
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
    /// An error at `place`.
    pub fn error(code: Code, place: Place, message: impl Into<String>) -> Self {
        Self {
            severity: Severity::Error,
            code,
            place,
            message: message.into(),
            help: None,
            other: None,
        }
    }

    /// A warning at `place`.
    pub fn warning(code: Code, place: Place, message: impl Into<String>) -> Self {
        Self {
            severity: Severity::Warning,
            ..Self::error(code, place, message)
        }
    }

    /// The same, with what to do about it.
    #[must_use]
    pub fn help(mut self, help: impl Into<String>) -> Self {
        self.help = Some(help.into());
        self
    }

    /// The same, with the second place that takes part.
    #[must_use]
    pub fn beside(mut self, place: Place, word: impl Into<String>) -> Self {
        self.other = Some((place, word.into()));
        self
    }

    /// The same, with the known name nearest to `written` as its help, or else all known names.
    #[must_use]
    pub fn suggest<'a>(self, written: &str, known: impl IntoIterator<Item = &'a str>) -> Self {
        if self.help.is_some() {
            return self;
        }
        self.suggest_of(written, &known.into_iter().collect::<Vec<_>>())
    }

    fn suggest_of(self, written: &str, known: &[&str]) -> Self {
        match nearest_of(written, known) {
            Some(name) => self.help(format!("did you mean `{name}`?")),
            None if known.is_empty() => self,
            None => {
                let shown: Vec<String> = known.iter().take(30).map(|k| format!("`{k}`")).collect();
                self.help(format!("known here: {}", shown.join(", ")))
            }
        }
    }

    /// Whether it keeps a build from being written.
    #[must_use]
    pub fn is_error(&self) -> bool {
        self.severity == Severity::Error
    }
}

/// `posts/a.md:3:7: error: sentence [code]`, and the help on a line of its own.
impl fmt::Display for Diagnostic {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        let Place { line, column, .. } = self.place;
        match &self.place.file {
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
pub fn by_place(diagnostics: &[Diagnostic]) -> Vec<&Diagnostic> {
    let files: IndexSet<_> = diagnostics
        .iter()
        .map(|diagnostic| &diagnostic.place.file)
        .collect();
    let mut shown: Vec<&Diagnostic> = diagnostics.iter().collect();
    shown.sort_by_key(|diagnostic| {
        let Place {
            file, line, column, ..
        } = &diagnostic.place;
        (files.get_index_of(&file), *line, *column)
    });
    shown
}

/// The name in `known` that `written` most likely meant: at most a third of its letters away
/// (Damerau–Levenshtein), without regard to case. Of equals the first.
pub fn nearest<'a>(written: &str, known: impl IntoIterator<Item = &'a str>) -> Option<&'a str> {
    nearest_of(written, &known.into_iter().collect::<Vec<_>>())
}

/// [`nearest`], compiled once for all callers.
fn nearest_of<'a>(written: &str, known: &[&'a str]) -> Option<&'a str> {
    let wanted = written.to_lowercase();
    let reach = (wanted.chars().count() / 3).max(1);
    let distances = known.iter().map(|name| {
        let lower = name.to_lowercase();
        let distance = strsim::damerau_levenshtein(&wanted, &lower);
        let is_prefix = wanted.len() >= 3
            && (lower.starts_with(&wanted) || wanted.starts_with(&lower) && lower.len() >= 3);
        (
            if is_prefix {
                distance.min(reach)
            } else {
                distance
            },
            *name,
        )
    });
    let near = distances.filter(|(distance, _)| *distance <= reach);
    near.min_by_key(|(distance, _)| *distance)
        .map(|(_, name)| name)
}

#[cfg(test)]
mod tests {
    use super::*;
    use rstest::rstest;

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

    #[test]
    fn faults_are_shown_file_by_file_from_the_top() {
        let diagnostics = [
            ("b.md", 3, 1, "first"),
            ("a.md", 2, 7, "second"),
            ("b.md", 1, 9, "third"),
            ("a.md", 2, 4, "fourth"),
            ("b.md", 1, 9, "fifth"),
        ];
        let diagnostics = diagnostics.map(|(file, line, column, message)| {
            let place = Place {
                line,
                column,
                ..Place::top_of(file)
            };
            Diagnostic::error(Code::KeyUnknown, place, message)
        });
        let shown = by_place(&diagnostics);
        let shown: Vec<&str> = shown
            .iter()
            .map(|diagnostic| diagnostic.message.as_str())
            .collect();
        assert_eq!(shown, ["third", "fifth", "first", "fourth", "second"]);
    }

    #[test]
    fn code_names_are_unique() {
        let mut names: Vec<_> = Code::ALL.iter().map(|code| code.name()).collect();
        names.sort_unstable();
        names.dedup();
        assert_eq!(names.len(), Code::ALL.len());
    }
}
