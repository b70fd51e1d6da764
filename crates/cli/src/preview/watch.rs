//! Watching the site's files, and building when they rest.

use std::collections::BTreeSet;
use std::path::{Path, PathBuf};
use std::sync::Arc;
use std::sync::atomic::{AtomicBool, Ordering};
use std::sync::mpsc::{Receiver, RecvTimeoutError, channel};
use std::time::{Duration, Instant};

use notify::{Event, EventKind, RecommendedWatcher, RecursiveMode, Watcher};

use super::Preview;
use tabulae_engine::{OUTPUT_FOLDER, STATE_FOLDER};

/// Editors write a file in several steps: a build waits until nothing changed for so long.
const REST: Duration = Duration::from_millis(10);

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

/// The maximum number of builds in a row that a newer change ends.
const CANCELLED: usize = 3;

impl Watch {
    /// Watches from now on, and sets `superseded` at each change. Changes before the first build lead to
    /// another build.
    pub(super) fn new(root: &Path, superseded: Arc<AtomicBool>) -> notify::Result<Self> {
        let (send, changes) = channel();
        // Changes are reported by absolute paths.
        let root = std::path::absolute(root)?;
        let site = root.clone();
        let watcher = notify::recommended_watcher(move |event| {
            if matters(&site, &event) {
                superseded.store(true, Ordering::Relaxed);
            }
            let _ = send.send(event);
        })?;
        let mut watch = Self {
            root,
            watcher,
            watched: BTreeSet::new(),
            changes,
        };
        watch.follow();
        Ok(watch)
    }

    /// Builds after each change, for ever.
    pub(super) fn build(mut self, preview: &Preview) {
        let mut cancelled = 0;
        while let Some(changed) = self.rests() {
            // Nobody reported what came into a folder before it was watched.
            let is_new = self.follow();
            let changed = changed.filter(|_| !is_new && cancelled == 0);
            let built = preview.build(changed, cancelled < CANCELLED);
            cancelled = if built.is_cancelled { cancelled + 1 } else { 0 };
        }
    }

    /// Watches the site's folder, and each folder in it that may belong to the site. Whether any
    /// of them came or went.
    fn follow(&mut self) -> bool {
        let Self {
            root,
            watcher,
            watched,
            ..
        } = self;
        if watched.is_empty() && watcher.watch(root, RecursiveMode::NonRecursive).is_ok() {
            watched.insert(root.clone());
        }
        let before = watched.len();
        watched.retain(|path| path.is_dir());
        let mut others = watched.len() != before;
        for entry in std::fs::read_dir(&*root).into_iter().flatten().flatten() {
            let path = entry.path();
            if path.is_dir()
                && is_of_the_site(root, &path)
                && !watched.contains(&path)
                && watcher.watch(&path, RecursiveMode::Recursive).is_ok()
            {
                watched.insert(path);
                others = true;
            }
        }
        others
    }

    /// Waits for a change, and then until nothing changes any more; the paths that changed, below
    /// the site's folder, where they are known. `None` where nothing ever will.
    fn rests(&self) -> Option<Option<Vec<String>>> {
        let mut changes = Changes::default();
        loop {
            match self.changes.recv() {
                Ok(event) if matters(&self.root, &event) => {
                    changes.note(&self.root, &event);
                    break;
                }
                Ok(_) => {}
                Err(_) => return None,
            }
        }
        let began = Instant::now();
        let mut until = began + REST;
        while Instant::now() < until {
            match self.changes.recv_timeout(until - Instant::now()) {
                Ok(event) if matters(&self.root, &event) => {
                    changes.note(&self.root, &event);
                    until = (Instant::now() + REST).min(began + PATIENCE);
                }
                Ok(_) | Err(RecvTimeoutError::Timeout) => {}
                Err(RecvTimeoutError::Disconnected) => return None,
            }
        }
        Some(changes.paths())
    }
}

/// Returns true if an event may be a change of the site in `root`. An error may be one, and so may an event
/// that says that others were lost.
fn matters(root: &Path, event: &notify::Result<Event>) -> bool {
    event.as_ref().map_or(true, |event| {
        let mut paths = event.paths.iter();
        event.need_rescan()
            || !matches!(event.kind, EventKind::Access(_))
                && paths.any(|path| is_of_the_site(root, path))
    })
}

/// The changes between two builds.
#[derive(Debug, Default)]
struct Changes {
    paths: BTreeSet<String>,
    /// Set if any other file may have changed.
    more: bool,
}

impl Changes {
    fn note(&mut self, root: &Path, event: &notify::Result<Event>) {
        let event = match event {
            Ok(event) if !event.need_rescan() => event,
            _ => {
                self.more = true;
                return;
            }
        };
        for path in event.paths.iter().filter(|path| is_of_the_site(root, path)) {
            match below(root, path) {
                Some(path) => {
                    self.paths.insert(path);
                }
                None => self.more = true,
            }
        }
    }

    /// The paths; `None` where there may be more.
    fn paths(self) -> Option<Vec<String>> {
        (!self.more).then(|| self.paths.into_iter().collect())
    }
}

/// A path below the site's folder, with `/` on every system.
fn below(root: &Path, path: &Path) -> Option<String> {
    let below = path.strip_prefix(root).ok()?.to_str()?;
    Some(below.replace(std::path::MAIN_SEPARATOR, "/"))
}

/// Returns true if a change at this path can change the site. Outputs, and the files of editors and other
/// tools, cannot.
fn is_of_the_site(root: &Path, path: &Path) -> bool {
    let Ok(below) = path.strip_prefix(root) else {
        return true;
    };
    let mut steps = below.iter().map(|step| step.to_string_lossy());
    let first = steps.next().unwrap_or_default();
    let own = [OUTPUT_FOLDER, STATE_FOLDER, "node_modules", "target"];
    let left = |step: &str| step.starts_with('.') || step.ends_with('~');
    !own.contains(&&*first) && !left(&first) && !steps.any(|step| left(&step))
}

#[cfg(test)]
mod tests {
    use super::*;
    use notify::event::{CreateKind, Flag};
    use rstest::rstest;

    fn event(path: &str) -> notify::Result<Event> {
        Ok(Event::new(EventKind::Create(CreateKind::File)).add_path(path.into()))
    }

    #[rstest]
    #[case::files(vec![event("s/posts/b.md"), event("s/a"), event("s/posts/b.md")], Some(vec!["a", "posts/b.md"]))]
    #[case::not_of_the_site(vec![event("s/out/a"), event("s/a")], Some(vec!["a"]))]
    #[case::elsewhere(vec![event("t/a")], None)]
    #[case::some_were_lost(vec![event("s/a"), Ok(Event::new(EventKind::Other).set_flag(Flag::Rescan))], None)]
    #[case::an_error(vec![event("s/a"), Err(notify::Error::generic("full"))], None)]
    fn what_changed_is_known_or_is_said_not_to_be(
        #[case] events: Vec<notify::Result<Event>>,
        #[case] known: Option<Vec<&str>>,
    ) {
        let mut changes = Changes::default();
        for event in &events {
            changes.note(Path::new("s"), event);
        }
        let known = known.map(|known| known.into_iter().map(str::to_owned).collect());
        assert_eq!(changes.paths(), known);
    }

    /// Whichever way the folder is named.
    #[rstest]
    #[case::from_here(false)]
    #[case::absolute(true)]
    fn a_change_is_known_by_its_path(#[case] is_absolute: bool) {
        let folder = tempfile::tempdir_in(".").unwrap();
        let root = match is_absolute {
            true => std::path::absolute(folder.path()).unwrap(),
            false => Path::new(".").join(folder.path().file_name().unwrap()),
        };
        std::fs::create_dir(root.join("posts")).unwrap();
        let watch = Watch::new(&root, Arc::default()).unwrap();
        std::fs::write(root.join("posts/a.md"), "text").unwrap();
        assert_eq!(watch.rests(), Some(Some(vec!["posts/a.md".to_owned()])));
    }

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
