//! Related posts with what makes them alike, and the overview of all lists.

use rayon::prelude::*;
use tabulae_core::catalogue::PostId;
use tabulae_core::query::{Library, Scope};
use tabulae_core::related::overview::{RelatedChange, RelatedFigures, RelatedOf, changes};
use tabulae_core::settings::Settings;
use tabulae_core::similarity::{FieldWeights, Index, Score};

use super::post::PostRef;
use crate::error::Error;
use crate::site::{RelatedLists, Site};

/// A related post.
#[derive(Debug, Clone)]
pub struct RelatedPost<'a> {
    /// The post.
    pub post: PostRef<'a>,
    /// The likeness in units of 10⁻⁹, from 0 to 1,000,000,000; an exact fixed-point number.
    pub likeness: u32,
    /// The contribution of each field, in the order of the settings' weights.
    pub shared: Vec<Shared>,
    /// Set if the post names it in its front matter.
    pub is_pinned: bool,
}

/// The contribution of one field to a likeness.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Shared {
    /// The name of the field: `tag`, `title`.
    pub field: String,
    /// The part of the likeness, in units of 10⁻⁹.
    pub part: u32,
    /// The terms or stems that both posts have.
    pub terms: Vec<String>,
}

impl RelatedPost<'_> {
    /// Returns the likeness as a number from 0 to 1.
    #[must_use]
    pub fn score(&self) -> f64 {
        Score::from_units(self.likeness).ratio()
    }
}

impl<'a> RelatedPost<'a> {
    /// Returns the related posts of a post, in order.
    pub(super) fn of(site: &'a Site, id: PostId) -> Vec<Self> {
        let related = site.related_to(id).iter();
        let known = site.likeness(id);
        related
            .map(|other| Self::new(site, id, *other, known))
            .collect()
    }

    /// Returns the related posts of a post by other settings, in order; none if they give it no list.
    ///
    /// # Errors
    /// If a query or a weight of the settings cannot be resolved.
    pub(super) fn of_trial(
        site: &'a Site,
        settings: &Settings,
        id: PostId,
    ) -> Result<Vec<Self>, Error> {
        let post = site.catalogue.post(id);
        let lists = lists_of(site, settings)?;
        let list = lists.of(post.set, post.locale);
        let Some(list) = list.filter(|_| post.lists_related) else {
            return Ok(Vec::new());
        };
        let query = list.query();
        let known = query.index(&site.catalogue).zip(query.weights());
        let related = list.of(&site.catalogue, id).into_iter();
        Ok(related
            .map(|other| Self::new(site, id, other, known))
            .collect())
    }

    fn new(
        site: &'a Site,
        id: PostId,
        other: PostId,
        known: Option<(&Index, &FieldWeights)>,
    ) -> Self {
        let catalogue = &site.catalogue;
        let locale = site.locale_of(id);
        let likeness = known.map_or(Score::ZERO, |(index, _)| index.likeness(id, other));
        let shared = known.iter().flat_map(|(index, weights)| {
            let contributions = index.breakdown(id, other).into_iter();
            contributions.map(move |contribution| {
                let field = weights.fields[contribution.field].field;
                let terms = contribution.shared.iter();
                Shared {
                    field: field.name(catalogue).to_owned(),
                    part: contribution.part.units(),
                    terms: terms
                        .map(|term| field.term_name(*term, (catalogue, locale)).to_owned())
                        .collect(),
                }
            })
        });
        Self {
            post: PostRef::new(site, other),
            likeness: likeness.units(),
            shared: shared.collect(),
            is_pinned: catalogue.pinned(id).any(|pinned| pinned == other),
        }
    }
}

/// Resolves the queries of other settings.
///
/// # Errors
/// If a query or a weight cannot be resolved.
fn lists_of(site: &Site, settings: &Settings) -> Result<RelatedLists, Error> {
    let catalogue = &site.catalogue;
    let library = Library::new(settings, catalogue, &site.moment);
    let mut diagnostics = library.diagnostics;
    let library = library.output;
    let scopes = settings.locales.ids();
    let scopes = scopes.map(|id| Scope::new(catalogue, &library, &site.moment).within(id));
    let scopes: Vec<Scope<'_>> = scopes.collect();
    let lists = RelatedLists::new(settings, &scopes, &mut diagnostics);
    diagnostics.retain(|found| found.is_error());
    match diagnostics.is_empty() {
        true => Ok(lists),
        false => Err(Error::new(diagnostics)),
    }
}

/// The lists of related posts of all posts, with figures.
#[derive(Debug)]
pub struct RelatedOverview<'a> {
    site: &'a Site,
    /// The lists, in the default order of their posts.
    pub lists: Vec<RelatedOf>,
    /// Figures on the lists.
    pub figures: RelatedFigures,
}

impl<'a> RelatedOverview<'a> {
    /// Finds the lists of all posts with a page, by the site's settings.
    pub(super) fn new(site: &'a Site) -> Self {
        Self::of(site, &|id| {
            let posts = site
                .related_list(id)
                .map(|_| site.related_to(id).to_vec())?;
            Some((posts, site.found_related(id)))
        })
    }

    /// Finds the lists of all posts with a page, by other settings of related posts.
    ///
    /// # Errors
    /// If a query or a weight of the settings cannot be resolved.
    pub(super) fn by(site: &'a Site, settings: &Settings) -> Result<Self, Error> {
        let catalogue = &site.catalogue;
        let lists = lists_of(site, settings)?;
        Ok(Self::of(site, &|id| {
            let post = catalogue.post(id);
            let list = lists.of(post.set, post.locale);
            let related = list
                .filter(|_| post.lists_related)?
                .find(catalogue, id, None);
            Some((related.posts, related.found))
        }))
    }

    fn of(site: &'a Site, list: &(dyn Fn(PostId) -> Option<(Vec<PostId>, usize)> + Sync)) -> Self {
        let posts: Vec<PostId> = site
            .catalogue
            .all()
            .filter(|id| site.has_page(*id))
            .collect();
        let lists = posts.par_iter().filter_map(|post| {
            let (posts, found) = list(*post)?;
            let post = *post;
            Some(RelatedOf { post, posts, found })
        });
        let lists: Vec<RelatedOf> = lists.collect();
        let candidates = site.catalogue.listed(None).iter().copied();
        let figures = RelatedFigures::of(&lists, candidates);
        Self {
            site,
            lists,
            figures,
        }
    }

    /// Returns the lists that are others by other settings.
    #[must_use]
    pub fn changes_to(&self, other: &Self) -> Vec<RelatedChange> {
        changes(&self.lists, &other.lists)
    }

    /// Returns a post of the figures.
    #[must_use]
    pub fn post(&self, id: PostId) -> PostRef<'a> {
        PostRef::new(self.site, id)
    }
}
