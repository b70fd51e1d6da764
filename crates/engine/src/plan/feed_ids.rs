//! The ids of feed entries (RFC 4287, 4.2.6).

use std::collections::{BTreeMap, BTreeSet};

use tabulae_core::catalogue::PostId;
use tabulae_core::diagnostic::{Code, Diagnostic, Diagnostics};
use tabulae_core::route::{Link, decode, is_uri};

use super::model::Plan;
use crate::site::Site;

/// Returns the id of a post's entry: its own, else that which its content set states, else its first earlier
/// address, else its link; always an absolute URI.
pub(crate) fn entry_id(id: PostId, site: &Site) -> String {
    let post = site.catalogue.post(id);
    if let Some(own) = &post.id {
        if is_uri(own) {
            return own.clone();
        }
        let below = own.trim_start_matches('/');
        return site.absolute(&Link::new(format!("/{}", decode(below))));
    }
    if let Some(stated) = site.catalogue.stated_id(id, &site.settings) {
        return stated;
    }
    match post.moved_from.first() {
        Some(old) => site.absolute(&Link::new(decode(&old.node))),
        None => site.absolute(site.catalogue.link(id)),
    }
}

/// Returns the posts of all feeds.
pub(crate) fn in_feeds(plan: &Plan) -> BTreeSet<PostId> {
    let posts = plan.feeds.iter().flat_map(|feed| &feed.posts);
    posts.copied().collect()
}

/// Returns an error for each post with the id of another: a feed reader takes them for one entry.
pub(super) fn check_ids(site: &Site, plan: &Plan) -> Diagnostics {
    let mut diagnostics = Diagnostics::new();
    let mut known: BTreeMap<String, PostId> = BTreeMap::new();
    for id in in_feeds(plan) {
        let entry = entry_id(id, site);
        let Some(first) = known.get(&entry) else {
            known.insert(entry, id);
            continue;
        };
        if site.catalogue.link(*first) == site.catalogue.link(id) {
            // Posts with the same address are reported elsewhere.
            continue;
        }
        let [first, second] = [*first, id].map(|id| site.catalogue.post(id));
        diagnostics.push(
            Diagnostic::error(
                Code::DuplicateFeedId,
                second.location_of("id"),
                format!(
                    "`{}` and `{}` have the id \"{entry}\" in feeds, so that readers take them for one",
                    first.path, second.path
                ),
            )
            .beside(first.location_of("id"), "it is taken here")
            .help("give one of them another `id`, or none"),
        );
    }
    diagnostics
}
