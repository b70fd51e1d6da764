//! The oldest compiler that the program needs, as no other than the newest one is at hand.

#![allow(clippy::unwrap_used, reason = "a test fails where it unwraps")]

use std::process::Command;

use serde_json::Value;

/// Returns the major and minor version; `None` if a package says nothing.
fn rust_version(package: &Value) -> Option<(u32, u32)> {
    let mut numbers = package["rust_version"].as_str()?.split('.').map(str::parse);
    Some((numbers.next()?.unwrap(), numbers.next()?.unwrap()))
}

/// Clippy compares our own code with `rust-version`; this compares the locked dependencies.
#[test]
fn no_dependency_needs_a_newer_compiler_than_we_say() {
    let metadata = Command::new(env!("CARGO"))
        .args(["metadata", "--format-version", "1", "--locked", "--offline"])
        .current_dir(env!("CARGO_MANIFEST_DIR"))
        .output()
        .unwrap();
    assert!(
        metadata.status.success(),
        "{}",
        String::from_utf8_lossy(&metadata.stderr)
    );
    let metadata: Value = serde_json::from_slice(&metadata.stdout).unwrap();
    let packages = metadata["packages"].as_array().unwrap();
    let ours = packages
        .iter()
        .find(|package| package["name"] == "tabulae")
        .unwrap();
    let ours = rust_version(ours).unwrap();
    let newer: Vec<_> = packages
        .iter()
        .filter(|package| rust_version(package).is_some_and(|version| version > ours))
        .map(|package| (&package["name"], &package["rust_version"]))
        .collect();
    assert!(packages.len() > 100);
    assert_eq!(newer, []);
}
