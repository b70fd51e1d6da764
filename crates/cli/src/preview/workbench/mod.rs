//! The workbench at `/~tabulae/`: queries, related posts and terms of the site, tried without a build.
//!
//! A page with a script asks for JSON below `/~tabulae/data/`. Nothing is written.

mod query;
mod related;

use std::collections::BTreeMap;
use std::sync::{Arc, Mutex, PoisonError};

use serde_json::{Value, json};
use tabulae_core::diagnostic::{Diagnostic, by_location};
use tabulae_core::settings::FILE;
use tabulae_core::source::{EmbeddedText, Source, Span};
use tabulae_engine::{Error, PageList, PostRef, QueryPage, Workspace};
use tabulae_serve::{Body, Request, Response};

use super::Preview;
use crate::objects::{Explained, terms_object};
use crate::ui;

const PAGE: &str = include_str!("page.html");
const STYLE: &str = include_str!("workbench.css");
const SCRIPT: &str = include_str!("workbench.js");

/// The most posts that a chooser offers.
const OFFERED: usize = 12;

/// The site as the workbench last read it, after which build.
#[derive(Debug, Default)]
pub(super) struct Workbench(Mutex<Option<(u64, Arc<Workspace>)>>);

impl Workbench {
    /// Returns the site as its files are since the last build began; reads only files that changed since it was last read.
    fn site(&self, preview: &Preview) -> Arc<Workspace> {
        let mut known = self.0.lock().unwrap_or_else(PoisonError::into_inner);
        let builds = preview.builds();
        if let Some((read, site)) = &*known
            && *read == builds
        {
            return Arc::clone(site);
        }
        let earlier = known.as_ref().map(|(_, site)| Arc::clone(site));
        let now = preview.args.workspace();
        let site = now.with_texts(BTreeMap::new(), earlier.as_deref(), None);
        let site = Arc::new(site);
        *known = Some((builds, Arc::clone(&site)));
        // Dropped in the background: freeing thousands of posts takes a while.
        std::thread::spawn(move || drop(earlier));
        site
    }
}

/// Answers a request below `/~tabulae/`; `None` for a path that the workbench does not have.
pub(super) fn answer(preview: &Preview, request: &Request) -> Option<Response> {
    let text = |kind: &str, text: &str| {
        let body = Body::Bytes(text.as_bytes().to_vec());
        Some(Response::new(200, kind, body))
    };
    match request.path.strip_prefix("/~tabulae/")? {
        "" => Some(Response::html(200, PAGE.to_owned())),
        "workbench.css" => text("text/css; charset=utf-8", STYLE),
        "workbench.js" => text("text/javascript; charset=utf-8", SCRIPT),
        path => {
            let object = object(preview, request, path.strip_prefix("data/")?)?;
            text("application/json", &object.to_string())
        }
    }
}

/// Returns the answer to a question of the script; `None` for an unknown one.
fn object(preview: &Preview, request: &Request, question: &str) -> Option<Value> {
    let parameter = |name: &str| request.parameter(name).unwrap_or_default();
    let post = parameter("post");
    if question == "lists" {
        return Some(lists(preview, &parameter("path")));
    }
    let known = preview.workbench.site(preview);
    let site = &*known;
    if question == "choices" {
        // While a condition is typed, what it will read is computed.
        let (site, query) = (Arc::clone(&known), parameter("q"));
        std::thread::spawn(move || site.read_ahead(&query));
    }
    Some(match question {
        "site" => about(preview, site),
        "query" => query::answer(site, request),
        "choices" => query::choices(site, request),
        "clause" => query::clause(request),
        "why" => query::why(site, request),
        "posts" => offered(site, &parameter("typed")),
        "post" => or_errors(Explained::of(site, &post, None).map(|found| found.object(None))),
        "terms" => or_errors(site.terms(None).map(|found| terms_object(&found))),
        "related" => related::list(site, request),
        "figures" => related::figures(site, request),
        _ => return None,
    })
}

/// Returns an answer, or the diagnostics instead of it.
fn or_errors(answer: Result<Value, Error>) -> Value {
    answer.unwrap_or_else(|error| json!({ "diagnostics": diagnostics(error.diagnostics()) }))
}

/// Returns diagnostics in the order of their places, each with the number of characters that it is about.
fn diagnostics(found: &[Diagnostic]) -> Value {
    let found = by_location(found).into_iter();
    let objects = found.map(|found| {
        let mut object = ui::diagnostic_json(found);
        object["width"] = json!(found.location.width);
        object
    });
    objects.collect()
}

/// Returns a query that was typed, whose diagnostics have edits.
fn typed(text: &str) -> EmbeddedText {
    EmbeddedText::new(text, &Source::new("query", text), Span::new(0, text.len()))
}

/// Returns the page that a request names by `this` or `language`.
fn page_of<'a>(this: &'a str, language: &'a str) -> QueryPage<'a> {
    match (this.trim(), language.trim()) {
        ("", "") => QueryPage::None,
        ("", language) => QueryPage::InLanguage(language),
        (this, _) => QueryPage::Post(this),
    }
}

/// Returns what the pickers offer: sets, named queries, fields and terms.
fn about(preview: &Preview, site: &Workspace) -> Value {
    let known = site
        .catalogue()
        .and_then(|catalogue| Ok((catalogue, site.settings()?)));
    let (catalogue, settings) = match known {
        Ok(known) => known,
        Err(error) => return json!({ "diagnostics": diagnostics(error.diagnostics()) }),
    };
    let fields = site.field_choices().into_iter();
    let fields = fields.map(|field| json!({ "name": field.label, "about": field.about }));
    let tables = catalogue.term_tables().iter().enumerate();
    let terms = tables.map(|(number, table)| {
        let terms = site.term_choices(number).into_iter();
        let terms = terms.map(|term| json!([term.label, term.detail]));
        (table.field.name.clone(), terms.collect::<Value>())
    });
    let tags: Vec<&str> = settings.locales.tags().collect();
    json!({
        "title": settings.site.title,
        "base": preview.base(),
        "sets": settings.content.iter().map(|set| &set.name).collect::<Vec<_>>(),
        "queries": settings.queries.iter().map(|(name, _)| &name.node).collect::<Vec<_>>(),
        "fields": fields.collect::<Value>(),
        "terms": terms.collect::<serde_json::Map<_, _>>(),
        "languages": if tags.len() > 1 { tags } else { Vec::new() },
        "related": related::present(site),
    })
}

/// Returns the posts whose title or path has a text, in the default order.
fn offered(site: &Workspace, typed: &str) -> Value {
    let typed = typed.trim().to_lowercase();
    let Ok(catalogue) = site.catalogue() else {
        return json!([]);
    };
    let posts = catalogue.all().map(|id| catalogue.post(id));
    let fits = posts.filter(|post| {
        post.title.to_lowercase().contains(&typed) || post.path.to_lowercase().contains(&typed)
    });
    let posts = fits.take(OFFERED);
    posts
        .map(|post| json!({ "path": post.path, "title": &*post.title }))
        .collect()
}

/// Returns the lists of a page of the preview.
fn lists(preview: &Preview, path: &str) -> Value {
    let base = preview.base();
    let below = path.strip_prefix(&base).unwrap_or(path);
    let session = preview.session.lock();
    let found = session
        .unwrap_or_else(PoisonError::into_inner)
        .page_lists(below);
    let Some(found) = found else {
        return json!({ "lists": [] });
    };
    let lists = found.lists.iter().map(list_object);
    json!({
        "this": found.this,
        "language": found.language,
        "lists": lists.collect::<Value>(),
    })
}

fn list_object(list: &PageList) -> Value {
    let location = &list.location;
    let file = location.file.as_deref().unwrap_or(FILE);
    json!({
        "kind": list.kind.name(),
        "name": list.name,
        "place": format!("{file}:{}:{}", location.line, location.column),
        "query": list.query,
        "links": list.links,
    })
}

/// Returns a post as a row of the workbench.
fn post_object(post: PostRef<'_>) -> Value {
    json!({
        "path": post.path(),
        "title": post.title(),
        "href": post.href(),
        "date": post.date().zoned().map(|date| date.day.to_string()),
        "state": post.state().name(),
        "summary": post.summary(),
    })
}
