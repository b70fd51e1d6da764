//! The plan as data.

use std::collections::{BTreeMap, BTreeSet};
use std::sync::Arc;

use tabulae_core::archive::ArchiveLayout;
use tabulae_core::catalogue::PostId;
use tabulae_core::export::ExportField;
use tabulae_core::id::LocaleId;
use tabulae_core::route::Link;
use tabulae_core::settings::Settings;
use tabulae_core::source::Location;
use tabulae_core::term::TermId;

use super::feed_plan::FeedPlan;
use super::output::{FacetOf, Output};
use crate::options::BuildPart;

/// Everything that a build writes, and what it is made of.
#[derive(Debug, Default)]
pub(crate) struct Plan {
    /// The outputs, in the order in which they are rendered.
    pub outputs: Vec<Output>,
    /// The outputs of the other parts, if only a part is built.
    pub elsewhere: Vec<Output>,
    /// The archives, laid out.
    pub archives: Vec<ArchiveLayout>,
    /// The overview's address of each archive that has one.
    pub overviews: Vec<Option<Link>>,
    /// The feeds.
    pub feeds: Vec<FeedPlan>,
    /// The exports.
    pub exports: Vec<ExportPlan>,
    /// The numbers of the feeds by the page that they belong to, its plain address.
    pub feeds_of: BTreeMap<String, Vec<usize>>,
    /// The page of each language that lists the feeds, where Tabulae makes it.
    pub feeds_pages: BTreeMap<LocaleId, Link>,
    /// The languages that have a search page.
    pub searched: BTreeSet<LocaleId>,
    /// The facets of each language whose texts are searched.
    pub facets: BTreeMap<LocaleId, Vec<FacetOf>>,
    /// The pages that are the same in several languages, by the plain address of each.
    pub alternates: BTreeMap<String, Arc<[Alternate]>>,
    /// The style sheet of the feeds of each language, if there is any that needs it.
    pub feed_styles: BTreeMap<LocaleId, Link>,
    /// The source of each redirect, by its address and the one it leads to: the file or table that names it, and
    /// its place.
    pub redirects: BTreeMap<(String, String), (String, Location)>,
    /// The page of each term, by language, term field and term.
    pub term_pages: BTreeMap<(LocaleId, usize, TermId), Link>,
}

/// An export: its posts, and its fields with their names.
#[derive(Debug, Clone, Default)]
pub(crate) struct ExportPlan {
    /// The posts, in order.
    pub posts: Vec<PostId>,
    /// The fields, in order.
    pub fields: Vec<(String, ExportField)>,
}

/// A page in one of the languages in which it exists.
#[derive(Debug, Clone, PartialEq, Eq)]
pub(crate) struct Alternate {
    /// The language.
    pub locale: LocaleId,
    /// The address.
    pub link: Link,
}

impl Plan {
    /// Keeps the outputs of a part, and those of the others aside. The first part has the files that all pages share: assets,
    /// styles, scripts, and the index of the search.
    pub(crate) fn keep_part(&mut self, part: BuildPart) {
        let is_kept = |output: &Output| match output.is_shared() {
            true => part.number() == 1,
            false => part.has(&output.file),
        };
        let outputs = std::mem::take(&mut self.outputs).into_iter();
        (self.outputs, self.elsewhere) = outputs.partition(is_kept);
    }

    /// Iterates over the outputs of all parts.
    pub(crate) fn all_outputs(&self) -> impl Iterator<Item = &Output> {
        self.outputs.iter().chain(&self.elsewhere)
    }

    /// Returns the pages that are the same as the one at an address in the site's languages, itself among them, in
    /// the order of the languages; none if it is in one language only.
    #[must_use]
    pub(crate) fn alternates(&self, link: &Link) -> &[Alternate] {
        let found = self.alternates.get(&link.plain);
        found.map_or(&[], |alternates| alternates)
    }

    /// Returns the overview of the terms of a field in a language: that of the first archive that is split by it.
    #[must_use]
    pub(crate) fn overview_of(
        &self,
        field: &str,
        locale: LocaleId,
        settings: &Settings,
    ) -> Option<&Link> {
        let archives = settings.archives.iter().zip(&self.overviews);
        let archives = archives.filter(|(archive, _)| archive.locale == locale);
        let mut of_field = archives.filter(|(archive, _)| {
            archive.by.as_ref().is_some_and(|by| {
                let field = settings
                    .term_fields
                    .iter()
                    .find(|known| known.name == field);
                field.is_some_and(|field| field.is(&by.node))
            })
        });
        of_field.find_map(|(_, overview)| overview.as_ref())
    }
}
