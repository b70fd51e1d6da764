//! Answers as JSON objects, for standard output and for the workbench.

use jiff::civil::Date;
use serde_json::{Map, Value, json};
use tabulae_core::similarity::Score;
use tabulae_engine::{Error, Explanation, FieldTerms, Membership, PostRef, RelatedPost, Workspace};

/// Everything about one post.
pub(crate) struct Explained<'a> {
    pub(crate) post: PostRef<'a>,
    pub(crate) explanation: Explanation,
    pub(crate) related: Vec<RelatedPost<'a>>,
    pub(crate) membership: Option<Membership>,
}

impl<'a> Explained<'a> {
    pub(crate) fn of(
        site: &'a Workspace,
        path: &str,
        archive: Option<&str>,
    ) -> Result<Self, Error> {
        let membership = archive.map(|archive| site.membership(path, archive));
        Ok(Self {
            post: site.post(path)?,
            explanation: site.explain(path)?,
            related: site.related(path)?,
            membership: membership.transpose()?,
        })
    }

    /// Returns it as an object; with `archive` also whether that has the post.
    pub(crate) fn object(&self, archive: Option<&str>) -> Value {
        let Self {
            post,
            explanation,
            related,
            membership,
            ..
        } = self;
        let fields = explanation.fields.iter();
        let values: Map<String, Value> = fields
            .clone()
            .map(|field| (field.name.clone(), json!(field.value)))
            .collect();
        let sources: Map<String, Value> = fields
            .map(|field| (field.name.clone(), json!(field.from)))
            .collect();
        let lists = explanation.lists.iter().map(|list| {
        json!({ "archive": list.archive, "term": list.term, "page": list.page, "link": list.link })
    });
        let translations = explanation.translations.iter();
        let translations =
            translations.map(|(language, path)| json!({ "language": language, "path": path }));
        let related = related.iter().map(|related| {
            let parts = related.shared.iter();
            let parts: Map<String, Value> = parts
                .map(|part| (part.field.clone(), json!(number(part.part))))
                .collect();
            let shared = related.shared.iter().filter(|part| !part.terms.is_empty());
            let shared: Map<String, Value> = shared
                .map(|part| (part.field.clone(), json!(part.terms)))
                .collect();
            json!({
                "path": related.post.path(),
                "likeness": related.score(),
                "parts": parts,
                "shared": shared,
                "pinned": related.is_pinned,
            })
        });
        let mut object = json!({
            "path": post.path(),
            "link": post.link(),
            "state": explanation.state.name(),
            "reasons": explanation.reasons,
            "fields": values,
            "sources": sources,
            "lists": lists.collect::<Value>(),
            "translations": translations.collect::<Value>(),
            "related": related.collect::<Value>(),
        });
        if let (Some(membership), Some(archive)) = (membership, archive) {
            object["in"] = json!({
                "archive": archive,
                "there": membership.is_member,
                "reason": membership.reason,
            });
        }
        object
    }
}

/// A likeness from 0 to 1.
fn number(likeness: u32) -> f64 {
    Score::from_units(likeness).ratio()
}

/// Returns the terms of fields, and those that are probably one.
pub(crate) fn terms_object(found: &[FieldTerms<'_>]) -> Value {
    let day = |day: Option<Date>| day.map(|day| day.to_string());
    let fields = found.iter().map(|field| {
        let terms = field.terms.iter().map(|used| {
            let spellings = used.term.spellings.iter().map(|(spelling, _)| spelling);
            json!({
                "term": used.term.name,
                "slug": used.term.slug,
                "count": used.term.posts.len(),
                "first": day(used.first),
                "last": day(used.last),
                "spellings": spellings.collect::<Vec<_>>(),
            })
        });
        (field.field.to_owned(), terms.collect::<Value>())
    });
    let joins = found.iter().flat_map(|field| {
        field.joins.iter().map(|join| {
            let others = join.others.iter().map(|(term, how)| {
                json!({ "term": term.name, "count": term.posts.len(), "differs_by": how.about() })
            });
            json!({
                "field": field.field,
                "keep": join.keep.name,
                "count": join.keep.posts.len(),
                "others": others.collect::<Value>(),
                "note": join.note.path,
                "text": join.note.text,
            })
        })
    });
    json!({ "fields": fields.collect::<Map<_, _>>(), "near_duplicates": joins.collect::<Value>() })
}
