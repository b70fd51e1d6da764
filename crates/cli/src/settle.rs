//! From the command line as typed to what the builder is asked for.

use std::io::IsTerminal;
use std::path::{Path, PathBuf};

use jiff::Timestamp;
use tabulae_core::diagnostic::Faults;
use tabulae_core::post::Include;
use tabulae_core::time::Written;
use tabulae_engine::site::Site;
use tabulae_engine::sources::Disk;
use tabulae_engine::{Clock, Foreign, Options, Progress, Quiet};

use crate::args::{Args, BuildArgs};

/// The folder that a build remembers in.
pub(crate) const MEMORY: &str = ".tabulae";

impl Args {
    /// The states that are let into lists.
    pub(crate) fn include(&self) -> Include {
        let mut include = Include::default();
        for name in &self.include {
            include.let_in(name);
        }
        include
    }

    /// What counts as now.
    pub(crate) fn clock(&self) -> Clock {
        self.today
            .map_or_else(|| Clock::At(Timestamp::now()), Clock::Written)
    }

    /// The same command line at another time.
    pub(crate) fn at(&self, today: Option<Written>) -> Self {
        Self {
            today,
            ..self.clone()
        }
    }

    /// Reads the site without its broken posts; `None` where nothing can be read.
    pub(crate) fn read_site(&self, faults: &mut Faults) -> Option<Site> {
        let plain = BuildArgs {
            keep_going: true,
            ..BuildArgs::plain()
        };
        Site::read(&Disk::new(&self.dir), &self.options(&plain, &Quiet), faults)
    }

    /// What a build is asked for.
    pub(crate) fn options<'a>(&self, build: &BuildArgs, progress: &'a dyn Progress) -> Options<'a> {
        Options {
            clock: self.clock(),
            include: self.include(),
            keep_going: build.keep_going,
            dry_run: build.dry_run,
            foreign: Foreign {
                adopt: build.adopt,
                prune: build.prune,
            },
            progress,
        }
    }
}

impl BuildArgs {
    /// Nothing but defaults.
    pub(crate) fn plain() -> Self {
        Self {
            out: None,
            keep_going: false,
            jobs: None,
            dry_run: false,
            adopt: false,
            prune: false,
            sync: false,
            verbose: false,
        }
    }

    /// The folder that is written to.
    pub(crate) fn out(&self, site: &Path) -> PathBuf {
        match &self.out {
            Some(out) => out.clone(),
            None if site == Path::new(".") => PathBuf::from("out"),
            None => site.join("out"),
        }
    }
}

/// Whether a person looks at standard error.
pub(crate) fn watched() -> bool {
    std::io::stderr().is_terminal()
}
