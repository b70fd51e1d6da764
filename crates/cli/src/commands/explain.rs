//! `tabulae explain PATH`

use std::fmt::Write as _;

use serde_json::{Map, Value, json};
use tabulae_core::catalogue::PostId;
use tabulae_core::diagnostic::Faults;
use tabulae_core::likeness::WHOLE;
use tabulae_core::source::Source;
use tabulae_engine::explain::{Alike, Explained, Presence, explain, presence};
use tabulae_engine::plan::plan;
use tabulae_engine::site::Site;

use super::query::find;
use crate::args::{Args, Format};
use crate::ui::table::{Column, Table};
use crate::ui::{self, Status};

pub(super) fn run(args: &Args, path: &str, archive: Option<&str>) -> Status {
    let mut faults = Faults::new();
    let site = args.read_site(&mut faults);
    let found = site.as_ref().and_then(|site| {
        let id = find(site, path).map_err(|fault| faults.push(*fault)).ok()?;
        let plan = plan(site, &mut Faults::new());
        let presence = match archive {
            None => None,
            Some(name) => {
                let place = Source::command_line(name).top();
                let found = presence(site, &plan, id, name, place);
                Some(found.map_err(|fault| faults.push(*fault)).ok()?)
            }
        };
        Some((site, id, explain(site, &plan, id), presence))
    });
    match (found, args.format) {
        (Some((site, id, explained, presence)), Format::Json) => {
            let object = as_json(site, id, &explained, presence.as_ref(), archive);
            ui::json(&object, &faults)
        }
        (Some((site, id, explained, presence)), _) => {
            let text = match (&presence, archive) {
                (Some(presence), Some(name)) => said(presence, name),
                _ => as_text(site, id, &explained),
            };
            ui::faults(&faults).max(ui::print(&text))
        }
        (None, Format::Json) => ui::json(&json!({ "path": path }), &faults),
        (None, _) => ui::faults(&faults),
    }
}

fn said(presence: &Presence, archive: &str) -> String {
    let word = if presence.there { "is" } else { "is not" };
    format!("It {word} in `{archive}`: {}.\n", presence.reason)
}

fn as_json(
    site: &Site,
    id: PostId,
    explained: &Explained,
    presence: Option<&Presence>,
    archive: Option<&str>,
) -> Value {
    let post = site.catalogue.post(id);
    let fields = explained.fields.iter();
    let values: Map<String, Value> = fields
        .clone()
        .map(|field| (field.name.clone(), json!(field.value)))
        .collect();
    let sources: Map<String, Value> = fields
        .map(|field| (field.name.clone(), json!(field.from)))
        .collect();
    let lists = explained.lists.iter().map(|list| {
        json!({ "archive": list.archive, "term": list.term, "page": list.page, "link": list.link })
    });
    let related = explained.related.iter().map(|alike| {
        let parts: Map<String, Value> = alike
            .parts
            .iter()
            .map(|part| (part.name.clone(), json!(number(part.part))))
            .collect();
        let shared: Map<String, Value> = alike
            .parts
            .iter()
            .filter(|part| !part.shared.is_empty())
            .map(|part| (part.name.clone(), json!(part.shared)))
            .collect();
        json!({
            "path": site.catalogue.post(alike.post).path,
            "likeness": number(alike.likeness),
            "parts": parts,
            "shared": shared,
            "pinned": alike.pinned,
        })
    });
    let mut object = json!({
        "path": post.path,
        "link": site.catalogue.link(id).encoded,
        "state": explained.state.name(),
        "reasons": explained.reasons,
        "fields": values,
        "sources": sources,
        "lists": lists.collect::<Value>(),
        "related": related.collect::<Value>(),
    });
    if let (Some(presence), Some(archive)) = (presence, archive) {
        object["in"] =
            json!({ "archive": archive, "there": presence.there, "reason": presence.reason });
    }
    object
}

/// A likeness from 0 to 1.
fn number(likeness: u32) -> f64 {
    f64::from(likeness) / f64::from(WHOLE)
}

/// The same with nine digits.
fn digits(likeness: u32) -> String {
    format!("{}.{:09}", likeness / WHOLE, likeness % WHOLE)
}

fn as_text(site: &Site, id: PostId, explained: &Explained) -> String {
    let mut text = String::new();
    let post = site.catalogue.post(id);
    let link = &site.catalogue.link(id).encoded;
    let _ = writeln!(text, "{}, {link}", post.path);
    let _ = writeln!(
        text,
        "{}: {}",
        explained.state.name(),
        explained.reasons.join("; ")
    );
    let mut fields = Table::new(vec![Column::fixed(), Column::text(), Column::path()]);
    for field in &explained.fields {
        fields.row(vec![
            field.name.clone(),
            cut(&field.value),
            field.from.clone(),
        ]);
    }
    let _ = write!(text, "\nFields\n{}", fields.show());
    if explained.lists.is_empty() {
        let _ = writeln!(text, "\nIn no list.");
    } else {
        let mut lists = Table::new(vec![Column::fixed(), Column::text(), Column::path()]);
        for list in &explained.lists {
            let term = list.term.clone().unwrap_or_default();
            lists.row(vec![list.archive.clone(), term, list.link.clone()]);
        }
        let _ = write!(text, "\nLists\n{}", lists.show());
    }
    if site.related.is_some() {
        let _ = writeln!(text, "\nRelated");
        if explained.related.is_empty() {
            let _ = writeln!(text, "none");
        }
        for alike in &explained.related {
            show_alike(site, alike, &mut text);
        }
    }
    text
}

/// A value's beginning, so that where it comes from stands near it.
fn cut(value: &str) -> String {
    if value.chars().count() <= VALUE {
        return value.to_owned();
    }
    let start: String = value.chars().take(VALUE - 1).collect();
    format!("{}…", start.trim_end())
}

/// How much of a value is shown, in characters.
const VALUE: usize = 48;

fn show_alike(site: &Site, alike: &Alike, text: &mut String) {
    let post = site.catalogue.post(alike.post);
    let named = if alike.pinned {
        "  named by the post itself"
    } else {
        ""
    };
    let _ = writeln!(
        text,
        "{}  {}  {}{named}",
        digits(alike.likeness),
        post.title,
        post.path
    );
    for part in alike.parts.iter().filter(|part| part.part > 0) {
        let _ = writeln!(
            text,
            "  {} {}: {}",
            digits(part.part),
            part.name,
            part.shared.join(", ")
        );
    }
}
