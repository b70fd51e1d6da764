//! Builds that hand on what they read: the same files come out, and less is read.

use std::io;
use std::sync::{Arc, Mutex};

use rstest::rstest;

use super::{Bench, BuildOptions, Out, small};
use crate::publish::Destination;
use crate::source::{FileStamp, MemorySources, Sources};
use crate::{BuildSession, Workspace};

/// Sources that note what is read of them, and what is looked at.
#[derive(Debug, Clone, Default)]
struct Noted {
    inner: MemorySources,
    read: Arc<Mutex<Vec<String>>>,
    seen: Arc<Mutex<Vec<String>>>,
}

impl Sources for Noted {
    fn list(&self, folder: &str) -> Result<Option<Vec<String>>, (String, io::Error)> {
        self.seen.lock().unwrap().push(folder.to_owned());
        self.inner.list(folder)
    }

    fn read(&self, path: &str) -> io::Result<Vec<u8>> {
        self.read.lock().unwrap().push(path.to_owned());
        self.inner.read(path)
    }

    fn stamp(&self, path: &str) -> io::Result<Option<FileStamp>> {
        self.seen.lock().unwrap().push(path.to_owned());
        self.inner.stamp(path)
    }

    fn size(&self, path: &str) -> io::Result<u64> {
        self.inner.size(path)
    }

    fn share(&self) -> Arc<dyn Sources> {
        self.inner.share()
    }
}

/// Begins a session whose reads are noted.
fn session(bench: &Bench) -> (BuildSession, Noted) {
    let noted = Noted {
        inner: bench.sources.clone(),
        ..Noted::default()
    };
    let site = Workspace::from_sources(noted.clone());
    (site.clock(bench.clock()).session(), noted)
}

/// Builds in a session, and returns what was read.
fn read(bench: &Bench, (session, noted): &mut (BuildSession, Noted), out: &mut Out) -> Vec<String> {
    noted.read.lock().unwrap().clear();
    session.set_clock(bench.clock());
    let built = session.build(out, BuildOptions::default()).unwrap();
    assert_eq!(built.diagnostics, []);
    let mut clean = Out::default();
    bench.build_into(&mut clean);
    assert_eq!(out.files(), clean.files());
    noted.read.lock().unwrap().clone()
}

#[rstest]
#[case::text("Another text.", "2026-06-01T12:00:01Z", true)]
#[case::text_the_next_day("Another text.", "2026-06-02T12:00:00Z", false)]
#[case::a_link_more("See [b](b/).", "2026-06-01T12:00:01Z", false)]
fn only_a_changed_text_is_read(#[case] text: &str, #[case] now: &'static str, #[case] few: bool) {
    // Where the site is read as a whole, this is read too.
    let mut bench = small().with("pages/about.md", "# About\n");
    let (mut session, mut out) = (session(&bench), Out::default());
    let path = "posts/2026-03-14-lime.md";
    let before = String::from_utf8(bench.sources.read(path).unwrap()).unwrap();
    read(&bench, &mut session, &mut out);
    bench.sources.write(path, format!("{before}\n{text}\n"));
    bench.now = now;
    let noted = read(&bench, &mut session, &mut out);
    let least = ["tabulae.toml", path];
    assert_eq!(noted == least, few, "{noted:?}");
    assert_eq!(read(&bench, &mut session, &mut out), ["tabulae.toml"]);
}

#[test]
fn what_someone_else_built_since_is_found() {
    let (bench, mut out) = (small(), Out::default());
    let mut session = session(&bench);
    read(&bench, &mut session, &mut out);
    let path = "posts/2026-03-14-lime.md";
    bench
        .sources
        .write(path, "---\ntitle: Other\n---\n\nText.\n");
    bench.build_into(&mut out);
    bench
        .sources
        .write(path, "---\ntitle: Lime\n---\n\nText.\n");
    read(&bench, &mut session, &mut out);
    assert!(out.manifest_stamp().is_some());
}

const LIME: &str = "posts/2026-03-14-lime.md";

#[rstest]
#[case::a_text(&[LIME], true)]
#[case::what_an_editor_took_away_again(&[LIME, "posts/lime.md.tmp", "4913"], true)]
#[case::nothing(&[], true)]
#[case::a_new_file(&["posts/new.md"], false)]
#[case::a_folder(&["posts"], false)]
#[case::settings(&["tabulae.toml"], false)]
fn only_what_is_said_to_have_changed_is_looked_at(#[case] told: &[&str], #[case] few: bool) {
    let (bench, mut out) = (small(), Out::default());
    let mut session = session(&bench);
    read(&bench, &mut session, &mut out);
    if told.contains(&LIME) {
        let text =
            "---\ntitle: Lime & sand\ntags: [lime, Masonry]\ncategory: Locks\n---\n\nMore.\n";
        bench.sources.write(LIME, text);
    }
    if told.contains(&"posts/new.md") {
        bench
            .sources
            .write("posts/new.md", "---\ndate: 2026-01-01\n---\n");
    }
    session
        .0
        .only_changed(told.iter().map(|path| (*path).to_owned()).collect());
    session.1.seen.lock().unwrap().clear();
    let built = session.0.build(&mut out, BuildOptions::default()).unwrap();
    assert_eq!(built.diagnostics, []);
    let seen = session.1.seen.lock().unwrap().clone();
    assert_eq!(seen == told, few, "{seen:?}");
    let mut clean = Out::default();
    bench.build_into(&mut clean);
    assert_eq!(out.files(), clean.files());
}

#[rstest]
#[case::shared(false, true)]
#[case::exclusive(true, false)]
fn what_others_did_to_an_output_is_found_where_others_may(
    #[case] is_exclusive: bool,
    #[case] found: bool,
) {
    let (bench, mut out) = (small(), Out::default());
    let mut session = session(&bench);
    if is_exclusive {
        session.0 = session.0.exclusive();
    }
    read(&bench, &mut session, &mut out);
    out.put("tags/index.html", "not ours");
    let text = "---\ntitle: Old\n---\n\nLong ago, and after.\n";
    bench.sources.write("posts/2025-01-02-old.md", text);
    let built = session.0.build(&mut out, BuildOptions::default()).unwrap();
    assert_eq!(built.diagnostics, []);
    let mended = out.text("tags/index.html").as_deref() != Some("not ours");
    assert_eq!(mended, found);
    // Where what was remembered is gone, all is looked at.
    out.forget();
    read(&bench, &mut session, &mut out);
}

/// Warnings about links to source files are those of a clean build, whichever text was edited.
#[test]
fn links_to_missing_files_are_known_after_edits() {
    let bench = small();
    let link = "posts/2026-03-20-link.md";
    let other = "posts/2026-03-21-other.md";
    let text = |above: &str, title: &str| {
        format!(
            "---\ntitle: {title}\nsummary: S\n---\n{above}\n\n[x](gone.md) and [y](also-gone.md)\n"
        )
    };
    let (mut session, mut out) = (bench.workspace().session(), Out::default());
    let mut places = Vec::new();
    for (path, above) in [
        (link, "One."),
        (other, "One."),
        (link, "One.\n\nTwo."),
        (other, "Two."),
        (link, "One."),
    ] {
        bench.sources.write(path, text(above, path));
        session.set_clock(bench.clock());
        let built = session.build(&mut out, BuildOptions::default()).unwrap();
        let clean = bench.build_into(&mut Out::default());
        assert_eq!(built.diagnostics, clean.diagnostics);
        let lines = built.diagnostics.iter().map(|found| found.location.line);
        places.push(lines.collect::<Vec<_>>());
    }
    // By hand, the newest post first: the third line of a text that begins on line 5, or the fifth.
    assert_eq!(places[0], [7, 7]);
    assert_eq!(places[1], [7, 7, 7, 7]);
    assert_eq!(places[2], [7, 7, 9, 9]);
    assert_eq!(places[4], [7, 7, 7, 7]);
}
