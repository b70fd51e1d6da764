//! `out/` on disk. Each file is written beside its place and then renamed, so that it is old or
//! new at every moment; no symbolic link within `out/` is followed.

use std::collections::BTreeSet;
use std::fs::{self, File, TryLockError};
use std::io;
use std::path::{Path, PathBuf};
use std::sync::{Mutex, OnceLock, PoisonError};

use super::manifest::checksum;
use super::{Manifest, Output};

/// The ending of files that are being written.
const STAGED: &str = ".tabulae-part";

/// A folder that a build writes to, and the folder that remembers what it wrote.
#[derive(Debug)]
pub struct Disk {
    name: String,
    out: PathBuf,
    memory: PathBuf,
    lock: Option<File>,
    folders: Mutex<BTreeSet<PathBuf>>,
    made: Mutex<BTreeSet<PathBuf>>,
    new: OnceLock<bool>,
}

impl Disk {
    /// Writes to `out`, which messages call `name`, and remembers in `memory` (`.tabulae/`).
    #[must_use]
    pub fn new(out: impl Into<PathBuf>, memory: impl Into<PathBuf>, name: &str) -> Self {
        Self {
            name: name.to_owned(),
            out: out.into(),
            memory: memory.into(),
            lock: None,
            folders: Mutex::default(),
            made: Mutex::default(),
            new: OnceLock::new(),
        }
    }

    /// One manifest for each folder that is written to.
    fn manifest_path(&self) -> PathBuf {
        let out = std::path::absolute(&self.out).unwrap_or_else(|_| self.out.clone());
        let name = checksum(out.as_os_str().as_encoded_bytes());
        self.memory.join(format!("manifest-{name:016x}"))
    }

    fn staged(&self, path: &str) -> PathBuf {
        let (folder, name) = path.rsplit_once('/').unwrap_or(("", path));
        self.out.join(folder).join(format!(".{name}{STAGED}"))
    }

    /// Makes the folders above `path`, none of which may be a symbolic link.
    fn make_folders(&self, path: &str) -> io::Result<()> {
        let folder = self.out.join(path);
        let Some(folder) = folder.parent() else {
            return Ok(());
        };
        if self.known().contains(folder) {
            return Ok(());
        }
        if !self.known().contains(&self.out) {
            self.make_folder(&self.out, false)?;
            self.known().insert(self.out.clone());
        }
        let mut at = self.out.clone();
        let below = folder.strip_prefix(&self.out).unwrap_or(Path::new(""));
        for step in below {
            at.push(step);
            if !self.known().contains(&at) {
                self.make_folder(&at, true)?;
                self.known().insert(at.clone());
            }
        }
        self.known().insert(folder.to_owned());
        Ok(())
    }

    fn known(&self) -> std::sync::MutexGuard<'_, BTreeSet<PathBuf>> {
        self.folders.lock().unwrap_or_else(PoisonError::into_inner)
    }

    /// Makes a folder, or finds it there; `within` is whether it lies in `out/`, where no
    /// symbolic link is followed.
    fn make_folder(&self, folder: &Path, within: bool) -> io::Result<()> {
        let made = if within {
            fs::create_dir(folder)
        } else {
            fs::create_dir_all(folder)
        };
        match made {
            Ok(()) if within => {
                self.made
                    .lock()
                    .unwrap_or_else(PoisonError::into_inner)
                    .insert(folder.to_owned());
                Ok(())
            }
            Ok(()) => Ok(()),
            Err(error) if error.kind() == io::ErrorKind::AlreadyExists => {
                check_folder(folder, within)
            }
            Err(error) => Err(error),
        }
    }

    fn tidy(&self) {
        for entry in walkdir::WalkDir::new(&self.out)
            .into_iter()
            .filter_map(Result::ok)
        {
            if entry.file_type().is_file()
                && entry
                    .file_name()
                    .to_str()
                    .is_some_and(|name| name.ends_with(STAGED))
            {
                let _ = fs::remove_file(entry.path());
                if let Some(folder) = entry.path().parent() {
                    self.prune(folder);
                }
            }
        }
    }

    /// Removes the folders of `folder` upwards that are empty, not `out` itself.
    fn prune(&self, mut folder: &Path) {
        while folder != self.out && folder.starts_with(&self.out) && fs::remove_dir(folder).is_ok()
        {
            self.known().remove(folder);
            match folder.parent() {
                Some(parent) => folder = parent,
                None => return,
            }
        }
    }
}

/// What stands where a folder is needed must be one.
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
    Err(io::Error::other(format!("{} is {what}", folder.display())))
}

impl Output for Disk {
    fn lock(&mut self) -> io::Result<()> {
        self.new = OnceLock::new();
        fs::create_dir_all(&self.memory)?;
        let file = File::options()
            .create(true)
            .truncate(false)
            .write(true)
            .open(self.memory.join("lock"))?;
        match file.try_lock() {
            Ok(()) => {
                // A build that ended empties the file: what it says now was said by one that
                // was cut off.
                if file.metadata()?.len() > 0 {
                    self.tidy();
                }
                io::Write::write_all(&mut &file, b"a build is under way\n")?;
                self.lock = Some(file);
                Ok(())
            }
            Err(TryLockError::WouldBlock) => Err(io::ErrorKind::WouldBlock.into()),
            Err(TryLockError::Error(error)) => Err(error),
        }
    }

    fn release(&mut self) {
        if let Some(file) = self.lock.take() {
            let _ = file.set_len(0);
        }
    }

    fn manifest(&self) -> Option<Manifest> {
        Manifest::from_text(&fs::read_to_string(self.manifest_path()).ok()?)
    }

    fn remember(&self, manifest: &Manifest) -> io::Result<()> {
        let path = self.manifest_path();
        let beside = path.with_extension("part");
        fs::write(&beside, manifest.to_text())?;
        fs::rename(&beside, &path)
    }

    fn read(&self, path: &str) -> io::Result<Option<Vec<u8>>> {
        // Where there was no folder when the build began, nothing can stand in it.
        if *self
            .new
            .get_or_init(|| fs::symlink_metadata(&self.out).is_err())
        {
            return Ok(None);
        }
        let whole = self.out.join(path);
        match fs::symlink_metadata(&whole) {
            Ok(found) if found.is_symlink() => Ok(None),
            Ok(_) => fs::read(&whole).map(Some),
            Err(error)
                if matches!(
                    error.kind(),
                    io::ErrorKind::NotFound | io::ErrorKind::NotADirectory
                ) =>
            {
                Ok(None)
            }
            Err(error) => Err(error),
        }
    }

    fn stage(&self, path: &str, bytes: &[u8]) -> io::Result<()> {
        self.make_folders(path)?;
        let staged = self.staged(path);
        let write = || {
            // Whatever lies there, a symbolic link too, is not written through.
            let mut options = File::options();
            let open = || options.write(true).create_new(true).open(&staged);
            let mut open = open;
            let file = match open() {
                Err(error) if error.kind() == io::ErrorKind::AlreadyExists => {
                    fs::remove_file(&staged)?;
                    open()
                }
                other => other,
            };
            io::Write::write_all(&mut file?, bytes)
        };
        write().inspect_err(|_| {
            let _ = fs::remove_file(&staged);
        })
    }

    fn publish(&self, path: &str) -> io::Result<()> {
        fs::rename(self.staged(path), self.out.join(path))
    }

    fn discard(&self, path: &str) {
        let staged = self.staged(path);
        let _ = fs::remove_file(&staged);
        let mut folder = staged.parent();
        while let Some(empty) = folder
            && self
                .made
                .lock()
                .unwrap_or_else(PoisonError::into_inner)
                .contains(empty)
            && fs::remove_dir(empty).is_ok()
        {
            self.known().remove(empty);
            folder = empty.parent();
        }
    }

    fn remove(&self, path: &str) -> io::Result<()> {
        let whole = self.out.join(path);
        let mut above = self.out.clone();
        for step in Path::new(path).parent().into_iter().flatten() {
            above.push(step);
            if fs::symlink_metadata(&above).is_ok_and(|found| found.is_symlink()) {
                return Ok(());
            }
        }
        match fs::remove_file(&whole) {
            Ok(()) => {
                if let Some(folder) = whole.parent() {
                    self.prune(folder);
                }
                Ok(())
            }
            Err(error) if error.kind() == io::ErrorKind::NotFound => Ok(()),
            Err(error) => Err(error),
        }
    }

    fn name(&self) -> String {
        self.name.clone()
    }
}
