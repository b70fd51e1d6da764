//! One connection: requests one after the other, each with its answer.

use std::io::{self, BufWriter, Read, Write};
use std::net::{Shutdown, TcpStream};
use std::time::{Instant, SystemTime};

use crate::handler::{HEAD_BYTES, Handler, IDLE};
use crate::range::in_range;
use crate::request::{Head, Request};
use crate::response::{Body, Response, reason};

/// Answers the requests of a connection until it is closed, or idle for too long.
pub(crate) fn answer(mut stream: TcpStream, handler: &Handler) -> io::Result<()> {
    stream.set_write_timeout(Some(IDLE))?;
    stream.set_nodelay(true)?;
    let mut read = Vec::new();
    loop {
        let request = match next_request(&mut stream, &mut read)? {
            Next::Request(request) => request,
            Next::Refused(status) => return close(stream, &Response::text(status, "")),
            Next::End => return Ok(()),
        };
        let has_content = request.method != "HEAD";
        if has_content && request.method != "GET" {
            let response = Response::text(405, "only GET and HEAD are answered here\n");
            return close(stream, &response.with("Allow", "GET, HEAD"));
        }
        let response = in_range(handler(&request), request.range.as_deref())?;
        // What a body holds is not looked for: the next request would begin within it.
        let closes = request.closes || request.has_body;
        if !write(&stream, response, has_content, closes)? {
            return stream.shutdown(Shutdown::Both);
        }
    }
}

/// Says that there are too many connections.
pub(crate) fn refuse(stream: TcpStream) -> io::Result<()> {
    stream.set_write_timeout(Some(IDLE))?;
    close(
        stream,
        &Response::text(503, "too many connections are open\n"),
    )
}

enum Next {
    Request(Request),
    /// Refuse the request with this status.
    Refused(u16),
    End,
}

/// Reads the head of the next request; `read` holds what was read beyond the last one.
fn next_request(stream: &mut TcpStream, read: &mut Vec<u8>) -> io::Result<Next> {
    let until = Instant::now() + IDLE;
    loop {
        match Head::read(read) {
            Head::Whole(request, length) => {
                read.drain(..length);
                return Ok(Next::Request(request));
            }
            Head::Invalid => return Ok(Next::Refused(400)),
            Head::Part if read.len() >= HEAD_BYTES => return Ok(Next::Refused(431)),
            Head::Part => {}
        }
        let left = until.saturating_duration_since(Instant::now());
        if left.is_zero() {
            return Ok(Next::End);
        }
        stream.set_read_timeout(Some(left))?;
        let mut bytes = [0; 4096];
        match stream.read(&mut bytes)? {
            0 => return Ok(Next::End),
            length => read.extend_from_slice(&bytes[..length]),
        }
    }
}

/// Writes an answer, and closes the connection.
fn close(stream: TcpStream, response: &Response) -> io::Result<()> {
    let Body::Bytes(bytes) = &response.body else {
        return Ok(());
    };
    let mut out = BufWriter::new(&stream);
    head(&mut out, response, Some(bytes.len() as u64), true)?;
    out.write_all(bytes)?;
    out.flush()?;
    drop(out);
    // A client that still sends would otherwise lose the answer with the reset.
    stream.shutdown(Shutdown::Write)?;
    stream.set_read_timeout(Some(std::time::Duration::from_millis(200)))?;
    io::copy(&mut (&stream).take(HEAD_BYTES as u64), &mut io::sink()).map(drop)
}

/// Writes an answer, without its content for `HEAD`. Returns whether another may follow.
fn write(stream: &TcpStream, response: Response, content: bool, closes: bool) -> io::Result<bool> {
    let mut out = BufWriter::new(stream);
    let length = match &response.body {
        Body::Bytes(bytes) => Some(bytes.len() as u64),
        Body::File(_, length) => Some(*length),
        Body::Events(_) => None,
    };
    let closes = closes || length.is_none();
    head(&mut out, &response, length, closes)?;
    if content {
        match response.body {
            Body::Bytes(bytes) => out.write_all(&bytes)?,
            Body::File(file, length) => {
                let sent = io::copy(&mut file.take(length), &mut out)?;
                if sent < length {
                    // It became shorter: only closing tells the client so.
                    return Ok(false);
                }
            }
            Body::Events(mut next) => {
                out.flush()?;
                while let Some(text) = next() {
                    event(&mut out, &text)?;
                    out.flush()?;
                }
            }
        }
    }
    out.flush()?;
    Ok(!closes)
}

/// Writes an event, or for an empty text a comment.
fn event(out: &mut impl Write, text: &str) -> io::Result<()> {
    if text.is_empty() {
        return out.write_all(b":\n\n");
    }
    for line in text.lines() {
        writeln!(out, "data: {line}")?;
    }
    out.write_all(b"\n")
}

fn head(
    out: &mut impl Write,
    response: &Response,
    length: Option<u64>,
    closes: bool,
) -> io::Result<()> {
    let (status, date) = (response.status, httpdate::fmt_http_date(SystemTime::now()));
    write!(
        out,
        "HTTP/1.1 {status} {}\r\nDate: {date}\r\n",
        reason(status)
    )?;
    if let Some(length) = length {
        write!(out, "Content-Length: {length}\r\n")?;
    }
    if closes {
        out.write_all(b"Connection: close\r\n")?;
    }
    for (name, value) in &response.fields {
        // A line's end would begin another field.
        let value = value.replace(['\r', '\n'], " ");
        write!(out, "{name}: {value}\r\n")?;
    }
    out.write_all(b"\r\n")
}
