//! The lock of an output folder.

use std::io;

use tabulae_core::diagnostic::{Code, Diagnostic};
use tabulae_core::source::Location;

use super::{Destination, unwritable};

/// Takes the lock of an output folder; the caller releases it.
///
/// # Errors
/// If another build holds it, or it cannot be written.
pub(crate) fn lock(destination: &mut dyn Destination) -> Result<(), Box<Diagnostic>> {
    let error = match destination.lock() {
        Ok(()) => return Ok(()),
        Err(error) => error,
    };
    if error.kind() != io::ErrorKind::WouldBlock {
        return Err(Box::new(unwritable(".tabulae/lock", &error)));
    }
    let location = Location::top_of(".tabulae/lock");
    let message = "another build of this site is under way";
    let diagnostic = Diagnostic::error(Code::BuildLocked, location, message);
    Err(Box::new(
        diagnostic.help("wait until it is done, or end it"),
    ))
}
