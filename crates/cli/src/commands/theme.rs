//! `tabulae theme`

use serde_json::json;
use tabulae_core::diagnostic::{Code, Diagnostic};
use tabulae_core::source::Source;
use tabulae_engine::{ThemeFile, Workspace, theme_files};

use crate::args::{Args, ThemeAction};
use crate::ui::table::{Column, Table};
use crate::ui::{self, Status};

pub(super) fn run(args: &Args, action: Option<&ThemeAction>) -> Status {
    let site = args.workspace();
    match action {
        None => list(args, &site),
        Some(ThemeAction::Show { name }) => show(args, &site, name),
        Some(ThemeAction::Copy { name }) => copy(args, &site, name),
    }
}

/// Lists all files of the theme, and which of them the site has a file of its own for.
fn list(args: &Args, site: &Workspace) -> Status {
    let is_own = |file: &ThemeFile| {
        let path = site.root().map(|root| root.join(file.path()));
        path.is_some_and(|path| path.is_file())
    };
    if args.is_json() {
        let files = theme_files().map(|file| {
            let own = is_own(file).then(|| file.path());
            json!({ "name": file.name, "about": file.about, "own": own })
        });
        return ui::json(&json!({ "files": files.collect::<Vec<_>>() }), &[]);
    }
    let mut table = Table::new(vec![Column::fixed(), Column::text(), Column::path()]);
    for file in theme_files() {
        let own = match is_own(file) {
            true => file.path(),
            false => String::new(),
        };
        table.row(vec![file.name.to_owned(), file.about.to_owned(), own]);
    }
    ui::print(&table.show())
}

fn show(args: &Args, site: &Workspace, name: &str) -> Status {
    let file = match file(name) {
        Ok(file) => file,
        Err(diagnostic) => return ui::failed(args, &[*diagnostic]),
    };
    let text = site.theme_text(file);
    match args.is_json() {
        true => ui::json(&json!({ "name": file.name, "text": text }), &[]),
        false => ui::print(&text),
    }
}

fn copy(args: &Args, site: &Workspace, name: &str) -> Status {
    let copied = file(name).map_err(|diagnostic| vec![*diagnostic]);
    let copied = copied.and_then(|file| {
        let copied = site.copy_theme_file(file);
        copied.map_err(|error| error.into_diagnostics())
    });
    match copied {
        Ok(path) if args.is_json() => ui::json(&json!({ "written": path }), &[]),
        Ok(path) => ui::print(&format!("Copied to {path}.\n")),
        Err(diagnostics) => ui::failed(args, &diagnostics),
    }
}

/// Returns a file of the theme.
fn file(name: &str) -> Result<&'static ThemeFile, Box<Diagnostic>> {
    let bare = name
        .trim_start_matches("templates/")
        .trim_start_matches("assets/")
        .trim_start_matches("theme/");
    theme_files().find(|file| file.name == bare).ok_or_else(|| {
        let message = format!("the theme has no file `{name}`");
        let location = Source::command_line(name).top();
        let found = Diagnostic::error(Code::InvalidUsage, location, message);
        Box::new(found.suggest(bare, theme_files().map(|file| file.name)))
    })
}
