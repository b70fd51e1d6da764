//! A small HTTP/1.1 server (RFC 9110, RFC 9112) for one developer on one machine: it answers GET and
//! HEAD on a thread for each connection, in single byte ranges too, and can keep an answer open for server-sent events.
//!
//! A server that is reached from a network needs another one: this has no TLS and no compression.

mod connection;
mod handler;
mod range;
mod request;
mod response;

use std::io;
use std::net::TcpListener;
use std::sync::Arc;
use std::sync::atomic::{AtomicUsize, Ordering};
use std::thread;

pub use self::handler::{CONNECTIONS, HEAD_BYTES, Handler, IDLE};
pub use self::request::Request;
pub use self::response::{Body, Response};

/// Serves until the listener fails.
///
/// # Errors
/// The listener's, unless it is of one connection alone.
pub fn serve(listener: &TcpListener, handler: &Arc<Handler>) -> io::Result<()> {
    let open = Arc::new(AtomicUsize::new(0));
    loop {
        let stream = match listener.accept() {
            Ok((stream, _)) => stream,
            Err(error) if is_of_one_connection(&error) => continue,
            Err(error) => return Err(error),
        };
        let guard = Open::new(&open);
        let handler = Arc::clone(handler);
        // If no thread can be had, the connection is closed as the closure is dropped.
        let _ = thread::Builder::new().spawn(move || {
            let is_full = guard.0.load(Ordering::Relaxed) > CONNECTIONS;
            let _ = if is_full {
                connection::refuse(stream)
            } else {
                connection::answer(stream, &*handler)
            };
        });
    }
}

fn is_of_one_connection(error: &io::Error) -> bool {
    use io::ErrorKind::{ConnectionAborted, ConnectionReset, Interrupted};
    matches!(
        error.kind(),
        ConnectionAborted | ConnectionReset | Interrupted
    )
}

/// Counts a connection as long as it is open.
struct Open(Arc<AtomicUsize>);

impl Open {
    fn new(open: &Arc<AtomicUsize>) -> Self {
        open.fetch_add(1, Ordering::Relaxed);
        Self(Arc::clone(open))
    }
}

impl Drop for Open {
    fn drop(&mut self) {
        self.0.fetch_sub(1, Ordering::Relaxed);
    }
}

#[cfg(test)]
mod tests;
