//! The summary of a build.

use std::fmt::Write as _;

use tabulae_engine::BuildReport;

use super::counted;

/// Returns the line that says what was built, or in a dry run what would be.
pub(crate) fn built_line(report: &BuildReport, dry_run: bool, seconds: f64) -> String {
    let pages = counted(report.built, "page", "pages");
    let changes = format!("({} changed, {} removed)", report.written, report.removed);
    let mut line = match dry_run {
        true => format!("Would build {pages} {changes}. Nothing was written."),
        false => format!("Built {pages} in {seconds:.2} s {changes}."),
    };
    if !report.excluded.is_empty() {
        let states = report.excluded.iter();
        let states = states.map(|(state, count)| match state.as_str() {
            "draft" => counted(*count, "draft", "drafts"),
            state => format!("{count} {state}"),
        });
        let _ = write!(
            line,
            " Excluded: {}.",
            states.collect::<Vec<_>>().join(", ")
        );
    }
    line + "\n"
}
