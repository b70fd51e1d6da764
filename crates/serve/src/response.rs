//! Answers.

use std::fmt;
use std::fs::File;

/// An answer.
#[derive(Debug)]
pub struct Response {
    /// The status code (RFC 9110, section 15).
    pub status: u16,
    /// Fields beside those that the server writes itself: `Date`, `Content-Length`, `Connection`.
    pub fields: Vec<(&'static str, String)>,
    /// The content.
    pub body: Body,
}

/// The content of an answer.
pub enum Body {
    /// Bytes.
    Bytes(Vec<u8>),
    /// A file, from its start, and its length in bytes.
    File(File, u64),
    /// Server-sent events (HTML, "Server-sent events"), until it returns `None` or the client goes
    /// away. An empty text keeps the connection open: one is due every few seconds.
    Events(Box<dyn FnMut() -> Option<String> + Send>),
}

impl fmt::Debug for Body {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        match self {
            Self::Bytes(bytes) => write!(f, "Bytes({})", bytes.len()),
            Self::File(_, length) => write!(f, "File({length})"),
            Self::Events(_) => f.write_str("Events"),
        }
    }
}

impl Response {
    /// An answer with a content of this media type.
    #[must_use]
    pub fn new(status: u16, media_type: &str, body: Body) -> Self {
        let fields = vec![("Content-Type", media_type.to_owned())];
        Self {
            status,
            fields,
            body,
        }
    }

    /// A text, in UTF-8.
    #[must_use]
    pub fn text(status: u16, text: &str) -> Self {
        let body = Body::Bytes(text.as_bytes().to_vec());
        Self::new(status, "text/plain; charset=utf-8", body)
    }

    /// An HTML page, in UTF-8.
    #[must_use]
    pub fn html(status: u16, html: String) -> Self {
        Self::new(
            status,
            "text/html; charset=utf-8",
            Body::Bytes(html.into_bytes()),
        )
    }

    /// A redirect. The status is 307 for now or 308 for good; `location` is percent-encoded.
    #[must_use]
    pub fn redirect(status: u16, location: String) -> Self {
        Self::text(status, "").with("Location", location)
    }

    /// Adds a field.
    #[must_use]
    pub fn with(mut self, name: &'static str, value: impl Into<String>) -> Self {
        self.fields.push((name, value.into()));
        self
    }
}

/// The words for a status code.
pub(crate) fn reason(status: u16) -> &'static str {
    match status {
        200 => "OK",
        206 => "Partial Content",
        307 => "Temporary Redirect",
        308 => "Permanent Redirect",
        400 => "Bad Request",
        403 => "Forbidden",
        404 => "Not Found",
        405 => "Method Not Allowed",
        416 => "Range Not Satisfiable",
        431 => "Request Header Fields Too Large",
        500 => "Internal Server Error",
        503 => "Service Unavailable",
        _ => "",
    }
}
