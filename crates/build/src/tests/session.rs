//! Builds that hand on what they read: the same files come out, and less is read.

use std::io;
use std::sync::{Arc, Mutex};

use rstest::rstest;

use super::{Bench, Out, Session, small};
use crate::output::Output;
use crate::sources::{Mark, Memory, Sources};

/// Sources that note what is read of them.
#[derive(Debug)]
struct Noted<'a> {
    inner: &'a Memory,
    read: Mutex<Vec<String>>,
}

impl Sources for Noted<'_> {
    fn list(&self, folder: &str) -> Result<Option<Vec<String>>, (String, io::Error)> {
        self.inner.list(folder)
    }

    fn read(&self, path: &str) -> io::Result<Vec<u8>> {
        self.read.lock().unwrap().push(path.to_owned());
        self.inner.read(path)
    }

    fn mark(&self, path: &str) -> io::Result<Option<Mark>> {
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
    let noted = Noted {
        inner: &bench.sources,
        read: Mutex::default(),
    };
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
