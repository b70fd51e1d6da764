//! Where a site's files are read from: a folder on disk, or memory.

use std::collections::BTreeMap;
use std::fmt;
use std::io::{self, Read};
use std::path::{Path, PathBuf};
use std::sync::Arc;
use std::sync::atomic::{AtomicBool, Ordering};
use std::time::{Duration, SystemTime, UNIX_EPOCH};

use serde::{Deserialize, Serialize};

use walkdir::{DirEntry, WalkDir};

use crate::output::checksum;

/// The folders of a site's sources beside those of its content sets.
pub(crate) const FOLDERS: [&str; 4] = ["assets", "pages", "templates", "terms"];

/// The files of a site. Paths are below the site's folder and hold `/` on every system.
pub trait Sources: Sync + fmt::Debug {
    /// All files below `folder`, sorted by path; `None` where there is no such folder.
    ///
    /// # Errors
    /// The path that could not be read, and why.
    fn list(&self, folder: &str) -> Result<Option<Vec<String>>, (String, io::Error)>;

    /// The bytes of a file.
    ///
    /// # Errors
    /// Where it is not there or cannot be read.
    fn read(&self, path: &str) -> io::Result<Vec<u8>>;

    /// Opens a file, which may be larger than memory.
    ///
    /// # Errors
    /// Where it is not there or cannot be read.
    fn open(&self, path: &str) -> io::Result<Box<dyn Read + '_>> {
        Ok(Box::new(io::Cursor::new(self.read(path)?)))
    }

    /// What tells, without reading a file, that it is as it was; `None` where it was changed just
    /// now, so that a further change might not be told.
    ///
    /// # Errors
    /// Where it is not there or is no file.
    fn mark(&self, path: &str) -> io::Result<Option<Mark>>;

    /// The length of a file in bytes.
    ///
    /// # Errors
    /// Where it is not there or is no file.
    fn size(&self, path: &str) -> io::Result<u64>;

    /// Returns the site's folder on disk; `None` for sources in memory.
    fn root(&self) -> Option<&Path> {
        None
    }

    /// Allows links that lead out of the site's folder, or refuses them, as `[site] follow_links` says.
    fn set_follow_links(&self, _: bool) {}

    /// The same files, for what outlives a borrow.
    fn share(&self) -> Arc<dyn Sources + Send>;
}

/// What tells that a file is as it was.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize)]
pub struct Mark {
    /// Bytes.
    pub length: u64,
    /// When it was changed, in nanoseconds since 1970; in memory the hash of its bytes.
    pub changed: u64,
}

impl Mark {
    /// Of a file on disk: on Unix by the time of its inode's change, which no program sets.
    #[must_use]
    pub fn of(found: &std::fs::Metadata) -> Self {
        Self {
            length: found.len(),
            changed: changed(found),
        }
    }

    /// Of bytes in memory.
    #[must_use]
    pub fn of_bytes(bytes: &[u8]) -> Self {
        Self {
            length: bytes.len() as u64,
            changed: checksum(bytes),
        }
    }

    /// Unless the file was changed less than a tick of the file system's clock ago.
    fn settled(self) -> Option<Self> {
        let now = SystemTime::now().duration_since(UNIX_EPOCH).ok()?;
        let tick = Duration::from_millis(50);
        (Duration::from_nanos(self.changed) + tick < now).then_some(self)
    }
}

#[cfg(unix)]
fn changed(found: &std::fs::Metadata) -> u64 {
    use std::os::unix::fs::MetadataExt;
    let nanoseconds = found.ctime() * 1_000_000_000 + found.ctime_nsec();
    nanoseconds.unsigned_abs()
}

#[cfg(not(unix))]
fn changed(found: &std::fs::Metadata) -> u64 {
    let modified = found.modified().ok();
    let since = modified.and_then(|time| time.duration_since(UNIX_EPOCH).ok());
    since.map_or(0, |since| {
        u64::try_from(since.as_nanos()).unwrap_or(u64::MAX)
    })
}

/// Returns the metadata of a regular file.
fn regular(path: &Path) -> io::Result<std::fs::Metadata> {
    let found = std::fs::metadata(path)?;
    if found.is_file() {
        Ok(found)
    } else if found.is_dir() {
        Err(io::ErrorKind::IsADirectory.into())
    } else {
        let what = "it is a pipe, a socket or a device, not a regular file";
        Err(io::Error::new(io::ErrorKind::InvalidInput, what))
    }
}

/// Reads a regular file: to open a pipe would wait for its writer.
pub(crate) fn read_regular(path: &Path) -> io::Result<Vec<u8>> {
    regular(path)?;
    std::fs::read(path)
}

/// A site's folder on disk.
#[derive(Debug, Clone)]
pub struct Disk {
    root: PathBuf,
    /// Set if links may lead out of the site's folder.
    follow_links: Arc<AtomicBool>,
}

impl Disk {
    /// The site in the folder `root`.
    #[must_use]
    pub fn new(root: impl Into<PathBuf>) -> Self {
        Self {
            root: root.into(),
            follow_links: Arc::default(),
        }
    }
}

impl Disk {
    fn metadata(&self, path: &str) -> io::Result<std::fs::Metadata> {
        regular(&self.root.join(path))
    }

    /// All files below `top`. Symbolic links are followed; only where there are any is each
    /// entry looked at for that.
    fn walk(&self, top: &Path, folder: &str) -> Result<Vec<DirEntry>, (String, io::Error)> {
        for follow in [false, true] {
            let walk = WalkDir::new(top).follow_links(follow);
            let entries: Result<Vec<DirEntry>, walkdir::Error> = walk.into_iter().collect();
            let mut entries = entries.map_err(|error| {
                let path = error
                    .path()
                    .and_then(|path| path.strip_prefix(&self.root).ok());
                let path =
                    path.map_or_else(|| folder.to_owned(), |path| path.display().to_string());
                (path, error.into())
            })?;
            if follow || !entries.iter().any(DirEntry::path_is_symlink) {
                if follow && !self.follow_links.load(Ordering::Relaxed) {
                    self.check_links(top, &entries)?;
                }
                entries.retain(|entry| !entry.file_type().is_dir());
                return Ok(entries);
            }
        }
        Ok(Vec::new())
    }

    /// Checks that no link below `top` leads out of the site's folder; `top` itself may be a link.
    fn check_links(&self, top: &Path, entries: &[DirEntry]) -> Result<(), (String, io::Error)> {
        let whole = |path: &Path| path.canonicalize().unwrap_or_else(|_| path.to_owned());
        let (root, real_top) = (whole(&self.root), whole(top));
        let links = entries
            .iter()
            .filter(|entry| entry.depth() > 0 && entry.path_is_symlink());
        for link in links {
            let target = whole(link.path());
            if !target.starts_with(&root) && !target.starts_with(&real_top) {
                let path = link.path().strip_prefix(&self.root).unwrap_or(link.path());
                let what = format!(
                    "it is a link out of the site's folder, to {}",
                    target.display()
                );
                let error = io::Error::new(io::ErrorKind::CrossesDevices, what);
                return Err((path.display().to_string(), error));
            }
        }
        Ok(())
    }
}

impl Sources for Disk {
    fn list(&self, folder: &str) -> Result<Option<Vec<String>>, (String, io::Error)> {
        let top = self.root.join(folder);
        if !top.is_dir() {
            return Ok(None);
        }
        let mut files = Vec::new();
        for entry in self.walk(&top, folder)? {
            let below = entry
                .path()
                .strip_prefix(&self.root)
                .unwrap_or(entry.path());
            let steps: Option<Vec<&str>> = below.iter().map(|step| step.to_str()).collect();
            match steps {
                Some(steps) => files.push(steps.join("/")),
                None => {
                    let why =
                        io::Error::new(io::ErrorKind::InvalidData, "the file's name is not UTF-8");
                    return Err((below.display().to_string(), why));
                }
            }
        }
        files.sort();
        Ok(Some(files))
    }

    fn read(&self, path: &str) -> io::Result<Vec<u8>> {
        read_regular(&self.root.join(path))
    }

    fn open(&self, path: &str) -> io::Result<Box<dyn Read + '_>> {
        let path = self.root.join(path);
        regular(&path)?;
        Ok(Box::new(std::fs::File::open(path)?))
    }

    fn mark(&self, path: &str) -> io::Result<Option<Mark>> {
        Ok(Mark::of(&self.metadata(path)?).settled())
    }

    fn size(&self, path: &str) -> io::Result<u64> {
        Ok(self.metadata(path)?.len())
    }

    fn root(&self) -> Option<&Path> {
        Some(&self.root)
    }

    fn set_follow_links(&self, follow: bool) {
        self.follow_links.store(follow, Ordering::Relaxed);
    }

    fn share(&self) -> Arc<dyn Sources + Send> {
        Arc::new(self.clone())
    }
}

/// A site in memory, for tests and tools.
#[derive(Debug, Clone, Default)]
pub struct Memory {
    files: BTreeMap<String, Vec<u8>>,
}

impl Memory {
    /// Puts a file there, or replaces it.
    pub fn write(&mut self, path: &str, bytes: impl Into<Vec<u8>>) {
        self.files.insert(path.to_owned(), bytes.into());
    }

    /// All files by path.
    #[must_use]
    pub fn files(&self) -> BTreeMap<String, Vec<u8>> {
        self.files.clone()
    }

    /// Takes a file away.
    pub fn remove(&mut self, path: &str) {
        self.files.remove(path);
    }
}

impl Sources for Memory {
    fn list(&self, folder: &str) -> Result<Option<Vec<String>>, (String, io::Error)> {
        let prefix = format!("{folder}/");
        let files: Vec<String> = self
            .files
            .keys()
            .filter(|path| path.starts_with(&prefix))
            .cloned()
            .collect();
        Ok((!files.is_empty()).then_some(files))
    }

    fn read(&self, path: &str) -> io::Result<Vec<u8>> {
        self.files
            .get(path)
            .cloned()
            .ok_or_else(|| io::ErrorKind::NotFound.into())
    }

    fn mark(&self, path: &str) -> io::Result<Option<Mark>> {
        let found = self.files.get(path).ok_or(io::ErrorKind::NotFound)?;
        Ok(Some(Mark::of_bytes(found)))
    }

    fn size(&self, path: &str) -> io::Result<u64> {
        let found = self.files.get(path).ok_or(io::ErrorKind::NotFound)?;
        Ok(found.len() as u64)
    }

    fn share(&self) -> Arc<dyn Sources + Send> {
        Arc::new(self.clone())
    }
}
