//! Shared by the tests: the program that they run.

use std::path::PathBuf;
use std::process::Command;

/// Builds the program as the test itself was built, and returns its path.
///
/// # Errors
/// Where it cannot be built, or the test does not lie in a folder of Cargo's.
pub fn program() -> Result<PathBuf, String> {
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
