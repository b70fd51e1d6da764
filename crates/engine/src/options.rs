//! Options and progress of a build.

use std::fmt;
use std::num::{NonZeroU32, NonZeroUsize};
use std::str::FromStr;
use std::sync::atomic::{AtomicBool, Ordering};

use jiff::Timestamp;
use jiff::tz::TimeZone;
use tabulae_core::diagnostic::Diagnostic;
use tabulae_core::lint_levels::LintLevels;
use tabulae_core::post::Include;
use tabulae_core::settings::Settings;
use tabulae_core::time::WrittenDate;

use crate::fingerprint::checksum;
use crate::report::BuildReport;

/// Options of a build. The default runs on one thread for each processor, and reports no progress.
///
/// ```
/// use tabulae_engine::BuildOptions;
///
/// let options = BuildOptions::default().dry_run(true).keep_going(true);
/// assert!(options.dry_run);
/// ```
#[derive(Debug, Clone, Copy)]
#[non_exhaustive]
pub struct BuildOptions<'a> {
    /// The build's reference time, as the workspace has it; decides which posts are scheduled or expired.
    pub(crate) clock: Clock,
    /// The states of posts that lists include beside live ones, as the workspace has them.
    pub(crate) include: Include,
    /// If set, posts with errors are left out, and the others are built.
    pub keep_going: bool,
    /// If set, nothing is written, and the report lists what would change.
    pub dry_run: bool,
    /// The treatment of files in the output folder that no known build wrote.
    pub foreign: ForeignFiles,
    /// The number of threads; one for each processor if `None`.
    pub jobs: Option<NonZeroUsize>,
    /// The part of the outputs that is built; all if `None`.
    pub part: Option<BuildPart>,
    /// Receives the progress of the build.
    pub progress: &'a dyn Progress,
    /// Ends the build without writing anything, as soon as it is set.
    pub cancel: Option<&'a AtomicBool>,
    /// The lint levels that come after those of the settings.
    pub levels: Option<&'a LintLevels>,
    /// If set, warnings are reported as they are, whatever the levels.
    pub(crate) without_levels: bool,
}

impl Default for BuildOptions<'_> {
    fn default() -> Self {
        Self {
            clock: Clock::At(Timestamp::now()),
            include: Include::default(),
            keep_going: false,
            dry_run: false,
            foreign: ForeignFiles::default(),
            jobs: None,
            part: None,
            progress: &NoProgress,
            cancel: None,
            levels: None,
            without_levels: false,
        }
    }
}

impl<'a> BuildOptions<'a> {
    /// Leaves out posts with errors, or not.
    #[must_use]
    pub fn keep_going(self, keep_going: bool) -> Self {
        Self { keep_going, ..self }
    }

    /// Sets lint levels that come after those of the settings: warnings that are denied are errors, so that
    /// nothing is written.
    #[must_use]
    pub fn levels(self, levels: &'a LintLevels) -> Self {
        Self {
            levels: Some(levels),
            ..self
        }
    }

    /// Returns the lint levels of a site with these settings.
    pub(crate) fn levels_of(&self, settings: Option<&Settings>) -> LintLevels {
        let levels = settings.map(|settings| settings.audit.clone());
        match self.levels {
            _ if self.without_levels => LintLevels::default(),
            Some(others) => levels.unwrap_or_default().with(others),
            None => levels.unwrap_or_default(),
        }
    }

    /// Writes nothing, or does.
    #[must_use]
    pub fn dry_run(self, dry_run: bool) -> Self {
        Self { dry_run, ..self }
    }

    /// Sets what the site decides: the reference time, and the states of posts in lists.
    pub(crate) fn of_site(self, clock: Clock, include: Include) -> Self {
        Self {
            clock,
            include,
            ..self
        }
    }

    /// Sets the treatment of files that no known build wrote.
    #[must_use]
    pub fn foreign(self, foreign: ForeignFiles) -> Self {
        Self { foreign, ..self }
    }

    /// Sets the number of threads.
    #[must_use]
    pub fn jobs(self, jobs: Option<NonZeroUsize>) -> Self {
        Self { jobs, ..self }
    }

    /// Builds a part of the outputs, or all.
    #[must_use]
    pub fn part(self, part: Option<BuildPart>) -> Self {
        Self { part, ..self }
    }

    /// Reports progress.
    #[must_use]
    pub fn progress<'b>(self, progress: &'b dyn Progress) -> BuildOptions<'b>
    where
        'a: 'b,
    {
        BuildOptions { progress, ..self }
    }

    /// Ends the build without writing anything, as soon as the flag is set.
    #[must_use]
    pub fn cancel<'b>(self, flag: &'b AtomicBool) -> BuildOptions<'b>
    where
        'a: 'b,
    {
        BuildOptions {
            cancel: Some(flag),
            ..self
        }
    }

    /// Returns true if the build is to end without writing anything.
    pub(crate) fn is_cancelled(&self) -> bool {
        self.cancel.is_some_and(|flag| flag.load(Ordering::Relaxed))
    }
}

/// A part of the outputs of a site that several machines build: part 3 of 8. Each output is in exactly one of the parts, and
/// in the same one in every build.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct BuildPart {
    number: NonZeroU32,
    of: NonZeroU32,
}

impl BuildPart {
    /// Returns a part by its number, from 1, and the number of parts; `None` if there is no such part.
    #[must_use]
    pub fn new(number: u32, of: u32) -> Option<Self> {
        let part = Self {
            number: NonZeroU32::new(number)?,
            of: NonZeroU32::new(of)?,
        };
        (number <= of).then_some(part)
    }

    /// Returns the number of the part, from 1.
    #[must_use]
    pub fn number(self) -> u32 {
        self.number.get()
    }

    /// Returns the number of parts.
    #[must_use]
    pub fn of(self) -> u32 {
        self.of.get()
    }

    /// Returns true if a file is in the part, by the checksum of its path.
    pub(crate) fn has(self, path: &str) -> bool {
        checksum(path.as_bytes()) % u64::from(self.of()) == u64::from(self.number() - 1)
    }
}

impl fmt::Display for BuildPart {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        write!(f, "{}/{}", self.number, self.of)
    }
}

impl FromStr for BuildPart {
    type Err = &'static str;

    /// Reads a part as it is written: `3/8`.
    fn from_str(text: &str) -> Result<Self, Self::Err> {
        let parsed = text
            .split_once('/')
            .and_then(|(number, of)| Self::new(number.parse().ok()?, of.parse().ok()?));
        parsed.ok_or("write the number of the part, from 1, and how many there are: `--part 3/8`")
    }
}

/// The treatment of files in the output folder that no known build wrote. By default one at an output's
/// address is an error, unless it has the output's bytes, and others are left alone.
#[derive(Debug, Clone, Copy, Default, PartialEq, Eq)]
pub struct ForeignFiles {
    /// Replace those at addresses of outputs.
    pub adopt: bool,
    /// Remove all others.
    pub prune: bool,
}

/// The reference time of a build.
#[derive(Debug, Clone, Copy)]
pub enum Clock {
    /// An instant.
    At(Timestamp),
    /// A day (from its midnight) or a time, in the site's time zone where it has no offset.
    Written(WrittenDate),
}

impl Clock {
    /// Returns the instant, in a site's time zone.
    #[must_use]
    pub fn now(self, zone: &TimeZone) -> Timestamp {
        match self {
            Clock::At(at) => at,
            Clock::Written(written) => written
                .zoned(zone)
                .map_or(Timestamp::UNIX_EPOCH, |date| date.at),
        }
    }
}

/// A step of a build.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Step {
    /// Reading posts.
    Reading,
    /// Rendering and writing outputs.
    Writing,
}

/// Receives the progress of a build, from any thread.
pub trait Progress: Sync + fmt::Debug {
    /// `done` of `total` items of a step are done.
    fn step(&self, step: Step, done: usize, total: usize);

    /// Every output is in its place. What follows only prepares the next build.
    fn published(&self, _report: &BuildReport, _diagnostics: &[Diagnostic]) {}
}

/// Ignores progress.
#[derive(Debug, Clone, Copy, Default)]
pub struct NoProgress;

impl Progress for NoProgress {
    fn step(&self, _: Step, _: usize, _: usize) {}
}
