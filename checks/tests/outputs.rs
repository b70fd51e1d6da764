//! The JSON of each command is valid by the schema that the program prints, as a validator that is not ours reads it.

#![allow(clippy::unwrap_used, reason = "a test fails where it unwraps")]
#![allow(missing_docs, reason = "a test")]

use std::collections::BTreeSet;
use std::path::Path;
use std::process::Command;

use rstest::rstest;
use serde_json::{Value, json};

fn printed(folder: &Path, words: &[&str]) -> Value {
    let program = tabulae_checks::program().unwrap();
    let output = Command::new(program)
        .args(words)
        .current_dir(folder)
        .output()
        .unwrap();
    serde_json::from_slice(&output.stdout).unwrap()
}

/// The example site, built; then a post with a near-duplicate tag came, and another one became a draft.
fn site() -> tempfile::TempDir {
    let folder = tempfile::tempdir().unwrap();
    let run = |words: &[&str]| {
        let program = tabulae_checks::program().unwrap();
        let status = Command::new(program)
            .args(words)
            .current_dir(folder.path())
            .status();
        assert!(status.unwrap().success());
    };
    run(&["demo", ".", "--quiet"]);
    let post = folder.path().join("posts/2026/2026-03-01-new.md");
    std::fs::write(
        post,
        "---\ntitle: New\nsumary: Lime\ntags: [Limes, masonry]\n---\nText.\n",
    )
    .unwrap();
    let marks = folder.path().join("posts/2026/2026-09-12-masons-marks.md");
    let text = std::fs::read_to_string(&marks).unwrap();
    std::fs::write(marks, text.replacen("---\n", "---\ndraft: true\n", 1)).unwrap();
    std::fs::write(folder.path().join("out/page.html"), "<p>By hand.</p>").unwrap();
    folder
}

/// Returns the members that `value` has at the places of the schema, by path.
fn members(value: &Value, at: &str, found: &mut BTreeSet<String>) {
    match value {
        Value::Object(object) => {
            for (name, value) in object {
                found.insert(format!("{at}.{name}"));
                members(value, &format!("{at}.{name}"), found);
            }
        }
        Value::Array(items) => items.iter().for_each(|item| members(item, at, found)),
        _ => {}
    }
}

/// Returns the members that a schema describes, by path.
fn described(schema: &Value, root: &Value, at: &str, found: &mut BTreeSet<String>) {
    if let Some(place) = schema["$ref"].as_str() {
        let place = root.pointer(place.trim_start_matches('#')).unwrap();
        return described(place, root, at, found);
    }
    for (name, schema) in schema["properties"].as_object().into_iter().flatten() {
        found.insert(format!("{at}.{name}"));
        described(schema, root, &format!("{at}.{name}"), found);
    }
    if schema["items"].is_object() {
        described(&schema["items"], root, at, found);
    }
}

/// Each command's JSON is valid by its schema, and describes no member that the command never prints, but the
/// changed ids in feeds, of which the site has none.
#[rstest]
#[case::audit("audit", &["audit", "audit|--fix|--dry-run"])]
#[case::build("build", &["build|--dry-run"])]
#[case::diff("diff", &["diff"])]
#[case::settings("effective-settings", &["settings"])]
#[case::explain("explain", &["explain|two-young-herons|--in|tags"])]
#[case::new("new", &["new|A lock in May"])]
#[case::query("query", &["query|where tag = 'lime'", "query||--by|year", "query|where tag = 'lime'|--explain", "query||--fields|title,hours"])]
#[case::related("related", &["related|--try|weigh.body=4"])]
#[case::rename("rename", &["terms|rename|tag|Limes|lime|--dry-run"])]
#[case::terms("terms", &["terms|--write-notes"])]
#[case::theme("theme", &["theme", "theme|show|post.html", "theme|copy|post.html"])]
#[case::weave("weave", &["weave|out"])]
fn json_is_as_its_schema_says(#[case] of: &str, #[case] commands: &[&str]) {
    let site = site();
    let schema = printed(site.path(), &["schema", of]);
    assert!(jsonschema::draft7::meta::is_valid(&schema));
    let mut met = BTreeSet::new();
    for command in commands {
        let words: Vec<&str> = command.split('|').collect();
        members(&valid(site.path(), &schema, &words), "", &mut met);
    }
    let mut all = BTreeSet::new();
    described(&schema, &schema, "", &mut all);
    let missing: Vec<&String> = all
        .difference(&met)
        .filter(|path| !path.contains("diagnostics.") && !path.contains("feed_ids."))
        .collect();
    assert_eq!(missing, Vec::<&String>::new());
}

/// Returns what a command prints as JSON.
fn valid(folder: &Path, schema: &Value, command: &[&str]) -> Value {
    let object = printed(folder, &[command, &["--format", "json"]].concat());
    if let Err(error) = jsonschema::draft7::validate(schema, &object) {
        panic!("{command:?}: {error}\n{object:#}");
    }
    object
}

#[rstest]
#[case::no_command_line("weave", &["weave"])]
#[case::no_such_post("explain", &["explain", "nothing"])]
#[case::no_such_field("query", &["query", "where tagg = 'lime'"])]
#[case::no_file_of_the_theme("theme", &["theme", "show", "cards.html"])]
#[case::no_site("build", &["-C", "assets", "build"])]
#[case::no_folder("weave", &["weave", "nowhere"])]
fn errors_are_as_the_schema_says(#[case] of: &str, #[case] command: &[&str]) {
    let site = site();
    let schema = printed(site.path(), &["schema", of]);
    let object = valid(site.path(), &schema, command);
    let mut found = object["diagnostics"].as_array().unwrap().iter();
    assert!(
        found.any(|found| found["severity"] == "error"),
        "{object:#}"
    );
}

#[test]
fn a_schema_rejects_what_it_does_not_describe() {
    let site = site();
    let schema = printed(site.path(), &["schema", "weave"]);
    let valid = json!({ "looked_at": 1, "diagnostics": [] });
    assert!(jsonschema::draft7::is_valid(&schema, &valid));
    for wrong in [
        json!({ "looked_at": -1, "diagnostics": [] }),
        json!({ "other": 1, "diagnostics": [] }),
        json!({ "diagnostics": [{ "severity": "error" }] }),
    ] {
        assert!(!jsonschema::draft7::is_valid(&schema, &wrong), "{wrong}");
    }
}

/// Each format of an export, line by line or as a whole, is valid by the schema that the program prints of it.
#[rstest]
#[case::json("json")]
#[case::ndjson("ndjson")]
fn an_export_is_valid_by_its_schema(#[case] format: &str) {
    let folder = site();
    let settings = folder.path().join("tabulae.toml");
    let fields = "[\"title\", \"link\", \"date\", \"updated\", \"summary\", \"image\", \"words\", \"draft\", \"state\", \"language\", \"tag\", \"author\", \"related\", \"content\", \"text\", \"year\"]";
    let export = format!(
        "\n[export.all]\nquery = \"from posts, fleet\"\nlink = \"/all.{format}\"\nfields = {fields}\n"
    );
    let text = std::fs::read_to_string(&settings).unwrap() + &export;
    std::fs::write(&settings, text).unwrap();
    printed(folder.path(), &["build", "--format", "json"]);
    let schema = printed(folder.path(), &["schema", "export.all"]);
    assert!(jsonschema::draft7::meta::is_valid(&schema));
    let text = std::fs::read_to_string(folder.path().join(format!("out/all.{format}"))).unwrap();
    let values: Vec<Value> = match format {
        "json" => vec![serde_json::from_str(&text).unwrap()],
        _ => text
            .lines()
            .map(|line| serde_json::from_str(line).unwrap())
            .collect(),
    };
    for value in &values {
        let errors: Vec<String> = jsonschema::draft7::new(&schema)
            .unwrap()
            .iter_errors(value)
            .map(|error| error.to_string())
            .collect();
        assert_eq!(errors, Vec::<String>::new());
    }
    // Another value is not.
    assert!(!jsonschema::draft7::is_valid(
        &schema,
        &json!([{ "title": 1 }])
    ));
}
