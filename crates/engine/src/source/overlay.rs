//! Sources of which some texts differ from those on disk, such as the buffers of an editor.

use std::collections::BTreeMap;
use std::io::{self, Read};
use std::path::Path;
use std::sync::Arc;

use super::{FileStamp, Sources};

/// Sources below texts that take the place of files, or are added to them.
#[derive(Debug, Clone)]
pub(crate) struct Overlay {
    sources: Arc<dyn Sources>,
    texts: BTreeMap<String, String>,
}

impl Overlay {
    /// Puts texts over `sources`, by their paths below the site's folder, with `/`.
    pub(crate) fn new(sources: Arc<dyn Sources>, texts: BTreeMap<String, String>) -> Self {
        Self { sources, texts }
    }
}

impl Sources for Overlay {
    fn list(&self, folder: &str) -> Result<Option<Vec<String>>, (String, io::Error)> {
        let listed = self.sources.list(folder)?;
        let prefix = format!("{folder}/");
        let mut added = self
            .texts
            .keys()
            .filter(|path| path.starts_with(&prefix))
            .peekable();
        if added.peek().is_none() {
            return Ok(listed);
        }
        let mut files = listed.unwrap_or_default();
        files.extend(added.cloned());
        files.sort();
        files.dedup();
        Ok(Some(files))
    }

    fn read(&self, path: &str) -> io::Result<Vec<u8>> {
        match self.texts.get(path) {
            Some(text) => Ok(text.clone().into_bytes()),
            None => self.sources.read(path),
        }
    }

    fn open(&self, path: &str) -> io::Result<Box<dyn Read + '_>> {
        match self.texts.get(path) {
            Some(text) => Ok(Box::new(text.as_bytes())),
            None => self.sources.open(path),
        }
    }

    fn stamp(&self, path: &str) -> io::Result<Option<FileStamp>> {
        match self.texts.get(path) {
            Some(text) => Ok(Some(FileStamp::of_bytes(text.as_bytes()))),
            None => self.sources.stamp(path),
        }
    }

    fn size(&self, path: &str) -> io::Result<u64> {
        match self.texts.get(path) {
            Some(text) => Ok(text.len() as u64),
            None => self.sources.size(path),
        }
    }

    fn root(&self) -> Option<&Path> {
        self.sources.root()
    }

    fn set_follow_links(&self, follow: bool) {
        self.sources.set_follow_links(follow);
    }

    fn share(&self) -> Arc<dyn Sources> {
        Arc::new(self.clone())
    }
}
