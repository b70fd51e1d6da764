//! `tabulae demo DIR`

use std::path::Path;
use std::time::Instant;

use include_dir::{Dir, include_dir};
use serde_json::json;
use tabulae_core::diagnostic::{Code, Diagnostic};
use tabulae_core::source::Location;
use tabulae_core::time::parse_date;

use super::{build, init};
use crate::args::{Args, BuildArgs, Format};
use crate::ui::{self, Status};

/// The example site.
static DEMO: Dir<'_> = include_dir!("$CARGO_MANIFEST_DIR/demo");

/// The day as on which the example is built, where no other is given: one of its posts is
/// still to come then.
const DAY: &str = "2026-11-20";

pub(super) fn run(args: &Args, dir: &Path) -> Status {
    let began = Instant::now();
    let used = std::fs::read_dir(dir).is_ok_and(|mut files| files.next().is_some());
    let made = if used {
        Err(vec![taken(dir)])
    } else {
        init::write_all(&DEMO, dir)
    };
    let files = match made {
        Ok(files) => files,
        Err(diagnostics) => return init::fail(args, &diagnostics),
    };
    let today = args.today.or_else(|| parse_date(DAY).ok());
    let args = args.at(today);
    let plain = BuildArgs::plain();
    let built = build::build_site(&args.workspace_in(dir), &plain, dir);
    if args.format == Format::Json {
        return ui::json(
            &json!({ "made": files, "written": built.output.written }),
            &built.diagnostics,
        );
    }
    let status = ui::report(&built.diagnostics, args.all);
    if args.quiet {
        return status;
    }
    let account = build::as_text(
        &built.output,
        &built.diagnostics,
        &plain,
        began.elapsed().as_secs_f64(),
    );
    status.max(ui::print(&format!("{account}{}", words(dir))))
}

fn words(dir: &Path) -> String {
    let shown = dir.display();
    format!(
        "
The Towpath Log, built as on 20 November 2026, when one post was still to come.
Open {shown}/out/index.html, served from {shown}/out (for instance by `python3 -m http.server -d {shown}/out`).

Look at
  /                        two queries side by side, and the journal's newest
  /journal/                everything, eight a page, older and newer
  /tags/ and /tags/lime/   tags with counts; a tag's page, opened by its note
  /2026/masons-marks/      what to read next, and why
  /search/                 the words of whole texts, with facets
  /archive/ and /2026/     the years with their months; a year as lines by month
  /fleet/                  a second content set, by class
  /journal/atom.xml        the feed of everything; /works.xml is that of one category
Then change a file in {shown}/posts/ and run `tabulae -C {shown} build` again.
"
    )
}

fn taken(dir: &Path) -> Diagnostic {
    let shown = dir.display().to_string();
    Diagnostic::error(
        Code::FolderNotEmpty,
        Location::top_of(&shown),
        format!("the folder `{shown}` contains files, and nothing is overwritten"),
    )
    .help("name a new folder")
}
