//! Posts without a date that lists by date and feeds leave out: one warning for each list.

use tabulae_core::catalogue::PostId;
use tabulae_core::diagnostic::{Code, Diagnostic};
use tabulae_core::source::{Location, Span};

use super::planner::Planner;

impl Planner<'_> {
    /// Notes that a list leaves out a post. Drafts get their date later.
    pub(super) fn note_undated(&mut self, who: &str, location: Span, id: PostId) {
        let post = self.site.catalogue.post(id);
        // A post of a dated set without a date is an error by itself.
        if !post.exclusion.draft && !self.site.settings.content[post.set].dated {
            let list = (location, who.to_owned());
            self.undated.entry(list).or_default().insert(id);
        }
    }

    /// Warns of each list that leaves out posts, in the order of the settings.
    pub(super) fn report_undated(&mut self) {
        for ((span, who), posts) in std::mem::take(&mut self.undated) {
            let Some(first) = posts.first() else {
                continue;
            };
            let post = self.site.catalogue.post(*first);
            let location = self.site.settings.source.location(span);
            let left_out = match posts.len() {
                1 => "a post that has no date".to_owned(),
                count => format!("{count} posts that have no date"),
            };
            let help = "write `date: 2026-03-14` in each of them (for feeds, `updated` is enough), or name other content sets in the query, such as `from posts`";
            let warning = Diagnostic::warning(
                Code::UndatedPosts,
                location,
                format!("{who} leaves out {left_out}"),
            );
            let beside = if posts.len() == 1 {
                "this one"
            } else {
                "the first of them"
            };
            self.diagnostics.push(
                warning
                    .help(help)
                    .beside(Location::top_of(&post.path), beside.to_owned()),
            );
        }
    }
}
