//! Edits of source files that a program can make, such as those that correct a mistake.

use std::collections::BTreeMap;
use std::sync::Arc;

use serde::{Deserialize, Serialize};

use crate::source::{Location, Source, Span, mark_length};

/// A change of one source file.
#[derive(Debug, Clone, PartialEq, Eq, PartialOrd, Ord, Serialize, Deserialize)]
pub enum Edit {
    /// Replaces a piece of a line.
    Replace(Replacement),
    /// Writes a file that does not exist.
    Create {
        /// The path below the site's folder.
        file: Arc<str>,
        /// The whole text.
        text: String,
    },
}

/// A piece of a line and what takes its place. Lines and columns are as in a [`Location`].
#[derive(Debug, Clone, PartialEq, Eq, PartialOrd, Ord, Serialize, Deserialize)]
pub struct Replacement {
    /// The path below the site's folder.
    pub file: Arc<str>,
    /// Line, from 1.
    pub line: usize,
    /// Column in characters, from 1.
    pub column: usize,
    /// The text there, on one line; empty for an insertion.
    pub old: String,
    /// The text in its place, with `\n` at the ends of lines.
    pub new: String,
}

/// A text with edits applied.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Edited {
    /// The text; every byte outside the replaced pieces is as it was.
    pub text: String,
    /// The number of edits applied. The others found another text at their place, or overlap with one before them.
    pub applied: usize,
}

impl Edit {
    /// Returns the path of the file, below the site's folder.
    #[must_use]
    pub fn file(&self) -> &Arc<str> {
        match self {
            Self::Replace(edit) => &edit.file,
            Self::Create { file, .. } => file,
        }
    }

    /// Returns the edit that replaces what a location marks by `new`. Text in quotes keeps its quotes, unless `new`
    /// has its own. `None` on the command line, for a file as a whole, and if the text is already there.
    #[must_use]
    pub fn replacing(location: &Location, new: &str) -> Option<Self> {
        let marked = location.marked()?;
        let quote = |text: &str| {
            let first = text.chars().next().filter(|c| matches!(c, '"' | '\''));
            first.filter(|c| text.len() > 1 && text.ends_with(*c))
        };
        let quotes = usize::from(quote(marked).is_some() && quote(new).is_none());
        let old = &marked[quotes..marked.len() - quotes];
        (old != new).then(|| {
            Self::Replace(Replacement {
                file: location.file.clone().unwrap_or_default(),
                line: location.line,
                column: location.column + quotes,
                old: old.to_owned(),
                new: new.to_owned(),
            })
        })
    }

    /// Returns the edit that replaces a word of what a location marks by `new`. `None` as in [`Self::replacing`], and if
    /// the word is not there exactly once.
    #[must_use]
    pub fn replacing_word(location: &Location, word: &str, new: &str) -> Option<Self> {
        let marked = location.marked()?;
        let is_part = |c: char| c.is_alphanumeric() || matches!(c, '_' | '-');
        let is_whole = |(at, _): &(usize, &str)| {
            let before = marked[..*at].chars().next_back();
            let after = marked[at + word.len()..].chars().next();
            !before.is_some_and(is_part) && !after.is_some_and(is_part)
        };
        let mut found = marked.match_indices(word).filter(is_whole);
        let (at, _) = found.next()?;
        (found.next().is_none() && !word.is_empty() && word != new).then(|| {
            Self::Replace(Replacement {
                file: location.file.clone().unwrap_or_default(),
                line: location.line,
                column: location.column + marked[..at].chars().count(),
                old: word.to_owned(),
                new: new.to_owned(),
            })
        })
    }

    /// Returns the edit that replaces the bytes `span` of a source, which are on one line. `None` if they are not, or
    /// the source is no file.
    #[must_use]
    pub fn of_span(source: &Source, span: Span, new: &str) -> Option<Self> {
        let old = source.get(span)?;
        let location = source.location(span);
        (!old.contains('\n')).then_some(())?;
        Some(Self::Replace(Replacement {
            file: location.file?,
            line: location.line,
            column: location.column,
            old: old.to_owned(),
            new: new.to_owned(),
        }))
    }
}

/// Applies edits to a text, from its top; of edits that overlap the first. Equal edits are one. Takes time linear in the
/// text for each edit.
///
/// New lines end as the text's first line does.
#[must_use]
pub fn apply(text: &str, edits: &[&Replacement]) -> Edited {
    let mut sorted: Vec<&Replacement> = edits.to_vec();
    sorted.sort_unstable();
    sorted.dedup();
    let has_crlf = text.find('\n').is_some_and(|at| text[..at].ends_with('\r'));
    let mut edited = Edited {
        text: String::with_capacity(text.len()),
        applied: 0,
    };
    let mut done = 0;
    for edit in sorted {
        let Some(at) = offset(text, edit.line, edit.column).filter(|at| *at >= done) else {
            continue;
        };
        let Some(after) = text[at..].strip_prefix(edit.old.as_str()) else {
            continue;
        };
        edited.text.push_str(&text[done..at]);
        match has_crlf {
            true => edited.text.push_str(&edit.new.replace('\n', "\r\n")),
            false => edited.text.push_str(&edit.new),
        }
        edited.applied += 1;
        done = text.len() - after.len();
    }
    edited.text.push_str(&text[done..]);
    edited
}

/// Groups the replacements of edits by their files.
#[must_use]
pub fn by_file<'a>(
    edits: impl IntoIterator<Item = &'a Edit>,
) -> BTreeMap<&'a str, Vec<&'a Replacement>> {
    let mut files: BTreeMap<&str, Vec<&Replacement>> = BTreeMap::new();
    for edit in edits {
        if let Edit::Replace(edit) = edit {
            files.entry(&edit.file).or_default().push(edit);
        }
    }
    files
}

/// Returns the byte at a line and column, which count from 1; `None` if the text has no such place. A byte order mark has
/// no column.
#[must_use]
pub fn offset(text: &str, line: usize, column: usize) -> Option<usize> {
    let mut start = mark_length(text);
    for _ in 1..line {
        start += text[start..].find('\n')? + 1;
    }
    let rest = &text[start..];
    let line = rest.split('\n').next().unwrap_or_default();
    let mut ends = line.char_indices().map(|(at, _)| at).chain([line.len()]);
    let at = ends.nth(column.checked_sub(1)?)?;
    Some(start + at)
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;
    use rstest::rstest;

    fn replacement(line: usize, column: usize, old: &str, new: &str) -> Replacement {
        Replacement {
            file: "a.md".into(),
            line,
            column,
            old: old.to_owned(),
            new: new.to_owned(),
        }
    }

    #[rstest]
    #[case::one("tilte: x\n", &[(1, 1, "tilte", "title")], "title: x\n", 1)]
    #[case::two_lines("a\nb\n", &[(2, 1, "b", "B"), (1, 1, "a", "A")], "A\nB\n", 2)]
    #[case::characters_not_bytes("ä: ö\n", &[(1, 4, "ö", "o")], "ä: o\n", 1)]
    #[case::byte_order_mark("\u{feff}a\n", &[(1, 1, "a", "b")], "\u{feff}b\n", 1)]
    #[case::an_insertion_ends_as_other_lines("---\r\na: 1\r\n", &[(2, 1, "", "b: 2\n")], "---\r\nb: 2\r\na: 1\r\n", 1)]
    #[case::at_the_end("a", &[(1, 2, "", "b")], "ab", 1)]
    #[case::another_text("title: x\n", &[(1, 1, "tilte", "title")], "title: x\n", 0)]
    #[case::no_such_line("a\n", &[(9, 1, "a", "b")], "a\n", 0)]
    #[case::no_such_column("a\nb\n", &[(1, 3, "b", "c")], "a\nb\n", 0)]
    #[case::overlapping("abc\n", &[(1, 1, "ab", "x"), (1, 2, "bc", "y")], "xc\n", 1)]
    #[case::twice_the_same("ab\n", &[(1, 1, "a", "x"), (1, 1, "a", "x")], "xb\n", 1)]
    fn edits_change_their_places_alone(
        #[case] text: &str,
        #[case] edits: &[(usize, usize, &str, &str)],
        #[case] expected: &str,
        #[case] applied: usize,
    ) {
        let edits = edits
            .iter()
            .map(|(line, column, old, new)| replacement(*line, *column, old, new));
        let edits: Vec<Replacement> = edits.collect();
        let edited = apply(text, &edits.iter().collect::<Vec<_>>());
        assert_eq!((edited.text.as_str(), edited.applied), (expected, applied));
    }

    #[rstest]
    #[case::a_word("tag = lmie", 6, 10, "lime", Some(("lmie", 7)))]
    #[case::in_quotes("tag = 'lmie'", 6, 12, "lime", Some(("lmie", 8)))]
    #[case::quotes_of_its_own("tag = 'lmie'", 6, 12, "\"lime\"", Some(("'lmie'", 7)))]
    #[case::there_already("tag = lime", 6, 10, "lime", None)]
    fn what_is_marked_is_replaced(
        #[case] text: &str,
        #[case] start: usize,
        #[case] end: usize,
        #[case] new: &str,
        #[case] expected: Option<(&str, usize)>,
    ) {
        let location = Source::new("a.md", text).location(Span::new(start, end));
        let expected =
            expected.map(|(old, column)| Edit::Replace(replacement(1, column, old, new)));
        assert_eq!(Edit::replacing(&location, new), expected);
        let typed = Source::command_line(text).location(Span::new(start, end));
        assert_eq!(Edit::replacing(&typed, new), None);
    }

    #[rstest]
    #[case::alone("{{ post.imge }}", 3, 12, "imge", Some(9))]
    #[case::within_another("{{ post.imges }}", 3, 13, "imge", None)]
    #[case::twice("{{ imge.imge }}", 3, 12, "imge", None)]
    #[case::not_there("{{ post.image }}", 3, 13, "imge", None)]
    #[case::nothing("{{ post }}", 3, 7, "", None)]
    fn a_word_is_replaced_if_it_is_there_once(
        #[case] text: &str,
        #[case] start: usize,
        #[case] end: usize,
        #[case] word: &str,
        #[case] column: Option<usize>,
    ) {
        let location = Source::new("a.html", text).location(Span::new(start, end));
        let expected = column.map(|column| {
            let edit = replacement(1, column, word, "image");
            Edit::Replace(Replacement {
                file: "a.html".into(),
                ..edit
            })
        });
        assert_eq!(Edit::replacing_word(&location, word, "image"), expected);
    }

    proptest! {
        /// A span replaced by way of lines and columns is the span replaced by its bytes.
        #[test]
        fn an_edit_of_a_span_is_that_of_its_bytes(
            text in "\u{feff}?[aä\r\n ]{0,24}",
            start in 0_usize..24,
            length in 0_usize..4,
            new in "[xyz]{0,3}",
        ) {
            let source = Source::new("a.md", &text);
            let bare = source.text();
            let bounds: Vec<usize> = bare.char_indices().map(|(at, _)| at).chain([bare.len()]).collect();
            let start = start.min(bounds.len() - 1);
            let end = (start + length).min(bounds.len() - 1);
            let span = Span::new(bounds[start], bounds[end]);
            prop_assume!(!bare[span.start..span.end].contains('\n'));
            let Some(Edit::Replace(edit)) = Edit::of_span(&source, span, &new) else {
                panic!("a span on one line");
            };
            let mark = text.len() - bare.len();
            let expected = format!("{}{new}{}", &text[..mark + span.start], &text[mark + span.end..]);
            prop_assert_eq!(apply(&text, &[&edit]).text, expected);
        }
    }
}
