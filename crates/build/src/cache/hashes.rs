//! What each post says, hashed.

use rayon::prelude::*;
use tabulae_core::catalogue::PostId;

use crate::fingerprint::Fingerprint;
use crate::site::Site;

/// What each post says, hashed once for as long as it says the same, by the posts' numbers.
#[derive(Debug)]
pub(crate) struct Hashes {
    /// Without its summary.
    pub(super) fronts: Vec<u64>,
    /// With it.
    pub(super) faces: Vec<u64>,
    pub(super) texts: Vec<u64>,
    pub(super) paths: Vec<u64>,
    /// The names of all terms.
    pub(super) terms: u64,
}

impl Hashes {
    pub(crate) fn of(site: &Site) -> Self {
        let catalogue = &site.catalogue;
        let ids: Vec<PostId> = catalogue.all().collect();
        let faces = ids.par_iter().map(|id| {
            let front = front(site, *id);
            (front, face(site, *id, front))
        });
        let (fronts, faces) = faces.unzip();
        let mut terms = Fingerprint::new();
        for table in catalogue.term_tables() {
            for term in &table.terms {
                terms.text(&term.name).text(&term.slug);
            }
        }
        let paths = ids.iter().map(|id| hash(&catalogue.post(*id).path));
        Self {
            fronts,
            faces,
            texts: ids.iter().map(|id| site.text_hash(*id)).collect(),
            paths: paths.collect(),
            terms: terms.done(),
        }
    }

    /// Takes over other texts of a few posts, of which nothing else changed but the summary.
    pub(crate) fn retext(&mut self, site: &Site, posts: &[PostId]) {
        for id in posts {
            let at = id.0 as usize;
            self.texts[at] = site.text_hash(*id);
            self.faces[at] = face(site, *id, self.fronts[at]);
        }
    }
}

/// What a post says, but for its text.
fn face(site: &Site, id: PostId, front: u64) -> u64 {
    let summary = site.catalogue.post(id).summary.as_deref();
    let mut face = Fingerprint::new();
    face.number(front).text(summary.unwrap_or_default());
    face.done()
}

/// What a post says, but for its summary and its text.
fn front(site: &Site, id: PostId) -> u64 {
    let catalogue = &site.catalogue;
    let post = catalogue.post(id);
    let mut all = Fingerprint::new();
    all.text(&post.path)
        .text(post.source.text())
        .text(&post.title)
        .text(&post.slug)
        .text(&catalogue.link(id).plain)
        .text(post.state.name())
        .text(&post.date.map(|date| date.rfc3339()).unwrap_or_default());
    // Which terms its spellings stand for, notes decide too.
    for (field, table) in catalogue.term_tables().iter().enumerate() {
        for term in catalogue.terms_of(id, field) {
            all.text(&table.field.name).text(&table.term(*term).slug);
        }
    }
    all.done()
}

pub(super) fn hash(text: &str) -> u64 {
    crate::output::checksum(text.as_bytes())
}
