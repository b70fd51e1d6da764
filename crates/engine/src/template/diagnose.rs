//! Errors of the template engine as diagnostics with file, line, column and the nearest name.

use std::error::Error as _;

use minijinja::{Environment, Error, ErrorKind};
use tabulae_core::catalogue::PostId;
use tabulae_core::diagnostic::{Code, Diagnostic, Diagnostics, Help, nearest};
use tabulae_core::query::fields::FIELDS;
use tabulae_core::source::{Location, Source, Span};

use super::blocks::{Unclosed, bound_names, extended, has_open_quote, unclosed};
use super::filters::FILTERS;
use super::functions::FUNCTIONS;
use super::objects::{CONTENT, TERM_NAMES, TOC};
use super::paths::{paths, start_of_path};
use super::query_error::QueryError;
use super::scope::{ArchiveScope, PageScope, PagerScope, Scope, SiteScope, TermScope};
use super::theme::{TEMPLATES, Templates};

/// Returns the diagnostics of an error: those of a query, or else of the innermost template, with their
/// places. `post` is the last one of which the template read a field.
#[must_use]
pub(crate) fn diagnose(
    error: &Error,
    templates: Templates<'_>,
    post: Option<PostId>,
) -> Diagnostics {
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
    let text = templates
        .sources
        .get(name)
        .cloned()
        .unwrap_or_else(|| Source::new(name, innermost.template_source().unwrap_or("")));
    let span = span_of(innermost, &text);
    let start = start_of_path(text.text(), span.start);
    let expression = text.text().get(start..span.end).unwrap_or_default();
    let location = if text.text().is_empty() {
        Location::top_of(name)
    } else {
        text.location(span)
    };
    let failed = Failed {
        expression,
        operand: operand(text.text(), span.start),
        source: &text,
        location,
        post: post.map(|id| templates.site.catalogue.post(id).path.as_str()),
    };
    vec![explain(innermost, failed, templates)]
}

/// The part of a template that failed.
struct Failed<'a> {
    /// The part of the template that the engine names.
    expression: &'a str,
    /// The value that a filter was applied to, such as `post.image`; empty if the part has no filter.
    operand: &'a str,
    source: &'a Source,
    location: Location,
    /// The path of the last post of which a field was read.
    post: Option<&'a str>,
}

/// Returns ` of ` and the path of a post if a value is one of its fields.
fn of_post(value: &str, post: Option<&str>) -> String {
    let post = post.filter(|_| value.starts_with("post."));
    post.map(|path| format!(" of `{path}`")).unwrap_or_default()
}

/// Returns the name or path before the `|` of a filter that starts at a byte.
fn operand(text: &str, at: usize) -> &str {
    let before = text.get(..at).unwrap_or_default().trim_end();
    let Some(before) = before.strip_suffix('|').map(str::trim_end) else {
        return "";
    };
    let is_of_path = |c: char| c.is_alphanumeric() || "._[]".contains(c);
    let start = before.trim_end_matches(is_of_path).len();
    &before[start..]
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

/// Filters that templates of other languages have, and what to write instead.
const OTHER_FILTERS: [(&str, &str); 8] = [
    ("strftime", "|date(\"%Y\")"),
    ("format", "|date(\"%Y\")"),
    ("uppercase", "|upper"),
    ("lowercase", "|lower"),
    ("downcase", "|lower"),
    ("len", "|length"),
    ("size", "|length"),
    ("raw", "|safe"),
];

/// The end of the message of a filter that needs a text and gets `none`.
const GOT_NONE: &str = "and got none";

/// Functions of the engine's own, likewise.
const ENGINE_FUNCTIONS: [&str; 3] = ["range", "dict", "namespace"];

fn explain(error: &Error, failed: Failed<'_>, templates: Templates<'_>) -> Diagnostic {
    let Failed {
        expression,
        operand,
        source,
        post,
        ..
    } = failed;
    let location = failed.location.clone();
    let detail = error.detail().unwrap_or_default();
    if detail.ends_with(GOT_NONE) && !operand.is_empty() {
        let of_post = of_post(operand, post);
        let message =
            format!("`{operand}`{of_post} is none, and the filter `{expression}` takes a text");
        return Diagnostic::error(Code::TemplateError, location, message).help(format!(
            "write `{{% if {operand} %}}…{{% endif %}}` around it, or `({operand} or \"…\")` with a text for what has none"
        ));
    }
    let message = match error.kind() {
        ErrorKind::UndefinedError => {
            return undefined(
                undefined_value(&failed, templates),
                location,
                post,
                templates,
            );
        }
        _ if let Some(name) = extends_itself(expression, templates) => {
            return cycle(name, location);
        }
        ErrorKind::InvalidOperation if let Some(value) = unknown_value(&failed, templates) => {
            return undefined(value, location, post, templates);
        }
        ErrorKind::UnknownFilter => {
            let name = identifier(expression);
            let known = FILTERS.iter().map(|(name, _)| *name).chain(ENGINE_FILTERS);
            if let Some((_, instead)) = OTHER_FILTERS.iter().find(|(other, _)| *other == name) {
                let message = format!("there is no filter `{name}`");
                let found = Diagnostic::error(Code::TemplateError, location, message);
                return found.help(format!("write `{instead}`"));
            }
            return there_is_no("filter", name, location, known);
        }
        ErrorKind::UnknownFunction => {
            let name = identifier(expression);
            let known = FUNCTIONS.iter().map(|(name, _)| *name);
            return there_is_no("function", name, location, known.chain(ENGINE_FUNCTIONS));
        }
        ErrorKind::TemplateNotFound => {
            let name = in_quotes(expression).unwrap_or(expression);
            let message = format!("there is no template `{name}`");
            let diagnostic = Diagnostic::error(Code::TemplateError, location, message);
            return with_nearest(
                diagnostic,
                name,
                templates.sources.keys().map(String::as_str),
            );
        }
        ErrorKind::OutOfFuel => {
            let message = "this template does more work for one page than any page needs";
            return Diagnostic::error(Code::TemplateLimit, location, message)
                .help("look for a loop in a loop, or for a text that doubles");
        }
        ErrorKind::SyntaxError => {
            if has_open_quote(source.text()) {
                let message = "a text in quotes is not closed in this tag";
                return Diagnostic::error(Code::TemplateSyntax, location, message)
                    .help("close it with the quote that opens it");
            }
            if let Some(found) = unclosed(source.text())
                && is_cause(&found, error, source.text())
            {
                return not_closed(&found, source);
            }
            let message = format!("invalid template: {detail}");
            return Diagnostic::error(Code::TemplateSyntax, location, message).help(
                "write values in {{ … }} and statements in {% … %}, each with its {% end… %}",
            );
        }
        kind if detail.is_empty() => kind.to_string(),
        _ => detail.to_owned(),
    };
    // Functions and filters say behind the message what to write instead.
    let ways = [
        ": write ",
        "; write ",
        "; did you mean ",
        "; term fields are ",
    ];
    let split = ways.iter().find_map(|way| {
        let (message, instead) = message.split_once(way)?;
        Some((message.to_owned(), format!("{}{instead}", &way[2..])))
    });
    let (message, help) =
        split.unwrap_or_else(|| (message, "correct the expression that is marked".to_owned()));
    Diagnostic::error(Code::TemplateError, location, message).help(help)
}

/// Returns the error of a block tag without its end.
fn not_closed(found: &Unclosed<'_>, source: &Source) -> Diagnostic {
    let (span, message, help) = match found {
        Unclosed::AtTheEnd { word, span } => (
            *span,
            format!("`{{% {word} … %}}` is not closed"),
            format!("write `{{% end{word} %}}` where it ends"),
        ),
        Unclosed::ByAnother { word, end, span } => (
            *span,
            format!("`{{% {end} %}}` closes nothing here: `{{% {word} … %}}` is still open"),
            format!("write `{{% end{word} %}}` before it"),
        ),
    };
    Diagnostic::error(Code::TemplateSyntax, source.location(span), message).help(help)
}

/// Returns true if an unclosed block tag is the cause of a syntax error: closing it removes or moves the error.
fn is_cause(found: &Unclosed<'_>, error: &Error, text: &str) -> bool {
    let Unclosed::AtTheEnd { word, .. } = found else {
        return true;
    };
    let closed = format!("{text}{{% end{word} %}}");
    let environment = Environment::new();
    match environment.template_from_str(&closed) {
        Ok(_) => true,
        Err(other) => other.range() != error.range(),
    }
}

/// Returns the template named by a tag `extends "…"` if it extends itself, directly or by other templates.
fn extends_itself<'a>(expression: &'a str, templates: Templates<'_>) -> Option<&'a str> {
    let first = in_quotes(expression.strip_prefix("extends")?)?;
    let extended = |name: &str| extended(templates.sources.get(name)?.text());
    let mut name = first;
    // No chain is longer than there are templates.
    for _ in 0..templates.sources.len() {
        name = extended(name)?;
        if name == first {
            return Some(first);
        }
    }
    None
}

/// Returns the error of templates that extend each other.
fn cycle(name: &str, location: Location) -> Diagnostic {
    let is_built_in = TEMPLATES.iter().any(|known| known.name == name);
    let (message, help) = match is_built_in {
        true => (
            format!(
                "`{name}` extends itself: a template of this name in `templates/` takes the place of the built-in one"
            ),
            format!("extend `theme/{name}`, which is the built-in one"),
        ),
        false => (
            format!("`{name}` extends itself, by other templates or at once"),
            "let the outermost template extend no other".to_owned(),
        ),
    };
    Diagnostic::error(Code::TemplateError, location, message).help(help)
}

fn there_is_no<'a>(
    kind: &str,
    name: &str,
    location: Location,
    known: impl IntoIterator<Item = &'a str>,
) -> Diagnostic {
    let message = format!("there is no {kind} `{name}`");
    let diagnostic = Diagnostic::error(Code::TemplateError, location, message);
    with_nearest(diagnostic, name, known)
}

/// Returns the name that an expression begins with.
fn identifier(expression: &str) -> &str {
    let end = expression.find(|c: char| !c.is_alphanumeric() && c != '_');
    &expression[..end.unwrap_or(expression.len())]
}

/// Returns the first text in quotes in an expression.
fn in_quotes(expression: &str) -> Option<&str> {
    expression.split(['\'', '"']).nth(1)
}

/// Returns the first value in the failed part of which a name is unknown, such as `post.imge`.
fn unknown_value<'a>(failed: &Failed<'a>, templates: Templates<'_>) -> Option<&'a str> {
    let bound = bound_names(failed.source.text());
    let is_unknown = |path: &&str| match path.rsplit_once('.') {
        _ if path.ends_with(']') => false,
        Some((object, name)) => !names_of(object, templates).contains(&name),
        None => !names_of("", templates).contains(path) && !bound.contains(path),
    };
    values(failed).into_iter().find(is_unknown)
}

/// Returns the value that is undefined: the first with an unknown name, else the first with an index, else the first
/// name, which other pages have. The template engine names the value only in a message, and a message is no interface.
fn undefined_value<'a>(failed: &Failed<'a>, templates: Templates<'_>) -> &'a str {
    let values = values(failed);
    let indexed = || values.iter().copied().find(|value| value.ends_with(']'));
    let first = || {
        let first = values.first().copied().unwrap_or(failed.expression);
        first.split('.').next().unwrap_or(first)
    };
    let unknown = unknown_value(failed, templates).or_else(indexed);
    unknown.unwrap_or_else(first)
}

/// Words of expressions and tags that are no values.
const KEYWORDS: [&str; 16] = [
    "and", "or", "not", "in", "is", "if", "else", "true", "false", "none", "extends", "include",
    "import", "ignore", "missing", "defined",
];

/// The names of `loop` between `{% for … %}` and `{% endfor %}`.
const LOOP: [&str; 10] = [
    "index",
    "index0",
    "revindex",
    "revindex0",
    "first",
    "last",
    "length",
    "depth",
    "previtem",
    "nextitem",
];

/// Returns the values that the failed part reads, such as `post.image` and `post.tags[0]`.
fn values<'a>(failed: &Failed<'a>) -> Vec<&'a str> {
    let filters = FILTERS.iter().map(|(name, _)| *name).chain(ENGINE_FILTERS);
    let filters: Vec<&str> = filters.collect();
    let mut values = paths(failed.operand);
    values.extend(paths(failed.expression));
    values.retain(|value| !filters.contains(value) && !KEYWORDS.contains(value));
    values
}

fn with_nearest<'a>(
    diagnostic: Diagnostic,
    name: &str,
    known: impl IntoIterator<Item = &'a str>,
) -> Diagnostic {
    match nearest(name, known) {
        Some(near) => {
            let help = format!("did you mean `{near}`?");
            diagnostic.help(Help::of_word(help, name, near))
        }
        None => {
            diagnostic.help("docs/site/guides/reference/templates.md lists what templates know")
        }
    }
}

/// Returns the names of all functions, and those of all filters, that templates have.
#[must_use]
pub fn template_words() -> (Vec<&'static str>, Vec<&'static str>) {
    let functions = FUNCTIONS.iter().map(|(name, _)| *name);
    let filters = FILTERS.iter().map(|(name, _)| *name);
    (
        functions.chain(ENGINE_FUNCTIONS).collect(),
        filters.chain(ENGINE_FILTERS).collect(),
    )
}

/// Values that have another name now. For the message alone.
const RENAMED: [(&str, &str); 5] = [
    ("page.newer", "page.previous"),
    ("page.older", "page.next"),
    ("site.about", "site.description"),
    ("notice", "empty_text"),
    ("site.related_show", "related_show"),
];

/// Returns the error of a value that is undefined: in `post.imge` the last part, within the names that its object
/// has.
fn undefined(
    shown: &str,
    location: Location,
    post: Option<&str>,
    templates: Templates<'_>,
) -> Diagnostic {
    let (object, name) = shown
        .rsplit_once('.')
        .map_or(("", shown), |(object, name)| (object, name));
    let item = shown
        .strip_suffix(']')
        .and_then(|shown| shown.rsplit_once('['));
    if let Some((list, _)) = item.filter(|(_, at)| at.bytes().all(|b| b.is_ascii_digit())) {
        let of_post = of_post(list, post);
        let message = format!("there is no `{shown}`: the list `{list}`{of_post} is too short");
        return Diagnostic::error(Code::TemplateError, location, message).help(format!(
            "write `{{% if {list} %}}…{{% endif %}}` around it, or loop over it with `{{% for item in {list} %}}`"
        ));
    }
    let known = names_of(object, templates);
    if let Some((_, now)) = RENAMED.iter().find(|(former, _)| *former == shown) {
        let message = format!("there is no `{shown}`");
        let found = Diagnostic::error(Code::TemplateError, location, message);
        return found.help(Help::of_word(
            format!("it is called `{now}` now"),
            shown,
            now,
        ));
    }
    let message = match object {
        _ if item.is_some() => format!("there is no `{shown}`"),
        "" => format!("there is no `{name}` here"),
        "post" => format!("no post has a field `{name}`"),
        _ => format!("`{object}` has no `{name}`"),
    };
    let diagnostic = Diagnostic::error(Code::TemplateError, location, message);
    if let Some(nested) = nested_field(object, name, templates) {
        return diagnostic.help(Help::of_word(
            format!("did you mean `{object}.{nested}`?"),
            name,
            nested,
        ));
    }
    match (object, name) {
        ("", "loop") => diagnostic.help("it is known between {% for … %} and {% endfor %}"),
        ("", name) if known.contains(&name) => diagnostic.help(format!(
            "`{name}` is known on other pages; docs/site/guides/reference/templates.md says on which"
        )),
        _ if item.is_some() => with_nearest(diagnostic, name, None),
        (_, name) => with_nearest(
            diagnostic,
            name,
            known.into_iter().filter(|near| *near != name),
        ),
    }
}

/// The objects that are no posts and no terms, by the names by which templates know them.
const NO_POSTS: [&str; 8] = [
    "",
    "loop",
    "site",
    "page",
    "archive",
    "pager",
    "term",
    "site.words",
];

/// Returns the field within a map of posts whose last part has a name, if the object may be a post.
fn nested_field<'a>(object: &str, name: &str, templates: Templates<'a>) -> Option<&'a str> {
    let catalogue = &templates.site.catalogue;
    let is_post = !NO_POSTS.contains(&object);
    catalogue
        .nested_field(name, &catalogue.every_set())
        .filter(|_| is_post)
}

/// The names that something in scope has, or, where it is no such thing, that posts and terms have.
fn names_of<'a>(object: &str, templates: Templates<'a>) -> Vec<&'a str> {
    let words = tabulae_core::settings::WORDS.iter();
    match object {
        "" => Scope::NAMES.iter().copied().chain(["loop"]).collect(),
        "loop" => LOOP.to_vec(),
        "site" => SiteScope::NAMES.to_vec(),
        "page" => PageScope::NAMES.to_vec(),
        "archive" => ArchiveScope::NAMES.to_vec(),
        "pager" => PagerScope::NAMES.to_vec(),
        "term" => TermScope::NAMES.to_vec(),
        "site.words" => words.map(|(name, ..)| *name).collect(),
        _ => {
            let catalogue = &templates.site.catalogue;
            let tables = catalogue.term_tables().iter();
            let terms = tables.flat_map(|table| [table.field.name.as_str(), table.field.many()]);
            let fields = FIELDS.iter().map(|field| field.name).chain(terms);
            let written = catalogue.field_names(&catalogue.every_set());
            fields
                .chain([CONTENT, TOC])
                .chain(written)
                .chain(TERM_NAMES.iter().copied())
                .collect()
        }
    }
}
