//! `[export.NAME]`: reading.

use super::reader::Table;
use super::{EXPORT_FORMATS, Export, ExportFormat};
use crate::diagnostic::Diagnostics;
use crate::source::Spanned;

/// Reads all exports.
pub(super) fn read(root: &mut Table<'_>, diagnostics: &mut Diagnostics) -> Vec<Export> {
    let tables = root.tables("export", diagnostics).into_iter();
    tables
        .map(|(name, table)| export(name, table, diagnostics))
        .collect()
}

fn export(name: Spanned<String>, mut table: Table<'_>, diagnostics: &mut Diagnostics) -> Export {
    let link = table.text("link", diagnostics);
    let link = link.filter(|link| table.check_fixed(link, diagnostics));
    let format = table.choice("format", &EXPORT_FORMATS, diagnostics);
    let format = format.unwrap_or_else(|| {
        let link = link.as_ref().map_or("", |link| &link.node);
        let ending = link.rsplit_once('.').map_or("", |(_, ending)| ending);
        let known = EXPORT_FORMATS.iter().find(|(name, _)| *name == ending);
        known.map_or(ExportFormat::Json, |(_, format)| *format)
    });
    let ending = format.name();
    let export = Export {
        query: table.query_text("query", diagnostics),
        link: link.map_or_else(|| format!("/{}.{ending}", name.node), |link| link.node),
        fields: table.texts("fields", diagnostics),
        format,
        location: name.span,
        name: name.node,
    };
    table.finish(diagnostics);
    export
}
