//! The output folder on disk. Each file is written beside its place and then renamed, so that it is old or
//! new at every moment. No symbolic link within the folder is followed. A folder that does not exist yet is
//! made as a whole in the state folder, and renamed.

use std::fs::{self, File, TryLockError};
use std::io::{self, BufWriter};
use std::path::{Path, PathBuf};
use std::sync::{Mutex, MutexGuard, OnceLock};

use indexmap::IndexMap;
use rayon::prelude::*;
use tabulae_core::route::{OutputPath, folder_of};

use super::{Content, Destination, Found, Manifest, Writer, unwritable};
use crate::error::Error;
use crate::fingerprint::{checksum, checksum_of};
use crate::source::{FileStamp, read_regular};
use crate::threads::locked;

/// The ending of files that are being written.
const STAGED: &str = ".tabulae-part";

/// An output folder on disk.
///
/// Manifest, journal and cache are in the state folder, which is `.tabulae` in the site's folder unless it is
/// [set](DiskOutput::state).
#[derive(Debug)]
pub struct DiskOutput {
    name: String,
    out: PathBuf,
    state: Option<PathBuf>,
    lock: Option<File>,
    /// The folders that are known to exist, by their paths below `out`, and whether this build made them.
    folders: Mutex<IndexMap<String, bool>>,
    new: OnceLock<bool>,
    /// The folder in which a new output folder is made as a whole, if that is possible.
    whole: OnceLock<Option<PathBuf>>,
    /// Set if each output is synced before it is put in its place.
    syncs: bool,
    /// Counts the steps of publishing, and ends a build at one of them, as a kill would.
    #[cfg(test)]
    pub(crate) steps: super::steps::Steps,
}

impl DiskOutput {
    /// Returns the output folder at `out`, which may not exist yet.
    ///
    /// # Errors
    /// If something else than a folder is there.
    pub fn new(out: impl Into<PathBuf>) -> Result<Self, Error> {
        let out = out.into();
        let name = out.display().to_string();
        if fs::metadata(&out).is_ok_and(|found| !found.is_dir()) {
            let error = io::Error::new(io::ErrorKind::NotADirectory, "it is not a folder");
            return Err(unwritable(&name, &error).into());
        }
        Ok(Self {
            name,
            out,
            state: None,
            lock: None,
            folders: Mutex::default(),
            new: OnceLock::new(),
            whole: OnceLock::new(),
            syncs: false,
            #[cfg(test)]
            steps: super::steps::Steps::default(),
        })
    }

    /// Sets the name in messages; the default is the path as given.
    #[must_use]
    pub fn named(self, name: impl Into<String>) -> Self {
        Self {
            name: name.into(),
            ..self
        }
    }

    /// Sets the folder for manifest, journal and cache. One folder may serve several output folders.
    #[must_use]
    pub fn state(self, folder: impl Into<PathBuf>) -> Self {
        Self {
            state: Some(folder.into()),
            ..self
        }
    }

    /// Syncs each output before it is put in its place, so that a server of the folder never serves an empty
    /// or short file after a power cut. Takes some milliseconds a file.
    #[must_use]
    pub fn sync(self, syncs: bool) -> Self {
        Self { syncs, ..self }
    }

    /// The state folder; beside the output folder, if none is set.
    fn state_folder(&self) -> PathBuf {
        let beside = || self.out.parent().unwrap_or(Path::new("")).join(".tabulae");
        self.state.clone().unwrap_or_else(beside)
    }

    /// Marks a moment between two changes on the disk, at which a test can end the build.
    #[cfg(test)]
    fn step(&self) {
        self.steps.take();
    }

    /// Marks a moment between two changes on the disk, at which a test can end the build.
    #[cfg(not(test))]
    #[inline]
    fn step(&self) {
        let _ = self;
    }

    /// Puts a file in another's place, whole or not at all.
    ///
    /// A file system that renames over a file first writes the new one out to the disk, which for
    /// thousands takes many times as long as to write them. Where names can be exchanged, that is
    /// spared, and the old file, which then has the name of the staged one, is removed.
    #[cfg(target_os = "linux")]
    fn put(&self, staged: &Path, path: &Path) -> io::Result<()> {
        use rustix::fs::{CWD, RenameFlags, renameat_with};
        match renameat_with(CWD, staged, CWD, path, RenameFlags::EXCHANGE) {
            Ok(()) => {
                self.step();
                fs::remove_file(staged)
            }
            Err(_) => fs::rename(staged, path),
        }
    }

    /// Puts a file in another's place, whole or not at all.
    #[cfg(not(target_os = "linux"))]
    fn put(&self, staged: &Path, path: &Path) -> io::Result<()> {
        fs::rename(staged, path)
    }

    /// Writes a file so that it is old or new at every moment, also after a power cut: its bytes are on the
    /// disk before its name is.
    fn write_whole(&self, path: &Path, write: &Writer<'_>) -> io::Result<()> {
        let beside = path.with_extension("part");
        let mut to = BufWriter::with_capacity(1 << 16, create_new(&beside)?);
        self.step();
        write(&mut to)?;
        let file = to.into_inner()?;
        self.step();
        file.sync_data()?;
        self.step();
        fs::rename(&beside, path)?;
        self.step();
        Ok(())
    }

    /// One manifest for each folder that is written to: by its path relative to the site's folder,
    /// which holds the memory, so that a site can be moved; by its absolute path outside of that.
    fn manifest_path(&self) -> PathBuf {
        let [manifest, first] = self.manifest_paths();
        if manifest.exists() || !first.exists() {
            manifest
        } else {
            first
        }
    }

    /// The path of the manifest, and the path that the first version of the program gave it.
    fn manifest_paths(&self) -> [PathBuf; 2] {
        let absolute = |path: &Path| std::path::absolute(path).unwrap_or_else(|_| path.to_owned());
        let (out, state) = (absolute(&self.out), absolute(&self.state_folder()));
        let below = state.parent().and_then(|site| out.strip_prefix(site).ok());
        let name = below.unwrap_or(&out).as_os_str();
        let path = |name: u64| state.join(format!("manifest-{name:016x}"));
        // The first version named all of them by the absolute path.
        let names = [name, out.as_os_str()];
        names.map(|name| path(checksum(name.as_encoded_bytes())))
    }

    /// Gives the files of the first version the names of this one.
    fn rename_first(&self) -> io::Result<()> {
        let [manifest, first] = self.manifest_paths();
        if manifest.exists() || !first.exists() {
            return Ok(());
        }
        for ending in ["way", "cache"] {
            let (from, to) = (
                first.with_extension(ending),
                manifest.with_extension(ending),
            );
            match fs::rename(from, to) {
                Err(error) if error.kind() != io::ErrorKind::NotFound => return Err(error),
                _ => self.step(),
            }
        }
        fs::rename(first, manifest)
    }

    /// The journal: the paths that a build is about to put in place.
    fn journal_path(&self) -> PathBuf {
        self.manifest_path().with_extension("way")
    }

    /// The folder in which a new output folder is made as a whole, if it can be renamed from there.
    fn whole(&self) -> Option<&Path> {
        let whole = self.whole.get_or_init(|| {
            let above = std::path::absolute(&self.out).ok()?.parent()?.to_owned();
            let can = self.is_new() && same_device(&above, &self.state_folder());
            can.then(|| self.manifest_path().with_extension("new"))
        });
        whole.as_deref()
    }

    /// The folder that files are staged in.
    fn base(&self) -> &Path {
        self.whole().unwrap_or(&self.out)
    }

    fn staged(&self, path: &str) -> PathBuf {
        if let Some(whole) = self.whole() {
            return whole.join(path);
        }
        let (folder, name) = path.rsplit_once('/').unwrap_or(("", path));
        self.out.join(folder).join(format!(".{name}{STAGED}"))
    }

    /// Makes the folders above `path`, none of which may be a symbolic link.
    fn make_folders(&self, path: &str) -> io::Result<()> {
        let folder = folder_of(path);
        if self.known().contains_key(folder) {
            return Ok(());
        }
        if folder.is_empty() {
            return self.make_folder(folder);
        }
        self.make_folders(folder)?;
        self.make_folder(folder)
    }

    fn known(&self) -> MutexGuard<'_, IndexMap<String, bool>> {
        locked(&self.folders)
    }

    /// Makes a folder below `out/` (or `out/` itself), or finds it there.
    fn make_folder(&self, folder: &str) -> io::Result<()> {
        let whole = self.base().join(folder);
        let within = !folder.is_empty();
        let made = if within {
            fs::create_dir(&whole)
        } else {
            fs::create_dir_all(&whole)
        };
        self.step();
        let new = match made {
            Ok(()) => within,
            Err(error) if error.kind() == io::ErrorKind::AlreadyExists => {
                check_folder(&whole, within)?;
                false
            }
            Err(error) => return Err(error),
        };
        // Of two threads the one that found the folder there may say so before the one that made it.
        *self.known().entry(folder.to_owned()).or_insert(false) |= new;
        Ok(())
    }

    fn tidy(&self) {
        let _ = fs::remove_dir_all(self.manifest_path().with_extension("new"));
        for entry in walkdir::WalkDir::new(&self.out)
            .into_iter()
            .filter_map(Result::ok)
        {
            let is_left = entry
                .file_name()
                .to_str()
                .is_some_and(|name| name.ends_with(STAGED));
            if entry.file_type().is_file() && is_left {
                let _ = fs::remove_file(entry.path());
                self.step();
                let below = entry
                    .path()
                    .strip_prefix(&self.out)
                    .ok()
                    .and_then(Path::to_str);
                self.prune(folder_of(below.unwrap_or_default()));
            }
        }
    }

    /// Removes the folders of `folder` upwards that are empty, not `out` itself.
    fn prune(&self, mut folder: &str) {
        while !folder.is_empty() && fs::remove_dir(self.out.join(folder)).is_ok() {
            self.step();
            self.known().swap_remove(folder);
            folder = folder_of(folder);
        }
    }
}

/// Returns the files below a folder, but those that are staged, by their paths below it, in the order of a walk that takes each
/// folder by the names in it. Symbolic links are files. The folders of a level are read side by side.
fn files_below(folder: &Path) -> io::Result<Vec<String>> {
    let mut files = Vec::new();
    let mut level = vec![(folder.to_owned(), String::new())];
    while !level.is_empty() {
        let read = level
            .par_iter()
            .map(|(folder, below)| read_folder(folder, below));
        let read: Vec<FolderEntries> = read.collect::<io::Result<_>>()?;
        level.clear();
        for entries in read {
            files.extend(entries.files);
            level.extend(entries.folders);
        }
    }
    files.sort_unstable_by(|a, b| a.split('/').cmp(b.split('/')));
    Ok(files)
}

/// The entries of a folder.
struct FolderEntries {
    files: Vec<String>,
    /// The folders with their paths below the output folder.
    folders: Vec<(PathBuf, String)>,
}

fn read_folder(folder: &Path, below: &str) -> io::Result<FolderEntries> {
    let named = |error: io::Error| {
        let message = format!("{}: {error}", folder.display());
        io::Error::new(error.kind(), message)
    };
    let (mut files, mut folders) = (Vec::new(), Vec::new());
    for entry in fs::read_dir(folder).map_err(named)? {
        let entry = entry.map_err(named)?;
        let name = entry.file_name().to_string_lossy().into_owned();
        let path = match below {
            "" => name,
            below => format!("{below}/{name}"),
        };
        if entry.file_type().map_err(named)?.is_dir() {
            folders.push((entry.path(), path));
        } else if !path.ends_with(STAGED) {
            files.push(path);
        }
    }
    Ok(FolderEntries { files, folders })
}

#[cfg(unix)]
fn is_same_file(a: &Path, b: &Path) -> bool {
    use std::os::unix::fs::MetadataExt;
    let file = |path: &Path| fs::symlink_metadata(path).map(|found| (found.dev(), found.ino()));
    matches!((file(a), file(b)), (Ok(a), Ok(b)) if a == b)
}

#[cfg(not(unix))]
fn is_same_file(a: &Path, b: &Path) -> bool {
    matches!((a.canonicalize(), b.canonicalize()), (Ok(a), Ok(b)) if a == b)
}

/// Returns true if a file can be renamed from one folder into the other.
#[cfg(unix)]
fn same_device(a: &Path, b: &Path) -> bool {
    use std::os::unix::fs::MetadataExt;
    let device = |path: &Path| fs::metadata(path).map(|found| found.dev()).ok();
    device(a).is_some() && device(a) == device(b)
}

/// Elsewhere it is not known.
#[cfg(not(unix))]
fn same_device(_: &Path, _: &Path) -> bool {
    false
}

/// A new file, in place of whatever lies there, a symbolic link too: that is not written through.
fn create_new(path: &Path) -> io::Result<File> {
    match File::create_new(path) {
        Err(error) if error.kind() == io::ErrorKind::AlreadyExists => {
            fs::remove_file(path)?;
            File::create_new(path)
        }
        other => other,
    }
}

/// Checks that a folder is a folder, not a file or a symbolic link.
fn check_folder(folder: &Path, within: bool) -> io::Result<()> {
    let found = fs::symlink_metadata(folder)?;
    if found.is_dir() || (!within && folder.is_dir()) {
        return Ok(());
    }
    let what = if found.is_symlink() {
        "a symbolic link, which is not followed"
    } else {
        "a file, not a folder"
    };
    let found = format!("{} is {what}", folder.display());
    Err(io::Error::new(io::ErrorKind::NotADirectory, found))
}

impl Destination for DiskOutput {
    fn attach(&mut self, state: &Path) {
        self.state.get_or_insert_with(|| state.to_owned());
    }

    fn lock(&mut self) -> io::Result<()> {
        self.new = OnceLock::new();
        self.whole = OnceLock::new();
        self.known().clear();
        let state = self.state_folder();
        fs::create_dir_all(&state)?;
        let lock = state.join("lock");
        // To open a pipe would wait for a reader.
        if fs::symlink_metadata(&lock).is_ok_and(|found| !found.is_file()) {
            let what = "it is not a regular file";
            return Err(io::Error::new(io::ErrorKind::InvalidInput, what));
        }
        let file = File::options()
            .create(true)
            .truncate(false)
            .write(true)
            .open(lock)?;
        match file.try_lock() {
            Ok(()) => {
                // A build that ended empties the file: what it says now was said by one that
                // was cut off.
                if file.metadata()?.len() > 0 {
                    self.tidy();
                }
                self.rename_first()?;
                io::Write::write_all(&mut &file, b"a build is under way\n")?;
                self.step();
                self.lock = Some(file);
                Ok(())
            }
            Err(TryLockError::WouldBlock) => Err(io::ErrorKind::WouldBlock.into()),
            Err(TryLockError::Error(error)) => Err(error),
        }
    }

    fn release(&mut self) {
        if let Some(Some(whole)) = self.whole.get() {
            // It is there only where it was not settled: nothing of it is wanted.
            let _ = fs::remove_dir_all(whole);
        }
        self.step();
        if let Some(file) = self.lock.take() {
            let _ = file.set_len(0);
        }
    }

    fn manifest(&self) -> Option<Manifest> {
        let known = read_regular(&self.manifest_path());
        let known = known.ok().and_then(|bytes| String::from_utf8(bytes).ok());
        let known = known.and_then(|text| Manifest::from_text(&text));
        let Ok(paths) = read_regular(&self.journal_path()) else {
            return known;
        };
        // It is written whole, and says nothing that is lost where it is damaged.
        let paths: Vec<String> = serde_json::from_slice(&paths).unwrap_or_default();
        let paths = paths.iter().filter_map(|path| OutputPath::new(path).ok());
        let paths: Vec<OutputPath> = paths.collect();
        Some(known.unwrap_or_default().with_in_progress(&paths))
    }

    fn write_journal(&self, paths: &[&OutputPath]) -> io::Result<()> {
        let paths: Vec<&str> = paths.iter().map(|path| path.as_str()).collect();
        self.write_whole(&self.journal_path(), &|to| {
            serde_json::to_writer(to, &paths).map_err(io::Error::from)
        })
    }

    fn save_manifest(&self, manifest: &Manifest) -> io::Result<()> {
        self.write_whole(&self.manifest_path(), &|to| manifest.write(to))?;
        match fs::remove_file(self.journal_path()) {
            Err(error) if error.kind() != io::ErrorKind::NotFound => Err(error),
            _ => {
                self.step();
                Ok(())
            }
        }
    }

    fn manifest_stamp(&self) -> Option<FileStamp> {
        if self.journal_path().exists() {
            return None;
        }
        let found = fs::symlink_metadata(self.manifest_path()).ok()?;
        Some(FileStamp::of(&found))
    }

    fn compare(&self, path: &OutputPath, content: &Content<'_>) -> io::Result<Found> {
        // A folder that did not exist when the build began has no files.
        if self.is_new() {
            return Ok(Found::Nothing);
        }
        let whole = self.out.join(path.as_str());
        match fs::symlink_metadata(&whole) {
            Ok(found) if found.is_file() && found.len() != content.length() => Ok(Found::Different),
            Ok(found) if found.is_file() => {
                let is_same = content.equals(&mut File::open(&whole)?)?;
                Ok(if is_same {
                    Found::Same
                } else {
                    Found::Different
                })
            }
            Ok(found) if found.is_dir() => Err(io::ErrorKind::IsADirectory.into()),
            Ok(_) => Ok(Found::Other),
            Err(error)
                if matches!(
                    error.kind(),
                    io::ErrorKind::NotFound | io::ErrorKind::NotADirectory
                ) =>
            {
                Ok(Found::Nothing)
            }
            Err(error) => Err(error),
        }
    }

    fn is_new(&self) -> bool {
        *self
            .new
            .get_or_init(|| fs::symlink_metadata(&self.out).is_err())
    }

    fn is_same_file(&self, a: &OutputPath, b: &OutputPath) -> bool {
        is_same_file(&self.out.join(a.as_str()), &self.out.join(b.as_str()))
    }

    fn folder(&self) -> Option<&Path> {
        Some(&self.out)
    }

    fn make_ready(&self, path: &OutputPath) -> bool {
        // Staging reports what cannot be made.
        self.whole().is_some() && self.make_folders(path).is_ok()
    }

    fn stage(&self, path: &OutputPath, content: &Content<'_>) -> io::Result<Option<FileStamp>> {
        self.make_folders(path)?;
        let staged = self.staged(path);
        // A file that is renamed by itself changes its mark; one in a folder that is does not.
        let stays = self.whole().is_some();
        let write = |mut file: File| {
            self.step();
            content.copy_to(&mut file)?;
            self.step();
            if self.syncs {
                file.sync_data()?;
            }
            let mark = || Ok(FileStamp::of(&file.metadata()?));
            stays.then(mark).transpose()
        };
        create_new(&staged).and_then(write).inspect_err(|_| {
            let _ = fs::remove_file(&staged);
        })
    }

    fn commit(&self) -> io::Result<()> {
        match self.whole() {
            Some(whole) if whole.exists() => {
                fs::rename(whole, &self.out)?;
                self.step();
                Ok(())
            }
            _ => Ok(()),
        }
    }

    fn publish(&self, path: &OutputPath) -> io::Result<()> {
        if self.whole().is_some() {
            return Ok(());
        }
        self.put(&self.staged(path), &self.out.join(path.as_str()))?;
        self.step();
        Ok(())
    }

    fn discard(&self, path: &OutputPath) {
        if self.whole().is_some() {
            return;
        }
        let _ = fs::remove_file(self.staged(path));
        let mut folder = path.folder();
        while self.known().get(folder) == Some(&true)
            && fs::remove_dir(self.out.join(folder)).is_ok()
        {
            self.known().swap_remove(folder);
            folder = folder_of(folder);
        }
    }

    fn remove(&self, path: &OutputPath) -> io::Result<bool> {
        let whole = self.out.join(path.as_str());
        let mut above = self.out.clone();
        for step in Path::new(path.as_str()).parent().into_iter().flatten() {
            above.push(step);
            if fs::symlink_metadata(&above).is_ok_and(|found| found.is_symlink()) {
                return Ok(false);
            }
        }
        match fs::remove_file(&whole) {
            Ok(()) => {
                self.step();
                self.prune(path.folder());
                Ok(true)
            }
            Err(error) if error.kind() == io::ErrorKind::NotFound => Ok(false),
            Err(error) => Err(error),
        }
    }

    fn stamp(&self, path: &OutputPath) -> Option<FileStamp> {
        let found = fs::symlink_metadata(self.out.join(path.as_str())).ok()?;
        found.is_file().then(|| FileStamp::of(&found))
    }

    fn checksum(&self, path: &OutputPath) -> Option<u64> {
        self.stamp(path)?;
        checksum_of(File::open(self.out.join(path.as_str())).ok()?).ok()
    }

    fn load_cache(&self) -> Option<Vec<u8>> {
        read_regular(&self.manifest_path().with_extension("cache")).ok()
    }

    fn save_cache(&self, write: &Writer<'_>) -> io::Result<()> {
        self.write_whole(&self.manifest_path().with_extension("cache"), write)
    }

    fn list(&self) -> io::Result<Vec<String>> {
        match self.out.is_dir() {
            true => files_below(&self.out),
            false => Ok(Vec::new()),
        }
    }

    fn name(&self) -> String {
        self.name.clone()
    }
}
