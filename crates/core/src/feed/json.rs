//! JSON Feed 1.1.

use std::borrow::Cow;

use serde::Serialize;

use super::xml::allowed;
use super::{Document, Entry, Person};

#[derive(Serialize)]
struct Feed<'a> {
    version: &'static str,
    title: Cow<'a, str>,
    home_page_url: &'a str,
    feed_url: &'a str,
    #[serde(skip_serializing_if = "Option::is_none")]
    description: Option<Cow<'a, str>>,
    #[serde(skip_serializing_if = "Option::is_none")]
    next_url: Option<&'a str>,
    #[serde(skip_serializing_if = "Option::is_none")]
    icon: Option<&'a str>,
    language: &'a str,
    authors: Vec<Author<'a>>,
    #[serde(skip_serializing_if = "Vec::is_empty")]
    hubs: Vec<Hub<'a>>,
    items: Vec<Item<'a>>,
}

#[derive(Serialize)]
struct Author<'a> {
    name: Cow<'a, str>,
    #[serde(skip_serializing_if = "Option::is_none")]
    url: Option<&'a str>,
}

#[derive(Serialize)]
struct Hub<'a> {
    r#type: &'static str,
    url: &'a str,
}

#[derive(Serialize)]
struct Item<'a> {
    id: &'a str,
    url: &'a str,
    title: Cow<'a, str>,
    #[serde(skip_serializing_if = "Option::is_none")]
    language: Option<&'a str>,
    #[serde(skip_serializing_if = "Option::is_none")]
    content_html: Option<Cow<'a, str>>,
    #[serde(skip_serializing_if = "Option::is_none")]
    content_text: Option<Cow<'a, str>>,
    #[serde(skip_serializing_if = "Option::is_none")]
    summary: Option<Cow<'a, str>>,
    #[serde(skip_serializing_if = "Option::is_none")]
    image: Option<&'a str>,
    date_published: String,
    date_modified: String,
    #[serde(skip_serializing_if = "Vec::is_empty")]
    authors: Vec<Author<'a>>,
    #[serde(skip_serializing_if = "Vec::is_empty")]
    tags: Vec<Cow<'a, str>>,
}

pub(super) fn write(document: &Document) -> String {
    let hubs = document.hub.iter().map(|url| Hub {
        r#type: "WebSub",
        url,
    });
    let image = document.image.as_ref();
    let feed = Feed {
        version: "https://jsonfeed.org/version/1.1",
        title: allowed(&document.title),
        home_page_url: &document.home,
        feed_url: &document.address,
        description: document.description.as_deref().map(allowed),
        next_url: document
            .pages
            .as_ref()
            .and_then(|pages| pages.next.as_deref()),
        icon: image.map(|image| image.address.as_str()),
        language: &document.language,
        authors: vec![author(&document.author)],
        hubs: hubs.collect(),
        items: document.entries.iter().map(item).collect(),
    };
    let text = serde_json::to_string_pretty(&feed);
    let mut text = text.expect("texts, numbers and lists have a form in JSON");
    text.push('\n');
    text
}

fn author(person: &Person) -> Author<'_> {
    Author {
        name: allowed(&person.name),
        url: person.link.as_deref(),
    }
}

/// Each item needs a content (JSON Feed 1.1, `content_html`); a summary serves, or the title.
fn item(entry: &Entry) -> Item<'_> {
    let plain = entry.summary.as_deref().unwrap_or(&entry.title);
    // The same name in two fields is one tag.
    let mut tags: Vec<Cow<'_, str>> = Vec::new();
    for category in &entry.categories {
        let name = allowed(&category.name);
        if !tags.contains(&name) {
            tags.push(name);
        }
    }
    Item {
        id: &entry.id,
        url: &entry.link,
        title: allowed(&entry.title),
        language: entry.language.as_deref(),
        content_html: entry.content.as_deref().map(allowed),
        content_text: entry.content.is_none().then(|| allowed(plain)),
        summary: entry.summary.as_deref().map(allowed),
        image: entry.image.as_ref().map(|image| image.address.as_str()),
        date_published: entry.published.unwrap_or(entry.updated).rfc3339(),
        date_modified: entry.updated.rfc3339(),
        authors: entry.authors.iter().map(author).collect(),
        tags,
    }
}
