//! The addresses of a site that readers notice, and what changed between two builds.

use std::collections::{BTreeMap, BTreeSet};

use serde::{Deserialize, Serialize};

use crate::diagnostic::{Code, Diagnostic, Diagnostics};
use crate::source::{Location, Source};

/// The kind of what is at an address.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Serialize, Deserialize)]
#[serde(rename_all = "lowercase")]
pub enum AddressKind {
    /// A feed.
    Feed,
    /// A file of fields of posts for other programs.
    Export,
    /// The page of a post.
    Post,
    /// Any other page; of a list only the first.
    Page,
    /// A page that leads to another address.
    Redirect,
}

impl AddressKind {
    const ALL: [(Self, &'static str); 5] = [
        (Self::Feed, "feed"),
        (Self::Export, "export"),
        (Self::Post, "post"),
        (Self::Page, "page"),
        (Self::Redirect, "redirect"),
    ];

    /// Returns the name: `feed`.
    #[must_use]
    pub fn name(self) -> &'static str {
        let found = Self::ALL.iter().find(|(kind, _)| *kind == self);
        found.map_or("", |(_, name)| name)
    }

    /// Returns the kind of a name.
    #[must_use]
    pub fn named(name: &str) -> Option<Self> {
        let found = Self::ALL.iter().find(|(_, known)| *known == name);
        found.map(|(kind, _)| *kind)
    }
}

/// An address: what is there.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
pub struct Address {
    /// The kind of what is there.
    pub kind: AddressKind,
    /// The path of the post's source.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub post: Option<String>,
}

/// The addresses of a site: feeds, exports, pages of posts, other pages, redirects.
#[derive(Debug, Clone, Default, PartialEq, Eq, Serialize, Deserialize)]
#[serde(deny_unknown_fields)]
pub struct AddressList {
    /// By address, from the site's root.
    pub addresses: BTreeMap<String, Address>,
    /// The ids of posts in feeds (RFC 4287, 4.2.6), by the paths of their sources.
    #[serde(default)]
    pub feed_ids: BTreeMap<String, String>,
}

/// The changes between two builds that readers notice.
#[derive(Debug, Clone, Default, PartialEq, Eq)]
pub struct AddressChanges {
    /// The feeds that are gone, without anything at their addresses.
    pub feeds_lost: Vec<String>,
    /// The exports that are gone, without anything at their addresses.
    pub exports_lost: Vec<String>,
    /// The pages that are gone, without anything at their addresses; not those of posts that are withdrawn.
    pub lost: Vec<String>,
    /// The posts that have a page for the first time: address and source.
    pub published: Vec<(String, String)>,
    /// The posts that no longer have a page, with nothing at its address: address and source.
    pub withdrawn: Vec<(String, String)>,
    /// The posts whose id in feeds is another: source, id before, id now.
    pub feed_ids: Vec<(String, String, String)>,
}

impl AddressList {
    fn posts(&self) -> impl Iterator<Item = (&String, &String)> {
        let addresses = self.addresses.iter();
        addresses.filter_map(|(at, address)| Some((at, address.post.as_ref()?)))
    }

    /// Returns the changes from this list to a later one. `is_taken` returns true if anything is at an address
    /// now, a copied file, too. Takes time in proportion to both lists.
    #[must_use]
    pub fn changes_to(&self, now: &Self, is_taken: &dyn Fn(&str) -> bool) -> AddressChanges {
        let sources = |list: &Self| -> BTreeSet<String> {
            list.posts().map(|(_, source)| source.clone()).collect()
        };
        let (before, after) = (sources(self), sources(now));
        let mut changes = AddressChanges::default();
        let gone = self.addresses.iter();
        let gone = gone.filter(|(at, _)| !now.addresses.contains_key(*at) && !is_taken(at));
        for (at, address) in gone {
            match (&address.kind, &address.post) {
                (AddressKind::Feed, _) => changes.feeds_lost.push(at.clone()),
                (AddressKind::Export, _) => changes.exports_lost.push(at.clone()),
                (AddressKind::Post, Some(source)) if !after.contains(source) => {
                    changes.withdrawn.push((at.clone(), source.clone()));
                }
                // A redirect is for those who know an address that is older still.
                _ => changes.lost.push(at.clone()),
            }
        }
        let is_new = |at: &String, source: &String| {
            let known = self.addresses.get(at);
            !before.contains(source) && known.is_none_or(|known| known.kind != AddressKind::Post)
        };
        let published = now.posts().filter(|(at, source)| is_new(at, source));
        changes.published = published
            .map(|(at, source)| (at.clone(), source.clone()))
            .collect();
        let ids = now.feed_ids.iter().filter_map(|(source, id)| {
            let known = self.feed_ids.get(source).filter(|known| *known != id)?;
            Some((source.clone(), known.clone(), id.clone()))
        });
        changes.feed_ids = ids.collect();
        changes
    }
}

impl AddressChanges {
    /// Returns true if readers notice nothing.
    #[must_use]
    pub fn is_empty(&self) -> bool {
        *self == Self::default()
    }

    /// Returns the changes of a kind that `keeps` returns true for.
    #[must_use]
    pub fn only(mut self, keeps: impl Fn(Code) -> bool) -> Self {
        if !keeps(Code::FeedLost) {
            self.feeds_lost.clear();
        }
        if !keeps(Code::ExportLost) {
            self.exports_lost.clear();
        }
        if !keeps(Code::AddressLost) {
            self.lost.clear();
        }
        if !keeps(Code::PostPublished) {
            self.published.clear();
        }
        if !keeps(Code::PostWithdrawn) {
            self.withdrawn.clear();
        }
        if !keeps(Code::FeedIdChanged) {
            self.feed_ids.clear();
        }
        self
    }

    /// Returns a warning for each change, but for feed ids, which are reported by themselves. What is lost
    /// comes first, at the top of the settings.
    #[must_use]
    pub fn warnings(&self, settings: &Source) -> Diagnostics {
        let settings = || settings.top();
        let feeds = self.feeds_lost.iter().map(|at| {
            Diagnostic::warning(Code::FeedLost, settings(), format!("the feed {at} is lost"))
                .help("bring it back, or write its address as `moved_from` in [feed.NAME], or that of its list in [archive.NAME]")
        });
        let exports = self.exports_lost.iter().map(|at| {
            Diagnostic::warning(
                Code::ExportLost,
                settings(),
                format!("the export {at} is lost"),
            )
            .help(format!(
                "bring it back, or write `link = \"{at}\"` in the [export.NAME] that replaces it"
            ))
        });
        let lost = self.lost.iter().map(|at| {
            let message = format!("the address {at} is lost, and nothing redirects from it");
            Diagnostic::warning(Code::AddressLost, settings(), message).help(format!(
                "bring it back, or write `moved_from = \"{at}\"` where the page is now"
            ))
        });
        let published = self.published.iter().map(|(at, source)| {
            let message = format!("this post is public for the first time, at {at}");
            Diagnostic::warning(Code::PostPublished, Location::top_of(source), message)
                .help("write `draft: true` if it should not be public")
        });
        let withdrawn = self.withdrawn.iter().map(|(at, source)| {
            let message = format!("this post is no longer public; it was at {at}");
            Diagnostic::warning(Code::PostWithdrawn, Location::top_of(source), message).help(
                format!(
                    "publish it again, or write `moved_from: {at}` in the page that replaces it"
                ),
            )
        });
        feeds
            .chain(exports)
            .chain(lost)
            .chain(published)
            .chain(withdrawn)
            .collect()
    }

    /// Returns one line for each kind with its addresses, the first `most` of them, what is lost first.
    #[must_use]
    pub fn lines(&self, most: usize) -> Vec<String> {
        let posts = |posts: &[(String, String)]| -> Vec<String> {
            posts
                .iter()
                .map(|(at, source)| format!("{at} ({source})"))
                .collect()
        };
        let ids = self.feed_ids.iter();
        let ids = ids.map(|(source, old, new)| format!("{source} (from {old} to {new})"));
        let kinds = [
            ("Feeds lost", self.feeds_lost.clone()),
            ("Exports lost", self.exports_lost.clone()),
            ("Addresses lost without a redirect", self.lost.clone()),
            ("Newly public", posts(&self.published)),
            ("Withdrawn", posts(&self.withdrawn)),
            ("Other ids in feeds", ids.collect()),
        ];
        let lines = kinds.into_iter().filter(|(_, found)| !found.is_empty());
        lines
            .map(|(kind, found)| {
                let shown = found.iter().take(most).cloned().collect::<Vec<_>>();
                let more = match found.len().saturating_sub(most) {
                    0 => String::new(),
                    more => format!(", and {more} more"),
                };
                format!("{kind}: {}{more}.", shown.join(", "))
            })
            .collect()
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use rstest::rstest;

    /// `feed /atom.xml; post /a/ posts/a.md=ID; page /; redirect /old/`
    fn list(text: &str) -> AddressList {
        let mut list = AddressList::default();
        for line in text.split("; ").filter(|line| !line.is_empty()) {
            let mut words = line.split(' ');
            let kind = AddressKind::named(words.next().unwrap()).unwrap();
            let at = words.next().unwrap().to_owned();
            let post = words.next().map(|post| {
                let (post, id) = post.split_once('=').unwrap_or((post, ""));
                if !id.is_empty() {
                    list.feed_ids.insert(post.to_owned(), id.to_owned());
                }
                post.to_owned()
            });
            list.addresses.insert(at, Address { kind, post });
        }
        list
    }

    #[rstest]
    #[case::nothing("page /; post /a/ a.md", "page /; post /a/ a.md", &[])]
    #[case::a_feed("feed /atom.xml", "", &["Feeds lost: /atom.xml."])]
    #[case::a_feed_that_leads_on("feed /atom.xml", "redirect /atom.xml", &[])]
    #[case::an_export("export /posts.json", "", &["Exports lost: /posts.json."])]
    #[case::an_export_that_another_replaces("export /taken/", "", &[])]
    #[case::a_page("page /tags/", "", &["Addresses lost without a redirect: /tags/."])]
    #[case::a_page_whose_address_is_taken("page /taken/", "", &[])]
    #[case::a_redirect("redirect /old/", "", &["Addresses lost without a redirect: /old/."])]
    #[case::a_new_post("", "post /a/ a.md", &["Newly public: /a/ (a.md)."])]
    #[case::a_new_page("", "page /about/", &[])]
    #[case::a_post_that_goes("post /a/ a.md", "", &["Withdrawn: /a/ (a.md)."])]
    #[case::a_post_that_moves("post /a/ a.md", "post /b/ a.md", &["Addresses lost without a redirect: /a/."])]
    #[case::a_post_that_moves_well("post /a/ a.md", "post /b/ a.md; redirect /a/", &[])]
    #[case::a_file_that_is_renamed("post /a/ a.md", "post /a/ b.md", &[])]
    #[case::an_id("post /a/ a.md=x", "post /a/ a.md=y", &["Other ids in feeds: a.md (from x to y)."])]
    #[case::many("page /1/; page /2/; page /3/; feed /f.xml", "", &["Feeds lost: /f.xml.", "Addresses lost without a redirect: /1/, /2/, and 1 more."])]
    fn what_readers_notice(#[case] before: &str, #[case] now: &str, #[case] expected: &[&str]) {
        let changes = list(before).changes_to(&list(now), &|at| at == "/taken/");
        assert_eq!(changes.lines(2), expected);
        assert_eq!(changes.is_empty(), expected.is_empty());
    }

    #[test]
    fn each_change_is_a_warning_of_its_own_code() {
        let before = list("feed /f.xml; export /e.csv; page /p/; post /a/ a.md");
        let changes = before.changes_to(&list("post /b/ b.md"), &|_| false);
        let codes = |changes: &AddressChanges| -> Vec<&str> {
            let warnings = changes
                .warnings(&Source::new("tabulae.toml", ""))
                .into_iter();
            warnings.map(|warning| warning.code.name()).collect()
        };
        let expected = [
            "feed-lost",
            "export-lost",
            "address-lost",
            "post-published",
            "post-withdrawn",
        ];
        assert_eq!(codes(&changes), expected);
        let kept = changes.only(|code| code == Code::PostWithdrawn);
        assert_eq!(codes(&kept), ["post-withdrawn"]);
    }

    #[test]
    fn a_list_is_read_as_it_was_saved() {
        let list = list("feed /atom.xml; export /e.csv; post /a/ a.md=x; page /; redirect /old/");
        let text = serde_json::to_string(&list).unwrap();
        assert_eq!(serde_json::from_str::<AddressList>(&text).unwrap(), list);
    }
}
