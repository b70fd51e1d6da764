//! Facts about the text of a post, collected while it becomes HTML.

use std::collections::BTreeMap;

use tabulae_core::html::is_local;
use tabulae_core::post::Notes;
use tabulae_core::term::slug;

/// Hears a text from its start to its end, piece by piece.
#[derive(Debug)]
pub(super) struct Listener {
    /// The facts collected so far.
    pub(super) notes: Notes,
    /// Set while plain text is needed; that of headings always is.
    listens: bool,
    /// Set until the separator of the summary is seen.
    waits_for_more: bool,
    /// Set if the front matter has a title, so that no heading becomes one.
    has_title: bool,
    /// The ids of headings, each with the number that tells the next one of its name apart.
    ids: BTreeMap<String, usize>,
    plain: String,
    paragraph: Option<usize>,
    heading: Option<Heading>,
}

/// A heading that has begun.
#[derive(Debug)]
struct Heading {
    /// The start of the heading in the plain text.
    start: usize,
    /// Set if the text around the heading is needed.
    listened: bool,
}

impl Listener {
    /// Hears a text that is parted (`waits_for_more`) or not.
    pub(super) fn new(has_title: bool, waits_for_more: bool) -> Self {
        Self {
            notes: Notes::default(),
            listens: true,
            waits_for_more,
            has_title,
            ids: BTreeMap::new(),
            plain: String::new(),
            paragraph: None,
            heading: None,
        }
    }

    /// Returns true if plain text is still needed.
    pub(super) fn listens(&self) -> bool {
        self.listens
    }

    pub(super) fn text(&mut self, text: &str) {
        if self.listens {
            self.plain.push_str(text);
        }
    }

    /// Between lines, and after blocks.
    pub(super) fn space(&mut self) {
        if self.listens {
            self.plain.push(' ');
        }
    }

    /// Raw HTML within the text, which may have links.
    pub(super) fn html(&mut self, html: &str) {
        self.notes.links |= html.contains('=');
    }

    pub(super) fn link(&mut self, address: &str) {
        self.notes.links |= is_local(address);
    }

    pub(super) fn paragraph_begins(&mut self) {
        self.paragraph = Some(self.plain.len());
    }

    pub(super) fn paragraph_ends(&mut self) {
        let start = self.paragraph.take().unwrap_or(self.plain.len());
        let text = self.plain[start..].trim();
        if self.notes.first_paragraph.is_none() && !text.is_empty() {
            self.notes.first_paragraph = Some(text.to_owned());
        }
        self.space();
        self.listens = self.notes.first_paragraph.is_none() || self.waits_for_more;
    }

    /// The text before the separator is the summary.
    pub(super) fn more(&mut self) {
        let plain = || self.plain.trim().to_owned();
        self.notes.before_more.get_or_insert_with(plain);
    }

    pub(super) fn heading_begins(&mut self) {
        self.heading = Some(Heading {
            start: self.plain.len(),
            listened: std::mem::replace(&mut self.listens, true),
        });
    }

    /// The heading's id, made of its text; none where it is the post's title, and so left out.
    pub(super) fn heading_ends(&mut self, is_first_level: bool) -> Option<String> {
        let heading = self.heading.take()?;
        let text = self.plain[heading.start..].trim().to_owned();
        let is_first = is_first_level && self.notes.heading.is_none();
        let id = (!is_first || self.has_title).then(|| self.id(&text));
        if is_first {
            self.notes.heading = Some(text);
        }
        if id.is_none() {
            self.plain.truncate(heading.start);
        } else {
            self.space();
        }
        self.listens = heading.listened;
        id
    }

    /// An id that no other heading of this text has.
    fn id(&mut self, text: &str) -> String {
        let slug = slug(text);
        let base = if slug.is_empty() {
            "section".to_owned()
        } else {
            slug
        };
        let mut id = base.clone();
        if let Some(next) = self.ids.get(&base) {
            let mut number = *next;
            while self.ids.contains_key(&id) {
                id = format!("{base}-{number}");
                number += 1;
            }
            self.ids.insert(base, number);
        }
        self.ids.insert(id.clone(), 2);
        id
    }
}
