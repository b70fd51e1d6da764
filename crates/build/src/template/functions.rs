//! The functions of templates.

use std::sync::Arc;

use minijinja::value::{Kwargs, Rest, ValueKind};
use minijinja::{Error, State, Value};

use super::arguments::{self, known, named, number, optional};
use super::cards::card;
use super::limits::render_part;
use super::objects::{PostObject, TermObject, post_list};
use super::queries::query;
use super::terms::terms;
use super::{Add, Shared, locked, without_this};
use crate::cache::{Key, need, needs_of, recorded};

/// The functions, each with what adds it.
pub(super) const FUNCTIONS: &[(&str, Add)] = &[
    ("query", |env, name, shared| {
        env.add_function(
            name,
            move |state: &State<'_, '_>, text: Value, given: Kwargs| {
                let posts = query(&shared, state, arguments::text(&text)?, &named(&given)?)?;
                Ok::<_, Error>(post_list(posts, &shared))
            },
        );
    }),
    ("terms", |env, name, shared| {
        env.add_function(
            name,
            move |state: &State<'_, '_>, field: Value, options: Kwargs| {
                terms(&shared, state, arguments::text(&field)?, &options)
            },
        );
    }),
    ("feeds", |env, name, shared| {
        env.add_function(name, move || feed_list(&shared));
    }),
    ("card", |env, name, shared| {
        env.add_function(
            name,
            move |state: &State<'_, '_>, posts: Value, level: Rest<Value>| {
                let level = optional(&level)?.map(|level| number(level, 1..=6));
                card(&shared, state, known(&posts)?, level.transpose()?)
            },
        );
    }),
    ("once", |env, name, shared| {
        env.add_function(
            name,
            move |state: &State<'_, '_>, part: Value, given: Kwargs| {
                once(&shared, state, arguments::text(&part)?, &given)
            },
        );
    }),
];

/// Every feed of the site.
fn feed_list(shared: &Shared) -> Value {
    need(shared.site.needs.other(Key::Feeds));
    shared
        .plan
        .feeds
        .iter()
        .filter(|feed| feed.part.number == 1)
        .map(|feed| feed_value(shared, feed))
        .collect()
}

pub(crate) fn feed_value(shared: &Shared, feed: &crate::feeds::FeedPlan) -> Value {
    minijinja::context! {
        title => feed.title.as_str(),
        label => feed.title.strip_prefix(&format!("{}: ", shared.site.settings.site.title)).unwrap_or(&feed.title),
        link => shared.site.href(&feed.link),
        page => shared.site.href(&feed.home),
        type => feed.format.media_type(),
        format => feed.format.name(),
    }
}

/// A part that all pages share: it sees `site` and the values it is given, knows of no post whose
/// page it is on, and is made once for the same values.
fn once(
    shared: &Arc<Shared>,
    state: &State<'_, '_>,
    part: &str,
    given: &Kwargs,
) -> Result<Value, Error> {
    let given = named(given)?;
    let mut key = part.to_owned();
    for (name, value) in &given {
        key.extend(["\n", name, "=", &told_apart(value)]);
    }
    if let Some((known, needs)) = locked(&shared.parts).get(&key) {
        needs_of(needs);
        return Ok(known.clone());
    }
    let site = ("site", state.lookup("site").unwrap_or_default());
    let values = [site].into_iter().chain(given);
    let values = values.map(|(name, value)| (Value::from(name), value));
    let make = || {
        let template = state.get_template(part)?;
        render_part(state, &template, Value::from_pairs(values))
    };
    // It is shared by the pages of many posts, and so none of them is `this`.
    let (text, needs) = recorded(|| without_this(make));
    let made = Value::from_safe_string(text?.trim_end().to_owned());
    locked(&shared.parts).insert(key, (made.clone(), needs));
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
