//! `tabulae terms rename`

use std::fmt::Write as _;

use serde_json::json;
use tabulae_core::diagnostic::{Diagnostic, Diagnostics};
use tabulae_engine::{FileChange, Rename, Workspace};

use crate::args::Args;
use crate::ui::{self, Status, counted};

/// Renames a term: its field, its name and its new name.
pub(super) fn run(args: &Args, (field, from, to): (&str, &str, &str), dry_run: bool) -> Status {
    let site = args.workspace();
    let renamed = match site.rename_term(field, from, to) {
        Ok(renamed) => renamed,
        Err(error) => return ui::failed(args, error.diagnostics()),
    };
    let mut diagnostics = follows(&site, &renamed.files);
    if !dry_run && let Err(error) = site.write_changes(&renamed.files) {
        ui::add_new(error.into_diagnostics(), &mut diagnostics);
        return ui::failed(args, &diagnostics);
    }
    if args.is_json() {
        let object = json!({
            "posts": renamed.posts,
            "moved": renamed.moved,
            "joined": renamed.is_joined,
            "changes": ui::changes_json(&renamed.files),
        });
        return ui::json(&object, &diagnostics);
    }
    let mut text = ui::diff(&renamed.files);
    text.push_str(&summary(&renamed, (from, to), dry_run));
    let shown = ui::print(&text);
    shown.max(ui::report(&diagnostics, args.all))
}

/// Returns the diagnostics that the site has only with the changes, such as queries that find nothing any more.
fn follows(site: &Workspace, files: &[FileChange]) -> Diagnostics {
    let before = site.check();
    let is_new = |found: &Diagnostic| {
        let same =
            |known: &Diagnostic| (known.code, &known.message) == (found.code, &found.message);
        !before.iter().any(same)
    };
    let now = site.check_changed(files).into_iter();
    now.filter(is_new).collect()
}

fn summary(renamed: &Rename, (from, to): (&str, &str), dry_run: bool) -> String {
    let mut text = String::new();
    let what = if dry_run { "Would rename" } else { "Renamed" };
    let posts = counted(renamed.posts, "post", "posts");
    let _ = write!(text, "\n{what} `{from}` to `{to}` in {posts}");
    let _ = match renamed.is_joined {
        true => writeln!(text, ", and joined it with the term of this name."),
        false => writeln!(text, "."),
    };
    for address in &renamed.moved {
        let _ = writeln!(text, "{address} leads to its new page.");
    }
    text
}
