//! The encoding of an HTML page, as far as placeholders need it.

use memchr::memmem;

/// Returns true if a page is in UTF-8: by its byte order mark, by what its first 1024 bytes declare (HTML,
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

/// Returns what follows `charset=` in a `<meta>`, or `encoding=` in an XML declaration.
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

/// Returns true if a page begins with UTF-16's byte order mark.
pub(super) fn is_utf16(bytes: &[u8]) -> bool {
    bytes.starts_with(b"\xff\xfe") || bytes.starts_with(b"\xfe\xff")
}

/// Returns true if a page in UTF-16 has a text of ASCII, in either order of bytes.
pub(super) fn holds_utf16(bytes: &[u8], text: &str) -> bool {
    // Between two letters there is one byte of nothing in both orders.
    let wide: Vec<u8> = text.bytes().flat_map(|byte| [byte, 0]).collect();
    memmem::find(bytes, &wide[..wide.len() - 1]).is_some()
}
