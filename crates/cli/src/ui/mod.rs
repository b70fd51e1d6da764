//! Words and colours: what is printed, where, and with which status the program ends.

mod diagnostics;
mod diff;
pub(crate) mod progress;
mod summary;
pub(crate) mod table;
mod usage;

use std::io::{self, Write};

use serde_json::{Value, json};
use tabulae_core::diagnostic::{Code, Diagnostic, by_location};
use tabulae_core::edit::Edit;

use crate::args::Args;

pub(crate) use self::diagnostics::{BOLD, ERROR, HELP, WARNING, add_new, location, plain, report};
pub(crate) use self::diff::{changes_json, diff};
pub(crate) use self::summary::built_line;
pub(crate) use self::usage::usage;

/// The exit status of the program.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord)]
pub(crate) enum Status {
    /// Done.
    Done = 0,
    /// There are diagnostics in the site.
    Diagnostics = 1,
    /// The command line is wrong.
    Usage = 2,
    /// The machine: disk full, no permission.
    Machine = 3,
}

/// The status that diagnostics end with.
pub(crate) fn status(diagnostics: &[Diagnostic]) -> Status {
    let errors = diagnostics
        .iter()
        .filter(|diagnostic| diagnostic.is_error());
    errors
        .map(|diagnostic| match diagnostic.code {
            Code::UnwritableFile | Code::BuildLocked => Status::Machine,
            Code::InvalidUsage | Code::InvalidOutputFolder => Status::Usage,
            // A faulty query that was typed is wrong usage.
            _ if diagnostic.location.file.is_none() => Status::Usage,
            _ => Status::Diagnostics,
        })
        .max()
        .unwrap_or(Status::Done)
}

/// Prints to standard output. A pipe that was closed is a quiet success.
pub(crate) fn print(text: &str) -> Status {
    let mut out = anstream::stdout().lock();
    match out.write_all(text.as_bytes()).and_then(|()| out.flush()) {
        Ok(()) => Status::Done,
        Err(error) if error.kind() == io::ErrorKind::BrokenPipe => Status::Done,
        Err(error) => {
            complain(&format!("cannot write to standard output: {error}\n"));
            Status::Machine
        }
    }
}

/// Prints to standard error.
pub(crate) fn complain(text: &str) {
    let _ = anstream::stderr().lock().write_all(text.as_bytes());
}

/// Prints the diagnostics of a command that failed, as JSON or as text.
pub(crate) fn failed(args: &Args, diagnostics: &[Diagnostic]) -> Status {
    if args.is_json() {
        json(&json!({}), diagnostics)
    } else {
        report(diagnostics, args.all)
    }
}

/// Prints one JSON object: `object` with the diagnostics added.
pub(crate) fn json(object: &Value, diagnostics: &[Diagnostic]) -> Status {
    let mut object = object.clone();
    object["diagnostics"] = by_location(diagnostics)
        .into_iter()
        .map(diagnostic_json)
        .collect();
    let text = serde_json::to_string_pretty(&object).unwrap_or_default();
    status(diagnostics).max(print(&format!("{text}\n")))
}

/// Returns a diagnostic as an object.
pub(crate) fn diagnostic_json(diagnostic: &Diagnostic) -> Value {
    json!({
        "severity": if diagnostic.is_error() { "error" } else { "warning" },
        "code": diagnostic.code.name(),
        "file": diagnostic.location.file.as_deref(),
        "line": diagnostic.location.line,
        "column": diagnostic.location.column,
        "message": diagnostic.message,
        "help": diagnostic.help,
        "edits": diagnostic.edits.iter().map(edit_json).collect::<Value>(),
    })
}

fn edit_json(edit: &Edit) -> Value {
    match edit {
        Edit::Replace(edit) => json!({
            "file": &*edit.file,
            "line": edit.line,
            "column": edit.column,
            "old": edit.old,
            "new": edit.new,
        }),
        Edit::Create { file, text } => json!({ "file": &**file, "text": text }),
    }
}

/// "1 post", "14 posts".
pub(crate) fn counted(count: usize, one: &str, many: &str) -> String {
    format!("{count} {}", if count == 1 { one } else { many })
}
