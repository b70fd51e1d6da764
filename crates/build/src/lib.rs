//! Building a site: from its files to the files of `out/`. Everything that touches the disk is
//! here, and nothing that touches a terminal.

pub mod explain;
pub mod feeds;
pub mod markdown;
pub mod output;
pub mod plan;
pub mod render;
pub mod report;
pub mod site;
pub mod sources;
pub mod template;

use std::collections::{BTreeMap, BTreeSet};
use std::fmt;
use std::sync::Arc;
use std::sync::atomic::{AtomicBool, AtomicUsize, Ordering};

use jiff::Timestamp;
use jiff::tz::TimeZone;
use rayon::prelude::*;
use tabulae_core::diagnostic::{Code, Collected, Diagnostic, Faults};
use tabulae_core::post::{Include, State};
use tabulae_core::source::Place;
use tabulae_core::time::Written;

use crate::output::{Manifest, Output, checksum};
use crate::plan::{Plan, Planned};
use crate::render::Renderer;
use crate::report::{Change, ChangeKind, Due, Report};
use crate::site::{Site, reason};
use crate::sources::Sources;
use crate::template::{Shared, environment};

/// What a build is asked for beside the site itself.
#[derive(Debug, Clone, Copy)]
pub struct Options<'a> {
    /// What counts as now.
    pub clock: Clock,
    /// The states that are let into lists.
    pub include: Include,
    /// Whether to build without the posts in which an error stands.
    pub keep_going: bool,
    /// Whether to write nothing, and say what would change.
    pub dry_run: bool,
    /// Where to tell how far the build is.
    pub progress: &'a dyn Progress,
}

/// What counts as now.
#[derive(Debug, Clone, Copy)]
pub enum Clock {
    /// An instant.
    At(Timestamp),
    /// A day (from its midnight) or a time, in the site's time zone where it has no offset.
    Written(Written),
}

/// What a build is doing.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Step {
    /// Reading posts.
    Reading,
    /// Making and writing outputs.
    Writing,
}

/// Told how far a build is, from any thread.
pub trait Progress: Sync + fmt::Debug {
    /// `done` of `total` items of a step are done.
    fn step(&self, step: Step, done: usize, total: usize);
}

/// Tells nobody.
#[derive(Debug, Clone, Copy, Default)]
pub struct Quiet;

impl Progress for Quiet {
    fn step(&self, _: Step, _: usize, _: usize) {}
}

impl Clock {
    /// The instant that counts as now.
    #[must_use]
    pub fn now(self, zone: &TimeZone) -> Timestamp {
        match self {
            Clock::At(at) => at,
            Clock::Written(written) => written
                .stamp(zone)
                .map_or(Timestamp::UNIX_EPOCH, |stamp| stamp.at),
        }
    }
}

/// Builds a site. All faults of a run are reported together, and where there is an error
/// nothing is written; the report is there whenever the site could be read.
pub fn build(
    sources: &dyn Sources,
    output: &mut dyn Output,
    options: &Options<'_>,
) -> Collected<Report> {
    let mut faults = Faults::new();
    let report = Build {
        sources,
        options,
        faults: &mut faults,
    }
    .run(output);
    drop_echoes(&mut faults);
    Collected {
        output: report,
        diagnostics: faults,
    }
}

/// Runs `work` on `jobs` threads, at least 1; on those of the process where none can be had.
pub fn with_threads<T: Send>(jobs: usize, work: impl FnOnce() -> T + Send) -> T {
    match rayon::ThreadPoolBuilder::new()
        .num_threads(jobs.max(1))
        .build()
    {
        Ok(pool) => pool.install(work),
        Err(_) => work(),
    }
}

/// A post whose date could not be read has no link and no place in feeds either; that is not
/// said again.
fn drop_echoes(faults: &mut Faults) {
    let is_echo = |code| matches!(code, Code::LinkUnfit | Code::FeedUndated);
    let errors = faults
        .iter()
        .filter(|fault| fault.is_error() && !is_echo(fault.code));
    let broken: BTreeSet<Arc<str>> = errors
        .filter_map(|fault| fault.place.file.clone())
        .collect();
    faults.retain(|fault| {
        let file = fault.place.file.as_deref().unwrap_or_default();
        !is_echo(fault.code)
            || !file.ends_with(".md") && !file.ends_with(".html")
            || !broken.contains(file)
    });
}

struct Build<'a> {
    sources: &'a dyn Sources,
    options: &'a Options<'a>,
    faults: &'a mut Faults,
}

/// What became of one output.
enum Outcome {
    Unchanged(u64),
    Staged(u64, ChangeKind),
    Broken(Faults),
    /// Not made, since the output cannot be written to.
    Left,
}

impl Build<'_> {
    fn run(&mut self, output: &mut dyn Output) -> Report {
        let Some(site) = Site::read(self.sources, self.options, self.faults) else {
            return Report::default();
        };
        let mut report = summary(&site);
        report.out = output.name();
        let plan = plan::plan(&site, self.faults);
        let shared = Arc::new(Shared::new(site, plan));
        let env = environment(&shared, self.faults);
        render::check_templates(&shared, self.faults);
        if self.is_blocked(&shared.site) {
            return report;
        }
        let renderer = Renderer::new(Arc::clone(&shared), env, self.sources);
        if !self.options.dry_run && !self.lock(output) {
            return report;
        }
        let errors = self.errors();
        self.write(&renderer, &shared, output, &mut report);
        self.faults.extend(shared.take_warnings());
        // Nobody waits until thousands of posts are dropped.
        drop(renderer);
        rayon::spawn(move || drop(shared));
        if !self.options.dry_run {
            output.release();
        }
        if self.errors() > errors && report.written == 0 {
            report.unchanged = 0;
        }
        report
    }

    fn errors(&self) -> usize {
        self.faults.iter().filter(|fault| fault.is_error()).count()
    }

    /// Whether an error keeps the site from being built; in a build that keeps going, errors in
    /// posts that were left out do not.
    fn is_blocked(&self, site: &Site) -> bool {
        self.faults
            .iter()
            .filter(|fault| fault.is_error())
            .any(|fault| {
                let file = fault.place.file.as_deref().unwrap_or_default();
                !self.options.keep_going || !site.is_left_out(file)
            })
    }

    fn lock(&mut self, output: &mut dyn Output) -> bool {
        match output.lock() {
            Ok(()) => true,
            Err(error) if error.kind() == std::io::ErrorKind::WouldBlock => {
                self.faults.push(
                    Diagnostic::error(
                        Code::BuildLocked,
                        Place::top_of(".tabulae/lock"),
                        "another build of this site is under way",
                    )
                    .help("wait until it is done, or end it"),
                );
                false
            }
            Err(error) => {
                self.faults.push(unwritable(".tabulae/lock", &error));
                false
            }
        }
    }

    fn write(
        &mut self,
        renderer: &Renderer<'_>,
        shared: &Shared,
        output: &dyn Output,
        report: &mut Report,
    ) {
        let old = output.manifest();
        let outcomes = self.stage_all(renderer, &shared.plan, output, old.as_ref());
        let mut manifest = Manifest {
            published: feeds::published(&shared.site, &shared.plan, old.as_ref(), self.faults),
            ..Manifest::default()
        };
        let mut staged: Vec<&Planned> = Vec::new();
        let mut broken = Faults::new();
        for (planned, outcome) in shared.plan.outputs.iter().zip(outcomes) {
            match outcome {
                Outcome::Unchanged(hash) => {
                    report.unchanged += 1;
                    manifest.files.insert(planned.file.clone(), Some(hash));
                }
                Outcome::Staged(hash, kind) => {
                    staged.push(planned);
                    manifest.files.insert(planned.file.clone(), Some(hash));
                    report.changes.push(change(&planned.file, kind));
                }
                Outcome::Broken(faults) => broken.extend(faults),
                Outcome::Left => {}
            }
        }
        let stale: Vec<String> = old
            .iter()
            .flat_map(|old| old.files.keys())
            .filter(|path| !manifest.files.contains_key(*path))
            .cloned()
            .collect();
        if !broken.is_empty() {
            staged
                .iter()
                .for_each(|planned| output.discard(&planned.file));
            self.add_once(broken);
            report.changes.clear();
            return;
        }
        if self.options.dry_run {
            report.written = staged.len();
            report.removed = stale.len();
            report
                .changes
                .extend(stale.iter().map(|path| change(path, ChangeKind::Remove)));
            return;
        }
        report.changes.clear();
        self.publish_all(&staged, &stale, manifest, old.as_ref(), output, report);
    }

    /// Renders every output and writes those that differ beside their places.
    fn stage_all(
        &self,
        renderer: &Renderer<'_>,
        plan: &Plan,
        output: &dyn Output,
        old: Option<&Manifest>,
    ) -> Vec<Outcome> {
        let done = AtomicUsize::new(0);
        let unwritable = AtomicBool::new(false);
        let total = plan.outputs.len();
        plan.outputs
            .par_iter()
            .map(|planned| {
                if unwritable.load(Ordering::Relaxed) {
                    return Outcome::Left;
                }
                let outcome = match renderer.render(planned) {
                    Ok(bytes) => self.stage(&planned.file, &bytes, output, old),
                    Err(faults) => Outcome::Broken(faults),
                };
                if let Outcome::Broken(faults) = &outcome {
                    let full = faults
                        .iter()
                        .any(|fault| fault.code == Code::FileUnwritable);
                    unwritable.fetch_or(full, Ordering::Relaxed);
                }
                self.options.progress.step(
                    Step::Writing,
                    done.fetch_add(1, Ordering::Relaxed) + 1,
                    total,
                );
                outcome
            })
            .collect()
    }

    fn stage(
        &self,
        file: &str,
        bytes: &[u8],
        output: &dyn Output,
        old: Option<&Manifest>,
    ) -> Outcome {
        let hash = checksum(bytes);
        let there = match output.read(file) {
            Ok(there) => there,
            Err(error) => {
                return Outcome::Broken(vec![unwritable(
                    &format!("{}/{file}", output.name()),
                    &error,
                )]);
            }
        };
        if there.as_deref() == Some(bytes) {
            return Outcome::Unchanged(hash);
        }
        if there.is_some() && old.is_some_and(|old| !old.files.contains_key(file)) {
            let path = format!("{}/{file}", output.name());
            return Outcome::Broken(vec![
                Diagnostic::error(
                    Code::FileForeign,
                    Place::top_of(&path),
                    format!("`{path}` was not written by Tabulae, and an output belongs there"),
                )
                .help("move the file away, or to assets/ if it is to be published"),
            ]);
        }
        let kind = if there.is_some() {
            ChangeKind::Replace
        } else {
            ChangeKind::Make
        };
        drop(there);
        if self.options.dry_run {
            return Outcome::Staged(hash, kind);
        }
        match output.stage(file, bytes) {
            Ok(()) => Outcome::Staged(hash, kind),
            Err(error) => Outcome::Broken(vec![unwritable(
                &format!("{}/{file}", output.name()),
                &error,
            )]),
        }
    }

    /// Puts everything in its place. What is under way is remembered first, so that after a
    /// kill the next build knows the files as its own.
    fn publish_all(
        &mut self,
        staged: &[&Planned],
        stale: &[String],
        manifest: Manifest,
        old: Option<&Manifest>,
        output: &dyn Output,
        report: &mut Report,
    ) {
        if old == Some(&manifest) && staged.is_empty() {
            return;
        }
        let mut under_way = old.cloned().unwrap_or_default();
        under_way
            .files
            .extend(staged.iter().map(|planned| (planned.file.clone(), None)));
        if let Err(error) = output.remember(&under_way) {
            staged
                .iter()
                .for_each(|planned| output.discard(&planned.file));
            self.faults.push(unwritable(".tabulae", &error));
            return;
        }
        let failed: Vec<Option<Diagnostic>> = staged
            .par_iter()
            .map(|planned| {
                output.publish(&planned.file).err().map(|error| {
                    output.discard(&planned.file);
                    unwritable(&format!("{}/{}", output.name(), planned.file), &error)
                })
            })
            .collect();
        report.written = failed.iter().filter(|failed| failed.is_none()).count();
        let failed: Faults = failed.into_iter().flatten().collect();
        if !failed.is_empty() {
            self.add_once(failed);
            return;
        }
        if let Err(error) = output.settle() {
            report.written = 0;
            self.faults.push(unwritable(&output.name(), &error));
            return;
        }
        for path in stale {
            self.remove(path, old, output, report);
        }
        if let Err(error) = output.remember(&manifest) {
            self.faults.push(unwritable(".tabulae", &error));
        }
    }

    /// Removes a file that nothing makes any more, unless someone changed it since.
    fn remove(
        &mut self,
        path: &str,
        old: Option<&Manifest>,
        output: &dyn Output,
        report: &mut Report,
    ) {
        let whole = format!("{}/{path}", output.name());
        let ours = old.and_then(|old| old.files.get(path).copied()).flatten();
        match output.read(path) {
            Ok(None) => return,
            Ok(Some(bytes)) if ours.is_some_and(|hash| hash != checksum(&bytes)) => {
                self.faults.push(
                    Diagnostic::warning(
                        Code::FileForeign,
                        Place::top_of(&whole),
                        format!("`{whole}` is made no more, and was changed by someone since"),
                    )
                    .help("remove it by hand if it is not needed"),
                );
                return;
            }
            _ => {}
        }
        match output.remove(path) {
            Ok(()) => report.removed += 1,
            Err(error) => self.faults.push(unwritable(&whole, &error)),
        }
    }

    /// The same fault of many pages, as of a template that all of them use, is said once.
    fn add_once(&mut self, faults: Faults) {
        for fault in faults {
            let same = |known: &Diagnostic| {
                known.code == fault.code
                    && known.place == fault.place
                    && known.message == fault.message
            };
            if !self.faults.iter().any(same) {
                self.faults.push(fault);
            }
        }
    }
}

fn unwritable(path: &str, error: &std::io::Error) -> Diagnostic {
    Diagnostic::error(
        Code::FileUnwritable,
        Place::top_of(path),
        format!("cannot write `{path}`: {}", reason(error)),
    )
    .help("look at the folder's permissions and the space that is left")
}

fn change(path: &str, kind: ChangeKind) -> Change {
    let why = match kind {
        ChangeKind::Make => "it is not there",
        ChangeKind::Replace => "its content changes",
        ChangeKind::Remove => "nothing makes it any more",
    };
    Change {
        path: path.to_owned(),
        kind,
        why: why.to_owned(),
    }
}

/// What was read, held back, and falls due next.
fn summary(site: &Site) -> Report {
    let catalogue = &site.catalogue;
    let mut held_back = BTreeMap::new();
    for id in catalogue.all().filter(|id| !catalogue.is_listed(*id)) {
        *held_back
            .entry(catalogue.post(id).state.name())
            .or_insert(0) += 1;
    }
    let scheduled = catalogue
        .all()
        .map(|id| catalogue.post(id))
        .filter(|post| post.state == State::Scheduled);
    let due = scheduled
        .filter_map(|post| Some((post.date?, post)))
        .min_by_key(|(date, _)| date.at);
    Report {
        posts: site.posts_read,
        pages: site.pages_read,
        held_back,
        next_due: due.map(|(at, post)| Due {
            at,
            title: post.title.to_string(),
            path: post.path.clone(),
        }),
        ..Report::default()
    }
}

#[cfg(test)]
mod tests;
