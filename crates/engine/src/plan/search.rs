//! Planning the search pages and their files, which depend on the number of posts and not on their texts.

use tabulae_core::catalogue::PostId;
use tabulae_core::id::LocaleId;
use tabulae_core::search::full_text::{BLOCK, FACET_BLOCK, word_files};
use tabulae_core::settings::Search;

use super::output::{FacetOf, OutputKind, SEARCH, SearchFile};
use super::planner::Planner;
use crate::site::Site;

impl Planner<'_> {
    pub(super) fn search(&mut self) {
        let site = self.site;
        let search = site.settings.site.search;
        if search == Search::Off {
            return;
        }
        for (id, locale) in site.languages() {
            let page = locale.link(SEARCH);
            match search {
                Search::Full => {
                    for file in self.index(id) {
                        let what = OutputKind::SearchFile(id, file);
                        self.add(page.below(&file.name()), what);
                    }
                }
                _ => self.add(page.below("posts.json"), OutputKind::Texts(id)),
            }
            self.add(page, OutputKind::Search(id));
            self.plan.searched.insert(id);
        }
    }

    /// Returns the files of the full-text index of a language.
    fn index(&mut self, locale: LocaleId) -> Vec<SearchFile> {
        let posts = self.site.catalogue.listed(Some(locale));
        let facets = facets(self.site, posts);
        let blocks = posts.len().div_ceil(FACET_BLOCK);
        let of_facet = |facet: usize| {
            let each = (0..blocks).map(move |block| SearchFile::FacetBlock(facet, block));
            [SearchFile::Facet(facet)].into_iter().chain(each)
        };
        let words = (0..word_files(posts.len())).map(SearchFile::Words);
        let rows = (0..posts.len().div_ceil(BLOCK)).map(SearchFile::Posts);
        let files = [SearchFile::Start].into_iter().chain(words).chain(rows);
        let files = files.chain((0..facets.len()).flat_map(of_facet));
        let files = files.collect();
        self.plan.facets.insert(locale, facets);
        files
    }
}

/// Returns the facets of posts: categories, tags, years, then the other fields, as far as there are two values.
fn facets(site: &Site, posts: &[PostId]) -> Vec<FacetOf> {
    let catalogue = &site.catalogue;
    let name = |field: &usize| catalogue.terms(*field).field.name.as_str();
    let narrows = |field: &usize| {
        let terms = posts.iter().flat_map(|id| catalogue.terms_of(*id, *field));
        differ(terms)
    };
    let fields = (0..catalogue.term_tables().len()).filter(narrows);
    let is_first = |field: &usize| matches!(name(field), "category" | "tag");
    let (mut first, others): (Vec<usize>, Vec<usize>) = fields.partition(is_first);
    first.sort_by_key(|field| name(field) != "category");
    let dates = posts.iter().filter_map(|id| catalogue.post(*id).date);
    let years = differ(dates.map(|date| date.day.year())).then_some(FacetOf::Years);
    let first = first.into_iter().map(FacetOf::Terms);
    let others = others.into_iter().map(FacetOf::Terms);
    first.chain(years).chain(others).collect()
}

/// Returns true if there are two different values.
fn differ<T: PartialEq>(mut values: impl Iterator<Item = T>) -> bool {
    let first = values.next();
    values.any(|value| Some(value) != first)
}
