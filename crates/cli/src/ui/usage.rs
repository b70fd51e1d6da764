//! Wrong usage, help and version.

use clap::error::{ContextKind, ErrorKind};
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
    let diagnostic = Diagnostic::error(
        Code::InvalidUsage,
        Source::command_line("").top(),
        message(error),
    )
    .help(help(error));
    json(&serde_json::json!({}), &[diagnostic]).max(Status::Usage)
}

/// Returns the first sentence of an error, with the arguments that are missing.
fn message(error: &clap::Error) -> String {
    let text = error.render().to_string();
    let first = text.lines().next().unwrap_or_default();
    let first = first.trim_start_matches("error: ");
    match (error.kind(), error.get(ContextKind::InvalidArg)) {
        (ErrorKind::MissingRequiredArgument, Some(missing)) => format!("{first} {missing}"),
        _ => first.to_owned(),
    }
}

/// Returns the nearest word, or else all that are possible.
fn help(error: &clap::Error) -> String {
    let suggested = [
        ContextKind::SuggestedSubcommand,
        ContextKind::SuggestedArg,
        ContextKind::SuggestedValue,
    ];
    let suggested = suggested.into_iter().find_map(|kind| error.get(kind));
    if let Some(near) = suggested
        .map(ToString::to_string)
        .filter(|near| !near.is_empty())
    {
        return format!(
            "did you mean `{}`?",
            near.split(", ").next().unwrap_or(&near)
        );
    }
    match error.get(ContextKind::ValidValue).map(ToString::to_string) {
        Some(values) if !values.is_empty() => format!("write one of {values}"),
        _ => "`tabulae --help` lists commands and options".to_owned(),
    }
}

/// Returns true if the words contain `--format json`, although they cannot be parsed.
fn asks_for_json() -> bool {
    let words: Vec<String> = std::env::args().collect();
    words.iter().any(|word| word == "--format=json")
        || words
            .windows(2)
            .any(|pair| pair[0] == "--format" && pair[1] == "json")
}
