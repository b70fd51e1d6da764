//! One file for each command: it opens the workspace, asks the engine, and shows the answer.

mod audit;
mod build;
mod columns;
mod demo;
mod diff;
mod explain;
mod generate;
mod init;
mod lsp;
mod new_post;
mod query;
mod related;
mod rename;
mod settings;
mod terms;
mod theme;
mod weave;

use std::path::Path;

use tabulae_core::diagnostic::{Code, Diagnostic, nearest};
use tabulae_core::source::{Location, Source};

use crate::args::{Args, Color, Command, Format, TermsAction};
use crate::ui::{self, Status};

/// Runs the command that was typed.
pub(crate) fn run(args: &Args) -> Status {
    let choice = match args.color {
        Color::Auto => None,
        Color::Always => Some(anstream::ColorChoice::Always),
        Color::Never => Some(anstream::ColorChoice::Never),
    };
    if let Some(choice) = choice {
        choice.write_global();
    }
    let makes_a_folder = matches!(args.command, Command::Init { .. } | Command::Demo { .. });
    if let Some(folder) = args.missing_folder().filter(|_| !makes_a_folder) {
        let name = folder.display().to_string();
        let message = format!("there is no folder `{name}`");
        let diagnostic = Diagnostic::error(Code::InvalidUsage, Location::top_of(&name), message);
        return ui::failed(args, &[diagnostic.help(instead_of_folder(folder))]);
    }
    let has_all_formats = matches!(&args.command, Command::Query(query) if !query.explain);
    if !has_all_formats && !matches!(args.format, Format::Text | Format::Json) {
        let location = Source::command_line("").top();
        let message = "this command answers as text or json";
        let diagnostic = Diagnostic::error(Code::InvalidUsage, location, message);
        let diagnostic = diagnostic.help("leave `--format` out, or write `--format json`");
        return ui::report(&[diagnostic], args.all);
    }
    match &args.command {
        Command::Build(build) => build::run(args, build),
        Command::Query(query) => query::run(args, query),
        Command::Explain { path, archive } => explain::run(args, path, archive.as_deref()),
        Command::Related(related) => related::run(args, related),
        Command::Terms {
            action:
                Some(TermsAction::Rename {
                    field,
                    from,
                    to,
                    dry_run,
                }),
            ..
        } => rename::run(args, (field, from, to), *dry_run),
        Command::Terms {
            field, write_notes, ..
        } => terms::run(args, field.as_deref(), *write_notes),
        Command::Audit(audit) => audit::run(args, audit),
        Command::Diff(diff) => diff::run(args, diff),
        Command::Preview(preview) => crate::preview::run(args, preview),
        Command::Lsp => lsp::run(args),
        Command::Weave { pages, check } => weave::run(args, pages, *check),
        Command::Settings => settings::run(args),
        Command::Theme { action } => theme::run(args, action.as_ref()),
        Command::Schema { of } => generate::schema(args, of),
        Command::Completions { shell } => generate::completions(*shell),
        Command::Manual { of } => generate::manual(of.as_deref()),
        Command::New {
            title,
            set,
            tags,
            category,
        } => new_post::run(args, (title, set.as_deref()), tags, category.as_deref()),
        Command::Init { dir } => init::run(args, dir),
        Command::Demo { dir } => demo::run(args, dir),
    }
}

/// Returns what to write instead of a folder that does not exist: one beside it with nearly the same name.
fn instead_of_folder(folder: &Path) -> String {
    let parent = folder
        .parent()
        .filter(|parent| !parent.as_os_str().is_empty());
    let beside = std::fs::read_dir(parent.unwrap_or(Path::new(".")))
        .into_iter()
        .flatten()
        .flatten();
    let mut names: Vec<String> = beside
        .filter(|entry| entry.path().is_dir())
        .filter_map(|entry| entry.file_name().into_string().ok())
        .collect();
    names.sort_unstable();
    let name = folder.file_name().unwrap_or_default().to_string_lossy();
    match nearest(&name, names.iter().map(String::as_str)) {
        Some(near) => format!(
            "did you mean `-C {}`?",
            folder.with_file_name(near).display()
        ),
        None => format!(
            "name the site's folder with `-C`, or make a site with `tabulae init {}`",
            folder.display()
        ),
    }
}
