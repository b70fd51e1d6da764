//! RSS 2.0, with the content, Dublin Core and Atom modules.

use super::xml::Xml;
use super::{Document, Entry, Image, escape};

const TYPE: &str = "application/rss+xml";

pub(super) fn write(document: &Document) -> String {
    let mut xml = Xml::new(document.style.as_deref());
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
    let about = document.description.as_deref().unwrap_or(&document.title);
    xml.text("description", &[], about);
    xml.text("language", &[], &document.language);
    xml.text_if("copyright", document.rights.as_deref());
    if let Some(email) = &document.author.email {
        let editor = format!("{email} ({})", document.author.name);
        xml.text("managingEditor", &[], &editor);
    }
    xml.text("lastBuildDate", &[], &document.updated().rfc822());
    xml.text("generator", &[], super::GENERATOR);
    let ttl = document.ttl.map(|minutes| minutes.to_string());
    xml.text_if("ttl", ttl.as_deref());
    // The channel's image is a GIF, JPEG or PNG (RSS 2.0, "image").
    if let Some(image) = document.image.as_ref().filter(|image| is_picture(image)) {
        xml.open("image", &[]);
        xml.text("url", &[], &image.address);
        xml.text("title", &[], &document.title);
        xml.text("link", &[], &document.home);
        xml.close("image");
    }
    for (rel, address) in document.links() {
        let mut attributes = vec![("rel", rel), ("href", address)];
        attributes.extend((rel != "hub").then_some(("type", TYPE)));
        xml.empty("atom:link", &attributes);
    }
    for each in &document.entries {
        item(&mut xml, each);
    }
    xml.close("channel");
    xml.close("rss");
    xml.finish()
}

fn is_picture(image: &Image) -> bool {
    let known = ["image/gif", "image/jpeg", "image/png"];
    image
        .media_type
        .as_deref()
        .is_some_and(|kind| known.contains(&kind))
}

fn item(xml: &mut Xml, entry: &Entry) {
    xml.open("item", &[]);
    xml.text("title", &[], &entry.title);
    xml.text("link", &[], &entry.link);
    let is_link = (entry.id == entry.link).to_string();
    xml.text("guid", &[("isPermaLink", &is_link)], &entry.id);
    let published = entry.published.unwrap_or(entry.updated);
    xml.text("pubDate", &[], &published.rfc822());
    if entry.updated.at != published.at {
        xml.text("atom:updated", &[], &entry.updated.rfc3339());
    }
    for author in &entry.authors {
        xml.text("dc:creator", &[], &author.name);
    }
    for category in &entry.categories {
        let domain = category.scheme.as_deref().map(|scheme| ("domain", scheme));
        xml.text("category", domain.as_slice(), &category.name);
    }
    if let Some(summary) = &entry.summary {
        xml.text("description", &[], &escape(summary));
    }
    if let Some(content) = &entry.content {
        xml.text("content:encoded", &[], content);
    }
    if let Some(image) = &entry.image
        && let Some(kind) = &image.media_type
    {
        // 0 is the length of an image whose length is unknown (RSS Best Practices Profile).
        let length = image.length.unwrap_or(0).to_string();
        let attributes = [
            ("url", &*image.address),
            ("length", &length),
            ("type", kind),
        ];
        xml.empty("enclosure", &attributes);
    }
    xml.close("item");
}
