//! The addresses and stated ids of posts by the patterns of their content sets.

use indexmap::IndexMap;
use rayon::prelude::*;

use super::{Catalogue, PostId};
use crate::diagnostic::{Code, Diagnostic, Diagnostics, Help};
use crate::post::{Include, Post};
use crate::route::{Link, Pattern};
use crate::settings::{ContentSet, Settings};
use crate::slip::slip_of;
use crate::term::slug;
use crate::time::date_part;

/// The addresses of all posts by their sets' patterns.
pub(super) fn links(
    catalogue: &Catalogue,
    settings: &Settings,
    include: Include,
    today: jiff::civil::Date,
    diagnostics: &mut Diagnostics,
) -> Vec<Link> {
    let ids: Vec<PostId> = catalogue.all().collect();
    let sets = settings.content.iter();
    let patterns: Vec<Vec<Pattern>> = sets
        .map(|set| {
            let locales = settings.locales.iter();
            locales
                .map(|(_, locale)| set.link.below(&locale.prefix))
                .collect()
        })
        .collect();
    let links = ids.par_iter().map(|id| {
        let post = catalogue.post(*id);
        if let Some(own) = &post.link {
            return (own.clone(), None);
        }
        let set = &settings.content[post.set];
        let pattern = &patterns[post.set][post.locale.at()];
        let undated_draft = post.exclusion.draft && post.date.is_none();
        let value = |name: &str| {
            let draft = || undated_draft.then(|| date_part(today, name)).flatten();
            variable(catalogue, *id, name).or_else(draft)
        };
        match pattern.expand(value) {
            Ok(link) => (link, None),
            Err(missing) => {
                let is_date = matches!(missing, "year" | "month" | "day");
                // The missing date is an error by itself.
                let is_told = is_date && set.dated && post.date.is_none();
                let is_told = is_told || !include.has_page(post.exclusion);
                let missing = (!is_told).then(|| (*id, missing.to_owned()));
                (Link::new(format!("/{}/", post.slug)), missing)
            }
        }
    });
    let (links, missing): (Vec<_>, Vec<_>) = links.unzip();
    let missing: Vec<(PostId, String)> = missing.into_iter().flatten().collect();
    if !missing.is_empty() {
        diagnostics.extend(unfit_links(catalogue, settings, include, &missing));
    }
    links
}

/// Returns the errors of posts that lack a variable of their set's link: one at the settings if no post of the set has
/// it, or else one at each post.
fn unfit_links(
    catalogue: &Catalogue,
    settings: &Settings,
    include: Include,
    missing: &[(PostId, String)],
) -> Diagnostics {
    let mut by_variable: IndexMap<(usize, &str), Vec<PostId>> = IndexMap::new();
    for (id, variable) in missing {
        let key = (catalogue.post(*id).set, variable.as_str());
        by_variable.entry(key).or_default().push(*id);
    }
    let mut diagnostics = Diagnostics::new();
    for ((number, variable), ids) in by_variable {
        let set = &settings.content[number];
        let posts = catalogue.all().map(|id| catalogue.post(id));
        let posts = posts.filter(|post| post.set == number && include.has_page(post.exclusion));
        let posts: Vec<&Post> = posts.collect();
        let is_known = catalogue.term_field(variable).is_some()
            || LINK_VARIABLES.contains(&variable)
            || posts.iter().any(|post| post.front.at(variable).is_some());
        if ids.len() == posts.len() && (ids.len() > 1 || !is_known) {
            diagnostics.push(unfit_link(set, variable, &posts, catalogue, settings));
        } else {
            let unfit = ids
                .iter()
                .map(|id| lacks_variable(catalogue.post(*id), set, variable));
            diagnostics.extend(unfit);
        }
    }
    diagnostics
}

/// Returns the error of a link with a variable that no post of its set has.
fn unfit_link(
    set: &ContentSet,
    variable: &str,
    posts: &[&Post],
    catalogue: &Catalogue,
    settings: &Settings,
) -> Diagnostic {
    let location = settings.source.location(set.link_location);
    let text = set.link.text();
    let message = format!(
        "the link \"{text}\" needs one `{variable}` in each post, and no post of `{}` has one",
        set.name
    );
    let terms = catalogue.term_tables().iter();
    let terms = terms.map(|table| table.field.name.as_str());
    let own = posts.first().into_iter().flat_map(|post| {
        let entries = post.front.entries.iter();
        entries.map(|entry| entry.key.node.as_str())
    });
    let own = own.filter(|key| posts.iter().all(|post| post.front.get(key).is_some()));
    let known: Vec<&str> = LINK_VARIABLES.into_iter().chain(terms).chain(own).collect();
    let help = match slip_of(variable, known.iter().copied()) {
        Some(near) => {
            let text = text.replace(&format!("{{{variable}}}"), &format!("{{{near}}}"));
            let help = format!("did you mean {{{near}}}? write `link = \"{text}\"`");
            Help::instead(help, text)
        }
        None => "write a link of {year}, {month}, {day}, {slug}, {folder}, a term field or a front matter key that each post has once, such as `link = \"/{year}/{slug}/\"`".into(),
    };
    Diagnostic::error(Code::InvalidLinkPattern, location, message).help(help)
}

/// The variables of a link that are made of a post's file and date.
const LINK_VARIABLES: [&str; 5] = ["slug", "year", "month", "day", "folder"];

/// Returns a warning for each pattern of feed ids that fits no post of its set.
pub(super) fn unfit_ids(catalogue: &Catalogue, settings: &Settings) -> Diagnostics {
    let sets = settings.content.iter().enumerate();
    let patterns = sets.filter_map(|(number, set)| Some((number, set, set.feed_id.as_ref()?)));
    let unfit = patterns.filter_map(|(number, set, pattern)| {
        let posts = catalogue
            .all()
            .filter(|id| catalogue.post(*id).set == number);
        let mut ids = posts.map(|id| catalogue.stated_id(id, settings)).peekable();
        if ids.peek().is_none() || ids.any(|id| id.is_some()) {
            return None;
        }
        let location = settings.source.location(pattern.span);
        let message = format!(
            "no post of `{}` has what the pattern of ids \"{}\" needs, so that no id is made by it",
            set.name,
            pattern.node.text()
        );
        let found = Diagnostic::warning(Code::InvalidLinkPattern, location, message);
        Some(found.help("name a front matter key that the posts have, such as {info.number}"))
    });
    unfit.collect()
}

impl Catalogue {
    /// Returns the id in feeds that the content set of a post states by its pattern; `None` if it has no
    /// pattern, or the post lacks a value that it asks for.
    #[must_use]
    pub fn stated_id(&self, id: PostId, settings: &Settings) -> Option<String> {
        let pattern = settings.content[self.post(id).set].feed_id.as_ref()?;
        let written = |name: &str| {
            let value = self.post(id).front.at(name)?.node.written()?;
            Some(value.trim().to_owned())
        };
        let own = |name: &str| written(name).filter(|_| self.term_field(name).is_none());
        pattern
            .node
            .expand(|name| own(name).or_else(|| variable(self, id, name)))
    }
}

/// Returns the error of a post that lacks a variable of the link of its set.
fn lacks_variable(post: &Post, set: &ContentSet, missing: &str) -> Diagnostic {
    let message = format!(
        "the link \"{}\" of `{}` needs one `{missing}`, and this post has none or several of them",
        set.link.text(),
        set.name
    );
    Diagnostic::error(Code::InvalidLinkPattern, post.location_of(missing), message).help(format!(
        "give the post one `{missing}`, or the set a link that does without it"
    ))
}

/// The value of a link's variable for one post; `None` where it has none, or several.
fn variable(catalogue: &Catalogue, id: PostId, name: &str) -> Option<String> {
    let post = catalogue.post(id);
    match name {
        "slug" => return Some(post.slug.clone()),
        "folder" => return Some(post.folder.clone()),
        "year" | "month" | "day" => return date_part(post.date?.day, name),
        _ => {}
    }
    if let Some(field) = catalogue.term_field(name) {
        return match catalogue.terms_of(id, field) {
            [one] => {
                let term = catalogue.terms(field).term(*one);
                Some(term.slug_in(post.locale).to_owned())
            }
            _ => None,
        };
    }
    let written = post.front.at(name)?.node.written()?;
    let kept = crate::term::slug_error(written).is_none() && !written.is_empty();
    let value = if kept {
        written.to_owned()
    } else {
        slug(written)
    };
    (!value.is_empty()).then_some(value)
}
