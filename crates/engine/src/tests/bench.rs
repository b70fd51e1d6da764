//! A site in memory, and its builds.

use std::collections::{BTreeMap, BTreeSet};

use tabulae_core::diagnostic::{Collected, Diagnostic};
use tabulae_core::edit::{apply, by_file};
use tabulae_core::post::Include;
use tabulae_engine::{
    BuildOptions, BuildReport, BuildSession, Clock, Error, ForeignFiles, MemoryOutput as Out,
    MemorySources, Sources as _, Workspace,
};

pub(crate) const SITE: &str =
    "[site]\ntitle = \"The Log\"\naddress = \"https://x.example/\"\ntimezone = \"Europe/London\"\n";

/// A site in memory, its output, and what the last build said.
pub(crate) struct Bench {
    pub(crate) sources: MemorySources,
    pub(crate) out: Out,
    pub(crate) include: Include,
    pub(crate) keep_going: bool,
    pub(crate) dry_run: bool,
    pub(crate) foreign: ForeignFiles,
    pub(crate) now: &'static str,
    /// The session in which it is built, if any.
    pub(crate) session: Option<BuildSession>,
    /// The sources as the last build saw them, if a session is given the changed files.
    pub(crate) seen: Option<BTreeMap<String, Vec<u8>>>,
}

impl Bench {
    pub(crate) fn new(settings: &str) -> Self {
        let sources = MemorySources::default();
        sources.write("tabulae.toml", format!("{SITE}{settings}"));
        Self {
            sources,
            out: Out::default(),
            include: Include::default(),
            keep_going: false,
            dry_run: false,
            foreign: ForeignFiles::default(),
            now: "2026-06-01T12:00:00Z",
            session: None,
            seen: None,
        }
    }

    pub(crate) fn with(self, path: &str, text: &str) -> Self {
        self.sources.write(path, text);
        self
    }

    pub(crate) fn options(&self) -> BuildOptions<'static> {
        BuildOptions::default()
            .keep_going(self.keep_going)
            .dry_run(self.dry_run)
            .foreign(self.foreign)
    }

    pub(crate) fn clock(&self) -> Clock {
        Clock::At(self.now.parse().unwrap())
    }

    /// The workspace, whose files are those of the bench, later changes too.
    pub(crate) fn workspace(&self) -> Workspace {
        let site = Workspace::from_sources(self.sources.clone());
        site.clock(self.clock()).include(self.include)
    }

    /// Begins a session for the builds that follow. If it `is_told`, it gets the changed files.
    pub(crate) fn begin_session(&mut self, is_told: bool) {
        self.session = Some(self.workspace().session());
        self.seen = is_told.then(|| self.sources.files());
    }

    pub(crate) fn build_into(&self, out: &mut Out) -> Collected<BuildReport> {
        collected(self.workspace().build(out, self.options()))
    }

    pub(crate) fn build(&mut self) -> Collected<BuildReport> {
        let mut out = std::mem::take(&mut self.out);
        let mut session = self.session.take();
        if let (Some(session), Some(seen)) = (&mut session, &mut self.seen) {
            let now = self.sources.files();
            session.only_changed(changed(seen, &now));
            *seen = now;
        }
        let built = match &mut session {
            Some(session) => {
                session.set_clock(self.clock());
                collected(session.build(&mut out, self.options()))
            }
            None => self.build_into(&mut out),
        };
        (self.out, self.session) = (out, session);
        if self.session.is_none() {
            self.check_edits(&built.diagnostics);
        }
        built
    }

    /// Expects of each diagnostic that its edits, where it has any, find their places and do away with it.
    fn check_edits(&self, found: &[Diagnostic]) {
        for diagnostic in found.iter().filter(|found| !found.edits.is_empty()) {
            let fixed = MemorySources::default();
            for (path, bytes) in self.sources.files() {
                fixed.write(&path, bytes);
            }
            for (file, edits) in by_file(&diagnostic.edits) {
                let text = String::from_utf8(fixed.read(file).expect("a source file")).unwrap();
                let edited = apply(&text, &edits);
                assert_eq!(edited.applied, edits.len(), "{diagnostic}\n{edits:?}");
                fixed.write(file, edited.text);
            }
            let site = Workspace::from_sources(fixed).clock(self.clock());
            let mut output = Out::default();
            let now = collected(
                site.include(self.include)
                    .build(&mut output, self.options()),
            );
            let is_there = now.diagnostics.iter().any(|now| {
                (now.code, &now.message, &now.location)
                    == (diagnostic.code, &diagnostic.message, &diagnostic.location)
            });
            assert!(!is_there, "{diagnostic}\n{:?}", diagnostic.edits);
        }
    }

    /// Builds, and expects no diagnostic at all.
    pub(crate) fn sound(&mut self) -> BuildReport {
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

    /// The code of each diagnostic.
    pub(crate) fn codes(&mut self) -> Vec<&'static str> {
        let diagnostics = self.build().diagnostics;
        diagnostics
            .iter()
            .map(|diagnostic| diagnostic.code.name())
            .collect()
    }

    /// Code, file, line and column of each diagnostic.
    pub(crate) fn diagnostics(&mut self) -> Vec<(String, String, usize, usize)> {
        let built = self.build();
        let diagnostics = built.diagnostics.iter().map(|diagnostic| {
            (
                diagnostic.code.name().to_owned(),
                diagnostic
                    .location
                    .file
                    .as_deref()
                    .unwrap_or_default()
                    .to_owned(),
                diagnostic.location.line,
                diagnostic.location.column,
            )
        });
        diagnostics.collect()
    }
}

/// Location, message and help of each diagnostic.
pub(crate) fn said(diagnostics: &[Diagnostic]) -> String {
    let lines = diagnostics.iter().map(|diagnostic| {
        let location = &diagnostic.location;
        let file = location.file.as_deref().unwrap_or_default();
        let help = diagnostic.help.as_deref().unwrap_or_default();
        format!(
            "{file}:{}:{}: {}\n  {help}\n",
            location.line, location.column, diagnostic.message
        )
    });
    lines.collect()
}

/// The report and the diagnostics of a build, failed or not.
pub(crate) fn collected(built: Result<BuildReport, Error>) -> Collected<BuildReport> {
    match built {
        Ok(report) => Collected {
            diagnostics: report.diagnostics.clone(),
            output: report,
        },
        Err(error) => Collected {
            output: error.report().cloned().unwrap_or_default(),
            diagnostics: error.into_diagnostics(),
        },
    }
}

/// The files that differ, those that are only in one of both too.
fn changed(before: &BTreeMap<String, Vec<u8>>, now: &BTreeMap<String, Vec<u8>>) -> Vec<String> {
    let all: BTreeSet<&String> = before.keys().chain(now.keys()).collect();
    let changed = all
        .into_iter()
        .filter(|path| before.get(*path) != now.get(*path));
    changed.cloned().collect()
}
