//! From terms as written to the table of a term field: which spellings are one term, what it
//! is called, which posts have it.

use std::collections::BTreeMap;
use std::sync::Arc;

use indexmap::IndexMap;
use rustc_hash::FxBuildHasher;

use super::TermTable;
use crate::diagnostic::{Code, Diagnostic, Diagnostics};
use crate::id::{LocaleId, PostId, TermId};
use crate::language::{CaseFolding, Language};
use crate::note::TermNote;
use crate::post::Post;
use crate::settings::TermField;
use crate::source::Spanned;
use crate::term::{Term, nested_slug, parts, slug};

/// The terms of each post in one term field, in the order written: of all posts side by side.
#[derive(Debug, Default)]
pub(super) struct TermsOfPosts {
    /// By post, where its terms begin.
    starts: Vec<u32>,
    terms: Vec<TermId>,
}

impl TermsOfPosts {
    /// Returns the terms of a post.
    pub(super) fn of(&self, id: PostId) -> &[TermId] {
        let at = id.0 as usize;
        let end = self
            .starts
            .get(at + 1)
            .map_or(self.terms.len(), |end| *end as usize);
        &self.terms[self.starts[at] as usize..end]
    }

    /// Begins with the terms of the next post.
    fn begin(&mut self) -> TermsOfPost<'_> {
        let start = self.terms.len();
        self.starts.push(crate::id::number(start));
        TermsOfPost {
            all: &mut self.terms,
            start,
        }
    }
}

/// The terms of the post that is looked at.
struct TermsOfPost<'a> {
    all: &'a mut Vec<TermId>,
    start: usize,
}

impl TermsOfPost<'_> {
    fn terms(&self) -> &[TermId] {
        &self.all[self.start..]
    }

    /// Adds a term; returns false if the post has it already.
    fn push(&mut self, id: TermId) -> bool {
        let is_new = !self.terms().contains(&id);
        if is_new {
            self.all.push(id);
        }
        is_new
    }
}

/// Makes the table of one term field.
pub(super) struct TermIndexer<'a> {
    field: &'a TermField,
    languages: &'a [Language],
    table: TermTable,
    fixed: Vec<Option<String>>,
    /// By term, the spellings that posts use, each with the number of listed posts, and the oldest of them.
    counts: Vec<IndexMap<String, (usize, PostId), FxBuildHasher>>,
}

impl<'a> TermIndexer<'a> {
    /// Begins with the terms of the notes, since they join spellings.
    pub(super) fn new(
        field: &'a TermField,
        notes: &[&TermNote],
        languages: &'a [Language],
        diagnostics: &mut Diagnostics,
    ) -> Self {
        let mut foldings: Vec<CaseFolding> = languages.iter().map(Language::folding).collect();
        foldings.dedup();
        let mut indexer = Self {
            field,
            languages,
            table: TermTable {
                field: field.clone(),
                terms: Vec::new(),
                by_identity: BTreeMap::new(),
                foldings,
            },
            fixed: Vec::new(),
            counts: Vec::new(),
        };
        let is_of_site = |note: &&&TermNote| note.locale == LocaleId::SITE;
        for note in notes.iter().filter(is_of_site) {
            indexer.add_note(note, diagnostics);
        }
        for note in notes.iter().filter(|note| !is_of_site(note)) {
            indexer.add_local_note(note, diagnostics);
        }
        indexer
    }

    fn identity(&self, spelling: &str, locale: LocaleId) -> String {
        let folding = self.languages[locale.at()].folding();
        self.table.identity(spelling, folding)
    }

    fn add_note(&mut self, note: &TermNote, diagnostics: &mut Diagnostics) {
        let base = self.identity(&note.name, note.locale);
        let shown = note
            .title
            .as_ref()
            .map_or(note.name.as_str(), |title| &title.node);
        let id = self.intern(&base, shown);
        let term = &mut self.table.terms[id.0 as usize];
        if let Some(written) = &note.slug {
            term.slug.clone_from(&written.node);
        }
        term.about = note.about();
        term.written = note.title.clone().map(|title| (note.source.clone(), title));
        self.fixed[id.0 as usize] = note.title.as_ref().map(|title| title.node.clone());
        self.add_names(id, note);
        self.add_spellings(id, note, diagnostics);
        if note.slug.is_none() {
            let made = slug_of(self.field, &note.name);
            let term = &mut self.table.terms[id.0 as usize];
            term.slug = made;
        }
    }

    /// Adds a note in a language other than that of `[site]`: `terms/tag/lime.de.md`.
    fn add_local_note(&mut self, note: &TermNote, diagnostics: &mut Diagnostics) {
        let id = self.intern(&self.identity(&note.name, note.locale), &note.name);
        let term = &mut self.table.terms[id.0 as usize];
        let local = term.local.entry(note.locale).or_default();
        local.about = note.about();
        if let Some(title) = &note.title {
            local.name = Some(title.node.clone());
        }
        if let Some(slug) = &note.slug {
            local.slug = Some(slug.node.clone());
        }
        self.add_names(id, note);
        self.add_spellings(id, note, diagnostics);
    }

    /// Adds the names in other languages that a note gives.
    fn add_names(&mut self, id: TermId, note: &TermNote) {
        let term = &mut self.table.terms[id.0 as usize];
        for (locale, title) in &note.titles {
            term.local.entry(*locale).or_default().name = Some(title.node.clone());
        }
        for (locale, slug) in &note.slugs {
            term.local.entry(*locale).or_default().slug = Some(slug.node.clone());
        }
    }

    /// Adds the spellings that a note joins: those that it lists, and its titles.
    fn add_spellings(&mut self, id: TermId, note: &TermNote, diagnostics: &mut Diagnostics) {
        let titles = note.titles.iter().map(|(locale, title)| (*locale, title));
        let own = note.spellings.iter().chain(&note.title);
        let own = own.map(|spelling| (note.locale, spelling));
        for (locale, spelling) in own.chain(titles) {
            let identity = self.identity(&spelling.node, locale);
            match self.table.by_identity.get(&identity) {
                Some(other) if *other != id => {
                    let other = &self.table.terms[other.0 as usize].name;
                    diagnostics.push(
                        Diagnostic::error(
                            Code::NameConflict,
                            note.source.location(spelling.span),
                            format!(
                                "\"{}\" is a spelling of the {} \"{other}\" already",
                                spelling.node, self.field.name
                            ),
                        )
                        .help("name it in one note only"),
                    );
                }
                _ => {
                    self.table.by_identity.insert(identity, id);
                }
            }
        }
    }

    fn intern(&mut self, identity: &str, spelling: &str) -> TermId {
        if let Some(id) = self.table.by_identity.get(identity) {
            return *id;
        }
        let id = TermId(crate::id::number(self.table.terms.len()));
        self.table.terms.push(Term {
            name: spelling.to_owned(),
            slug: String::new(),
            identity: identity.to_owned(),
            spellings: Vec::new(),
            posts: Vec::new(),
            parent: None,
            about: None,
            local: BTreeMap::new(),
            written: None,
        });
        self.fixed.push(None);
        self.counts.push(IndexMap::default());
        self.table.by_identity.insert(identity.to_owned(), id);
        id
    }

    /// Returns the term of a spelling, and the number of the spelling among those of the term; `None` if the spelling has
    /// no letter or digit.
    fn spelt(&mut self, spelling: &str, locale: LocaleId) -> Option<(TermId, usize)> {
        let identity = self.identity(spelling, locale);
        if identity.is_empty() {
            return None;
        }
        let id = self.intern(&identity, spelling);
        let counts = &mut self.counts[id.0 as usize];
        let at = counts.get_index_of(spelling).unwrap_or_else(|| {
            let (at, _) = counts.insert_full(spelling.to_owned(), (0, PostId(0)));
            at
        });
        Some((id, at))
    }

    pub(super) fn index(
        mut self,
        number: usize,
        posts: &[Arc<Post>],
        listed: &[bool],
    ) -> (TermTable, TermsOfPosts) {
        let mut terms_of = TermsOfPosts::default();
        // Most posts use spellings that were met before: each has its term, and its place among the term's spellings.
        let mut known: IndexMap<(LocaleId, &str), Option<(TermId, usize)>, FxBuildHasher> =
            IndexMap::default();
        for (at, post) in posts.iter().enumerate() {
            let post_id = PostId(crate::id::number(at));
            let mut own = terms_of.begin();
            for written in &post.terms[number] {
                let spelling = written.node.as_str();
                let found = *known
                    .entry((post.locale, spelling))
                    .or_insert_with(|| self.spelt(spelling, post.locale));
                let Some((id, place)) = found else {
                    continue;
                };
                if !own.push(id) {
                    continue;
                }
                self.count((id, place), post_id, post, written, listed[at]);
            }
            if listed[at] {
                self.list(post_id, own.terms());
            }
        }
        self.name_all();
        (self.table, terms_of)
    }

    /// Counts a spelling; its oldest post is the one met last, as newer posts come first.
    fn count(
        &mut self,
        (id, spelling): (TermId, usize),
        post_id: PostId,
        post: &Post,
        written: &Spanned<String>,
        listed: bool,
    ) {
        let term = &mut self.table.terms[id.0 as usize];
        if term.written.is_none() {
            term.written = Some((post.source.clone(), written.clone()));
        }
        if listed {
            let counted = &mut self.counts[id.0 as usize][spelling];
            counted.0 += 1;
            counted.1 = counted.1.max(post_id);
        }
    }

    /// Puts a post in the lists of its terms and of the terms above them.
    fn list(&mut self, post: PostId, own: &[TermId]) {
        for id in own {
            let mut next = Some(*id);
            while let Some(id) = next {
                let term = &mut self.table.terms[id.0 as usize];
                if term.posts.last() != Some(&post) {
                    term.posts.push(post);
                }
                next = self.parent(id);
            }
        }
    }

    fn parent(&mut self, id: TermId) -> Option<TermId> {
        if !self.field.nested {
            return None;
        }
        if let Some(parent) = self.table.terms[id.0 as usize].parent {
            return Some(parent);
        }
        let term = &self.table.terms[id.0 as usize];
        let whole = parts(&term.name).count() == parts(&term.identity).count();
        let name = if whole {
            term.name.clone()
        } else {
            term.identity.clone()
        };
        let above = |whole: &str| {
            let parts: Vec<&str> = parts(whole).collect();
            let (_, above) = parts.split_last()?;
            (!above.is_empty()).then(|| above.join("/"))
        };
        let (identity, name) = (above(&term.identity)?, above(&name)?);
        let parent = self.intern(&identity, &name);
        self.table.terms[id.0 as usize].parent = Some(parent);
        Some(parent)
    }

    /// Chooses each term's name: the note's title, else the commonest spelling among listed
    /// posts, of equals the oldest post's.
    fn name_all(&mut self) {
        for at in 0..self.table.terms.len() {
            let used = self.counts[at].iter().filter(|(_, (count, _))| *count > 0);
            let mut spellings: Vec<(&String, &(usize, PostId))> = used.collect();
            spellings.sort_by(|(_, a), (_, b)| b.cmp(a));
            let chosen = self.fixed[at]
                .clone()
                .or_else(|| spellings.first().map(|(name, _)| (*name).clone()));
            let counted = spellings
                .iter()
                .map(|(name, (count, _))| ((*name).clone(), *count))
                .collect();
            let term = &mut self.table.terms[at];
            term.spellings = counted;
            if let Some(name) = chosen {
                term.name = name;
            }
        }
        for at in 0..self.table.terms.len() {
            if self.table.terms[at].slug.is_empty() {
                self.table.terms[at].slug = slug_of(self.field, &self.table.terms[at].name);
            }
            for local in self.table.terms[at].local.values_mut() {
                if let (None, Some(name)) = (&local.slug, &local.name) {
                    local.slug = Some(slug_of(self.field, name));
                }
            }
        }
    }
}

/// Returns the slug of a name of a term in a term field.
fn slug_of(field: &TermField, name: &str) -> String {
    match field.nested {
        true => nested_slug(name),
        false => slug(name),
    }
}
