//! `tabulae diff`

use std::fs;
use std::path::Path;

use serde_json::{Value, json};
use tabulae_core::diagnostic::{Code, Diagnostic};
use tabulae_core::source::Location;
use tabulae_engine::{AddressChanges, AddressList, Error, OUTPUT_FOLDER, Workspace};

use crate::args::{Args, BuildArgs, DiffArgs};
use crate::ui::{self, Status, counted};

pub(super) fn run(args: &Args, diff: &DiffArgs) -> Status {
    let site = args.workspace();
    let (changes, mut diagnostics) = match compared(args, diff, &site) {
        Ok(changes) => (changes, site.diagnostics().to_vec()),
        Err(error) => {
            let mut diagnostics = site.diagnostics().to_vec();
            ui::add_new(error.into_diagnostics(), &mut diagnostics);
            return ui::failed(args, &diagnostics);
        }
    };
    let mut levels = diff.levels.levels();
    if let Ok(settings) = site.settings() {
        levels = settings.audit.clone().with(&levels);
        let denied = changes.warnings(&settings.source).into_iter();
        diagnostics.extend(denied.filter(|warning| levels.denies(warning.code)));
    }
    let diagnostics = levels.of(diagnostics);
    let changes = changes.only(|code| !levels.allows(code));
    if args.is_json() {
        return ui::json(&as_json(&changes), &diagnostics);
    }
    let text = match changes.lines(usize::MAX) {
        lines if lines.is_empty() => "Readers would notice nothing.\n".to_owned(),
        _ => as_text(&changes),
    };
    ui::report(&diagnostics, args.all).max(ui::print(&text))
}

/// Returns the changes, and saves the addresses if that was asked for. Without anything to compare with, an
/// address list that is to be saved is compared with itself.
fn compared(args: &Args, diff: &DiffArgs, site: &Workspace) -> Result<AddressChanges, Error> {
    let before = match &diff.against {
        Some(file) => Some(read(file)?),
        None => {
            let build = BuildArgs {
                out: diff.out.clone(),
                ..BuildArgs::plain()
            };
            site.published(&mut build.output(&args.dir)?)
        }
    };
    let now = site.addresses()?;
    if let Some(file) = &diff.save {
        save(file, &now)?;
    }
    match before {
        Some(before) => site.changes_from(&before),
        None if diff.save.is_some() => Ok(AddressChanges::default()),
        None => {
            let message = "there is no build to compare with";
            let help = "run `tabulae build` first, or name a saved list with `--against FILE`";
            let location = Location::top_of(
                &diff
                    .out
                    .as_deref()
                    .map_or_else(|| OUTPUT_FOLDER.into(), |out| out.display().to_string()),
            );
            Err(Diagnostic::error(Code::InvalidUsage, location, message)
                .help(help)
                .into())
        }
    }
}

fn read(file: &Path) -> Result<AddressList, Error> {
    let name = file.display().to_string();
    let unfit = |message: String, help: &str| {
        let diagnostic = Diagnostic::error(Code::InvalidUsage, Location::top_of(&name), message);
        Error::from(diagnostic.help(help))
    };
    let text = fs::read_to_string(file).map_err(|error| {
        let help = "name a file that `tabulae diff --save FILE` wrote";
        unfit(format!("cannot read the list of addresses: {error}"), help)
    })?;
    serde_json::from_str(&text).map_err(|error| {
        let help = "save it again with `tabulae diff --save FILE`";
        unfit(format!("this is not a list of addresses: {error}"), help)
    })
}

fn save(file: &Path, list: &AddressList) -> Result<(), Error> {
    let text = serde_json::to_string_pretty(list).unwrap_or_default();
    fs::write(file, text + "\n").map_err(|error| {
        let name = file.display().to_string();
        let message = format!("cannot write `{name}`: {error}");
        Diagnostic::error(Code::UnwritableFile, Location::top_of(&name), message).into()
    })
}

/// Returns the changes as an object: a list for each kind.
pub(super) fn as_json(changes: &AddressChanges) -> Value {
    let posts = |posts: &[(String, String)]| -> Value {
        posts
            .iter()
            .map(|(at, source)| json!({ "address": at, "post": source }))
            .collect()
    };
    let ids = changes.feed_ids.iter();
    let ids: Value = ids
        .map(|(source, old, new)| json!({ "post": source, "from": old, "to": new }))
        .collect();
    json!({
        "feeds_lost": changes.feeds_lost,
        "exports_lost": changes.exports_lost,
        "lost": changes.lost,
        "published": posts(&changes.published),
        "withdrawn": posts(&changes.withdrawn),
        "feed_ids": ids,
    })
}

/// Returns the changes one a line, below a heading with their number.
fn as_text(changes: &AddressChanges) -> String {
    let posts = |posts: &[(String, String)]| -> Vec<String> {
        let posts = posts.iter();
        posts
            .map(|(at, source)| format!("{at}  {source}"))
            .collect()
    };
    let ids = changes.feed_ids.iter();
    let ids = ids.map(|(source, old, new)| format!("{source}  {old} -> {new}"));
    let kinds = [
        ("feed lost", "feeds lost", changes.feeds_lost.clone()),
        ("export lost", "exports lost", changes.exports_lost.clone()),
        (
            "address lost without a redirect",
            "addresses lost without a redirect",
            changes.lost.clone(),
        ),
        (
            "post newly public",
            "posts newly public",
            posts(&changes.published),
        ),
        (
            "post withdrawn",
            "posts withdrawn",
            posts(&changes.withdrawn),
        ),
        ("other id in feeds", "other ids in feeds", ids.collect()),
    ];
    let mut text = String::new();
    for (one, many, found) in kinds.into_iter().filter(|(.., found)| !found.is_empty()) {
        text += &format!("{}:\n", counted(found.len(), one, many));
        text.extend(found.iter().map(|line| format!("  {line}\n")));
    }
    text
}
