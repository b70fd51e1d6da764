//! From the command line to a workspace and the options of a build.

use std::num::NonZeroUsize;
use std::path::{Path, PathBuf};

use jiff::Timestamp;
use tabulae_core::post::Include;
use tabulae_core::time::WrittenDate;
use tabulae_engine::{
    BuildOptions, Clock, DiskOutput, Error, ForeignFiles, OUTPUT_FOLDER, Workspace,
};

use crate::args::{Args, BuildArgs, LevelArgs};

impl Args {
    /// Returns the states that lists include beside live posts.
    pub(crate) fn include(&self) -> Include {
        let mut include = Include::default();
        for name in &self.include {
            include.let_in(name);
        }
        include
    }

    /// Returns the reference time: that of `--today`, or else the system's.
    pub(crate) fn clock(&self) -> Clock {
        self.today
            .map_or_else(|| Clock::At(Timestamp::now()), Clock::Written)
    }

    /// Returns the same command line at another time.
    pub(crate) fn at(&self, today: Option<WrittenDate>) -> Self {
        Self {
            today,
            ..self.clone()
        }
    }

    /// Returns the site of `-C`.
    pub(crate) fn workspace(&self) -> Workspace {
        match &self.config {
            Some(file) => self.prepared(Workspace::with_settings(file)),
            None => self.workspace_in(&self.dir),
        }
    }

    /// Returns the site in `dir`.
    pub(crate) fn workspace_in(&self, dir: &Path) -> Workspace {
        self.prepared(Workspace::at(dir))
    }

    /// Returns a site with the time and the states of posts that were asked for.
    fn prepared(&self, site: Workspace) -> Workspace {
        site.clock(self.clock()).include(self.include())
    }
}

impl BuildArgs {
    /// Returns the arguments of a plain build.
    pub(crate) fn plain() -> Self {
        Self {
            out: None,
            keep_going: false,
            jobs: None,
            part: None,
            dry_run: false,
            adopt: false,
            prune: false,
            sync: false,
            verbose: false,
            levels: LevelArgs::default(),
        }
    }

    /// Returns the options of the build.
    pub(crate) fn options(&self) -> BuildOptions<'static> {
        let jobs = self.jobs.and_then(|jobs| NonZeroUsize::new(jobs.into()));
        let foreign = ForeignFiles {
            adopt: self.adopt,
            prune: self.prune,
        };
        let options = BuildOptions::default().jobs(jobs).foreign(foreign);
        let options = options.part(self.part);
        options.keep_going(self.keep_going).dry_run(self.dry_run)
    }

    /// Returns the path of the output folder of the site in `dir`.
    pub(crate) fn out(&self, dir: &Path) -> PathBuf {
        match &self.out {
            Some(out) => out.clone(),
            None if dir == Path::new(".") => PathBuf::from(OUTPUT_FOLDER),
            None => dir.join(OUTPUT_FOLDER),
        }
    }

    /// Returns the output folder of the site in `dir`.
    ///
    /// # Errors
    /// If something else than a folder is there.
    pub(crate) fn output(&self, dir: &Path) -> Result<DiskOutput, Error> {
        let name = self.out.as_ref();
        let name = name.map_or_else(|| OUTPUT_FOLDER.to_owned(), |out| out.display().to_string());
        let output = DiskOutput::new(self.out(dir))?;
        Ok(output.named(name).sync(self.sync))
    }
}
