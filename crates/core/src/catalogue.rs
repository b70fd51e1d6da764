//! All posts and terms of a site, numbered, indexed once, then never changed.

mod terms;
#[cfg(test)]
mod tests;

use std::cmp::Ordering;
use std::collections::BTreeMap;

use indexmap::IndexMap;

use self::terms::TermIndexer;
use crate::diagnostic::{Code, Collected, Diagnostic, Faults};
pub use crate::id::PostId;
use crate::language::Language;
use crate::post::{Include, Post};
use crate::route::Link;
use crate::settings::{Settings, TermField};
use crate::source::{Place, Source, Spanned};
use crate::term::{Term, TermId, identity, nested_identity, slug};
use crate::time::date_part;
use crate::value::{Kind, Value};

/// A note on a term: `terms/tag/lime.md`.
#[derive(Debug, Clone)]
pub struct TermNote {
    /// The term field's number.
    pub field: usize,
    /// The file's name without its ending, with folders where terms are nested.
    pub name: String,
    /// The title, where the note gives one.
    pub title: Option<Spanned<String>>,
    /// The slug, where the note gives one.
    pub slug: Option<Spanned<String>>,
    /// Further spellings of the term.
    pub spellings: Vec<Spanned<String>>,
    /// The text, as HTML.
    pub html: String,
    /// The header's text.
    pub source: Source,
}

/// What is known of one front matter field over a set of posts.
#[derive(Debug, Clone, Default, PartialEq, Eq)]
pub struct FieldProfile {
    /// The kinds of its single values.
    pub kinds: Vec<Kind>,
    /// Whether any post holds a list in it.
    pub many: bool,
}

/// All posts and terms.
#[derive(Debug)]
pub struct Catalogue {
    /// The site's language.
    pub language: Language,
    posts: Vec<Post>,
    listed: Vec<bool>,
    links: Vec<Link>,
    terms_of: Vec<Vec<Vec<TermId>>>,
    fields: Vec<TermTable>,
    by_set: Vec<Vec<PostId>>,
    profiles: Vec<IndexMap<String, FieldProfile>>,
    sets: Vec<String>,
}

/// The terms of one term field.
#[derive(Debug)]
pub struct TermTable {
    /// The field.
    pub field: TermField,
    /// Its terms, in the order in which the oldest-numbered post uses them.
    pub terms: Vec<Term>,
    by_identity: BTreeMap<String, TermId>,
}

impl TermTable {
    /// The term that this spelling stands for.
    #[must_use]
    pub fn find(&self, spelling: &str) -> Option<TermId> {
        let identity = if self.field.nested {
            nested_identity(spelling)
        } else {
            identity(spelling)
        };
        self.by_identity.get(&identity).copied()
    }

    /// The term of this number.
    #[must_use]
    pub fn term(&self, id: TermId) -> &Term {
        &self.terms[id.0 as usize]
    }
}

impl Catalogue {
    /// Numbers and indexes `posts`. Held-back posts are kept, and are in no list.
    #[must_use]
    pub fn new(
        mut posts: Vec<Post>,
        notes: Vec<TermNote>,
        settings: &Settings,
        include: Include,
        today: jiff::civil::Date,
    ) -> Collected<Self> {
        let mut faults = Faults::new();
        let language = Language::new(&settings.site.language)
            .or_else(|| Language::new("en"))
            .expect("English is always there");
        in_default_order(&mut posts, &language);
        let listed: Vec<bool> = posts.iter().map(|post| include.lists(post.state)).collect();
        let mut fields = Vec::new();
        let mut terms_of = vec![Vec::with_capacity(settings.term_fields.len()); posts.len()];
        for (number, field) in settings.term_fields.iter().enumerate() {
            let notes: Vec<&TermNote> = notes.iter().filter(|note| note.field == number).collect();
            let table = TermIndexer::new(field, &notes, &mut faults).index(
                number,
                &posts,
                &listed,
                &mut terms_of,
            );
            fields.push(table);
        }
        let mut catalogue = Self {
            language,
            listed,
            links: Vec::new(),
            terms_of,
            fields,
            by_set: vec![Vec::new(); settings.content.len()],
            profiles: profiles(&posts, settings.content.len()),
            sets: settings
                .content
                .iter()
                .map(|set| set.name.clone())
                .collect(),
            posts,
        };
        for id in catalogue.all() {
            if catalogue.is_listed(id) {
                let set = catalogue.post(id).set;
                catalogue.by_set[set].push(id);
            }
        }
        catalogue.links = links(&catalogue, settings, include, today, &mut faults);
        catalogue.check_related(&mut faults);
        Collected {
            output: catalogue,
            diagnostics: faults,
        }
    }

    /// Every post, held back or not, in the default order.
    pub fn all(&self) -> impl Iterator<Item = PostId> + use<> {
        (0..u32::try_from(self.posts.len()).unwrap_or(u32::MAX)).map(PostId)
    }

    /// The post of this number.
    #[must_use]
    pub fn post(&self, id: PostId) -> &Post {
        &self.posts[id.0 as usize]
    }

    /// Its address.
    #[must_use]
    pub fn link(&self, id: PostId) -> &Link {
        &self.links[id.0 as usize]
    }

    /// Whether it is in lists.
    #[must_use]
    pub fn is_listed(&self, id: PostId) -> bool {
        self.listed[id.0 as usize]
    }

    /// Its own terms in a term field, in the order written.
    #[must_use]
    pub fn terms_of(&self, id: PostId, field: usize) -> &[TermId] {
        &self.terms_of[id.0 as usize][field]
    }

    /// The listed posts of a content set, in the default order.
    #[must_use]
    pub fn of_set(&self, set: usize) -> &[PostId] {
        &self.by_set[set]
    }

    /// The names of the content sets, by number.
    #[must_use]
    pub fn sets(&self) -> &[String] {
        &self.sets
    }

    /// The number of the term field that goes by this name, one or many.
    #[must_use]
    pub fn term_field(&self, name: &str) -> Option<usize> {
        self.fields.iter().position(|table| table.field.is(name))
    }

    /// The terms of a term field.
    #[must_use]
    pub fn terms(&self, field: usize) -> &TermTable {
        &self.fields[field]
    }

    /// The term fields' tables, by number.
    #[must_use]
    pub fn term_tables(&self) -> &[TermTable] {
        &self.fields
    }

    /// What is known of a front matter field over the posts of these sets, listed or not;
    /// dotted names reach into maps.
    #[must_use]
    pub fn profile(&self, name: &str, sets: &[usize]) -> Option<FieldProfile> {
        let mut found: Option<FieldProfile> = None;
        for set in sets {
            if let Some(profile) = self.profiles[*set].get(name) {
                let whole = found.get_or_insert_default();
                whole.many |= profile.many;
                for kind in &profile.kinds {
                    if !whole.kinds.contains(kind) {
                        whole.kinds.push(*kind);
                    }
                }
            }
        }
        found
    }

    /// The names of all front matter fields over these sets, in the order met.
    #[must_use]
    pub fn field_names(&self, sets: &[usize]) -> Vec<&str> {
        let mut names = Vec::new();
        for set in sets {
            for name in self.profiles[*set].keys() {
                if !names.contains(&name.as_str()) {
                    names.push(name.as_str());
                }
            }
        }
        names
    }

    /// The post that `name` stands for: its path, its path within its set, or its slug.
    #[must_use]
    pub fn find(&self, name: &str) -> Option<PostId> {
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
            .or_else(|| by(&|post| post.slug == name))
    }

    fn check_related(&self, faults: &mut Faults) {
        if self.posts.iter().all(|post| post.related.is_empty()) {
            return;
        }
        let mut known: BTreeMap<&str, PostId> = BTreeMap::new();
        for id in self.all() {
            let post = self.post(id);
            known.entry(&post.slug).or_insert(id);
            known.entry(&post.path).or_insert(id);
            if let Some((_, below)) = post.path.split_once('/') {
                known.entry(below).or_insert(id);
            }
        }
        for post in &self.posts {
            for name in &post.related {
                if !known.contains_key(name.node.trim_start_matches("./")) {
                    faults.push(
                        Diagnostic::error(
                            Code::RelatedUnknown,
                            post.source.place(name.span),
                            format!("there is no post \"{}\" to be related", name.node),
                        )
                        .suggest(&name.node, nearest_first(&name.node, known.keys().copied())),
                    );
                }
            }
        }
    }
}

/// The known names that could be meant, so that a message need not list a whole blog.
fn nearest_first<'a>(written: &str, known: impl Iterator<Item = &'a str>) -> Vec<&'a str> {
    crate::diagnostic::nearest(written, known)
        .into_iter()
        .collect()
}

/// Sorts by [`default_order`]. A post is large, so that its place is found first and it is moved
/// once.
fn in_default_order(posts: &mut Vec<Post>, language: &Language) {
    let mut order: Vec<usize> = (0..posts.len()).collect();
    order.sort_unstable_by(|a, b| default_order(language, &posts[*a], &posts[*b]));
    let mut places: Vec<Option<Post>> = posts.drain(..).map(Some).collect();
    posts.extend(order.into_iter().filter_map(|at| places[at].take()));
}

/// Date descending, undated last by title, then title, then path.
#[must_use]
pub fn default_order(language: &Language, a: &Post, b: &Post) -> Ordering {
    let dates = match (a.date, b.date) {
        (Some(a), Some(b)) => b.at.cmp(&a.at),
        (Some(_), None) => Ordering::Less,
        (None, Some(_)) => Ordering::Greater,
        (None, None) => Ordering::Equal,
    };
    dates
        .then_with(|| language.sort(&a.title, &b.title))
        .then_with(|| a.path.cmp(&b.path))
}

fn profiles(posts: &[Post], sets: usize) -> Vec<IndexMap<String, FieldProfile>> {
    let mut profiles = vec![IndexMap::new(); sets];
    for post in posts {
        for entry in &post.front.entries {
            note_kinds(&mut profiles[post.set], &entry.key.node, &entry.value.node);
        }
    }
    profiles
}

fn note_kinds(profiles: &mut IndexMap<String, FieldProfile>, name: &str, value: &Value) {
    if !profiles.contains_key(name) {
        profiles.insert(name.to_owned(), FieldProfile::default());
    }
    let Some(profile) = profiles.get_mut(name) else {
        return;
    };
    let mut note = |value: &Value| {
        let kind = value.kind();
        if !value.is_missing() && !profile.kinds.contains(&kind) {
            profile.kinds.push(kind);
        }
    };
    match value {
        Value::List(items) => {
            items.iter().for_each(|item| note(&item.node));
            profile.many = true;
        }
        other => note(other),
    }
    if let Value::Map(map) = value {
        for entry in &map.entries {
            note_kinds(
                profiles,
                &format!("{name}.{}", entry.key.node),
                &entry.value.node,
            );
        }
    }
}

/// The addresses of all posts by their sets' patterns.
fn links(
    catalogue: &Catalogue,
    settings: &Settings,
    include: Include,
    today: jiff::civil::Date,
    faults: &mut Faults,
) -> Vec<Link> {
    catalogue
        .all()
        .map(|id| {
            let post = catalogue.post(id);
            let pattern = &settings.content[post.set].link;
            let undated_draft = post.draft && post.date.is_none();
            let value = |name: &str| {
                let draft = || undated_draft.then(|| date_part(today, name)).flatten();
                variable(catalogue, id, name).or_else(draft)
            };
            pattern.expand(value).unwrap_or_else(|missing| {
                if include.has_page(post.state) {
                    faults.push(
                        Diagnostic::error(
                            Code::LinkUnfit,
                            post.place_of(missing),
                            format!(
                                "the link \"{}\" of `{}` needs one `{missing}`, and this post has none or several",
                                pattern.text(),
                                settings.content[post.set].name
                            ),
                        )
                        .help(format!("give the post one `{missing}`, or the set a link that does without it")),
                    );
                }
                Link::new(format!("/{}/", post.slug))
            })
        })
        .collect()
}

/// The value of a link's variable for one post; `None` where it has none, or several.
fn variable(catalogue: &Catalogue, id: PostId, name: &str) -> Option<String> {
    let post = catalogue.post(id);
    match name {
        "slug" => return Some(post.slug.clone()),
        "folder" => return Some(post.folder.clone()),
        "year" | "month" | "day" => return date_part(post.date?.day, name),
        _ => {}
    }
    if let Some(field) = catalogue.term_field(name) {
        return match catalogue.terms_of(id, field) {
            [one] => Some(catalogue.terms(field).term(*one).slug.clone()),
            _ => None,
        };
    }
    let written = post.front.at(name)?.node.written()?;
    let kept = crate::term::slug_fault(written).is_none() && !written.is_empty();
    let value = if kept {
        written.to_owned()
    } else {
        slug(written)
    };
    (!value.is_empty()).then_some(value)
}

/// Where a term is written, for messages.
#[must_use]
pub fn term_place(term: &Term) -> Option<Place> {
    term.written
        .as_ref()
        .map(|(source, name)| source.place(name.span))
}
