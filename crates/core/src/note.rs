//! Term notes: title, slug and spellings of a term, and a text for its archive page.

use crate::diagnostic::{Code, Collected, Diagnostic, Diagnostics};
use crate::front_matter::FrontMatter;
use crate::id::LocaleId;
use crate::settings::{Locales, Settings};
use crate::source::{Source, Spanned};
use crate::term::unfit_slug;
use crate::value::{Entry, Value};

/// A note on a term: `terms/tag/lime.md`.
#[derive(Debug, Clone)]
pub struct TermNote {
    /// The term field's number.
    pub field: usize,
    /// The file's name without its ending, with folders where terms are nested.
    pub name: String,
    /// The language that its file has before the ending, as `terms/tag/lime.de.md`.
    pub locale: LocaleId,
    /// The title, where the note gives one.
    pub title: Option<Spanned<String>>,
    /// Titles in other languages: `title.de`.
    pub titles: Vec<(LocaleId, Spanned<String>)>,
    /// Slugs in other languages: `slug.de`.
    pub slugs: Vec<(LocaleId, Spanned<String>)>,
    /// The slug, where the note gives one.
    pub slug: Option<Spanned<String>>,
    /// Further spellings of the term.
    pub spellings: Vec<Spanned<String>>,
    /// Earlier addresses of the term's page, from the site's root.
    pub moved_from: Vec<Spanned<String>>,
    /// The text, as HTML.
    pub html: String,
    /// The header's text.
    pub source: Source,
}

/// The entries of a note, each with what it holds.
const ENTRIES: [(&str, &str); 4] = [
    ("title", "text"),
    ("slug", "text"),
    ("spellings", "a list of texts"),
    ("moved_from", "a list of texts"),
];

impl TermNote {
    /// Reads the note on the term of a term field, by the field's number and the path of the note below the
    /// folder of the field, without its ending. An entry that holds something else, or that no note has, is an
    /// error, and left out.
    #[must_use]
    pub fn read(
        (field, path): (usize, &str),
        source: &Source,
        front: &FrontMatter,
        html: String,
        settings: &Settings,
    ) -> Collected<Self> {
        let (address, locales) = (&settings.site.address, &settings.locales);
        let (name, locale) = locales.split_suffix(path);
        let mut note = Self {
            field,
            name: name.to_owned(),
            locale: locale.unwrap_or_default(),
            title: None,
            titles: Vec::new(),
            slugs: Vec::new(),
            slug: None,
            spellings: Vec::new(),
            moved_from: Vec::new(),
            html,
            source: source.head(front.body),
        };
        let mut diagnostics = Diagnostics::new();
        for entry in &front.map.entries {
            note.take(entry, locales, source, &mut diagnostics);
        }
        for old in &mut note.moved_from {
            match address.below_root(&old.node) {
                Ok(below) => old.node = below,
                Err(unfit) => diagnostics.push(unfit.at(&old.node, source.location(old.span))),
            }
        }
        Collected {
            output: note,
            diagnostics,
        }
    }

    /// Returns the text as HTML, if there is any.
    #[must_use]
    pub fn about(&self) -> Option<String> {
        (!self.html.trim().is_empty()).then(|| self.html.clone())
    }

    fn take(
        &mut self,
        entry: &Entry,
        locales: &Locales,
        source: &Source,
        diagnostics: &mut Diagnostics,
    ) {
        let value = &entry.value;
        let key = entry.key.node.as_str();
        if let Some((key @ ("title" | "slug"), tag)) = key.split_once('.') {
            let tag = Spanned::new(tag.to_owned(), entry.key.span);
            diagnostics.extend(self.take_local((key, &tag), value, (locales, source)));
            return;
        }
        if let ("title" | "slug", Value::Map(map)) = (key, &value.node) {
            let entries = map.entries.iter();
            let unfit = entries.filter_map(|inner| {
                self.take_local((key, &inner.key), &inner.value, (locales, source))
            });
            diagnostics.extend(unfit);
            return;
        }
        match (entry.key.node.as_str(), &value.node, written(value)) {
            ("title", _, Some(title)) => self.title = Some(title),
            ("slug", _, Some(slug)) => {
                diagnostics.extend(unfit_slug(&slug.node, source.location(slug.span)));
                self.slug = Some(slug);
            }
            ("spellings", Value::List(items), _) => {
                self.spellings.extend(items.iter().filter_map(written));
            }
            ("spellings", _, Some(spelling)) => self.spellings.push(spelling),
            ("moved_from", Value::List(items), _) => {
                self.moved_from.extend(items.iter().filter_map(written));
            }
            ("moved_from", _, Some(old)) => self.moved_from.push(old),
            _ => diagnostics.push(unfit(entry, source)),
        }
    }

    /// Takes the title or slug in a language.
    fn take_local(
        &mut self,
        (key, tag): (&str, &Spanned<String>),
        value: &Spanned<Value>,
        (locales, source): (&Locales, &Source),
    ) -> Option<Diagnostic> {
        let Some(locale) = locales.find(&tag.node) else {
            return Some(locales.undeclared(&tag.node, source.location(tag.span)));
        };
        let Some(text) = written(value) else {
            return Some(unfit_type(key, "text", value, source));
        };
        let unfit = match key {
            "slug" => unfit_slug(&text.node, source.location(text.span)),
            _ => None,
        };
        match (key, locale) {
            ("title", LocaleId::SITE) => self.title = Some(text),
            ("title", _) => self.titles.push((locale, text)),
            (_, LocaleId::SITE) => self.slug = Some(text),
            _ => self.slugs.push((locale, text)),
        }
        unfit
    }
}

/// A single value as it was written.
fn written(value: &Spanned<Value>) -> Option<Spanned<String>> {
    let text = value.node.written()?.trim().to_owned();
    Some(Spanned::new(text, value.span))
}

fn unfit(entry: &Entry, source: &Source) -> Diagnostic {
    let key = entry.key.node.as_str();
    match ENTRIES.iter().find(|(name, _)| *name == key) {
        Some((_, holds)) => unfit_type(key, holds, &entry.value, source),
        None => {
            let message = format!("a term note has no `{key}`");
            Diagnostic::error(Code::UnknownKey, source.location(entry.key.span), message)
                .suggest(key, ENTRIES.map(|(name, _)| name))
        }
    }
}

fn unfit_type(key: &str, holds: &str, value: &Spanned<Value>, source: &Source) -> Diagnostic {
    let is = value.node.kind().article();
    let message = format!("`{key}` must be {holds}, and this is {is}");
    Diagnostic::error(Code::InvalidType, source.location(value.span), message)
        .help(format!("write `{key}: …`"))
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::front_matter;
    use jiff::tz::TimeZone;
    use rstest::rstest;

    fn note(entries: &str) -> Collected<TermNote> {
        let source = Source::new("terms/tag/lime.md", &format!("---\n{entries}\n---\n"));
        let front = front_matter::read(&source, &TimeZone::UTC).output;
        let site = "[site]\ntitle = \"T\"\naddress = \"https://x.example/log/\"\n[locale.de]\n";
        let settings = Settings::read(&Source::new("tabulae.toml", site)).output;
        TermNote::read((0, "lime"), &source, &front, String::new(), &settings)
    }

    #[test]
    fn a_note_is_what_its_entries_say() {
        let read = note("title: Lime mortar\nslug: lime-mortar\nspellings: [limes, ' 12 ']");
        let text = |text: &Spanned<String>| text.node.clone();
        assert_eq!(read.diagnostics, []);
        assert_eq!(
            read.output.title.as_ref().map(text).as_deref(),
            Some("Lime mortar")
        );
        assert_eq!(
            read.output.slug.as_ref().map(text).as_deref(),
            Some("lime-mortar")
        );
        let spellings: Vec<String> = read.output.spellings.iter().map(text).collect();
        assert_eq!(spellings, ["limes", "12"]);
    }

    #[rstest]
    #[case::from_the_root("moved_from: /topics/lime/", &["/topics/lime/"], 0)]
    #[case::absolute("moved_from: [https://x.example/log/a/, /log/b/]", &["/a/", "/b/"], 0)]
    #[case::elsewhere("moved_from: https://y.example/a/", &["https://y.example/a/"], 1)]
    fn a_note_names_earlier_addresses(
        #[case] entry: &str,
        #[case] expected: &[&str],
        #[case] errors: usize,
    ) {
        let read = note(entry);
        let old = read.output.moved_from.iter().map(|old| old.node.as_str());
        assert_eq!(old.collect::<Vec<_>>(), expected);
        assert_eq!(read.diagnostics.len(), errors);
    }

    #[test]
    fn one_spelling_needs_no_list() {
        let read = note("spellings: limes");
        assert_eq!(
            (read.output.spellings.len(), read.diagnostics.len()),
            (1, 0)
        );
    }

    #[rstest]
    #[case::slug(
        "slug: a/b",
        7,
        "the slug \"a/b\" has `/`, which is not allowed",
        "; write \"a-b\""
    )]
    #[case::list(
        "title: [a]",
        8,
        "`title` must be text, and this is a list",
        "write `title: …`"
    )]
    #[case::map(
        "spellings: {a: 1}",
        12,
        "`spellings` must be a list of texts, and this is a map",
        "write `spellings: …`"
    )]
    #[case::key(
        "spelings: a",
        1,
        "a term note has no `spelings`",
        "did you mean `spellings`?"
    )]
    fn a_key_of_another_type_is_an_error(
        #[case] entry: &str,
        #[case] column: usize,
        #[case] message: &str,
        #[case] help: &str,
    ) {
        let diagnostics = note(entry).diagnostics;
        let [diagnostic] = &diagnostics[..] else {
            panic!("{diagnostics:?}");
        };
        assert_eq!(diagnostic.message, message);
        assert_eq!(
            (diagnostic.location.line, diagnostic.location.column),
            (2, column)
        );
        assert!(
            diagnostic
                .help
                .as_deref()
                .is_some_and(|is| is.ends_with(help)),
            "{diagnostic:?}"
        );
    }
}
