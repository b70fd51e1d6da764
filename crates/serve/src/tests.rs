//! The server over real connections.

use std::io::{Read as _, Write as _};
use std::net::{Ipv4Addr, TcpListener, TcpStream};
use std::sync::Arc;
use std::thread;

use rstest::rstest;

use super::*;

/// Serves on a free port for the rest of the process.
fn served() -> u16 {
    let listener = TcpListener::bind((Ipv4Addr::LOCALHOST, 0)).unwrap();
    let port = listener.local_addr().unwrap().port();
    let handler: Arc<Handler> = Arc::new(|request: &Request| match &*request.path {
        "/a" => Response::html(200, "<p>a".to_owned()).with("X-Line", "one\r\nX-Other: two"),
        "/events" => {
            let mut events = ["one\ntwo", "", "three"].into_iter().map(str::to_owned);
            let body = Body::Events(Box::new(move || events.next()));
            Response::new(200, "text/event-stream", body)
        }
        _ => Response::text(404, "none"),
    });
    thread::spawn(move || serve(&listener, &handler));
    port
}

/// Sends some bytes and returns the answers until the server closes the connection.
fn answers(port: u16, sent: &[u8]) -> String {
    let mut stream = TcpStream::connect((Ipv4Addr::LOCALHOST, port)).unwrap();
    stream.set_read_timeout(Some(IDLE * 2)).unwrap();
    stream.write_all(sent).unwrap();
    let mut text = String::new();
    stream.read_to_string(&mut text).unwrap();
    let lines = text.split_inclusive("\r\n");
    lines.filter(|line| !line.starts_with("Date: ")).collect()
}

#[rstest]
#[case::get(
    "GET /a HTTP/1.1\r\nConnection: close\r\n\r\n",
    "HTTP/1.1 200 OK\r\nContent-Length: 4\r\nConnection: close\r\nContent-Type: text/html; charset=utf-8\r\nX-Line: one  X-Other: two\r\nAccept-Ranges: bytes\r\n\r\n<p>a"
)]
#[case::range(
    "GET /a HTTP/1.1\r\nRange: bytes=1-2\r\nConnection: close\r\n\r\n",
    "HTTP/1.1 206 Partial Content\r\nContent-Length: 2\r\nConnection: close\r\nContent-Type: text/html; charset=utf-8\r\nX-Line: one  X-Other: two\r\nAccept-Ranges: bytes\r\nContent-Range: bytes 1-2/4\r\n\r\np>"
)]
#[case::beyond_the_end(
    "GET /a HTTP/1.1\r\nRange: bytes=4-\r\nConnection: close\r\n\r\n",
    "HTTP/1.1 416 Range Not Satisfiable\r\nContent-Length: 0\r\nConnection: close\r\nContent-Type: text/plain; charset=utf-8\r\nContent-Range: bytes */4\r\n\r\n"
)]
#[case::head(
    "HEAD /b HTTP/1.0\r\n\r\n",
    "HTTP/1.1 404 Not Found\r\nContent-Length: 4\r\nConnection: close\r\nContent-Type: text/plain; charset=utf-8\r\n\r\n"
)]
#[case::two(
    "GET /b HTTP/1.1\r\n\r\nGET /b HTTP/1.0\r\n\r\n",
    "HTTP/1.1 404 Not Found\r\nContent-Length: 4\r\nContent-Type: text/plain; charset=utf-8\r\n\r\nnoneHTTP/1.1 404 Not Found\r\nContent-Length: 4\r\nConnection: close\r\nContent-Type: text/plain; charset=utf-8\r\n\r\nnone"
)]
#[case::events(
    "GET /events HTTP/1.1\r\n\r\n",
    "HTTP/1.1 200 OK\r\nConnection: close\r\nContent-Type: text/event-stream\r\n\r\ndata: one\ndata: two\n\n:\n\ndata: three\n\n"
)]
fn requests_are_answered(#[case] sent: &str, #[case] expected: &str) {
    assert_eq!(answers(served(), sent.as_bytes()), expected);
}

#[rstest]
#[case::method("POST /a HTTP/1.1\r\nContent-Length: 2\r\n\r\nab", "405")]
#[case::not_http("\x16\x03\x01\r\n\r\n", "400")]
#[case::long(&format!("GET /{} HTTP/1.1\r\n", "a".repeat(HEAD_BYTES)), "431")]
fn others_are_refused(#[case] sent: &str, #[case] status: &str) {
    let answer = answers(served(), sent.as_bytes());
    assert_eq!(answer.get(9..12), Some(status), "{answer}");
}

#[test]
fn a_body_is_not_taken_for_a_request() {
    let sent = b"GET /a HTTP/1.1\r\nContent-Length: 24\r\n\r\nGET /events HTTP/1.1\r\n\r\n";
    let answer = answers(served(), sent);
    assert!(answer.ends_with("<p>a"), "{answer}");
}
