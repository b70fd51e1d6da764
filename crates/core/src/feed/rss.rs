//! RSS 2.0, with the content, Dublin Core and Atom modules.

use super::{Document, Entry, Xml, escape};

pub(super) fn write(document: &Document) -> String {
    let mut xml = Xml::new();
    xml.open(
        "rss",
        &[
            ("version", "2.0"),
            ("xmlns:atom", "http://www.w3.org/2005/Atom"),
            ("xmlns:content", "http://purl.org/rss/1.0/modules/content/"),
            ("xmlns:dc", "http://purl.org/dc/elements/1.1/"),
        ],
    );
    xml.open("channel", &[]);
    xml.text("title", &[], &document.title);
    xml.text("link", &[], &document.home);
    xml.text(
        "description",
        &[],
        document.about.as_deref().unwrap_or(&document.title),
    );
    xml.text("language", &[], &document.language);
    xml.text("lastBuildDate", &[], &document.updated().rfc822());
    xml.text("generator", &[], "Tabulae");
    if let Some(ttl) = document.ttl {
        xml.text("ttl", &[], &ttl.to_string());
    }
    xml.empty(
        "atom:link",
        &[
            ("rel", "self"),
            ("type", "application/rss+xml"),
            ("href", &document.address),
        ],
    );
    for each in &document.entries {
        item(&mut xml, each);
    }
    xml.close("channel");
    xml.close("rss");
    xml.finish()
}

fn item(xml: &mut Xml, entry: &Entry) {
    xml.open("item", &[]);
    xml.text("title", &[], &entry.title);
    xml.text("link", &[], &entry.link);
    let is_link = if entry.id == entry.link {
        "true"
    } else {
        "false"
    };
    xml.text("guid", &[("isPermaLink", is_link)], &entry.id);
    xml.text(
        "pubDate",
        &[],
        &entry.published.unwrap_or(entry.updated).rfc822(),
    );
    for name in &entry.authors {
        xml.text("dc:creator", &[], name);
    }
    for category in &entry.categories {
        xml.text("category", &[], category);
    }
    if let Some(summary) = &entry.summary {
        xml.text("description", &[], &escape(summary));
    }
    if let Some(content) = &entry.content {
        xml.text("content:encoded", &[], content);
    }
    xml.close("item");
}
