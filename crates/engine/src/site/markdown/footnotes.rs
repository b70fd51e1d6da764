//! Footnotes: they are numbered in the order of their first references, and gathered at the end of the text, each with a
//! link back.

use indexmap::IndexMap;
use pulldown_cmark::{CowStr, Event, TagEnd};
use tabulae_core::html::attribute;
use tabulae_core::term::slug;

/// The footnotes of a text, in the order in which they are first named.
#[derive(Debug, Default)]
pub(super) struct Footnotes<'a> {
    notes: IndexMap<CowStr<'a>, Footnote<'a>>,
}

/// A footnote: its references so far, and its text.
#[derive(Debug, Default)]
struct Footnote<'a> {
    references: usize,
    text: Vec<Event<'a>>,
}

impl<'a> Footnotes<'a> {
    /// Returns the HTML of a reference.
    pub(super) fn reference(&mut self, label: &CowStr<'a>) -> String {
        let entry = self.notes.entry(label.clone());
        let number = entry.index() + 1;
        let note = entry.or_default();
        note.references += 1;
        let id = id_of(label);
        let own = match note.references {
            1 => format!("ref-{id}"),
            again => format!("ref-{id}-{again}"),
        };
        format!(
            "<sup><a href=\"#note-{id}\" {} role=\"doc-noteref\">{number}</a></sup>",
            attribute("id", &own)
        )
    }

    /// Takes the text of a note. Of two notes with one label the first counts.
    pub(super) fn define(&mut self, label: CowStr<'a>, text: Vec<Event<'a>>) {
        let note = self.notes.entry(label).or_default();
        if note.text.is_empty() {
            note.text = text;
        }
    }

    /// Returns the events of the notes at the end of the text, in the order of their numbers; none without notes.
    pub(super) fn finish(&mut self) -> Vec<Event<'a>> {
        let notes = std::mem::take(&mut self.notes);
        if notes.is_empty() {
            return Vec::new();
        }
        let html = |text: String| Event::Html(text.into());
        let mut events = vec![html(
            "<section class=\"notes\" role=\"doc-endnotes\">\n<ol>\n".to_owned(),
        )];
        for (label, mut note) in notes {
            let id = id_of(&label);
            events.push(html(format!("<li id=\"note-{id}\">\n")));
            let last = note.text.pop();
            events.extend(note.text);
            let back = (note.references > 0).then(|| {
                let link =
                    format!(" <a href=\"#ref-{id}\" role=\"doc-backlink\" class=\"back\">↩</a>");
                Event::InlineHtml(link.into())
            });
            match last {
                Some(Event::End(TagEnd::Paragraph)) => {
                    events.extend(back);
                    events.push(Event::End(TagEnd::Paragraph));
                }
                last => events.extend(last.into_iter().chain(back)),
            }
            events.push(html("</li>\n".to_owned()));
        }
        events.push(html("</ol>\n</section>\n".to_owned()));
        events
    }
}

/// Returns the id of a label, within `note-` and `ref-`.
fn id_of(label: &str) -> String {
    match slug(label) {
        slug if slug.is_empty() => label.len().to_string(),
        slug => slug,
    }
}
