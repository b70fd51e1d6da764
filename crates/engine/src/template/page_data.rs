//! The data attributes of a page's `<body>` (HTML, 3.2.6.6), by which a style sheet knows the page.

use std::iter::successors;
use std::sync::{Arc, OnceLock};

use minijinja::Value;
use minijinja::value::{Enumerator, Object};
use tabulae_core::catalogue::PostId;
use tabulae_core::term::{TermId, slug};

use super::context::RenderContext;
use crate::incremental::Dependency;

/// The names that a term field cannot take.
const KIND: &str = "kind";
const SET: &str = "set";

/// The post or the term of a page, if it has one.
#[derive(Debug, Clone, Copy)]
pub(crate) enum Subject {
    None,
    Post(PostId),
    /// The number of the term field, and the term.
    Term(usize, TermId),
}

/// The attributes by name, without `data-`: `kind`, `set` of a post's page, and each term field with the slugs of its
/// terms, each before the levels above it, with spaces between. Slugs are those of the site's language, so that one
/// rule holds in all.
#[derive(Debug)]
pub(crate) struct PageData {
    kind: &'static str,
    subject: Subject,
    context: Arc<RenderContext>,
    known: OnceLock<(Attributes, Box<[Dependency]>)>,
}

/// Attributes by name, in order.
type Attributes = Vec<(String, String)>;

impl PageData {
    /// Returns the attributes as a value.
    #[must_use]
    pub(crate) fn value(
        kind: &'static str,
        subject: Subject,
        context: &Arc<RenderContext>,
    ) -> Value {
        Value::from_object(Self {
            kind,
            subject,
            context: Arc::clone(context),
            known: OnceLock::new(),
        })
    }

    /// Returns the attributes, and records their dependencies in each part that asks for them.
    fn attributes(&self) -> &Attributes {
        let make = || self.context.record_part(|| self.made());
        let (attributes, dependencies) = self.known.get_or_init(make);
        self.context.track_all(dependencies);
        attributes
    }

    fn made(&self) -> Attributes {
        let catalogue = &self.context.data.site.catalogue;
        let mut attributes = vec![(KIND.to_owned(), self.kind.to_owned())];
        match self.subject {
            Subject::None => {}
            Subject::Post(id) => {
                self.context.track_post(id);
                let set = &catalogue.sets()[catalogue.post(id).set];
                attributes.push((SET.to_owned(), set.clone()));
                for field in 0..catalogue.term_tables().len() {
                    self.add(&mut attributes, field, catalogue.terms_of(id, field));
                }
            }
            Subject::Term(field, id) => self.add(&mut attributes, field, &[id]),
        }
        attributes
    }

    /// Adds the terms of a field, but for a field whose attribute another one has.
    fn add(&self, attributes: &mut Attributes, field: usize, terms: &[TermId]) {
        let data = &self.context.data;
        let table = data.site.catalogue.terms(field);
        let name = slug(&table.field.name);
        let is_taken = attributes.iter().any(|(taken, _)| *taken == name);
        if terms.is_empty() || is_taken || name.is_empty() || name == SET {
            return;
        }
        let mut slugs: Vec<&str> = Vec::new();
        let levels = terms
            .iter()
            .flat_map(|own| successors(Some(*own), |id| table.term(*id).parent));
        for id in levels {
            self.context.track(data.dependencies.term(field, id));
            let slug = table.term(id).slug.as_str();
            if !slugs.contains(&slug) {
                slugs.push(slug);
            }
        }
        attributes.push((name, slugs.join(" ")));
    }
}

impl Object for PageData {
    fn get_value(self: &Arc<Self>, key: &Value) -> Option<Value> {
        let key = key.as_str()?;
        let found = self.attributes().iter().find(|(name, _)| name == key);
        found.map(|(_, text)| text.as_str().into())
    }

    fn enumerate(self: &Arc<Self>) -> Enumerator {
        let names = self
            .attributes()
            .iter()
            .map(|(name, _)| name.as_str().into());
        Enumerator::Values(names.collect())
    }
}
