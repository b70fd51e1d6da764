//! Hashes the sources of the builder and of the core, so that a cache of another program is told
//! apart.

use std::hash::{DefaultHasher, Hash, Hasher};
use std::path::{Path, PathBuf};

fn main() {
    let mut hasher = DefaultHasher::new();
    for folder in ["src", "../core/src"] {
        println!("cargo:rerun-if-changed={folder}");
        for file in files(Path::new(folder)) {
            file.hash(&mut hasher);
            std::fs::read(&file).unwrap_or_default().hash(&mut hasher);
        }
    }
    println!("cargo:rustc-env=TABULAE_SOURCES={:016x}", hasher.finish());
}

/// All files below a folder, sorted.
fn files(folder: &Path) -> Vec<PathBuf> {
    let mut found = Vec::new();
    let entries = std::fs::read_dir(folder).into_iter().flatten().flatten();
    for path in entries.map(|entry| entry.path()) {
        if path.is_dir() {
            found.extend(files(&path));
        } else {
            found.push(path);
        }
    }
    found.sort();
    found
}
