//! A folder with a site in it, and the built program.

use std::fs;
use std::io;
use std::path::{Path, PathBuf};
use std::process::{Command, Output};

use serde_json::Value;
use tempfile::TempDir;

/// The folder of the repository.
pub(crate) fn repository() -> PathBuf {
    Path::new(env!("CARGO_MANIFEST_DIR")).join("../..")
}

pub(crate) struct Site {
    folder: TempDir,
}

/// The output and exit status of a run.
pub(crate) struct Run {
    pub(crate) out: String,
    pub(crate) err: String,
    pub(crate) status: i32,
}

impl Site {
    /// An empty folder.
    pub(crate) fn empty() -> Self {
        Self {
            folder: TempDir::new().expect("a folder"),
        }
    }

    /// A site of three lines with one post.
    pub(crate) fn small() -> Self {
        let site = Self::empty();
        site.write(
            "tabulae.toml",
            "[site]\ntitle = \"Log\"\naddress = \"https://x.example/\"\n",
        );
        site.write(
            "posts/2026-03-14-lime.md",
            "---\ntitle: Lime\ntags: [lime]\n---\n\nLime first.\n",
        );
        site
    }

    pub(crate) fn path(&self) -> &Path {
        self.folder.path()
    }

    pub(crate) fn file(&self, path: &str) -> PathBuf {
        self.path().join(path)
    }

    pub(crate) fn write(&self, path: &str, text: impl AsRef<[u8]>) {
        let path = self.file(path);
        fs::create_dir_all(path.parent().expect("a folder above")).expect("a folder");
        fs::write(path, text).expect("a file");
    }

    pub(crate) fn read(&self, path: &str) -> String {
        fs::read_to_string(self.file(path)).unwrap_or_else(|error| panic!("{path}: {error}"))
    }

    /// All files below a folder, sorted.
    pub(crate) fn tree(&self, folder: &str) -> Vec<(String, Vec<u8>)> {
        fn walk(folder: &Path, root: &Path, found: &mut Vec<(String, Vec<u8>)>) {
            let mut entries: Vec<_> = fs::read_dir(folder)
                .into_iter()
                .flatten()
                .filter_map(Result::ok)
                .collect();
            entries.sort_by_key(fs::DirEntry::path);
            for entry in entries {
                let path = entry.path();
                if path.is_dir() && !path.is_symlink() {
                    walk(&path, root, found);
                } else {
                    let name = path
                        .strip_prefix(root)
                        .expect("below")
                        .to_string_lossy()
                        .into_owned();
                    found.push((name, fs::read(&path).unwrap_or_default()));
                }
            }
        }
        let mut found = Vec::new();
        walk(&self.file(folder), &self.file(folder), &mut found);
        found
    }

    fn command(&self, folder: &str, words: &[&str]) -> Command {
        let mut command = Command::new(env!("CARGO_BIN_EXE_tabulae"));
        command
            .current_dir(self.file(folder))
            .args(words)
            .env_remove("NO_COLOR");
        command
    }

    pub(crate) fn run(&self, words: &[&str]) -> Run {
        self.run_in("", words)
    }

    /// Runs in a folder of the site.
    pub(crate) fn run_in(&self, folder: &str, words: &[&str]) -> Run {
        Run::of(self.command(folder, words).output())
    }

    /// Runs with a text on standard input.
    pub(crate) fn run_with(&self, words: &[&str], input: &str) -> Run {
        self.write("input.txt", input);
        let input = fs::File::open(self.file("input.txt")).expect("the input");
        Run::of(self.command("", words).stdin(input).output())
    }
}

impl Run {
    fn of(output: io::Result<Output>) -> Self {
        let output = output.expect("the program runs");
        Self {
            out: String::from_utf8(output.stdout).expect("text"),
            err: String::from_utf8(output.stderr).expect("text"),
            status: output.status.code().unwrap_or(-1),
        }
    }

    pub(crate) fn json(&self) -> Value {
        serde_json::from_str(&self.out).unwrap_or_else(|error| panic!("{error}: {}", self.out))
    }

    /// Standard error with times taken out.
    pub(crate) fn sound(&self) -> &Self {
        assert_eq!((self.status, self.err.as_str()), (0, ""));
        self
    }
}
