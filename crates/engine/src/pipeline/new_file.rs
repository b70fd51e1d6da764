//! Writing files into a site: only new ones.

use std::fmt::Display;
use std::fs;
use std::io::{ErrorKind, Write as _};
use std::path::Path;

use tabulae_core::diagnostic::{Code, Diagnostic};
use tabulae_core::route::OutputPath;
use tabulae_core::source::Location;

/// Writes a file that does not exist below the site's folder, with the folders that it needs. `what` is the
/// file in words, for messages.
///
/// # Errors
/// If the name is no path, if a file has it, or if it cannot be written.
pub(crate) fn write_new(
    root: &Path,
    name: &str,
    text: &str,
    what: &str,
) -> Result<(), Box<Diagnostic>> {
    let refused = |why: &dyn Display| {
        let message = format!("cannot write {what} `{name}`: {why}");
        Diagnostic::error(Code::UnwritableFile, Location::top_of(name), message)
    };
    let path = OutputPath::new(name).map_err(|error| Box::new(refused(&error)))?;
    let path = root.join(path.as_str());
    let written = path
        .parent()
        .map_or(Ok(()), fs::create_dir_all)
        .and_then(|()| {
            let mut file = fs::File::options()
                .write(true)
                .create_new(true)
                .open(&path)?;
            let written = file.write_all(text.as_bytes());
            if written.is_err() {
                // Half a file would be taken for a whole one. The first error is the one to report.
                let _ = fs::remove_file(&path);
            }
            written
        });
    written.map_err(|error| match error.kind() {
        ErrorKind::AlreadyExists => {
            let exists = refused(&"a file of this name exists");
            Box::new(exists.help(format!("change `{name}`, or delete it first")))
        }
        _ => Box::new(refused(&error)),
    })
}
