//! The function `query` of templates: a text and parameters to posts.

use std::sync::Arc;

use minijinja::{Error, State, Value};
use tabulae_core::catalogue::PostId;
use tabulae_core::diagnostic::{Code, Diagnostic, Faults};
use tabulae_core::query::ast::Lasts;
use tabulae_core::query::{Parameter, Query, Resolved, Scope, Written};
use tabulae_core::source::{Passage, Source, Span};

use super::arguments::wrong;
use super::faults::QueryFaults;
use super::objects::{DateObject, PostObject, TermObject};
use super::{Asked, Shared, locked, this};
use crate::cache::{Key, need};

/// The posts that a query finds, with the parameters that are given by name. One without
/// parameters that asks for nothing of the page's own post is run once for all pages.
pub(super) fn query(
    shared: &Arc<Shared>,
    state: &State<'_, '_>,
    text: &str,
    given: &[(&str, Value)],
) -> Result<Arc<[PostId]>, Error> {
    let parameters = parameters(given)?;
    let is_plain = parameters.is_empty();
    if is_plain && let Some(known) = locked(&shared.answers).get(text) {
        need(shared.site.needs.other(Key::Query(text.to_owned(), None)));
        return Ok(Arc::clone(known));
    }
    let passage = passage(shared, state.name(), text);
    let scope = Scope {
        parameters: &parameters,
        ..shared.site.scope().on_page(this().is_some())
    };
    let resolved = shared.resolved_at(&passage, scope, given)?;
    ask(shared, text, &resolved, is_plain);
    let posts: Arc<[PostId]> = resolved.first(&shared.site.catalogue, this()).into();
    if is_plain && !resolved.needs_this() {
        if posts.is_empty() {
            let parsed = Query::parse(&passage).ok();
            let slip = parsed.and_then(|parsed| parsed.slip(scope));
            slip.into_iter().for_each(|warning| shared.warn(warning));
        }
        locked(&shared.answers).insert(text.to_owned(), Arc::clone(&posts));
    }
    Ok(posts)
}

impl Shared {
    /// Whether a query is known to give the same on every page.
    pub(super) fn has_answer(&self, query: &str) -> bool {
        locked(&self.answers).contains_key(query)
    }

    /// A query of a template, where it was resolved before.
    pub(crate) fn resolved_query(&self, text: &str, on_page: bool) -> Option<Arc<Query<Resolved>>> {
        locked(&self.resolved)
            .get(&(text.to_owned(), on_page))
            .cloned()
    }

    /// A query where it stands, resolved; without parameters once for all pages.
    fn resolved_at(
        &self,
        passage: &Passage,
        scope: Scope<'_>,
        given: &[(&str, Value)],
    ) -> Result<Arc<Query<Resolved>>, Error> {
        let is_plain = scope.parameters.is_empty();
        if is_plain && let Some(known) = self.resolved_query(passage.text(), scope.has_this) {
            return Ok(known);
        }
        let parsed = Query::parse(passage).map_err(|fault| refused(vec![*fault]))?;
        if let Some(fault) = not_asked_for(given, &parsed, passage) {
            return Err(refused(vec![fault]));
        }
        let resolved = parsed.resolve(scope);
        let found = resolved.diagnostics.into_iter();
        let (errors, warnings): (Faults, Faults) = found.partition(Diagnostic::is_error);
        let Some(resolved) = resolved.output else {
            return Err(refused(errors));
        };
        for warning in warnings {
            self.warn(warning);
        }
        let resolved = Arc::new(resolved);
        if is_plain {
            let asked: Asked = (passage.text().to_owned(), scope.has_this);
            locked(&self.resolved).insert(asked, Arc::clone(&resolved));
        }
        Ok(resolved)
    }
}

fn parameters(given: &[(&str, Value)]) -> Result<Vec<(String, Parameter)>, Error> {
    let pairs = given.iter();
    let pairs = pairs.map(|(name, value)| Ok(((*name).to_owned(), parameter(value)?)));
    pairs.collect()
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
