//! Planning exports: the posts of each, of all languages, and its fields.

use tabulae_core::catalogue::Catalogue;
use tabulae_core::diagnostic::Diagnostics;
use tabulae_core::export::{ExportField, USUAL};
use tabulae_core::route::Link;
use tabulae_core::settings::{Export, Settings};

use super::model::ExportPlan;
use super::output::OutputKind;
use super::planner::{Planner, run};

impl Planner<'_> {
    pub(super) fn exports(&mut self) {
        let site = self.site;
        for (at, export) in site.settings.exports.iter().enumerate() {
            let fields = export_fields(export, &site.settings, &site.catalogue, self.diagnostics);
            let posts = run(export.query.as_ref(), site.scope(), self.diagnostics);
            self.plan.exports.push(ExportPlan { posts, fields });
            self.add(Link::new(export.link.clone()), OutputKind::Export(at));
        }
    }
}

/// Returns the fields of an export with their names; those that nothing has are diagnostics.
pub(crate) fn export_fields(
    export: &Export,
    settings: &Settings,
    catalogue: &Catalogue,
    diagnostics: &mut Diagnostics,
) -> Vec<(String, ExportField)> {
    let mut fields: Vec<(String, ExportField)> = Vec::new();
    let place = settings.source.location(export.location);
    let tables = catalogue.term_tables().iter();
    let terms = tables.filter(|table| !table.terms.is_empty());
    let terms = terms.map(|table| table.field.name.as_str());
    let usual = USUAL.into_iter().chain(terms);
    let usual: Vec<_> = usual.map(|name| (name, place.clone())).collect();
    let named = export.fields.iter();
    let named = named.map(|name| (name.node.as_str(), settings.source.location(name.span)));
    let named: Vec<_> = named.collect();
    for (name, location) in if named.is_empty() { usual } else { named } {
        match ExportField::resolve(name, location, catalogue) {
            Ok(field) if fields.iter().all(|(known, _)| known != name) => {
                fields.push((name.to_owned(), field));
            }
            Ok(_) => {}
            Err(diagnostic) => diagnostics.push(*diagnostic),
        }
    }
    fields
}
