//! The functions of templates.

use std::sync::{Arc, PoisonError};

use minijinja::value::{Kwargs, Rest, ValueKind};
use minijinja::{Error, State, Value};
use tabulae_core::archive::by_terms;
use tabulae_core::catalogue::PostId;
use tabulae_core::diagnostic::{Code, Diagnostic, Faults};
use tabulae_core::query::ast::Lasts;
use tabulae_core::query::{Parameter, Query, Resolved, Scope, Written};
use tabulae_core::source::{Passage, Source, Span};
use tabulae_core::term::TermId;

use super::arguments::{self, known, named, number, optional, wrong};
use super::cards::card;
use super::faults::QueryFaults;
use super::objects::{DateObject, PostObject, TermObject, post_list};
use super::{Add, Shared, this, without_this};
use crate::cache::{Key, Listing, need, needs_of, recorded};

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

fn query(
    shared: &Arc<Shared>,
    state: &State<'_, '_>,
    text: &str,
    given: &[(&str, Value)],
) -> Result<Arc<[PostId]>, Error> {
    let parameters = given.iter();
    let parameters: Vec<(String, Parameter)> = parameters
        .map(|(name, value)| Ok(((*name).to_owned(), parameter(value)?)))
        .collect::<Result<_, Error>>()?;
    if parameters.is_empty()
        && let Some(known) = shared
            .answers
            .lock()
            .unwrap_or_else(PoisonError::into_inner)
            .get(text)
    {
        need(shared.site.needs.other(Key::Query(text.to_owned(), None)));
        return Ok(Arc::clone(known));
    }
    let passage = passage(shared, state.name(), text);
    let site = &shared.site;
    let scope = Scope {
        parameters: &parameters,
        ..site.scope().on_page(this().is_some())
    };
    let asked = (text.to_owned(), scope.has_this);
    let known = parameters
        .is_empty()
        .then(|| shared.resolved(&asked))
        .flatten();
    let resolved = match known {
        Some(known) => known,
        None => {
            let parsed = Query::parse(&passage).map_err(|fault| refused(vec![*fault]))?;
            if let Some(fault) = not_asked_for(given, &parsed, &passage) {
                return Err(refused(vec![fault]));
            }
            let resolved = parsed.resolve(scope);
            let (errors, warnings): (Faults, Faults) = resolved
                .diagnostics
                .into_iter()
                .partition(Diagnostic::is_error);
            let Some(resolved) = resolved.output else {
                return Err(refused(errors));
            };
            warnings
                .into_iter()
                .for_each(|warning| shared.warn(warning));
            let resolved = Arc::new(resolved);
            if parameters.is_empty() {
                shared.keep_resolved(asked, &resolved);
            }
            resolved
        }
    };
    ask(shared, text, &resolved, parameters.is_empty());
    let posts: Arc<[PostId]> = resolved.first(&site.catalogue, this()).into();
    if parameters.is_empty() && !resolved.needs_this() {
        if posts.is_empty() {
            let parsed = Query::parse(&passage).ok();
            let slip = parsed.and_then(|parsed| parsed.slip(scope));
            slip.into_iter().for_each(|warning| shared.warn(warning));
        }
        let mut answers = shared
            .answers
            .lock()
            .unwrap_or_else(PoisonError::into_inner);
        answers.insert(text.to_owned(), Arc::clone(&posts));
    }
    Ok(posts)
}

/// The fault of a parameter that is given, and that the query does not ask for.
fn not_asked_for(
    given: &[(&str, Value)],
    query: &Query<Written>,
    passage: &Passage,
) -> Option<Diagnostic> {
    let asked_for = query.statement().parameters();
    let (name, _) = given.iter().find(|(name, _)| !asked_for.contains(name))?;
    let place = passage.place(Span::new(0, passage.text().len()));
    let message = format!("the query has no parameter :{name}");
    let fault = Diagnostic::error(Code::QueryUnfit, place, message);
    Some(if asked_for.is_empty() {
        fault.help(format!("write :{name} in the query, or leave {name}=… out"))
    } else {
        fault.suggest(name, asked_for)
    })
}

/// Says that what is being made asks for the answer of a query.
fn ask(shared: &Shared, text: &str, resolved: &Query<Resolved>, plain: bool) {
    let needs = &shared.site.needs;
    let alike = resolved.weighing().is_some();
    if plain && !alike {
        let this = this().filter(|_| resolved.needs_this());
        let this = this.map(|id| shared.site.catalogue.post(id).path.clone());
        return need(needs.other(Key::Query(text.to_owned(), this)));
    }
    // What a parameter was, or how alike posts are, is not asked again: it is other when any
    // post is.
    if alike {
        need(needs.other(Key::Alike));
    }
    need(needs.other(Key::All));
    let statement = Query::parse(&Passage::command_line(text));
    let lasts = statement.map_or(Lasts::Moment, |known| known.statement().lasts());
    match lasts.max(shared.site.asks.last) {
        Lasts::Ever => {}
        Lasts::Today => need(needs.other(Key::Day)),
        Lasts::Moment => need(needs.other(Key::Moment)),
    }
}

/// The template engine's error for a query with faults.
fn refused(faults: Faults) -> Error {
    let message = faults
        .first()
        .map_or_else(String::new, |fault| fault.message.clone());
    wrong(message).with_source(QueryFaults(faults))
}

/// Where a query's text stands in the template that asks for it.
fn passage(shared: &Shared, template: &str, text: &str) -> Passage {
    match shared.sources.get(template) {
        Some(source) => match in_quotes(source.text(), text) {
            Some(at) => Passage::new(text, source, Span::new(at, at + text.len())),
            None => {
                let own = Source::new(source.file().unwrap_or(template), text);
                Passage::new(text, &own, Span::new(0, text.len()))
            }
        },
        None => Passage::command_line(text),
    }
}

/// Where a text stands first between quotes.
fn in_quotes(template: &str, text: &str) -> Option<usize> {
    let between = |quote| template.find(&format!("{quote}{text}{quote}"));
    let places = ['"', '\''].into_iter().filter_map(between);
    places.min().map(|at| at + 1)
}

fn parameter(value: &Value) -> Result<Parameter, Error> {
    if value.is_none() || value.is_undefined() {
        return Ok(Parameter::Missing);
    }
    if let Some(date) = value.downcast_object_ref::<DateObject>() {
        return Ok(Parameter::Date(date.stamp));
    }
    if let Some(term) = value.downcast_object_ref::<TermObject>() {
        return Ok(Parameter::Text(term.name().to_owned()));
    }
    if value.downcast_object_ref::<PostObject>().is_some() {
        return Err(wrong(
            "a parameter is a text, a number, a date, true or false, or a list of such; hand in a field of the post",
        ));
    }
    if let Some(text) = value.as_str() {
        return Ok(Parameter::Text(text.to_owned()));
    }
    if value.is_number() {
        return f64::try_from(value.clone()).map(Parameter::Number);
    }
    if let Ok(flag) = bool::try_from(value.clone()) {
        return Ok(Parameter::Flag(flag));
    }
    value
        .try_iter()?
        .map(|item| parameter(&item))
        .collect::<Result<_, _>>()
        .map(Parameter::List)
}

/// The terms of a field that listed posts have, or the posts of a query.
fn terms(
    shared: &Arc<Shared>,
    state: &State<'_, '_>,
    name: &str,
    options: &Kwargs,
) -> Result<Value, Error> {
    let catalogue = &shared.site.catalogue;
    let field = catalogue.term_field(name).ok_or_else(|| {
        let known: Vec<&str> = catalogue
            .term_tables()
            .iter()
            .map(|table| table.field.name.as_str())
            .collect();
        let near = crate::site::did_you_mean(name, known.iter().copied())
            .unwrap_or_else(|| format!("term fields are {}", known.join(", ")));
        wrong(format!("`{name}` is not a term field; {near}"))
    })?;
    let mut given = named(options)?;
    let order: Option<&str> = options.get("order")?;
    let limit: Option<Value> = options.get("limit")?;
    let limit = limit.map(|limit| number(&limit, 0..=usize::MAX));
    let limit = limit.transpose()?;
    let text: Option<&str> = options.get("query")?;
    let own = ["order", "limit", "query"];
    given.retain(|(name, _)| !own.contains(name));
    if text.is_none()
        && let Some((name, _)) = given.first()
    {
        let near = crate::site::did_you_mean(name, own);
        let near = near.unwrap_or_else(|| format!("it takes {}", own.join(", ")));
        return Err(wrong(format!("`terms` has no option `{name}`; {near}")));
    }
    let asked = format!("{field} {order:?} {limit:?} {text:?}");
    let listing = Listing {
        field: name.to_owned(),
        order: order.map(str::to_owned),
        limit,
        query: text.map(str::to_owned),
    };
    need(shared.site.needs.other(Key::Terms(Box::new(listing))));
    if given.is_empty()
        && let Some(known) = shared
            .term_lists
            .lock()
            .unwrap_or_else(PoisonError::into_inner)
            .get(&asked)
    {
        return Ok(known.clone());
    }
    let mut fixed = given.is_empty();
    let posts = match text {
        None => None,
        Some(text) => {
            let posts = query(shared, state, text, &given)?;
            fixed = fixed && shared.has_answer(text);
            Some(posts)
        }
    };
    let lists = shared.listed_terms(field, order, limit, posts.as_deref())?;
    let made = Value::from_iter(
        lists
            .into_iter()
            .map(|(id, count)| TermObject::counted(&shared.terms[field][id.0 as usize], count)),
    );
    if fixed {
        let mut known = shared
            .term_lists
            .lock()
            .unwrap_or_else(PoisonError::into_inner);
        known.insert(asked, made.clone());
    }
    Ok(made)
}

impl Shared {
    /// The terms of a field that listed posts have, or some posts, with their counts.
    ///
    /// # Errors
    /// An order that there is not.
    pub(crate) fn listed_terms(
        &self,
        field: usize,
        order: Option<&str>,
        limit: Option<usize>,
        posts: Option<&[PostId]>,
    ) -> Result<Vec<(TermId, usize)>, Error> {
        let catalogue = &self.site.catalogue;
        let table = catalogue.terms(field);
        let mut lists: Vec<(TermId, usize, Option<PostId>)> = match posts {
            None => {
                let terms = table.terms.iter().enumerate();
                terms
                    .map(|(at, term)| (id_at(at), term.posts.len(), term.posts.first().copied()))
                    .collect()
            }
            Some(posts) => {
                let lists = by_terms(field, posts, catalogue).into_iter().enumerate();
                lists
                    .map(|(at, posts)| (id_at(at), posts.len(), posts.iter().min().copied()))
                    .collect()
            }
        };
        lists.retain(|(_, count, _)| *count > 0);
        let by_name = |a: &TermId, b: &TermId| {
            catalogue
                .language
                .sort(&table.term(*a).name, &table.term(*b).name)
        };
        match order.unwrap_or("name") {
            "name" => lists.sort_by(|a, b| by_name(&a.0, &b.0)),
            "count" => lists.sort_by(|a, b| b.1.cmp(&a.1).then_with(|| by_name(&a.0, &b.0))),
            "newest" => lists.sort_by(|a, b| a.2.cmp(&b.2).then_with(|| by_name(&a.0, &b.0))),
            other => {
                return Err(wrong(format!(
                    "terms cannot be ordered by \"{other}\"; write \"name\", \"count\" or \"newest\""
                )));
            }
        }
        lists.truncate(limit.unwrap_or(usize::MAX));
        Ok(lists
            .into_iter()
            .map(|(id, count, _)| (id, count))
            .collect())
    }
}

fn id_at(at: usize) -> TermId {
    TermId(u32::try_from(at).unwrap_or(u32::MAX))
}

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
    if let Some((known, needs)) = shared.parts().get(&key) {
        needs_of(needs);
        return Ok(known.clone());
    }
    let template = state.env().get_template(part)?;
    let site = ("site", state.lookup("site").unwrap_or_default());
    let values = [site].into_iter().chain(given);
    let values = values.map(|(name, value)| (Value::from(name), value));
    let make = || template.render(Value::from_pairs(values));
    // It is shared by the pages of many posts, and so none of them is `this`.
    let (text, needs) = recorded(|| without_this(make));
    let made = Value::from_safe_string(text?.trim_end().to_owned());
    shared.parts().insert(key, (made.clone(), needs));
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
