//! Explanations of a post: its state and why, its fields and where they come from, and its lists.

use tabulae_core::archive;
use tabulae_core::catalogue::PostId;
use tabulae_core::diagnostic::{Code, Diagnostic};
use tabulae_core::post::{Post, State, title_of_name};
use tabulae_core::query::fields::{DerivedField, fields_of};
use tabulae_core::query::{Query, Scope, Written};
use tabulae_core::source::{EmbeddedText, Location};
use tabulae_core::value::Value;

use crate::plan::Plan;
use crate::site::Site;

/// An explanation of a post.
#[derive(Debug)]
pub struct Explanation {
    /// The state of the post.
    pub state: State,
    /// The reasons for the state.
    pub reasons: Vec<String>,
    /// The derived fields in the order of their table, then its own.
    pub fields: Vec<Field>,
    /// The lists that have it.
    pub lists: Vec<Listed>,
    /// The translations into other languages: tag and path of each.
    pub translations: Vec<(String, String)>,
}

/// A field with its value and origin.
#[derive(Debug, PartialEq)]
pub struct Field {
    /// The name.
    pub name: String,
    /// The value as text.
    pub value: String,
    /// The origin: `posts/a.md:2:8`, or in words.
    pub from: String,
}

/// A page of a list that has the post.
#[derive(Debug, PartialEq, Eq)]
pub struct Listed {
    /// The archive's name.
    pub archive: String,
    /// The term, where the archive is split.
    pub term: Option<String>,
    /// The page's number, from 1.
    pub page: usize,
    /// The page's address from the site's root.
    pub link: String,
}

/// The membership of a post in an archive.
#[derive(Debug, PartialEq, Eq)]
pub struct Membership {
    /// Set if the archive has the post.
    pub is_member: bool,
    /// The reason.
    pub reason: String,
}

/// Explains a post.
#[must_use]
pub(crate) fn explain(site: &Site, plan: &Plan, id: PostId) -> Explanation {
    Explanation {
        state: site.catalogue.post(id).state(),
        reasons: reasons(site, id),
        fields: fields(site, id),
        lists: lists(site, plan, id),
        translations: translations(site, id),
    }
}

fn translations(site: &Site, id: PostId) -> Vec<(String, String)> {
    let translations = site.catalogue.translations(id);
    let named = translations.map(|id| {
        let post = site.catalogue.post(id);
        (site.locale(post.locale).tag.clone(), post.path.clone())
    });
    named.collect()
}

fn reasons(site: &Site, id: PostId) -> Vec<String> {
    let post = site.catalogue.post(id);
    let at = |name: &str| {
        let location = post.location_of(name);
        match post.front.get(name) {
            Some(_) => format!(" ({}:{})", post.path, location.line),
            None => String::new(),
        }
    };
    let now = site.moment.now.to_zoned_datetime(site.moment.zone.clone());
    let now = now.datetime().strftime("%Y-%m-%d %H:%M");
    let reason = |state| match state {
        State::Live => "no key excludes it".to_owned(),
        State::Draft => match &site.settings.content[post.set] {
            set if set.draft => format!("every post of `{}` is a draft", set.name),
            _ => format!("`draft: true`{}", at("draft")),
        },
        State::Scheduled => {
            let date = post.date.map(|date| date.iso()).unwrap_or_default();
            format!("its date {date} is after now, {now}{}", at("date"))
        }
        State::Expired => {
            let expires = post.expires.map(|date| date.iso()).unwrap_or_default();
            format!("it expired at {expires}, and now is {now}{}", at("expires"))
        }
        State::Unlisted => format!(
            "`unlisted: true`{}: it has a page and is in no list",
            at("unlisted")
        ),
    };
    if post.state() == State::Live {
        return vec![reason(State::Live)];
    }
    let mut reasons: Vec<String> = post.exclusion.states().map(reason).collect();
    if site.catalogue.is_listed(id) {
        reasons.push("`--include` lets it in".to_owned());
    }
    reasons
}

fn fields(site: &Site, id: PostId) -> Vec<Field> {
    let mut fields: Vec<Field> = fields_of(&site.catalogue)
        .filter_map(|known| {
            Some(Field {
                name: known.name.to_owned(),
                value: derived(site, id, known.field)?,
                from: written_at(site, id, known.name)
                    .unwrap_or_else(|| derived_from(known.field, site.catalogue.post(id))),
            })
        })
        .collect();
    fields.extend(terms(site, id));
    let post = site.catalogue.post(id);
    for entry in &post.front.entries {
        let name = &entry.key.node;
        let is_known = fields.iter().any(|field| field.name == *name);
        if !is_known && site.catalogue.term_field(name).is_none() {
            fields.push(Field {
                name: name.clone(),
                value: written(&entry.value.node),
                from: shown(&post.source.location(entry.value.span)),
            });
        }
    }
    fields
}

/// The term fields of which the post has terms.
fn terms(site: &Site, id: PostId) -> impl Iterator<Item = Field> {
    let tables = site.catalogue.term_tables().iter().enumerate();
    tables.filter_map(move |(number, table)| {
        let terms = site.catalogue.terms_of(id, number).iter();
        let locale = site.locale_of(id);
        let names: Vec<&str> = terms
            .map(|term| table.term(*term).name_in(locale))
            .collect();
        let (one, many) = (&table.field.name, table.field.many());
        let from = written_at(site, id, one).or_else(|| entry_at(site.catalogue.post(id), many));
        (!names.is_empty()).then(|| Field {
            name: one.clone(),
            value: names.join(", "),
            from: from.unwrap_or_else(|| "derived".to_owned()),
        })
    })
}

/// Returns the place in the front matter of a field, by any of its names in the post's content set.
fn written_at(site: &Site, id: PostId, field: &str) -> Option<String> {
    let post = site.catalogue.post(id);
    let mut renamed = site.settings.content[post.set].fields.iter();
    match renamed.find(|(known, _)| known == field) {
        Some((_, names)) => names.iter().find_map(|name| entry_at(post, &name.node)),
        None => entry_at(post, field),
    }
}

/// Returns the place of a front matter key whose value is not empty.
fn entry_at(post: &Post, name: &str) -> Option<String> {
    let value = post.front.at(name)?;
    (!value.node.is_missing()).then(|| shown(&post.source.location(value.span)))
}

/// Returns the origin of a field that the front matter does not give.
fn derived_from(field: DerivedField, post: &Post) -> String {
    let from = match field {
        DerivedField::Title if title_of_name(&post.slug) == *post.title => "the file's name",
        DerivedField::Title => "the first heading, or the file's name",
        DerivedField::Date | DerivedField::Slug => "the file's name",
        DerivedField::Updated => "its date",
        DerivedField::Summary | DerivedField::Words | DerivedField::Minutes => "its text",
        DerivedField::Link => "the link pattern of its content set",
        DerivedField::Year | DerivedField::Month | DerivedField::Day => {
            "its date, in the site's time zone"
        }
        DerivedField::Path | DerivedField::Folder => "where the file is",
        _ => "derived",
    };
    from.to_owned()
}

/// Returns a derived field; `None` if the post lacks it, and for text and states, which are shown apart.
fn derived(site: &Site, id: PostId, field: DerivedField) -> Option<String> {
    let post = site.catalogue.post(id);
    let day = post.date.map(|date| date.day);
    Some(match field {
        DerivedField::Title => post.title.to_string(),
        DerivedField::Link => site.catalogue.link(id).encoded.clone(),
        DerivedField::Slug => post.slug.clone(),
        DerivedField::Path => post.path.clone(),
        DerivedField::Folder if !post.folder.is_empty() => post.folder.clone(),
        DerivedField::Set => site.catalogue.sets()[post.set].clone(),
        DerivedField::Language => site.locale(post.locale).tag.clone(),
        DerivedField::Date => post.date?.iso(),
        DerivedField::Updated => post.updated?.iso(),
        DerivedField::Year => day?.year().to_string(),
        DerivedField::Month => day?.month().to_string(),
        DerivedField::Day => day?.day().to_string(),
        DerivedField::Summary => post.summary.as_deref()?.to_owned(),
        DerivedField::Image => post.image.clone()?,
        DerivedField::Words => post.words().to_string(),
        DerivedField::Minutes => post.minutes().to_string(),
        _ => return None,
    })
}

fn written(value: &Value) -> String {
    match value {
        Value::List(items) => {
            let items: Vec<String> = items.iter().map(|item| written(&item.node)).collect();
            items.join(", ")
        }
        Value::Map(map) => {
            let entries = map.entries.iter();
            let entries: Vec<String> = entries
                .map(|entry| format!("{}: {}", entry.key.node, written(&entry.value.node)))
                .collect();
            entries.join(", ")
        }
        single => single.written().unwrap_or_default().to_owned(),
    }
}

fn shown(location: &Location) -> String {
    let file = location.file.as_deref().unwrap_or_default();
    format!("{file}:{}:{}", location.line, location.column)
}

fn lists(site: &Site, plan: &Plan, id: PostId) -> Vec<Listed> {
    let mut lists = Vec::new();
    for (archive, laid) in site.settings.archives.iter().zip(&plan.archives) {
        for group in &laid.groups {
            let Some(at) = group.posts.iter().position(|post| *post == id) else {
                continue;
            };
            let page = archive.per_page.map_or(1, |per_page| at / per_page + 1);
            lists.push(Listed {
                archive: archive.name.clone(),
                term: group.term.as_ref().map(|term| term.name.clone()),
                page,
                link: group.link.page(page).encoded,
            });
        }
    }
    lists
}

/// Returns whether an archive has a post, and why.
///
/// # Errors
/// Where there is no such archive.
pub(crate) fn membership(
    site: &Site,
    plan: &Plan,
    id: PostId,
    name: &str,
    location: Location,
) -> Result<Membership, Box<Diagnostic>> {
    let archives = &site.settings.archives;
    let named = || {
        archives
            .iter()
            .enumerate()
            .filter(|(_, archive)| archive.name == name)
    };
    let own = named().find(|(_, archive)| archive.locale == site.locale_of(id));
    let Some((at, _)) = own.or_else(|| named().next()) else {
        let names = archives.iter().map(|archive| archive.name.as_str());
        let message = format!("there is no archive `{name}`");
        return Err(Box::new(
            Diagnostic::error(Code::InvalidUsage, location, message).suggest(name, names),
        ));
    };
    let there: Vec<String> = lists(site, plan, id)
        .into_iter()
        .filter(|list| list.archive == name)
        .map(|list| list.link)
        .collect();
    if !there.is_empty() {
        return Ok(Membership {
            is_member: true,
            reason: format!("its query finds the post: {}", there.join(", ")),
        });
    }
    Ok(Membership {
        is_member: false,
        reason: absence(site, id, at),
    })
}

/// Returns whether a query, which gives `posts` on the page of `this`, finds a post, and why.
pub(crate) fn why_not(
    site: &Site,
    (query, posts): (&Query<Written>, &[PostId]),
    (scope, this): (Scope<'_>, Option<PostId>),
    id: PostId,
) -> Membership {
    let place = |posts: &[PostId]| posts.iter().position(|post| *post == id);
    let no = |reason| Membership {
        is_member: false,
        reason,
    };
    if let Some(at) = place(posts) {
        return Membership {
            is_member: true,
            reason: format!("it is number {} of {}", at + 1, posts.len()),
        };
    }
    if let Some(reason) = excluded(site, id).or_else(|| query.rejects(scope, this, id)) {
        return no(reason);
    }
    let all = query.clone().whole().resolve(scope).output;
    let all = all.map_or_else(Vec::new, |query| query.run(&site.catalogue, this).posts);
    let at = place(&all).map_or(0, |at| at + 1);
    let window = query.statement();
    let parts = [("limit", window.limit), ("offset", window.offset)];
    let parts = parts.into_iter().filter_map(|(name, number)| {
        let number = number?;
        Some(format!("`{name} {number}`"))
    });
    let parts: Vec<String> = parts.collect();
    no(format!(
        "it is number {at} of {}, and {} leaves it out",
        all.len(),
        parts.join(" ")
    ))
}

fn excluded(site: &Site, id: PostId) -> Option<String> {
    let is_listed = site.catalogue.is_listed(id);
    (!is_listed).then(|| format!("it is excluded: {}", reasons(site, id).join("; ")))
}

fn absence(site: &Site, id: PostId, at: usize) -> String {
    let catalogue = &site.catalogue;
    let archive = &site.settings.archives[at];
    if let Some(reason) = excluded(site, id) {
        return reason;
    }
    let scope = site.scope().within(archive.locale);
    let all = EmbeddedText::command_line("");
    let query = Query::parse(archive.query.as_ref().unwrap_or(&all));
    let Ok(query) = query else {
        return "the archive's query cannot be read".to_owned();
    };
    if let Some(reason) = query.rejects(scope, None, id) {
        return reason;
    }
    let by = archive.by.as_ref();
    let found = by.and_then(|by| {
        let location = site.settings.source.location(by.span);
        Some((by, archive::by(&by.node, catalogue, location).ok()?))
    });
    match found {
        Some((by, found)) => {
            let counts = archive::counts(&found, &[id], catalogue.within(archive.locale));
            if counts.is_empty() {
                format!(
                    "the archive is split by `{}`, and the post has none",
                    by.node
                )
            } else {
                let names: Vec<&str> = counts.iter().map(|(term, _)| term.name.as_str()).collect();
                format!(
                    "fewer than {} posts have {}, so that it has no page (`at_least`)",
                    archive.at_least,
                    names.join(", ")
                )
            }
        }
        None => "it is beyond the query's limit".to_owned(),
    }
}
