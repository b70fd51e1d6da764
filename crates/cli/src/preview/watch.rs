//! Watching the site's files, and building when they rest.

use std::collections::BTreeSet;
use std::path::{Path, PathBuf};
use std::sync::mpsc::{Receiver, RecvTimeoutError, channel};
use std::time::{Duration, Instant};

use notify::{Event, EventKind, RecommendedWatcher, RecursiveMode, Watcher};

use super::Preview;
use crate::settle::MEMORY;

/// Editors write a file in several steps: a build waits until nothing changed for so long.
const REST: Duration = Duration::from_millis(50);

/// And at most so long after the first change.
const PATIENCE: Duration = Duration::from_millis(1000);

/// The files of a site, watched.
#[derive(Debug)]
pub(super) struct Watch {
    root: PathBuf,
    watcher: RecommendedWatcher,
    watched: BTreeSet<PathBuf>,
    changes: Receiver<notify::Result<Event>>,
}

impl Watch {
    /// Watches from now on; what changes before the first build is built once more.
    pub(super) fn new(root: &Path) -> notify::Result<Self> {
        let (send, changes) = channel();
        let watcher = notify::recommended_watcher(move |event| {
            let _ = send.send(event);
        })?;
        let mut watch = Self {
            root: root.to_owned(),
            watcher,
            watched: BTreeSet::new(),
            changes,
        };
        watch.follow();
        Ok(watch)
    }

    /// Builds after each change, for ever.
    pub(super) fn build(mut self, preview: &Preview) {
        while self.rests() {
            self.follow();
            let _ = preview.build();
        }
    }

    /// Watches the site's folder, and each folder in it that may belong to the site.
    fn follow(&mut self) {
        let Self {
            root,
            watcher,
            watched,
            ..
        } = self;
        if watched.is_empty() && watcher.watch(root, RecursiveMode::NonRecursive).is_ok() {
            watched.insert(root.clone());
        }
        watched.retain(|path| path.is_dir());
        for entry in std::fs::read_dir(&*root).into_iter().flatten().flatten() {
            let path = entry.path();
            if path.is_dir()
                && is_of_the_site(root, &path)
                && !watched.contains(&path)
                && watcher.watch(&path, RecursiveMode::Recursive).is_ok()
            {
                watched.insert(path);
            }
        }
    }

    /// Waits for a change, and then until nothing changes any more; `false` where nothing ever
    /// will.
    fn rests(&self) -> bool {
        loop {
            match self.changes.recv() {
                Ok(event) if self.matters(&event) => break,
                Ok(_) => {}
                Err(_) => return false,
            }
        }
        let began = Instant::now();
        let mut until = began + REST;
        while Instant::now() < until {
            match self.changes.recv_timeout(until - Instant::now()) {
                Ok(event) if self.matters(&event) => {
                    until = (Instant::now() + REST).min(began + PATIENCE);
                }
                Ok(_) | Err(RecvTimeoutError::Timeout) => {}
                Err(RecvTimeoutError::Disconnected) => return false,
            }
        }
        true
    }

    fn matters(&self, event: &notify::Result<Event>) -> bool {
        event.as_ref().is_ok_and(|event| {
            let mut paths = event.paths.iter();
            !matches!(event.kind, EventKind::Access(_))
                && paths.any(|path| is_of_the_site(&self.root, path))
        })
    }
}

/// Whether a change at this path can change the site: not in what is written, nor in what
/// editors and other tools keep for themselves.
fn is_of_the_site(root: &Path, path: &Path) -> bool {
    let Ok(below) = path.strip_prefix(root) else {
        return true;
    };
    let mut steps = below.iter().map(|step| step.to_string_lossy());
    let first = steps.next().unwrap_or_default();
    let own = ["out", MEMORY, "node_modules", "target"];
    let left = |step: &str| step.starts_with('.') || step.ends_with('~');
    !own.contains(&&*first) && !left(&first) && !steps.any(|step| left(&step))
}

#[cfg(test)]
mod tests {
    use super::*;
    use rstest::rstest;

    #[rstest]
    #[case::post("posts/a.md", true)]
    #[case::settings("tabulae.toml", true)]
    #[case::what_is_written("out/index.html", false)]
    #[case::memory(".tabulae/manifest", false)]
    #[case::an_editors("posts/.a.md.swp", false)]
    #[case::a_backup("posts/a.md~", false)]
    fn only_the_sites_files_matter(#[case] path: &str, #[case] matters: bool) {
        assert_eq!(
            is_of_the_site(Path::new("s"), &Path::new("s").join(path)),
            matters
        );
    }
}
