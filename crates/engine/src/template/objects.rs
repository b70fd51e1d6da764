//! Posts and terms in templates.

use std::cmp::Ordering;
use std::fmt;
use std::sync::Arc;

use minijinja::Value;
use minijinja::value::{DynObject, Enumerator, Object, ObjectRepr};
use tabulae_core::catalogue::PostId;
use tabulae_core::post::State as PostState;
use tabulae_core::query::fields::{DerivedField, derived, fields_of};
use tabulae_core::source::Source;
use tabulae_core::term::TermId;
use tabulae_core::time::ZonedDate;
use tabulae_core::weave::Page;

use super::context::RenderContext;
use super::date_object::date_value;
use super::escape::{anchor, escape, foreign_anchor, in_html};
use super::fields::{lacking, own_value, whole};
use super::list_object::Listed;
use super::term_values::TermValues;
use super::toc::toc;
use crate::incremental::Key;

/// The description of the image: a field that the theme uses even if no post has it.
const IMAGE_ALT: &str = "image_alt";

/// A post in a template.
#[derive(Debug)]
pub(crate) struct PostObject {
    /// The post.
    pub id: PostId,
    context: Arc<RenderContext>,
}

/// The name of a post's translations, on a blog in several languages.
pub(super) const TRANSLATIONS: &str = "translations";

/// The name of a post's text as HTML.
pub(super) const CONTENT: &str = "content";

/// The name of the table of contents of a post's text.
pub(super) const TOC: &str = "toc";

impl PostObject {
    /// A post as a value.
    #[must_use]
    pub(crate) fn value(id: PostId, context: &Arc<RenderContext>) -> Value {
        Value::from_object(Self {
            id,
            context: Arc::clone(context),
        })
    }

    fn derived(&self, field: DerivedField) -> Value {
        let site = &self.context.data.site;
        let post = site.catalogue.post(self.id);
        let number = |part: Option<i16>| part.map_or(Value::from(()), Value::from);
        match field {
            DerivedField::Title => Value::from(Arc::clone(&post.title)),
            DerivedField::Link => self.context.data.post_link(self.id).clone(),
            DerivedField::Slug => Value::from(post.slug.as_str()),
            DerivedField::Path => Value::from(post.path.as_str()),
            DerivedField::Folder => Value::from(post.folder.as_str()),
            DerivedField::Set => Value::from(site.catalogue.sets()[post.set].as_str()),
            DerivedField::Language => Value::from(site.locale(post.locale).tag.as_str()),
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
                Some(image) => {
                    let resolved = self
                        .context
                        .with_lookups(site.owner(self.id), |owner| site.resolve(owner, image));
                    Value::from(resolved.unwrap_or_else(|| image.clone()))
                }
                None => Value::from(()),
            },
            DerivedField::Words => Value::from(post.words()),
            DerivedField::Minutes => Value::from(post.minutes()),
            DerivedField::Text => Value::from(post.html.text()),
            DerivedField::Draft => Value::from(post.exclusion.draft),
            DerivedField::Scheduled => Value::from(post.exclusion.scheduled),
            DerivedField::Expired => Value::from(post.exclusion.expired),
            DerivedField::Unlisted => Value::from(post.exclusion.unlisted),
            DerivedField::Current => Value::from(self.context.this() == Some(self.id)),
            DerivedField::Likeness => self.likeness().unwrap_or(Value::from(())),
        }
    }

    /// A link to it with its title, or another text, in it.
    pub(super) fn anchor(&self, text: Option<&Value>) -> String {
        self.context.track_post(self.id);
        let address = self.context.data.post_link(self.id).as_str();
        let site = &self.context.data.site;
        let locale = site.locale_of(self.id);
        let current = self.context.this() == Some(self.id);
        match text {
            Some(text) => anchor(address, &in_html(text), current),
            None => {
                let title = escape(&site.catalogue.post(self.id).title);
                match locale == self.context.locale {
                    true => anchor(address, &title, current),
                    false => foreign_anchor(address, &title, &site.locale(locale).tag),
                }
            }
        }
    }

    /// Returns the state.
    pub(super) fn state(&self) -> PostState {
        self.context.track_post(self.id);
        self.context.data.site.catalogue.post(self.id).state()
    }

    /// Records the dependency on a derived field.
    fn track(&self, field: DerivedField) {
        match field {
            DerivedField::Current => {}
            DerivedField::Likeness => self.track_likeness(),
            DerivedField::Text | DerivedField::Words | DerivedField::Minutes => self.track_text(),
            _ => self.context.track_post(self.id),
        }
    }

    /// Records the dependency on the text.
    fn track_text(&self) {
        self.context.track_post(self.id);
        let text = self.context.data.dependencies.text(self.id);
        self.context.track(text);
    }

    /// Returns the text as HTML.
    fn content(&self) -> Value {
        self.track_text();
        if let Some(filled) = self.context.content(self.id) {
            return filled;
        }
        let site = &self.context.data.site;
        let post = site.catalogue.post(self.id);
        let html = self
            .context
            .with_lookups(site.owner(self.id), |owner| site.html_of(owner, post));
        if post.has_placeholders {
            // Elsewhere than on its own page the lists are left out.
            let page = Page::of_source(&Source::new(&post.path, ""), &html).output;
            return Value::from_safe_string(
                page.replaced(&vec![String::new(); page.placeholders.len()]),
            );
        }
        Value::from_safe_string(html)
    }

    /// Records the dependency on the likeness to the post whose page is rendered.
    fn track_likeness(&self) {
        let context = &self.context;
        match context.this() {
            Some(this) if context.is_related(self.id) => {
                let path = &context.data.site.catalogue.post(this).path;
                context.track_key(Key::Likeness(path.clone()));
            }
            _ => context.track_key(Key::Alike),
        }
    }

    /// Records the dependency on the terms shared with the post whose page is rendered.
    fn track_shared_terms(&self) {
        let context = &self.context;
        match context.this() {
            Some(this) if context.is_related(self.id) => {
                context.track(context.data.dependencies.related(this));
            }
            _ => context.track_key(Key::Alike),
        }
    }

    /// Returns the likeness to the post whose page is rendered.
    fn likeness(&self) -> Option<Value> {
        let this = self.context.this()?;
        let site = &self.context.data.site;
        let (index, _) = site.likeness(this)?;
        let likeness = index.likeness(this, self.id);
        Some(Value::from(likeness.ratio()))
    }

    /// Returns its listed translations, in the order of the languages.
    fn translations(&self) -> Value {
        let data = &self.context.data;
        let path = &data.site.catalogue.post(self.id).path;
        self.context.track_key(Key::Translations(path.clone()));
        let posts: Vec<PostId> = data.site.catalogue.translations(self.id).collect();
        post_list(posts, &self.context)
    }

    /// The terms that it shares with the post whose page is being made, those that make them
    /// most alike first, as far as they count for likeness.
    fn shares(&self) -> Value {
        let shared = || {
            let this = self.context.this()?;
            let site = &self.context.data.site;
            let (index, _) = site.likeness(this)?;
            let shared = index.shared_terms(this, self.id);
            let values = shared.map(|(field, term)| TermObject::value(&self.context, field, term));
            Some(values.collect())
        };
        Value::from_object(Listed(shared().unwrap_or_default()))
    }

    /// An entry of the front matter; nothing where another post has one of this name.
    fn own(&self, name: &str) -> Option<Value> {
        let catalogue = &self.context.data.site.catalogue;
        self.context.track_post(self.id);
        if let Some(value) = catalogue.post(self.id).front.get(name) {
            return Some(own_value(&value.value.node, name, &self.context));
        }
        if name == IMAGE_ALT {
            return Some(Value::from(()));
        }
        lacking(name, &self.context)
    }
}

fn date_or_none(stamp: Option<ZonedDate>) -> Value {
    stamp.map_or(Value::from(()), date_value)
}

impl Object for PostObject {
    fn get_value(self: &Arc<Self>, key: &Value) -> Option<Value> {
        self.get_value_by_str(key.as_str()?)
    }

    fn get_value_by_str(self: &Arc<Self>, name: &str) -> Option<Value> {
        let catalogue = &self.context.data.site.catalogue;
        self.context.note_read(self.id);
        if let Some(field) = derived(name, catalogue) {
            self.track(field.field);
            return Some(self.derived(field.field));
        }
        if name == CONTENT {
            return Some(self.content());
        }
        if name == TOC {
            return Some(toc(self.content().as_str().unwrap_or_default()));
        }
        if name == TRANSLATIONS && catalogue.has_languages() {
            return Some(self.translations());
        }
        if name == "shares" {
            self.track_shared_terms();
            return Some(self.shares());
        }
        self.context.track_post(self.id);
        if let Some(field) = catalogue.term_field(name) {
            let terms = catalogue.terms_of(self.id, field).iter();
            return Some(Value::from_object(Listed(
                terms
                    .map(|id| TermObject::value(&self.context, field, *id))
                    .collect(),
            )));
        }
        if name == "meta" {
            return Some(whole(&catalogue.post(self.id).front, &self.context));
        }
        self.own(name)
    }

    /// A post is there, whatever it has: without this, all names are listed to see whether there are any.
    fn is_true(self: &Arc<Self>) -> bool {
        true
    }

    fn enumerate(self: &Arc<Self>) -> Enumerator {
        self.context.track_post(self.id);
        let catalogue = &self.context.data.site.catalogue;
        let own = catalogue.post(self.id).front.entries.iter();
        let names = fields_of(catalogue)
            .map(|field| field.name.to_owned())
            .chain([CONTENT, TOC].map(str::to_owned))
            .chain(own.map(|entry| entry.key.node.clone()));
        Enumerator::Values(names.map(Value::from).collect())
    }

    fn render(self: &Arc<Self>, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        self.context.track_post(self.id);
        f.write_str(&self.context.data.site.catalogue.post(self.id).title)
    }
}

/// Posts in a template, in order.
#[derive(Debug)]
pub(crate) struct PostList {
    posts: Arc<[PostId]>,
    context: Arc<RenderContext>,
}

/// Posts as a value.
#[must_use]
pub(crate) fn post_list(posts: impl Into<Arc<[PostId]>>, context: &Arc<RenderContext>) -> Value {
    Value::from_object(PostList {
        posts: posts.into(),
        context: Arc::clone(context),
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
            .map(|id| PostObject::value(*id, &self.context))
    }

    fn enumerate(self: &Arc<Self>) -> Enumerator {
        Enumerator::Seq(self.posts.len())
    }
}

/// The names that a term has.
pub(super) const TERM_NAMES: [&str; 5] = ["name", "slug", "count", "link", "about"];

/// A term in a template.
#[derive(Debug, Clone)]
pub(super) struct TermObject {
    context: Arc<RenderContext>,
    field: usize,
    id: TermId,
    /// The count of posts that a query found; that of all listed posts if `None`.
    count: Option<usize>,
}

impl TermObject {
    /// Returns a term as a value.
    #[must_use]
    pub(super) fn value(context: &Arc<RenderContext>, field: usize, id: TermId) -> Value {
        Value::from_object(Self {
            context: Arc::clone(context),
            field,
            id,
            count: None,
        })
    }

    /// Returns a term with a count of its own, as of the posts of a query.
    #[must_use]
    pub(super) fn counted(
        context: &Arc<RenderContext>,
        field: usize,
        id: TermId,
        count: usize,
    ) -> Value {
        Value::from_object(Self {
            context: Arc::clone(context),
            field,
            id,
            count: Some(count),
        })
    }

    fn values(&self) -> &TermValues {
        &self.context.local().terms[self.field][self.id.0 as usize]
    }

    /// Records the dependency on name, link and note.
    fn track(&self) {
        let dependencies = &self.context.data.dependencies;
        self.context.track(dependencies.term(self.field, self.id));
    }

    /// Returns the name.
    #[must_use]
    pub(super) fn name(&self) -> &str {
        self.track();
        self.values().name.as_str().unwrap_or_default()
    }

    /// Returns the name as HTML, linked to the term's page if it has one.
    pub(super) fn anchor(&self) -> Value {
        self.track();
        let values = self.values();
        match values.link.as_str() {
            Some(link) if self.context.is_own_link(link) => {
                let name = escape(values.name.as_str().unwrap_or_default());
                Value::from_safe_string(anchor(Some(link), &name, true))
            }
            _ => values.anchor.clone(),
        }
    }

    /// Returns a text that no other term has, nor this one with another count.
    pub(super) fn told_apart(&self) -> String {
        let count = self.count.unwrap_or_else(|| self.values().count);
        format!("term {} {} {count}", self.field, self.id.0)
    }
}

impl Object for TermObject {
    fn get_value(self: &Arc<Self>, key: &Value) -> Option<Value> {
        self.get_value_by_str(key.as_str()?)
    }

    fn get_value_by_str(self: &Arc<Self>, key: &str) -> Option<Value> {
        self.track();
        let values = self.values();
        Some(match key {
            "name" => values.name.clone(),
            "slug" => values.slug.clone(),
            "count" => Value::from(match self.count {
                Some(count) => count,
                None => {
                    let dependencies = &self.context.data.dependencies;
                    self.context.track(dependencies.count(self.field, self.id));
                    values.count
                }
            }),
            "link" => values.link.clone(),
            "about" => values.about.clone(),
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
