//! Values as text and as HTML.

use minijinja::Value;
use minijinja::value::ValueKind;

/// Returns a value as text: nothing for none, and flags as in front matter.
pub(super) fn printed(value: &Value) -> String {
    match value.kind() {
        ValueKind::None => String::new(),
        ValueKind::Bool if value.is_true() => "true".to_owned(),
        ValueKind::Bool => "false".to_owned(),
        _ => value.to_string(),
    }
}

/// Returns true if no byte needs escaping. It looks at all of them, so that the compiler vectorises it.
fn is_plain(bytes: &[u8]) -> bool {
    let special = |byte: &u8| matches!(byte, b'&' | b'<' | b'>' | b'"' | b'\'');
    !bytes.iter().fold(false, |any, byte| any | special(byte))
}

/// Escapes text for HTML, also within attributes.
#[must_use]
pub fn escape(text: &str) -> std::borrow::Cow<'_, str> {
    if text.as_bytes().chunks(32).all(is_plain) {
        return text.into();
    }
    let mut out = String::with_capacity(text.len() + 16);
    for c in text.chars() {
        match c {
            '&' => out.push_str("&amp;"),
            '<' => out.push_str("&lt;"),
            '>' => out.push_str("&gt;"),
            '"' => out.push_str("&quot;"),
            '\'' => out.push_str("&#39;"),
            c => out.push(c),
        }
    }
    out.into()
}

/// Returns a link to something in another language around HTML; the HTML alone if there is no address.
pub(super) fn foreign_anchor(address: Option<&str>, html: &str, language: &str) -> String {
    let language = escape(language);
    let lang = ["lang=\"", &language, "\""].concat();
    match address {
        None => ["<span ", &lang, ">", html, "</span>"].concat(),
        Some(address) => {
            let address = escape(address);
            let hreflang = ["href", &lang].concat();
            [
                "<a href=\"",
                &address,
                "\" ",
                &lang,
                " ",
                &hreflang,
                ">",
                html,
                "</a>",
            ]
            .concat()
        }
    }
}

/// Returns a link around HTML; the HTML alone if there is no address.
pub(super) fn anchor(address: Option<&str>, html: &str, current: bool) -> String {
    let current = if current {
        " aria-current=\"page\""
    } else {
        ""
    };
    match address {
        None => html.to_owned(),
        Some(address) => {
            let address = escape(address);
            ["<a href=\"", &address, "\"", current, ">", html, "</a>"].concat()
        }
    }
}

/// Returns a value as HTML.
pub(super) fn in_html(value: &Value) -> String {
    let text = value.to_string();
    if value.is_safe() {
        text
    } else {
        escape(&text).into_owned()
    }
}
