//! `tabulae build`

use std::fmt::Write as _;
use std::path::{MAIN_SEPARATOR, Path};
use std::time::Instant;

use serde_json::{Value, json};
use tabulae_core::diagnostic::{Collected, Diagnostic};
use tabulae_engine::{AddressChanges, BuildReport, Change, ChangeKind, Due, Workspace};

use super::diff;
use crate::args::{Args, BuildArgs};
use crate::ui::{self, Status, counted, progress::Bar};

pub(super) fn run(args: &Args, build: &BuildArgs) -> Status {
    let began = Instant::now();
    let built = build_site(&args.workspace(), build, &args.dir);
    if args.is_json() {
        return ui::json(&as_json(&built.output, build), &built.diagnostics);
    }
    let status = ui::report(&built.diagnostics, args.all);
    if built.output.posts == 0 && status != Status::Done {
        return status;
    }
    if args.quiet {
        return status;
    }
    let text = as_text(
        &built.output,
        &built.diagnostics,
        build,
        began.elapsed().as_secs_f64(),
    );
    status.max(ui::print(&text))
}

/// Builds a site, whose folder is `dir`. The report of a failed build says what was read.
pub(super) fn build_site(
    site: &Workspace,
    build: &BuildArgs,
    dir: &Path,
) -> Collected<BuildReport> {
    let bar = Bar::new();
    let built = build.output(dir).and_then(|mut output| {
        let levels = build.levels.levels();
        let options = build.options().progress(&bar).levels(&levels);
        site.build(&mut output, options)
    });
    bar.clear();
    let (mut report, diagnostics) = match built {
        Ok(mut report) => {
            let diagnostics = std::mem::take(&mut report.diagnostics);
            (report, diagnostics)
        }
        Err(error) => {
            let report = error.report().cloned().unwrap_or_default();
            (report, error.into_diagnostics())
        }
    };
    report.out = build.out(dir).display().to_string();
    Collected {
        output: report,
        diagnostics,
    }
}

fn as_json(report: &BuildReport, build: &BuildArgs) -> Value {
    let mut object = json!({
        "pages": report.built,
        "read": { "posts": report.posts, "pages": report.pages },
        "excluded": report.excluded,
        "written": report.written,
        "unchanged": report.unchanged,
        "removed": report.removed,
        "unknown": report.unknown,
        "yields": report.yields,
        "addresses": diff::as_json(&report.addresses),
        "next_due": report.next_due.as_ref().map(|due| due.at.at.to_string()),
    });
    if build.dry_run || build.verbose {
        let changes = report.changes.iter();
        object["changes"] = changes.map(|change| json!({ "path": change.path, "does": change.kind.name(), "why": change.why })).collect();
    }
    object
}

pub(super) fn as_text(
    report: &BuildReport,
    diagnostics: &[Diagnostic],
    build: &BuildArgs,
    seconds: f64,
) -> String {
    let errors = diagnostics
        .iter()
        .filter(|diagnostic| diagnostic.is_error())
        .count();
    let counted_errors = counted(errors, "error", "errors");
    let mut text = String::new();
    if build.verbose {
        let yields = report.yields.iter();
        text.extend(yields.map(|sentence| sentence_line(sentence)));
    }
    let is_listed =
        |change: &&Change| build.dry_run || build.verbose || change.kind == ChangeKind::Prune;
    for change in report.changes.iter().filter(is_listed) {
        let (does, path) = (change.kind.name(), &change.path);
        let _ = writeln!(text, "  {does:<8} {path:<40} {}", change.why);
    }
    let nothing = errors > 0 && report.written == 0 && report.unchanged == 0;
    if nothing && !build.dry_run {
        return text + &format!("Build failed: {counted_errors}. Nothing was written.\n");
    }
    text += &ui::built_line(report, build.dry_run, seconds);
    if !build.dry_run {
        text += &read_line(report);
    }
    if errors > 0 && !build.dry_run {
        let _ = writeln!(text, "Skipped posts with errors: {counted_errors}.");
    }
    text += &address_lines(&report.addresses);
    text += &unknown_lines(report, build.verbose);
    text += slow_line(report.posts, seconds);
    if let Some(due) = &report.next_due {
        text += &due_line(due);
    }
    text
}

/// Returns a sentence with a capital letter and a full stop, as a line.
fn sentence_line(sentence: &str) -> String {
    let mut chars = sentence.chars();
    let first = chars.next().into_iter().flat_map(char::to_uppercase);
    first.chain(chars).chain(".\n".chars()).collect()
}

/// Returns a word on a long build by a program that was compiled without optimisation.
fn slow_line(posts: usize, seconds: f64) -> &'static str {
    if env!("TABULAE_OPTIMISED") == "true" || posts < 1000 || seconds < 1.0 {
        return "";
    }
    "This program is compiled without optimisation and several times as slow as it could be: `cargo install --path crates/cli --profile dist`.\n"
}

/// The number of addresses of a kind that a build names.
const NAMED: usize = 5;

/// Returns a paragraph on the changes of addresses that readers notice.
fn address_lines(changes: &AddressChanges) -> String {
    let lines = changes.lines(NAMED);
    let is_cut = lines != changes.lines(usize::MAX);
    let mut text: String = lines.iter().map(|line| format!("{line}\n")).collect();
    if is_cut {
        text += "`tabulae diff` lists all of them before a build.\n";
    }
    text
}

/// Returns the summary of files that no known build wrote.
fn unknown_lines(report: &BuildReport, verbose: bool) -> String {
    let (files, out) = (&report.unknown, &report.out);
    if files.is_empty() {
        return String::new();
    }
    let them = if files.len() == 1 { "it" } else { "them" };
    let mut text = format!(
        "No known build wrote {} in {out}; `tabulae build --prune` removes {them}, and lists {them} with `--dry-run`.\n",
        counted(files.len(), "file", "files"),
    );
    if verbose {
        for path in files {
            let _ = writeln!(text, "  unknown  {path}");
        }
    }
    text
}

fn due_line(due: &Due) -> String {
    let Due { at, title, path } = due;
    let day = at.day.strftime("%-d %B %Y");
    let time = at.time.map(|time| time.strftime(" at %H:%M").to_string());
    let time = time.unwrap_or_default();
    format!("Next due: \"{title}\" on {day}{time} ({path}).\n")
}

/// Returns the line that says what was read, and in which folder the site is.
fn read_line(report: &BuildReport) -> String {
    let mut line = format!("Read {}", counted(report.posts, "post", "posts"));
    if report.pages > 0 {
        let _ = write!(line, " and {}", counted(report.pages, "page", "pages"));
    }
    let _ = writeln!(line, "; the site is in {}{MAIN_SEPARATOR}.", report.out);
    line
}
