//! The notes on terms: `terms/tag/lime.md`.

use tabulae_core::diagnostic::{Code, Diagnostic, Diagnostics};
use tabulae_core::front_matter;
use tabulae_core::note::TermNote;
use tabulae_core::settings::Settings;
use tabulae_core::source::{Location, Source};
use tabulae_core::time::Moment;

use super::files::{list, read};
use super::markdown::MarkdownStyle;
use crate::source::Sources;

/// Reads all notes; one in a folder of no term field is an error.
pub(super) fn read_notes(
    sources: &dyn Sources,
    (settings, style): (&Settings, &MarkdownStyle),
    moment: &Moment,
    diagnostics: &mut Diagnostics,
) -> Vec<TermNote> {
    let mut notes = Vec::new();
    for path in list(sources, "terms", diagnostics).unwrap_or_default() {
        let Some(below) = path.strip_suffix(".md") else {
            continue;
        };
        match term_of(below, &path, settings) {
            Ok(term) => notes.extend(read_note(
                sources,
                (settings, style),
                moment,
                &path,
                term,
                diagnostics,
            )),
            Err(diagnostic) => diagnostics.push(*diagnostic),
        }
    }
    notes
}

/// The number of the term field that a note belongs to, and the term's name.
fn term_of<'a>(
    below: &'a str,
    path: &str,
    settings: &Settings,
) -> Result<(usize, &'a str), Box<Diagnostic>> {
    let location = Location::top_of(path);
    let mut steps = below.splitn(3, '/').skip(1);
    let (Some(name), Some(term)) = (steps.next(), steps.next()) else {
        let message = "a term note belongs in the folder of its term field";
        let diagnostic = Diagnostic::warning(Code::UnknownKey, location, message);
        return Err(Box::new(
            diagnostic.help("move it to a folder such as terms/tag/"),
        ));
    };
    let mut fields = settings.term_fields.iter();
    let Some(field) = fields.position(|field| field.is(name)) else {
        let known = settings.term_fields.iter().map(|field| field.name.as_str());
        let message = format!("`{name}` is not a term field");
        let diagnostic = Diagnostic::error(Code::UnknownKey, location, message);
        return Err(Box::new(diagnostic.suggest(name, known)));
    };
    Ok((field, term))
}

fn read_note(
    sources: &dyn Sources,
    (settings, style): (&Settings, &MarkdownStyle),
    moment: &Moment,
    path: &str,
    term: (usize, &str),
    diagnostics: &mut Diagnostics,
) -> Option<TermNote> {
    let text = read(sources, path, settings.site.source_limit, diagnostics)?;
    let source = Source::new(path, &text);
    let front = front_matter::read(&source, &moment.zone).into_output(diagnostics);
    let (_, locale) = settings.locales.split_suffix(term.1);
    let body = style.render(
        &source.text()[front.body..],
        true,
        locale.unwrap_or_default(),
    );
    let html = style.highlighted(body.html.get().into_owned());
    Some(TermNote::read(term, &source, &front, html, settings).into_output(diagnostics))
}
