//! Reading the site again, in the background.

use std::collections::BTreeMap;
use std::path::{Path, PathBuf};
use std::sync::Arc;
use std::sync::atomic::AtomicBool;
use std::thread;
use std::time::{Duration, Instant};

use crossbeam_channel::{Receiver, Sender, unbounded};
use tabulae_core::diagnostic::{Diagnostic, without};
use tabulae_engine::{DiskOutput, OUTPUT_FOLDER, TextFindings, Workspace};

/// Opens the site in a folder, at the time of the call.
pub type Opener = Arc<dyn Fn(&Path) -> Workspace + Send + Sync>;

/// The texts to read a site with.
#[derive(Debug)]
pub(crate) struct Job {
    /// Counts the jobs.
    pub(crate) number: u64,
    pub(crate) texts: BTreeMap<String, String>,
    /// The only files that may have changed since the job before; `None` if any may have.
    pub(crate) changed: Option<Vec<String>>,
}

/// The result of a job.
#[derive(Debug)]
pub(crate) enum Outcome {
    /// The site, the diagnostics of reading and planning it, and the diagnostics of the texts of open files.
    Read(u64, Arc<Workspace>, Vec<Diagnostic>, TextFindings),
    /// The end of a check; `None` if it was cancelled.
    Checked(Option<Check>),
}

/// The diagnostics of a check.
#[derive(Debug)]
pub(crate) struct Check {
    /// The diagnostics of a build that reading and planning do not find.
    pub(crate) rendered: Vec<Diagnostic>,
    /// The lints of an audit.
    pub(crate) lints: Vec<Diagnostic>,
    /// The time that it took.
    pub(crate) took: Duration,
}

/// A thread that reads the site for each job, or for the last of several.
#[derive(Debug)]
pub(crate) struct Worker {
    jobs: Sender<Job>,
    done: Sender<Outcome>,
    pub(crate) outcomes: Receiver<Outcome>,
}

impl Worker {
    /// Begins to work on the site in a folder.
    pub(crate) fn new(root: PathBuf, open: Opener) -> Self {
        let (jobs, received) = unbounded();
        let (done, outcomes) = unbounded();
        let to = done.clone();
        thread::spawn(move || work(&root, &open, &received, &to));
        Self {
            jobs,
            done,
            outcomes,
        }
    }

    pub(crate) fn read(&self, job: Job) {
        // The thread ends with the server.
        let _ = self.jobs.send(job);
    }

    /// Checks a site as a build and an audit do, in a thread of its own, until `cancel` is set.
    pub(crate) fn check(&self, site: Arc<Workspace>, cancel: Arc<AtomicBool>) {
        let done = self.done.clone();
        thread::spawn(move || {
            let checked = check(&site, &cancel);
            // The thread ends with the server.
            let _ = done.send(Outcome::Checked(checked));
        });
    }
}

fn check(site: &Workspace, cancel: &AtomicBool) -> Option<Check> {
    let began = Instant::now();
    let found = site.check_unless(cancel)?;
    let lints = output_of(site).map(|mut output| site.lints(&mut output, &found));
    Some(Check {
        rendered: without(found, &site.findings()),
        lints: lints.unwrap_or_default(),
        took: began.elapsed(),
    })
}

/// Returns the output folder of a site.
pub(crate) fn output_of(site: &Workspace) -> Option<DiskOutput> {
    DiskOutput::new(site.root()?.join(OUTPUT_FOLDER)).ok()
}

fn work(root: &Path, open: &Opener, jobs: &Receiver<Job>, done: &Sender<Outcome>) {
    let mut current: Option<Arc<Workspace>> = None;
    let mut others = Vec::new();
    while let Ok(mut job) = jobs.recv() {
        // Only the last one is of interest, with the changes of all.
        while let Ok(next) = jobs.try_recv() {
            let changed = job.changed.zip(next.changed);
            job = Job {
                changed: changed.map(|(mut all, more)| {
                    all.extend(more);
                    all
                }),
                ..next
            };
        }
        let open_files: Vec<String> = job.texts.keys().cloned().collect();
        let may_be_any = job.changed.is_none();
        let site = open(root).with_texts(job.texts, current.as_deref(), job.changed);
        let findings = site.findings();
        if may_be_any && let Some(mut output) = output_of(&site) {
            others = site.files_of_others(&mut output);
        }
        let texts = site.text_findings(open_files.iter().map(String::as_str), &others);
        let site = Arc::new(site);
        current = Some(Arc::clone(&site));
        if done
            .send(Outcome::Read(job.number, site, findings, texts))
            .is_err()
        {
            return;
        }
    }
}
