//! The files of a content set's folder that are posts, by globs.

use globset::{GlobBuilder, GlobSet, GlobSetBuilder};

use super::reader::{Table, Unfit};
use crate::diagnostic::{Code, Diagnostics};
use crate::front_matter::{Format, data_format};
use crate::source::Spanned;

/// The endings of posts with a text, with the kind of each.
const TEXT_ENDINGS: [(&str, FileKind); 3] = [
    ("md", FileKind::Markdown),
    ("markdown", FileKind::Markdown),
    ("html", FileKind::Html),
];

/// The kind of a file that can be a post, by its ending.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum FileKind {
    /// Markdown below front matter.
    Markdown,
    /// HTML below front matter.
    Html,
    /// Front matter alone.
    Data(Format),
}

impl FileKind {
    /// Returns the kind of a file by its ending; `None` if it cannot be a post.
    #[must_use]
    pub fn of(path: &str) -> Option<Self> {
        let (_, ending) = path.rsplit_once('.')?;
        let found = TEXT_ENDINGS.iter().find(|(known, _)| *known == ending);
        let found = found.map(|(_, kind)| *kind);
        found.or_else(|| data_format(path).map(Self::Data))
    }

    /// Returns true if the file has a text below its front matter.
    #[must_use]
    pub fn has_text(self) -> bool {
        matches!(self, Self::Markdown | Self::Html)
    }
}

/// The role of a file in the folder of a content set.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Role {
    /// A post.
    Post,
    /// A file that goes with a post, such as an image.
    Other,
    /// Neither: `exclude` names it, or it could be a post and `files` leaves it out.
    Excluded,
    /// A file that `files` names and that cannot be a post.
    Unfit,
}

/// The globs of a content set: `files` and `exclude`.
#[derive(Debug, Clone, Default)]
pub struct FileGlobs {
    /// `None` for Markdown and HTML.
    files: Option<Globs>,
    exclude: Option<Globs>,
}

/// Globs, in which `*` stops at a slash. One without a slash is of files in any folder.
#[derive(Debug, Clone)]
struct Globs(GlobSet);

impl Globs {
    fn matches(globs: Option<&Self>, below: &str) -> bool {
        globs.is_some_and(|globs| globs.0.is_match(below))
    }
}

impl FileGlobs {
    /// Returns the role of a file by its path below the set's folder.
    #[must_use]
    pub fn role(&self, below: &str) -> Role {
        let kind = FileKind::of(below);
        let has_text = kind.is_some_and(FileKind::has_text);
        if Globs::matches(self.exclude.as_ref(), below) {
            return Role::Excluded;
        }
        let is_named = match &self.files {
            None => has_text,
            files => Globs::matches(files.as_ref(), below),
        };
        match (is_named, kind) {
            (true, Some(_)) => Role::Post,
            (true, None) => Role::Unfit,
            (false, _) if has_text => Role::Excluded,
            (false, _) => Role::Other,
        }
    }

    /// Reads `files` and `exclude`.
    pub(super) fn read(table: &mut Table<'_>, diagnostics: &mut Diagnostics) -> Self {
        Self {
            files: globs(table, "files", diagnostics),
            exclude: globs(table, "exclude", diagnostics),
        }
    }
}

/// Reads the globs of a key; `None` if it is left out or has none.
fn globs(table: &mut Table<'_>, key: &'static str, diagnostics: &mut Diagnostics) -> Option<Globs> {
    let texts = table.texts(key, diagnostics);
    let mut set = GlobSetBuilder::new();
    for text in &texts {
        match glob(text) {
            Ok(glob) => {
                set.add(glob);
            }
            Err(unfit) => diagnostics.push(table.wrong(unfit, text.span)),
        }
    }
    (!texts.is_empty()).then(|| set.build().ok().map(Globs))?
}

fn glob(text: &Spanned<String>) -> Result<globset::Glob, Unfit> {
    let pattern = match text.node.contains('/') {
        true => text.node.trim_start_matches('/').to_owned(),
        false => format!("**/{}", text.node),
    };
    let built = GlobBuilder::new(&pattern)
        .literal_separator(true)
        .backslash_escape(true)
        .build();
    built.map_err(|error| Unfit {
        code: Code::InvalidValue,
        message: format!("\"{}\" is not a glob: {}", text.node, error.kind()),
        help: "write a pattern such as \"*.md\", \"drafts/**\" or \"**/README.md\"".into(),
    })
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::settings::Settings;
    use crate::source::Source;
    use rstest::rstest;

    fn read(keys: &str) -> (FileGlobs, Vec<String>) {
        let text = format!(
            "[site]\ntitle = \"T\"\naddress = \"https://x.example/\"\n[content.posts]\n{keys}\n"
        );
        let read = Settings::read(&Source::new("tabulae.toml", &text));
        let messages = read.diagnostics.into_iter();
        let messages = messages.map(|found| found.message);
        (read.output.content[0].files.clone(), messages.collect())
    }

    #[rstest]
    #[case::markdown("", "2026/a.md", Role::Post)]
    #[case::long_ending("", "a.markdown", Role::Post)]
    #[case::html("", "a.html", Role::Post)]
    #[case::data("", "a.yaml", Role::Other)]
    #[case::an_image("", "a.png", Role::Other)]
    #[case::excluded("exclude = \"README.md\"", "x/README.md", Role::Excluded)]
    #[case::any_folder("exclude = [\"**/README.md\"]", "README.md", Role::Excluded)]
    #[case::folder("exclude = [\"old/**\"]", "old/x/a.png", Role::Excluded)]
    #[case::not_that_folder("exclude = [\"old/**\"]", "x/old/a.md", Role::Post)]
    #[case::one_level("exclude = [\"*/a.md\"]", "x/y/a.md", Role::Post)]
    #[case::named("files = [\"*.md\", \"*.yaml\"]", "x/a.yaml", Role::Post)]
    #[case::not_named("files = [\"*.yaml\"]", "a.md", Role::Excluded)]
    #[case::image_beside("files = [\"*.yaml\"]", "a.png", Role::Other)]
    #[case::some("files = [\"{post,note}-*.md\"]", "x/note-1.md", Role::Post)]
    #[case::both("files = \"*.md\"\nexclude = \"_*\"", "_a.md", Role::Excluded)]
    #[case::unfit("files = \"*.txt\"", "a.txt", Role::Unfit)]
    fn a_file_has_a_role(#[case] keys: &str, #[case] path: &str, #[case] expected: Role) {
        let (globs, messages) = read(keys);
        assert_eq!(messages, [""; 0]);
        assert_eq!(globs.role(path), expected);
    }

    #[rstest]
    #[case::bracket("exclude = [\"[a\"]")]
    #[case::brace("files = \"*.{md\"")]
    fn a_glob_that_is_none_is_an_error(#[case] keys: &str) {
        let (_, messages) = read(keys);
        assert_eq!(messages.len(), 1);
        assert!(messages[0].contains("is not a glob: "), "{messages:?}");
    }
}
