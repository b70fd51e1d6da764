//! The pages of `pages/`: `pages/about.md` → `/about/`. An `.html` page is itself a template.

use std::collections::BTreeSet;

use tabulae_core::diagnostic::Diagnostics;
use tabulae_core::front_matter;
use tabulae_core::id::LocaleId;
use tabulae_core::post::{Body, Include, Post, assemble, has_title, locale_of};
use tabulae_core::route::{Pattern, folder_of};
use tabulae_core::settings::{ContentSet, FileKind, Settings};
use tabulae_core::source::Source;
use tabulae_core::time::Moment;

use super::Page;
use super::files::{list, read};
use super::markdown::MarkdownStyle;
use super::posts::body_of;
use crate::source::Sources;

/// The content of `pages/`.
#[derive(Debug, Default)]
pub(super) struct Pages {
    /// The pages that are not excluded.
    pub(super) pages: Vec<Page>,
    /// The number of pages, with errors and excluded ones too.
    pub(super) read: usize,
    /// The paths of all other files.
    pub(super) others: Vec<String>,
}

impl Pages {
    /// Reads all pages; one with an error is left out.
    pub(super) fn read(
        sources: &dyn Sources,
        (settings, style): (&Settings, &MarkdownStyle),
        moment: &Moment,
        include: Include,
        diagnostics: &mut Diagnostics,
    ) -> Self {
        let files = list(sources, "pages", diagnostics).unwrap_or_default();
        let is_page = |path: &String| FileKind::of(path).is_some_and(FileKind::has_text);
        let (files, others): (Vec<_>, Vec<_>) = files.into_iter().partition(is_page);
        let pages = files
            .iter()
            .filter_map(|path| read_page(sources, (settings, style), moment, path, diagnostics));
        Self {
            pages: pages
                .filter(|page| include.has_page(page.post.exclusion))
                .collect(),
            read: files.len(),
            others,
        }
    }

    /// Adds the home page in each further language that has posts and no home page of its own: the page at the
    /// site's root, whose queries are of posts in that language.
    pub(super) fn add_homes(&mut self, settings: &Settings, languages: &BTreeSet<LocaleId>) {
        let is_home = |page: &&Page| page.link.plain == "/";
        let Some(home) = self.pages.iter().find(is_home).cloned() else {
            return;
        };
        for (id, locale) in settings.locales.iter().skip(1) {
            let link = locale.link("/");
            let has_own = self.pages.iter().any(|page| page.link == link);
            if !has_own && languages.contains(&id) {
                let mut page = home.clone();
                if *page.post.title == *settings.site.title {
                    page.post.title = locale.title.as_str().into();
                }
                page.post.locale = id;
                self.pages.push(Page { link, ..page });
            }
        }
    }
}

fn read_page(
    sources: &dyn Sources,
    (settings, style): (&Settings, &MarkdownStyle),
    moment: &Moment,
    path: &str,
    diagnostics: &mut Diagnostics,
) -> Option<Page> {
    let text = read(sources, path, settings.site.source_limit, diagnostics)?;
    let source = Source::new(path, &text);
    let before = diagnostics.len();
    let front = front_matter::read(&source, &moment.zone).into_output(diagnostics);
    if diagnostics.len() > before {
        return None;
    }
    let set = set();
    let (template, body) = match FileKind::of(path) {
        Some(FileKind::Html) => (Some(template_text(&source, front.body)), Body::default()),
        _ => {
            let text = &source.text()[front.body..];
            let locale = locale_of(path, &set, &front.map, settings);
            (
                None,
                body_of(path, text, has_title(&front.map, &set), (style, locale)),
            )
        }
    };
    let is_titled = has_title(&front.map, &set) || body.notes.heading.is_some();
    let mut post =
        assemble(path, (0, &set), settings, moment, &source, front, body).into_output(diagnostics);
    let locale = settings.locales.get(post.locale);
    let own = post.link.clone();
    let link = own.unwrap_or_else(|| locale.link(&link(&post)));
    if !is_titled && link.plain == locale.below("/") {
        post.title = locale.title.as_str().into();
    }
    Some(Page {
        link,
        post,
        template,
    })
}

/// The content set that pages are read by.
fn set() -> ContentSet {
    ContentSet {
        dated: false,
        link: Pattern::fixed("/"),
        ..ContentSet::named("pages")
    }
}

/// The name of the page that hosts show for addresses without a page, `pages/404.md` or `.html`.
const NOT_FOUND: &str = "404";

/// Returns the address of a page within its language: `pages/about.md` → `/about/`, `pages/index.html` → `/`, `pages/a/b.md` → `/a/b/`.
fn link(post: &Post) -> String {
    let below = post.untranslated.trim_start_matches("pages/");
    let folder = folder_of(below);
    let stem = below.rsplit('/').next().unwrap_or(below);
    let written = post.front.get("slug").is_some();
    let last = if written { post.slug.as_str() } else { stem };
    match (folder, last) {
        ("", "index") => "/".to_owned(),
        ("", NOT_FOUND) => format!("/{NOT_FOUND}.html"),
        (folder, "index") => format!("/{folder}/"),
        ("", last) => format!("/{last}/"),
        (folder, last) => format!("/{folder}/{last}/"),
    }
}

/// Returns the text of a template below its front matter, with every line at its place in the file.
fn template_text(source: &Source, body: usize) -> String {
    let lines = source.text()[..body].matches('\n').count();
    let rest = &source.text()[body..];
    match lines {
        0 => rest.to_owned(),
        lines => format!("{{#{}-#}}\n{rest}", "\n".repeat(lines - 1)),
    }
}
