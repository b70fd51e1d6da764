//! `tabulae weave DIR`

use std::fmt::Write as _;
use std::path::Path;

use serde_json::{Value, json};
use tabulae_engine::WeaveReport;

use crate::args::{Args, BuildArgs};
use crate::ui::{self, Status, counted};

pub(super) fn run(args: &Args, dir: &Path, check: bool) -> Status {
    let build = BuildArgs {
        dry_run: check,
        ..BuildArgs::plain()
    };
    let woven = build.output(&args.dir).and_then(|mut output| {
        let site = args.workspace();
        site.weave(dir, &mut output, build.options())
    });
    let report = match woven {
        Ok(report) => report,
        Err(error) => return ui::failed(args, error.diagnostics()),
    };
    let status = match check && !report.changed.is_empty() {
        true => Status::Diagnostics,
        false => Status::Done,
    };
    let shown = if args.is_json() {
        ui::json(&as_json(&report), &report.diagnostics)
    } else {
        let text = as_text(&report, dir, check);
        ui::report(&report.diagnostics, args.all).max(ui::print(&text))
    };
    status.max(shown)
}

fn as_json(woven: &WeaveReport) -> Value {
    json!({
        "looked_at": woven.looked_at,
        "pages": woven.pages,
        "placeholders": woven.placeholders,
        "changed": woven.changed,
    })
}

fn as_text(woven: &WeaveReport, dir: &Path, check: bool) -> String {
    let mut text = String::new();
    if check {
        for path in &woven.changed {
            let _ = writeln!(text, "{}", dir.join(path).display());
        }
    }
    if woven.placeholders == 0 {
        let pages = counted(woven.looked_at, "page", "pages");
        let _ = writeln!(text, "No placeholder in {pages} below {}.", dir.display());
        return text;
    }
    let _ = writeln!(
        text,
        "{} in {} of {}: {} {}, {} unchanged.",
        counted(woven.placeholders, "placeholder", "placeholders"),
        woven.pages,
        counted(woven.looked_at, "page", "pages"),
        counted(woven.changed.len(), "page", "pages"),
        if check { "would change" } else { "written" },
        woven.pages - woven.changed.len(),
    );
    text
}
