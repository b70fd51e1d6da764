//! The functions of templates.

use std::sync::Arc;

use minijinja::value::{Kwargs, Rest, ValueKind};
use minijinja::{Environment, Error, State, Value};

use super::arguments::{self, known, named, number, optional_pair};
use super::cards::card;
use super::context::{CurrentContext, RenderContext};
use super::data::RenderData;
use super::objects::{PostObject, TermObject, post_list};
use super::parts::render_part;
use super::queries::query;
use super::terms::terms;
use crate::incremental::Key;
use crate::plan::FeedPlan;

/// Adds a function of this name to an environment.
type Add = fn(&mut Environment<'static>, &'static str, Arc<CurrentContext>);

/// The functions by name.
pub(super) const FUNCTIONS: &[(&str, Add)] = &[
    ("query", |env, name, current| {
        env.add_function(
            name,
            move |state: &State<'_, '_>, text: Value, given: Kwargs| {
                let context = current.get()?;
                let posts = query(
                    &context,
                    state.name(),
                    arguments::text(&text)?,
                    &named(&given)?,
                )?;
                Ok::<_, Error>(post_list(posts, &context))
            },
        );
    }),
    ("terms", |env, name, current| {
        env.add_function(
            name,
            move |state: &State<'_, '_>, field: Value, options: Kwargs| {
                terms(&current.get()?, state, arguments::text(&field)?, &options)
            },
        );
    }),
    ("feeds", |env, name, current| {
        env.add_function(name, move || {
            current.get().map(|context| feed_list(&context))
        });
    }),
    ("card", |env, name, current| {
        env.add_function(
            name,
            move |state: &State<'_, '_>, posts: Value, given: Rest<Value>| {
                let [level, show] = optional_pair(&given)?;
                let level = level.map(|level| number(level, 1..=6)).transpose()?;
                let show = show.map(arguments::text).transpose()?;
                card(&current.get()?, state, known(&posts)?, level, show)
            },
        );
    }),
    ("once", |env, name, current| {
        env.add_function(
            name,
            move |state: &State<'_, '_>, part: Value, given: Kwargs| {
                once(&current.get()?, state, arguments::text(&part)?, &given)
            },
        );
    }),
];

/// Every feed of the page's language.
fn feed_list(context: &RenderContext) -> Value {
    context.track_key(Key::Feeds(context.locale));
    let data = &context.data;
    data.plan
        .feeds
        .iter()
        .filter(|feed| feed.part.number == 1 && feed.locale == context.locale)
        .map(|feed| feed_value(data, feed))
        .collect()
}

pub(crate) fn feed_value(data: &RenderData, feed: &FeedPlan) -> Value {
    minijinja::context! {
        title => feed.title.as_str(),
        label => feed.title.strip_prefix(&format!("{}: ", data.site.locale(feed.locale).title)).unwrap_or(&feed.title),
        link => data.site.href(&feed.link),
        page => data.site.href(&feed.home),
        type => feed.format.media_type(),
        format => feed.format.name(),
    }
}

/// A part that all pages share: it sees `site` and the values it is given, knows of no post whose
/// page it is on, and is made once for the same values.
fn once(
    context: &Arc<RenderContext>,
    state: &State<'_, '_>,
    part: &str,
    given: &Kwargs,
) -> Result<Value, Error> {
    let given = named(given)?;
    let mut key = part.to_owned();
    for (name, value) in &given {
        key.extend(["\n", name, "=", &told_apart(value)]);
    }
    if let Some((known, dependencies)) = context.local().parts.get(&key) {
        context.track_all(&dependencies);
        return Ok(known);
    }
    let site = ("site", state.lookup("site").unwrap_or_default());
    let values = [site].into_iter().chain(given);
    let values = values.map(|(name, value)| (Value::from(name), value));
    let make = || {
        let template = state.get_template(part)?;
        render_part(context, state, &template, Value::from_pairs(values))
    };
    // It is shared by the pages of many posts, and so none of them is `this`.
    let (text, dependencies) = context.record_part(|| context.without_page(make));
    let made = Value::from_safe_string(text?.trim_end().to_owned());
    let part = (made.clone(), dependencies.into());
    context.local().parts.insert(key, part);
    Ok(made)
}

/// A text that only the same value has, whatever others print.
fn told_apart(value: &Value) -> String {
    if let Some(text) = value.as_str() {
        let kind = if value.is_safe() { "html" } else { "text" };
        return format!("{kind} {} {text}", text.len());
    }
    if let Some(post) = value.downcast_object_ref::<PostObject>() {
        return format!("post {}", post.id.0);
    }
    if let Some(term) = value.downcast_object_ref::<TermObject>() {
        return term.told_apart();
    }
    if value.is_true()
        && let Ok(items) = value.try_iter()
    {
        let items = items.map(|key| match value.kind() {
            ValueKind::Map => {
                let inner = value.get_item(&key).unwrap_or_default();
                format!("{}: {}", told_apart(&key), told_apart(&inner))
            }
            _ => told_apart(&key),
        });
        return format!("{} {:?}", value.kind(), items.collect::<Vec<_>>());
    }
    format!("{} {:?}", value.kind(), value.to_string())
}
