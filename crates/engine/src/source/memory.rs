//! A site in memory.

use std::collections::BTreeMap;
use std::io;
use std::sync::{Arc, Mutex, MutexGuard};

use super::{FileStamp, Sources};

use crate::threads::locked;

/// The files of a site in memory. A clone has the same files: what is written to one is seen in the other.
#[derive(Debug, Clone, Default)]
pub struct MemorySources {
    files: Arc<Mutex<BTreeMap<String, Arc<[u8]>>>>,
}

impl MemorySources {
    fn locked(&self) -> MutexGuard<'_, BTreeMap<String, Arc<[u8]>>> {
        locked(&self.files)
    }

    fn get(&self, path: &str) -> io::Result<Arc<[u8]>> {
        let found = self.locked().get(path).cloned();
        found.ok_or_else(|| io::ErrorKind::NotFound.into())
    }

    /// Adds a file, or replaces it.
    pub fn write(&self, path: &str, bytes: impl Into<Vec<u8>>) {
        self.locked().insert(path.to_owned(), bytes.into().into());
    }

    /// Returns all files by path.
    #[must_use]
    pub fn files(&self) -> BTreeMap<String, Vec<u8>> {
        let files = self.locked();
        let files = files.iter();
        files
            .map(|(path, bytes)| (path.clone(), bytes.to_vec()))
            .collect()
    }

    /// Removes a file.
    pub fn remove(&self, path: &str) {
        self.locked().remove(path);
    }
}

impl Sources for MemorySources {
    fn list(&self, folder: &str) -> Result<Option<Vec<String>>, (String, io::Error)> {
        let prefix = format!("{folder}/");
        let files = self.locked();
        let files = files.keys().filter(|path| path.starts_with(&prefix));
        let files: Vec<String> = files.cloned().collect();
        Ok((!files.is_empty()).then_some(files))
    }

    fn read(&self, path: &str) -> io::Result<Vec<u8>> {
        Ok(self.get(path)?.to_vec())
    }

    fn stamp(&self, path: &str) -> io::Result<Option<FileStamp>> {
        Ok(Some(FileStamp::of_bytes(&self.get(path)?)))
    }

    fn size(&self, path: &str) -> io::Result<u64> {
        Ok(self.get(path)?.len() as u64)
    }

    fn share(&self) -> Arc<dyn Sources> {
        Arc::new(self.clone())
    }
}
