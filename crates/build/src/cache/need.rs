//! What a page asks for while it is made.
//!
//! Whatever a page gets is asked for by a key, which stands for the same in any build, as the
//! front matter of a post by its path. While pages are made, keys go by numbers ([`Need`]): those
//! of posts and terms are known beforehand, others are given when they are asked for first.

use std::cell::RefCell;
use std::sync::{Mutex, MutexGuard, PoisonError};

use indexmap::IndexSet;
use rustc_hash::FxBuildHasher;
use serde::{Deserialize, Serialize};
use tabulae_core::catalogue::{Catalogue, PostId};
use tabulae_core::settings::OverviewOrder;
use tabulae_core::term::TermId;

/// Something that a page can ask for.
#[derive(Debug, Clone, PartialEq, Eq, Hash, Serialize, Deserialize)]
pub(crate) enum Key {
    /// What the front matter, the name and the summary of a post say, by its path.
    Post(String),
    /// The text of a post.
    Text(String),
    /// What to read next after a post, with likeness and what is shared.
    Related(String),
    /// Name, link and note of a term, by its field and slug.
    Term(String, String),
    /// How many posts have a term.
    Count(String, String),
    /// Which posts a list has, and what stands around it, by its link.
    List(String),
    /// Titles, dates and links of all posts of a list.
    Rows(String),
    /// The terms of an archive, by its name.
    Groups(String),
    /// Which entries a feed has, by its address.
    Feed(String),
    /// All feeds.
    Feeds,
    /// A stand-alone page, by its path.
    Page(String),
    /// A template, by its name.
    Template(String),
    /// The posts that a query finds, on the page of a post.
    Query(String, Option<String>),
    /// Terms as they are listed. It is rare, and large, where there are thousands of others.
    Terms(Box<Listing>),
    /// Whether any post has a field, also within a list, and whether it is a map.
    Field(String),
    /// Where a file of the site is linked to.
    Address(String),
    /// A file that is copied, or whose length is told.
    File(String),
    /// What all pages show: navigation, feeds, the site's own words.
    Site,
    /// `tabulae.toml`, and what the build was asked for.
    Settings,
    /// What the likeness of posts is made of.
    Alike,
    /// What all posts say, but for their texts, and the names of terms.
    Posts,
    /// The same with their texts.
    All,
    /// The day.
    Day,
    /// The moment, which is never the same.
    Moment,
    /// Something was wrong with it, which is to be said each time.
    Warned,
}

/// Terms that a page lists.
#[derive(Debug, Clone, PartialEq, Eq, PartialOrd, Ord, Hash, Serialize, Deserialize)]
pub(crate) struct Listing {
    /// Of which field.
    pub(crate) field: String,
    pub(crate) order: OverviewOrder,
    pub(crate) limit: Option<usize>,
    /// Of the posts that a query finds.
    pub(crate) query: Option<String>,
}

impl Key {
    /// The query that the answer stands on.
    pub(crate) fn query(&self) -> Option<&str> {
        match self {
            Self::Query(text, _) => Some(text),
            Self::Terms(listing) => listing.query.as_deref(),
            _ => None,
        }
    }
}

/// The number of a key, in one build.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash)]
pub(crate) struct Need(u32);

impl Need {
    /// Less than [`Needs::given`].
    pub(crate) fn number(self) -> usize {
        self.0 as usize
    }
}

/// The numbers of keys.
#[derive(Debug)]
pub(crate) struct Needs {
    posts: u32,
    /// Where the terms of each field begin, and where the last's end.
    terms: Vec<u32>,
    others: Mutex<IndexSet<Key, FxBuildHasher>>,
}

impl Needs {
    /// The numbers of a build's posts and terms.
    pub(crate) fn new(catalogue: &Catalogue) -> Self {
        let posts = count(catalogue.all().count());
        let mut terms = vec![0];
        for table in catalogue.term_tables() {
            terms.push(terms[terms.len() - 1] + count(table.terms.len()));
        }
        Self {
            posts,
            terms,
            others: Mutex::default(),
        }
    }

    pub(crate) fn post(&self, id: PostId) -> Need {
        Need(id.0)
    }

    pub(crate) fn text(&self, id: PostId) -> Need {
        Need(self.posts + id.0)
    }

    pub(crate) fn related(&self, id: PostId) -> Need {
        Need(2 * self.posts + id.0)
    }

    pub(crate) fn term(&self, field: usize, id: TermId) -> Need {
        Need(3 * self.posts + self.terms[field] + id.0)
    }

    pub(crate) fn count(&self, field: usize, id: TermId) -> Need {
        Need(3 * self.posts + self.all_terms() + self.terms[field] + id.0)
    }

    fn all_terms(&self) -> u32 {
        self.terms[self.terms.len() - 1]
    }

    /// The number of any other key.
    pub(crate) fn other(&self, key: Key) -> Need {
        let mut others = self.others();
        let number = match others.get_index_of(&key) {
            Some(known) => known,
            None => others.insert_full(key).0,
        };
        Need(self.first_other() + count(number))
    }

    fn first_other(&self) -> u32 {
        3 * self.posts + 2 * self.all_terms()
    }

    /// How many numbers are given so far.
    pub(crate) fn given(&self) -> usize {
        self.first_other() as usize + self.others().len()
    }

    fn others(&self) -> MutexGuard<'_, IndexSet<Key, FxBuildHasher>> {
        self.others.lock().unwrap_or_else(PoisonError::into_inner)
    }

    /// The key of a number.
    pub(crate) fn key(&self, need: Need, catalogue: &Catalogue) -> Key {
        let path = |number: u32| catalogue.post(PostId(number)).path.clone();
        let (kind, number) = match need.0.checked_div(self.posts) {
            Some(kind) if kind < 3 => (kind, need.0 % self.posts),
            _ => (3, need.0 - 3 * self.posts),
        };
        match kind {
            0 => Key::Post(path(number)),
            1 => Key::Text(path(number)),
            2 => Key::Related(path(number)),
            _ if number < self.all_terms() => {
                let (field, slug) = self.term_of(number, catalogue);
                Key::Term(field, slug)
            }
            _ if number < 2 * self.all_terms() => {
                let (field, slug) = self.term_of(number - self.all_terms(), catalogue);
                Key::Count(field, slug)
            }
            _ => self.others()[(number - 2 * self.all_terms()) as usize].clone(),
        }
    }

    fn term_of(&self, number: u32, catalogue: &Catalogue) -> (String, String) {
        let field = self.terms.partition_point(|start| *start <= number) - 1;
        let table = catalogue.terms(field);
        let term = table.term(TermId(number - self.terms[field]));
        (table.field.name.clone(), term.slug.clone())
    }
}

fn count(number: usize) -> u32 {
    u32::try_from(number).unwrap_or(u32::MAX)
}

thread_local! {
    /// What is being made on this thread, the innermost last, and what it asked for. A thread
    /// that waits within one page may begin another, which ends before the first goes on.
    static MAKING: RefCell<Vec<Vec<Need>>> = const { RefCell::new(Vec::new()) };
}

/// Returns how many pages and parts are being made on this thread, one within the other.
pub(crate) fn nesting() -> usize {
    MAKING.with_borrow(Vec::len)
}

/// Says that what is being made on this thread asks for something.
pub(crate) fn need(need: Need) {
    MAKING.with_borrow_mut(|making| {
        if let Some(needs) = making.last_mut()
            && needs.last() != Some(&need)
        {
            needs.push(need);
        }
    });
}

/// The same of several.
pub(crate) fn needs_of(needs: &[Need]) {
    MAKING.with_borrow_mut(|making| {
        if let Some(own) = making.last_mut() {
            own.extend_from_slice(needs);
        }
    });
}

/// Makes something, and says what it asked for, each once, in rising order.
pub(crate) fn record<T>(make: impl FnOnce() -> T) -> (T, Box<[Need]>) {
    MAKING.with_borrow_mut(|making| making.push(Vec::new()));
    let made = make();
    let mut needs = MAKING.with_borrow_mut(Vec::pop).unwrap_or_default();
    needs.sort_unstable();
    needs.dedup();
    (made, needs.into())
}

/// Makes a part of something that asks for whatever the part asks for.
pub(crate) fn recorded<T>(make: impl FnOnce() -> T) -> (T, Box<[Need]>) {
    let (made, needs) = record(make);
    needs_of(&needs);
    (made, needs)
}
