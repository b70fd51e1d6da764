//! Errors of writing.

use std::io;

use tabulae_core::diagnostic::{Code, Diagnostic, Diagnostics};
use tabulae_core::source::Location;

use crate::site::reason;

/// Returns the error for a file or folder that cannot be written.
pub(crate) fn unwritable(path: &str, error: &io::Error) -> Diagnostic {
    Diagnostic::error(
        Code::UnwritableFile,
        Location::top_of(path),
        format!("cannot write `{path}`: {}", reason(error)),
    )
    .help(match error.kind() {
        io::ErrorKind::NotADirectory => {
            "a file is where a folder is needed: move it away, or write elsewhere with `--out`"
        }
        _ => "check the folder's permissions and the free space",
    })
}

/// Adds diagnostics, each once: an error in a template that all pages use comes from each of them.
pub(crate) fn add_once(found: Diagnostics, diagnostics: &mut Diagnostics) {
    for diagnostic in found {
        let same = |known: &Diagnostic| {
            known.code == diagnostic.code
                && known.location == diagnostic.location
                && known.message == diagnostic.message
        };
        if !diagnostics.iter().any(same) {
            diagnostics.push(diagnostic);
        }
    }
}
