//! How alike posts are: the field by field cosine of term and word vectors, weighed; which posts
//! are most alike one, exactly; and a likeness taken apart.
//!
//! likeness(a, b) = Σ w·s / Σ w over the weighed fields, where s is the cosine of two vectors. A
//! component is idf = ln(1 + N/df) for a term, (1 + ln count)·idf for a word's stem; N and df
//! are those of a query's sources, df at least 1.

mod best;
mod blocks;
mod classes;
mod common;
mod index;
mod packed;
mod scores;
mod search;
mod space;
#[cfg(test)]
mod tests;
mod texts;

use crate::catalogue::Catalogue;
use crate::diagnostic::{Code, Diagnostic, Diagnostics};
use crate::settings::{FILE, Related};
use crate::source::{Place, Source};

pub use self::index::{Index, Share};

/// A likeness as a whole number of thousand millionths, 0 to [`WHOLE`]: nine digits.
pub type Ninths = u32;

/// The likeness of a post with itself.
pub const WHOLE: Ninths = 1_000_000_000;

/// What is looked at in two posts.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord)]
pub enum Aspect {
    /// The terms of a term field; those above a nested term do not count.
    Terms(usize),
    /// The words of the title.
    Title,
    /// The words of the text.
    Body,
}

/// One aspect with what it counts.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Weighed {
    /// What is looked at.
    pub aspect: Aspect,
    /// Its part of the whole: weights are divided by their sum.
    pub part: f64,
    /// Whether two posts that share nothing in it are not alike at all.
    pub required: bool,
}

/// What likeness is made of, in the order of the settings.
#[derive(Debug, Clone, PartialEq, Default)]
pub struct Weighing {
    /// The aspects, those of no weight only where they are required.
    pub aspects: Vec<Weighed>,
}

/// The weights where the settings give none.
const DEFAULT: [(&str, f64); 4] = [
    ("tag", 3.0),
    ("category", 2.0),
    ("title", 1.0),
    ("body", 1.0),
];

impl Weighing {
    /// The weights of `[related]`, or the default ones. Fields that are none of a post's are
    /// diagnostics.
    pub fn new(
        related: Option<&Related>,
        catalogue: &Catalogue,
        source: &Source,
        diagnostics: &mut Diagnostics,
    ) -> Self {
        let given = related.filter(|related| !related.weigh.is_empty());
        let mut weights: Vec<(Aspect, f64)> = Vec::new();
        let mut note = |aspect: Option<Aspect>, weight: f64| {
            if let Some(aspect) = aspect
                && !weights.iter().any(|(known, _)| *known == aspect)
            {
                weights.push((aspect, weight));
            }
        };
        match given {
            None => DEFAULT
                .iter()
                .for_each(|(name, weight)| note(aspect(name, catalogue), *weight)),
            Some(related) => {
                for (name, weight) in &related.weigh {
                    let place = source.place(name.span);
                    note(known(&name.node, place, catalogue, diagnostics), *weight);
                }
            }
        }
        let sum: f64 = weights.iter().map(|(_, weight)| weight).sum();
        if let Some(related) = given
            && sum <= 0.0
            && !weights.is_empty()
        {
            let place = related.weigh.first();
            let place =
                place.map_or_else(|| Place::top_of(FILE), |(name, _)| source.place(name.span));
            diagnostics.push(
                Diagnostic::error(
                    Code::InvalidValue,
                    place,
                    "all weights are 0, so that no post is like another",
                )
                .help("give one field a weight above 0, such as `tag = 1`"),
            );
        }
        let mut required = Vec::new();
        for name in related.iter().flat_map(|related| &related.require) {
            let place = source.place(name.span);
            required.extend(known(&name.node, place, catalogue, diagnostics));
        }
        for aspect in &required {
            if !weights.iter().any(|(known, _)| known == aspect) {
                weights.push((*aspect, 0.0));
            }
        }
        let aspects = weights.into_iter().map(|(aspect, weight)| Weighed {
            aspect,
            part: if sum > 0.0 { weight / sum } else { 0.0 },
            required: required.contains(&aspect),
        });
        Self {
            aspects: aspects
                .filter(|weighed| weighed.part > 0.0 || weighed.required)
                .collect(),
        }
    }
}

/// Whether the related posts that the settings ask for depend on the words of texts.
#[must_use]
pub fn looks_into_texts(related: &Related) -> bool {
    let mut weighed = related.weigh.iter();
    let mut required = related.require.iter();
    related.weigh.is_empty()
        || weighed.any(|(name, weight)| is_body(&name.node) && *weight > 0.0)
        || required.any(|name| is_body(&name.node))
}

fn is_body(name: &str) -> bool {
    matches!(name, "body" | "text")
}

fn aspect(name: &str, catalogue: &Catalogue) -> Option<Aspect> {
    match name {
        "title" => Some(Aspect::Title),
        name if is_body(name) => Some(Aspect::Body),
        name => catalogue.term_field(name).map(Aspect::Terms),
    }
}

fn known(
    name: &str,
    place: Place,
    catalogue: &Catalogue,
    diagnostics: &mut Diagnostics,
) -> Option<Aspect> {
    let found = aspect(name, catalogue);
    if found.is_none() {
        let tables = catalogue.term_tables().iter();
        let names: Vec<&str> = tables
            .map(|table| table.field.name.as_str())
            .chain(["title", "body"])
            .collect();
        let diagnostic = Diagnostic::error(
            Code::UnknownField,
            place,
            format!(
                "likeness cannot weigh `{name}`: it is not a term field, and neither `title` nor `body`"
            ),
        );
        let near = crate::diagnostic::nearest(name, names.iter().copied());
        diagnostics.push(match near {
            Some(near) => diagnostic.help(format!("did you mean `{near}`?")),
            None => diagnostic.help(format!(
                "write one of {}; or make `{name}` a term field by `terms = [\"{name}\"]` in its content set",
                names.iter().map(|name| format!("`{name}`")).collect::<Vec<_>>().join(", ")
            )),
        });
    }
    found
}

impl Aspect {
    /// Its name in the settings.
    #[must_use]
    pub fn name(self, catalogue: &Catalogue) -> &str {
        match self {
            Aspect::Terms(field) => &catalogue.terms(field).field.name,
            Aspect::Title => "title",
            Aspect::Body => "body",
        }
    }
}
