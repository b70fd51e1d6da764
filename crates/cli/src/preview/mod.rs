//! `tabulae preview`: the site with drafts and scheduled posts, served, and built and reloaded at each
//! change.
//!
//! One thread watches the files and builds into a folder of its own (`.tabulae/preview/`); another
//! serves that folder, and tells browsers what became of it.

mod pages;
mod server;
mod watch;
mod workbench;

use std::path::PathBuf;
use std::sync::atomic::{AtomicBool, AtomicU64, Ordering};
use std::sync::{Arc, Condvar, Mutex, MutexGuard, PoisonError};
use std::time::{Duration, Instant};

use tabulae_core::diagnostic::{Diagnostic, Diagnostics};
use tabulae_engine::{
    BuildOptions, BuildReport, BuildSession, DiskOutput, Progress, STATE_FOLDER, Step,
};

use self::watch::Watch;
use self::workbench::Workbench;
use crate::args::{Args, PreviewArgs};
use crate::ui::{self, Status, counted};

/// The message to browsers after each build.
#[derive(Debug, Clone, Default)]
struct Now {
    /// Counts the builds that changed something.
    version: u64,
    /// Set if only style sheets changed.
    styles: bool,
    /// The diagnostics of the last build, where it could not be written.
    diagnostics: Arc<[Diagnostic]>,
}

/// The preview of a site.
#[derive(Debug)]
struct Preview {
    args: Args,
    /// The folder that is built into and served.
    out: PathBuf,
    /// The path that the site's address puts before every link.
    base: Mutex<String>,
    now: Mutex<Now>,
    /// Wakes those who wait for another [`Now`].
    changed: Condvar,
    /// The session of all builds.
    session: Mutex<BuildSession>,
    /// Set when a file changes; a build that is under way then ends.
    superseded: Arc<AtomicBool>,
    /// Counts the builds that began.
    builds: AtomicU64,
    workbench: Workbench,
}

pub(crate) fn run(args: &Args, wanted: &PreviewArgs) -> Status {
    let mut args = args.clone();
    args.include
        .extend(["drafts".to_owned(), "scheduled".to_owned()]);
    let site = args.workspace();
    let preview = Arc::new(Preview {
        out: state_folder(&args).join("site"),
        base: Mutex::default(),
        now: Mutex::default(),
        changed: Condvar::new(),
        session: Mutex::new(site.session().exclusive()),
        superseded: Arc::default(),
        builds: AtomicU64::new(0),
        workbench: Workbench::default(),
        args,
    });
    let watch = match Watch::new(&preview.args.dir, Arc::clone(&preview.superseded)) {
        Ok(watch) => watch,
        Err(error) => {
            ui::complain(&format!("cannot watch the site's files: {error}\n"));
            return Status::Machine;
        }
    };
    let built = preview.build(None, false).diagnostics;
    if built.iter().any(|diagnostic| {
        let codes = [
            tabulae_core::diagnostic::Code::MissingSettings,
            tabulae_core::diagnostic::Code::BuildLocked,
        ];
        codes.contains(&diagnostic.code)
    }) {
        return ui::status(&built);
    }
    let watching = Arc::clone(&preview);
    std::thread::spawn(move || watch.build(&watching));
    server::serve(&preview, wanted)
}

/// The state folder of the preview: it and a build do not wait for each other.
fn state_folder(args: &Args) -> PathBuf {
    args.dir.join(STATE_FOLDER).join("preview")
}

/// The end of a build.
#[derive(Debug)]
struct Built {
    diagnostics: Diagnostics,
    is_cancelled: bool,
}

impl Preview {
    /// Builds, says so, and tells the browsers, as soon as the new files can be served. Where the changed files
    /// are known, no others are looked at. A build that may be cancelled ends when a file changes.
    fn build(&self, changed: Option<Vec<String>>, may_cancel: bool) -> Built {
        let teller = Teller {
            preview: self,
            began: Instant::now(),
            told: AtomicBool::new(false),
        };
        self.builds.fetch_add(1, Ordering::Relaxed);
        let mut session = self.session.lock().unwrap_or_else(PoisonError::into_inner);
        session.set_clock(self.args.clock());
        if let Some(changed) = changed {
            session.only_changed(changed);
        }
        self.superseded.store(false, Ordering::Relaxed);
        let options = BuildOptions::default().progress(&teller);
        let options = if may_cancel {
            options.cancel(&self.superseded)
        } else {
            options
        };
        let output = DiskOutput::new(&self.out);
        let built = output.and_then(|output| {
            let mut output = output.named("preview").state(state_folder(&self.args));
            session.build(&mut output, options)
        });
        let (report, diagnostics) = match built {
            Ok(report) => (report.clone(), report.diagnostics),
            Err(error) => (
                error.report().cloned().unwrap_or_default(),
                error.into_diagnostics(),
            ),
        };
        if !report.cancelled && !teller.told.load(Ordering::Relaxed) {
            teller.tell(&report, &diagnostics);
        }
        Built {
            is_cancelled: report.cancelled,
            diagnostics,
        }
    }

    fn tell(&self, report: &BuildReport, diagnostics: &[Diagnostic]) {
        let broken = diagnostics.iter().any(Diagnostic::is_error);
        let diagnostics: Arc<[Diagnostic]> = if broken {
            diagnostics.into()
        } else {
            Arc::new([])
        };
        if !broken {
            let mut base = self.base.lock().unwrap_or_else(PoisonError::into_inner);
            base.clone_from(&report.base);
        }
        let mut now = self.locked_now();
        if report.changes.is_empty() && *now.diagnostics == *diagnostics {
            return;
        }
        let mended = !now.diagnostics.is_empty();
        let mut changes = report.changes.iter();
        now.version += 1;
        now.styles = !mended
            && !report.changes.is_empty()
            && changes.all(|change| change.path.ends_with(".css"));
        now.diagnostics = diagnostics;
        drop(now);
        self.changed.notify_all();
    }

    fn locked_now(&self) -> MutexGuard<'_, Now> {
        self.now.lock().unwrap_or_else(PoisonError::into_inner)
    }

    fn now(&self) -> Now {
        self.locked_now().clone()
    }

    /// Waits until there is another version than the one that was `told`, but no longer than
    /// `patience`.
    fn next(&self, told: Option<u64>, patience: Duration) -> Option<Now> {
        let is_told = |now: &mut Now| told == Some(now.version);
        let waited = self
            .changed
            .wait_timeout_while(self.locked_now(), patience, is_told);
        let (now, waited) = waited.unwrap_or_else(PoisonError::into_inner);
        (!waited.timed_out()).then(|| now.clone())
    }

    fn builds(&self) -> u64 {
        self.builds.load(Ordering::Relaxed)
    }

    fn base(&self) -> String {
        let base = self.base.lock().unwrap_or_else(PoisonError::into_inner);
        base.clone()
    }
}

/// Reports a build once, as early as possible.
#[derive(Debug)]
struct Teller<'a> {
    preview: &'a Preview,
    began: Instant,
    told: AtomicBool,
}

impl Teller<'_> {
    fn tell(&self, report: &BuildReport, diagnostics: &[Diagnostic]) {
        self.told.store(true, Ordering::Relaxed);
        self.preview.tell(report, diagnostics);
        let _ = ui::report(diagnostics, self.preview.args.all);
        let seconds = self.began.elapsed().as_secs_f64();
        let errors = diagnostics
            .iter()
            .filter(|diagnostic| diagnostic.is_error());
        let text = match errors.count() {
            0 => ui::built_line(report, false, seconds),
            errors => format!(
                "{}; the last good site is still served.\n",
                counted(errors, "error", "errors")
            ),
        };
        let _ = ui::print(&text);
    }
}

impl Progress for Teller<'_> {
    fn step(&self, _: Step, _: usize, _: usize) {}

    fn published(&self, report: &BuildReport, diagnostics: &[Diagnostic]) {
        self.tell(report, diagnostics);
    }
}
