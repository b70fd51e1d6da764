//! Reasons for rebuilds, in words.

use tabulae_core::post::State;
use tabulae_core::value::Value;

use super::invalidation::RebuildReason;
use super::key::Key;
use crate::site::{CachedPosts, ParsedPost};

/// The posts before and now, for reasons that name what changed in one.
pub(crate) struct Posts<'a> {
    pub(crate) old: &'a CachedPosts,
    pub(crate) new: &'a CachedPosts,
    /// Returns the current state of the post at a path.
    pub(crate) state: &'a dyn Fn(&str) -> Option<State>,
}

impl RebuildReason<'_> {
    /// Returns the reason in a few words.
    pub(crate) fn describe(&self, posts: &Posts<'_>) -> String {
        match self {
            Self::New => "it is new".to_owned(),
            Self::Always => "its content changed".to_owned(),
            Self::Changed(key) => changed(key, posts),
        }
    }
}

fn changed(key: &Key, posts: &Posts<'_>) -> String {
    match key {
        Key::Post(path) | Key::Text(path) => post(path, posts),
        Key::Beside(_) => "the post before or after it is another".to_owned(),
        Key::Related(_) => "what to read next changed".to_owned(),
        Key::Likeness(_) => "the likeness of its related posts changed".to_owned(),
        Key::Term(field, slug) => format!("the {field} `{slug}` changed"),
        Key::Count(field, slug) => format!("the {field} `{slug}` has more or fewer posts"),
        Key::List(link) | Key::Rows(link) => format!("the list {link} changed"),
        Key::Groups(archive, _) => format!("the terms of the archive `{archive}` changed"),
        Key::Feed(_) => "it has other entries".to_owned(),
        Key::Export(_) => "it has other posts".to_owned(),
        Key::Feeds(_) => "there are other feeds".to_owned(),
        Key::Alternates(_) | Key::Translations(_) => "there are other translations".to_owned(),
        Key::Page(path) => format!("{path} changed"),
        Key::Template(name) => match name.strip_prefix("pages/") {
            Some(_) => format!("{name} changed"),
            None => format!("templates/{name} changed"),
        },
        Key::Query(text, ..) => format!("`{text}` finds other posts"),
        Key::Terms(listing) => format!("the terms of `{}` changed", listing.field),
        Key::Field(name) => format!("the field `{name}` came or went"),
        Key::Address(path) => format!("{path} came, went or moved"),
        Key::File(path) => format!("{path} changed"),
        Key::Site(_) => "the navigation, or something else on all pages, changed".to_owned(),
        Key::Settings => "tabulae.toml, or an option of the build, changed".to_owned(),
        Key::Alike | Key::Posts | Key::All => "other posts changed".to_owned(),
        Key::Day | Key::Moment => "time went by".to_owned(),
        Key::QueryReport(place) => format!("there was a warning about `{}`", place.text),
        Key::Warned => "there was a warning about it".to_owned(),
    }
}

/// Returns what changed in a post.
fn post(path: &str, posts: &Posts<'_>) -> String {
    let parsed = |posts: &CachedPosts| {
        let cached = posts.get(path)?;
        ParsedPost::from_bytes(&cached.parsed)
    };
    let (old, new) = match (parsed(posts.old), parsed(posts.new)) {
        (Some(old), Some(new)) => (old, new),
        (None, _) => return format!("{path} is new"),
        (_, None) => return format!("{path} is gone"),
    };
    let mut changed: Vec<&str> = Vec::new();
    let keys = old.front.map.entries.iter().chain(&new.front.map.entries);
    for key in keys {
        let name = key.key.node.as_str();
        let value = |parsed: &ParsedPost| {
            let entry = parsed.front.map.get(name)?;
            Some(written(&entry.value.node))
        };
        if !changed.contains(&name) && value(&old) != value(&new) {
            changed.push(name);
        }
    }
    if old.notes.heading != new.notes.heading {
        changed.push("heading");
    }
    let summary = |parsed: &ParsedPost| {
        let notes = &parsed.notes;
        (notes.before_more.clone(), notes.first_paragraph.clone())
    };
    if summary(&old) != summary(&new) {
        changed.push("summary");
    } else if changed.is_empty() && posts.old[path].hash != posts.new[path].hash {
        changed.push("text");
    }
    if !changed.is_empty() {
        return format!("{path} changed its {}", changed.join(", "));
    }
    match (posts.state)(path) {
        Some(State::Live) => format!("{path} is live now"),
        Some(state) => format!("{path} is {} now", state.name()),
        None => format!("{path} changed"),
    }
}

/// Returns a value as text, without the places where its parts are written.
fn written(value: &Value) -> String {
    match value {
        Value::List(items) => {
            let items = items.iter().map(|item| written(&item.node));
            items.collect::<Vec<_>>().join("\n")
        }
        Value::Map(map) => {
            let entries = map.entries.iter();
            let entries =
                entries.map(|entry| format!("{}: {}", entry.key.node, written(&entry.value.node)));
            entries.collect::<Vec<_>>().join("\n")
        }
        value => value.written().unwrap_or_default().to_owned(),
    }
}
