//! The source files of a site: a folder on disk, or memory; file stamps; scans.

mod disk;
mod memory;
mod overlay;
mod scan;
mod stamp;

use std::fmt;
use std::io::{self, Read};
use std::path::Path;
use std::sync::Arc;

use tabulae_core::settings::FILE;

pub use self::disk::DiskSources;
pub(crate) use self::disk::read_regular;
pub use self::memory::MemorySources;
pub(crate) use self::overlay::Overlay;
pub(crate) use self::scan::Scan;
pub use self::stamp::FileStamp;

/// The folders of a site's sources beside those of its content sets.
pub(crate) const FOLDERS: [&str; 4] = ["assets", "pages", "templates", "terms"];

/// The files of a site. Paths are below the site's folder and hold `/` on every system.
pub trait Sources: Send + Sync + fmt::Debug {
    /// Returns the paths of all files below `folder`, sorted; `None` if there is no such folder.
    ///
    /// # Errors
    /// The path that could not be read, and the reason.
    fn list(&self, folder: &str) -> Result<Option<Vec<String>>, (String, io::Error)>;

    /// Reads a file whole.
    ///
    /// # Errors
    /// If it does not exist or cannot be read.
    fn read(&self, path: &str) -> io::Result<Vec<u8>>;

    /// Opens a file, which may be larger than memory.
    ///
    /// # Errors
    /// If it does not exist or cannot be read.
    fn open(&self, path: &str) -> io::Result<Box<dyn Read + '_>> {
        Ok(Box::new(io::Cursor::new(self.read(path)?)))
    }

    /// Returns the stamp of a file; `None` if it changed so recently that a further change could have the
    /// same stamp.
    ///
    /// # Errors
    /// If it does not exist or is not a regular file.
    fn stamp(&self, path: &str) -> io::Result<Option<FileStamp>>;

    /// Returns the length of a file in bytes.
    ///
    /// # Errors
    /// If it does not exist or is not a regular file.
    fn size(&self, path: &str) -> io::Result<u64>;

    /// Returns the site's folder on disk; `None` for sources in memory.
    fn root(&self) -> Option<&Path> {
        None
    }

    /// Returns the path of the settings.
    fn settings_file(&self) -> &str {
        FILE
    }

    /// Allows links that lead out of the site's folder, or refuses them, as `[site] follow_links` says.
    fn set_follow_links(&self, _: bool) {}

    /// Returns the same files as a shared value, for what outlives a borrow.
    fn share(&self) -> Arc<dyn Sources>;
}
