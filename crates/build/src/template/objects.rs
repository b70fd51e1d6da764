//! What templates see of posts, terms and dates.

use std::cmp::Ordering;
use std::fmt;
use std::sync::Arc;

use minijinja::value::{DynObject, Enumerator, Object, ObjectRepr};
use minijinja::{Error, ErrorKind, State, Value};
use tabulae_core::catalogue::PostId;
use tabulae_core::html;
use tabulae_core::likeness::WHOLE;
use tabulae_core::post::State as PostState;
use tabulae_core::query::fields::{DerivedField, FIELDS, derived};
use tabulae_core::term::TermId;
use tabulae_core::time::Stamp;

use super::fields::{lacking, own_value, whole};
use super::filters::{anchor, in_html};
use super::{Shared, escape, is_related, printed, this};
use crate::cache::{Key, Need, need};
use crate::plan::Plan;
use crate::site::Site;

/// What the image shows, for those who do not see it: a field that the theme knows even where
/// no post has it.
const IMAGE_ALT: &str = "image_alt";

/// A post in a template.
#[derive(Debug)]
pub struct PostObject {
    /// Which post.
    pub id: PostId,
    shared: Arc<Shared>,
}

impl PostObject {
    /// A post as a value.
    #[must_use]
    pub fn value(id: PostId, shared: &Arc<Shared>) -> Value {
        Value::from_object(Self {
            id,
            shared: Arc::clone(shared),
        })
    }

    fn derived(&self, field: DerivedField) -> Value {
        let site = &self.shared.site;
        let post = site.catalogue.post(self.id);
        let number = |part: Option<i16>| part.map_or(Value::from(()), Value::from);
        match field {
            DerivedField::Title => Value::from(Arc::clone(&post.title)),
            DerivedField::Link => self.shared.post_link(self.id).clone(),
            DerivedField::Slug => Value::from(post.slug.as_str()),
            DerivedField::Path => Value::from(post.path.as_str()),
            DerivedField::Folder => Value::from(post.folder.as_str()),
            DerivedField::Content => {
                Value::from_safe_string(site.html_of(site.owner(self.id), post))
            }
            DerivedField::Date => date_or_none(post.date),
            DerivedField::Updated => date_or_none(post.updated),
            DerivedField::Year => number(post.date.map(|date| date.day.year())),
            DerivedField::Month => number(post.date.map(|date| i16::from(date.day.month()))),
            DerivedField::Day => number(post.date.map(|date| i16::from(date.day.day()))),
            DerivedField::Summary => post
                .summary
                .as_ref()
                .map_or(Value::from(()), |summary| Value::from(Arc::clone(summary))),
            DerivedField::Image => match &post.image {
                Some(image) => Value::from(
                    site.resolve(site.owner(self.id), image)
                        .unwrap_or_else(|| image.clone()),
                ),
                None => Value::from(()),
            },
            DerivedField::Words => Value::from(post.words()),
            DerivedField::Minutes => Value::from(post.minutes()),
            DerivedField::Text => Value::from(html::text(&post.html.get())),
            DerivedField::Draft => Value::from(post.draft),
            DerivedField::Scheduled => Value::from(post.state == PostState::Scheduled),
            DerivedField::Expired => Value::from(post.state == PostState::Expired),
            DerivedField::Unlisted => Value::from(post.unlisted),
            DerivedField::Current => Value::from(this() == Some(self.id)),
            DerivedField::Likeness => self.likeness().unwrap_or(Value::from(())),
        }
    }

    /// A link to it with its title, or another text, in it.
    pub(super) fn anchor(&self, text: Option<&Value>) -> String {
        need(self.shared.site.needs.post(self.id));
        let address = self.shared.post_link(self.id).as_str();
        let current = this() == Some(self.id);
        match text {
            Some(text) => anchor(address, &in_html(text), current),
            None => {
                let title = &self.shared.site.catalogue.post(self.id).title;
                anchor(address, &escape(title), current)
            }
        }
    }

    /// Whether it is live, or what keeps it from being so.
    pub(super) fn state(&self) -> PostState {
        need(self.shared.site.needs.post(self.id));
        self.shared.site.catalogue.post(self.id).state
    }

    /// Says that what is being made asks for a derived field.
    fn ask(&self, field: DerivedField) {
        let needs = &self.shared.site.needs;
        match field {
            DerivedField::Current => {}
            DerivedField::Likeness => self.ask_alike(),
            DerivedField::Content
            | DerivedField::Text
            | DerivedField::Words
            | DerivedField::Minutes => {
                need(needs.post(self.id));
                need(needs.text(self.id));
            }
            _ => need(needs.post(self.id)),
        }
    }

    /// The same of what it shares with the post whose page that is.
    fn ask_alike(&self) {
        let needs = &self.shared.site.needs;
        match this() {
            Some(this) if is_related(self.id) => need(needs.related(this)),
            _ => need(needs.other(Key::Alike)),
        }
    }

    /// How alike it is to the post whose page is being made.
    fn likeness(&self) -> Option<Value> {
        let (index, _) = self.shared.site.likeness()?;
        let likeness = index.likeness(this()?, self.id);
        Some(Value::from(f64::from(likeness) / f64::from(WHOLE)))
    }

    /// The terms that it shares with the post whose page is being made, those that make them
    /// most alike first, as far as they count for likeness.
    fn shares(&self) -> Value {
        let shared = || {
            let (index, _) = self.shared.site.likeness()?;
            let shared = index.shared_terms(this()?, self.id);
            let terms = &self.shared.terms;
            let values = shared.map(|(field, term)| terms[field][term.0 as usize].clone());
            Some(values.collect())
        };
        Value::from_object(Listed(shared().unwrap_or_default()))
    }

    /// An entry of the front matter; nothing where another post has one of this name.
    fn own(&self, name: &str) -> Option<Value> {
        let catalogue = &self.shared.site.catalogue;
        need(self.shared.site.needs.post(self.id));
        if let Some(value) = catalogue.post(self.id).front.get(name) {
            return Some(own_value(&value.value.node, name, &self.shared));
        }
        if name == IMAGE_ALT {
            return Some(Value::from(()));
        }
        lacking(name, &self.shared)
    }
}

fn date_or_none(stamp: Option<Stamp>) -> Value {
    stamp.map_or(Value::from(()), date_value)
}

impl Object for PostObject {
    fn get_value(self: &Arc<Self>, key: &Value) -> Option<Value> {
        self.get_value_by_str(key.as_str()?)
    }

    fn get_value_by_str(self: &Arc<Self>, name: &str) -> Option<Value> {
        let catalogue = &self.shared.site.catalogue;
        if let Some(field) = derived(name) {
            self.ask(field.field);
            return Some(self.derived(field.field));
        }
        if name == "shares" {
            self.ask_alike();
            return Some(self.shares());
        }
        need(self.shared.site.needs.post(self.id));
        if let Some(field) = catalogue.term_field(name) {
            let terms = catalogue.terms_of(self.id, field).iter();
            return Some(Value::from_object(Listed(
                terms
                    .map(|id| self.shared.terms[field][id.0 as usize].clone())
                    .collect(),
            )));
        }
        if name == "meta" {
            return Some(whole(&catalogue.post(self.id).front, &self.shared));
        }
        self.own(name)
    }

    fn enumerate(self: &Arc<Self>) -> Enumerator {
        need(self.shared.site.needs.post(self.id));
        let own = self
            .shared
            .site
            .catalogue
            .post(self.id)
            .front
            .entries
            .iter();
        let names = FIELDS
            .iter()
            .map(|field| field.name.to_owned())
            .chain(own.map(|entry| entry.key.node.clone()));
        Enumerator::Values(names.map(Value::from).collect())
    }

    fn render(self: &Arc<Self>, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        need(self.shared.site.needs.post(self.id));
        f.write_str(&self.shared.site.catalogue.post(self.id).title)
    }
}

/// Posts in a template, in order.
#[derive(Debug)]
pub struct PostList {
    posts: Arc<[PostId]>,
    shared: Arc<Shared>,
}

/// Posts as a value.
#[must_use]
pub fn post_list(posts: impl Into<Arc<[PostId]>>, shared: &Arc<Shared>) -> Value {
    Value::from_object(PostList {
        posts: posts.into(),
        shared: Arc::clone(shared),
    })
}

impl PostList {
    /// The posts, in order.
    pub(super) fn ids(&self) -> &[PostId] {
        &self.posts
    }
}

impl Object for PostList {
    fn repr(self: &Arc<Self>) -> ObjectRepr {
        ObjectRepr::Seq
    }

    fn get_value(self: &Arc<Self>, key: &Value) -> Option<Value> {
        self.posts
            .get(key.as_usize()?)
            .map(|id| PostObject::value(*id, &self.shared))
    }

    fn enumerate(self: &Arc<Self>) -> Enumerator {
        Enumerator::Seq(self.posts.len())
    }
}

/// What a term has.
pub(super) const TERM_NAMES: [&str; 5] = ["name", "slug", "count", "link", "about"];

/// A term in a template.
#[derive(Debug, Clone)]
pub struct TermObject {
    name: Arc<str>,
    field: usize,
    id: TermId,
    slug: Arc<str>,
    count: usize,
    link: Value,
    /// The name as HTML that leads to its page, if it has one.
    anchor: Value,
    about: Value,
    /// What asks for its name, link or note, and what for its count, where that is its own.
    needs: (Need, Option<Need>),
}

/// Every term of a field as a value. A term whose archive has no page has no link.
pub(super) fn terms(site: &Site, plan: &Plan, field: usize) -> Vec<Value> {
    let terms = site.catalogue.terms(field).terms.iter().zip(0..);
    let values = terms.map(|(term, number)| {
        let link = plan.term_pages.get(&(field, TermId(number)));
        let link = link.map(|link| site.href(link));
        let name = escape(&term.name);
        Value::from_object(TermObject {
            anchor: Value::from_safe_string(anchor(link.as_deref(), &name, false)),
            name: term.name.as_str().into(),
            field,
            id: TermId(number),
            slug: term.slug.as_str().into(),
            count: term.posts.len(),
            link: link.map_or(Value::from(()), Value::from),
            about: term.about.as_ref().map_or(Value::from(()), |about| {
                Value::from_safe_string(about.clone())
            }),
            needs: (
                site.needs.term(field, TermId(number)),
                Some(site.needs.count(field, TermId(number))),
            ),
        })
    });
    values.collect()
}

impl TermObject {
    /// The name, as shown.
    #[must_use]
    pub fn name(&self) -> &str {
        need(self.needs.0);
        &self.name
    }

    /// The name as HTML that leads to its page, if it has one.
    pub(super) fn anchor(&self) -> Value {
        need(self.needs.0);
        self.anchor.clone()
    }

    /// A text that no other term has, nor this one with another count.
    pub(super) fn told_apart(&self) -> String {
        format!("term {} {} {}", self.field, self.id.0, self.count)
    }

    /// The same term with another count, as of the posts of a query.
    #[must_use]
    pub fn counted(term: &Value, count: usize) -> Value {
        match term.downcast_object_ref::<Self>() {
            Some(known) => Value::from_object(Self {
                count,
                needs: (known.needs.0, None),
                ..known.clone()
            }),
            None => term.clone(),
        }
    }
}

impl Object for TermObject {
    fn get_value(self: &Arc<Self>, key: &Value) -> Option<Value> {
        self.get_value_by_str(key.as_str()?)
    }

    fn get_value_by_str(self: &Arc<Self>, key: &str) -> Option<Value> {
        need(self.needs.0);
        Some(match key {
            "name" => Value::from(Arc::clone(&self.name)),
            "slug" => Value::from(Arc::clone(&self.slug)),
            "count" => {
                self.needs.1.into_iter().for_each(need);
                Value::from(self.count)
            }
            "link" => self.link.clone(),
            "about" => self.about.clone(),
            _ => return None,
        })
    }

    fn enumerate(self: &Arc<Self>) -> Enumerator {
        Enumerator::Str(&TERM_NAMES)
    }

    fn custom_cmp(self: &Arc<Self>, other: &DynObject) -> Option<Ordering> {
        let other = other.downcast_ref::<Self>()?;
        Some((self.field, self.id).cmp(&(other.field, other.id)))
    }

    fn render(self: &Arc<Self>, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.write_str(self.name())
    }
}

/// A post's terms, or the values of a field: a list, which prints with commas between.
#[derive(Debug)]
pub(super) struct Listed(pub(super) Vec<Value>);

impl Object for Listed {
    fn repr(self: &Arc<Self>) -> ObjectRepr {
        ObjectRepr::Seq
    }

    fn get_value(self: &Arc<Self>, key: &Value) -> Option<Value> {
        self.0.get(key.as_usize()?).cloned()
    }

    fn enumerate(self: &Arc<Self>) -> Enumerator {
        Enumerator::Seq(self.0.len())
    }

    fn render(self: &Arc<Self>, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        let texts: Vec<_> = self.0.iter().map(printed).collect();
        f.write_str(&texts.join(", "))
    }
}

/// A date in a template. Prints by ISO 8601; `|date` writes it in words.
#[derive(Debug)]
pub(super) struct DateObject {
    pub(super) stamp: Stamp,
}

/// A date as a value.
#[must_use]
pub fn date_value(stamp: Stamp) -> Value {
    Value::from_object(DateObject { stamp })
}

impl Object for DateObject {
    fn repr(self: &Arc<Self>) -> ObjectRepr {
        ObjectRepr::Plain
    }

    fn get_value(self: &Arc<Self>, key: &Value) -> Option<Value> {
        let day = self.stamp.day;
        Some(match key.as_str()? {
            "year" => Value::from(day.year()),
            "month" => Value::from(day.month()),
            "day" => Value::from(day.day()),
            _ => return None,
        })
    }

    fn custom_cmp(self: &Arc<Self>, other: &DynObject) -> Option<Ordering> {
        other
            .downcast_ref::<Self>()
            .map(|other| self.stamp.at.cmp(&other.stamp.at))
    }

    fn render(self: &Arc<Self>, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.write_str(&self.stamp.iso())
    }

    fn call_method(
        self: &Arc<Self>,
        _state: &mut State<'_, '_>,
        method: &str,
        _args: &[Value],
    ) -> Result<Value, Error> {
        Err(Error::new(
            ErrorKind::UnknownMethod,
            format!("a date has no method `{method}`; write it as a filter: `|date(\"%Y\")`"),
        ))
    }
}
