//! The catalogue as NDJSON and an export as CSV, read by a library for data frames (polars).
//!
//! `TABULAE_DATA_FRAMES` names a Python that has polars. Without it the test is reported as ignored.

use std::path::{Path, PathBuf};
use std::process::{Command, ExitCode};

use libtest_mimic::{Arguments, Failed, Trial};
use serde_json::Value;
use tempfile::TempDir;

/// Reads both files, and prints what the test compares.
const SCRIPT: &str = "
import json, polars, sys
posts = polars.read_ndjson('posts.ndjson')
rows = polars.read_csv('posts.csv')
by_category = posts.group_by('category').len().sort('category')
print(json.dumps({
    'columns': posts.columns,
    'posts': posts.height,
    'words': posts['words'].sum(),
    'categories': by_category.rows(),
    'rows': rows.height,
    'row_words': rows['words'].sum(),
}))
";

fn main() -> ExitCode {
    let arguments = Arguments::from_args();
    let python = std::env::var_os("TABULAE_DATA_FRAMES").map(PathBuf::from);
    let ignored = python.is_none();
    let trial = Trial::test("the_catalogue_is_a_data_frame", move || {
        read(&python.clone().unwrap_or_default())
    });
    libtest_mimic::run(&arguments, vec![trial.with_ignored_flag(ignored)]).exit_code()
}

fn read(python: &Path) -> Result<(), Failed> {
    let folder = TempDir::new()?;
    let site = folder.path().join("site");
    let program = tabulae_checks::program()?;
    let run = |words: &[&str]| -> Result<Vec<u8>, Failed> {
        let ended = Command::new(&program)
            .args(words)
            .current_dir(folder.path())
            .output()?;
        match ended.status.success() {
            true => Ok(ended.stdout),
            false => Err(String::from_utf8_lossy(&ended.stderr).into_owned().into()),
        }
    };
    run(&["demo", "site"])?;
    let query = |format: &str| {
        run(&[
            "-C",
            "site",
            "query",
            "from posts",
            "--fields",
            "title,category,words",
            "--format",
            format,
            "--today",
            "2026-11-20",
        ])
    };
    std::fs::write(folder.path().join("posts.ndjson"), query("ndjson")?)?;
    std::fs::write(folder.path().join("posts.csv"), query("csv")?)?;
    let shown = Command::new(python)
        .args(["-c", SCRIPT])
        .current_dir(folder.path())
        .output()?;
    assert!(
        shown.status.success(),
        "{}",
        String::from_utf8_lossy(&shown.stderr)
    );
    let shown: Value = serde_json::from_slice(&shown.stdout)?;
    // The same numbers from the JSON of the program, which another test holds against its schema.
    let known: Value = serde_json::from_slice(&query("json")?)?;
    let posts = known["posts"].as_array().ok_or("posts")?;
    let words: u64 = posts.iter().filter_map(|post| post["words"].as_u64()).sum();
    assert!(site.exists() && posts.len() > 40, "{known}");
    assert_eq!(
        shown["columns"],
        serde_json::json!(["title", "category", "words"])
    );
    for (count, sum) in [("posts", "words"), ("rows", "row_words")] {
        assert_eq!(shown[count], posts.len());
        assert_eq!(shown[sum], words);
    }
    let categories = shown["categories"].as_array().ok_or("categories")?;
    let total: u64 = categories.iter().filter_map(|row| row[1].as_u64()).sum();
    assert_eq!(total, posts.len() as u64);
    Ok(())
}
