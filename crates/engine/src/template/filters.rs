//! The filters of templates.

use std::sync::Arc;

use minijinja::value::{Rest, ValueKind};
use minijinja::{Environment, Error, Value};
use tabulae_core::html;
use tabulae_core::language::{DateStyle, Plural};
use tabulae_core::post::State as PostState;
use tabulae_core::term::slug;
use tabulae_core::time::{ZonedDate, parse_date};

use super::arguments::{known, optional, text, wrong};
use super::context::{CurrentContext, RenderContext};
use super::data::RenderData;
use super::date_object::DateObject;
use super::escape::{anchor, escape, in_html};
use super::objects::{PostObject, TermObject};

/// Adds a filter of this name to an environment.
type Add = fn(&mut Environment<'static>, &'static str, Arc<CurrentContext>);

/// Our own filters by name.
pub(super) const FILTERS: &[(&str, Add)] = &[
    ("date", |env, name, current| {
        env.add_filter(name, move |value: Value, pattern: Rest<Value>| {
            date(&*current.get()?, known(&value)?, optional(&pattern)?)
        });
    }),
    ("time", |env, name, current| {
        env.add_filter(name, move |value: Value, pattern: Rest<Value>| {
            time(&*current.get()?, known(&value)?, optional(&pattern)?)
        });
    }),
    ("link", |env, name, current| {
        env.add_filter(name, move |value: Value, text: Rest<Value>| {
            link(&*current.get()?, known(&value)?, optional(&text)?)
        });
    }),
    ("entries", |env, name, current| {
        env.add_filter(name, move |list: Value, class: Rest<Value>| {
            entries(&*current.get()?, known(&list)?, optional(&class)?)
        });
    }),
    ("state", |env, name, current| {
        env.add_filter(name, move |post: Value| {
            state(&*current.get()?, known(&post)?)
        });
    }),
    ("count", |env, name, current| {
        env.add_filter(name, move |value: Value, one: Value, many: Value| {
            count(&*current.get()?, known(&value)?, text(&one)?, text(&many)?)
        });
    }),
    ("posts", |env, name, current| {
        env.add_filter(name, move |value: Value| {
            posts(&*current.get()?, known(&value)?)
        });
    }),
    ("absolute", |env, name, current| {
        env.add_filter(name, move |link: Value| {
            let context = current.get()?;
            text(&link).map(|link| absolute(&context.data, link))
        });
    }),
    ("truncate", |env, name, _| {
        env.add_filter(name, minijinja_contrib::filters::truncate);
    }),
    ("striptags", |env, name, _| {
        env.add_filter(name, |value: Value| text(&value).map(html::text));
    }),
    ("slug", |env, name, _| {
        env.add_filter(name, |value: Value| text(&value).map(slug));
    }),
];

fn absolute(data: &RenderData, link: &str) -> String {
    if tabulae_core::html::is_local(link) {
        data.site.settings.site.address.absolute(link)
    } else {
        link.to_owned()
    }
}

/// The moment that `filter` is asked for.
fn zoned_date_of(context: &RenderContext, value: &Value, filter: &str) -> Result<ZonedDate, Error> {
    if let Some(date) = value.downcast_object_ref::<DateObject>() {
        return Ok(date.stamp);
    }
    let takes = format!("`{filter}` takes a date, and");
    let text = value
        .as_str()
        .ok_or_else(|| wrong(format!("{takes} this is {}", value.kind())))?;
    let zone = &context.data.site.moment.zone;
    parse_date(text)
        .and_then(|date| date.zoned(zone))
        .map_err(|_| {
            wrong(format!(
                "{takes} \"{text}\" is not a date; write a date, such as `post.date`"
            ))
        })
}

fn date(context: &RenderContext, value: &Value, pattern: Option<&Value>) -> Result<Value, Error> {
    if value.is_none() {
        return Ok(Value::from(()));
    }
    let stamp = zoned_date_of(context, value, "date")?;
    in_words(context, stamp, pattern)
}

/// A date in words, in a `time` element that says it by ISO 8601, too; nothing for none.
fn time(context: &RenderContext, value: &Value, pattern: Option<&Value>) -> Result<Value, Error> {
    if value.is_none() {
        return Ok(Value::from(()));
    }
    let stamp = zoned_date_of(context, value, "time")?;
    let words = in_words(context, stamp, pattern)?;
    let words = escape(words.as_str().unwrap_or_default());
    let element = ["<time datetime=\"", &stamp.iso(), "\">", &words, "</time>"];
    Ok(Value::from_safe_string(element.concat()))
}

/// A date in words, by the site's setting or by a pattern.
fn in_words(
    context: &RenderContext,
    stamp: ZonedDate,
    pattern: Option<&Value>,
) -> Result<Value, Error> {
    let language = context.language();
    let style = match pattern.map(text).transpose()? {
        None => match context.local().day(stamp.day) {
            Some(known) => return Ok(known.clone()),
            None => context.settings().date_format.clone(),
        },
        Some("long") => DateStyle::Long,
        Some("medium") => DateStyle::Medium,
        Some("short") => DateStyle::Short,
        Some("iso") => return Ok(Value::from(stamp.iso())),
        Some(pattern) => {
            let at = stamp.day.to_datetime(stamp.time.unwrap_or_default());
            let words = language.pattern(at, pattern);
            return words
                .map(Value::from)
                .map_err(|why| wrong(format!("dates cannot be written by \"{pattern}\": {why}")));
        }
    };
    Ok(Value::from(language.day(stamp.day, &style)))
}

/// The name of a post, a term or a page as a link there, those of a list with commas between; the
/// name alone where it has no link, and nothing for nothing. `text` takes the place of the name.
fn link(context: &RenderContext, value: &Value, text: Option<&Value>) -> Result<Value, Error> {
    if let (Some(term), None) = (value.downcast_object_ref::<TermObject>(), text) {
        return Ok(term.anchor());
    }
    if let Some(post) = value.downcast_object_ref::<PostObject>() {
        return Ok(Value::from_safe_string(post.anchor(text)));
    }
    if is_nothing(value) {
        return Ok(Value::from(()));
    }
    if matches!(value.kind(), ValueKind::Seq | ValueKind::Iterable) {
        let comma = escape(context.settings().words.get("comma"));
        let mut html = String::new();
        for (at, item) in value.try_iter()?.enumerate() {
            let link = link(context, &item, text)?;
            let between = if at > 0 { &*comma } else { "" };
            html.extend([between, link.as_str().unwrap_or_default()]);
        }
        return Ok(Value::from_safe_string(html));
    }
    let given = |key: &str| {
        let found = value.get_attr(key).ok();
        found.filter(|found| !found.is_none() && !found.is_undefined())
    };
    let text = text
        .cloned()
        .or_else(|| ["name", "title", "number"].into_iter().find_map(given));
    let text = text.ok_or_else(|| {
        wrong("`link` takes a post, a term, or what has a `link` and a `name` or `title`")
    })?;
    let address = given("link");
    let address = address.as_ref().and_then(Value::as_str);
    let current = match given("current") {
        Some(current) => current.is_true(),
        None => address.is_some_and(|address| context.is_own_link(address)),
    };
    let html = anchor(address, &in_html(&text), current);
    Ok(Value::from_safe_string(html))
}

/// Room for an entry, in bytes: most links are shorter.
const ENTRY: usize = 80;

/// The links of a list, each in an `li` element on a line of its own.
fn entries(context: &RenderContext, list: &Value, class: Option<&Value>) -> Result<Value, Error> {
    let class = class.map(text).transpose()?.map(escape);
    let (before, class, after) = match &class {
        Some(class) => ("<li class=\"", &**class, "\">"),
        None => ("<li>", "", ""),
    };
    let mut html = String::new();
    if !list.is_none() {
        html.reserve(list.len().unwrap_or(0) * ENTRY);
        for item in list.try_iter()? {
            let link = link(context, &item, None)?;
            let link = link.as_str().unwrap_or_default();
            html.extend([before, class, after, link, "</li>\n"]);
        }
    }
    Ok(Value::from_safe_string(html))
}

/// Returns true for the value `none` and for an empty list or map.
fn is_nothing(value: &Value) -> bool {
    value.is_none() || value.as_str().is_none() && value.len() == Some(0)
}

/// Returns the state of a post as the theme marks it; nothing for a live one.
fn state(context: &RenderContext, post: &Value) -> Result<Value, Error> {
    let post = post
        .downcast_object_ref::<PostObject>()
        .ok_or_else(|| wrong("`state` takes a post"))?;
    let word = match post.state() {
        PostState::Draft => "draft",
        PostState::Scheduled => "scheduled",
        PostState::Expired => "expired",
        PostState::Unlisted | PostState::Live => return Ok(Value::from(())),
    };
    let word = escape(context.settings().words.get(word));
    Ok(Value::from_safe_string(format!(
        " <span class=\"state\">{word}</span>"
    )))
}

fn count(context: &RenderContext, value: &Value, one: &str, many: &str) -> Result<String, Error> {
    let number = counted("count", value)?;
    let word = match context.language().plural(number) {
        Plural::One => one,
        _ => many,
    };
    Ok(format!("{number} {word}"))
}

/// "14 posts", in the words and plural forms of the page's language.
fn posts(context: &RenderContext, value: &Value) -> Result<String, Error> {
    let number = counted("posts", value)?;
    let plural = context.language().plural(number);
    Ok(format!(
        "{number} {}",
        context.settings().words.posts(plural)
    ))
}

/// Returns a number, or the length of a list.
fn counted(filter: &str, value: &Value) -> Result<usize, Error> {
    value.as_usize().or_else(|| value.len()).ok_or_else(|| {
        wrong(format!(
            "`{filter}` takes a number or a list, and this is {}",
            value.kind()
        ))
    })
}
