//! `tabulae init DIR`

use std::path::Path;

use include_dir::{Dir, include_dir};
use serde_json::json;
use tabulae_core::diagnostic::{Code, Diagnostic};
use tabulae_core::source::Location;

use crate::args::{Args, Format};
use crate::ui::{self, Status};

/// The small site to start from.
static START: Dir<'_> = include_dir!("$CARGO_MANIFEST_DIR/start");

pub(super) fn run(args: &Args, dir: &Path) -> Status {
    let taken: Vec<Diagnostic> = names(&START)
        .iter()
        .filter(|name| dir.join(name).exists())
        .map(|name| taken(dir, name))
        .collect();
    let written = if taken.is_empty() {
        write_all(&START, dir)
    } else {
        Err(taken)
    };
    match written {
        Err(diagnostics) => fail(args, &diagnostics),
        Ok(files) => match args.format {
            Format::Json => ui::json(&json!({ "made": files }), &[]),
            _ if args.quiet => Status::Done,
            _ => {
                let shown = dir.display();
                ui::print(&format!(
                    "Made {} in {shown}: tabulae.toml, two posts and a page.\n\nNext:\n  tabulae -C {shown} build     writes the site to {shown}/out/\n  then change posts/, and give the site its address in tabulae.toml.\n",
                    ui::counted(files.len(), "file", "files")
                ))
            }
        },
    }
}

/// Reports diagnostics of a command that makes a folder: of the machine, or of its use.
pub(super) fn fail(args: &Args, diagnostics: &[Diagnostic]) -> Status {
    let status = match args.format {
        Format::Json => ui::json(&json!({}), diagnostics),
        _ => ui::report(diagnostics, args.all),
    };
    if status == Status::Diagnostics {
        Status::Usage
    } else {
        status
    }
}

fn taken(dir: &Path, name: &str) -> Diagnostic {
    let path = dir.join(name).display().to_string();
    Diagnostic::error(
        Code::FolderNotEmpty,
        Location::top_of(&path),
        format!("`{path}` exists, and is not overwritten"),
    )
    .help("name a new folder")
}

/// The paths of all files of an embedded folder.
pub(super) fn names(folder: &Dir<'_>) -> Vec<String> {
    let mut names: Vec<String> = folder
        .files()
        .filter_map(|file| file.path().to_str())
        .map(str::to_owned)
        .collect();
    for inner in folder.dirs() {
        names.extend(self::names(inner));
    }
    names.sort();
    names
}

/// Writes an embedded folder's files below `dir`; the names of those written.
pub(super) fn write_all(folder: &Dir<'_>, dir: &Path) -> Result<Vec<String>, Vec<Diagnostic>> {
    let names = names(folder);
    for name in &names {
        let path = dir.join(name);
        let bytes = folder
            .get_file(name)
            .map(include_dir::File::contents)
            .unwrap_or_default();
        let made = path.parent().map_or(Ok(()), std::fs::create_dir_all);
        if let Err(error) = made.and_then(|()| std::fs::write(&path, bytes)) {
            let shown = path.display().to_string();
            return Err(vec![
                Diagnostic::error(
                    Code::UnwritableFile,
                    Location::top_of(&shown),
                    format!("cannot write `{shown}`: {error}"),
                )
                .help("check the folder's permissions and the free space"),
            ]);
        }
    }
    Ok(names)
}
