//! Builds that end at each step of publishing in turn: every file is old or new, and the next build
//! completes what was begun.

use std::collections::BTreeMap;
use std::fs;
use std::num::NonZeroUsize;
use std::panic::{AssertUnwindSafe, catch_unwind};
use std::path::Path;

use super::*;
use crate::publish::DiskOutput;
use crate::publish::steps::Steps;
use crate::source::MemorySources;

const OLD: &str = "---\ntags: [lime]\n---\nOld.\n";
const NEW: &str = "---\ntags: [sand]\n---\nNew.\n";

/// Two posts and no search; the second build changes one, removes one and adds one.
fn site(is_new: bool) -> Bench {
    let bench =
        Bench::new("search = false\n[archive.tags]\nby = \"tag\"\nlink = \"/tags/{tag}/\"\n");
    if is_new {
        bench
            .with("posts/2026-03-14-changed.md", NEW)
            .with("posts/2026-03-16-added.md", NEW)
    } else {
        bench
            .with("posts/2026-03-14-changed.md", OLD)
            .with("posts/2026-03-15-removed.md", OLD)
    }
}

/// The files below a folder, those that are being written left out.
fn files(folder: &Path) -> BTreeMap<String, Vec<u8>> {
    let entries = walkdir::WalkDir::new(folder)
        .into_iter()
        .filter_map(Result::ok);
    let files = entries.filter(|entry| entry.file_type().is_file());
    let files = files.map(|entry| {
        let path = entry.path().strip_prefix(folder).unwrap().to_str().unwrap();
        (path.to_owned(), fs::read(entry.path()).unwrap())
    });
    files
        .filter(|(path, _)| !path.ends_with(".tabulae-part"))
        .collect()
}

/// Builds into `folder`, at most to a step. Returns false if it was ended there.
fn build_until(step: usize, folder: &Path, sources: &MemorySources) -> bool {
    let disk = DiskOutput::new(folder.join("out")).unwrap().named("out");
    let mut disk = disk.state(folder.join(".tabulae"));
    disk.steps = Steps::until(step);
    let site = Workspace::from_sources(sources.clone()).clock(Bench::new("").clock());
    let options = BuildOptions::default().jobs(NonZeroUsize::new(1));
    let run = || collected(site.build(&mut disk, options));
    let Ok(built) = catch_unwind(AssertUnwindSafe(run)) else {
        return false;
    };
    assert_eq!(built.diagnostics, []);
    assert_eq!(built.output.unknown, Vec::<String>::new());
    true
}

/// Returns the outputs of a first build.
fn made(sources: &MemorySources) -> BTreeMap<String, Vec<u8>> {
    let folder = tempfile::tempdir().unwrap();
    assert!(build_until(0, folder.path(), sources));
    files(&folder.path().join("out"))
}

#[test]
fn a_build_that_ends_at_any_step_leaves_each_file_old_or_new() {
    let (before, after) = (site(false).sources, site(true).sources);
    let (old, new) = (made(&before), made(&after));
    let mut step = 0;
    loop {
        step += 1;
        let folder = tempfile::tempdir().unwrap();
        assert!(build_until(0, folder.path(), &before));
        let is_whole = build_until(step, folder.path(), &after);
        let left = files(&folder.path().join("out"));
        for (path, bytes) in &left {
            let known = [old.get(path), new.get(path)];
            assert!(known.contains(&Some(bytes)), "{path} at step {step}");
        }
        let both = old.keys().filter(|path| new.contains_key(*path));
        for path in both {
            assert!(left.contains_key(path), "{path} is gone at step {step}");
        }
        assert!(build_until(0, folder.path(), &after));
        assert_eq!(files(&folder.path().join("out")), new, "after step {step}");
        if is_whole {
            break;
        }
    }
    // At least to write and to place each file that changed, and to remove each that is gone.
    let changed = new
        .iter()
        .filter(|(path, bytes)| old.get(*path) != Some(*bytes))
        .count();
    let gone = old.keys().filter(|path| !new.contains_key(*path)).count();
    assert!(step > 3 * changed + gone, "{step} steps");
}

#[test]
fn a_first_build_that_ends_at_any_step_leaves_all_or_nothing() {
    let sources = site(true).sources;
    let new = made(&sources);
    let mut step = 0;
    loop {
        step += 1;
        let folder = tempfile::tempdir().unwrap();
        let is_whole = build_until(step, folder.path(), &sources);
        let left = files(&folder.path().join("out"));
        assert!(
            left.is_empty() || left == new,
            "{} files at step {step}",
            left.len()
        );
        assert!(build_until(0, folder.path(), &sources));
        assert_eq!(files(&folder.path().join("out")), new, "after step {step}");
        if is_whole {
            break;
        }
    }
    assert!(step > 2 * new.len(), "{step} steps");
}
