//! Fingerprints of what outputs are made of.

use super::model::Plan;
use super::output::{Output, OutputKind};
use crate::fingerprint::Fingerprint;
use crate::site::Site;

/// Returns the fingerprint of the kind of an output and of the source or list that it is made of: another
/// post at the same address is another maker.
#[must_use]
pub(crate) fn maker(output: &Output, plan: &Plan, site: &Site) -> u64 {
    let mut all = Fingerprint::new();
    match &output.kind {
        OutputKind::Post(id) => all.text("post").text(&site.catalogue.post(*id).path),
        OutputKind::Page(at) => all.text("page").text(&site.pages[*at].post.path),
        OutputKind::List {
            archive,
            group,
            pager,
        } => all
            .text("list")
            .text(&plan.archives[*archive].groups[*group].link.plain)
            .text(&site.settings.archives[*archive].name)
            .number(pager.number as u64),
        OutputKind::Overview(at) => all.text("overview").text(&site.settings.archives[*at].name),
        OutputKind::Feed(at) => {
            let feed = &plan.feeds[*at];
            all.text("feed")
                .text(&feed.link.plain)
                .number(feed.part.number as u64)
        }
        OutputKind::Export(at) => all.text("export").text(&site.settings.exports[*at].name),
        OutputKind::Copy(source) => all.text("copy").text(source),
        OutputKind::Titles { archive, group } => all
            .text("titles")
            .text(&plan.archives[*archive].groups[*group].link.plain),
        OutputKind::Redirect(_) => all.text("redirect"),
        OutputKind::Style => all.text("style"),
        OutputKind::Script => all.text("script"),
        OutputKind::FeedStyle(_) => all.text("feed style"),
        OutputKind::Feeds(_) => all.text("feeds"),
        OutputKind::Opml(_) => all.text("opml"),
        OutputKind::Search(_) => all.text("search"),
        OutputKind::Texts(_) => all.text("texts"),
        OutputKind::SearchFile(_, file) => all.text("index").text(&file.name()),
        OutputKind::SearchScript => all.text("search script"),
        OutputKind::Sitemap(_) | OutputKind::SitemapIndex(_) => all.text("sitemap"),
    };
    all.done()
}
