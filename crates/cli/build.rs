//! Tells the program the commit that it is built from: `TABULAE_COMMIT`, where packagers say it,
//! else git's, where the workspace is the repository's own folder.

use std::path::Path;
use std::process::Command;

fn main() {
    println!("cargo::rerun-if-env-changed=TABULAE_COMMIT");
    println!("cargo::rerun-if-changed=build.rs");
    let commit = std::env::var("TABULAE_COMMIT").ok().or_else(of_git);
    let version = env!("CARGO_PKG_VERSION");
    // So that nobody measures, or installs, what was compiled to be compiled quickly.
    let quick = std::env::var("OPT_LEVEL").is_ok_and(|level| level == "0");
    println!("cargo::rustc-env=TABULAE_OPTIMISED={}", !quick);
    let quick = quick.then(|| "not optimised".to_owned());
    let notes: Vec<String> = commit.into_iter().chain(quick).collect();
    let version = match notes.as_slice() {
        [] => version.to_owned(),
        notes => format!("{version} ({})", notes.join(", ")),
    };
    println!("cargo::rustc-env=TABULAE_VERSION={version}");
}

fn of_git() -> Option<String> {
    let root = Path::new(env!("CARGO_MANIFEST_DIR")).join("../..");
    let root = root.canonicalize().ok()?;
    let top = git(&root, &["rev-parse", "--show-toplevel"])?;
    if Path::new(&top).canonicalize().ok()? != root {
        return None;
    }
    // It is written to at each commit, and when another is checked out.
    let log = git(&root, &["rev-parse", "--git-path", "logs/HEAD"])?;
    println!("cargo::rerun-if-changed={}", root.join(log).display());
    git(&root, &["rev-parse", "--short=10", "HEAD"])
}

fn git(root: &Path, words: &[&str]) -> Option<String> {
    let run = Command::new("git").current_dir(root).args(words).output();
    let run = run.ok().filter(|run| run.status.success())?;
    let text = String::from_utf8(run.stdout).ok()?;
    Some(text.trim().to_owned()).filter(|text| !text.is_empty())
}
