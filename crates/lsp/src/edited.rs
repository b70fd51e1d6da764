//! The state of the site that an editor works on: buffers, the site as it was last read, diagnostics.

use std::collections::{BTreeMap, BTreeSet};
use std::path::{Path, PathBuf};
use std::sync::Arc;
use std::sync::atomic::{AtomicBool, Ordering};
use std::time::{Duration, Instant};

use crossbeam_channel::{Receiver, after, never};
use tabulae_core::diagnostic::{Code, Diagnostic};
use tabulae_engine::{TextFindings, Workspace};

use crate::open_site::OpenSite;
use crate::worker::{Job, Worker};

/// The least time without typing after which the site is checked as a build does.
pub(crate) const REST: Duration = Duration::from_millis(300);

/// The state of the site that is edited.
pub(crate) struct Site {
    pub(crate) root: PathBuf,
    pub(crate) worker: Worker,
    /// The texts of open files, by path.
    pub(crate) texts: BTreeMap<String, String>,
    /// The number of the last job.
    pub(crate) number: u64,
    /// The site as it was last read, and the number of its job.
    pub(crate) read: Option<(u64, Arc<Workspace>)>,
    pub(crate) findings: Findings,
    /// The files that have diagnostics in the editor.
    pub(crate) published: BTreeSet<String>,
    /// Set if the site is to be checked as a build does, once it is read and nothing is typed.
    pub(crate) wants_check: bool,
    /// Receives when nothing was typed for a while.
    pub(crate) rests: Receiver<Instant>,
    /// The time without typing after which the site is checked, from [`REST`].
    pub(crate) patience: Duration,
    /// Ends the check that runs, if there is one.
    pub(crate) checking: Option<Arc<AtomicBool>>,
}

/// The diagnostics of the site, by the way they are found.
#[derive(Default)]
pub(crate) struct Findings {
    /// Of reading and planning the site.
    pub(crate) read: Vec<Diagnostic>,
    /// Of rendering it, at the last check.
    pub(crate) rendered: Vec<Diagnostic>,
    /// The lints of an audit, at the last check.
    pub(crate) lints: Vec<Diagnostic>,
    /// Of the texts of open files, at the last reading.
    pub(crate) texts: TextFindings,
    /// Of open files alone, by path: of the text that the site was read with, and of that in the buffer.
    pub(crate) own: BTreeMap<String, (Vec<Diagnostic>, Vec<Diagnostic>)>,
}

/// A diagnostic of the site.
#[derive(Debug, Clone)]
pub(crate) struct Finding {
    pub(crate) diagnostic: Diagnostic,
    /// Set if only an audit reports it, and no build.
    pub(crate) is_lint: bool,
}

impl Findings {
    /// Drops those of the last check, and of the texts of open files, whose line a text of their file no longer has.
    pub(crate) fn drop_stale(&mut self, path: &str, text: &str) {
        let holds = |found: &Diagnostic| {
            found.location.file.as_deref() != Some(path) || found.location.is_in(text)
        };
        let TextFindings { built, audited } = &mut self.texts;
        for found in [&mut self.rendered, &mut self.lints, built, audited] {
            found.retain(holds);
        }
    }
}

impl Site {
    /// Ends the check that runs, whose texts are no longer those of the buffers, and asks for another.
    pub(crate) fn check_again(&mut self) {
        self.wants_check = true;
        self.rests = never();
        if let Some(checking) = &self.checking {
            checking.store(true, Ordering::Relaxed);
        }
    }

    /// Checks the site after a while, if nothing is typed meanwhile.
    pub(crate) fn check_later(&mut self) {
        self.rests = after(self.patience);
    }

    /// Begins to check the site, if it is to be checked, is read with the texts of all buffers, and no check runs.
    pub(crate) fn check(&mut self) {
        self.rests = never();
        let Some((number, read)) = &self.read else {
            return;
        };
        if self.wants_check && self.checking.is_none() && *number == self.number {
            let cancel = Arc::new(AtomicBool::new(false));
            self.worker.check(Arc::clone(read), Arc::clone(&cancel));
            (self.wants_check, self.checking) = (false, Some(cancel));
        }
    }

    pub(crate) fn open_site<'a>(&'a self, site: &'a Workspace) -> OpenSite<'a> {
        OpenSite {
            site,
            root: &self.root,
            texts: &self.texts,
        }
    }

    /// Returns a path below the site's folder, with `/`; `None` if it is not below it.
    pub(crate) fn below(&self, path: &Path) -> Option<String> {
        let below = path.strip_prefix(&self.root).ok()?;
        let steps = below.components().map(|step| step.as_os_str().to_str());
        Some(steps.collect::<Option<Vec<_>>>()?.join("/"))
    }

    /// Reads the site again; `changed` are the only files that may have changed.
    pub(crate) fn read_again(&mut self, changed: Option<Vec<String>>) {
        self.number += 1;
        self.worker.read(Job {
            number: self.number,
            texts: self.texts.clone(),
            changed,
        });
    }

    /// Returns the diagnostics of a file: those that its text has by itself, and those of the site as it was last read.
    /// The lints of an audit are among them only if the file is open.
    pub(crate) fn of_file(&self, path: &str) -> Option<(String, Vec<Finding>)> {
        self.read.as_ref()?;
        let none = (Vec::new(), Vec::new());
        let (before, now) = self.findings.own.get(path).unwrap_or(&none);
        let Findings {
            read,
            rendered,
            lints,
            texts,
            ..
        } = &self.findings;
        let is_open = self.texts.contains_key(path);
        let is_here = |found: &&Diagnostic| found.location.file.as_deref() == Some(path);
        // Those of an open file are newer than the last check.
        let is_link = |found: &Diagnostic| {
            is_open && [Code::BrokenLink, Code::MissingImage].contains(&found.code)
        };
        let rendered = rendered.iter().filter(|found| !is_link(found));
        let rendered = rendered.filter(|found| !texts.built.contains(found));
        let others = read.iter().chain(rendered).chain(&texts.built);
        let others = others.filter(is_here);
        let others = others.filter(|found| !before.contains(found) && !now.contains(found));
        let lints = lints.iter().filter(|found| !is_link(found));
        let lints = lints.chain(&texts.audited).filter(is_here);
        let lints = lints.filter(|_| is_open);
        let finding = |is_lint| {
            move |found: &Diagnostic| Finding {
                diagnostic: found.clone(),
                is_lint,
            }
        };
        let all = now.iter().chain(others).map(finding(false));
        Some((
            path.to_owned(),
            all.chain(lints.map(finding(true))).collect(),
        ))
    }

    /// Returns the diagnostics of all files that have any, or had.
    pub(crate) fn all(&self) -> Vec<(String, Vec<Finding>)> {
        let found = self.findings.read.iter().chain(&self.findings.rendered);
        let files = found.filter_map(|found| found.location.file.as_deref());
        let open = self.texts.keys().map(String::as_str);
        let published = self.published.iter().map(String::as_str);
        let files: BTreeSet<&str> = files.chain(open).chain(published).collect();
        files
            .into_iter()
            .filter_map(|path| self.of_file(path))
            .collect()
    }
}
