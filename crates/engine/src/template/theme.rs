//! The built-in theme, and the templates of a site by name.

use std::collections::BTreeMap;

use tabulae_core::settings::{Locale, Search, Settings};
use tabulae_core::source::Source;

use super::loads::reached;
use crate::site::Site;

/// A file of the built-in theme.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct ThemeFile {
    /// The name: `parts/card.html`, `tabulae.css`.
    pub name: &'static str,
    /// The meaning, in a few words.
    pub about: &'static str,
    /// The folder of a site in which a file of this name takes its place: `templates` or `assets`.
    pub folder: &'static str,
    text: &'static str,
}

impl ThemeFile {
    /// Returns the path below a site's folder at which a file takes its place.
    #[must_use]
    pub fn path(&self) -> String {
        [self.folder, "/", self.name].concat()
    }

    /// Returns the text as a site has it: the styles depend on its languages.
    pub(crate) fn text_for(&self, settings: &Settings) -> String {
        match self.name {
            "tabulae.css" => style(settings),
            "tabulae-feeds.css" => feed_style(settings.locales.site()),
            _ => self.text.to_owned(),
        }
    }

    const fn template(name: &'static str, about: &'static str, text: &'static str) -> Self {
        Self {
            name,
            about,
            text,
            folder: "templates",
        }
    }

    const fn asset(name: &'static str, about: &'static str, text: &'static str) -> Self {
        Self {
            name,
            about,
            text,
            folder: "assets",
        }
    }
}

/// The built-in templates.
pub(crate) const TEMPLATES: &[ThemeFile] = &[
    ThemeFile::template(
        "base.html",
        "the frame of each page, with the blocks title, head, main and foot",
        include_str!("../theme/base.html"),
    ),
    ThemeFile::template(
        "post.html",
        "a post's page",
        include_str!("../theme/post.html"),
    ),
    ThemeFile::template(
        "page.html",
        "a page of pages/ in Markdown",
        include_str!("../theme/page.html"),
    ),
    ThemeFile::template(
        "archive.html",
        "a page of a list",
        include_str!("../theme/archive.html"),
    ),
    ThemeFile::template(
        "overview.html",
        "the page of all terms of an archive",
        include_str!("../theme/overview.html"),
    ),
    ThemeFile::template(
        "feeds.html",
        "the page of all feeds",
        include_str!("../theme/feeds.html"),
    ),
    ThemeFile::template(
        "search.html",
        "the search page",
        include_str!("../theme/search.html"),
    ),
    ThemeFile::template(
        "parts/related.html",
        "what to read next, below a post",
        include_str!("../theme/parts/related.html"),
    ),
    ThemeFile::template(
        "parts/find.html",
        "the field that filters a list, and that of the search page",
        include_str!("../theme/parts/find.html"),
    ),
    ThemeFile::template(
        "parts/find-full.html",
        "the field, the facets and the hits of the full-text search",
        include_str!("../theme/parts/find-full.html"),
    ),
    ThemeFile::template(
        "parts/card.html",
        "one post in a list: title, date, summary, image, terms",
        include_str!("../theme/parts/card.html"),
    ),
    ThemeFile::template(
        "parts/links.html",
        "the links in the head of each page",
        include_str!("../theme/parts/links.html"),
    ),
    ThemeFile::template(
        "parts/top.html",
        "the top of each page",
        include_str!("../theme/parts/top.html"),
    ),
    ThemeFile::template(
        "parts/foot.html",
        "the foot of each page",
        include_str!("../theme/parts/foot.html"),
    ),
    ThemeFile::template(
        "parts/languages.html",
        "the switch between the languages of a blog",
        include_str!("../theme/parts/languages.html"),
    ),
    ThemeFile::template(
        "parts/menu.html",
        "the navigation at the top",
        include_str!("../theme/parts/menu.html"),
    ),
    ThemeFile::template(
        "parts/lines.html",
        "posts as lines: date and title",
        include_str!("../theme/parts/lines.html"),
    ),
    ThemeFile::template(
        "parts/pager.html",
        "older and newer, and the numbers between",
        include_str!("../theme/parts/pager.html"),
    ),
    ThemeFile::template(
        "parts/metadata.html",
        "what search engines and social networks read in the head of a page",
        include_str!("../theme/parts/metadata.html"),
    ),
    ThemeFile::template(
        "parts/beside.html",
        "the posts before and after a post",
        include_str!("../theme/parts/beside.html"),
    ),
    ThemeFile::template(
        "parts/woven.html",
        "posts in pages that another program makes",
        include_str!("../theme/parts/woven.html"),
    ),
    ThemeFile::template(
        "parts/woven-terms.html",
        "terms in pages that another program makes",
        include_str!("../theme/parts/woven-terms.html"),
    ),
    ThemeFile::template(
        "parts/terms.html",
        "a post's categories, tags and terms of the site's own fields",
        include_str!("../theme/parts/terms.html"),
    ),
];

/// The styles and the script of the theme, by the names of their outputs.
const ASSETS: &[ThemeFile] = &[
    ThemeFile::asset(
        "tabulae.css",
        "the style of all pages, light and dark",
        STYLE,
    ),
    ThemeFile::asset(
        "tabulae-feeds.css",
        "the style of feeds in a browser",
        FEED_STYLE,
    ),
    ThemeFile::asset("tabulae.js", "the script of filter and search", SCRIPT),
    ThemeFile::asset(
        "tabulae-search.js",
        "the script of the full-text search",
        SEARCH_SCRIPT,
    ),
];

/// Iterates over the files of the built-in theme: templates, then styles and script.
pub fn theme_files() -> impl Iterator<Item = &'static ThemeFile> {
    TEMPLATES.iter().chain(ASSETS)
}

/// The folder before the name of a built-in template, by which a template of the site's own extends or includes
/// the one that it takes the place of.
const THEME: &str = "theme/";

/// The theme's style sheet.
const STYLE: &str = include_str!("../theme/tabulae.css");

/// The further rules of the style sheet on a blog in several languages.
const LANGUAGES_STYLE: &str = include_str!("../theme/languages.css");

/// The further rules of the style sheet for the full-text search.
const SEARCH_STYLE: &str = include_str!("../theme/search.css");

/// Returns the theme's style sheet for a site.
pub(crate) fn style(settings: &Settings) -> String {
    let parts = [
        (LANGUAGES_STYLE, settings.locales.are_several()),
        (SEARCH_STYLE, settings.site.search == Search::Full),
    ];
    let further = parts.iter().filter(|(_, is_needed)| *is_needed);
    let further: String = further.map(|(part, _)| *part).collect();
    [STYLE, &further].concat()
}

/// The style sheet by which browsers show feeds; `OPENED` in it is the sentence above.
const FEED_STYLE: &str = include_str!("../theme/tabulae-feeds.css");

/// Returns the style sheet of feeds, with its sentence in the words of their language.
pub(crate) fn feed_style(locale: &Locale) -> String {
    let sentence = locale.words.get("feed_opened");
    let quoted = sentence
        .replace('\\', "\\\\")
        .replace('"', "\\\"")
        .replace('\n', " ");
    FEED_STYLE.replace("OPENED", &quoted)
}

/// The theme's script.
const SCRIPT: &str = include_str!("../theme/tabulae.js");

/// The theme's script of the full-text search.
const SEARCH_SCRIPT: &str = include_str!("../theme/tabulae-search.js");

/// Returns the theme's script without comments and indentation.
#[must_use]
pub(crate) fn script() -> String {
    compact(SCRIPT)
}

/// Returns the script of the full-text search without comments and indentation.
#[must_use]
pub(crate) fn search_script() -> String {
    compact(SEARCH_SCRIPT)
}

fn compact(script: &str) -> String {
    let lines = script.lines().map(str::trim_start);
    let code = lines.filter(|line| !line.is_empty() && !line.starts_with("//"));
    code.flat_map(|line| [line, "\n"]).collect()
}

/// The templates of a site, by name.
#[derive(Debug, Clone, Copy)]
pub(crate) struct Templates<'a> {
    pub(crate) site: &'a Site,
    pub(crate) sources: &'a BTreeMap<String, Source>,
}

/// Returns the templates by name: the built-in ones, overridden by the site's own, and its pages.
pub(super) fn sources(site: &Site) -> BTreeMap<String, Source> {
    let mut sources = BTreeMap::new();
    let pages = site
        .pages
        .iter()
        .filter_map(|page| page.template.as_deref());
    let own = site.templates.iter().map(|(_, text)| text.as_str());
    let is_named = own.chain(pages).any(|text| text.contains(THEME));
    for template in TEMPLATES {
        let source = Source::new(
            &format!("built-in template {}", template.name),
            template.text,
        );
        if is_named {
            sources.insert([THEME, template.name].concat(), source.clone());
        }
        sources.insert(template.name.to_owned(), source);
    }
    for (name, text) in &site.templates {
        sources.insert(name.clone(), own_source(name, text));
    }
    for page in &site.pages {
        if let Some(text) = &page.template {
            sources.insert(page.post.path.clone(), Source::new(&page.post.path, text));
        }
    }
    sources
}

/// Returns the source of a template of the site's own.
pub(super) fn own_source(name: &str, text: &str) -> Source {
    Source::new(&format!("templates/{name}"), text)
}

/// Returns the site's own templates that no page, archive or other template loads.
pub(crate) fn unused(site: &Site) -> Vec<&str> {
    let sources = sources(site);
    let built_in = TEMPLATES.iter().map(|template| template.name);
    let pages = site.pages.iter().map(|page| page.post.path.as_str());
    let of_settings = site.settings.templates();
    let of_posts = site.catalogue.all();
    let of_posts = of_posts.filter_map(|id| site.catalogue.post(id).template.as_ref());
    let of_pages = site.pages.iter();
    let of_pages = of_pages.filter_map(|page| page.post.template.as_ref());
    let named = of_settings.chain(of_posts).chain(of_pages);
    let named = named.map(|name| name.node.as_str());
    let used = reached(built_in.chain(pages).chain(named), &sources);
    let own = site.templates.iter().map(|(name, _)| name.as_str());
    own.filter(|name| used.as_ref().is_some_and(|used| !used.contains(name)))
        .collect()
}

#[cfg(test)]
mod tests {
    use std::collections::BTreeSet;

    use super::*;

    const GUIDE: &str = include_str!("../../../../docs/site/guides/reference/templates.md");

    /// Returns the names in backquotes in the first column of the guide's table below a heading.
    fn listed(heading: &str) -> BTreeSet<&'static str> {
        let (_, section) = GUIDE.split_once(heading).unwrap_or_default();
        let rows = section.lines().skip_while(|line| !line.starts_with('|'));
        let rows = rows.skip(2).take_while(|line| line.starts_with('|'));
        let first = rows.filter_map(|row| row.split('|').nth(1));
        first
            .flat_map(|cell| cell.split('`').skip(1).step_by(2))
            .collect()
    }

    #[test]
    fn the_guide_lists_every_template() {
        let names = TEMPLATES.iter().map(|template| template.name);
        assert_eq!(listed("# Templates"), names.collect());
    }

    #[test]
    fn the_guide_lists_every_property_of_the_style() {
        let lines = STYLE.lines().take_while(|line| !line.starts_with('}'));
        let names = lines.filter_map(|line| {
            line.trim()
                .split_once(':')?
                .0
                .starts_with("--")
                .then_some(line)
        });
        let names = names.filter_map(|line| Some(line.trim().split_once(':')?.0));
        assert_eq!(listed("### Properties"), names.collect());
    }

    #[test]
    fn the_guide_lists_every_class_of_the_templates() {
        let values = TEMPLATES
            .iter()
            .flat_map(|template| template.text.split("class=\"").skip(1));
        let values = values.filter_map(|rest| rest.split('"').next());
        let written = values
            .filter(|value| !value.contains('{'))
            .flat_map(str::split_whitespace);
        // Those that filters write, and the one for pages of the site's own.
        let others = ["state", "category", "columns"];
        assert_eq!(listed("### Classes"), written.chain(others).collect());
    }
}
