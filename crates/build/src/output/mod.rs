//! Where a build writes to: a folder on disk, or memory.

mod disk;
mod manifest;
mod memory;

use std::fmt;
use std::io;

use crate::sources::Mark;

pub use self::disk::Disk;
pub use self::manifest::{Manifest, Published, checksum};
pub use self::memory::Memory;

/// Writes something piece by piece.
pub type Writer<'a> = dyn Fn(&mut dyn io::Write) -> io::Result<()> + 'a;

/// The files of `out/`. Paths are below it and hold `/` on every system.
pub trait Output: Sync + fmt::Debug {
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

    /// Remembers what this build writes.
    ///
    /// # Errors
    /// Where it cannot be written.
    fn remember(&self, manifest: &Manifest) -> io::Result<()>;

    /// What tells that what is remembered is as it was left; `None` where nothing is.
    fn remembered(&self) -> Option<Mark>;

    /// The bytes that stand at `path`; `None` where there is no file. A symbolic link is no file.
    ///
    /// # Errors
    /// Where they cannot be read, or a folder stands there.
    fn read(&self, path: &str) -> io::Result<Option<Vec<u8>>>;

    /// Writes `bytes` beside `path` under a name of its own. What [`Output::mark`] will tell of
    /// the file in its place, where that is known now.
    ///
    /// # Errors
    /// Where it cannot be written, or a folder above `path` is a symbolic link or a file.
    fn stage(&self, path: &str, bytes: &[u8]) -> io::Result<Option<Mark>>;

    /// Puts what was staged in its place, whole or not at all.
    ///
    /// # Errors
    /// Where it cannot be renamed.
    fn publish(&self, path: &str) -> io::Result<()>;

    /// Ends the publishing: now everything stands in its place.
    ///
    /// # Errors
    /// Where a folder that was made as a whole cannot be renamed.
    fn settle(&self) -> io::Result<()>;

    /// Takes away what was staged for `path`.
    fn discard(&self, path: &str);

    /// Removes the file at `path`, and the folders that are empty then.
    ///
    /// # Errors
    /// Where it is there and cannot be removed.
    fn remove(&self, path: &str) -> io::Result<()>;

    /// What tells, without reading the file at `path`, that it is as it was; `None` where there is
    /// none, or a symbolic link.
    fn mark(&self, path: &str) -> Option<Mark>;

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

    /// The output's name for people.
    fn name(&self) -> String;
}
