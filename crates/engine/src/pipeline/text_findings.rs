//! Diagnostics of the texts of a few files, without rendering, as an editor wants them while it types.

use std::collections::BTreeSet;

use tabulae_core::diagnostic::{Diagnostic, Diagnostics, without};
use tabulae_core::post::Post;
use tabulae_core::route::Link;
use tabulae_core::weave::{Page, What};

use super::broken_links::{Checker, texts};
use crate::plan::Plan;
use crate::site::Site;
use crate::source::Sources;
use crate::template::query_findings;

/// The diagnostics of a few files that need no rendering, but the addresses of the site, by who reports them.
#[derive(Debug, Clone, Default)]
pub struct TextFindings {
    /// Of a build: links to source files that lead to no page, and the queries of placeholders.
    pub built: Vec<Diagnostic>,
    /// Of an audit alone: all other addresses that lead nowhere.
    pub audited: Vec<Diagnostic>,
}

impl TextFindings {
    /// Returns those of the posts and pages in `files`; `others` are further files that are published. Takes time in
    /// proportion to the number of outputs, and to the texts of these files.
    pub(crate) fn new(
        (site, plan): (&Site, &Plan),
        others: &[String],
        sources: &dyn Sources,
        files: &BTreeSet<&str>,
    ) -> Self {
        let wanted: Vec<(&Post, &Link)> = texts(site)
            .filter(|(post, _)| files.contains(&*post.path))
            .collect();
        let mut found = Self::default();
        if wanted.is_empty() {
            return found;
        }
        let checker = Checker::new(site, plan, others);
        for (post, link) in wanted {
            found.built.extend(checker.of_sources(post, link, sources));
            found.built.extend(placeholder_findings(site, post));
            found.audited.extend(checker.of(post, link, sources));
        }
        found.audited = without(found.audited, &found.built);
        found
    }
}

/// Returns the diagnostics of a post's placeholders, and of the queries in them.
fn placeholder_findings(site: &Site, post: &Post) -> Diagnostics {
    let mut found = Diagnostics::new();
    if !post.has_placeholders {
        return found;
    }
    // A file that cannot be read again has its own diagnostic.
    let Ok(source) = site.source_of(&post.path) else {
        return found;
    };
    let html = post.html.get();
    let page = Page::of_source(&source, &html).into_output(&mut found);
    for placeholder in &page.placeholders {
        if let What::Query(text) = &placeholder.ask.what {
            found.extend(query_findings(site, text));
        }
    }
    found
}
