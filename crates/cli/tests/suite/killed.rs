//! Builds that are killed: each file is old or new, never half, and the next build completes the rest.

use std::collections::BTreeMap;
use std::fs;
use std::process::{Command, Stdio};
use std::time::{Duration, Instant};

use crate::site::Site;

/// A part of every page.
const FOOT: &str = "templates/parts/foot.html";

fn many_posts() -> Site {
    let site = Site::small();
    for day in 1..=28 {
        for number in 0..2 {
            let post = format!(
                "---\ntitle: Day {day}, {number}\ntags: [t{day}, lime]\n---\n\nText {day}.\n"
            );
            site.write(&format!("posts/2026-02-{day:02}-p{day}-{number}.md"), post);
        }
    }
    site
}

/// Builds for so long at most.
fn build_and_kill(site: &Site, after: Duration) {
    let mut build = Command::new(env!("CARGO_BIN_EXE_tabulae"))
        .current_dir(site.path())
        .arg("build")
        .stdout(Stdio::null())
        .spawn()
        .expect("the program runs");
    std::thread::sleep(after);
    build.kill().expect("a signal");
    build.wait().expect("an end");
}

/// Returns the files in `out/`, without staged ones.
fn standing(site: &Site) -> BTreeMap<String, Vec<u8>> {
    let files = site.tree("out").into_iter();
    let staged = |path: &str| path.ends_with(".tabulae-part");
    files.filter(|(path, _)| !staged(path)).collect()
}

#[test]
fn a_build_that_is_killed_leaves_each_file_old_or_new() {
    let site = many_posts();
    site.write(FOOT, "<p>Old.</p>\n");
    site.run(&["build"]).sound();
    let old = standing(&site);
    site.write(FOOT, "<p>New.</p>\n");
    let began = Instant::now();
    site.run(&["build"]).sound();
    let whole = began.elapsed();
    let new = standing(&site);
    assert!(old != new && old.len() > 86, "{}", old.len());
    for part in 0..12 {
        site.write(FOOT, "<p>Old.</p>\n");
        site.run(&["build"]).sound();
        site.write(FOOT, "<p>New.</p>\n");
        build_and_kill(&site, whole * part / 10);
        let left = standing(&site);
        assert!(left.keys().eq(new.keys()), "{part}");
        for (path, bytes) in left {
            assert!(
                [&old[&path], &new[&path]].contains(&&bytes),
                "{path}, {part}"
            );
        }
        site.run(&["build"]).sound();
        assert!(
            standing(&site) == new && site.tree("out").len() == new.len(),
            "{part}"
        );
    }
}

#[test]
fn a_first_build_that_is_killed_leaves_all_or_nothing() {
    let site = many_posts();
    let began = Instant::now();
    site.run(&["build"]).sound();
    let whole = began.elapsed();
    let new = site.tree("out");
    for part in 0..6 {
        for folder in ["out", ".tabulae"] {
            fs::remove_dir_all(site.file(folder)).expect("a folder");
        }
        build_and_kill(&site, whole * part / 5);
        let left = site.tree("out");
        assert!(left.is_empty() || left == new, "{part}: {}", left.len());
        site.run(&["build"]).sound();
        assert_eq!(site.tree("out"), new, "{part}");
    }
}
