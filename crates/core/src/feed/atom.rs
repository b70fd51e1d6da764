//! Atom 1.0 (RFC 4287), paged by RFC 5005.

use super::xml::Xml;
use super::{Document, Entry, Person};

const TYPE: &str = "application/atom+xml";

pub(super) fn write(document: &Document) -> String {
    let mut xml = Xml::new(document.style.as_deref());
    xml.open(
        "feed",
        &[
            ("xmlns", "http://www.w3.org/2005/Atom"),
            ("xml:lang", &document.language),
        ],
    );
    xml.text("id", &[], &document.id);
    xml.text("title", &[], &document.title);
    xml.text_if("subtitle", document.description.as_deref());
    xml.text("updated", &[], &document.updated().rfc3339());
    link(&mut xml, "alternate", Some("text/html"), &document.home);
    for (rel, address) in document.links() {
        link(&mut xml, rel, (rel != "hub").then_some(TYPE), address);
    }
    person(&mut xml, &document.author);
    xml.text_if("rights", document.rights.as_deref());
    xml.text_if("logo", document.image.as_ref().map(|image| &*image.address));
    xml.text("generator", &[], super::GENERATOR);
    for each in &document.entries {
        entry(&mut xml, each);
    }
    xml.close("feed");
    xml.finish()
}

fn link(xml: &mut Xml, rel: &str, media_type: Option<&str>, address: &str) {
    let mut attributes = vec![("rel", rel)];
    attributes.extend(media_type.map(|media_type| ("type", media_type)));
    attributes.push(("href", address));
    xml.empty("link", &attributes);
}

fn person(xml: &mut Xml, person: &Person) {
    xml.open("author", &[]);
    xml.text("name", &[], &person.name);
    xml.text_if("uri", person.link.as_deref());
    xml.text_if("email", person.email.as_deref());
    xml.close("author");
}

fn entry(xml: &mut Xml, entry: &Entry) {
    let language = entry.language.as_deref();
    let language: Vec<_> = language.map(|tag| ("xml:lang", tag)).into_iter().collect();
    xml.open("entry", &language);
    xml.text("id", &[], &entry.id);
    xml.text("title", &[], &entry.title);
    link(xml, "alternate", Some("text/html"), &entry.link);
    if let Some(image) = &entry.image {
        let length = image.length.map(|length| length.to_string());
        let mut attributes = vec![("rel", "enclosure"), ("href", &*image.address)];
        attributes.extend(image.media_type.as_deref().map(|kind| ("type", kind)));
        attributes.extend(length.as_deref().map(|length| ("length", length)));
        xml.empty("link", &attributes);
    }
    if let Some(published) = &entry.published {
        xml.text("published", &[], &published.rfc3339());
    }
    xml.text("updated", &[], &entry.updated.rfc3339());
    for author in &entry.authors {
        person(xml, author);
    }
    for category in &entry.categories {
        let mut attributes = vec![("term", &*category.name)];
        attributes.extend(category.scheme.as_deref().map(|scheme| ("scheme", scheme)));
        attributes.push(("label", &category.name));
        xml.empty("category", &attributes);
    }
    xml.text_if("summary", entry.summary.as_deref());
    if let Some(content) = &entry.content {
        xml.text("content", &[("type", "html")], content);
    }
    xml.close("entry");
}
