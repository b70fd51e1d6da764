//! Definitions and references: of terms, posts, queries, archives and templates.

use lsp_types::Location;
use tabulae_core::post::written_terms;
use tabulae_core::source::Span;

use crate::open_site::{OpenSite, Spot, TermAt};
use crate::place::Place;
use tabulae_core::query::place::{QueryPlace, query_place};

/// Returns where the thing at a spot is defined: of a term its note, or else all posts that have it.
pub(crate) fn definition(site: OpenSite<'_>, spot: &Spot<'_>) -> Vec<Location> {
    if let Some((term, _)) = site.term_at(spot) {
        let notes = site.site.notes_of(term.field, term.id);
        let notes: Vec<Location> = notes.iter().filter_map(|path| site.top(path)).collect();
        return match notes.is_empty() {
            true => uses(site, term),
            false => notes,
        };
    }
    let found = match &spot.place {
        Place::FrontValue(key, value) if key == "related" => {
            let post = site.named_post(&spot.text[value.clone()]);
            post.and_then(|post| site.top(&post.path))
        }
        Place::FrontValue(key, value) | Place::SettingsValue(_, key, value)
            if key == "template" =>
        {
            template(site, &spot.text[value.clone()])
        }
        Place::SettingsValue(_, key, value) if key == "menu" => {
            archive(site, &spot.text[value.clone()])
        }
        Place::Template(name) => template(site, &spot.text[name.clone()]),
        Place::Query(query, at) => {
            let text = &spot.text[query.clone()];
            match query_place(text, *at) {
                QueryPlace::Source(word) => source(site, &text[word]),
                _ => None,
            }
        }
        _ => None,
    };
    found.into_iter().collect()
}

/// Returns all places at which the term at a spot is written, and its notes.
pub(crate) fn references(site: OpenSite<'_>, spot: &Spot<'_>) -> Vec<Location> {
    let Some((term, _)) = site.term_at(spot) else {
        return Vec::new();
    };
    let notes = site.site.notes_of(term.field, term.id);
    let notes = notes.iter().filter_map(|path| site.top(path));
    uses(site, term).into_iter().chain(notes).collect()
}

/// Returns all places in front matter at which a term is written.
fn uses(site: OpenSite<'_>, term: TermAt<'_>) -> Vec<Location> {
    let (Some(catalogue), Some(settings), Ok(moment)) =
        (site.catalogue(), site.settings(), site.site.moment())
    else {
        return Vec::new();
    };
    let table = catalogue.terms(term.field);
    let posts = site.posts_with(term).map(|id| catalogue.post(id));
    let places = posts.flat_map(|post| {
        let values = written_terms(post, term.field, settings, moment).into_iter();
        let own = values.filter(|value| table.find(&value.node) == Some(term.id));
        own.map(|value| (post.path.as_str(), value.span))
    });
    places
        .filter_map(|(path, span)| site.location(path, span))
        .collect()
}

fn template(site: OpenSite<'_>, name: &str) -> Option<Location> {
    let path = format!("templates/{name}");
    site.root.join(&path).exists().then(|| site.top(&path))?
}

/// Returns the place of a content set or a named query in the settings.
fn source(site: OpenSite<'_>, name: &str) -> Option<Location> {
    let settings = site.settings()?;
    let named = settings
        .queries
        .iter()
        .find(|(known, _)| known.node == name);
    let set = settings
        .content
        .iter()
        .find(|set| set.name == name && !set.is_implicit);
    let span = named
        .map(|(name, _)| name.span)
        .or(set.map(|set| set.location))?;
    in_settings(site, span)
}

fn archive(site: OpenSite<'_>, name: &str) -> Option<Location> {
    let archives = &site.settings()?.archives;
    let archive = archives.iter().find(|archive| archive.name == name)?;
    in_settings(site, archive.location)
}

fn in_settings(site: OpenSite<'_>, span: Span) -> Option<Location> {
    site.location(site.settings()?.source.file()?, span)
}
