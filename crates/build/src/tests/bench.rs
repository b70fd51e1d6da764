//! A site in memory, and its builds.

use tabulae_build::output::Memory as Out;
use tabulae_build::report::Report;
use tabulae_build::sources::Memory;
use tabulae_build::{Clock, Foreign, Options, Quiet, Session, build};
use tabulae_core::diagnostic::{Collected, Diagnostic};
use tabulae_core::post::Include;

pub(crate) const SITE: &str =
    "[site]\ntitle = \"The Log\"\naddress = \"https://x.example/\"\ntimezone = \"Europe/London\"\n";

/// A site in memory, its output, and what the last build said.
pub(crate) struct Bench {
    pub(crate) sources: Memory,
    pub(crate) out: Out,
    pub(crate) include: Include,
    pub(crate) keep_going: bool,
    pub(crate) dry_run: bool,
    pub(crate) foreign: Foreign,
    pub(crate) now: &'static str,
    /// The session in which it is built, if any.
    pub(crate) session: Option<Session>,
    /// The sources as the last build saw them, if a session is given the changed files.
    pub(crate) seen: Option<Memory>,
}

impl Bench {
    pub(crate) fn new(settings: &str) -> Self {
        let mut sources = Memory::default();
        sources.write("tabulae.toml", format!("{SITE}{settings}"));
        Self {
            sources,
            out: Out::default(),
            include: Include::default(),
            keep_going: false,
            dry_run: false,
            foreign: Foreign::default(),
            now: "2026-06-01T12:00:00Z",
            session: None,
            seen: None,
        }
    }

    pub(crate) fn with(mut self, path: &str, text: &str) -> Self {
        self.sources.write(path, text);
        self
    }

    pub(crate) fn options(&self) -> Options<'static> {
        Options {
            clock: Clock::At(self.now.parse().unwrap()),
            include: self.include,
            keep_going: self.keep_going,
            dry_run: self.dry_run,
            foreign: self.foreign,
            progress: &Quiet,
        }
    }

    pub(crate) fn build_into(&self, out: &mut Out) -> Collected<Report> {
        build(&self.sources, out, &self.options())
    }

    pub(crate) fn build(&mut self) -> Collected<Report> {
        let mut out = std::mem::take(&mut self.out);
        let mut session = self.session.take();
        if let (Some(session), Some(seen)) = (&mut session, &mut self.seen) {
            session.only_changed(changed(seen, &self.sources));
            seen.clone_from(&self.sources);
        }
        let built = match &mut session {
            Some(session) => session.build(&self.sources, &mut out, &self.options()),
            None => self.build_into(&mut out),
        };
        (self.out, self.session) = (out, session);
        built
    }

    /// Builds, and expects no fault at all.
    pub(crate) fn sound(&mut self) -> Report {
        let built = self.build();
        assert_eq!(built.diagnostics, []);
        built.output
    }

    /// Builds after an edit: what was written again; the whole must equal a clean build.
    pub(crate) fn after_edit(&mut self, path: &str, text: Option<&str>) -> Vec<String> {
        match text {
            Some(text) => self.sources.write(path, text),
            None => self.sources.remove(path),
        }
        let _ = self.out.take_published();
        self.sound();
        let mut clean = Out::default();
        assert_eq!(self.build_into(&mut clean).diagnostics, []);
        assert_eq!(self.out.files(), clean.files());
        self.out.take_published()
    }

    pub(crate) fn files(&self) -> Vec<String> {
        self.out.files().into_keys().collect()
    }

    pub(crate) fn page(&self, path: &str) -> String {
        self.out
            .text(path)
            .unwrap_or_else(|| panic!("{path} is not among {:?}", self.files()))
    }

    /// Code, file, line and column of each fault.
    pub(crate) fn faults(&mut self) -> Vec<(String, String, usize, usize)> {
        let built = self.build();
        let faults = built.diagnostics.iter().map(|fault| {
            (
                fault.code.name().to_owned(),
                fault.place.file.as_deref().unwrap_or_default().to_owned(),
                fault.place.line,
                fault.place.column,
            )
        });
        faults.collect()
    }
}

/// Place, message and help of each fault.
pub(crate) fn said(faults: &[Diagnostic]) -> String {
    let lines = faults.iter().map(|fault| {
        let place = &fault.place;
        let file = place.file.as_deref().unwrap_or_default();
        let help = fault.help.as_deref().unwrap_or_default();
        format!(
            "{file}:{}:{}: {}\n  {help}\n",
            place.line, place.column, fault.message
        )
    });
    lines.collect()
}

/// The files that are not as they were, those that came or went too.
fn changed(before: &Memory, now: &Memory) -> Vec<String> {
    let (before, now) = (before.files(), now.files());
    let all: std::collections::BTreeSet<&String> = before.keys().chain(now.keys()).collect();
    let changed = all
        .into_iter()
        .filter(|path| before.get(*path) != now.get(*path));
    changed.cloned().collect()
}
