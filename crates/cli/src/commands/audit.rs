//! `tabulae audit`

use std::collections::BTreeMap;
use std::fmt::Write as _;

use serde_json::json;
use tabulae_core::diagnostic::{Code, Diagnostic, Diagnostics};
use tabulae_engine::{BuildOptions, Destination, Workspace};

use crate::args::{Args, AuditArgs, BuildArgs};
use crate::ui::{self, BOLD, ERROR, HELP, Status, WARNING, counted, location, status};

/// The number of findings of a kind that are shown, unless all are asked for.
const SHOWN: usize = 6;

pub(super) fn run(args: &Args, audit: &AuditArgs) -> Status {
    let build = BuildArgs {
        out: audit.out.clone(),
        ..BuildArgs::plain()
    };
    let mut output = match build.output(&args.dir) {
        Ok(output) => output,
        Err(error) => return ui::failed(args, error.diagnostics()),
    };
    let site = args.workspace();
    if audit.fix {
        return fix(args, audit, &site, &mut output, build.options());
    }
    let (found, settings) = site.audit(&mut output, build.options());
    let levels = settings.map(|settings| settings.audit).unwrap_or_default();
    let found = levels.with(&audit.levels.levels()).of(found);
    let kinds = by_kind(&found);
    if args.is_json() {
        return ui::json(&json!({ "counts": counts(&kinds) }), &found);
    }
    let mut text = as_text(&kinds, args.all);
    let fixable = found.iter().filter(|found| !found.edits.is_empty()).count();
    if fixable > 0 {
        let _ = writeln!(
            text,
            "{} can be corrected by `tabulae audit --fix`.",
            findings(fixable)
        );
    }
    status(&found).max(ui::print(&text))
}

/// Shows the fixes and what is left after them, and writes them unless it is a dry run.
fn fix(
    args: &Args,
    audit: &AuditArgs,
    site: &Workspace,
    output: &mut dyn Destination,
    options: BuildOptions<'_>,
) -> Status {
    let levels = site.settings().map(|settings| settings.audit.clone());
    let levels = levels.unwrap_or_default().with(&audit.levels.levels());
    let mut report = site.fix(output, options, &|found| !levels.allows(found.code));
    let written = match audit.dry_run {
        true => Ok(()),
        false => site.write_changes(&report.files),
    };
    if let Err(error) = &written {
        ui::add_new(error.diagnostics().to_vec(), &mut report.left);
    }
    let left = levels.of(report.left);
    let kinds = by_kind(&left);
    if args.is_json() {
        let fixed = match written {
            Ok(()) => report.fixed.len(),
            Err(_) => 0,
        };
        let object = json!({
            "counts": counts(&kinds),
            "fixed": fixed,
            "changes": ui::changes_json(&report.files),
        });
        return ui::json(&object, &left);
    }
    let mut text = ui::diff(&report.files);
    let what = match (audit.dry_run, &written) {
        (true, _) => "Would correct",
        (false, Ok(())) => "Corrected",
        (false, Err(_)) => "Could not correct",
    };
    let files = counted(report.files.len(), "file", "files");
    let _ = match report.files.is_empty() {
        true => writeln!(text, "Nothing to correct."),
        false => writeln!(
            text,
            "\n{what} {} in {files}.\n",
            findings(report.fixed.len())
        ),
    };
    text.push_str(&as_text(&kinds, args.all));
    status(&left).max(ui::print(&text))
}

/// Returns the number of findings by code.
fn counts(kinds: &[(Code, Vec<&Diagnostic>)]) -> BTreeMap<&'static str, usize> {
    let counts = kinds.iter().map(|(code, found)| (code.name(), found.len()));
    counts.collect()
}

/// The findings by kind: errors first, then the kinds of which there are most.
fn by_kind(found: &Diagnostics) -> Vec<(Code, Vec<&Diagnostic>)> {
    let mut kinds: BTreeMap<Code, Vec<&Diagnostic>> = BTreeMap::new();
    for diagnostic in found {
        kinds.entry(diagnostic.code).or_default().push(diagnostic);
    }
    let mut kinds: Vec<_> = kinds.into_iter().collect();
    kinds.sort_by_key(|(_, found)| {
        let is_warning = found.iter().all(|diagnostic| !diagnostic.is_error());
        (is_warning, std::cmp::Reverse(found.len()))
    });
    kinds
}

fn as_text(kinds: &[(Code, Vec<&Diagnostic>)], all: bool) -> String {
    let mut text = String::new();
    for (code, found) in kinds {
        let style = match found.iter().any(|diagnostic| diagnostic.is_error()) {
            true => ERROR,
            false => WARNING,
        };
        let (count, name) = (found.len(), code.name());
        let _ = writeln!(
            text,
            "{BOLD}{count}{BOLD:#} {style}{name}{style:#}: {}",
            code.about()
        );
        let shown = if all { found.len() } else { SHOWN };
        for (at, diagnostic) in found.iter().take(shown).enumerate() {
            let word = match diagnostic.is_error() {
                true => format!("{ERROR}error{ERROR:#}: "),
                false => String::new(),
            };
            let _ = writeln!(
                text,
                "  {}: {word}{}",
                location(&diagnostic.location),
                diagnostic.message
            );
            // Of neighbours with the same way out, the last says it.
            let next = found.get(at + 1).filter(|_| at + 1 < shown);
            if next.is_none_or(|next| next.help != diagnostic.help)
                && let Some(help) = &diagnostic.help
            {
                let _ = writeln!(text, "    {HELP}help{HELP:#}: {help}");
            }
        }
        if found.len() > shown {
            let _ = writeln!(
                text,
                "  and {} more (--all shows them)",
                found.len() - shown
            );
        }
        text.push('\n');
    }
    let count = kinds.iter().map(|(_, found)| found.len()).sum();
    let errors = kinds.iter().flat_map(|(_, found)| found);
    let errors = errors.filter(|diagnostic| diagnostic.is_error()).count();
    let _ = match (count, errors) {
        (0, _) => writeln!(text, "No findings."),
        (_, 0) => writeln!(text, "{}, none of them an error.", findings(count)),
        _ => writeln!(
            text,
            "{}, {}.",
            findings(count),
            counted(errors, "of them an error", "of them errors")
        ),
    };
    text
}

fn findings(count: usize) -> String {
    counted(count, "finding", "findings")
}
