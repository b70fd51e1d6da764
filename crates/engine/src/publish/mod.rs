//! Publishing: outputs are staged beside their places, journaled, put in place together, and recorded in
//! the manifest. Takes validated paths only, and writes nowhere else.

mod commit;
mod content;
mod disk;
mod errors;
mod feed_ids;
mod lock;
mod manifest;
mod memory;
mod out_folder;
mod stage;
#[cfg(test)]
pub(crate) mod steps;
mod woven;

use std::fmt;
use std::io;
use std::path::Path;

use tabulae_core::route::OutputPath;

pub use self::content::{Content, Found, Opener};
pub use self::disk::DiskOutput;
pub(crate) use self::errors::{add_once, unwritable};
pub(crate) use self::feed_ids::feed_ids;
pub(crate) use self::lock::lock;
pub use self::manifest::{Manifest, Published};
pub use self::memory::MemoryOutput;
pub(crate) use self::out_folder::check_out_folder;
pub(crate) use self::stage::{Outcome, Stage, Version, VersionSource};
pub(crate) use self::woven::{is_woven, is_woven_page};
use crate::source::FileStamp;

/// A function that writes something piece by piece.
pub type Writer<'a> = dyn Fn(&mut dyn io::Write) -> io::Result<()> + 'a;

/// An output folder. Paths are below it, and use `/` on every system.
pub trait Destination: Send + Sync + fmt::Debug {
    /// Sets the folder for manifest and cache, unless it is set already.
    fn attach(&mut self, _state: &Path) {}

    /// Takes the lock, which excludes a second build, and removes the staged files of a build that was
    /// killed.
    ///
    /// # Errors
    /// [`io::ErrorKind::WouldBlock`] if another build holds it.
    fn lock(&mut self) -> io::Result<()>;

    /// Releases the lock.
    fn release(&mut self);

    /// Returns the manifest of the last build; `None` without one, or if it is damaged.
    fn manifest(&self) -> Option<Manifest>;

    /// Writes the journal: the paths that this build puts in place until [`Destination::save_manifest`]. After
    /// a kill, [`Destination::manifest`] has them with unknown bytes.
    ///
    /// # Errors
    /// If it cannot be written.
    fn write_journal(&self, paths: &[&OutputPath]) -> io::Result<()>;

    /// Saves the manifest of this build, and removes the journal.
    ///
    /// # Errors
    /// If it cannot be written.
    fn save_manifest(&self, manifest: &Manifest) -> io::Result<()>;

    /// Returns the stamp of the manifest; `None` without one, or if there is a journal.
    fn manifest_stamp(&self) -> Option<FileStamp>;

    /// Compares what is at `path` with the content of an output. No link is followed, and only a regular
    /// file of the same length is opened.
    ///
    /// # Errors
    /// If a file cannot be read, or a folder is there.
    fn compare(&self, path: &OutputPath, content: &Content<'_>) -> io::Result<Found>;

    /// Makes the folders above `path` ahead of staging. Returns false if this is of no use, as the folders
    /// would remain after a build that publishes nothing.
    fn make_ready(&self, path: &OutputPath) -> bool;

    /// Writes an output beside `path` under a name of its own. Returns what [`Destination::stamp`] will tell
    /// of the file in its place, if that is known now.
    ///
    /// # Errors
    /// If it cannot be written, or a folder above `path` is a symbolic link or a file.
    fn stage(&self, path: &OutputPath, content: &Content<'_>) -> io::Result<Option<FileStamp>>;

    /// Puts a staged file in its place, whole or not at all.
    ///
    /// # Errors
    /// If it cannot be renamed.
    fn publish(&self, path: &OutputPath) -> io::Result<()>;

    /// Ends the publishing: every output is in its place.
    ///
    /// # Errors
    /// If a folder that was made as a whole cannot be renamed.
    fn commit(&self) -> io::Result<()>;

    /// Removes what was staged for `path`, now or when the lock is released.
    fn discard(&self, path: &OutputPath);

    /// Removes the file at `path`, and the folders that become empty. Returns false if there is no file.
    ///
    /// # Errors
    /// If it cannot be removed.
    fn remove(&self, path: &OutputPath) -> io::Result<bool>;

    /// Returns the stamp of the file at `path`; `None` without one, or if it is a symbolic link.
    fn stamp(&self, path: &OutputPath) -> Option<FileStamp>;

    /// Returns the cache of the last build, if there is one.
    fn load_cache(&self) -> Option<Vec<u8>>;

    /// Saves the cache for the next build.
    ///
    /// # Errors
    /// If it cannot be written.
    fn save_cache(&self, write: &Writer<'_>) -> io::Result<()>;

    /// Returns the checksum of the file at `path`; `None` if there is no regular file, or it cannot be read.
    fn checksum(&self, path: &OutputPath) -> Option<u64>;

    /// Returns the paths of all files in the folder, sorted, without staged ones.
    ///
    /// # Errors
    /// If a folder cannot be read.
    fn list(&self) -> io::Result<Vec<String>>;

    /// Returns true if there was no output folder when the lock was taken: it holds no file of anyone else.
    fn is_new(&self) -> bool;

    /// Returns true if two paths lead to the same file, as on a file system that does not tell upper
    /// from lower case.
    fn is_same_file(&self, a: &OutputPath, b: &OutputPath) -> bool;

    /// Returns the folder on disk; `None` for an output in memory.
    fn folder(&self) -> Option<&Path>;

    /// Returns the folder's name in messages.
    fn name(&self) -> String;
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::fingerprint::checksum;
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
        let mut disk = DiskOutput::new(out).unwrap().state(memory);
        let mut memory = MemoryOutput::default();
        let output: &mut dyn Destination = if on_disk { &mut disk } else { &mut memory };
        output.lock().unwrap();
        assert_eq!(output.manifest(), None);
        output.write_journal(&[&path("b")]).unwrap();
        let known = |name: &str, hash| (path(name), hash);
        assert_eq!(files(output.manifest()), [known("b", None)]);
        assert_eq!(output.manifest_stamp(), None);
        let manifest = Manifest {
            files: [known("a", Some(1)), known("b", Some(2))]
                .into_iter()
                .collect(),
            ..Manifest::default()
        };
        output.save_manifest(&manifest).unwrap();
        assert_eq!(output.manifest().as_ref(), Some(&manifest));
        assert!(output.manifest_stamp().is_some());
        output.write_journal(&[&path("b"), &path("c")]).unwrap();
        let unknown = [known("a", Some(1)), known("b", None), known("c", None)];
        assert_eq!(files(output.manifest()), unknown);
        assert_eq!(output.manifest_stamp(), None);
    }

    #[test]
    fn the_manifest_of_the_first_version_is_taken_over() {
        let folder = tempfile::tempdir().unwrap();
        let (out, memory) = (folder.path().join("out"), folder.path().join(".tabulae"));
        let name = checksum(out.as_os_str().as_encoded_bytes());
        let manifest = Manifest {
            files: [(path("a"), Some(1))].into_iter().collect(),
            ..Manifest::default()
        };
        std::fs::create_dir(&memory).unwrap();
        let first = memory.join(format!("manifest-{name:016x}"));
        std::fs::write(&first, manifest.to_text()).unwrap();
        let mut disk = DiskOutput::new(&out).unwrap().state(&memory);
        assert_eq!(disk.manifest().as_ref(), Some(&manifest));
        disk.lock().unwrap();
        assert!(!first.exists());
        // From now on it survives a move of the site.
        let moved = folder.path().join("moved");
        std::fs::create_dir(&moved).unwrap();
        std::fs::rename(&memory, moved.join(".tabulae")).unwrap();
        let disk = DiskOutput::new(moved.join("out"))
            .unwrap()
            .state(moved.join(".tabulae"));
        assert_eq!(disk.manifest(), Some(manifest));
    }

    #[test]
    fn folders_that_are_made_ahead_stay_only_where_something_is_published() {
        let folder = tempfile::tempdir().unwrap();
        let (out, memory) = (folder.path().join("out"), folder.path().join("memory"));
        let mut disk = DiskOutput::new(&out).unwrap().state(&memory);
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
        disk.commit().unwrap();
        disk.release();
        let lime = std::fs::read(out.join("2026/lime/index.html"));
        assert_eq!(lime.unwrap(), b"lime");
        // Where out/ is there, folders are made for what is written, and no others.
        disk.lock().unwrap();
        assert!(!disk.make_ready(&path("2026/sand/index.html")));
        assert!(!out.join("2026/sand").exists());
    }
}
