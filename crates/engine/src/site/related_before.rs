//! The related posts that the last build found, for a build after an edit of a few texts.

use std::sync::OnceLock;

use serde::{Deserialize, Serialize};
use tabulae_core::catalogue::PostId;
use tabulae_core::similarity::{BoundedHits, Doc, Drift, EditedText, Hit, Score, Term};

use super::{PreviousPosts, Site};

/// The maximum number of edited texts after which the hits of the last build are looked at.
const FEW: usize = 16;

/// The hits of all posts, as the cache has them.
#[derive(Debug, Clone, Default, Serialize, Deserialize)]
pub(crate) struct CachedHits {
    /// The fingerprint of all that hits depend on but texts.
    pub(crate) fronts: u64,
    /// By the number of the post; `None` if they are not known.
    pub(crate) hits: Vec<Option<PostHits>>,
}

/// The hits of one post.
#[derive(Debug, Clone, Serialize, Deserialize)]
pub(crate) struct PostHits {
    /// The numbers of the posts with their likeness in units of 10⁻⁹, most similar first.
    hits: Vec<(u32, u32)>,
    /// The most that the likeness of any other post can be.
    bound: u32,
    /// The most by which the likeness of a hit can be wrong.
    slack: u32,
}

impl From<&BoundedHits> for PostHits {
    fn from(bounded: &BoundedHits) -> Self {
        let hits = bounded.hits.iter();
        Self {
            hits: hits.map(|hit| (hit.doc.0, hit.score.units())).collect(),
            bound: bounded.bound.units(),
            slack: bounded.slack.units(),
        }
    }
}

impl From<&PostHits> for BoundedHits {
    fn from(cached: &PostHits) -> Self {
        let hits = cached.hits.iter().map(|(doc, score)| Hit {
            doc: Doc(*doc),
            score: Score::from_units(*score),
        });
        Self {
            hits: hits.collect(),
            bound: Score::from_units(cached.bound),
            slack: Score::from_units(cached.slack),
        }
    }
}

/// The hits of the last build, and what changed since.
#[derive(Debug)]
pub(super) struct RelatedBefore {
    hits: Vec<Option<BoundedHits>>,
    /// The posts whose texts changed, with the stems that they had.
    edited: Vec<(PostId, Vec<Box<str>>)>,
    /// By the number of the list.
    drift: Vec<OnceLock<Drift>>,
}

impl Site {
    /// Looks at the related posts that the last build found before it searches for any. `fronts` returns the current
    /// fingerprint of all that they depend on but texts. Does nothing if it is another one, if many texts changed,
    /// or if related posts depend on texts otherwise than by likeness.
    pub(crate) fn know_related(
        &self,
        cached: &CachedHits,
        fronts: impl FnOnce() -> u64,
        previous: PreviousPosts<'_>,
    ) {
        let posts = self.catalogue.all().len();
        let is_known = cached.hits.len() == posts && self.can_confirm_related();
        if !is_known || cached.fronts != fronts() {
            return;
        }
        let hash = |id: PostId| {
            let path = &self.catalogue.post(id).path;
            previous.posts.get(path).map(|cached| cached.hash)
        };
        let edited = self.catalogue.all();
        let edited = edited.filter(|id| hash(*id) != Some(self.text_hash(*id)));
        let edited: Vec<PostId> = edited.take(FEW + 1).collect();
        if edited.len() > FEW {
            return;
        }
        let edited: Option<Vec<_>> = edited
            .into_iter()
            .map(|post| Some((post, self.stems_before(post, previous)?)))
            .collect();
        let Some(edited) = edited else { return };
        let hits = cached.hits.iter();
        let before = RelatedBefore {
            hits: hits.map(|hits| hits.as_ref().map(Into::into)).collect(),
            edited,
            drift: self.related.iter().map(|_| OnceLock::new()).collect(),
        };
        let is_first = self.related_before.set(before).is_ok();
        debug_assert!(is_first, "once a build");
    }

    /// Returns the hits that the last build found for a post, with the drift since.
    pub(super) fn hits_before(&self, id: PostId) -> Option<(&BoundedHits, &Drift)> {
        let before = self.related_before.get()?;
        let hits = before.hits[id.0 as usize].as_ref()?;
        let post = self.catalogue.post(id);
        let list = self.related.number(post.set, post.locale)?;
        let (index, _) = self.likeness(id)?;
        let drift = before.drift[list].get_or_init(|| {
            let edited = before.edited.iter();
            index.drift(
                &edited
                    .map(|(post, stems)| self.edited_text(*post, stems))
                    .collect::<Vec<_>>(),
            )
        });
        Some((hits, drift))
    }

    /// Returns the hits of all posts for the next build: those found in this build, and if no text changed, those
    /// of the last one.
    pub(crate) fn cached_hits(&self, fronts: impl FnOnce() -> u64) -> CachedHits {
        if !self.can_confirm_related() {
            return CachedHits::default();
        }
        let before = self.related_before.get();
        let before = before.filter(|before| before.edited.is_empty());
        let posts = self.catalogue.all().zip(&self.related_to);
        let hits = posts.map(|(id, found)| {
            let known = before.and_then(|before| before.hits[id.0 as usize].as_ref());
            match found.get() {
                Some(found) => found.hits.as_ref(),
                None => known,
            }
        });
        CachedHits {
            fronts: fronts(),
            hits: hits.map(|hits| hits.map(PostHits::from)).collect(),
        }
    }

    /// Returns true if texts change related posts by likeness alone.
    fn can_confirm_related(&self) -> bool {
        let traits = &self.query_traits;
        !self.related.is_empty()
            && !traits.texts
            && !traits.summaries
            && self.likeness_weighs_texts()
    }

    /// Returns the stems that a post's text had in the last build; `None` if its words were not counted.
    fn stems_before(&self, post: PostId, previous: PreviousPosts<'_>) -> Option<Vec<Box<str>>> {
        let cached = previous.posts.get(&self.catalogue.post(post).path)?;
        let counts: Vec<(u32, u16)> = postcard::from_bytes(&cached.words.stems).ok()?;
        let stems = counts.iter();
        let stems = stems.map(|(stem, _)| previous.vocabulary.stems.get(*stem as usize).cloned());
        stems.collect()
    }

    fn edited_text(&self, post: PostId, stems: &[Box<str>]) -> EditedText {
        let body = &self.catalogue.words().body;
        let numbers = stems.iter().filter_map(|stem| body.number(stem));
        let mut stems: Vec<Term> = numbers.map(Term).collect();
        stems.sort_unstable();
        EditedText { post, stems }
    }
}
