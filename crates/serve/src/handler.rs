//! The handler of requests, and the limits of the server.

use std::time::Duration;

use crate::request::Request;
use crate::response::Response;

/// The timeout for a request's head, and for the next request on an open connection.
pub const IDLE: Duration = Duration::from_secs(10);

/// The largest head of a request, in bytes: its first line and its fields.
pub const HEAD_BYTES: usize = 16 << 10;

/// The maximum number of simultaneous connections; further ones get the status 503.
pub const CONNECTIONS: usize = 128;

/// Answers a request. It is called on the connection's own thread, and so may block.
pub type Handler = dyn Fn(&Request) -> Response + Send + Sync;
