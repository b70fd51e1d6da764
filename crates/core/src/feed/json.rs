//! JSON Feed 1.1.

use serde::Serialize;

use super::{Document, Entry};

#[derive(Serialize)]
struct Feed<'a> {
    version: &'static str,
    title: &'a str,
    home_page_url: &'a str,
    feed_url: &'a str,
    #[serde(skip_serializing_if = "Option::is_none")]
    description: Option<&'a str>,
    language: &'a str,
    authors: Vec<Author<'a>>,
    items: Vec<Item<'a>>,
}

#[derive(Serialize)]
struct Author<'a> {
    name: &'a str,
    #[serde(skip_serializing_if = "Option::is_none")]
    url: Option<&'a str>,
}

#[derive(Serialize)]
struct Item<'a> {
    id: &'a str,
    url: &'a str,
    title: &'a str,
    #[serde(skip_serializing_if = "Option::is_none")]
    content_html: Option<&'a str>,
    #[serde(skip_serializing_if = "Option::is_none")]
    content_text: Option<&'a str>,
    #[serde(skip_serializing_if = "Option::is_none")]
    summary: Option<&'a str>,
    #[serde(skip_serializing_if = "Option::is_none")]
    image: Option<&'a str>,
    date_published: String,
    date_modified: String,
    #[serde(skip_serializing_if = "Vec::is_empty")]
    authors: Vec<Author<'a>>,
    #[serde(skip_serializing_if = "<[String]>::is_empty")]
    tags: &'a [String],
}

pub(super) fn write(document: &Document) -> String {
    let feed = Feed {
        version: "https://jsonfeed.org/version/1.1",
        title: &document.title,
        home_page_url: &document.home,
        feed_url: &document.address,
        description: document.about.as_deref(),
        language: &document.language,
        authors: vec![Author {
            name: &document.author.name,
            url: document.author.link.as_deref(),
        }],
        items: document.entries.iter().map(item).collect(),
    };
    let mut text = serde_json::to_string_pretty(&feed).unwrap_or_default();
    text.push('\n');
    text
}

/// Each item needs a content (JSON Feed 1.1, `content_html`); a summary serves, or the title.
fn item(entry: &Entry) -> Item<'_> {
    let plain = entry.summary.as_deref().unwrap_or(&entry.title);
    Item {
        id: &entry.id,
        url: &entry.link,
        title: &entry.title,
        content_html: entry.content.as_deref(),
        content_text: entry.content.is_none().then_some(plain),
        summary: entry.summary.as_deref(),
        image: entry.image.as_deref(),
        date_published: entry.published.unwrap_or(entry.updated).rfc3339(),
        date_modified: entry.updated.rfc3339(),
        authors: entry
            .authors
            .iter()
            .map(|name| Author { name, url: None })
            .collect(),
        tags: &entry.categories,
    }
}
