//! `tabulae preview`: the site, served with what is held back, built and reloaded at each change.
//!
//! One thread watches the files and builds into a folder of its own (`.tabulae/preview/`); another
//! serves that folder, and tells browsers what became of it.

mod pages;
mod server;
mod watch;

use std::path::PathBuf;
use std::sync::{Arc, Mutex, PoisonError};
use std::time::Instant;

use tabulae_build::output::Disk as Output;
use tabulae_build::report::Report;
use tabulae_build::sources::Disk as Sources;
use tabulae_build::{Options, Quiet};
use tabulae_core::diagnostic::{Collected, Diagnostic};
use tabulae_core::post::Include;
use tokio::sync::watch as told;

use self::watch::Watch;
use crate::args::{Args, PreviewArgs};
use crate::settle::MEMORY;
use crate::ui::{self, Status, counted};

/// What browsers are told after each build.
#[derive(Debug, Clone, Default)]
struct Now {
    /// Counts the builds that changed something.
    version: u64,
    /// Whether nothing but style sheets changed.
    styles: bool,
    /// The faults of the last build, where it could not be written.
    faults: Arc<[Diagnostic]>,
}

/// What the preview is of.
#[derive(Debug)]
struct Preview {
    args: Args,
    /// The folder that is built into and served.
    out: PathBuf,
    /// The path that the site's address puts before every link.
    base: Mutex<String>,
    now: told::Sender<Now>,
}

pub(crate) fn run(args: &Args, wanted: &PreviewArgs) -> Status {
    let mut args = args.clone();
    args.include
        .extend(["drafts".to_owned(), "scheduled".to_owned()]);
    let preview = Arc::new(Preview {
        out: memory(&args).join("site"),
        base: Mutex::default(),
        now: told::Sender::new(Now::default()),
        args,
    });
    let watch = match Watch::new(&preview.args.dir) {
        Ok(watch) => watch,
        Err(error) => {
            ui::complain(&format!("cannot watch the site's files: {error}\n"));
            return Status::Machine;
        }
    };
    let built = preview.build();
    if built.diagnostics.iter().any(|fault| {
        let codes = [
            tabulae_core::diagnostic::Code::SettingsMissing,
            tabulae_core::diagnostic::Code::BuildLocked,
        ];
        codes.contains(&fault.code)
    }) {
        return ui::status(&built.diagnostics);
    }
    let watching = Arc::clone(&preview);
    std::thread::spawn(move || watch.build(&watching));
    server::serve(&preview, wanted)
}

/// The folder that the preview keeps to: it and a build do not wait for each other.
fn memory(args: &Args) -> PathBuf {
    args.dir.join(MEMORY).join("preview")
}

impl Preview {
    /// Builds, says so, and tells the browsers.
    fn build(&self) -> Collected<Report> {
        let began = Instant::now();
        let sources = Sources::new(&self.args.dir);
        let mut output = Output::new(&self.out, memory(&self.args), "preview");
        let include: Include = self.args.include();
        let options = Options {
            clock: self.args.clock(),
            include,
            keep_going: false,
            dry_run: false,
            progress: &Quiet,
        };
        let built = tabulae_build::build(&sources, &mut output, &options);
        let _ = ui::faults(&built.diagnostics);
        self.say(&built, began.elapsed().as_secs_f64());
        self.tell(&built);
        built
    }

    fn say(&self, built: &Collected<Report>, seconds: f64) {
        let report = &built.output;
        let errors = built.diagnostics.iter().filter(|fault| fault.is_error());
        let text = match errors.count() {
            0 => format!(
                "Built {} in {seconds:.2} s: {} written.\n",
                counted(report.posts, "post", "posts"),
                counted(report.written, "file", "files"),
            ),
            errors => format!(
                "{} to mend; the last good site is still served.\n",
                counted(errors, "error", "errors")
            ),
        };
        let _ = ui::print(&text);
    }

    fn tell(&self, built: &Collected<Report>) {
        let report = &built.output;
        let broken = built.diagnostics.iter().any(Diagnostic::is_error);
        let faults: Arc<[Diagnostic]> = if broken {
            built.diagnostics.clone().into()
        } else {
            Arc::new([])
        };
        if let Some(base) = self.read_base() {
            *self.base.lock().unwrap_or_else(PoisonError::into_inner) = base;
        }
        self.now.send_if_modified(|now| {
            let changed = !report.changes.is_empty() || *now.faults != *faults;
            if changed {
                let mended = !now.faults.is_empty();
                now.version += 1;
                now.styles = !mended
                    && !report.changes.is_empty()
                    && report
                        .changes
                        .iter()
                        .all(|change| change.path.ends_with(".css"));
                now.faults = faults;
            }
            changed
        });
    }

    /// The path of the site's address.
    fn read_base(&self) -> Option<String> {
        let path = self.args.dir.join(tabulae_core::settings::FILE);
        let text = std::fs::read_to_string(path).ok()?;
        let source = tabulae_core::source::Source::new(tabulae_core::settings::FILE, &text);
        let settings = tabulae_core::settings::Settings::read(&source);
        let sound = !settings.diagnostics.iter().any(Diagnostic::is_error);
        sound.then_some(settings.output.site.address.path)
    }

    fn base(&self) -> String {
        let base = self.base.lock().unwrap_or_else(PoisonError::into_inner);
        base.clone()
    }
}
