//! Errors of the template engine as diagnostics with file, line, column and the nearest name.

use std::error::Error as _;

use minijinja::{Error, ErrorKind};
use tabulae_core::diagnostic::{Code, Diagnostic, Diagnostics};
use tabulae_core::query::fields::FIELDS;
use tabulae_core::source::{Place, Source, Span};

use super::data::RenderData;
use super::filters::FILTERS;
use super::functions::FUNCTIONS;
use super::objects::{CONTENT, TERM_NAMES};
use super::query_error::QueryError;
use super::scope::{ArchiveScope, PageScope, PagerScope, Scope, SiteScope, TermScope};
use crate::site::did_you_mean;

/// Returns the diagnostics of an error: those of a query, or else of the innermost template, with their
/// places.
#[must_use]
pub(crate) fn diagnose(error: &Error, data: &RenderData) -> Diagnostics {
    let mut innermost = error;
    let mut source = error.source();
    while let Some(inner) = source {
        if let Some(QueryError(diagnostics)) = inner.downcast_ref::<QueryError>() {
            return diagnostics.clone();
        }
        if let Some(inner) = inner.downcast_ref::<Error>() {
            innermost = inner;
        }
        source = inner.source();
    }
    let name = innermost.name().unwrap_or("template");
    let text = data
        .sources
        .get(name)
        .cloned()
        .unwrap_or_else(|| Source::new(name, innermost.template_source().unwrap_or("")));
    let span = span_of(innermost, &text);
    let expression = text.text().get(span.start..span.end).unwrap_or_default();
    let place = if text.text().is_empty() {
        Place::top_of(name)
    } else {
        text.place(span)
    };
    vec![explain(innermost, expression, place, data)]
}

/// The engine gives a range of bytes, or else only a line.
fn span_of(error: &Error, source: &Source) -> Span {
    if let Some(range) = error.range() {
        return Span::new(range.start, range.end);
    }
    let line = error.line().unwrap_or(1);
    let start: usize = source
        .text()
        .split_inclusive('\n')
        .take(line.saturating_sub(1))
        .map(str::len)
        .sum();
    let rest = source.text().get(start..).unwrap_or_default();
    let text = rest.lines().next().unwrap_or_default();
    let indent = text.len() - text.trim_start().len();
    Span::new(start + indent, start + text.len())
}

/// Filters of the engine's own that templates of a blog may want, for hints.
const ENGINE_FILTERS: [&str; 27] = [
    "upper",
    "lower",
    "title",
    "trim",
    "length",
    "first",
    "last",
    "join",
    "sort",
    "default",
    "safe",
    "escape",
    "replace",
    "reverse",
    "round",
    "slice",
    "batch",
    "unique",
    "map",
    "select",
    "reject",
    "int",
    "float",
    "string",
    "list",
    "groupby",
    "urlencode",
];

/// Functions of the engine's own, likewise.
const ENGINE_FUNCTIONS: [&str; 3] = ["range", "dict", "namespace"];

fn explain(error: &Error, expression: &str, place: Place, data: &RenderData) -> Diagnostic {
    let detail = error.detail().unwrap_or_default();
    if detail.contains("` is undefined") {
        return undefined(expression, detail, place, data);
    }
    let message = match error.kind() {
        ErrorKind::UndefinedError => return undefined(expression, detail, place, data),
        ErrorKind::UnknownFilter => {
            let name = quoted(detail, "filter ");
            let known = FILTERS.iter().map(|(name, _)| *name).chain(ENGINE_FILTERS);
            return there_is_no("filter", name, place, known);
        }
        ErrorKind::UnknownFunction => {
            let name = quoted(detail, "");
            let known = FUNCTIONS.iter().map(|(name, _)| *name);
            return there_is_no("function", name, place, known.chain(ENGINE_FUNCTIONS));
        }
        ErrorKind::TemplateNotFound => {
            let name = detail.split(['\'', '"']).nth(1).unwrap_or(expression);
            let message = format!("a template is not there: {detail}");
            let diagnostic = Diagnostic::error(Code::TemplateError, place, message);
            return with_nearest(diagnostic, name, data.sources.keys().map(String::as_str));
        }
        ErrorKind::OutOfFuel => {
            let message = "this template does more work for one page than any page needs";
            return Diagnostic::error(Code::TemplateLimit, place, message)
                .help("look for a loop in a loop, or for a text that doubles");
        }
        ErrorKind::SyntaxError => {
            let message = format!("this is not a well-formed template: {detail}");
            return Diagnostic::error(Code::TemplateSyntax, place, message).help(
                "values stand in {{ … }}, statements in {% … %}, each of which has its {% end… %}",
            );
        }
        kind if detail.is_empty() => kind.to_string(),
        _ => detail.to_owned(),
    };
    Diagnostic::error(Code::TemplateError, place, message)
        .help("look at the expression that is marked")
}

fn there_is_no<'a>(
    kind: &str,
    name: &str,
    place: Place,
    known: impl IntoIterator<Item = &'a str>,
) -> Diagnostic {
    let message = format!("there is no {kind} `{name}`");
    let diagnostic = Diagnostic::error(Code::TemplateError, place, message);
    with_nearest(diagnostic, name, known)
}

/// The name that a sentence of the engine gives after a word.
fn quoted<'a>(detail: &'a str, before: &str) -> &'a str {
    let rest = detail.strip_prefix(before).unwrap_or(detail);
    let name = rest.split_whitespace().next().unwrap_or_default();
    name.trim_matches(['`', '"', '\''])
}

fn with_nearest<'a>(
    diagnostic: Diagnostic,
    name: &str,
    known: impl IntoIterator<Item = &'a str>,
) -> Diagnostic {
    match did_you_mean(name, known) {
        Some(help) => diagnostic.help(help),
        None => diagnostic.help("docs/templates.md lists what templates know"),
    }
}

/// A name that is not known: in `post.imge` the last part, within the names that its object has.
fn undefined(expression: &str, detail: &str, place: Place, data: &RenderData) -> Diagnostic {
    // The engine names what is undefined between backquotes.
    let shown = detail
        .split('`')
        .nth(1)
        .map_or_else(|| expression.to_owned(), str::to_owned);
    let (object, name) = shown
        .rsplit_once('.')
        .map_or(("", shown.as_str()), |(object, name)| (object, name));
    let known = names_of(object, data);
    let message = match object {
        _ if shown.ends_with(']') => format!("there is no `{shown}`"),
        "" => format!("there is no `{name}` here"),
        "post" => format!("no post has a field `{name}`"),
        _ => format!("`{object}` has no `{name}`"),
    };
    let diagnostic = Diagnostic::error(Code::TemplateError, place, message);
    match (object, name) {
        ("", "loop") => diagnostic.help("it is known between {% for … %} and {% endfor %}"),
        ("", name) if known.contains(&name) => diagnostic.help(format!(
            "`{name}` is known on other pages; docs/templates.md says on which"
        )),
        _ if shown.ends_with(']') => with_nearest(diagnostic, name, None),
        (_, name) => with_nearest(
            diagnostic,
            name,
            known.into_iter().filter(|near| *near != name),
        ),
    }
}

/// The names that something in scope has, or, where it is no such thing, that posts and terms have.
fn names_of<'a>(object: &str, data: &'a RenderData) -> Vec<&'a str> {
    let words = tabulae_core::settings::WORDS.iter();
    match object {
        "" => Scope::NAMES.iter().copied().chain(["loop"]).collect(),
        "site" => SiteScope::NAMES.to_vec(),
        "page" => PageScope::NAMES.to_vec(),
        "archive" => ArchiveScope::NAMES.to_vec(),
        "pager" => PagerScope::NAMES.to_vec(),
        "term" => TermScope::NAMES.to_vec(),
        "site.words" => words.map(|(name, ..)| *name).collect(),
        _ => {
            let catalogue = &data.site.catalogue;
            let tables = catalogue.term_tables().iter();
            let terms = tables.flat_map(|table| [table.field.name.as_str(), table.field.many()]);
            let fields = FIELDS.iter().map(|field| field.name).chain(terms);
            let written = catalogue.field_names(&catalogue.every_set());
            fields
                .chain([CONTENT])
                .chain(written)
                .chain(TERM_NAMES.iter().copied())
                .collect()
        }
    }
}
