//! `[locale.TAG]`: the languages of a site beside that of `[site]`.

use super::reader::{Table, Unfit};
use super::site::{date_style, language};
use super::{Archive, Feed, Site, Words};
use crate::diagnostic::{Code, Diagnostic, Diagnostics, Help, nearest};
use crate::id::LocaleId;
use crate::language::DateStyle;
use crate::route::{Link, Pattern, decode};
use crate::source::{Location, Source, Span, Spanned};
use crate::value::Value;

/// A language of a site, with all that differs between its languages.
#[derive(Debug, Clone)]
pub struct Locale {
    /// The tag (BCP 47), as written.
    pub tag: String,
    /// The site's title in this language.
    pub title: String,
    /// One sentence on the site in this language.
    pub description: Option<String>,
    /// The path before all addresses of this language, without a slash at its end: `/de`; empty for the
    /// language of `[site]`.
    pub prefix: String,
    /// The style of dates.
    pub date_format: DateStyle,
    /// The titles of archives and feeds that differ in this language, by name.
    pub titles: Vec<(Spanned<String>, String)>,
    /// The text of an empty list of related posts, if it differs in this language.
    pub empty_text: Option<String>,
    /// The heading of a list of related posts that is all fill, if it differs in this language.
    pub fill_title: Option<String>,
    /// The theme's words.
    pub words: Words,
    /// The place of the declaration, for messages.
    pub location: Span,
}

/// The languages of a site: that of `[site]`, then those of `[locale.*]` in the order written.
#[derive(Debug, Clone)]
pub struct Locales(Vec<Locale>);

impl Locale {
    /// Returns an address within this language: `/tags/` is `/de/tags/`.
    #[must_use]
    pub fn link(&self, link: &str) -> Link {
        Link::new(self.below(link))
    }

    /// Returns the title of an archive or feed in this language, if it has one of its own.
    fn title_of(&self, name: &str) -> Option<String> {
        let mut titles = self.titles.iter();
        let found = titles.find(|(known, _)| known.node == name);
        found.map(|(_, title)| title.clone())
    }

    /// Returns a path within this language.
    #[must_use]
    pub fn below(&self, path: &str) -> String {
        [&self.prefix, path].concat()
    }
}

impl Locales {
    /// Returns the only language of a site without `[locale.*]`.
    pub(super) fn of_site(site: &Site) -> Self {
        Self(vec![Locale {
            tag: site.language.clone(),
            title: site.title.clone(),
            description: site.description.clone(),
            prefix: String::new(),
            date_format: site.date_format.clone(),
            titles: Vec::new(),
            empty_text: None,
            fill_title: None,
            words: Words::of(&site.language),
            location: Span::default(),
        }])
    }

    /// Returns the language of `[site]`.
    #[must_use]
    pub fn site(&self) -> &Locale {
        &self.0[0]
    }

    /// Returns a language.
    #[must_use]
    pub fn get(&self, id: LocaleId) -> &Locale {
        &self.0[id.at()]
    }

    /// Iterates over all languages, that of `[site]` first.
    pub fn iter(&self) -> impl ExactSizeIterator<Item = (LocaleId, &Locale)> {
        let locales = self.0.iter().enumerate();
        locales.map(|(at, locale)| (LocaleId(u16::try_from(at).unwrap_or(u16::MAX)), locale))
    }

    /// Iterates over the numbers of all languages.
    pub fn ids(&self) -> impl ExactSizeIterator<Item = LocaleId> + '_ {
        self.iter().map(|(id, _)| id)
    }

    /// Returns true if the site has more than one language.
    #[must_use]
    pub fn are_several(&self) -> bool {
        self.0.len() > 1
    }

    /// Returns the language of a tag, which is compared without regard to case (RFC 5646, 2.1.1).
    #[must_use]
    pub fn find(&self, tag: &str) -> Option<LocaleId> {
        let mut locales = self.iter();
        let found = locales.find(|(_, locale)| locale.tag.eq_ignore_ascii_case(tag));
        found.map(|(id, _)| id)
    }

    /// Returns the name of a file without the language at its end, and the language: `lime.de` is `lime` in `de`. A
    /// suffix is a language only if the site has several, and this is one of them.
    pub fn split_suffix<'n>(&self, name: &'n str) -> (&'n str, Option<LocaleId>) {
        let suffix = name.rsplit_once('.').filter(|_| self.are_several());
        let found = suffix.and_then(|(name, tag)| Some((name, self.find(tag)?)));
        match found {
            Some((name, locale)) if !name.is_empty() => (name, Some(locale)),
            _ => (name, None),
        }
    }

    /// Returns the language of an address: the one whose prefix it is below, else that of `[site]`.
    #[must_use]
    pub fn of_link(&self, link: &str) -> LocaleId {
        let is_within = |locale: &Locale| {
            let below = link.strip_prefix(&locale.prefix);
            below.is_some_and(|below| below.starts_with('/'))
        };
        let within = self.iter().filter(|(_, locale)| is_within(locale));
        let nearest = within.max_by_key(|(_, locale)| locale.prefix.len());
        nearest.map_or(LocaleId::SITE, |(id, _)| id)
    }

    /// Iterates over the tags, for messages.
    pub fn tags(&self) -> impl Iterator<Item = &str> {
        self.0.iter().map(|locale| locale.tag.as_str())
    }

    /// Returns the error of a tag that is of none of the languages.
    pub(crate) fn undeclared(&self, tag: &str, location: Location) -> Diagnostic {
        let near = nearest(tag, self.tags()).filter(|_| language(tag).is_err());
        let message = format!("the blog has no language `{tag}`");
        Diagnostic::error(Code::UnknownLanguage, location, message).help(match near {
            Some(near) => Help::did_you_mean(near),
            None => format!("declare it by a table `[locale.{tag}]` in tabulae.toml").into(),
        })
    }

    pub(super) fn words_mut(&mut self, id: LocaleId) -> &mut Words {
        &mut self.0[id.at()].words
    }
}

/// Reads all languages. A tag that another has is an error, and left out.
pub(super) fn read(root: &mut Table<'_>, site: &Site, diagnostics: &mut Diagnostics) -> Locales {
    let mut locales = Locales::of_site(site);
    for (tag, table) in root.tables("locale", diagnostics) {
        let read = locale(&tag, table, site, diagnostics);
        let refused = language(&tag.node).err().or_else(|| taken(&read, &locales));
        // Its posts and words are of it all the same.
        let is_another = locales.find(&tag.node).is_none();
        if let Some(unfit) = refused {
            diagnostics.push(root.wrong(unfit, tag.span));
        }
        if is_another {
            locales.0.push(read);
        }
    }
    locales
}

/// Returns why a language cannot be beside others: another has its tag or prefix.
fn taken(locale: &Locale, locales: &Locales) -> Option<Unfit> {
    let tag = &locale.tag;
    if let Some(other) = locales.find(tag) {
        let (message, help) = match other {
            LocaleId::SITE => (
                format!("`{tag}` is the language of [site] already"),
                "its title and description are those of [site]; leave this table out".to_owned(),
            ),
            _ => (
                format!("`{tag}` is declared twice"),
                "leave one of the tables out".to_owned(),
            ),
        };
        return Some(Unfit {
            code: Code::NameConflict,
            message,
            help: help.into(),
        });
    }
    let mut others = locales.0.iter();
    let other = others.find(|other| other.prefix == locale.prefix)?;
    Some(Unfit {
        code: Code::AddressConflict,
        message: format!(
            "[locale.{}] and [locale.{tag}] have the same prefix \"{}/\"",
            other.tag, locale.prefix
        ),
        help: format!("give one of them another, such as `prefix = \"/{tag}/\"`").into(),
    })
}

fn locale(
    tag: &Spanned<String>,
    mut table: Table<'_>,
    site: &Site,
    diagnostics: &mut Diagnostics,
) -> Locale {
    let title = table.text("title", diagnostics);
    let description = table.text("description", diagnostics);
    let locale = Locale {
        title: title.map_or_else(|| site.title.clone(), |title| title.node),
        description: description
            .map(|text| text.node)
            .or_else(|| site.description.clone()),
        prefix: table
            .read("prefix", diagnostics, prefix)
            .unwrap_or_else(|| format!("/{}", tag.node.to_lowercase())),
        date_format: table
            .read("date_format", diagnostics, |text| {
                date_style("locale", text)
            })
            .unwrap_or_else(|| site.date_format.clone()),
        titles: titles(&mut table, diagnostics),
        empty_text: table.text("empty_text", diagnostics).map(|text| text.node),
        fill_title: table.text("fill_title", diagnostics).map(|text| text.node),
        words: Words::of(&tag.node),
        location: tag.span,
        tag: tag.node.clone(),
    };
    table.finish(diagnostics);
    locale
}

/// Reads the titles of archives and feeds by their names.
fn titles(table: &mut Table<'_>, diagnostics: &mut Diagnostics) -> Vec<(Spanned<String>, String)> {
    let Some(table) = table.table("titles", diagnostics) else {
        return Vec::new();
    };
    let mut titles = Vec::new();
    for entry in table.all() {
        match &entry.value.node {
            Value::Text(title) => titles.push((entry.key.clone(), title.clone())),
            other => {
                let location = table.source().location(entry.value.span);
                let message = format!("a title is text, and this is {}", other.kind().article());
                let found = Diagnostic::error(Code::InvalidType, location, message);
                diagnostics.push(found.help("put it in quotes"));
            }
        }
    }
    titles
}

/// Returns an error for each title of a language that is of no archive and no feed.
pub(super) fn unknown_titles(
    locales: &Locales,
    (archives, feeds): (&[Archive], &[Feed]),
    source: &Source,
) -> Diagnostics {
    let archives = archives.iter().map(|archive| archive.name.as_str());
    let feeds = feeds.iter().map(|feed| feed.name.as_str());
    let known: Vec<&str> = archives.chain(feeds).collect();
    let titles = locales.0.iter().flat_map(|locale| &locale.titles);
    let unknown = titles.filter(|(name, _)| !known.contains(&name.node.as_str()));
    let errors = unknown.map(|(name, _)| {
        let message = format!("there is no archive or feed `{}`", name.node);
        let location = source.location(name.span);
        Diagnostic::error(Code::UnknownKey, location, message)
            .suggest(&name.node, known.iter().copied())
    });
    errors.collect()
}

/// Reads the path before the addresses of a language, without the slash at its end.
fn prefix(text: &str) -> Result<String, Unfit> {
    let unfit = |message: String| Unfit {
        code: Code::InvalidLinkPattern,
        message,
        help: "write a folder from the site's root, such as \"/de/\"".into(),
    };
    let is_folder = text.ends_with('/') && text.len() > 1 && !text.contains("//");
    match Pattern::parse(text) {
        Ok(pattern) if is_folder && pattern.variables().next().is_none() => {
            Ok(decode(text).trim_end_matches('/').to_owned())
        }
        _ => Err(unfit(format!(
            "the prefix \"{text}\" is not a folder below the site's root"
        ))),
    }
}

/// Reads the languages in which an archive or feed exists; `None` for all.
pub(super) fn only_in(
    table: &mut Table<'_>,
    locales: &Locales,
    diagnostics: &mut Diagnostics,
) -> Option<Vec<LocaleId>> {
    table.entry("locales")?;
    let mut only = Vec::new();
    for tag in table.texts("locales", diagnostics) {
        match locales.find(&tag.node) {
            Some(id) => only.push(id),
            None => {
                let location = table.source().location(tag.span);
                diagnostics.push(locales.undeclared(&tag.node, location));
            }
        }
    }
    Some(only)
}

impl Archive {
    /// Returns the archive as it is in a language.
    pub(crate) fn within(&self, id: LocaleId, locale: &Locale) -> Self {
        let below = |pattern: &Pattern| pattern.below(&locale.prefix);
        let moved_from = self.moved_from.iter();
        Self {
            locale: id,
            link: below(&self.link),
            overview: self
                .overview
                .as_ref()
                .map(|overview| Spanned::new(locale.below(&overview.node), overview.span)),
            title: locale.title_of(&self.name).or_else(|| self.title.clone()),
            moved_from: moved_from
                .map(|old| Spanned::new(below(&old.node), old.span))
                .collect(),
            ..self.clone()
        }
    }
}

impl Feed {
    /// Returns the feed as it is in a language.
    pub(crate) fn within(&self, id: LocaleId, locale: &Locale) -> Self {
        let below = |link: &Spanned<String>| Spanned::new(locale.below(&link.node), link.span);
        let is_of_site = self.inherited.title && id != LocaleId::SITE;
        Self {
            locale: id,
            link: locale.below(&self.link),
            page: self.page.as_ref().map(below),
            title: locale.title_of(&self.name).or_else(|| match is_of_site {
                true => Some(locale.title.clone()),
                false => self.title.clone(),
            }),
            moved_from: self.moved_from.iter().map(below).collect(),
            ..self.clone()
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use rstest::rstest;

    use super::super::Settings;

    const SITE: &str =
        "[site]\ntitle = \"Log\"\ndescription = \"Of walls\"\naddress = \"https://x.example/\"\n";

    fn read(more: &str) -> (Settings, Vec<(Code, String)>) {
        let read = Settings::read(&Source::new("tabulae.toml", &format!("{SITE}{more}")));
        let found = read.diagnostics.into_iter();
        let found = found.map(|found| (found.code, found.message));
        (read.output, found.collect())
    }

    #[test]
    fn a_language_inherits_what_its_table_leaves_out() {
        let (settings, found) = read(
            "[locale.de]\n[locale.pt-BR]\ntitle = \"Diário\"\nprefix = \"/br/\"\n[words.pt-BR]\ntags = \"Rótulos\"\n[words]\ntags = \"Labels\"\n",
        );
        assert_eq!(found.len(), 1, "{found:?}");
        assert_eq!(found[0].0, Code::UntranslatedWords);
        let locales = settings.locales.iter().map(|(id, locale)| {
            let description = locale.description.as_deref().unwrap_or_default();
            (
                id.0,
                &*locale.tag,
                &*locale.title,
                description,
                &*locale.prefix,
                locale.words.get("tags"),
            )
        });
        assert_eq!(
            locales.collect::<Vec<_>>(),
            [
                (0, "en", "Log", "Of walls", "", "Labels"),
                (1, "de", "Log", "Of walls", "/de", "Schlagwörter"),
                (2, "pt-BR", "Diário", "Of walls", "/br", "Rótulos"),
            ]
        );
        assert_eq!(settings.locales.find("PT-br"), Some(LocaleId(2)));
        assert_eq!(settings.locales.find("pt"), None);
    }

    #[rstest]
    #[case::a_slip(
        "[locale.germn]",
        Code::InvalidValue,
        "\"germn\" is not a language tag"
    )]
    #[case::the_sites(
        "[locale.EN]",
        Code::NameConflict,
        "`EN` is the language of [site] already"
    )]
    #[case::twice(
        "[locale.de]\n[locale.DE]",
        Code::NameConflict,
        "`DE` is declared twice"
    )]
    #[case::one_prefix(
        "[locale.de]\nprefix = \"/x/\"\n[locale.fr]\nprefix = \"/x/\"",
        Code::AddressConflict,
        "[locale.de] and [locale.fr] have the same prefix \"/x/\""
    )]
    #[case::the_root(
        "[locale.de]\nprefix = \"/\"",
        Code::InvalidLinkPattern,
        "the prefix \"/\" is not a folder below the site's root"
    )]
    #[case::a_file(
        "[locale.de]\nprefix = \"/de.html\"",
        Code::InvalidLinkPattern,
        "the prefix \"/de.html\" is not a folder below the site's root"
    )]
    #[case::out_of_the_site(
        "[locale.de]\nprefix = \"/../de/\"",
        Code::InvalidLinkPattern,
        "the prefix \"/../de/\" is not a folder below the site's root"
    )]
    #[case::a_variable(
        "[locale.de]\nprefix = \"/{year}/\"",
        Code::InvalidLinkPattern,
        "the prefix \"/{year}/\" is not a folder below the site's root"
    )]
    #[case::the_former_key(
        "[locale.de]\nabout = \"Von Mauern\"",
        Code::UnknownKey,
        "there is no setting `about` in [locale.de]"
    )]
    #[case::a_title_of_nothing(
        "[locale.de]\ntitles = { journl = \"Tagebuch\" }",
        Code::UnknownKey,
        "there is no archive or feed `journl`"
    )]
    #[case::words(
        "[locale.de]\n[words.fr]\ntags = \"T\"",
        Code::UnknownLanguage,
        "the blog has no language `fr`"
    )]
    #[case::a_content_set(
        "[locale.de]\n[content.posts]\nlanguage = \"d\"",
        Code::UnknownLanguage,
        "the blog has no language `d`"
    )]
    #[case::an_archive(
        "[archive.journal]\nlocales = [\"en\", \"de\"]",
        Code::UnknownLanguage,
        "the blog has no language `de`"
    )]
    fn what_is_wrong_is_said(#[case] more: &str, #[case] code: Code, #[case] message: &str) {
        let (_, found) = read(more);
        assert_eq!(found, [(code, message.to_owned())]);
    }

    #[rstest]
    #[case("/", 0)]
    #[case("/2026/lime/", 0)]
    #[case("/de/", 1)]
    #[case("/de/2026/lime/", 1)]
    #[case::no_folder("/deep/", 0)]
    #[case::the_nearest("/de/at/lime/", 2)]
    fn an_address_is_of_the_language_of_its_prefix(#[case] link: &str, #[case] expected: u16) {
        let (settings, _) = read("[locale.de]\n[locale.de-AT]\nprefix = \"/de/at/\"\n");
        assert_eq!(settings.locales.of_link(link), LocaleId(expected));
    }

    /// Name, language and address of each archive and feed.
    #[rstest]
    #[case::one("", &["journal 0 /", "atom 0 /atom.xml"])]
    #[case::two("[locale.de]\n", &["journal 0 /", "journal 1 /de/", "atom 0 /atom.xml", "atom 1 /de/atom.xml"])]
    #[case::only_one(
        "[locale.de]\n[archive.journal]\nlocales = \"de\"\n[feed.atom]\nlocales = [\"en\"]\n",
        &["journal 1 /de/", "atom 0 /atom.xml"]
    )]
    fn each_language_has_its_archives_and_feeds(#[case] more: &str, #[case] expected: &[&str]) {
        let (mut settings, found) = read(more);
        assert_eq!(found, []);
        settings.settle(&Default::default());
        let archives = settings.archives.iter();
        let archives = archives.filter(|archive| archive.name == "journal");
        let archives =
            archives.map(|one| format!("{} {} {}", one.name, one.locale.0, one.link.text()));
        let feeds = settings.feeds.iter();
        let feeds = feeds.map(|one| format!("{} {} {}", one.name, one.locale.0, one.link));
        assert_eq!(archives.chain(feeds).collect::<Vec<_>>(), expected);
    }

    /// The home page in German is a page of the site's own, which only the German journal yields to.
    #[test]
    fn an_archive_yields_in_its_own_language() {
        let (mut settings, _) = read("[locale.de]\n");
        let claim = ("/de/".to_owned(), "`pages/index.de.md`".to_owned());
        settings.settle(&[claim].into());
        let journals = settings.archives.iter();
        let journals = journals.filter(|archive| archive.name == "journal");
        let links: Vec<&str> = journals.map(|archive| archive.link.text()).collect();
        assert_eq!(links, ["/", "/de/journal/"]);
        assert_eq!(
            settings.yields,
            [
                "in `de`, the built-in archive `journal` is at /journal/: `pages/index.de.md` is at /"
            ]
        );
    }
}
