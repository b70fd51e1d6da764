//! Reading requests.

use std::borrow::Cow;

/// A request's first line, and the few fields that a server of one machine looks at.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Request {
    /// The method, in upper case as sent.
    pub method: String,
    /// The path, percent-encoded, beginning with `/`.
    pub path: String,
    /// The query after `?`, percent-encoded; empty if the target has no query.
    pub query: String,
    /// The field `Host`; empty if it is missing.
    pub host: String,
    /// The field `Range`, if there is one.
    pub(crate) range: Option<String>,
    /// Set if the client asks to close the connection after the answer.
    pub(crate) closes: bool,
    /// Set if a body follows.
    pub(crate) has_body: bool,
}

/// The result of reading a request's head.
#[derive(Debug, PartialEq, Eq)]
pub(crate) enum Head {
    /// A complete head, and its length in bytes.
    Whole(Request, usize),
    /// More bytes are needed.
    Part,
    /// The bytes are not HTTP.
    Invalid,
}

/// The maximum number of fields of a request.
const FIELDS: usize = 64;

impl Head {
    /// Reads the head that `bytes` begin with.
    pub(crate) fn read(bytes: &[u8]) -> Self {
        let mut fields = [httparse::EMPTY_HEADER; FIELDS];
        let mut head = httparse::Request::new(&mut fields);
        let length = match head.parse(bytes) {
            Ok(httparse::Status::Complete(length)) => length,
            Ok(httparse::Status::Partial) => return Self::Part,
            Err(_) => return Self::Invalid,
        };
        let field = |name: &str| {
            let fields = head.headers.iter();
            let mut found = fields.filter(|field| field.name.eq_ignore_ascii_case(name));
            found
                .next()
                .map(|field| String::from_utf8_lossy(field.value))
        };
        let target = head.path.unwrap_or_default();
        // A target may also be a whole address (RFC 9112, 3.2.2).
        let target = match target.strip_prefix("http://") {
            Some(rest) => rest.find('/').map_or("/", |slash| &rest[slash..]),
            None => target,
        };
        if !target.starts_with('/') {
            return Self::Invalid;
        }
        let (path, query) = target.split_once('?').unwrap_or((target, ""));
        let connection = field("connection").unwrap_or_default().to_ascii_lowercase();
        let request = Request {
            method: head.method.unwrap_or_default().to_owned(),
            path: path.to_owned(),
            query: query.to_owned(),
            host: field("host").unwrap_or_default().into_owned(),
            range: field("range").map(Cow::into_owned),
            closes: head.version == Some(0) || connection.contains("close"),
            has_body: field("transfer-encoding").is_some()
                || field("content-length").is_some_and(|length| length.trim() != "0"),
        };
        Self::Whole(request, length)
    }
}

impl Request {
    /// Returns a parameter of the query, decoded (URL Standard, `application/x-www-form-urlencoded`).
    #[must_use]
    pub fn parameter(&self, name: &str) -> Option<String> {
        let mut all = form_urlencoded::parse(self.query.as_bytes());
        let found = all.find(|(known, _)| known == name);
        found.map(|(_, value)| value.into_owned())
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use rstest::rstest;

    fn read(text: &str) -> Option<Request> {
        match Head::read(text.as_bytes()) {
            Head::Whole(request, length) => {
                assert_eq!(length, text.len());
                Some(request)
            }
            Head::Part | Head::Invalid => None,
        }
    }

    #[rstest]
    #[case::path("GET /a%20b HTTP/1.1\r\nHost: x\r\n\r\n", "/a%20b", "")]
    #[case::query("GET /a?q=b?c HTTP/1.1\r\n\r\n", "/a", "q=b?c")]
    #[case::whole_address("GET http://x:80/a HTTP/1.1\r\n\r\n", "/a", "")]
    #[case::address_without_path("GET http://x HTTP/1.1\r\n\r\n", "/", "")]
    fn a_target_is_path_and_query(#[case] text: &str, #[case] path: &str, #[case] query: &str) {
        let request = read(text).unwrap();
        assert_eq!((&*request.path, &*request.query), (path, query));
    }

    #[rstest]
    #[case::star("OPTIONS * HTTP/1.1\r\n\r\n")]
    #[case::no_slash("GET a HTTP/1.1\r\n\r\n")]
    #[case::no_http("hello\r\n\r\n")]
    #[case::control("GET /\x07 HTTP/1.1\r\n\r\n")]
    fn what_is_no_request_is_invalid(#[case] text: &str) {
        assert_eq!(Head::read(text.as_bytes()), Head::Invalid);
    }

    #[test]
    fn a_part_of_a_head_waits_for_the_rest() {
        assert_eq!(Head::read(b"GET / HTTP/1.1\r\nHo"), Head::Part);
    }

    #[rstest]
    #[case::kept("GET / HTTP/1.1\r\nHost: x\r\n\r\n", false, false)]
    #[case::closed("GET / HTTP/1.1\r\nConnection: Close\r\n\r\n", true, false)]
    #[case::old("GET / HTTP/1.0\r\n\r\n", true, false)]
    #[case::body("POST / HTTP/1.1\r\nContent-Length: 3\r\n\r\n", false, true)]
    #[case::no_body("POST / HTTP/1.1\r\nContent-Length: 0\r\n\r\n", false, false)]
    #[case::chunks("POST / HTTP/1.1\r\nTransfer-Encoding: chunked\r\n\r\n", false, true)]
    fn what_follows_is_known(#[case] text: &str, #[case] closes: bool, #[case] has_body: bool) {
        let request = read(text).unwrap();
        assert_eq!((request.closes, request.has_body), (closes, has_body));
    }

    #[test]
    fn parameters_are_decoded() {
        let request = read("GET /?a=1&q=from+posts%20x&q=2 HTTP/1.1\r\n\r\n").unwrap();
        assert_eq!(request.parameter("q").as_deref(), Some("from posts x"));
        assert_eq!(request.parameter("z"), None);
    }
}
