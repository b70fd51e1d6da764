//! Related posts with what makes them alike.

use tabulae_core::catalogue::PostId;
use tabulae_core::similarity::Score;

use super::post::PostRef;
use crate::site::Site;

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
        related.map(|other| Self::new(site, id, *other)).collect()
    }

    fn new(site: &'a Site, id: PostId, other: PostId) -> Self {
        let catalogue = &site.catalogue;
        let locale = site.locale_of(id);
        let known = site.likeness(id);
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
