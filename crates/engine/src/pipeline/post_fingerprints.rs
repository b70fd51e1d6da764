//! The fingerprints of posts.

use rayon::prelude::*;
use tabulae_core::catalogue::PostId;
use tabulae_core::post::State;

use crate::fingerprint::{Fingerprint, hash};
use crate::site::Site;

/// The fingerprints of all posts, by their numbers, and of all terms.
#[derive(Debug)]
pub(crate) struct PostFingerprints {
    /// The metadata without the summary.
    pub(super) fronts: Vec<u64>,
    /// The metadata.
    pub(super) metadata: Vec<u64>,
    pub(super) texts: Vec<u64>,
    pub(super) paths: Vec<u64>,
    /// The names of all terms.
    pub(super) terms: u64,
}

impl PostFingerprints {
    pub(crate) fn of(site: &Site) -> Self {
        let catalogue = &site.catalogue;
        let ids: Vec<PostId> = catalogue.all().collect();
        let metadata = ids.par_iter().map(|id| {
            let front = front(site, *id);
            (front, metadata(site, *id, front))
        });
        let (fronts, metadata) = metadata.unzip();
        let mut terms = Fingerprint::new();
        for table in catalogue.term_tables() {
            for term in &table.terms {
                for locale in site.settings.locales.ids() {
                    terms.text(term.name_in(locale)).text(term.slug_in(locale));
                }
            }
        }
        let paths = ids.iter().map(|id| hash(&catalogue.post(*id).path));
        Self {
            fronts,
            metadata,
            texts: ids.iter().map(|id| site.text_hash(*id)).collect(),
            paths: paths.collect(),
            terms: terms.done(),
        }
    }

    /// Updates posts whose text changed, and of whose metadata only the summary may have changed.
    pub(crate) fn retext(&mut self, site: &Site, posts: &[PostId]) {
        for id in posts {
            let at = id.0 as usize;
            self.texts[at] = site.text_hash(*id);
            self.metadata[at] = metadata(site, *id, self.fronts[at]);
        }
    }
}

/// Returns the fingerprint of everything but the text.
fn metadata(site: &Site, id: PostId, front: u64) -> u64 {
    let summary = site.catalogue.post(id).summary.as_deref();
    let mut all = Fingerprint::new();
    all.number(front).text(summary.unwrap_or_default());
    all.done()
}

/// Returns the fingerprint of everything but summary and text.
fn front(site: &Site, id: PostId) -> u64 {
    let catalogue = &site.catalogue;
    let post = catalogue.post(id);
    let mut all = Fingerprint::new();
    all.text(&post.path)
        .text(post.source.text())
        .text(&post.title)
        .text(&post.slug)
        .text(&catalogue.link(id).plain)
        .text(&post.exclusion.states().map(State::name).collect::<String>())
        .text(&post.date.map(|date| date.rfc3339()).unwrap_or_default());
    // Term notes decide, too, which terms its spellings mean.
    for (field, table) in catalogue.term_tables().iter().enumerate() {
        for term in catalogue.terms_of(id, field) {
            all.text(&table.field.name).text(&table.term(*term).slug);
        }
    }
    all.done()
}
