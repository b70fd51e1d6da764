//! Diagnostics of a query as an error of the template engine.

use std::fmt;

use tabulae_core::diagnostic::Diagnostics;

/// The diagnostics of a query, which pass through the template engine.
#[derive(Debug)]
pub(super) struct QueryError(pub(super) Diagnostics);

impl fmt::Display for QueryError {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        let messages: Vec<&str> = self
            .0
            .iter()
            .map(|diagnostic| diagnostic.message.as_str())
            .collect();
        f.write_str(&messages.join("; "))
    }
}

impl std::error::Error for QueryError {}
