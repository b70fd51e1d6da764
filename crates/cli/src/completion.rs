//! Completion of what a site has, such as its tags, while a command is typed in a shell.

use std::path::PathBuf;

use clap_complete::CompletionCandidate;
use tabulae_engine::Workspace;

/// Returns the site of the command line that is completed: the one that `-C` names, or the nearest one upward.
fn site() -> Option<Workspace> {
    let words: Vec<_> = std::env::args_os().collect();
    let named = words.windows(2).find(|pair| pair[0] == "-C");
    let folder = named.map_or_else(|| PathBuf::from("."), |pair| PathBuf::from(&pair[1]));
    Workspace::open(folder).ok()
}

/// Returns the terms of a field, or of all, with their numbers of posts; most posts first.
fn terms(field: Option<&str>) -> Vec<CompletionCandidate> {
    let site = site();
    let fields = site.as_ref().and_then(|site| site.terms(field).ok());
    let used = fields.iter().flatten().flat_map(|field| &field.terms);
    let candidates = used.enumerate().map(|(order, used)| {
        let count = used.term.posts.len();
        CompletionCandidate::new(&used.term.name)
            .help(Some(format!("{count} posts").into()))
            .display_order(Some(order))
    });
    candidates.collect()
}

/// Returns the tags.
pub(crate) fn tags() -> Vec<CompletionCandidate> {
    terms(Some("tag"))
}

/// Returns the categories.
pub(crate) fn categories() -> Vec<CompletionCandidate> {
    terms(Some("category"))
}

/// Returns the terms of all fields.
pub(crate) fn all_terms() -> Vec<CompletionCandidate> {
    terms(None)
}

/// Returns the names of the term fields.
pub(crate) fn term_fields() -> Vec<CompletionCandidate> {
    let site = site();
    let fields = site.as_ref().and_then(|site| site.terms(None).ok());
    let fields = fields.iter().flatten();
    fields
        .map(|field| CompletionCandidate::new(field.field))
        .collect()
}

/// Returns the names of the content sets.
pub(crate) fn content_sets() -> Vec<CompletionCandidate> {
    let site = site();
    let settings = site.as_ref().and_then(|site| site.settings().ok());
    let sets = settings.iter().flat_map(|settings| &settings.content);
    sets.map(|set| CompletionCandidate::new(&set.name))
        .collect()
}
