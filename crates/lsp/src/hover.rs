//! Hover: what a query finds, how often a term is used, what state a date gives a post, what a key means.

use std::fmt::Write as _;
use std::ops::Range;

use lsp_types::{Hover, HoverContents, MarkupContent, MarkupKind};
use tabulae_core::post::ENTRIES;
use tabulae_core::settings::{KEYS, TABLES};
use tabulae_core::time::parse_date;
use tabulae_engine::QueryPage;

use crate::completion::is_table;
use crate::open_site::{OpenSite, Spot, TermAt};
use crate::place::Place;
use crate::position::range;

/// The number of posts of a query that are shown.
const SHOWN: usize = 5;

/// Returns what is known of a spot, as Markdown.
pub(crate) fn hover(site: OpenSite<'_>, spot: &Spot<'_>) -> Option<Hover> {
    let (word, text) = match site.term_at(spot) {
        Some((term, word)) => (word, of_term(site, term)),
        None => of_place(site, spot)?,
    };
    Some(Hover {
        contents: HoverContents::Markup(MarkupContent {
            kind: MarkupKind::Markdown,
            value: text,
        }),
        range: Some(range(spot.text, word.start, word.end)),
    })
}

fn of_place(site: OpenSite<'_>, spot: &Spot<'_>) -> Option<(Range<usize>, String)> {
    match &spot.place {
        Place::FrontKey(word) => {
            let entry = ENTRIES
                .iter()
                .find(|entry| entry.name == &spot.text[word.clone()])?;
            Some((word.clone(), entry.about.to_owned()))
        }
        Place::FrontValue(key, value) if key == "related" => {
            let post = site.named_post(&spot.text[value.clone()])?;
            Some((value.clone(), format!("{} (`{}`)", post.title, post.path)))
        }
        Place::FrontValue(key, value) => {
            let text = of_date(site, spot, key, &spot.text[value.clone()])?;
            Some((value.clone(), text))
        }
        Place::Table(name) => {
            let table = &spot.text[name.clone()];
            let (_, about) = TABLES.iter().find(|(kind, _)| is_table(table, kind))?;
            Some((name.clone(), (*about).to_owned()))
        }
        Place::SettingsKey(table, word) => {
            let name = &spot.text[word.clone()];
            let mut keys = KEYS.iter();
            let key = keys.find(|key| is_table(table, key.table) && key.name == name)?;
            let default = key.default.map_or_else(
                || "It is required.".to_owned(),
                |default| format!("Default: `{default}`"),
            );
            Some((word.clone(), format!("{}\n\n{default}", key.about)))
        }
        Place::Query(query, _) => {
            let text = of_query(site, spot, &spot.text[query.clone()])?;
            Some((query.clone(), text))
        }
        _ => None,
    }
}

fn of_term(site: OpenSite<'_>, term: TermAt<'_>) -> String {
    let mut text = format!("**{}**", term.term.name);
    let count = term.term.posts.len();
    let posts = if count == 1 { "post" } else { "posts" };
    let _ = write!(text, " · {count} {posts}");
    let page = site.site.term_page(term.field, term.id);
    if let Some(page) = page {
        let _ = write!(text, " · `{page}`");
    }
    if term.term.spellings.len() > 1 {
        let spellings = term.term.spellings.iter();
        let each: Vec<String> = spellings
            .map(|(name, count)| format!("`{name}` {count}"))
            .collect();
        let _ = write!(text, "\n\nWritten {}", each.join(", "));
    }
    text
}

/// Returns the state that a date gives a post.
fn of_date(site: OpenSite<'_>, spot: &Spot<'_>, key: &str, written: &str) -> Option<String> {
    let moment = site.site.moment().ok()?;
    let set = site.post(spot.path).map(|post| post.set);
    let set = set.and_then(|set| site.settings()?.content.get(set));
    let is_field = |field: &str| set.map_or(key == field, |set| set.gives(key, field));
    let date = parse_date(written.trim()).ok()?.zoned(&moment.zone).ok()?;
    let days = moment.today().until(date.day).ok()?.get_days();
    let is_ahead = date.at > moment.now;
    let in_days = match days.abs() {
        0 => "today".to_owned(),
        1 if is_ahead => "in 1 day".to_owned(),
        1 => "1 day ago".to_owned(),
        days if is_ahead => format!("in {days} days"),
        days => format!("{days} days ago"),
    };
    let is_draft = site
        .post(spot.path)
        .is_some_and(|post| post.exclusion.draft);
    Some(match (is_field("date"), is_field("expires")) {
        (true, _) if is_draft => format!("draft: no page, and in no list; its date is {in_days}"),
        (true, _) if is_ahead => format!("scheduled: appears {in_days}"),
        (true, _) => format!("live: appeared {in_days}"),
        (_, true) if is_ahead => format!("live: expires {in_days}"),
        (_, true) => format!("expired {in_days}"),
        _ => return None,
    })
}

/// Returns the number of posts that a query finds, and the first of them.
fn of_query(site: OpenSite<'_>, spot: &Spot<'_>, query: &str) -> Option<String> {
    let query = query.replace("\\\"", "\"");
    let is_post = site.post(spot.path).is_some();
    let page = if is_post {
        QueryPage::Post(spot.path)
    } else {
        QueryPage::None
    };
    let found = match site.site.query_on(query.as_str(), page) {
        Ok(found) => found,
        Err(error) => {
            let first = error.diagnostics().first()?;
            return Some(first.message.clone());
        }
    };
    let posts = if found.total() == 1 { "post" } else { "posts" };
    let mut text = format!("**{} {posts}**\n", found.total());
    for post in found.iter().take(SHOWN) {
        let _ = write!(text, "\n- {} {}", post.date(), post.title());
    }
    if found.len() > SHOWN {
        let _ = write!(text, "\n- and {} more", found.len() - SHOWN);
    }
    Some(text)
}
