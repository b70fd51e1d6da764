//! Queries in the workbench.

use std::time::Instant;

use serde_json::{Map, Value, json};
use tabulae_core::query::clause::{Clause, with_clause};
use tabulae_core::query::{Query, Written};
use tabulae_engine::{Error, PostRef, Posts, QueryPage, Workspace};
use tabulae_serve::Request;

use super::{diagnostics, or_errors, page_of, post_object, typed};
use crate::snippets::FORMS;

/// The most posts that are shown.
const SHOWN: usize = 50;

/// The most choices of a completion.
const CHOICES: usize = 12;

/// Runs a query: its posts, what each condition leaves, how it is run, and its forms for a site.
pub(super) fn answer(site: &Workspace, request: &Request) -> Value {
    let parameter = |name: &str| request.parameter(name).unwrap_or_default();
    let (text, this, language) = (parameter("q"), parameter("this"), parameter("language"));
    let page = page_of(&this, &language);
    let found = run(site, &text, page, &parameter("by"));
    or_errors(found)
}

fn run(site: &Workspace, text: &str, page: QueryPage<'_>, by: &str) -> Result<Value, Error> {
    let query = Query::parse(&typed(text))?;
    site.read_ahead(text);
    let began = Instant::now();
    let posts = site.query_on(query.clone(), page)?;
    let took = began.elapsed().as_secs_f64() * 1e3;
    let chain = site.chain(&posts, page)?;
    let links = chain.links.iter().map(
        |link| json!({ "condition": link.condition, "posts": link.posts, "alone": link.alone }),
    );
    let forms = FORMS
        .iter()
        .map(|(name, title, form)| json!({ "name": name, "title": title, "text": form(&query) }));
    let shown = posts.iter().take(SHOWN).map(|post| {
        let mut object = post_object(post);
        object["terms"] = terms(site, post);
        if let Some(score) = posts.likeness(post).filter(|_| posts.is_on_page()) {
            object["likeness"] = json!(score.ratio());
        }
        object
    });
    let mut object = json!({
        "total": posts.total(),
        "found": posts.len(),
        "posts": shown.collect::<Value>(),
        "chain": {
            "from": if chain.from.is_empty() { "all posts".to_owned() } else { chain.from.join(", ") },
            "posts": chain.posts,
            "links": links.collect::<Value>(),
        },
        "clauses": clauses(&query),
        "access_path": posts.access_path(),
        "milliseconds": took,
        "forms": forms.collect::<Value>(),
        "diagnostics": diagnostics(posts.warnings()),
    });
    if !by.is_empty() {
        object["counts"] = counts(&posts, by);
    }
    Ok(object)
}

/// Returns the texts of the clauses that pickers show; `from` only if it is a single name.
fn clauses(query: &Query<Written>) -> Value {
    let statement = query.statement();
    let order = statement.order.iter().map(|key| key.node.to_string());
    json!({
        "from": match &statement.from[..] {
            [name] => name.node.as_str(),
            _ => "",
        },
        "order": order.collect::<Vec<_>>().join(", "),
        "limit": statement.limit,
    })
}

/// Returns the terms of a post by field.
fn terms(site: &Workspace, post: PostRef<'_>) -> Value {
    let tables = site.catalogue().map(|catalogue| catalogue.term_tables());
    let fields = tables.unwrap_or_default().iter();
    let terms = fields.map(|table| {
        (
            table.field.name.clone(),
            json!(post.terms(&table.field.name)),
        )
    });
    terms.collect::<Map<_, _>>().into()
}

/// Counts the posts by a field.
fn counts(posts: &Posts<'_>, by: &str) -> Value {
    match posts.count_by(by) {
        Ok(counts) => counts
            .into_iter()
            .map(|(name, _, count)| json!([name, count]))
            .collect(),
        Err(error) => json!({ "diagnostics": diagnostics(error.diagnostics()) }),
    }
}

/// Returns what can be typed at `at`, a number of UTF-16 units as scripts count them, with the units of the word that it
/// takes the place of.
pub(super) fn choices(site: &Workspace, request: &Request) -> Value {
    let text = request.parameter("q").unwrap_or_default();
    let at = request.parameter("at").and_then(|at| at.parse().ok());
    let at = byte_of(&text, at.unwrap_or(usize::MAX));
    let (word, choices) = site.choices(&text, at);
    let part = &text[word.start..at.clamp(word.start, word.end)];
    let fitting = choices.into_iter().filter(|choice| choice.fits(part));
    // A word that begins as typed is likelier than one that has it inside.
    let (begin, within): (Vec<_>, Vec<_>) = fitting.partition(|choice| {
        let label = choice.label.to_lowercase();
        label.starts_with(&part.to_lowercase())
    });
    let choices = begin.into_iter().chain(within).take(CHOICES).map(|choice| {
        json!({
            "label": choice.label,
            "text": choice.text,
            "kind": choice.kind.name(),
            "detail": choice.detail,
            "about": choice.about,
        })
    });
    json!({
        "start": units(&text[..word.start]),
        "end": units(&text[..word.end]),
        "choices": choices.collect::<Value>(),
    })
}

fn units(text: &str) -> usize {
    text.encode_utf16().count()
}

/// Returns the byte at a number of UTF-16 units; the end if there are fewer.
fn byte_of(text: &str, units: usize) -> usize {
    let mut before = 0;
    for (at, c) in text.char_indices() {
        if before >= units {
            return at;
        }
        before += c.len_utf16();
    }
    text.len()
}

/// Returns a query with a clause at its place.
pub(super) fn clause(request: &Request) -> Value {
    let parameter = |name: &str| request.parameter(name).unwrap_or_default();
    let text = parameter("q");
    let clause = Clause::of(&parameter("clause"));
    let Some(clause) = clause else {
        return json!({ "q": text });
    };
    let changed = with_clause(&text, clause, parameter("text").trim());
    or_errors(changed.map(|q| json!({ "q": q })).map_err(Error::from))
}

/// Explains why a query finds or does not find a post.
pub(super) fn why(site: &Workspace, request: &Request) -> Value {
    let parameter = |name: &str| request.parameter(name).unwrap_or_default();
    let (text, this, language) = (parameter("q"), parameter("this"), parameter("language"));
    let query = Query::parse(&typed(&text)).map_err(Error::from);
    let post = parameter("post");
    let found = query.and_then(|query| {
        let found = site.why_not(query, page_of(&this, &language), post.trim())?;
        let title = site.post(post.trim())?.title().to_owned();
        Ok(json!({ "found": found.is_member, "reason": found.reason, "title": title }))
    });
    or_errors(found)
}

#[cfg(test)]
mod tests {
    use super::*;
    use rstest::rstest;

    #[rstest]
    #[case::start("a😀b", 0, 0)]
    #[case::one("a😀b", 1, 1)]
    #[case::behind_two_units("a😀b", 3, 5)]
    #[case::within_two_units("a😀b", 2, 5)]
    #[case::beyond("aö", 9, 3)]
    fn units_of_a_script_are_bytes(#[case] text: &str, #[case] units: usize, #[case] byte: usize) {
        assert_eq!(byte_of(text, units), byte);
    }
}
