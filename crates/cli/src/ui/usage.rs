//! Wrong usage, help and version.

use clap::error::ErrorKind;
use tabulae_core::diagnostic::{Code, Diagnostic};
use tabulae_core::source::Source;

use super::{Status, complain, json, print};

/// Prints what the command line asks of the program itself, or the error in it.
pub(crate) fn usage(error: &clap::Error) -> Status {
    if matches!(
        error.kind(),
        ErrorKind::DisplayHelp | ErrorKind::DisplayVersion
    ) {
        let text = error.render().ansi().to_string();
        return print(&format!("{}\n", text.trim_end()));
    }
    if !asks_for_json() {
        complain(&error.render().ansi().to_string());
        return Status::Usage;
    }
    let text = error.render().to_string();
    let message = text
        .lines()
        .next()
        .unwrap_or_default()
        .trim_start_matches("error: ")
        .to_owned();
    let diagnostic = Diagnostic::error(Code::InvalidUsage, Source::command_line("").top(), message)
        .help("`tabulae --help` lists commands and options");
    json(&serde_json::json!({}), &[diagnostic]).max(Status::Usage)
}

/// Returns true if the words contain `--format json`, although they cannot be parsed.
fn asks_for_json() -> bool {
    let words: Vec<String> = std::env::args().collect();
    words.iter().any(|word| word == "--format=json")
        || words
            .windows(2)
            .any(|pair| pair[0] == "--format" && pair[1] == "json")
}
