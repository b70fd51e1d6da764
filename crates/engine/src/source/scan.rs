//! A scan of all source files with their stamps.

use std::collections::BTreeMap;
use std::io;
use std::sync::Arc;

use rayon::prelude::*;
use tabulae_core::settings::Settings;

use super::{FOLDERS, FileStamp, Sources};

/// The files of a site with their stamps, taken before any file is read: a later change is found by the
/// next build.
#[derive(Debug)]
pub(crate) struct Scan<'a> {
    sources: &'a dyn Sources,
    /// The folders that could be listed, and whether they are there.
    pub(crate) folders: BTreeMap<String, bool>,
    pub(crate) files: Arc<BTreeMap<String, Option<FileStamp>>>,
    /// Set if every folder could be listed.
    pub(crate) whole: bool,
}

impl<'a> Scan<'a> {
    pub(crate) fn new(sources: &'a dyn Sources, settings: &Settings) -> Self {
        let mut scan = Self {
            sources,
            folders: BTreeMap::new(),
            files: Arc::default(),
            whole: true,
        };
        let mut found = Vec::new();
        for folder in Self::wanted(settings) {
            match sources.list(folder) {
                Ok(files) => {
                    scan.folders.insert(folder.to_owned(), files.is_some());
                    found.extend(files.unwrap_or_default());
                }
                Err(_) => scan.whole = false,
            }
        }
        let stamped = found.into_par_iter().map(|path| {
            let stamp = sources.stamp(&path).ok().flatten();
            (path, stamp)
        });
        // Collected as a list first: a map that threads fill grows by one file at a time.
        let stamped: Vec<_> = stamped.collect();
        scan.files = Arc::new(stamped.into_iter().collect());
        scan
    }

    /// The files as the last build found them (its folders and its files), where none but
    /// `changed` may be otherwise; `None` where any came or went, so that all must be looked at.
    pub(crate) fn again(
        sources: &'a dyn Sources,
        settings: &Settings,
        (folders, files): (
            &BTreeMap<String, bool>,
            &BTreeMap<String, Option<FileStamp>>,
        ),
        changed: &[String],
    ) -> Option<Self> {
        let mut wanted = Self::wanted(settings);
        if !wanted.all(|folder| folders.contains_key(folder)) {
            return None;
        }
        let mut files = files.clone();
        let fresh = files.iter().filter(|(_, stamp)| stamp.is_none());
        let fresh: Vec<String> = fresh.map(|(path, _)| path.clone()).collect();
        for path in fresh.iter().chain(changed) {
            let stamp = sources.stamp(path);
            let gone = matches!(&stamp, Err(error) if error.kind() == io::ErrorKind::NotFound);
            if let Some(known) = files.get_mut(path) {
                *known = stamp.ok()?;
            } else if !gone || holds_any(&files, path) {
                return None;
            }
            // Else an editor wrote it beside a file, and took it away again.
        }
        Some(Self {
            sources,
            folders: folders.clone(),
            files: Arc::new(files),
            whole: true,
        })
    }

    /// The folders of a site that hold its files.
    fn wanted(settings: &Settings) -> impl Iterator<Item = &str> {
        let sets = settings.content.iter().map(|set| set.folder.as_str());
        sets.chain(FOLDERS)
    }

    /// Returns the files that changed, at most `most`; `None` if there are more, if any was added or
    /// removed, or if that is not known.
    pub(crate) fn changed(
        &self,
        old: &BTreeMap<String, Option<FileStamp>>,
        most: usize,
    ) -> Option<Vec<String>> {
        if !self.whole || self.files.len() != old.len() {
            return None;
        }
        let mut changed = Vec::new();
        for ((path, stamp), (old_path, old_stamp)) in self.files.iter().zip(old) {
            if path != old_path || changed.len() > most {
                return None;
            }
            if stamp.is_none() || stamp != old_stamp {
                changed.push(path.clone());
            }
        }
        (changed.len() <= most).then_some(changed)
    }

    /// Returns true if these are the same files, all unchanged.
    pub(crate) fn is(&self, old: &BTreeMap<String, Option<FileStamp>>) -> bool {
        self.whole && *self.files == *old && self.files.values().all(Option::is_some)
    }
}

/// Returns true if any file is in a folder.
fn holds_any(files: &BTreeMap<String, Option<FileStamp>>, folder: &str) -> bool {
    let prefix = format!("{folder}/");
    let next = files.range(prefix.clone()..).next();
    next.is_some_and(|(path, _)| path.starts_with(&prefix))
}

impl Sources for Scan<'_> {
    fn list(&self, folder: &str) -> Result<Option<Vec<String>>, (String, io::Error)> {
        match self.folders.get(folder) {
            None => self.sources.list(folder),
            Some(false) => Ok(None),
            Some(true) => {
                let prefix = format!("{folder}/");
                let within = self
                    .files
                    .range(prefix.clone()..)
                    .map(|(path, _)| path)
                    .take_while(|path| path.starts_with(&prefix));
                Ok(Some(within.cloned().collect()))
            }
        }
    }

    fn read(&self, path: &str) -> io::Result<Vec<u8>> {
        self.sources.read(path)
    }

    fn open(&self, path: &str) -> io::Result<Box<dyn io::Read + '_>> {
        self.sources.open(path)
    }

    fn stamp(&self, path: &str) -> io::Result<Option<FileStamp>> {
        match self.files.get(path) {
            Some(stamp) => Ok(*stamp),
            None => self.sources.stamp(path),
        }
    }

    fn size(&self, path: &str) -> io::Result<u64> {
        match self.files.get(path) {
            Some(Some(stamp)) => Ok(stamp.length),
            _ => self.sources.size(path),
        }
    }

    fn share(&self) -> Arc<dyn Sources> {
        self.sources.share()
    }
}
