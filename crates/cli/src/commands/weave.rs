//! `tabulae weave DIR`

use std::fmt::Write as _;
use std::path::Path;

use serde_json::{Value, json};
use tabulae_engine::output::Output as _;
use tabulae_engine::weave::{Folder, Woven, weave};

use super::build::site_and_output;
use crate::args::{Args, BuildArgs, Format};
use crate::ui::{self, Status, counted};

pub(super) fn run(args: &Args, dir: &Path, check: bool) -> Status {
    let asked = BuildArgs {
        dry_run: check,
        ..BuildArgs::plain()
    };
    let options = args.options(&asked, &tabulae_engine::Quiet);
    // A second one, or a build, would stage files of the same names.
    let (sources, mut output) = site_and_output(&asked, &args.dir);
    if !check && let Err(fault) = tabulae_engine::lock(&mut output) {
        return match args.format {
            Format::Json => ui::json(&json!({}), &[*fault]),
            _ => ui::faults(&[*fault]),
        };
    }
    let woven = weave(&sources, &Folder::new(dir), &options);
    if !check {
        output.release();
    }
    let would_change = woven
        .output
        .as_ref()
        .is_some_and(|woven| !woven.changed.is_empty());
    let status = match check && would_change {
        true => Status::Faults,
        false => Status::Done,
    };
    let shown = match (&woven.output, args.format) {
        (pages, Format::Json) => {
            let object = pages.as_ref().map_or_else(|| json!({}), as_json);
            ui::json(&object, &woven.diagnostics)
        }
        (Some(pages), _) => {
            let text = as_text(pages, dir, check);
            ui::faults(&woven.diagnostics).max(ui::print(&text))
        }
        (None, _) => ui::faults(&woven.diagnostics),
    };
    status.max(shown)
}

fn as_json(woven: &Woven) -> Value {
    json!({
        "looked_at": woven.looked_at,
        "pages": woven.pages,
        "places": woven.places,
        "changed": woven.changed,
    })
}

fn as_text(woven: &Woven, dir: &Path, check: bool) -> String {
    let mut text = String::new();
    if check {
        for path in &woven.changed {
            let _ = writeln!(text, "{}", dir.join(path).display());
        }
    }
    if woven.places == 0 {
        let pages = counted(woven.looked_at, "page", "pages");
        let _ = writeln!(text, "No marked place in {pages} below {}.", dir.display());
        return text;
    }
    let _ = writeln!(
        text,
        "{} in {} of {}: {} {}, {} left as before.",
        counted(woven.places, "place", "places"),
        woven.pages,
        counted(woven.looked_at, "page", "pages"),
        counted(woven.changed.len(), "page", "pages"),
        if check { "would change" } else { "written" },
        woven.pages - woven.changed.len(),
    );
    text
}
