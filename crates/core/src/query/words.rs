//! Kinds, names and terms in words, for messages.

use crate::language::fold;
use crate::value::Kind;

pub(super) fn kinds_text(kinds: &[Kind]) -> String {
    if kinds.is_empty() {
        return "nothing yet".to_owned();
    }
    kinds
        .iter()
        .map(|kind| kind.plural())
        .collect::<Vec<_>>()
        .join(" and ")
}

pub(super) fn listed(names: &[&str]) -> String {
    names
        .iter()
        .map(|name| format!("`{name}`"))
        .collect::<Vec<_>>()
        .join(", ")
}

/// At most three names, the most alike first.
pub(super) fn nearest_terms<'a>(written: &str, names: &[&'a str]) -> Vec<&'a str> {
    let wanted = fold(written);
    let mut scored: Vec<(f64, &str)> = names
        .iter()
        .map(|name| (strsim::jaro_winkler(&wanted, &fold(name)), *name))
        .filter(|(score, _)| *score >= 0.75)
        .collect();
    scored.sort_by(|a, b| b.0.total_cmp(&a.0).then_with(|| a.1.cmp(b.1)));
    scored.into_iter().take(3).map(|(_, name)| name).collect()
}
