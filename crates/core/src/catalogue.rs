//! All posts and terms of a site, numbered, indexed once, then never changed.

mod fields;
mod links;
mod terms;
#[cfg(test)]
mod tests;
mod translations;

use std::borrow::Cow;
use std::cmp::Ordering;
use std::collections::BTreeMap;
use std::ops::{Deref, Range};
use std::sync::{Arc, OnceLock};

use rayon::prelude::*;

pub use self::fields::{Cell, FieldProfile, KeyUse, PostText};
use self::fields::{Fields, Texts};
use self::links::{links, unfit_ids};
use self::terms::{TermIndexer, TermsOfPosts};
use self::translations::Translations;
use crate::diagnostic::{Code, Collected, Diagnostic, Diagnostics};
pub use crate::id::PostId;
use crate::id::{LocaleId, number};
use crate::language::{CaseFolding, Language};
use crate::note::TermNote;
use crate::post::{Include, Post};
use crate::route::Link;
use crate::settings::{Settings, TermField};
use crate::source::Location;
use crate::term::{Term, TermId, identity, nested_identity};
use crate::time::ZonedDate;
use crate::words::{KnownTexts, WordTable, WordTables};

/// All posts and terms.
#[derive(Debug)]
pub struct Catalogue {
    languages: Vec<Language>,
    posts: Vec<Arc<Post>>,
    listed: Vec<bool>,
    links: Vec<Link>,
    /// By term field.
    terms_of: Vec<TermsOfPosts>,
    term_tables: Vec<TermTable>,
    /// The listed posts of all languages; then, if the site has several, those of each.
    listings: Vec<Listing>,
    translations: Translations,
    dated: u32,
    days_in_order: bool,
    fields: Fields,
    texts: [OnceLock<Texts>; PostText::COUNT],
    /// Set if posts keep their bodies as plain text.
    keeps_bodies: bool,
    words: OnceLock<WordTables>,
    folded_words: OnceLock<WordTable>,
    known_words: KnownTexts,
    pinned: BTreeMap<PostId, Vec<PostId>>,
    sets: Vec<String>,
}

/// The listed posts of some languages, in the default order.
#[derive(Debug)]
struct Listing {
    by_set: Vec<Vec<PostId>>,
    every: Vec<PostId>,
}

/// A catalogue as the pages of one language show it: names, dates and order are of this language.
#[derive(Debug, Clone, Copy)]
pub struct Localized<'a> {
    /// The catalogue.
    pub catalogue: &'a Catalogue,
    /// The language.
    pub locale: LocaleId,
}

impl Deref for Localized<'_> {
    type Target = Catalogue;

    fn deref(&self) -> &Catalogue {
        self.catalogue
    }
}

impl<'a> Localized<'a> {
    /// Returns the number of listed posts in the language that have a term, and the newest of them.
    #[must_use]
    pub fn posts_of(self, term: &Term) -> (usize, Option<PostId>) {
        if !self.catalogue.has_languages() {
            return (term.posts.len(), term.posts.first().copied());
        }
        let is_own = |id: &&PostId| self.catalogue.post(**id).locale == self.locale;
        let mut own = term.posts.iter().filter(is_own);
        let newest = own.next().copied();
        (own.count() + usize::from(newest.is_some()), newest)
    }

    /// Returns the language.
    #[must_use]
    pub fn own_language(self) -> &'a Language {
        self.catalogue.language(self.locale)
    }
}

/// The terms of one term field.
#[derive(Debug)]
pub struct TermTable {
    /// The field.
    pub field: TermField,
    /// The terms, in the order in which the oldest-numbered post uses them.
    pub terms: Vec<Term>,
    by_identity: BTreeMap<String, TermId>,
    /// The case foldings of the site's languages, each once.
    foldings: Vec<CaseFolding>,
}

impl TermTable {
    /// Returns the term of a spelling.
    #[must_use]
    pub fn find(&self, spelling: &str) -> Option<TermId> {
        let mut foldings = self.foldings.iter();
        foldings.find_map(|folding| {
            let identity = self.identity(spelling, *folding);
            self.by_identity.get(&identity).copied()
        })
    }

    /// Returns the identity of a spelling in texts of a language with a folding.
    fn identity(&self, spelling: &str, folding: CaseFolding) -> String {
        let spelling = folding.prepare(spelling);
        match self.field.nested {
            true => nested_identity(&spelling),
            false => identity(&spelling),
        }
    }

    /// The term of this number.
    #[must_use]
    pub fn term(&self, id: TermId) -> &Term {
        &self.terms[id.0 as usize]
    }
}

impl Catalogue {
    /// Numbers and indexes `posts`. Held-back posts are kept, and are in no list. Posts that are shared keep their terms
    /// as written, as another catalogue may take them over.
    #[must_use]
    pub fn new(
        posts: impl IntoIterator<Item = impl Into<Arc<Post>>>,
        notes: Vec<TermNote>,
        settings: &Settings,
        include: Include,
        today: jiff::civil::Date,
    ) -> Collected<Self> {
        let mut diagnostics = Diagnostics::new();
        let locales = settings.locales.iter();
        let languages = locales.map(|(_, locale)| language(&locale.tag));
        let languages: Vec<Language> = languages.collect();
        let mut posts: Vec<Arc<Post>> = posts.into_iter().map(Into::into).collect();
        posts.par_sort_by(|a, b| default_order(&languages, a, b));
        let listed: Vec<bool> = posts
            .iter()
            .map(|post| include.lists(post.exclusion))
            .collect();
        let (fields, (term_tables, terms_of)) = rayon::join(
            || Fields::new(&posts, settings.content.len()),
            || {
                index_terms(
                    (&posts, &listed),
                    &notes,
                    settings,
                    &languages,
                    &mut diagnostics,
                )
            },
        );
        // They are numbered now, and written in the front matter.
        let own = posts.par_iter_mut().filter_map(Arc::get_mut);
        own.for_each(|post| post.terms = Vec::new());
        let dates = posts.iter().filter_map(|post| post.date);
        let mut catalogue = Self {
            listings: listings(&posts, &listed, settings, languages.len()),
            translations: Translations::of(&posts, &listed, settings, &mut diagnostics),
            languages,
            listed,
            links: Vec::new(),
            terms_of,
            dated: number(dates.clone().count()),
            days_in_order: dates.is_sorted_by(|a, b| a.day >= b.day),
            texts: Default::default(),
            keeps_bodies: false,
            words: OnceLock::new(),
            folded_words: OnceLock::new(),
            known_words: KnownTexts::default(),
            pinned: BTreeMap::new(),
            fields,
            term_tables,
            sets: settings
                .content
                .iter()
                .map(|set| set.name.clone())
                .collect(),
            posts,
        };
        catalogue.links = links(&catalogue, settings, include, today, &mut diagnostics);
        diagnostics.extend(unfit_ids(&catalogue, settings));
        catalogue.pin_related(&mut diagnostics);
        Collected {
            output: catalogue,
            diagnostics,
        }
    }

    /// Every post, excluded or not, in the default order.
    pub fn all(&self) -> impl ExactSizeIterator<Item = PostId> + DoubleEndedIterator + use<> {
        (0..number(self.posts.len())).map(PostId)
    }

    /// The post of this number.
    #[must_use]
    pub fn post(&self, id: PostId) -> &Post {
        &self.posts[id.0 as usize]
    }

    /// Returns the address of a post.
    #[must_use]
    pub fn link(&self, id: PostId) -> &Link {
        &self.links[id.0 as usize]
    }

    /// Returns true if a post is in lists.
    #[must_use]
    pub fn is_listed(&self, id: PostId) -> bool {
        self.listed[id.0 as usize]
    }

    /// Returns a post's own terms in a term field, in the order written.
    #[must_use]
    pub fn terms_of(&self, id: PostId, field: usize) -> &[TermId] {
        self.terms_of[field].of(id)
    }

    /// Returns a post's own terms in a term field, and those above them where terms are nested. A term above
    /// two of its own comes twice.
    pub fn terms_and_above(&self, id: PostId, field: usize) -> impl Iterator<Item = TermId> {
        let table = self.terms(field);
        let own = self.terms_of(id, field).iter();
        own.flat_map(|own| std::iter::successors(Some(*own), |id| table.term(*id).parent))
    }

    /// Returns a language of the site.
    #[must_use]
    pub fn language(&self, locale: LocaleId) -> &Language {
        &self.languages[locale.at()]
    }

    /// Returns the catalogue as the pages of a language show it.
    #[must_use]
    pub fn within(&self, locale: LocaleId) -> Localized<'_> {
        Localized {
            catalogue: self,
            locale,
        }
    }

    /// Returns true if the site has several languages.
    #[must_use]
    pub fn has_languages(&self) -> bool {
        self.languages.len() > 1
    }

    /// Returns the listed translations of a post into other languages, in the order of the languages. A post
    /// that is not listed has none.
    pub fn translations(&self, id: PostId) -> impl Iterator<Item = PostId> {
        let group = self.translations.of_post(id).iter().copied();
        group.filter(move |other| *other != id && self.is_listed(id))
    }

    /// Returns the first field within a map whose last part has a name: `info.comments` for `comments`.
    #[must_use]
    pub fn nested_field(&self, name: &str, sets: &[usize]) -> Option<&str> {
        let is_it = |field: &&str| {
            let last = field.rsplit_once('.').map(|(_, last)| last);
            last.is_some_and(|last| last.eq_ignore_ascii_case(name))
        };
        self.field_names(sets).into_iter().find(is_it)
    }

    /// Returns the listed posts of a content set, in the default order: of one language, or of all.
    #[must_use]
    pub fn of_set(&self, set: usize, within: Option<LocaleId>) -> &[PostId] {
        &self.listing(within).by_set[set]
    }

    /// Returns the posts before and after one among the listed posts of its content set and language: the next older and
    /// the next newer one, and of an undated set those beside it in the order of titles. Takes time in proportion to
    /// the logarithm of their number.
    #[must_use]
    pub fn beside(&self, id: PostId) -> [Option<PostId>; 2] {
        let post = self.post(id);
        let posts = self.of_set(post.set, Some(post.locale));
        let Ok(at) = posts.binary_search(&id) else {
            return [None, None];
        };
        let is_dated = |id: &PostId| self.post(*id).date.is_some() == post.date.is_some();
        let before = at.checked_sub(1).and_then(|at| posts.get(at).copied());
        let after = posts.get(at + 1).copied();
        let [before, after] = [before, after].map(|id| id.filter(is_dated));
        match post.date {
            Some(_) => [after, before],
            None => [before, after],
        }
    }

    /// Returns the listed posts of all content sets, in the default order: of one language, or of all.
    #[must_use]
    pub fn listed(&self, within: Option<LocaleId>) -> &[PostId] {
        &self.listing(within).every
    }

    fn listing(&self, within: Option<LocaleId>) -> &Listing {
        let within = within.filter(|_| self.has_languages());
        &self.listings[within.map_or(0, |locale| locale.at() + 1)]
    }

    /// Returns the posts whose dates compare with a value as one of the `wanted` orders. `order` compares one date
    /// with the value and must never rise from the newest post to the oldest. Undated posts are never among
    /// them.
    #[must_use]
    pub fn dated(
        &self,
        order: impl Fn(&ZonedDate) -> Ordering,
        wanted: &[Ordering],
    ) -> Range<PostId> {
        let first_that = |fits: &dyn Fn(Ordering) -> bool| {
            let (mut low, mut high) = (0, self.dated);
            while low < high {
                let middle = low + (high - low) / 2;
                let date = self.post(PostId(middle)).date;
                if date.is_some_and(|date| fits(order(&date))) {
                    high = middle;
                } else {
                    low = middle + 1;
                }
            }
            PostId(low)
        };
        let start = |order: Ordering| first_that(&|found| found <= order);
        let end = |order: Ordering| first_that(&|found| found < order);
        let newest = wanted.iter().copied().max().unwrap_or(Ordering::Less);
        let oldest = wanted.iter().copied().min().unwrap_or(Ordering::Less);
        start(newest)..end(oldest)
    }

    /// Returns true if the days of the dates are in the order of the instants, which a clock set back
    /// over midnight can hinder.
    #[must_use]
    pub fn days_in_order(&self) -> bool {
        self.days_in_order
    }

    /// The names of the content sets, by number.
    #[must_use]
    pub fn sets(&self) -> &[String] {
        &self.sets
    }

    /// The numbers of all content sets.
    #[must_use]
    pub fn every_set(&self) -> Vec<usize> {
        (0..self.sets.len()).collect()
    }

    /// The number of the term field that goes by this name, one or many.
    #[must_use]
    pub fn term_field(&self, name: &str) -> Option<usize> {
        self.term_tables
            .iter()
            .position(|table| table.field.is(name))
    }

    /// The terms of a term field.
    #[must_use]
    pub fn terms(&self, field: usize) -> &TermTable {
        &self.term_tables[field]
    }

    /// The term fields' tables, by number.
    #[must_use]
    pub fn term_tables(&self) -> &[TermTable] {
        &self.term_tables
    }

    /// Returns the profile of a front matter field over the posts of these sets, listed or not;
    /// dotted names reach into maps.
    #[must_use]
    pub fn profile(&self, name: &str, sets: &[usize]) -> Option<FieldProfile> {
        self.fields.profile(name, sets)
    }

    /// Returns the profile of an entry of maps within lists, over all posts: of `crew.age` where
    /// the field `crew` is a list of maps.
    #[must_use]
    pub fn profile_in_lists(&self, name: &str) -> Option<&FieldProfile> {
        self.fields.profile_in_lists(name)
    }

    /// The names of all front matter fields over these sets, in the order met.
    #[must_use]
    pub fn field_names(&self, sets: &[usize]) -> Vec<&str> {
        self.fields.names(sets)
    }

    /// Returns the front matter keys of a set's posts, in the order met, and the posts that have each.
    pub fn keys(&self, set: usize) -> impl Iterator<Item = (&str, KeyUse)> {
        self.fields.keys(set)
    }

    /// The number of a front matter field's column.
    #[must_use]
    pub fn column(&self, name: &str) -> Option<usize> {
        self.fields.column(name)
    }

    /// The values of a post in a column, those of a list one by one. The first that asks for a column reads the field of
    /// all posts.
    pub fn cells(&self, column: usize, id: PostId) -> impl Iterator<Item = Cell<'_>> {
        self.fields.cells(column, id, &self.posts)
    }

    /// A text of a post. The first that asks lays those of all posts side by side, which takes
    /// as long as looking at each post once.
    #[must_use]
    pub fn text(&self, which: PostText, id: PostId) -> Option<&str> {
        self.texts[which as usize]
            .get_or_init(|| Texts::new(&self.posts, which))
            .get(id)
    }

    /// Lets posts keep their bodies as plain text when a query first reads them, so that later queries are faster. Takes
    /// memory in proportion to all texts, twice if queries search them both as written and folded.
    pub fn keep_bodies(&mut self) {
        self.keeps_bodies = true;
    }

    /// Returns the body of a post as plain text.
    #[must_use]
    pub fn body(&self, id: PostId) -> Cow<'_, str> {
        let post = self.post(id);
        match self.keeps_bodies {
            true => post.html.kept_text().into(),
            false => post.html.text().into(),
        }
    }

    /// Returns the body of a post as plain text without regard to case and accents, if bodies are kept.
    #[must_use]
    pub fn folded_body(&self, id: PostId) -> Option<&str> {
        self.keeps_bodies.then(|| self.post(id).html.folded_text())
    }

    /// Folds the bodies of all posts on all threads, if bodies are kept and as far as they are not folded yet.
    pub fn fold_bodies(&self) {
        if self.keeps_bodies {
            let posts = self.posts.par_iter();
            posts.for_each(|post| _ = post.html.folded_text());
        }
    }

    /// Reads the bodies of all posts on all threads, if bodies are kept and as far as they are not read yet.
    pub fn read_bodies(&self) {
        if self.keeps_bodies {
            let posts = self.posts.par_iter();
            posts.for_each(|post| _ = post.html.kept_text());
        }
    }

    /// Counts the words of the bodies of all posts on all threads, as far as they are not counted yet.
    pub fn count_words(&self) {
        let posts = self.posts.par_iter();
        posts.for_each(|post| _ = post.html.words());
    }

    /// The words of titles and texts. The first that asks counts them all.
    #[must_use]
    pub fn words(&self) -> &WordTables {
        self.words
            .get_or_init(|| WordTables::new(&self.posts, &self.tags(), &self.known_words.stems))
    }

    /// The folded words of texts. The first that asks counts them all.
    #[must_use]
    pub fn folded_words(&self) -> &WordTable {
        self.folded_words
            .get_or_init(|| WordTable::folded(&self.posts, &self.known_words.folded))
    }

    /// Returns the tags of the site's languages.
    fn tags(&self) -> Vec<&str> {
        self.languages.iter().map(Language::tag).collect()
    }

    /// Returns the words of all posts, if they were counted.
    #[must_use]
    pub fn counted_words(&self) -> Option<&WordTables> {
        self.words.get()
    }

    /// Returns the folded words of all texts, if they were counted.
    #[must_use]
    pub fn counted_folded_words(&self) -> Option<&WordTable> {
        self.folded_words.get()
    }

    /// Says what is known of words that were counted before.
    pub fn know_words(&mut self, known: KnownTexts) {
        self.known_words = known;
    }

    /// Puts a post in the place of the one whose file was the same but for its text. Terms, links
    /// and fields stay as they are; what is known of texts is forgotten.
    pub fn retext(&mut self, id: PostId, mut post: Arc<Post>) {
        if let Some(own) = Arc::get_mut(&mut post) {
            own.terms = Vec::new();
        }
        self.posts[id.0 as usize] = post;
        self.texts = Default::default();
        let stems = self.words.take().map(|words| words.body);
        let known = |table: Option<WordTable>| {
            let known = table.map(|table| table.known_but(id, &self.posts));
            known.unwrap_or_default()
        };
        self.known_words = KnownTexts {
            stems: known(stems),
            folded: known(self.folded_words.take()),
        };
    }

    /// Returns the post with a name: its path, its path within its set, or its slug. Of several with a slug one in
    /// the given language goes first, then the newest.
    #[must_use]
    pub fn find(&self, name: &str, locale: LocaleId) -> Option<PostId> {
        let name = name.trim_start_matches("./");
        let by = |fits: &dyn Fn(&Post) -> bool| self.all().find(|id| fits(self.post(*id)));
        by(&|post| post.path == name)
            .or_else(|| {
                by(&|post| {
                    post.path
                        .split_once('/')
                        .is_some_and(|(_, below)| below == name)
                })
            })
            .or_else(|| by(&|post| post.slug == name && post.locale == locale))
            .or_else(|| by(&|post| post.slug == name))
    }

    /// Finds the posts that posts name as related.
    fn pin_related(&mut self, diagnostics: &mut Diagnostics) {
        if self.posts.iter().all(|post| post.related.is_empty()) {
            return;
        }
        let mut known: BTreeMap<&str, PostId> = BTreeMap::new();
        let mut of_language: BTreeMap<(LocaleId, &str), PostId> = BTreeMap::new();
        for id in self.all() {
            let post = self.post(id);
            of_language.entry((post.locale, &post.slug)).or_insert(id);
            known.entry(&post.slug).or_insert(id);
            if let Some((_, below)) = post.path.split_once('/') {
                known.entry(below).or_insert(id);
            }
        }
        // A whole path means that file, whatever else is called so.
        known.extend(self.all().map(|id| (self.post(id).path.as_str(), id)));
        let mut pinned = BTreeMap::new();
        for id in self.all() {
            let post = self.post(id);
            let mut posts: Vec<PostId> = Vec::new();
            for name in &post.related {
                let wanted = name.node.trim_start_matches("./");
                let own = of_language.get(&(post.locale, wanted));
                let own = own.filter(|_| self.has_languages());
                match own.or_else(|| known.get(wanted)) {
                    Some(found) if *found == id || posts.contains(found) => {}
                    Some(found) => posts.push(*found),
                    None => diagnostics.push(
                        Diagnostic::error(
                            Code::UnknownRelatedPost,
                            post.source.location(name.span),
                            format!("there is no post \"{}\" for `related`", name.node),
                        )
                        .suggest(&name.node, nearest_first(&name.node, known.keys().copied())),
                    ),
                }
            }
            if !posts.is_empty() {
                pinned.insert(id, posts);
            }
        }
        self.pinned = pinned;
    }

    /// The listed posts that a post names as related, in its order, never itself.
    pub fn pinned(&self, id: PostId) -> impl Iterator<Item = PostId> {
        let posts = self.pinned.get(&id).into_iter().flatten().copied();
        posts.filter(|id| self.is_listed(*id))
    }

    /// The most posts that any post names as related.
    #[must_use]
    pub fn most_pinned(&self) -> usize {
        self.pinned.values().map(Vec::len).max().unwrap_or(0)
    }
}

/// Returns a language; English if the tag is not well formed, which is an error by itself.
fn language(tag: &str) -> Language {
    Language::new(tag)
        .or_else(|| Language::new("en"))
        .expect("English is always there")
}

/// Returns the listed posts of all languages, and if there are several, those of each.
fn listings(
    posts: &[Arc<Post>],
    listed: &[bool],
    settings: &Settings,
    languages: usize,
) -> Vec<Listing> {
    let empty = || Listing {
        by_set: vec![Vec::new(); settings.content.len()],
        every: Vec::new(),
    };
    let each = if languages > 1 { languages } else { 0 };
    let mut listings: Vec<Listing> = (0..=each).map(|_| empty()).collect();
    let mut append = |at: usize, set: usize, id: PostId| {
        listings[at].by_set[set].push(id);
        listings[at].every.push(id);
    };
    for ((post, id), _) in posts
        .iter()
        .zip((0..).map(PostId))
        .zip(listed)
        .filter(|(_, listed)| **listed)
    {
        append(0, post.set, id);
        if each > 0 {
            append(post.locale.at() + 1, post.set, id);
        }
    }
    listings
}

/// The known names that could be meant, so that a message need not list a whole blog.
fn nearest_first<'a>(written: &str, known: impl Iterator<Item = &'a str>) -> Vec<&'a str> {
    crate::diagnostic::nearest(written, known)
        .into_iter()
        .collect()
}

/// Date descending, undated last; then by language, title and path.
#[must_use]
pub fn default_order(languages: &[Language], a: &Post, b: &Post) -> Ordering {
    let dates = match (a.date, b.date) {
        (Some(a), Some(b)) => b.at.cmp(&a.at),
        (Some(_), None) => Ordering::Less,
        (None, Some(_)) => Ordering::Greater,
        (None, None) => Ordering::Equal,
    };
    dates
        .then_with(|| a.locale.cmp(&b.locale))
        .then_with(|| languages[a.locale.at()].sort(&a.title, &b.title))
        .then_with(|| a.path.cmp(&b.path))
}

/// Returns the terms of all posts: of each term field its table, and for each post its terms.
fn index_terms(
    (posts, listed): (&[Arc<Post>], &[bool]),
    notes: &[TermNote],
    settings: &Settings,
    languages: &[Language],
    diagnostics: &mut Diagnostics,
) -> (Vec<TermTable>, Vec<TermsOfPosts>) {
    let fields = settings.term_fields.par_iter().enumerate();
    let indexed = fields.map(|(number, field)| {
        let mut diagnostics = Diagnostics::new();
        let notes: Vec<&TermNote> = notes.iter().filter(|note| note.field == number).collect();
        let indexer = TermIndexer::new(field, &notes, languages, &mut diagnostics);
        (indexer.index(number, posts, listed), diagnostics)
    });
    let indexed: Vec<_> = indexed.collect();
    let indexed = indexed.into_iter().map(|(tables, mut found)| {
        diagnostics.append(&mut found);
        tables
    });
    indexed.unzip()
}

/// Returns the location at which a term is written, for messages.
#[must_use]
pub fn term_location(term: &Term) -> Option<Location> {
    term.written
        .as_ref()
        .map(|(source, name)| source.location(name.span))
}
