//! The front matter fields of all posts: what kinds of values each holds, and its values by
//! column, so that a test of one field reads them from one place in memory. A column is made when a query first asks
//! for it: most fields are never asked for.

use std::sync::{Arc, OnceLock};

use indexmap::{IndexMap, IndexSet};
use jiff::Timestamp;
use rayon::prelude::*;
use rustc_hash::FxBuildHasher;

use crate::id::{PostId, number};
use crate::post::Post;
use crate::value::{Kind, Map, Value};

/// The profile of one front matter field over a set of posts.
#[derive(Debug, Clone, Default, PartialEq, Eq)]
pub struct FieldProfile {
    /// The kinds of its single values.
    pub kinds: Vec<Kind>,
    /// Set if any post has a list in it.
    pub many: bool,
    /// The posts that have it as a key of their own, and not within a map.
    pub key: Option<KeyUse>,
}

/// The posts that have a front matter key.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct KeyUse {
    /// Their number.
    pub posts: usize,
    /// The first of them, in the default order.
    pub first: PostId,
}

impl FieldProfile {
    /// Returns true if it is a map in any post.
    #[must_use]
    pub fn has_maps(&self) -> bool {
        self.kinds.contains(&Kind::Map)
    }

    /// Adds the use of a key by posts that come after those that were added before.
    fn add_use(&mut self, used: KeyUse) {
        match &mut self.key {
            Some(known) => known.posts += used.posts,
            none => *none = Some(used),
        }
    }

    fn note(&mut self, value: &Value) {
        let kind = value.kind();
        if !value.is_missing() && !self.kinds.contains(&kind) {
            self.kinds.push(kind);
        }
    }

    /// Adds what a profile of later posts has.
    fn extend(&mut self, other: &Self) {
        self.many |= other.many;
        if let Some(used) = other.key {
            self.add_use(used);
        }
        for kind in &other.kinds {
            if !self.kinds.contains(kind) {
                self.kinds.push(*kind);
            }
        }
    }
}

/// One value of a front matter field.
#[derive(Debug, Clone, Copy, PartialEq)]
pub enum Cell<'a> {
    /// A text that is not blank.
    Text(&'a str),
    /// A number.
    Number(f64),
    /// True or false.
    Flag(bool),
    /// A date's instant.
    Date(Timestamp),
}

#[derive(Debug, Clone, Copy)]
enum Stored {
    Text(u32),
    Number(f64),
    Flag(bool),
    Date(Timestamp),
}

/// The values of one field: for each post that has it, in the posts' order, where its values
/// begin.
#[derive(Debug, Default)]
struct Column {
    rows: Vec<(PostId, u32)>,
    values: Vec<Stored>,
    texts: Interned,
}

/// The profiles of fields, by name.
type Profiles = IndexMap<String, FieldProfile, FxBuildHasher>;

/// Texts, each once.
type Interned = IndexSet<Box<str>, FxBuildHasher>;

/// The kinds of values of all front matter fields.
#[derive(Debug)]
struct Kinds {
    /// By content set.
    profiles: Vec<Profiles>,
    /// The profiles of the entries of maps within lists, over all sets.
    in_lists: Profiles,
}

/// All front matter fields.
#[derive(Debug)]
pub(super) struct Fields {
    kinds: Kinds,
    /// By the names of all sets' fields.
    columns: IndexMap<String, OnceLock<Column>, FxBuildHasher>,
}

impl Fields {
    /// Reads the headers of `posts`, which are numbered in this order.
    pub(super) fn new(posts: &[Arc<Post>], sets: usize) -> Self {
        let kinds = Kinds::of_all(posts, sets);
        let names = kinds.profiles.iter().flat_map(IndexMap::keys);
        let columns = names.map(|name| (name.clone(), OnceLock::new())).collect();
        Self { kinds, columns }
    }

    /// Returns the profile of a field over these sets; dotted names reach into maps.
    pub(super) fn profile(&self, name: &str, sets: &[usize]) -> Option<FieldProfile> {
        let mut found: Option<FieldProfile> = None;
        let profiles = &self.kinds.profiles;
        for profile in sets.iter().filter_map(|set| profiles[*set].get(name)) {
            found.get_or_insert_default().extend(profile);
        }
        found
    }

    /// The keys of the posts of a set, and the posts that have each.
    pub(super) fn keys(&self, set: usize) -> impl Iterator<Item = (&str, KeyUse)> {
        let profiles = self.kinds.profiles[set].iter();
        profiles.filter_map(|(name, profile)| Some((name.as_str(), profile.key?)))
    }

    /// The names of all fields over these sets, in the order met.
    pub(super) fn names(&self, sets: &[usize]) -> Vec<&str> {
        let names: IndexSet<&str> = sets
            .iter()
            .flat_map(|set| self.kinds.profiles[*set].keys())
            .map(String::as_str)
            .collect();
        names.into_iter().collect()
    }

    /// The number of the field's column.
    pub(super) fn column(&self, name: &str) -> Option<usize> {
        self.columns.get_index_of(name)
    }

    /// The values of a post in a column, those of a list one by one. `posts` are those that the fields were made of.
    pub(super) fn cells(
        &self,
        column: usize,
        post: PostId,
        posts: &[Arc<Post>],
    ) -> impl Iterator<Item = Cell<'_>> {
        let (name, column) = (&self.columns.keys()[column], &self.columns[column]);
        let column = column.get_or_init(|| Column::new(name, posts));
        let values = column.row(post, posts.len()).map_or(&[][..], |row| {
            let end = column
                .rows
                .get(row + 1)
                .map_or(column.values.len(), |next| next.1 as usize);
            &column.values[column.rows[row].1 as usize..end]
        });
        values.iter().map(|value| match *value {
            Stored::Text(number) => Cell::Text(&column.texts[number as usize]),
            Stored::Number(number) => Cell::Number(number),
            Stored::Flag(flag) => Cell::Flag(flag),
            Stored::Date(at) => Cell::Date(at),
        })
    }

    /// Returns the profile of an entry of a map within a list; dotted names reach into it.
    pub(super) fn profile_in_lists(&self, name: &str) -> Option<&FieldProfile> {
        self.kinds.in_lists.get(name)
    }
}

impl Kinds {
    /// The number of posts that one thread looks at in a run.
    const RUN: usize = 1024;

    /// Looks at the headers of posts, on all threads; the names are in the order met.
    fn of_all(posts: &[Arc<Post>], sets: usize) -> Self {
        let runs = posts.par_chunks(Self::RUN).enumerate();
        let runs = runs.map(|(run, posts)| Self::of((run * Self::RUN, posts), sets));
        let runs: Vec<Self> = runs.collect();
        runs.into_iter()
            .reduce(Self::with)
            .unwrap_or_else(|| Self::of((0, &[]), sets))
    }

    /// Looks at the headers of posts, the first of which has a number.
    fn of((first, posts): (usize, &[Arc<Post>]), sets: usize) -> Self {
        let mut kinds = Self {
            profiles: vec![IndexMap::default(); sets],
            in_lists: IndexMap::default(),
        };
        let mut name = String::new();
        for (id, post) in (number(first)..).map(PostId).zip(posts) {
            // Most posts have the keys of the one before, in its order.
            let mut near = 0;
            for entry in &post.front.entries {
                name.push_str(&entry.key.node);
                let at = kinds.note((Some(post.set), near), &mut name, &entry.value.node);
                kinds.profiles[post.set][at].add_use(KeyUse {
                    posts: 1,
                    first: id,
                });
                near = at + 1;
                name.clear();
            }
        }
        kinds
    }

    /// Adds the kinds of later posts.
    fn with(mut self, later: Self) -> Self {
        let own = self.profiles.iter_mut().chain([&mut self.in_lists]);
        for (own, later) in own.zip(later.profiles.into_iter().chain([later.in_lists])) {
            for (name, profile) in later {
                own.entry(name).or_default().extend(&profile);
            }
        }
        self
    }

    /// Notes the kind of a post's field of a set, or of something within a list, and returns the number of its profile, which
    /// is likely to be `near`. The name is as it was afterwards.
    fn note(
        &mut self,
        (set, near): (Option<usize>, usize),
        name: &mut String,
        value: &Value,
    ) -> usize {
        let profiles = match set {
            Some(set) => &mut self.profiles[set],
            None => &mut self.in_lists,
        };
        let is_near = profiles
            .get_index(near)
            .is_some_and(|(known, _)| known == name);
        let at = is_near.then_some(near);
        let at = at.or_else(|| profiles.get_index_of(name.as_str()));
        let at = at.unwrap_or_else(|| {
            let (at, _) = profiles.insert_full(name.clone(), FieldProfile::default());
            at
        });
        let profile = &mut profiles[at];
        match value {
            Value::List(items) => {
                items.iter().for_each(|item| profile.note(&item.node));
                profile.many = true;
            }
            other => profile.note(other),
        }
        match value {
            Value::Map(map) => self.note_entries((set, at + 1), name, map),
            Value::List(items) => {
                for item in items {
                    if let Value::Map(map) = &item.node {
                        self.note_entries((None, 0), name, map);
                    }
                }
            }
            _ => {}
        }
        at
    }

    fn note_entries(
        &mut self,
        (set, mut near): (Option<usize>, usize),
        name: &mut String,
        map: &Map,
    ) {
        let length = name.len();
        for entry in &map.entries {
            name.push('.');
            name.push_str(&entry.key.node);
            near = 1 + self.note((set, near), name, &entry.value.node);
            name.truncate(length);
        }
    }
}

impl Column {
    /// Reads a field of all posts, which are numbered in this order. A map is no value: its entries are fields.
    fn new(name: &str, posts: &[Arc<Post>]) -> Self {
        let mut column = Self::default();
        for (number, post) in (0..).zip(posts) {
            let value = post.front.at(name).map(|value| &value.node);
            if let Some(value) = value.filter(|value| value.kind() != Kind::Map) {
                column.push(PostId(number), value);
            }
        }
        column
    }

    fn push(&mut self, id: PostId, value: &Value) {
        self.rows.push((id, number(self.values.len())));
        let mut intern = |text: &str| {
            number(match self.texts.get_index_of(text) {
                Some(at) => at,
                None => self.texts.insert_full(text.into()).0,
            })
        };
        each_value(value, &mut |cell| {
            self.values.push(match cell {
                Cell::Text(text) => Stored::Text(intern(text)),
                Cell::Number(number) => Stored::Number(number),
                Cell::Flag(flag) => Stored::Flag(flag),
                Cell::Date(at) => Stored::Date(at),
            });
        });
    }

    /// The row of a post: at its own number where every post has the field.
    fn row(&self, post: PostId, posts: usize) -> Option<usize> {
        if self.rows.len() == posts {
            return Some(post.0 as usize);
        }
        self.rows.binary_search_by_key(&post, |(id, _)| *id).ok()
    }
}

/// A text that a post has, wherever it comes from.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum PostText {
    /// The title.
    Title,
    /// The last part of its address.
    Slug,
    /// The summary.
    Summary,
    /// The image.
    Image,
}

impl PostText {
    /// The number of texts of a post.
    pub(super) const COUNT: usize = 4;

    fn of(self, post: &Post) -> Option<&str> {
        match self {
            PostText::Title => Some(&post.title),
            PostText::Slug => Some(&post.slug),
            PostText::Summary => post.summary.as_deref(),
            PostText::Image => post.image.as_deref(),
        }
    }
}

/// One text of each post, one behind the other.
#[derive(Debug)]
pub(super) struct Texts {
    all: String,
    ranges: Vec<Option<(u32, u32)>>,
}

impl Texts {
    pub(super) fn new(posts: &[Arc<Post>], which: PostText) -> Self {
        let mut all = String::new();
        let mut append = |text: &str| {
            let start = number(all.len());
            all.push_str(text);
            (start, number(all.len()))
        };
        let ranges = posts
            .iter()
            .map(|post| which.of(post).map(&mut append))
            .collect();
        Self { all, ranges }
    }

    pub(super) fn get(&self, id: PostId) -> Option<&str> {
        let (start, end) = self.ranges[id.0 as usize]?;
        Some(&self.all[start as usize..end as usize])
    }
}

/// The single values of a value that are not missing, those of lists one by one.
fn each_value<'a>(value: &'a Value, see: &mut impl FnMut(Cell<'a>)) {
    match value {
        Value::Text(text) if !text.trim().is_empty() => see(Cell::Text(text)),
        Value::Number(number, _) => see(Cell::Number(*number)),
        Value::Flag(flag, _) => see(Cell::Flag(*flag)),
        Value::Date(date, _) => see(Cell::Date(date.at)),
        Value::List(items) => items.iter().for_each(|item| each_value(&item.node, see)),
        Value::Text(_) | Value::Map(_) | Value::Null => {}
    }
}
