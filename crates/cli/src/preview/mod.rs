//! `tabulae preview`: the site, served with what is held back, built and reloaded at each change.
//!
//! One thread watches the files and builds into a folder of its own (`.tabulae/preview/`); another
//! serves that folder, and tells browsers what became of it.

mod pages;
mod server;
mod watch;

use std::path::PathBuf;
use std::sync::atomic::{AtomicBool, Ordering};
use std::sync::{Arc, Condvar, Mutex, MutexGuard, PoisonError};
use std::time::{Duration, Instant};

use tabulae_core::diagnostic::{Diagnostic, Faults};
use tabulae_core::post::Include;
use tabulae_engine::output::Disk as Output;
use tabulae_engine::report::Report;
use tabulae_engine::sources::Disk as Sources;
use tabulae_engine::{Foreign, Options, Progress, Session, Step};

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
    now: Mutex<Now>,
    /// Wakes those who wait for another [`Now`].
    changed: Condvar,
    /// What one build hands on to the next.
    session: Mutex<Session>,
}

pub(crate) fn run(args: &Args, wanted: &PreviewArgs) -> Status {
    let mut args = args.clone();
    args.include
        .extend(["drafts".to_owned(), "scheduled".to_owned()]);
    let preview = Arc::new(Preview {
        out: memory(&args).join("site"),
        base: Mutex::default(),
        now: Mutex::default(),
        changed: Condvar::new(),
        session: Mutex::new(Session::keeping_to_itself()),
        args,
    });
    let watch = match Watch::new(&preview.args.dir) {
        Ok(watch) => watch,
        Err(error) => {
            ui::complain(&format!("cannot watch the site's files: {error}\n"));
            return Status::Machine;
        }
    };
    let built = preview.build(None);
    if built.iter().any(|fault| {
        let codes = [
            tabulae_core::diagnostic::Code::SettingsMissing,
            tabulae_core::diagnostic::Code::BuildLocked,
        ];
        codes.contains(&fault.code)
    }) {
        return ui::status(&built);
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
    /// Builds, says so, and tells the browsers, as soon as the new files are there to be served.
    /// Where it is known what changed, nothing else is looked at.
    fn build(&self, changed: Option<Vec<String>>) -> Faults {
        let sources = Sources::new(&self.args.dir);
        let mut output = Output::new(&self.out, memory(&self.args), "preview");
        let include: Include = self.args.include();
        let teller = Teller {
            preview: self,
            began: Instant::now(),
            told: AtomicBool::new(false),
        };
        let options = Options {
            clock: self.args.clock(),
            include,
            keep_going: false,
            dry_run: false,
            foreign: Foreign::default(),
            progress: &teller,
        };
        let mut session = self.session.lock().unwrap_or_else(PoisonError::into_inner);
        if let Some(changed) = changed {
            session.only_changed(changed);
        }
        let built = session.build(&sources, &mut output, &options);
        if !teller.told.load(Ordering::Relaxed) {
            teller.tell(&built.output, &built.diagnostics);
        }
        built.diagnostics
    }

    fn tell(&self, report: &Report, faults: &[Diagnostic]) {
        let broken = faults.iter().any(Diagnostic::is_error);
        let faults: Arc<[Diagnostic]> = if broken { faults.into() } else { Arc::new([]) };
        if !broken {
            let mut base = self.base.lock().unwrap_or_else(PoisonError::into_inner);
            base.clone_from(&report.base);
        }
        let mut now = self.locked_now();
        if report.changes.is_empty() && *now.faults == *faults {
            return;
        }
        let mended = !now.faults.is_empty();
        let mut changes = report.changes.iter();
        now.version += 1;
        now.styles = !mended
            && !report.changes.is_empty()
            && changes.all(|change| change.path.ends_with(".css"));
        now.faults = faults;
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

    fn base(&self) -> String {
        let base = self.base.lock().unwrap_or_else(PoisonError::into_inner);
        base.clone()
    }
}

/// Tells of a build once, at the first moment at which it can.
#[derive(Debug)]
struct Teller<'a> {
    preview: &'a Preview,
    began: Instant,
    told: AtomicBool,
}

impl Teller<'_> {
    fn tell(&self, report: &Report, faults: &[Diagnostic]) {
        self.told.store(true, Ordering::Relaxed);
        self.preview.tell(report, faults);
        let _ = ui::faults(faults);
        let seconds = self.began.elapsed().as_secs_f64();
        let errors = faults.iter().filter(|fault| fault.is_error());
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
}

impl Progress for Teller<'_> {
    fn step(&self, _: Step, _: usize, _: usize) {}

    fn stands(&self, report: &Report, faults: &[Diagnostic]) {
        self.tell(report, faults);
    }
}
