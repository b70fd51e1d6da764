//! The function `query` of templates: a text and parameters to posts.

use std::sync::Arc;

use minijinja::{Error, Value};
use tabulae_core::catalogue::PostId;
use tabulae_core::diagnostic::{Code, Diagnostic, Diagnostics};
use tabulae_core::query::ast::Validity;
use tabulae_core::query::{Parameter, Query, Resolved, Scope, Written};
use tabulae_core::source::{EmbeddedText, Source, Span};

use super::arguments::wrong;
use super::blocks::queries;
use super::context::{AskedQuery, RenderContext};
use super::data::{Answer, KnownQuery, LocaleData, QueryKey, RenderData};
use super::date_object::DateObject;
use super::objects::{PostObject, TermObject};
use super::query_error::QueryError;
use crate::incremental::{Key, QueryPlace};
use crate::site::Site;

/// Returns the posts of a query of a placeholder in the source file at `path`, and records the dependencies.
///
/// # Errors
/// As a template that has the query.
pub(crate) fn find_posts(
    context: &RenderContext,
    path: &str,
    text: &str,
) -> Result<Arc<[PostId]>, Error> {
    query(context, path, text, &[])
}

/// The posts that a query finds, with the parameters that are given by name. One without
/// parameters that asks for nothing of the page's own post is run once for all pages.
pub(super) fn query(
    context: &RenderContext,
    template: &str,
    text: &str,
    given: &[(&str, Value)],
) -> Result<Arc<[PostId]>, Error> {
    let posts = found(context, template, text, given)?;
    context.note_query(|| {
        let embedded = embedded(&context.data, template, text);
        AskedQuery {
            location: embedded.location(Span::new(0, text.len())),
            text: text.to_owned(),
            posts: Arc::clone(&posts),
        }
    });
    Ok(posts)
}

fn found(
    context: &RenderContext,
    template: &str,
    text: &str,
    given: &[(&str, Value)],
) -> Result<Arc<[PostId]>, Error> {
    let data = &context.data;
    let parameters = parameters(given)?;
    if !parameters.is_empty() {
        return with_parameters(context, template, text, given, &parameters);
    }
    let on_page = context.this().is_some();
    let local = context.local();
    if let Some(known) = local.answers.get(text) {
        context.track_key(Key::Query(text.to_owned(), None, context.locale));
        if known.has_report {
            report(context, template, text, on_page);
        }
        return Ok(known.posts);
    }
    let key: QueryKey = (text.to_owned(), on_page);
    let known = match local.queries.get(&key) {
        Some(known) => known,
        None => {
            let scope = data.site.scope().within(context.locale).on_page(on_page);
            let (query, warnings) = resolve(&embedded(data, template, text), scope, given)?;
            let known = KnownQuery {
                query,
                has_warnings: !warnings.is_empty(),
            };
            local.queries.insert(key, known.clone());
            known
        }
    };
    track(context, text, &known.query, true);
    let posts: Arc<[PostId]> = known
        .query
        .first(&data.site.catalogue, context.this())
        .into();
    let is_same_everywhere = !known.query.needs_this();
    let has_report = known.has_warnings || is_same_everywhere && posts.is_empty();
    if has_report {
        report(context, template, text, on_page);
    }
    if is_same_everywhere {
        let answer = Answer {
            posts: Arc::clone(&posts),
            has_report,
        };
        local.answers.insert(text.to_owned(), answer);
    }
    Ok(posts)
}

/// The posts that a query with parameters finds. Its warnings depend on them, so that each build renders the
/// page again.
fn with_parameters(
    context: &RenderContext,
    template: &str,
    text: &str,
    given: &[(&str, Value)],
    parameters: &[(String, Parameter)],
) -> Result<Arc<[PostId]>, Error> {
    let data = &context.data;
    let this = context.this();
    let scope = Scope {
        parameters,
        ..data
            .site
            .scope()
            .within(context.locale)
            .on_page(this.is_some())
    };
    let (query, warnings) = resolve(&embedded(data, template, text), scope, given)?;
    for warning in warnings {
        context.track_key(Key::Warned);
        data.warn(warning);
    }
    track(context, text, &query, false);
    Ok(query.first(&data.site.catalogue, this).into())
}

/// Reports on a query without parameters: its warnings, and that it finds nothing.
fn report(context: &RenderContext, template: &str, text: &str, on_page: bool) {
    let place = QueryPlace {
        template: template.to_owned(),
        text: text.to_owned(),
        on_page,
        locale: context.locale,
    };
    context.data.report_query(&place);
    context.track_key(Key::QueryReport(Box::new(place)));
}

/// Returns the diagnostics of the queries that a template has as texts. Those that are computed are left to rendering. Takes time
/// in proportion to the text.
pub(super) fn queries_of_template(site: &Site, source: &Source) -> Diagnostics {
    let found = queries(source.text()).flat_map(|span| {
        let text = &source.text()[span.start..span.end];
        query_findings(site, &EmbeddedText::new(text, source, span))
    });
    found.collect()
}

/// Returns the diagnostics of a query as a post's page reports them. One that is well formed and has parameters has none.
pub(crate) fn query_findings(site: &Site, text: &EmbeddedText) -> Diagnostics {
    match Query::parse(text) {
        Err(diagnostic) => vec![*diagnostic],
        Ok(parsed) if parsed.statement().parameters().is_empty() => {
            reported(&parsed, site.scope(), site.scope().on_page(true))
        }
        Ok(_) => Diagnostics::new(),
    }
}

/// Returns the diagnostics of a query in a scope, and if it finds nothing wherever it is asked, its slip in the scope of the
/// whole site.
fn reported(parsed: &Query<Written>, whole: Scope<'_>, scope: Scope<'_>) -> Diagnostics {
    let resolved = parsed.resolve(scope);
    let is_same_everywhere = resolved.output.is_some_and(|query| !query.needs_this());
    let is_told = parsed.is_empty_by(&resolved.diagnostics);
    let slip = (is_same_everywhere && !is_told).then(|| parsed.slip(whole));
    let found = resolved.diagnostics.into_iter();
    found.chain(slip.flatten()).collect()
}

/// Resolves a query with the parameters that are `given`; returns it with its warnings.
fn resolve(
    embedded: &EmbeddedText,
    scope: Scope<'_>,
    given: &[(&str, Value)],
) -> Result<(Arc<Query<Resolved>>, Diagnostics), Error> {
    let parsed = Query::parse(embedded).map_err(|diagnostic| refused(vec![*diagnostic]))?;
    if let Some(diagnostic) = not_asked_for(given, &parsed, embedded) {
        return Err(refused(vec![diagnostic]));
    }
    let resolved = parsed.resolve(scope);
    let found = resolved.diagnostics.into_iter();
    let (errors, warnings): (Diagnostics, Diagnostics) = found.partition(Diagnostic::is_error);
    match resolved.output {
        Some(query) => Ok((Arc::new(query), warnings)),
        None => Err(refused(errors)),
    }
}

impl RenderData {
    /// Reports on a query without parameters, once for each template that has it: the place does not depend
    /// on which page is rendered first.
    pub(crate) fn report_query(&self, place: &QueryPlace) {
        if !self.reported_queries.insert(place.clone(), ()) {
            return;
        }
        let Ok(parsed) = Query::parse(&embedded(self, &place.template, &place.text)) else {
            return;
        };
        let whole = self.site.scope();
        let scope = whole.within(place.locale).on_page(place.on_page);
        let found = reported(&parsed, whole, scope).into_iter();
        found.for_each(|warning| self.warn(warning));
    }
}

impl LocaleData {
    /// Returns true if a query is known to have the same answer on every page.
    pub(super) fn has_answer(&self, query: &str) -> bool {
        self.answers.contains(query)
    }

    /// A query of a template, where it was resolved before.
    pub(crate) fn resolved_query(&self, text: &str, on_page: bool) -> Option<Arc<Query<Resolved>>> {
        let known = self.queries.get(&(text.to_owned(), on_page));
        known.map(|known| known.query)
    }
}

fn parameters(given: &[(&str, Value)]) -> Result<Vec<(String, Parameter)>, Error> {
    let pairs = given.iter();
    let pairs = pairs.map(|(name, value)| Ok(((*name).to_owned(), parameter(value)?)));
    pairs.collect()
}

/// The diagnostic of a parameter that is given, and that the query does not ask for.
fn not_asked_for(
    given: &[(&str, Value)],
    query: &Query<Written>,
    embedded: &EmbeddedText,
) -> Option<Diagnostic> {
    let asked_for = query.statement().parameters();
    let (name, _) = given.iter().find(|(name, _)| !asked_for.contains(name))?;
    let location = embedded.location(Span::new(0, embedded.text().len()));
    let message = format!("the query has no parameter :{name}");
    let diagnostic = Diagnostic::error(Code::InvalidQuery, location, message);
    Some(if asked_for.is_empty() {
        diagnostic.help(format!("write :{name} in the query, or leave {name}=… out"))
    } else {
        diagnostic.suggest(name, asked_for)
    })
}

/// Records what the answer of a query depends on.
fn track(context: &RenderContext, text: &str, resolved: &Query<Resolved>, is_plain: bool) {
    let site = &context.data.site;
    let has_likeness = resolved.weights().is_some();
    if is_plain && !has_likeness {
        let this = context.this().filter(|_| resolved.needs_this());
        let this = this.map(|id| site.catalogue.post(id).path.clone());
        return context.track_key(Key::Query(text.to_owned(), this, context.locale));
    }
    // Parameters and likeness are not part of a key: such an answer depends on all posts.
    if has_likeness {
        context.track_key(Key::Alike);
    }
    context.track_key(Key::All);
    let statement = Query::parse(&EmbeddedText::command_line(text));
    let validity = statement.map_or(Validity::Moment, |known| known.statement().validity());
    match validity.max(site.query_traits.validity) {
        Validity::Ever => {}
        Validity::Today => context.track_key(Key::Day),
        Validity::Moment => context.track_key(Key::Moment),
    }
}

/// The template engine's error for a query with diagnostics.
fn refused(diagnostics: Diagnostics) -> Error {
    let message = diagnostics
        .first()
        .map_or_else(String::new, |diagnostic| diagnostic.message.clone());
    wrong(message).with_source(QueryError(diagnostics))
}

/// Returns a query's text with its place in a template.
fn embedded(data: &RenderData, template: &str, text: &str) -> EmbeddedText {
    let known = data.sources.get(template).cloned();
    match known
        .or_else(|| data.site.source_of(template).ok())
        .as_ref()
    {
        Some(source) => match in_quotes(source.text(), text) {
            Some(at) => EmbeddedText::new(text, source, Span::new(at, at + text.len())),
            None => {
                let own = Source::new(source.file().unwrap_or(template), text);
                EmbeddedText::new(text, &own, Span::new(0, text.len()))
            }
        },
        None => EmbeddedText::command_line(text),
    }
}

/// Returns the position of a text between quotes.
fn in_quotes(template: &str, text: &str) -> Option<usize> {
    let between = |quote| template.find(&format!("{quote}{text}{quote}"));
    let quotes = ['"', '\''].into_iter().filter_map(between);
    quotes.min().map(|at| at + 1)
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
