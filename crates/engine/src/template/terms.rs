//! The function `terms` of templates: the terms of a field, with counts.

use std::cmp::Ordering;
use std::sync::Arc;

use minijinja::value::Kwargs;
use minijinja::{Error, State, Value};
use tabulae_core::archive::by_terms;
use tabulae_core::catalogue::PostId;
use tabulae_core::id::LocaleId;
use tabulae_core::settings::OverviewOrder;
use tabulae_core::term::TermId;

use super::arguments::{named, number, wrong};
use super::context::RenderContext;
use super::data::RenderData;
use super::objects::TermObject;
use super::queries::query;
use crate::incremental::{Key, Listing};
use crate::site::did_you_mean;

/// The terms of a field that listed posts have, or the posts of a query.
pub(super) fn terms(
    context: &Arc<RenderContext>,
    state: &State<'_, '_>,
    name: &str,
    options: &Kwargs,
) -> Result<Value, Error> {
    let data = &context.data;
    let field = field(data, name)?;
    let (listing, given) = listing((name, context.locale), options)?;
    context.track_key(Key::Terms(Box::new(listing.clone())));
    // Also for a list that is known: the query is reported on in each template that has it.
    let posts = match &listing.query {
        Some(text) => Some(query(context, state.name(), text, &given)?),
        None => None,
    };
    if given.is_empty()
        && let Some(known) = context.local().term_lists.get(&listing)
    {
        return Ok(term_list(context, field, &known));
    }
    let posts = posts.as_deref();
    let terms = data.listed_terms((field, context.locale), listing.order, listing.limit, posts);
    let terms: Arc<[_]> = terms.into();
    let list = term_list(context, field, &terms);
    let same_everywhere = |text: &String| context.local().has_answer(text);
    if given.is_empty() && listing.query.as_ref().is_none_or(same_everywhere) {
        context.local().term_lists.insert(listing, terms);
    }
    Ok(list)
}

/// Returns terms with counts as a value.
pub(crate) fn term_list(
    context: &Arc<RenderContext>,
    field: usize,
    terms: &[(TermId, usize)],
) -> Value {
    let terms = terms.iter();
    Value::from_iter(terms.map(|(id, count)| TermObject::counted(context, field, *id, *count)))
}

/// The number of the term field of this name.
fn field(data: &RenderData, name: &str) -> Result<usize, Error> {
    let catalogue = &data.site.catalogue;
    catalogue.term_field(name).ok_or_else(|| {
        let known = catalogue.term_tables().iter();
        let known: Vec<&str> = known.map(|table| table.field.name.as_str()).collect();
        let near = did_you_mean(name, known.iter().copied())
            .unwrap_or_else(|| format!("term fields are {}", known.join(", ")));
        wrong(format!("`{name}` is not a term field; {near}"))
    })
}

/// The options of `terms`; all others are parameters of its query.
const OPTIONS: [&str; 3] = ["order", "limit", "query"];

/// The arguments for a query, by name.
type Given<'a> = Vec<(&'a str, Value)>;

/// Returns the list that is asked for, and the parameters of its query.
fn listing<'a>(
    (field, locale): (&str, LocaleId),
    options: &'a Kwargs,
) -> Result<(Listing, Given<'a>), Error> {
    let mut given = named(options)?;
    given.retain(|(name, _)| !OPTIONS.contains(name));
    let order: Option<&str> = options.get("order")?;
    let limit: Option<Value> = options.get("limit")?;
    let limit = limit.map(|limit| number(&limit, 0..=usize::MAX));
    let query: Option<String> = options.get("query")?;
    if query.is_none()
        && let Some((name, _)) = given.first()
    {
        let near = did_you_mean(name, OPTIONS);
        let near = near.unwrap_or_else(|| format!("it takes {}", OPTIONS.join(", ")));
        return Err(wrong(format!("`terms` has no option `{name}`; {near}")));
    }
    let listing = Listing {
        locale,
        field: field.to_owned(),
        order: order.map(order_of).transpose()?.unwrap_or_default(),
        limit: limit.transpose()?,
        query,
    };
    Ok((listing, given))
}

fn order_of(name: &str) -> Result<OverviewOrder, Error> {
    OverviewOrder::named(name).ok_or_else(|| {
        wrong(format!(
            "terms cannot be ordered by \"{name}\"; write \"name\", \"count\" or \"newest\""
        ))
    })
}

impl RenderData {
    /// Returns the terms of a field that the listed posts of a language have, or some posts, with their counts; in
    /// the order of the language.
    pub(crate) fn listed_terms(
        &self,
        (field, locale): (usize, LocaleId),
        order: OverviewOrder,
        limit: Option<usize>,
        posts: Option<&[PostId]>,
    ) -> Vec<(TermId, usize)> {
        let catalogue = &self.site.catalogue;
        let table = catalogue.terms(field);
        let mut lists: Vec<(TermId, usize, Option<PostId>)> = match posts {
            None => {
                let terms = table.terms.iter().enumerate();
                terms
                    .map(|(at, term)| {
                        let (count, newest) = catalogue.within(locale).posts_of(term);
                        (id_at(at), count, newest)
                    })
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
        let name = |id: TermId| table.term(id).name_in(locale);
        lists.sort_by(|a, b| {
            let first = match order {
                OverviewOrder::Name => Ordering::Equal,
                OverviewOrder::Count => b.1.cmp(&a.1),
                OverviewOrder::Newest => a.2.cmp(&b.2),
            };
            first.then_with(|| catalogue.language(locale).sort(name(a.0), name(b.0)))
        });
        lists.truncate(limit.unwrap_or(usize::MAX));
        lists
            .into_iter()
            .map(|(id, count, _)| (id, count))
            .collect()
    }
}

fn id_at(at: usize) -> TermId {
    TermId(u32::try_from(at).unwrap_or(u32::MAX))
}
