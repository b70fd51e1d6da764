//! The folder of pages that another program made.

use std::fs;
use std::io;
use std::path::{Path, PathBuf};

use tabulae_core::diagnostic::{Code, Diagnostic};
use tabulae_core::source::Source;
use walkdir::WalkDir;

use crate::publish::is_woven_page;

/// A folder of HTML pages on disk.
#[derive(Debug, Clone)]
pub(crate) struct PageFolder {
    root: PathBuf,
}

/// The ending of a page that is being written.
const STAGED: &str = ".tabulae-part";

impl PageFolder {
    /// The folder `root`.
    #[must_use]
    pub(crate) fn new(root: impl Into<PathBuf>) -> Self {
        Self { root: root.into() }
    }

    /// A page's path for people.
    pub(super) fn shown(&self, path: &str) -> String {
        self.root.join(path).display().to_string()
    }

    /// The paths of all pages below the folder, with `/`, sorted. Hidden folders are passed over,
    /// and symbolic links, so that nothing outside the folder is written.
    ///
    /// # Errors
    /// Where there is no such folder, or it cannot be read.
    pub(super) fn pages(&self) -> Result<Vec<String>, Box<Diagnostic>> {
        let is_hidden = |name: &std::ffi::OsStr| name.as_encoded_bytes().starts_with(b".");
        let walk = WalkDir::new(&self.root).sort_by_file_name().into_iter();
        let walk = walk.filter_entry(|entry| entry.depth() == 0 || !is_hidden(entry.file_name()));
        let mut pages = Vec::new();
        for entry in walk {
            let entry = entry.map_err(|error| self.unreadable(&error))?;
            if entry.depth() == 0 && !entry.path().is_dir() {
                return Err(self.diagnostic("is no folder"));
            }
            let below = entry
                .path()
                .strip_prefix(&self.root)
                .unwrap_or(entry.path());
            if entry.file_type().is_file() && is_woven_page(below) {
                let steps = below.iter().map(|step| step.to_string_lossy());
                pages.push(steps.collect::<Vec<_>>().join("/"));
            }
        }
        Ok(pages)
    }

    fn unreadable(&self, error: &walkdir::Error) -> Box<Diagnostic> {
        match error.io_error().map(io::Error::kind) {
            Some(io::ErrorKind::NotFound) if error.depth() == 0 => self.diagnostic("is not there"),
            _ => self.diagnostic(&format!("cannot be read: {error}")),
        }
    }

    fn diagnostic(&self, what: &str) -> Box<Diagnostic> {
        let name = self.root.display().to_string();
        let location = Source::command_line(&name).top();
        let diagnostic =
            Diagnostic::error(Code::InvalidUsage, location, format!("`{name}` {what}"));
        Box::new(diagnostic.help("name the folder of the pages to be filled"))
    }

    pub(super) fn read(&self, path: &str) -> io::Result<Vec<u8>> {
        fs::read(self.root.join(path))
    }

    /// Puts other bytes in the place of a page, whole or not at all. Who may read it stays.
    pub(super) fn replace(&self, path: &str, bytes: &[u8]) -> io::Result<()> {
        let path = self.root.join(path);
        let mut staged = path.clone().into_os_string();
        staged.push(STAGED);
        let staged = Path::new(&staged);
        let put = || {
            fs::write(staged, bytes)?;
            fs::set_permissions(staged, fs::metadata(&path)?.permissions())?;
            fs::rename(staged, &path)
        };
        put().inspect_err(|_| {
            let _ = fs::remove_file(staged);
        })
    }
}
