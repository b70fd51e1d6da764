//! Building a site: from its files to the files of `out/`. Everything that touches the disk is
//! here, and nothing that touches a terminal.

pub mod audit;
mod cache;
pub mod explain;
pub mod feeds;
mod fingerprint;
pub mod markdown;
pub mod output;
pub mod plan;
pub mod render;
pub mod report;
mod run;
mod session;
pub mod site;
pub mod sources;
mod stage;
pub mod template;
pub mod terms;
pub mod weave;

use std::collections::BTreeSet;
use std::fmt;
use std::sync::{Arc, OnceLock};

use jiff::Timestamp;
use jiff::tz::TimeZone;
use tabulae_core::diagnostic::{Code, Collected, Diagnostic, Faults};
use tabulae_core::post::Include;
use tabulae_core::time::Written;

use crate::output::Output;
use crate::report::Report;
pub use crate::run::lock;
pub use crate::session::Session;
use crate::sources::Sources;

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
    /// The treatment of files in the output folder that no known build wrote.
    pub foreign: Foreign,
    /// Where to tell how far the build is.
    pub progress: &'a dyn Progress,
}

/// The treatment of files in the output folder that no known build wrote. By default one at an output's
/// address is an error, unless it has the output's bytes, and others are left alone.
#[derive(Debug, Clone, Copy, Default, PartialEq, Eq)]
pub struct Foreign {
    /// Replace those at addresses of outputs.
    pub adopt: bool,
    /// Remove all others.
    pub prune: bool,
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

    /// Everything stands in its place; what follows is done for the next build.
    fn stands(&self, _report: &Report, _faults: &[Diagnostic]) {}
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
    let mut session = Session::default();
    let built = session.build(sources, output, options);
    // Nobody waits until thousands of posts are dropped.
    rayon::spawn(move || drop(session));
    built
}

impl Session {
    /// Builds a site, the same as [`build`] does; what the last build of this session read is not
    /// read again, as long as it is as that build left it.
    pub fn build(
        &mut self,
        sources: &dyn Sources,
        output: &mut dyn Output,
        options: &Options<'_>,
    ) -> Collected<Report> {
        let mut faults = Faults::new();
        let report = on_large_stacks(|| run::run(self, sources, output, options, &mut faults));
        drop_echoes(&mut faults);
        Collected {
            output: report,
            diagnostics: faults,
        }
    }
}

/// The stack of each thread that renders, in bytes. Only what is used of it takes memory.
const STACK: usize = 64 << 20;

/// Runs `work` on `jobs` threads, at least 1; on those of the process where none can be had.
pub fn with_threads<T: Send>(jobs: usize, work: impl FnOnce() -> T + Send) -> T {
    match pool(jobs.max(1)) {
        Some(pool) => pool.install(work),
        None => work(),
    }
}

/// Runs `work` on threads whose stacks hold templates that load each other, one for each processor;
/// within [`with_threads`] on its threads.
pub(crate) fn on_large_stacks<T: Send>(work: impl FnOnce() -> T + Send) -> T {
    static POOL: OnceLock<Option<rayon::ThreadPool>> = OnceLock::new();
    if rayon::current_thread_index().is_some() {
        return work();
    }
    match POOL.get_or_init(|| pool(0)) {
        Some(pool) => pool.install(work),
        None => work(),
    }
}

/// Returns a pool of `threads` threads, one for each processor if it is 0.
fn pool(threads: usize) -> Option<rayon::ThreadPool> {
    let pool = rayon::ThreadPoolBuilder::new().num_threads(threads);
    pool.stack_size(STACK).build().ok()
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

#[cfg(test)]
extern crate self as tabulae_build;
#[cfg(test)]
mod tests;
