//! The ids under which feed readers know posts, kept from build to build.

use std::collections::{BTreeMap, BTreeSet};

use tabulae_core::catalogue::PostId;
use tabulae_core::diagnostic::{Code, Diagnostic, Diagnostics};
use tabulae_core::edit::Edit;
use tabulae_core::front_matter::insertion;
use tabulae_core::post::Post;
use tabulae_core::source::Location;

use super::{Manifest, Published};
use crate::fingerprint::hash;
use crate::plan::{Plan, entry_id, in_feeds};
use crate::site::Site;

/// The number of changed ids that are reported one by one; more have one common cause.
const TOLD: usize = 5;

/// Returns the current and earlier ids of the posts in feeds, by the posts' paths. An id that changes
/// although the post does not set it is a warning, as feed readers show the entry again.
#[must_use]
pub(crate) fn feed_ids(
    site: &Site,
    plan: &Plan,
    old: Option<&Manifest>,
    diagnostics: &mut Diagnostics,
) -> BTreeMap<String, Published> {
    let known = Known::new(site, old);
    let mut now = known.kept();
    let (mut changed, mut guessed) = (Vec::new(), Vec::new());
    for id in in_feeds(plan) {
        let post = site.catalogue.post(id);
        let mark = mark(id, site);
        let entry = entry_id(id, site);
        let mut ids = known.ids(&post.path, mark).to_vec();
        if !ids.contains(&entry) {
            if let (Some(last), None) = (ids.last(), &post.id) {
                changed.push((id, last.clone(), entry.clone()));
            }
            let is_stated =
                post.id.is_some() || site.catalogue.stated_id(id, &site.settings).is_some();
            if ids.is_empty() && !is_stated && !post.moved_from.is_empty() {
                guessed.push((id, entry.clone()));
            }
            ids.push(entry);
        } else if ids.last() != Some(&entry) {
            // A reader knows it, but the last build had another one.
            ids.retain(|known| *known != entry);
            ids.push(entry);
        }
        now.insert(post.path.clone(), Published { mark, ids });
    }
    warn(site, &changed, diagnostics);
    diagnostics.extend(guess(site, &guessed));
    now
}

/// Returns the warning of posts that are new to Tabulae and have an old address, which becomes their id.
fn guess(site: &Site, guessed: &[(PostId, String)]) -> Option<Diagnostic> {
    let (first, id) = guessed.first()?;
    let post = site.catalogue.post(*first);
    let message = match guessed.len() {
        1 => format!(
            "readers of feeds know this post as \"{id}\" from now on, its first old address"
        ),
        count => format!(
            "readers of feeds know {count} posts by their first old addresses from now on, this one as \"{id}\""
        ),
    };
    let set = &site.settings.content[post.set].name;
    let help = format!(
        "if an old feed had other ids, write `id: …` into the front matter, or a pattern such as `feed_id = \"https://old.example/?p={{info.number}}\"` into [content.{set}]; else readers see the posts once more"
    );
    let location = post.source.location(post.moved_from.first()?.span);
    Some(Diagnostic::warning(Code::GuessedFeedId, location, message).help(help))
}

/// Returns the fingerprint by which a post is recognised when its file is renamed: that of title and date.
fn mark(id: PostId, site: &Site) -> u64 {
    let post = site.catalogue.post(id);
    let date = post.date.map(|date| date.rfc3339()).unwrap_or_default();
    hash(&format!("{date}\n{}", post.title))
}

/// The ids of earlier builds.
struct Known<'a> {
    by_path: BTreeMap<&'a str, &'a Published>,
    /// Posts whose files are gone, by fingerprint; `None` if two have the same one.
    gone: BTreeMap<u64, Option<&'a Published>>,
}

impl<'a> Known<'a> {
    fn new(site: &Site, old: Option<&'a Manifest>) -> Self {
        let there: BTreeSet<&str> = site
            .catalogue
            .all()
            .map(|id| site.catalogue.post(id).path.as_str())
            .collect();
        let mut known = Self {
            by_path: BTreeMap::new(),
            gone: BTreeMap::new(),
        };
        for (path, published) in old.iter().flat_map(|old| &old.published) {
            if there.contains(path.as_str()) || site.is_left_out(path) {
                known.by_path.insert(path, published);
            } else {
                known
                    .gone
                    .entry(published.mark)
                    .and_modify(|known| *known = None)
                    .or_insert(Some(published));
            }
        }
        known
    }

    fn ids(&self, path: &str, mark: u64) -> &'a [String] {
        let gone = || self.gone.get(&mark).copied().flatten();
        let known = self.by_path.get(path).copied().or_else(gone);
        known.map_or(&[], |published| &published.ids)
    }

    /// Returns the ids of posts that still exist, in a feed or not.
    fn kept(&self) -> BTreeMap<String, Published> {
        let kept = self.by_path.iter();
        kept.map(|(path, published)| ((*path).to_owned(), (*published).clone()))
            .collect()
    }
}

/// Returns the edit that keeps the id of a post: its old address, or the id itself. `None` if the front matter has the key
/// already.
fn keeps_id(post: &Post, old: &str, root: &str) -> Option<Edit> {
    let address = old.strip_prefix(root).map(|below| format!("/{below}"));
    let (key, value) = match &address {
        Some(address) => ("moved_from", address.as_str()),
        None => ("id", old),
    };
    let is_there = post.front.get(key).is_some();
    (!is_there).then(|| insertion(&post.source, key, &[value]))?
}

fn warn(site: &Site, changed: &[(PostId, String, String)], diagnostics: &mut Diagnostics) {
    let Some((first, old, new)) = changed.first() else {
        return;
    };
    if changed.len() > TOLD {
        let message = format!(
            "the ids of {} posts in feeds change, as that of `{}` from \"{old}\" to \"{new}\": readers will show them once more",
            changed.len(),
            site.catalogue.post(*first).path,
        );
        diagnostics.push(
            Diagnostic::warning(Code::FeedIdChanged, site.settings.source.top(), message).help(
                "keep `address` and the posts' `link` as they were, or write each old address into the front matter as `moved_from`",
            ),
        );
        return;
    }
    let root = site.settings.site.address.root();
    for (id, old, new) in changed {
        let post = site.catalogue.post(*id);
        let help = match old.strip_prefix(&root) {
            Some(below) => format!(
                "write `moved_from: /{below}` into the front matter, which also leads readers of the old address here; or `id: {old}`"
            ),
            None => format!("write `id: {old}` into the front matter"),
        };
        let message = format!(
            "the id of this post in feeds changes from \"{old}\" to \"{new}\": readers will show it once more"
        );
        diagnostics.push(
            Diagnostic::warning(Code::FeedIdChanged, Location::top_of(&post.path), message)
                .help(help)
                .edit(keeps_id(post, old, &root)),
        );
    }
}
