//! Related posts in the workbench: by the present settings, and by others.

use serde_json::{Map, Value, json};
use tabulae_core::catalogue::PostId;
use tabulae_core::related::default_query;
use tabulae_core::settings::Trial;
use tabulae_core::similarity::DEFAULT_WEIGHTS;
use tabulae_core::source::EmbeddedText;
use tabulae_engine::{RelatedOverview, RelatedPost, Workspace};
use tabulae_serve::Request;

use super::{or_errors, post_object};

/// The most lists and posts that are shown of each kind.
const SHOWN: usize = 20;

/// Returns the present values of `[related]`, with a weight for each field that can have one.
pub(super) fn present(site: &Workspace) -> Value {
    let (Ok(catalogue), Ok(settings)) = (site.catalogue(), site.settings()) else {
        return Value::Null;
    };
    let related = settings.related.as_ref();
    let given = related
        .map(|related| &related.weigh)
        .filter(|weigh| !weigh.is_empty());
    let weight = |name: &str| match given {
        Some(given) => given
            .iter()
            .find(|(known, _)| known.node == name)
            .map_or(0.0, |(_, weight)| *weight),
        None => DEFAULT_WEIGHTS
            .iter()
            .find(|(known, _)| *known == name)
            .map_or(0.0, |(_, weight)| *weight),
    };
    let terms = catalogue
        .term_tables()
        .iter()
        .map(|table| table.field.name.as_str());
    let weigh = terms
        .chain(["title", "body"])
        .map(|name| json!([name, weight(name)]));
    let require = related.map(|related| {
        related
            .require
            .iter()
            .map(|name| &name.node)
            .collect::<Vec<_>>()
    });
    let query = related.and_then(|related| related.query.clone());
    let query = query.unwrap_or_else(|| default_query(settings));
    let fill = related.and_then(|related| related.fill.as_ref());
    json!({
        "is_set": related.is_some(),
        "weigh": weigh.collect::<Value>(),
        "require": require.unwrap_or_default(),
        "query": query.text(),
        "fill": fill.map_or("", EmbeddedText::text),
    })
}

/// Returns the changes of `[related]` that a request tries: the lines of `try`.
fn trials(request: &Request) -> Vec<Trial> {
    let lines = request.parameter("try").unwrap_or_default();
    let lines = lines.lines().filter(|line| !line.trim().is_empty());
    lines.map(|line| Trial::Key(line.to_owned())).collect()
}

/// Returns the related posts of a post now and by other settings, and the table that gives those.
pub(super) fn list(site: &Workspace, request: &Request) -> Value {
    let trials = trials(request);
    let post = request.parameter("post").unwrap_or_default();
    let found = site.related(post.trim()).and_then(|now| {
        let then = site.try_related_of(post.trim(), &trials)?;
        let table = site.related_text(&trials)?;
        let this = site.post(post.trim())?;
        Ok(json!({
            "post": post_object(this),
            "now": related_objects(&now),
            "then": related_objects(&then),
            "table": table,
        }))
    });
    or_errors(found)
}

fn related_objects(posts: &[RelatedPost<'_>]) -> Value {
    let objects = posts.iter().map(|related| {
        let mut object = post_object(related.post);
        let shared = related.shared.iter().filter(|shared| shared.part > 0);
        let shared: Map<String, Value> = shared
            .map(|shared| (shared.field.clone(), json!(shared.terms)))
            .collect();
        object["likeness"] = json!(related.score());
        object["shared"] = json!(shared);
        object["pinned"] = json!(related.is_pinned);
        object
    });
    objects.collect()
}

/// Returns the figures of the whole blog now and by other settings, and the lists that change.
pub(super) fn figures(site: &Workspace, request: &Request) -> Value {
    let found = site.related_overview().and_then(|now| {
        let then = site.try_related(&trials(request))?;
        let changes = now.changes_to(&then);
        let list = |posts: &Option<Vec<PostId>>| {
            let posts = posts.iter().flatten();
            posts.map(|id| now.post(*id).title()).collect::<Vec<_>>()
        };
        let shown = changes.iter().take(SHOWN).map(|change| {
            json!({
                "path": now.post(change.post).path(),
                "title": now.post(change.post).title(),
                "now": list(&change.now),
                "then": list(&change.then),
            })
        });
        let in_order = changes.iter().filter(|change| change.is_order_alone());
        Ok(json!({
            "now": overview(&now),
            "then": overview(&then),
            "changed": changes.len(),
            "changed_in_order": in_order.count(),
            "changes": shown.collect::<Value>(),
        }))
    });
    or_errors(found)
}

fn overview(of: &RelatedOverview<'_>) -> Value {
    let figures = &of.figures;
    let never = figures.never.iter().take(SHOWN);
    let never =
        never.map(|id| json!({ "path": of.post(*id).path(), "title": of.post(*id).title() }));
    json!({
        "lists": figures.lists,
        "empty": figures.empty,
        "filled": figures.filled,
        "all_fill": figures.all_fill,
        "one_sided": figures.one_sided,
        "never": figures.never.len(),
        "never_posts": never.collect::<Value>(),
    })
}
