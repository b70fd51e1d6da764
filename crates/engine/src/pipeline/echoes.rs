//! Echoes: diagnostics that follow from another one.

use std::collections::BTreeSet;
use std::sync::Arc;

use tabulae_core::diagnostic::{Code, Diagnostics};

/// Drops diagnostics that follow from an error in the same post: one whose date is invalid has no link and no
/// place in feeds either.
pub(crate) fn drop_echoes(diagnostics: &mut Diagnostics) {
    let is_echo = |code| {
        matches!(
            code,
            Code::InvalidLinkPattern | Code::UndatedPosts | Code::DuplicateFeedId
        )
    };
    let errors = diagnostics
        .iter()
        .filter(|diagnostic| diagnostic.is_error() && !is_echo(diagnostic.code));
    let broken: BTreeSet<Arc<str>> = errors
        .filter_map(|diagnostic| diagnostic.location.file.clone())
        .collect();
    diagnostics.retain(|diagnostic| {
        // Undated posts are left out by a list of the settings, which names the first of them.
        let location = match (&diagnostic.code, &diagnostic.other) {
            (Code::UndatedPosts, Some((location, _))) => location,
            _ => &diagnostic.location,
        };
        let file = location.file.as_deref().unwrap_or_default();
        !is_echo(diagnostic.code)
            || !file.ends_with(".md") && !file.ends_with(".html")
            || !broken.contains(file)
    });
}
