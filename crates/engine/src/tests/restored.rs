//! Builds with a cache that was restored, copied or moved: stamps differ, and the bytes are the same.

use std::fs;
use std::path::{Path, PathBuf};

use super::*;
use crate::publish::DiskOutput;

/// Copies a folder with new inodes and times.
fn copy(from: &Path, to: &Path) {
    for entry in walkdir::WalkDir::new(from) {
        let entry = entry.unwrap();
        let target = to.join(entry.path().strip_prefix(from).unwrap());
        if entry.file_type().is_dir() {
            fs::create_dir_all(target).unwrap();
        } else {
            fs::write(target, fs::read(entry.path()).unwrap()).unwrap();
        }
    }
}

/// A site on disk with all that has stamps: posts, files beside them, assets, and images of feeds.
fn site(folder: &Path) {
    let bench = small()
        .with("assets/logo.svg", "<svg/>")
        .with(
            "posts/2026-05-01-kiln/index.md",
            "---\nimage: kiln.png\n---\n![](kiln.png)\n",
        )
        .with("posts/2026-05-01-kiln/kiln.png", "PNG")
        .with("pages/about.md", "# About\n")
        .with("terms/tag/lime.md", "On lime.\n")
        .with("templates/parts/foot.html", "<p>Foot</p>");
    for (path, bytes) in bench.sources.files() {
        let path = folder.join(path);
        fs::create_dir_all(path.parent().unwrap()).unwrap();
        fs::write(path, bytes).unwrap();
    }
}

fn build(folder: &Path) -> crate::BuildReport {
    let site = Workspace::at(folder).clock(Bench::new("").clock());
    let mut output = DiskOutput::new(folder.join("out")).unwrap();
    let report = site.build(&mut output, BuildOptions::default()).unwrap();
    assert_eq!(report.diagnostics, []);
    report
}

fn files(folder: &Path) -> BTreeMap<PathBuf, Vec<u8>> {
    let entries = walkdir::WalkDir::new(folder)
        .into_iter()
        .map(Result::unwrap);
    let files = entries.filter(|entry| entry.file_type().is_file());
    let files = files.map(|entry| {
        let path = entry.path().strip_prefix(folder).unwrap().to_owned();
        (path, fs::read(entry.path()).unwrap())
    });
    files.collect()
}

#[test]
fn a_restored_cache_counts() {
    let folder = tempfile::tempdir().unwrap();
    let [first, second] = ["first", "second"].map(|name| folder.path().join(name));
    site(&first);
    let all = build(&first).written;
    copy(&first, &second);
    let report = build(&second);
    assert_eq!(
        (report.rendered, report.written, report.unchanged),
        (0, 0, all)
    );
    assert_eq!(report.unknown, Vec::<String>::new());
    // An edit is found, and no other output is rendered for it.
    let third = folder.path().join("third");
    copy(&second, &third);
    fs::write(third.join("assets/logo.svg"), "<svg></svg>").unwrap();
    let report = build(&third);
    assert_eq!((report.rendered, report.written), (1, 1));
    assert_eq!(
        fs::read(third.join("out/logo.svg")).unwrap(),
        b"<svg></svg>"
    );
}

/// As in CI: new sources, and cache and output of an earlier run.
#[test]
fn new_sources_with_a_restored_cache_render_nothing() {
    let folder = tempfile::tempdir().unwrap();
    let [first, second] = ["first", "second"].map(|name| folder.path().join(name));
    site(&first);
    let all = build(&first).written;
    site(&second);
    copy(&first.join("out"), &second.join("out"));
    copy(&first.join(".tabulae"), &second.join(".tabulae"));
    let report = build(&second);
    assert_eq!(
        (report.rendered, report.written, report.unchanged),
        (0, 0, all)
    );
}

#[test]
fn a_lost_output_folder_is_written_again() {
    let folder = tempfile::tempdir().unwrap();
    site(folder.path());
    let all = build(folder.path()).written;
    let before = files(&folder.path().join("out"));
    fs::remove_dir_all(folder.path().join("out")).unwrap();
    assert_eq!(build(folder.path()).written, all);
    assert_eq!(files(&folder.path().join("out")), before);
}

/// A file that is short after a power cut, or that someone edited, is found in a restored copy, too.
#[test]
fn an_output_that_differs_is_repaired_in_a_copy() {
    let folder = tempfile::tempdir().unwrap();
    let [first, second] = ["first", "second"].map(|name| folder.path().join(name));
    site(&first);
    build(&first);
    let before = files(&first.join("out"));
    copy(&first, &second);
    fs::write(second.join("out/index.html"), "").unwrap();
    fs::write(second.join("out/tags/index.html"), "mine").unwrap();
    assert_eq!(build(&second).written, 2);
    assert_eq!(files(&second.join("out")), before);
}

#[test]
fn a_moved_site_keeps_its_manifest() {
    let folder = tempfile::tempdir().unwrap();
    let [first, second] = ["first", "second"].map(|name| folder.path().join(name));
    site(&first);
    build(&first);
    fs::rename(&first, &second).unwrap();
    fs::remove_file(second.join("posts/2025-01-02-old.md")).unwrap();
    let report = build(&second);
    assert!(
        report.removed >= 2 && report.unknown.is_empty(),
        "{report:?}"
    );
    assert!(!second.join("out/2025").exists());
}
