//! Atom 1.0 (RFC 4287).

use super::{Document, Entry, Person, Xml};

pub(super) fn write(document: &Document) -> String {
    let mut xml = Xml::new();
    xml.open(
        "feed",
        &[
            ("xmlns", "http://www.w3.org/2005/Atom"),
            ("xml:lang", &document.language),
        ],
    );
    xml.text("id", &[], &document.address);
    xml.text("title", &[], &document.title);
    if let Some(about) = &document.about {
        xml.text("subtitle", &[], about);
    }
    xml.text("updated", &[], &document.updated().rfc3339());
    xml.empty(
        "link",
        &[
            ("rel", "self"),
            ("type", "application/atom+xml"),
            ("href", &document.address),
        ],
    );
    xml.empty(
        "link",
        &[
            ("rel", "alternate"),
            ("type", "text/html"),
            ("href", &document.home),
        ],
    );
    person(&mut xml, &document.author);
    xml.text("generator", &[], "Tabulae");
    for each in &document.entries {
        entry(&mut xml, each);
    }
    xml.close("feed");
    xml.finish()
}

fn person(xml: &mut Xml, person: &Person) {
    xml.open("author", &[]);
    xml.text("name", &[], &person.name);
    if let Some(link) = &person.link {
        xml.text("uri", &[], link);
    }
    if let Some(email) = &person.email {
        xml.text("email", &[], email);
    }
    xml.close("author");
}

fn entry(xml: &mut Xml, entry: &Entry) {
    xml.open("entry", &[]);
    xml.text("id", &[], &entry.id);
    xml.text("title", &[], &entry.title);
    xml.empty(
        "link",
        &[
            ("rel", "alternate"),
            ("type", "text/html"),
            ("href", &entry.link),
        ],
    );
    if let Some(published) = &entry.published {
        xml.text("published", &[], &published.rfc3339());
    }
    xml.text("updated", &[], &entry.updated.rfc3339());
    for name in &entry.authors {
        xml.open("author", &[]);
        xml.text("name", &[], name);
        xml.close("author");
    }
    for category in &entry.categories {
        xml.empty("category", &[("term", category), ("label", category)]);
    }
    if let Some(summary) = &entry.summary {
        xml.text("summary", &[], summary);
    }
    if let Some(content) = &entry.content {
        xml.text("content", &[("type", "html")], content);
    }
    xml.close("entry");
}
