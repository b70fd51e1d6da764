//! Where a build writes to: a folder on disk, or memory.

mod disk;
mod manifest;
mod memory;
mod place;
#[cfg(test)]
pub(crate) mod steps;

use std::fmt;
use std::io::{self, Read};
use std::path::Path;

use tabulae_core::route::OutputPath;

use crate::fingerprint::Summed;
use crate::sources::Mark;

pub use self::disk::Disk;
pub use self::manifest::{Manifest, Published, checksum};
pub use self::memory::Memory;
pub(crate) use self::place::check_place;

/// Writes something piece by piece.
pub type Writer<'a> = dyn Fn(&mut dyn io::Write) -> io::Result<()> + 'a;

/// What is at an output's path, compared with the output's content.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Found {
    /// Nothing.
    Nothing,
    /// A regular file with the same bytes.
    Same,
    /// A regular file with other bytes.
    Different,
    /// A symbolic link, or a pipe, a socket, a device.
    Other,
}

/// Opens a file from its beginning.
pub type Opener<'a> = dyn Fn() -> io::Result<Box<dyn Read + 'a>> + 'a;

/// The content of an output.
#[derive(Clone, Copy)]
pub enum Content<'a> {
    /// Bytes in memory.
    Bytes(&'a [u8]),
    /// A file that is too large to be read whole.
    File {
        /// Its path below the site's folder.
        source: &'a str,
        /// Its length in bytes.
        length: u64,
        /// What opens it.
        open: &'a Opener<'a>,
    },
}

/// The size of the pieces in which files are read, in bytes.
const PIECE: usize = 1 << 16;

impl Content<'_> {
    /// Returns the length in bytes.
    #[must_use]
    pub fn length(&self) -> u64 {
        match self {
            Self::Bytes(bytes) => bytes.len() as u64,
            Self::File { length, .. } => *length,
        }
    }

    /// Returns the hash of the bytes, as [`checksum`] does.
    ///
    /// # Errors
    /// If the file cannot be read.
    pub fn checksum(&self) -> io::Result<u64> {
        if let Self::Bytes(bytes) = self {
            return Ok(checksum(bytes));
        }
        let mut sum = Summed::new(io::sink());
        self.copy_to(&mut sum)?;
        Ok(sum.done().1)
    }

    /// Writes the bytes piece by piece.
    ///
    /// # Errors
    /// If the file cannot be read, or `to` not written to.
    pub fn copy_to(&self, to: &mut dyn io::Write) -> io::Result<()> {
        match self {
            Self::Bytes(bytes) => to.write_all(bytes),
            Self::File { open, .. } => {
                io::copy(&mut io::BufReader::with_capacity(PIECE, open()?), to).map(|_| ())
            }
        }
    }

    /// Returns true if `other` has the same bytes and no more.
    ///
    /// # Errors
    /// If a file cannot be read.
    pub fn equals(&self, other: &mut dyn Read) -> io::Result<bool> {
        let mut compared = Compared {
            other,
            is_same: true,
        };
        self.copy_to(&mut compared)?;
        let is_same = compared.is_same;
        Ok(is_same && other.read(&mut [0])? == 0)
    }
}

impl fmt::Debug for Content<'_> {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        write!(f, "{} bytes", self.length())
    }
}

/// Compares what is written with the bytes of a file.
struct Compared<'a> {
    other: &'a mut dyn Read,
    is_same: bool,
}

impl io::Write for Compared<'_> {
    fn write(&mut self, bytes: &[u8]) -> io::Result<usize> {
        let mut there = [0; PIECE];
        let there = &mut there[..bytes.len().min(PIECE)];
        if self.is_same {
            self.is_same = match self.other.read_exact(there) {
                Err(error) if error.kind() == io::ErrorKind::UnexpectedEof => false,
                read => read.map(|()| *there == bytes[..there.len()])?,
            };
        }
        Ok(there.len())
    }

    fn flush(&mut self) -> io::Result<()> {
        Ok(())
    }
}

/// The files of `out/`. Paths are below it and hold `/` on every system.
pub trait Output: Send + Sync + fmt::Debug {
    /// Takes the lock that keeps a second build away, and clears away what a build that was cut
    /// off left behind.
    ///
    /// # Errors
    /// [`io::ErrorKind::WouldBlock`] where another build holds it.
    fn lock(&mut self) -> io::Result<()>;

    /// Gives the lock back, when nothing is under way any more.
    fn release(&mut self);

    /// What the last build wrote; `None` where nothing is known, or what is known is damaged.
    fn manifest(&self) -> Option<Manifest>;

    /// Remembers what this build is about to put in its place, until [`Output::remember`]: after a
    /// kill, [`Output::manifest`] has these paths with unknown bytes.
    ///
    /// # Errors
    /// Where it cannot be written.
    fn begin(&self, paths: &[&OutputPath]) -> io::Result<()>;

    /// Remembers what this build wrote; nothing is under way any more.
    ///
    /// # Errors
    /// Where it cannot be written.
    fn remember(&self, manifest: &Manifest) -> io::Result<()>;

    /// What tells that what is remembered is as it was left; `None` where nothing is, or where
    /// something is under way.
    fn remembered(&self) -> Option<Mark>;

    /// Compares what is at `path` with the content of an output. No link is followed, and only a regular
    /// file of the same length is opened.
    ///
    /// # Errors
    /// If a file cannot be read, or a folder is there.
    fn compare(&self, path: &OutputPath, content: &Content<'_>) -> io::Result<Found>;

    /// Makes the folders above `path`, ahead of what will be staged there, where a build that ends
    /// without publishing takes them away at once. Whether it is of use to do so.
    fn make_ready(&self, path: &OutputPath) -> bool;

    /// Writes an output beside `path` under a name of its own. Returns what [`Output::mark`] will tell
    /// of the file in its place, where that is known now.
    ///
    /// # Errors
    /// Where it cannot be written, or a folder above `path` is a symbolic link or a file.
    fn stage(&self, path: &OutputPath, content: &Content<'_>) -> io::Result<Option<Mark>>;

    /// Puts what was staged in its place, whole or not at all.
    ///
    /// # Errors
    /// Where it cannot be renamed.
    fn publish(&self, path: &OutputPath) -> io::Result<()>;

    /// Ends the publishing: now everything stands in its place.
    ///
    /// # Errors
    /// Where a folder that was made as a whole cannot be renamed.
    fn settle(&self) -> io::Result<()>;

    /// Takes away what was staged for `path`, if not at once, then when the lock is released.
    fn discard(&self, path: &OutputPath);

    /// Removes the file at `path`, and the folders that are empty then. Returns false if there is none.
    ///
    /// # Errors
    /// Where it is there and cannot be removed.
    fn remove(&self, path: &OutputPath) -> io::Result<bool>;

    /// What tells, without reading the file at `path`, that it is as it was; `None` where there is
    /// none, or a symbolic link.
    fn mark(&self, path: &OutputPath) -> Option<Mark>;

    /// What the last build left for this one; `None` where there is nothing.
    fn recall(&self) -> Option<Vec<u8>>;

    /// Leaves something for the next build.
    ///
    /// # Errors
    /// Where it cannot be written.
    fn keep(&self, write: &Writer<'_>) -> io::Result<()>;

    /// The paths of all files that stand there, sorted, those under way left out.
    ///
    /// # Errors
    /// Where a folder cannot be read.
    fn list(&self) -> io::Result<Vec<String>>;

    /// Returns true if there was no output folder when the lock was taken: it holds no file of anyone else.
    fn is_new(&self) -> bool;

    /// Returns true if two paths lead to the same file, as on a file system that does not tell upper
    /// from lower case.
    fn is_same_file(&self, a: &OutputPath, b: &OutputPath) -> bool;

    /// Returns the folder on disk; `None` for an output in memory.
    fn folder(&self) -> Option<&Path>;

    /// The output's name for people.
    fn name(&self) -> String;
}

#[cfg(test)]
mod tests {
    use super::*;
    use rstest::rstest;

    fn files(manifest: Option<Manifest>) -> Vec<(OutputPath, Option<u64>)> {
        manifest.unwrap_or_default().files.into_iter().collect()
    }

    fn path(text: &str) -> OutputPath {
        OutputPath::new(text).unwrap()
    }

    #[rstest]
    #[case::memory(false)]
    #[case::disk(true)]
    fn what_is_under_way_is_known_until_it_stands(#[case] on_disk: bool) {
        let folder = tempfile::tempdir().unwrap();
        let (out, memory) = (folder.path().join("out"), folder.path().join("memory"));
        let mut disk = Disk::new(out, memory, "out");
        let mut memory = Memory::default();
        let output: &mut dyn Output = if on_disk { &mut disk } else { &mut memory };
        output.lock().unwrap();
        assert_eq!(output.manifest(), None);
        output.begin(&[&path("b")]).unwrap();
        let known = |name: &str, hash| (path(name), hash);
        assert_eq!(files(output.manifest()), [known("b", None)]);
        assert_eq!(output.remembered(), None);
        let manifest = Manifest {
            files: [known("a", Some(1)), known("b", Some(2))].into(),
            ..Manifest::default()
        };
        output.remember(&manifest).unwrap();
        assert_eq!(output.manifest().as_ref(), Some(&manifest));
        assert!(output.remembered().is_some());
        output.begin(&[&path("b"), &path("c")]).unwrap();
        let unknown = [known("a", Some(1)), known("b", None), known("c", None)];
        assert_eq!(files(output.manifest()), unknown);
        assert_eq!(output.remembered(), None);
    }

    /// What is at the path `a`, beside an output that is longer than two pieces.
    #[rstest]
    #[case::nothing(|_: &[u8]| None, Found::Nothing)]
    #[case::the_same(|bytes: &[u8]| Some(bytes.to_vec()), Found::Same)]
    #[case::shorter(|bytes: &[u8]| Some(bytes[1..].to_vec()), Found::Different)]
    #[case::longer(|bytes: &[u8]| Some([bytes, b"x"].concat()), Found::Different)]
    #[case::the_last_byte(|bytes: &[u8]| Some([&bytes[1..], b"x"].concat()), Found::Different)]
    #[case::empty(|_: &[u8]| Some(Vec::new()), Found::Different)]
    fn an_output_is_compared_with_what_is_there(
        #[case] there: fn(&[u8]) -> Option<Vec<u8>>,
        #[case] expected: Found,
        #[values(false, true)] on_disk: bool,
        #[values(false, true)] is_file: bool,
    ) {
        let bytes: Vec<u8> = std::iter::repeat_n(7, 2 * PIECE + 10).collect();
        let folder = tempfile::tempdir().unwrap();
        let mut memory = Memory::default();
        let mut disk = Disk::new(folder.path(), folder.path().join(".tabulae"), "out");
        if let Some(there) = there(&bytes) {
            std::fs::write(folder.path().join("a"), &there).unwrap();
            memory.put("a", there);
        }
        let output: &mut dyn Output = if on_disk { &mut disk } else { &mut memory };
        let open = || Ok(Box::new(io::Cursor::new(&bytes)) as Box<dyn Read>);
        let content = if is_file {
            let length = bytes.len() as u64;
            Content::File {
                source: "assets/a",
                length,
                open: &open,
            }
        } else {
            Content::Bytes(&bytes)
        };
        assert_eq!(output.compare(&path("a"), &content).unwrap(), expected);
        assert_eq!(content.checksum().unwrap(), checksum(&bytes));
        // What is staged and published is the same.
        output.lock().unwrap();
        output.stage(&path("a"), &content).unwrap();
        output.publish(&path("a")).unwrap();
        assert_eq!(output.compare(&path("a"), &content).unwrap(), Found::Same);
    }

    #[test]
    fn the_manifest_of_the_first_version_is_taken_over() {
        let folder = tempfile::tempdir().unwrap();
        let (out, memory) = (folder.path().join("out"), folder.path().join(".tabulae"));
        let name = checksum(out.as_os_str().as_encoded_bytes());
        let manifest = Manifest {
            files: [(path("a"), Some(1))].into(),
            ..Manifest::default()
        };
        std::fs::create_dir(&memory).unwrap();
        let first = memory.join(format!("manifest-{name:016x}"));
        std::fs::write(&first, manifest.to_text()).unwrap();
        let mut disk = Disk::new(&out, &memory, "out");
        assert_eq!(disk.manifest().as_ref(), Some(&manifest));
        disk.lock().unwrap();
        assert!(!first.exists());
        // From now on it survives a move of the site.
        let moved = folder.path().join("moved");
        std::fs::create_dir(&moved).unwrap();
        std::fs::rename(&memory, moved.join(".tabulae")).unwrap();
        let disk = Disk::new(moved.join("out"), moved.join(".tabulae"), "out");
        assert_eq!(disk.manifest(), Some(manifest));
    }

    #[test]
    fn folders_that_are_made_ahead_stay_only_where_something_is_published() {
        let folder = tempfile::tempdir().unwrap();
        let (out, memory) = (folder.path().join("out"), folder.path().join("memory"));
        let mut disk = Disk::new(&out, &memory, "out");
        disk.lock().unwrap();
        assert!(disk.make_ready(&path("2026/lime/index.html")));
        disk.release();
        let left = std::fs::read_dir(&memory).unwrap();
        let left: Vec<_> = left.map(|entry| entry.unwrap().file_name()).collect();
        assert_eq!(left, ["lock"]);
        disk.lock().unwrap();
        assert!(disk.make_ready(&path("2026/lime/index.html")));
        disk.stage(&path("2026/lime/index.html"), &Content::Bytes(b"lime"))
            .unwrap();
        disk.settle().unwrap();
        disk.release();
        let lime = std::fs::read(out.join("2026/lime/index.html"));
        assert_eq!(lime.unwrap(), b"lime");
        // Where out/ is there, folders are made for what is written, and no others.
        disk.lock().unwrap();
        assert!(!disk.make_ready(&path("2026/sand/index.html")));
        assert!(!out.join("2026/sand").exists());
    }
}
