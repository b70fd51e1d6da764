//! Where the comments of an HTML page stand, in bytes, by the HTML standard's tokenizer as far as
//! comments, tags and raw texts go.

use std::ops::Range;

use memchr::{memchr, memmem};

/// Elements whose text holds no tags and no comments.
const RAW: [&str; 8] = [
    "script", "style", "textarea", "title", "xmp", "iframe", "noembed", "noframes",
];

/// What stands between `<!--` and `-->` of each comment, in order. A comment that is not closed
/// is none.
pub(super) fn comments(bytes: &[u8]) -> impl Iterator<Item = Range<usize>> {
    let mut at = 0;
    std::iter::from_fn(move || {
        while let Some(found) = memchr(b'<', &bytes[at..]) {
            let start = at + found;
            let rest = &bytes[start..];
            if rest.starts_with(b"<!--") {
                let end = memmem::find(&rest[4..], b"-->")?;
                at = start + 4 + end + 3;
                // `<!-->` and `<!--->` are closed at once.
                let closed = rest[4..].strip_prefix(b"-").unwrap_or(&rest[4..]);
                if closed.starts_with(b">") {
                    at = start + 5;
                    continue;
                }
                return Some(start + 4..start + 4 + end);
            }
            at = match tag_end(rest) {
                Some(end) => start + end,
                None => start + 1,
            };
            if let Some(name) = raw_name(rest) {
                at += raw_end(&bytes[at..], name);
            }
        }
        None
    })
}

/// Where a tag ends: one past its `>`; `None` where no tag begins, or it never ends. A `>` in the
/// value of an attribute does not end it.
fn tag_end(rest: &[u8]) -> Option<usize> {
    let name = if rest.get(1)? == &b'/' { 2 } else { 1 };
    if !rest.get(name)?.is_ascii_alphabetic() {
        return None;
    }
    let until = |at: usize, ends: &[u8]| {
        let ends = |b: &u8| b.is_ascii_whitespace() || ends.contains(b);
        at + rest[at..].iter().take_while(|b| !ends(b)).count()
    };
    let past = |at: usize, also: u8| {
        let passed = |b: &&u8| b.is_ascii_whitespace() || **b == also;
        at + rest[at..].iter().take_while(passed).count()
    };
    let mut at = until(name, b"/>");
    loop {
        at = past(at, b'/');
        if *rest.get(at)? == b'>' {
            return Some(at + 1);
        }
        // The first character of a name may be anything, a `=` too.
        at = past(until(at + 1, b"/>="), b' ');
        if rest.get(at) != Some(&b'=') {
            continue;
        }
        at = past(at + 1, b' ');
        at = match rest.get(at)? {
            quote @ (b'"' | b'\'') => at + 2 + memchr(*quote, &rest[at + 1..])?,
            _ => until(at, b">"),
        };
    }
}

fn raw_name(rest: &[u8]) -> Option<&'static str> {
    RAW.into_iter().find(|name| {
        let tag = rest.get(1..=name.len());
        let after = rest.get(name.len() + 1);
        tag.is_some_and(|tag| tag.eq_ignore_ascii_case(name.as_bytes()))
            && after.is_some_and(|b| b.is_ascii_whitespace() || matches!(b, b'>' | b'/'))
    })
}

/// Where a raw text ends: at its end tag, or with the page.
fn raw_end(text: &[u8], name: &str) -> usize {
    let mut at = 0;
    while let Some(found) = memmem::find(&text[at..], b"</") {
        at += found;
        let tag = text.get(at + 2..at + 2 + name.len());
        if tag.is_some_and(|tag| tag.eq_ignore_ascii_case(name.as_bytes())) {
            return at;
        }
        at += 2;
    }
    text.len()
}

/// Whether a page is in UTF-8: by its byte order mark, by what its first 1024 bytes declare (HTML,
/// "encoding sniffing"), or else by letters beyond ASCII that are.
pub(super) fn is_utf8(bytes: &[u8]) -> bool {
    if bytes.starts_with(b"\xef\xbb\xbf") {
        return true;
    }
    let head = bytes[..bytes.len().min(1024)].to_ascii_lowercase();
    match declared(&head) {
        Some(name) => name.starts_with(b"utf-8") || name.starts_with(b"utf8"),
        None => !bytes.is_ascii() && std::str::from_utf8(bytes).is_ok(),
    }
}

/// What stands behind `charset=` in a `<meta>`, or `encoding=` in an XML declaration.
fn declared(head: &[u8]) -> Option<&[u8]> {
    let name = match head.strip_prefix(b"<?xml") {
        Some(xml) => {
            let end = memmem::find(xml, b"?>").unwrap_or(xml.len());
            let at = memmem::find(&xml[..end], b"encoding").map(|at| at + 8);
            at.map(|at| &xml[at..end])
        }
        None => None,
    };
    let meta = || {
        let at = memmem::find(head, b"charset")?;
        Some(&head[at + 7..])
    };
    let after = name.or_else(meta)?;
    let is_sign = |b: &u8| b.is_ascii_whitespace() || matches!(b, b'=' | b'"' | b'\'');
    let signs = after.iter().take_while(|b| is_sign(b)).count();
    Some(&after[signs..])
}

/// Whether a page begins with UTF-16's byte order mark.
pub(super) fn is_utf16(bytes: &[u8]) -> bool {
    bytes.starts_with(b"\xff\xfe") || bytes.starts_with(b"\xfe\xff")
}

/// Whether a page in UTF-16 holds a text of ASCII, in either order of bytes.
pub(super) fn holds_utf16(bytes: &[u8], text: &str) -> bool {
    // Between two letters there is one byte of nothing in both orders.
    let wide: Vec<u8> = text.bytes().flat_map(|byte| [byte, 0]).collect();
    memmem::find(bytes, &wide[..wide.len() - 1]).is_some()
}
