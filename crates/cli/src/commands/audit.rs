//! `tabulae audit`

use std::collections::BTreeMap;
use std::fmt::Write as _;

use serde_json::json;
use tabulae_core::diagnostic::{Code, Diagnostic, Diagnostics};

use crate::args::{Args, AuditArgs, BuildArgs, Format};
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
    let (found, settings) = args.workspace().audit(&mut output, build.options());
    let levels = settings.map(|settings| settings.audit);
    let found = levels
        .unwrap_or_default()
        .with(&audit.levels.levels())
        .of(found);
    let kinds = by_kind(&found);
    if args.format == Format::Json {
        let counts = kinds.iter().map(|(code, found)| (code.name(), found.len()));
        return ui::json(
            &json!({ "counts": counts.collect::<BTreeMap<_, _>>() }),
            &found,
        );
    }
    status(&found).max(ui::print(&as_text(&kinds, args.all)))
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
