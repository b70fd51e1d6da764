//! Search pages, and the data that their scripts load.

use std::sync::{Arc, OnceLock};

use minijinja::context;
use tabulae_core::catalogue::PostId;
use tabulae_core::id::LocaleId;
use tabulae_core::route::Link;
use tabulae_core::search;
use tabulae_core::search::full_text::{
    BLOCK, Facet, Start, WordFiles, compressed_json, word_files,
};
use tabulae_core::settings::Search;

use super::{Bytes, Renderer};
use crate::incremental::Key;
use crate::plan::{FacetOf, SEARCH_SCRIPT, SearchFile};
use crate::site::Site;
use crate::template::RenderContext;

/// The full-text index of a language; each part is made when the first file of it is rendered.
#[derive(Debug, Default)]
pub(super) struct SearchIndex {
    /// The posts, oldest first.
    posts: OnceLock<Vec<PostId>>,
    words: OnceLock<WordFiles>,
    facets: OnceLock<Vec<Facet>>,
}

impl Renderer<'_> {
    /// Returns the titles of a list that has several pages, for the filter.
    pub(super) fn titles(&self, context: &RenderContext, archive: usize, group: usize) -> String {
        let group = &self.data.plan.archives[archive].groups[group];
        context.track_key(Key::Settings);
        context.track_key(Key::Rows(group.link.plain.clone()));
        let rows = group.posts.iter();
        search::titles(rows.map(|id| context.local().row(*id, &self.data)))
    }

    /// Returns the titles, summaries and terms of all listed posts of a language.
    pub(super) fn texts(&self, context: &RenderContext) -> String {
        let listed = self.data.site.catalogue.listed(Some(context.locale));
        context.track_key(Key::Settings);
        context.track_key(Key::Posts);
        let row = |id: &PostId| (*id, context.local().row(*id, &self.data));
        search::texts(&self.data.site.catalogue, listed.iter().map(row))
    }

    pub(super) fn search(&self, context: &Arc<RenderContext>, link: &Link) -> Bytes {
        let site = &self.data.site;
        let title = context.settings().words.get("search");
        let page = self.site_page(context, "search", title, link);
        let mut values = self.scope(context, page);
        match site.settings.site.search {
            Search::Full => {
                let script = site.href(&Link::new(format!("/{SEARCH_SCRIPT}")));
                values.index = context! { link => site.href(link), script };
            }
            _ => values.rows = site.href(&link.below("posts.json")).into(),
        }
        self.template(context, "search.html", values)
    }

    /// Returns a file of the full-text index of the context's language.
    pub(super) fn search_file(&self, context: &RenderContext, file: SearchFile) -> Vec<u8> {
        let site = &self.data.site;
        let index = &self.indexes[context.locale.at()];
        context.track_key(Key::Settings);
        context.track_key(match file {
            SearchFile::Start | SearchFile::Words(_) => Key::All,
            SearchFile::Posts(_) | SearchFile::Facet(_) | SearchFile::FacetBlock(..) => Key::Posts,
        });
        let posts = index.posts.get_or_init(|| {
            let listed = site.catalogue.listed(Some(context.locale));
            listed.iter().rev().copied().collect()
        });
        let words = || {
            index.words.get_or_init(|| {
                let files = word_files(posts.len());
                WordFiles::new(&site.catalogue, context.locale, posts, files)
            })
        };
        let facets = || {
            let facet = |of: &FacetOf| facet(site, *of, context.locale, posts);
            let made = || self.facets(context.locale).iter().map(facet).collect();
            index.facets.get_or_init(made)
        };
        match file {
            SearchFile::Start => {
                let words = words();
                compressed_json(&Start {
                    posts: posts.len(),
                    files: words.files.len(),
                    split: &words.split,
                    facets: self.facet_names(context.locale),
                })
            }
            SearchFile::Words(number) => words().files[number].clone(),
            SearchFile::Posts(block) => {
                let posts = posts.iter().skip(block * BLOCK).take(BLOCK);
                let local = context.local();
                let row = |id: &PostId| local.row_by(search::Row::with_summary, *id, &self.data);
                let rows: Vec<_> = posts.map(row).collect();
                compressed_json(&rows)
            }
            SearchFile::Facet(facet) => facets()[facet].values_file(),
            SearchFile::FacetBlock(facet, block) => facets()[facet].block_file(block),
        }
    }

    fn facets(&self, locale: LocaleId) -> &[FacetOf] {
        let facets = self.data.plan.facets.get(&locale);
        facets.map_or(&[], |facets| facets)
    }

    /// Returns the names of the facets of a language in addresses, and their titles.
    fn facet_names(&self, locale: LocaleId) -> Vec<(String, String)> {
        let facets = self.facets(locale).iter();
        facets.map(|of| self.facet_name(*of, locale)).collect()
    }

    fn facet_name(&self, of: FacetOf, locale: LocaleId) -> (String, String) {
        let site = &self.data.site;
        let words = &site.locale(locale).words;
        let FacetOf::Terms(field) = of else {
            return ("year".to_owned(), words.get("years").to_owned());
        };
        let field = &site.catalogue.terms(field).field;
        let title = match field.name.as_str() {
            "category" => words.get("categories").to_owned(),
            "tag" => words.get("tags").to_owned(),
            "author" => words.get("authors").to_owned(),
            name => {
                let archives = site.settings.archives.iter().zip(&self.data.plan.archives);
                let mut own = archives.filter(|(archive, _)| {
                    let by = archive.by.as_ref();
                    archive.locale == locale && by.is_some_and(|by| field.is(&by.node))
                });
                own.next()
                    .map_or_else(|| name.to_owned(), |(_, laid)| laid.title.clone())
            }
        };
        // The words of the query, and years, have their names in addresses already.
        let name = match field.name.as_str() {
            name @ ("q" | "year") => format!("{name}_"),
            name => name.to_owned(),
        };
        (name, title)
    }
}

fn facet(site: &Site, of: FacetOf, locale: LocaleId, posts: &[PostId]) -> Facet {
    match of {
        FacetOf::Terms(field) => Facet::of_terms(&site.catalogue, (locale, field), posts),
        FacetOf::Years => Facet::of_years(&site.catalogue, posts),
    }
}
