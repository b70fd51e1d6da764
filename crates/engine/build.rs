//! Hashes the inputs of the program: the sources of the builder and of the core, the locked dependencies,
//! the features and the target. A cache that another program wrote has another hash.

use std::hash::{DefaultHasher, Hash, Hasher};
use std::path::{Path, PathBuf};

fn main() {
    for path in ["src", "../core/src", "Cargo.lock", "../../Cargo.lock"] {
        if Path::new(path).exists() {
            println!("cargo:rerun-if-changed={path}");
        }
    }
    let of_build = |(name, value): (String, String)| {
        let counts = name == "TARGET" || name.starts_with("CARGO_FEATURE_");
        counts.then_some((name, value))
    };
    let program = program(Path::new("."), std::env::vars().filter_map(of_build));
    println!("cargo:rustc-env=TABULAE_SOURCES={program:016x}");
}

/// Hashes the sources below `package`, the lock file of the package or of its workspace, and variables of
/// the build. In a published package the core's sources are those of the version that is locked.
pub(crate) fn program(package: &Path, variables: impl Iterator<Item = (String, String)>) -> u64 {
    let mut hasher = DefaultHasher::new();
    for folder in ["src", "../core/src"] {
        for file in files(&package.join(folder)) {
            file.hash(&mut hasher);
            read(&file).hash(&mut hasher);
        }
    }
    let locks = ["Cargo.lock", "../../Cargo.lock"].map(|path| package.join(path));
    locks
        .iter()
        .find(|path| path.exists())
        .map(|path| read(path))
        .hash(&mut hasher);
    let mut variables: Vec<_> = variables.collect();
    variables.sort();
    variables.hash(&mut hasher);
    hasher.finish()
}

fn read(path: &Path) -> Vec<u8> {
    std::fs::read(path).unwrap_or_else(|error| panic!("cannot read {}: {error}", path.display()))
}

/// Returns all files below a folder, sorted.
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
