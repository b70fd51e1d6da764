//! An output in memory, for tests and tools.

use std::collections::BTreeMap;
use std::io;
use std::path::Path;
use std::sync::{Mutex, MutexGuard};

use tabulae_core::route::OutputPath;

use super::{Content, Destination, Found, Manifest, Writer};
use crate::fingerprint::checksum;
use crate::source::FileStamp;
use crate::threads::locked;

/// Files in memory, with a count of how often each was written.
#[derive(Debug, Default)]
pub struct MemoryOutput {
    state: Mutex<State>,
}

#[derive(Debug, Default)]
struct State {
    files: BTreeMap<String, Vec<u8>>,
    staged: BTreeMap<String, Vec<u8>>,
    published: Vec<String>,
    manifest: Option<Manifest>,
    in_progress: Option<Vec<OutputPath>>,
    kept: Option<Vec<u8>>,
}

impl MemoryOutput {
    fn state(&self) -> MutexGuard<'_, State> {
        locked(&self.state)
    }

    /// All files by path.
    #[must_use]
    pub fn files(&self) -> BTreeMap<String, Vec<u8>> {
        self.state().files.clone()
    }

    /// A file's text.
    #[must_use]
    pub fn text(&self, path: &str) -> Option<String> {
        self.state()
            .files
            .get(path)
            .map(|bytes| String::from_utf8_lossy(bytes).into_owned())
    }

    /// Puts a file there as someone else would.
    pub fn put(&self, path: &str, bytes: impl Into<Vec<u8>>) {
        self.state().files.insert(path.to_owned(), bytes.into());
    }

    /// The paths written since the last call, sorted.
    #[must_use]
    pub fn take_published(&self) -> Vec<String> {
        let mut published = std::mem::take(&mut self.state().published);
        published.sort();
        published
    }

    /// Forgets what was written, as when `.tabulae/` is deleted.
    pub fn forget(&self) {
        let mut state = self.state();
        state.manifest = None;
        state.in_progress = None;
        state.kept = None;
    }
}

impl Destination for MemoryOutput {
    fn lock(&mut self) -> io::Result<()> {
        self.state().staged.clear();
        Ok(())
    }

    fn release(&mut self) {}

    fn manifest(&self) -> Option<Manifest> {
        let state = self.state();
        let known = state.manifest.clone();
        match &state.in_progress {
            Some(paths) => Some(known.unwrap_or_default().with_in_progress(paths)),
            None => known,
        }
    }

    fn write_journal(&self, paths: &[&OutputPath]) -> io::Result<()> {
        let paths = paths.iter().map(|path| (*path).clone());
        self.state().in_progress = Some(paths.collect());
        Ok(())
    }

    fn save_manifest(&self, manifest: &Manifest) -> io::Result<()> {
        let mut state = self.state();
        state.manifest = Some(manifest.clone());
        state.in_progress = None;
        Ok(())
    }

    fn manifest_stamp(&self) -> Option<FileStamp> {
        let state = self.state();
        if state.in_progress.is_some() {
            return None;
        }
        let text = state.manifest.as_ref()?.to_text();
        Some(FileStamp::of_bytes(text.as_bytes()))
    }

    fn compare(&self, path: &OutputPath, content: &Content<'_>) -> io::Result<Found> {
        let state = self.state();
        let Some(mut there) = state.files.get(path.as_str()).map(Vec::as_slice) else {
            return Ok(Found::Nothing);
        };
        let is_same = content.equals(&mut there)?;
        Ok(if is_same {
            Found::Same
        } else {
            Found::Different
        })
    }

    fn is_new(&self) -> bool {
        false
    }

    fn is_same_file(&self, a: &OutputPath, b: &OutputPath) -> bool {
        a == b
    }

    fn folder(&self) -> Option<&Path> {
        None
    }

    fn make_ready(&self, _: &OutputPath) -> bool {
        false
    }

    fn stage(&self, path: &OutputPath, content: &Content<'_>) -> io::Result<Option<FileStamp>> {
        let mut bytes = Vec::new();
        content.copy_to(&mut bytes)?;
        let mark = FileStamp::of_bytes(&bytes);
        self.state().staged.insert(path.to_string(), bytes);
        Ok(Some(mark))
    }

    fn publish(&self, path: &OutputPath) -> io::Result<()> {
        let mut state = self.state();
        let bytes = state
            .staged
            .remove(path.as_str())
            .ok_or(io::ErrorKind::NotFound)?;
        state.files.insert(path.to_string(), bytes);
        state.published.push(path.to_string());
        Ok(())
    }

    fn commit(&self) -> io::Result<()> {
        Ok(())
    }

    fn discard(&self, path: &OutputPath) {
        self.state().staged.remove(path.as_str());
    }

    fn remove(&self, path: &OutputPath) -> io::Result<bool> {
        Ok(self.state().files.remove(path.as_str()).is_some())
    }

    fn stamp(&self, path: &OutputPath) -> Option<FileStamp> {
        self.state()
            .files
            .get(path.as_str())
            .map(|bytes| FileStamp::of_bytes(bytes))
    }

    fn checksum(&self, path: &OutputPath) -> Option<u64> {
        let state = self.state();
        state.files.get(path.as_str()).map(|bytes| checksum(bytes))
    }

    fn load_cache(&self) -> Option<Vec<u8>> {
        self.state().kept.clone()
    }

    fn save_cache(&self, write: &Writer<'_>) -> io::Result<()> {
        let mut bytes = Vec::new();
        write(&mut bytes)?;
        self.state().kept = Some(bytes);
        Ok(())
    }

    fn list(&self) -> io::Result<Vec<String>> {
        Ok(self.state().files.keys().cloned().collect())
    }

    fn name(&self) -> String {
        "out".to_owned()
    }
}
