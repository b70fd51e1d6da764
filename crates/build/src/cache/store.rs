//! The file that a build leaves in `.tabulae/`: a head that names its form and the program that
//! wrote it, the rest (postcard), and a checksum of it (xxh3, 64 bits). A file that is damaged or
//! another program's is as if it were not there.

use std::collections::BTreeMap;
use std::io::{self, BufWriter, Write};
use std::sync::Arc;

use serde::{Deserialize, Serialize};
use tabulae_core::diagnostic::Diagnostic;
use tabulae_core::front_matter::FrontMatter;
use tabulae_core::post::Notes;
use tabulae_core::query::ast::Lasts;
use tabulae_core::route::OutputPath;

use super::bytes::Bytes;
use super::need::Key;
use crate::fingerprint::Summed;
use crate::output::checksum;
use crate::report::Due;
use crate::sources::Mark;

const HEAD: &[u8] = b"tabulae cache 3\n";

/// The hash of what the program was compiled from: its sources and the theme's, the locked
/// dependencies, features and target.
const PROGRAM: &str = env!("TABULAE_SOURCES");

/// What a build leaves for the next one.
#[derive(Debug, Default, Serialize, Deserialize)]
pub(crate) struct Store {
    /// The settings' text, and what the build was asked for, hashed.
    pub(crate) asked: u64,
    /// Every file of the site's folders, by path.
    pub(crate) files: Arc<BTreeMap<String, Option<Mark>>>,
    /// What was read of the posts, by path.
    pub(crate) posts: KeptPosts,
    /// The stems of texts, where words were counted.
    pub(crate) stems: Arc<[Box<str>]>,
    /// What any page asked for, with the fingerprint of what it got.
    pub(crate) needs: Vec<(Key, u64)>,
    /// The outputs, by path.
    pub(crate) pages: BTreeMap<OutputPath, Page>,
    /// The checksum of the manifest.
    pub(crate) manifest: u64,
    /// What a build says that finds nothing changed; `None` where there is always something to
    /// be done.
    pub(crate) quiet: Option<Quiet>,
}

/// What was read of posts, by path.
pub(crate) type KeptPosts = Arc<BTreeMap<String, Kept>>;

/// What was read of a post.
#[derive(Debug, Clone, Serialize, Deserialize)]
pub(crate) struct Kept {
    /// The file as it was when it was read; `None` where it was too fresh to tell.
    pub(crate) mark: Option<Mark>,
    /// The hash of its bytes.
    pub(crate) hash: u64,
    /// A [`Parsed`]; it is read when it is needed.
    pub(crate) parsed: Bytes,
    /// How often its text has which stem, by the number in [`Store::stems`] (pairs, postcard);
    /// nothing where they were not counted.
    pub(crate) words: Bytes,
}

/// A post's file, parsed.
#[derive(Debug, Serialize, Deserialize)]
pub(crate) struct Parsed {
    /// The front matter.
    pub(crate) front: FrontMatter,
    /// The header's text.
    pub(crate) head: String,
    /// What was noticed of the body.
    pub(crate) notes: Notes,
}

/// An output that was written.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
pub(crate) struct Page {
    /// What made it, hashed.
    pub(crate) maker: u64,
    /// The file as it was after it was written.
    pub(crate) mark: Option<Mark>,
    /// What it asked for, by the number in [`Store::needs`]; `None` for what is made each time.
    pub(crate) needs: Option<Vec<u32>>,
}

/// What a build says that finds nothing changed.
#[derive(Debug, Clone, Serialize, Deserialize)]
pub(crate) struct Quiet {
    /// How many posts and pages there are.
    pub(crate) read: (usize, usize),
    /// How many posts are in no list, by state.
    pub(crate) held_back: Vec<(String, usize)>,
    /// The next scheduled post.
    pub(crate) next_due: Option<Due>,
    /// Its warnings.
    pub(crate) warnings: Vec<Diagnostic>,
    /// The files that no known build wrote.
    pub(crate) unknown: Vec<String>,
    /// The moment it was built at, in seconds since 1970, and the first at which a post's state
    /// changes by itself.
    pub(crate) between: (i64, Option<i64>),
    /// The day, where anything counts from today.
    pub(crate) day: Option<jiff::civil::Date>,
}

/// Room for what a header says, in bytes: most say less.
const ROOM: usize = 1 << 11;

impl Parsed {
    /// Of the bytes in the cache.
    pub(crate) fn from_bytes(bytes: &[u8]) -> Option<Self> {
        postcard::from_bytes(bytes).ok()
    }

    /// The same of what was just parsed, for the cache.
    pub(crate) fn bytes_of(front: &FrontMatter, head: &str, notes: &Notes) -> Bytes {
        let room = Vec::with_capacity(ROOM);
        let bytes = postcard::to_extend(&(front, head, notes), room);
        bytes.unwrap_or_default().into()
    }
}

impl Store {
    /// Reads what a build left; `None` where it is damaged or another program's.
    pub(crate) fn from_bytes(bytes: &[u8]) -> Option<Self> {
        let rest = bytes.strip_prefix(HEAD)?.strip_prefix(PROGRAM.as_bytes())?;
        let (rest, sum) = rest.split_at_checked(rest.len().checked_sub(8)?)?;
        if sum != checksum(rest).to_le_bytes() {
            return None;
        }
        postcard::from_bytes(rest).ok()
    }

    /// Writes it for the next build, piece by piece.
    ///
    /// # Errors
    /// Where `to` cannot be written to.
    pub(crate) fn write(&self, to: &mut dyn Write) -> io::Result<()> {
        to.write_all(HEAD)?;
        to.write_all(PROGRAM.as_bytes())?;
        // The format is written a few bytes at a time; the checksum is quick on many.
        let whole = BufWriter::with_capacity(1 << 16, Summed::new(to));
        let whole = postcard::to_io(self, whole).map_err(io::Error::other)?;
        let (to, sum) = whole.into_inner()?.done();
        to.write_all(&sum.to_le_bytes())
    }
}

impl Quiet {
    /// Whether it still holds at another moment.
    pub(crate) fn holds(&self, now: i64, today: jiff::civil::Date) -> bool {
        let (built, changes) = self.between;
        now >= built
            && changes.is_none_or(|changes| now < changes)
            && self.day.is_none_or(|day| day == today)
    }

    /// Whether what counts so long can be said again.
    pub(crate) fn day_of(
        lasts: Lasts,
        today: jiff::civil::Date,
    ) -> Option<Option<jiff::civil::Date>> {
        match lasts {
            Lasts::Ever => Some(None),
            Lasts::Today => Some(Some(today)),
            Lasts::Moment => None,
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
    #[case::nothing("crates/build/src/a.rs", "a", "x86_64", true)]
    #[case::a_source("crates/build/src/a.rs", "b", "x86_64", false)]
    #[case::the_core("crates/core/src/new.rs", "a", "x86_64", false)]
    #[case::the_lock_file("Cargo.lock", "changed", "x86_64", false)]
    #[case::the_target("crates/build/src/a.rs", "a", "aarch64", false)]
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
            let package = folder.path().join("crates/build");
            super::build_script::program(&package, variables.into_iter())
        };
        write("crates/build/src/a.rs", "a");
        write("crates/core/src/b.rs", "b");
        write("Cargo.lock", "locked");
        let before = program("x86_64");
        write(path, text);
        assert_eq!(program(target) == before, same);
    }

    fn stored() -> Vec<u8> {
        let mut store = Store {
            asked: 7,
            ..Store::default()
        };
        let files = [("posts/a.md".to_owned(), None)];
        store.files = Arc::new(files.into());
        let mut bytes = Vec::new();
        store.write(&mut bytes).unwrap();
        bytes
    }

    #[test]
    fn what_is_left_is_found_again() {
        let store = Store::from_bytes(&stored()).unwrap();
        assert_eq!(store.asked, 7);
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
        assert!(Store::from_bytes(&damage(stored())).is_none());
    }

    #[rstest]
    #[case::at_once(100, true)]
    #[case::later(199, true)]
    #[case::a_post_falls_due(200, false)]
    #[case::the_clock_went_back(99, false)]
    fn nothing_changed_holds_for_a_while(#[case] now: i64, #[case] holds: bool) {
        let day = jiff::civil::date(2026, 3, 14);
        let quiet = Quiet {
            read: (1, 0),
            held_back: Vec::new(),
            next_due: None,
            warnings: Vec::new(),
            unknown: Vec::new(),
            between: (100, Some(200)),
            day: Some(day),
        };
        assert_eq!(quiet.holds(now, day), holds);
        assert!(!quiet.holds(now, jiff::civil::date(2026, 3, 15)));
    }
}
