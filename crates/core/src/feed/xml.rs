//! XML, written element by element.

use std::borrow::Cow;

use quick_xml::Writer;
use quick_xml::events::{BytesDecl, BytesEnd, BytesPI, BytesStart, BytesText, Event};

/// An XML document under way. Text and attributes are escaped, and lose the characters that XML
/// forbids.
pub(super) struct Xml {
    writer: Writer<Vec<u8>>,
}

impl Xml {
    /// Begins a document, with the style sheet that browsers show it by.
    pub(super) fn new(style: Option<&str>) -> Self {
        let mut xml = Self {
            writer: Writer::new_with_indent(Vec::new(), b' ', 1),
        };
        xml.event(Event::Decl(BytesDecl::new("1.0", Some("utf-8"), None)));
        if let Some(style) = style {
            let style = quick_xml::escape::escape(style);
            let what = format!("xml-stylesheet type=\"text/css\" href=\"{style}\"");
            xml.event(Event::PI(BytesPI::new(what)));
        }
        xml
    }

    fn event(&mut self, event: Event<'_>) {
        // Writing to memory cannot fail.
        let _ = self.writer.write_event(event);
    }

    fn tag<'a>(name: &'a str, attributes: &[(&str, &str)]) -> BytesStart<'a> {
        let mut tag = BytesStart::new(name);
        for (key, value) in attributes {
            tag.push_attribute((*key, &*allowed(value)));
        }
        tag
    }

    pub(super) fn open(&mut self, name: &str, attributes: &[(&str, &str)]) {
        self.event(Event::Start(Self::tag(name, attributes)));
    }

    pub(super) fn close(&mut self, name: &str) {
        self.event(Event::End(BytesEnd::new(name)));
    }

    pub(super) fn empty(&mut self, name: &str, attributes: &[(&str, &str)]) {
        self.event(Event::Empty(Self::tag(name, attributes)));
    }

    pub(super) fn text(&mut self, name: &str, attributes: &[(&str, &str)], text: &str) {
        self.open(name, attributes);
        self.event(Event::Text(BytesText::new(&allowed(text))));
        self.close(name);
    }

    /// Writes an element if there is a text for it.
    pub(super) fn text_if(&mut self, name: &str, text: Option<&str>) {
        if let Some(text) = text {
            self.text(name, &[], text);
        }
    }

    pub(super) fn finish(self) -> String {
        let text = String::from_utf8(self.writer.into_inner());
        let mut text = text.expect("only texts were written");
        text.push('\n');
        text
    }
}

/// `text` without the characters that XML 1.0 forbids (2.2).
pub(super) fn allowed(text: &str) -> Cow<'_, str> {
    let is_allowed = |c: char| matches!(c, '\t' | '\n' | '\r' | ' '..='\u{d7ff}' | '\u{e000}'..='\u{fffd}' | '\u{10000}'..);
    if text.chars().all(is_allowed) {
        Cow::Borrowed(text)
    } else {
        Cow::Owned(text.chars().filter(|c| is_allowed(*c)).collect())
    }
}
