//! The build cache in `.tabulae/`: a header that names the format and the program, the content
//! (postcard), and its checksum (xxh3, 64 bits). A damaged cache, or that of another program, is ignored.

use std::collections::BTreeMap;
use std::io::{self, BufWriter, Write};
use std::sync::Arc;

use indexmap::IndexMap;
use jiff::civil::Date;
use rustc_hash::FxBuildHasher;
use serde::{Deserialize, Serialize};
use tabulae_core::diagnostic::Diagnostic;
use tabulae_core::query::ast::Validity;
use tabulae_core::route::OutputPath;

use super::key::Key;
use crate::fingerprint::{Summed, checksum};
use crate::report::Due;
use crate::site::{Bytes, CachedHits, CachedPosts, PreviousPosts, Vocabulary};
use crate::source::FileStamp;

const HEAD: &[u8] = b"tabulae cache 8\n";

/// The hash of the program's inputs: its sources and the theme's, the locked dependencies, features and
/// target.
const PROGRAM: &str = env!("TABULAE_SOURCES");

/// The cache that a build leaves for the next one.
#[derive(Debug, Default, Serialize, Deserialize)]
pub(crate) struct BuildCache {
    /// The fingerprint of the settings and options.
    pub(crate) configuration: u64,
    /// The stamps of all source files, by path.
    pub(crate) files: Arc<BTreeMap<String, Option<FileStamp>>>,
    /// The checksums of files that outputs depend on, with the stamps that the files had.
    pub(crate) checksums: BTreeMap<String, (FileStamp, u64)>,
    /// The posts as they were read.
    pub(crate) posts: CachedPosts,
    /// The words of texts.
    pub(crate) vocabulary: Vocabulary,
    /// The runs of highlighted code blocks, by fingerprint.
    pub(crate) code: BTreeMap<u64, Bytes>,
    /// The related posts of all posts.
    pub(crate) related: CachedHits,
    /// The keys of all dependencies, with their fingerprints.
    pub(crate) keys: Vec<(Key, u64)>,
    /// The outputs by path, in the order of the plan.
    pub(crate) outputs: IndexMap<OutputPath, CachedOutput, FxBuildHasher>,
    /// The digest of the manifest.
    pub(crate) manifest: u64,
    /// The report of a build that finds nothing changed; `None` if each build has work to do.
    pub(crate) unchanged: Option<UnchangedReport>,
}

/// An output that was published.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
pub(crate) struct CachedOutput {
    /// The fingerprint of its kind and of the source or list that it is made of.
    pub(crate) maker: u64,
    /// The stamp of the published file.
    pub(crate) stamp: Option<FileStamp>,
    /// The numbers of its dependencies in [`BuildCache::keys`]; `None` if it is rendered by each build.
    pub(crate) dependencies: Option<Vec<u32>>,
}

/// The report of a build that finds nothing changed.
#[derive(Debug, Clone, Serialize, Deserialize)]
pub(crate) struct UnchangedReport {
    /// The numbers of posts and pages.
    pub(crate) read: (usize, usize),
    /// The number of HTML pages of the site.
    pub(crate) built: usize,
    /// The number of excluded posts, by state.
    pub(crate) excluded: Vec<(String, usize)>,
    pub(crate) next_due: Option<Due>,
    pub(crate) warnings: Vec<Diagnostic>,
    /// The files that no known build wrote.
    pub(crate) unknown: Vec<String>,
    /// The reasons why built-in archives or the built-in feed are moved or left out.
    pub(crate) yields: Vec<String>,
    /// The time of the build, in seconds since 1970, and the first time at which a post changes its state.
    pub(crate) valid: (i64, Option<i64>),
    /// The day of the build, if anything depends on it.
    pub(crate) day: Option<Date>,
}

impl BuildCache {
    /// Decodes a cache; `None` if it is damaged or another program wrote it.
    pub(crate) fn from_bytes(bytes: &[u8]) -> Option<Self> {
        let rest = bytes.strip_prefix(HEAD)?.strip_prefix(PROGRAM.as_bytes())?;
        let (rest, sum) = rest.split_at_checked(rest.len().checked_sub(8)?)?;
        if sum != checksum(rest).to_le_bytes() {
            return None;
        }
        postcard::from_bytes(rest).ok()
    }

    /// Writes the cache piece by piece.
    ///
    /// # Errors
    /// If `to` cannot be written to.
    pub(crate) fn write(&self, to: &mut dyn Write) -> io::Result<()> {
        to.write_all(HEAD)?;
        to.write_all(PROGRAM.as_bytes())?;
        // The encoder writes a few bytes at a time; the checksum is fast on many.
        let whole = BufWriter::with_capacity(1 << 16, Summed::new(to));
        let whole = postcard::to_io(self, whole).map_err(io::Error::other)?;
        let (to, sum) = whole.into_inner()?.done();
        to.write_all(&sum.to_le_bytes())
    }

    /// Returns the posts for a build with this configuration.
    pub(crate) fn previous_posts(&self, configuration: u64) -> PreviousPosts<'_> {
        PreviousPosts {
            posts: &self.posts,
            vocabulary: &self.vocabulary,
            code: &self.code,
            same_configuration: self.configuration == configuration,
            kept: None,
        }
    }
}

impl UnchangedReport {
    /// Returns true if the report is still right at another time.
    pub(crate) fn is_valid_at(&self, now: i64, today: Date) -> bool {
        let (built, changes) = self.valid;
        now >= built
            && changes.is_none_or(|changes| now < changes)
            && self.day.is_none_or(|day| day == today)
    }

    /// Returns the day to store for a site whose queries are valid so long; `None` if the report can never
    /// be repeated.
    pub(crate) fn day_of(validity: Validity, today: Date) -> Option<Option<Date>> {
        match validity {
            Validity::Ever => Some(None),
            Validity::Today => Some(Some(today)),
            Validity::Moment => None,
        }
    }
}

#[cfg(test)]
#[path = "../../build.rs"]
#[allow(
    dead_code,
    clippy::print_stdout,
    reason = "the main function of a build script speaks to Cargo"
)]
mod build_script;

#[cfg(test)]
mod tests {
    use super::*;
    use rstest::rstest;

    /// Another dependency may make another page, from the very same sources of ours.
    #[rstest]
    #[case::nothing("crates/engine/src/a.rs", "a", "x86_64", true)]
    #[case::a_source("crates/engine/src/a.rs", "b", "x86_64", false)]
    #[case::the_core("crates/core/src/new.rs", "a", "x86_64", false)]
    #[case::the_lock_file("Cargo.lock", "changed", "x86_64", false)]
    #[case::the_target("crates/engine/src/a.rs", "a", "aarch64", false)]
    fn a_program_is_told_by_what_it_is_made_of(
        #[case] path: &str,
        #[case] text: &str,
        #[case] target: &str,
        #[case] same: bool,
    ) {
        let folder = tempfile::tempdir().unwrap();
        let write = |path: &str, text: &str| {
            let path = folder.path().join(path);
            std::fs::create_dir_all(path.parent().unwrap()).unwrap();
            std::fs::write(path, text).unwrap();
        };
        let program = |target: &str| {
            let variables = [("TARGET".to_owned(), target.to_owned())];
            let package = folder.path().join("crates/engine");
            super::build_script::program(&package, variables.into_iter())
        };
        write("crates/engine/src/a.rs", "a");
        write("crates/core/src/b.rs", "b");
        write("Cargo.lock", "locked");
        let before = program("x86_64");
        write(path, text);
        assert_eq!(program(target) == before, same);
    }

    fn stored() -> Vec<u8> {
        let mut store = BuildCache {
            configuration: 7,
            ..BuildCache::default()
        };
        let files = [("posts/a.md".to_owned(), None)];
        store.files = Arc::new(files.into());
        let mut bytes = Vec::new();
        store.write(&mut bytes).unwrap();
        bytes
    }

    #[test]
    fn what_is_left_is_found_again() {
        let store = BuildCache::from_bytes(&stored()).unwrap();
        assert_eq!(store.configuration, 7);
        assert_eq!(store.files.len(), 1);
    }

    #[rstest]
    #[case::empty(|_: Vec<u8>| Vec::new())]
    #[case::cut(|bytes: Vec<u8>| bytes[..bytes.len() - 3].to_vec())]
    #[case::a_bit(|mut bytes: Vec<u8>| { let last = bytes.len() - 1; bytes[last] ^= 1; bytes })]
    #[case::longer(|mut bytes: Vec<u8>| { bytes.push(0); bytes })]
    #[case::another_program(|mut bytes: Vec<u8>| { bytes[HEAD.len()] ^= 1; bytes })]
    #[case::another_form(|mut bytes: Vec<u8>| { bytes[HEAD.len() - 2] ^= 1; bytes })]
    fn what_is_damaged_is_as_if_it_were_not_there(#[case] damage: fn(Vec<u8>) -> Vec<u8>) {
        assert!(BuildCache::from_bytes(&damage(stored())).is_none());
    }

    #[rstest]
    #[case::at_once(100, true)]
    #[case::later(199, true)]
    #[case::a_post_falls_due(200, false)]
    #[case::the_clock_went_back(99, false)]
    fn nothing_changed_holds_for_a_while(#[case] now: i64, #[case] holds: bool) {
        let day = jiff::civil::date(2026, 3, 14);
        let report = UnchangedReport {
            read: (1, 0),
            built: 3,
            excluded: Vec::new(),
            next_due: None,
            warnings: Vec::new(),
            unknown: Vec::new(),
            yields: Vec::new(),
            valid: (100, Some(200)),
            day: Some(day),
        };
        assert_eq!(report.is_valid_at(now, day), holds);
        assert!(!report.is_valid_at(now, jiff::civil::date(2026, 3, 15)));
    }
}
