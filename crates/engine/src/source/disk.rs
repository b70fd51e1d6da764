//! The site's folder on disk.

use std::io::{self, Read};
use std::path::{Path, PathBuf};
use std::sync::Arc;
use std::sync::atomic::{AtomicBool, Ordering};

use tabulae_core::settings::FILE;
use walkdir::{DirEntry, WalkDir};

use super::{FileStamp, Sources};

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
pub struct DiskSources {
    root: PathBuf,
    /// The path of the settings, below the root.
    settings: String,
    /// Set if links may lead out of the site's folder.
    follow_links: Arc<AtomicBool>,
}

impl DiskSources {
    /// The site in the folder `root`.
    #[must_use]
    pub fn new(root: impl Into<PathBuf>) -> Self {
        Self {
            root: root.into(),
            settings: FILE.to_owned(),
            follow_links: Arc::default(),
        }
    }

    /// Sets the name of the file in the site's folder that has the settings. The default is `tabulae.toml`.
    #[must_use]
    pub fn settings(self, name: impl Into<String>) -> Self {
        Self {
            settings: name.into(),
            ..self
        }
    }
}

impl DiskSources {
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

impl Sources for DiskSources {
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

    fn stamp(&self, path: &str) -> io::Result<Option<FileStamp>> {
        Ok(FileStamp::of(&self.metadata(path)?).settled())
    }

    fn size(&self, path: &str) -> io::Result<u64> {
        Ok(self.metadata(path)?.len())
    }

    fn root(&self) -> Option<&Path> {
        Some(&self.root)
    }

    fn settings_file(&self) -> &str {
        &self.settings
    }

    fn set_follow_links(&self, follow: bool) {
        self.follow_links.store(follow, Ordering::Relaxed);
    }

    fn share(&self) -> Arc<dyn Sources> {
        Arc::new(self.clone())
    }
}
