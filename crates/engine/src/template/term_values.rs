//! The values of terms, made once for all outputs.

use minijinja::Value;
use tabulae_core::id::LocaleId;
use tabulae_core::term::TermId;

use super::escape::{anchor, escape};
use crate::plan::Plan;
use crate::site::Site;

/// The values of a term.
#[derive(Debug)]
pub(super) struct TermValues {
    pub(super) name: Value,
    pub(super) slug: Value,
    /// The number of listed posts in the language that have it.
    pub(super) count: usize,
    /// The address of its page; none if it has no page.
    pub(super) link: Value,
    /// The name as HTML, linked to its page if it has one.
    pub(super) anchor: Value,
    /// The text of its note as HTML; none if it has no note.
    pub(super) about: Value,
}

/// Returns the values of all terms of a field in a language, by number.
pub(super) fn term_values(
    site: &Site,
    plan: &Plan,
    (locale, field): (LocaleId, usize),
) -> Vec<TermValues> {
    let catalogue = site.catalogue.within(locale);
    let terms = site.catalogue.terms(field).terms.iter().zip(0..);
    let values = terms.map(|(term, number)| {
        let link = plan.term_pages.get(&(locale, field, TermId(number)));
        let link = link.map(|link| site.href(link));
        let name = escape(term.name_in(locale));
        TermValues {
            anchor: Value::from_safe_string(anchor(link.as_deref(), &name, false)),
            name: term.name_in(locale).into(),
            slug: term.slug_in(locale).into(),
            count: catalogue.posts_of(term).0,
            link: link.map_or(Value::from(()), Value::from),
            about: term.about_in(locale).map_or(Value::from(()), |about| {
                Value::from_safe_string(about.to_owned())
            }),
        }
    });
    values.collect()
}
