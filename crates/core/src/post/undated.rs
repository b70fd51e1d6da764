//! Posts without a date in content sets that need one: an error for each, or one for the whole set.

use std::collections::{BTreeMap, BTreeSet};
use std::sync::Arc;

use super::Post;
use crate::diagnostic::{Code, Diagnostic, Diagnostics};
use crate::language::common_form;
use crate::settings::{ContentSet, Settings};
use crate::source::Location;
use crate::time::parse_date;
use crate::value::{Map, Value};

/// Returns the error of a post of a dated set without a date.
pub(super) fn no_date(path: &str, set: &ContentSet, front: &Map) -> Diagnostic {
    let message = format!(
        "this post has no date, and the posts of `{}` are dated",
        set.name
    );
    let diagnostic = Diagnostic::error(Code::MissingDate, Location::top_of(path), message);
    match date_key(front) {
        Some((key, form)) => diagnostic.help(format!(
            "`{key}` is a date; if it is the date of the posts, {}",
            map_date(set, (&key, form))
        )),
        None => diagnostic.help("write `date: 2026-03-14` in the front matter, or put the date before the file's name: `2026-03-14-name.md`"),
    }
}

/// A key that holds a date, and the form of the date if Tabulae does not know it.
type DateKey = (String, Option<&'static str>);

/// Returns the first key that holds a date and may be the date of a post; also one within a map, as `info.date`.
fn date_key(front: &Map) -> Option<DateKey> {
    let form_of = |value: &Value| match value {
        Value::Date(..) => Some(None),
        other => {
            let text = other.written()?;
            match parse_date(text.trim()) {
                Ok(_) => Some(None),
                Err(_) => common_form(text).map(Some),
            }
        }
    };
    let keys = front.entries.iter().map(|entry| {
        let key = entry.key.node.as_str();
        (key, &entry.value.node)
    });
    let mut keys = keys.filter(|(key, _)| !["updated", "expires"].contains(key));
    let own = keys
        .clone()
        .find_map(|(key, value)| Some((key.to_owned(), form_of(value)?)));
    own.or_else(|| {
        keys.find_map(|(key, value)| match value {
            Value::Map(inner) => {
                let (inner, form) = date_key(inner)?;
                Some((format!("{key}.{inner}"), form))
            }
            _ => None,
        })
    })
}

/// Returns what to write so that a content set takes the date of posts from a key as well.
fn map_date(set: &ContentSet, (key, form): (&str, Option<&str>)) -> String {
    let mapped = set.keys_of("date").unwrap_or_default().iter();
    let mut names: Vec<&str> = mapped.map(|name| name.node.as_str()).collect();
    if names.is_empty() {
        names.push("date");
    }
    names.push(key);
    let names: Vec<String> = names.iter().map(|name| format!("\"{name}\"")).collect();
    let set = &set.name;
    let mapping = format!(
        "write `date = [{}]` below `[content.{set}.fields]`",
        names.join(", ")
    );
    match form {
        Some(form) => format!("{mapping}, and `date_formats = [\"{form}\"]` in `[content.{set}]`"),
        None => mapping,
    }
}

/// Replaces the errors of posts without a date by one at the settings, for each content set with two posts or more of
/// which none has a date.
pub fn report_undated_sets(
    posts: &[Arc<Post>],
    settings: &Settings,
    diagnostics: &mut Diagnostics,
) {
    let is_missing = |diagnostic: &Diagnostic| diagnostic.code == Code::MissingDate;
    if !diagnostics.iter().any(is_missing) {
        return;
    }
    for (number, set) in settings.content.iter().enumerate() {
        let of_set = posts.iter().map(|post| &**post);
        let of_set = of_set.filter(|post| post.set == number && !post.exclusion.draft);
        let of_set: Vec<&Post> = of_set.collect();
        let paths: BTreeSet<&str> = of_set.iter().map(|post| post.path.as_str()).collect();
        let is_of_set = |diagnostic: &Diagnostic| {
            let file = diagnostic.location.file.as_deref();
            is_missing(diagnostic) && file.is_some_and(|file| paths.contains(file))
        };
        let missing = diagnostics.iter().filter(|found| is_of_set(found)).count();
        if missing >= 2 && missing == of_set.len() {
            diagnostics.retain(|diagnostic| !is_of_set(diagnostic));
            diagnostics.push(undated_set(set, &of_set, settings));
        }
    }
}

/// Returns the error of a dated content set whose posts have no date.
fn undated_set(set: &ContentSet, posts: &[&Post], settings: &Settings) -> Diagnostic {
    let count = posts.len();
    let (span, message) = match set.keys_of("date").and_then(<[_]>::first) {
        Some(name) => (
            name.span,
            format!(
                "none of the {count} posts of `{}` has `{}`, which is mapped to their date",
                set.name, name.node
            ),
        ),
        None => (
            set.location,
            format!("none of the {count} posts of `{}` has a date", set.name),
        ),
    };
    let mut keys: BTreeMap<DateKey, usize> = BTreeMap::new();
    for key in posts.iter().filter_map(|post| date_key(&post.front)) {
        *keys.entry(key).or_default() += 1;
    }
    let help = match keys
        .into_iter()
        .max_by_key(|(key, count)| (*count, std::cmp::Reverse(key.clone())))
    {
        Some(((key, form), count)) => format!(
            "`{key}` is a date in {count} of them: {}",
            map_date(set, (&key, form))
        ),
        None => format!(
            "write `date: 2026-03-14` in each post, or `dated = false` in [content.{}] if they have no dates",
            set.name
        ),
    };
    let location = settings.source.location(span);
    Diagnostic::error(Code::MissingDate, location, message).help(help)
}
