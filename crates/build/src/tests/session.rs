//! Builds that hand on what they read: the same files come out, and less is read.

use std::io;
use std::sync::{Arc, Mutex};

use rstest::rstest;

use super::{Bench, Out, Session, small};
use crate::output::Output;
use crate::sources::{Mark, Memory, Sources};

/// Sources that note what is read of them, and what is looked at.
#[derive(Debug)]
struct Noted<'a> {
    inner: &'a Memory,
    read: Mutex<Vec<String>>,
    seen: Mutex<Vec<String>>,
}

impl<'a> Noted<'a> {
    fn new(inner: &'a Memory) -> Self {
        Self {
            inner,
            read: Mutex::default(),
            seen: Mutex::default(),
        }
    }
}

impl Sources for Noted<'_> {
    fn list(&self, folder: &str) -> Result<Option<Vec<String>>, (String, io::Error)> {
        self.seen.lock().unwrap().push(folder.to_owned());
        self.inner.list(folder)
    }

    fn read(&self, path: &str) -> io::Result<Vec<u8>> {
        self.read.lock().unwrap().push(path.to_owned());
        self.inner.read(path)
    }

    fn mark(&self, path: &str) -> io::Result<Option<Mark>> {
        self.seen.lock().unwrap().push(path.to_owned());
        self.inner.mark(path)
    }

    fn size(&self, path: &str) -> io::Result<u64> {
        self.inner.size(path)
    }

    fn share(&self) -> Arc<dyn Sources + Send> {
        self.inner.share()
    }
}

/// Builds in a session, and gives what was read.
fn read(bench: &Bench, session: &mut Session, out: &mut Out) -> Vec<String> {
    let noted = Noted::new(&bench.sources);
    let built = session.build(&noted, out, &bench.options());
    assert_eq!(built.diagnostics, []);
    let mut clean = Out::default();
    bench.build_into(&mut clean);
    assert_eq!(out.files(), clean.files());
    noted.read.into_inner().unwrap()
}

#[rstest]
#[case::text("Another text.", "2026-06-01T12:00:01Z", true)]
#[case::text_the_next_day("Another text.", "2026-06-02T12:00:00Z", false)]
#[case::a_link_more("See [b](b.md).", "2026-06-01T12:00:01Z", false)]
fn only_a_changed_text_is_read(#[case] text: &str, #[case] now: &'static str, #[case] few: bool) {
    let (mut session, mut out) = (Session::default(), Out::default());
    // Where the site is read as a whole, this is read too.
    let mut bench = small().with("pages/about.md", "# About\n");
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
    let (mut bench, mut session, mut out) = (small(), Session::default(), Out::default());
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
    assert!(out.remembered().is_some());
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
    let (mut session, mut out) = (Session::default(), Out::default());
    let mut bench = small();
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
    session.only_changed(told.iter().map(|path| (*path).to_owned()).collect());
    let noted = Noted::new(&bench.sources);
    let built = session.build(&noted, &mut out, &bench.options());
    assert_eq!(built.diagnostics, []);
    let seen = noted.seen.into_inner().unwrap();
    assert_eq!(seen == told, few, "{seen:?}");
    let mut clean = Out::default();
    bench.build_into(&mut clean);
    assert_eq!(out.files(), clean.files());
}

#[rstest]
#[case::anyones(Session::default(), true)]
#[case::kept_to_itself(Session::keeping_to_itself(), false)]
fn what_others_did_to_an_output_is_found_where_others_may(
    #[case] mut session: Session,
    #[case] found: bool,
) {
    let (mut bench, mut out) = (small(), Out::default());
    read(&bench, &mut session, &mut out);
    out.put("tags/index.html", "not ours");
    let text = "---\ntitle: Old\n---\n\nLong ago, and after.\n";
    bench.sources.write("posts/2025-01-02-old.md", text);
    let built = session.build(&bench.sources, &mut out, &bench.options());
    assert_eq!(built.diagnostics, []);
    let mended = out.text("tags/index.html").as_deref() != Some("not ours");
    assert_eq!(mended, found);
    // Where what was remembered is gone, all is looked at.
    out.forget();
    read(&bench, &mut session, &mut out);
}
