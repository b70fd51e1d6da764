//! Shared by the tests: the program that they run.

use std::path::{Path, PathBuf};
use std::process::Command;
use std::sync::OnceLock;

/// Returns the path of the program: that of `TABULAE_PROGRAM`, or one that is built the first time, as the test itself was.
///
/// # Errors
/// Where it cannot be built, or the test does not lie in a folder of Cargo's.
pub fn program() -> Result<PathBuf, String> {
    static PROGRAM: OnceLock<Result<PathBuf, String>> = OnceLock::new();
    let named = std::env::var_os("TABULAE_PROGRAM").map(PathBuf::from);
    let found = || named.map_or_else(built_program, Ok);
    PROGRAM.get_or_init(found).clone()
}

fn built_program() -> Result<PathBuf, String> {
    // target/debug/deps/test-0123
    let test = std::env::current_exe().map_err(|error| error.to_string())?;
    let profile = test.ancestors().nth(2).ok_or("a folder of Cargo's")?;
    let target = profile.parent().ok_or("a folder of Cargo's")?;
    let built = Command::new(env!("CARGO"))
        .args(["build", "--quiet", "--locked", "--package", "tabulae"])
        .arg("--target-dir")
        .arg(target)
        .current_dir(env!("CARGO_MANIFEST_DIR"))
        .status();
    match built {
        Ok(status) if status.success() => {
            let name = format!("tabulae{}", std::env::consts::EXE_SUFFIX);
            Ok(profile.join(name))
        }
        Ok(status) => Err(format!("cargo build ended with {status}")),
        Err(error) => Err(format!("cargo could not be run: {error}")),
    }
}

/// Copies a folder with all its files, but not what builds leave in it.
///
/// # Errors
/// Where a file cannot be read or written.
pub fn copy_site(from: &Path, to: &Path) -> std::io::Result<()> {
    std::fs::create_dir_all(to)?;
    for entry in std::fs::read_dir(from)? {
        let entry = entry?;
        let target = to.join(entry.file_name());
        if entry.file_name() == "out" || entry.file_name() == ".tabulae" {
            continue;
        }
        if entry.file_type()?.is_dir() {
            copy_site(&entry.path(), &target)?;
        } else {
            std::fs::copy(entry.path(), target)?;
        }
    }
    Ok(())
}
