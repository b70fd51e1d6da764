//! The names and values against which queries are resolved.

use std::sync::Arc;

use indexmap::IndexMap;

use super::predicate::NamedQuery;
use crate::catalogue::Catalogue;
use crate::id::LocaleId;
use crate::similarity::FieldWeights;
use crate::time::{Moment, ZonedDate};

/// The named queries of a site, resolved.
#[derive(Debug, Default)]
pub struct Library {
    /// The queries over the posts of all languages; then, if the site has several, over those of each.
    pub(super) queries: Vec<IndexMap<String, Arc<NamedQuery>>>,
    /// The field weights of likeness; the default ones if there are no settings.
    pub(super) weights: Option<Arc<FieldWeights>>,
}

/// The value of a parameter, as a template hands it in.
#[derive(Debug, Clone, PartialEq)]
pub enum Parameter {
    /// A text.
    Text(String),
    /// A number.
    Number(f64),
    /// True or false.
    Flag(bool),
    /// A date.
    Date(ZonedDate),
    /// Several values.
    List(Vec<Parameter>),
    /// Nothing: each test with it is false.
    Missing,
}

/// The names and values against which queries are resolved.
#[derive(Debug, Clone, Copy)]
pub struct Scope<'a> {
    /// The posts.
    pub catalogue: &'a Catalogue,
    /// The named queries.
    pub library: &'a Library,
    /// The clock.
    pub moment: &'a Moment,
    /// The language of the page. Queries that do not name a language are of its posts; on no page, of all.
    pub locale: Option<LocaleId>,
    /// Set if there is a post whose page is rendered.
    pub has_this: bool,
    /// The parameters by name.
    pub parameters: &'a [(String, Parameter)],
}

impl Library {
    /// Returns the named queries over the posts of one language, or of all.
    pub(super) fn named(
        &self,
        within: Option<LocaleId>,
    ) -> Option<&IndexMap<String, Arc<NamedQuery>>> {
        let number = within.map_or(0, |locale| locale.at() + 1);
        self.queries.get(number).or_else(|| self.queries.first())
    }
}

impl<'a> Scope<'a> {
    /// Returns the scope of queries that are on no post's page and have no parameters.
    #[must_use]
    pub fn new(catalogue: &'a Catalogue, library: &'a Library, moment: &'a Moment) -> Self {
        Self {
            catalogue,
            library,
            moment,
            locale: None,
            has_this: false,
            parameters: &[],
        }
    }

    /// Returns the scope for the pages of a language.
    #[must_use]
    pub fn within(self, locale: LocaleId) -> Self {
        Self {
            locale: Some(locale),
            ..self
        }
    }

    /// Returns the scope for the page of a post, or for none.
    #[must_use]
    pub fn on_page(self, has_this: bool) -> Self {
        Self { has_this, ..self }
    }
}
