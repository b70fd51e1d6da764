//! Files as text. What cannot be read is an error at its place.

use std::io;

use tabulae_core::diagnostic::{Code, Diagnostic, Diagnostics};
use tabulae_core::source::{Location, Source, Span};

use crate::source::Sources;

/// The files below a folder, by path, in order; `None` where there is no such folder. Those that
/// editors and systems leave there are passed over.
pub(super) fn list(
    sources: &dyn Sources,
    folder: &str,
    diagnostics: &mut Diagnostics,
) -> Option<Vec<String>> {
    let mut files = list_all(sources, folder, diagnostics)?;
    files.retain(|path| !is_left_over(path));
    Some(files)
}

/// All files below a folder, as [`list`] gives them.
pub(super) fn list_all(
    sources: &dyn Sources,
    folder: &str,
    diagnostics: &mut Diagnostics,
) -> Option<Vec<String>> {
    match sources.list(folder) {
        Ok(files) => files,
        Err((path, error)) => {
            diagnostics.push(unreadable(&path, &error));
            None
        }
    }
}

fn is_left_over(path: &str) -> bool {
    path.split('/').any(|step| {
        step.starts_with('.')
            || step.ends_with('~')
            || (step.starts_with('#') && step.ends_with('#'))
    })
}

/// Reads a text source of at most `limit` megabytes.
///
/// # Errors
/// If it cannot be read, or is larger.
pub(super) fn read_bytes(sources: &dyn Sources, path: &str, limit: usize) -> io::Result<Vec<u8>> {
    let size = sources.size(path)?;
    if size > (limit as u64) << 20 {
        let what = format!("it has {} MB, of at most {limit}", size.div_ceil(1 << 20));
        return Err(io::Error::new(io::ErrorKind::FileTooLarge, what));
    }
    sources.read(path)
}

/// A file's text, which is UTF-8 and has at most `limit` megabytes.
pub(super) fn read(
    sources: &dyn Sources,
    path: &str,
    limit: usize,
    diagnostics: &mut Diagnostics,
) -> Option<String> {
    match read_bytes(sources, path, limit) {
        Ok(bytes) => as_text(path, bytes, diagnostics),
        Err(error) => {
            diagnostics.push(unreadable(path, &error));
            None
        }
    }
}

/// Returns the bytes as UTF-8. The first invalid byte is an error at its place.
pub(super) fn as_text(path: &str, bytes: Vec<u8>, diagnostics: &mut Diagnostics) -> Option<String> {
    let error = match String::from_utf8(bytes) {
        Ok(text) => return Some(text),
        Err(error) => error,
    };
    let good = error.utf8_error().valid_up_to();
    let bytes = error.into_bytes();
    let text = String::from_utf8_lossy(&bytes[..good]);
    let mut location = Source::new(path, &text).location(Span::new(good, good + 1));
    location.excerpt = None;
    let byte = bytes[good];
    let message = format!("`{path}` is not UTF-8 text: the byte {byte:#04x} begins no character");
    diagnostics.push(
        Diagnostic::error(Code::InvalidUtf8, location, message).help("save the file as UTF-8"),
    );
    None
}

pub(crate) fn unreadable(path: &str, error: &io::Error) -> Diagnostic {
    let message = format!("cannot read `{path}`: {}", reason(error));
    Diagnostic::error(Code::UnreadableFile, Location::top_of(path), message).help(
        match error.kind() {
            io::ErrorKind::FileTooLarge => {
                "raise `source_limit` in `[site]`, or move the file to assets/"
            }
            io::ErrorKind::CrossesDevices => {
                "put the file itself there, or write `follow_links = true` in `[site]`"
            }
            _ => "check the file's permissions, or delete it",
        },
    )
}

/// Why a file could not be used, without the system's number.
pub(crate) fn reason(error: &io::Error) -> String {
    let text = error.to_string();
    match text.split_once(" (os error") {
        Some((reason, _)) => reason.to_lowercase(),
        None => text,
    }
}
