//! The examples, run on a small site, and the public API as a program would use it.

#![allow(clippy::unwrap_used, reason = "a test fails where it unwraps")]

use std::error::Error as _;
use std::fs;
use std::sync::atomic::AtomicBool;

use rstest::rstest;
use serde_json::json;
use tabulae_engine::{
    BuildOptions, Clock, Code, DiskOutput, Error, MemoryOutput, MemorySources, Value, Workspace,
};

#[allow(dead_code, reason = "main reads the command line")]
#[path = "../examples/json_api.rs"]
mod json_api;
#[allow(dead_code, reason = "main reads the command line")]
#[path = "../examples/list.rs"]
mod list;
#[allow(dead_code, reason = "main reads the command line")]
#[path = "../examples/related.rs"]
mod related;

const SETTINGS: &str = "[site]\ntitle = \"Log\"\naddress = \"https://log.example/\"\n\
    [related]\nweigh = { tag = 1 }\n";

fn files() -> MemorySources {
    let files = MemorySources::default();
    files.write("tabulae.toml", SETTINGS);
    let post = |day: u8, name: &str, rest: &str| {
        let text = format!("---\ntitle: {name}\n{rest}\n---\n\n{name} first.\n");
        files.write(&format!("posts/2026-03-{day:02}-{name}.md"), text);
    };
    post(1, "sand", "tags: [lime]\ninfo: { part: 1 }");
    post(2, "eels", "tags: [fish]");
    post(3, "putty", "tags: [lime]\ninfo: { part: 2 }");
    files
}

fn site() -> Workspace {
    let now = "2026-11-20T09:00:00Z".parse().unwrap();
    Workspace::from_sources(files()).clock(Clock::At(now))
}

#[rstest]
#[case::all(
    "",
    "2026-03-03 putty\n2026-03-02 eels\n2026-03-01 sand\n3 of 3 posts\n"
)]
#[case::limited("where tag = 'lime' limit 1", "2026-03-03 putty\n1 of 2 posts\n")]
fn posts_are_listed(#[case] query: &str, #[case] expected: &str) {
    assert_eq!(list::list(&site(), query).unwrap(), expected);
}

#[test]
fn an_empty_answer_says_why() {
    let text = list::list(&site(), "where tag = 'lima'").unwrap();
    assert!(text.contains("no post has the tag \"lima\""), "{text}");
    assert!(text.contains("the nearest: `lime`"), "{text}");
    assert!(text.ends_with("\n0 of 0 posts\n"), "{text}");
}

/// Both have the one tag, and nothing else counts: the cosine is 1.
#[test]
fn related_posts_say_what_they_share() {
    let text = related::related(&site(), "sand").unwrap();
    assert_eq!(text, "sand\n  1.000 putty\n    tag: lime\n");
}

#[test]
fn posts_are_written_as_json_by_tag() {
    let files = json_api::by_tag(&site()).unwrap();
    assert_eq!(files.keys().collect::<Vec<_>>(), ["fish.json", "lime.json"]);
    let putty = json!({ "title": "putty", "link": "/2026/putty/", "date": "2026-03-03" });
    let sand = json!({ "title": "sand", "link": "/2026/sand/", "date": "2026-03-01" });
    let lime = json!({ "tag": "lime", "count": 2, "posts": [putty, sand] });
    assert_eq!(files["lime.json"], lime);
}

#[test]
fn any_value_of_the_front_matter_can_be_had() {
    let site = site();
    let post = site.post("putty").unwrap();
    assert!(matches!(post.get("info.part"), Some(Value::Number(number, _)) if *number == 2.0));
    assert_eq!(post.get("info.parts"), None);
    assert_eq!(post.terms("tag"), ["lime"]);
}

#[rstest]
#[case::query(|site: &Workspace| site.query("where").err(), "error")]
#[case::post(|site: &Workspace| site.post("puty").err(), "did you mean `putty`?")]
#[case::field(|site: &Workspace| site.query("").unwrap().count_by("tga").err(), "tag")]
#[case::archive(|site: &Workspace| site.membership("putty", "journl").err(), "did you mean `journal`?")]
fn errors_print_well(#[case] ask: fn(&Workspace) -> Option<Error>, #[case] part: &str) {
    let error = ask(&site()).unwrap();
    let text = error.to_string();
    assert!(text.contains(part), "{text}");
    assert!(error.source().is_none() && !error.diagnostics().is_empty());
}

#[test]
fn a_site_is_found_upward() {
    let folder = tempfile::tempdir().unwrap();
    let deep = folder.path().join("posts/2026");
    fs::create_dir_all(&deep).unwrap();
    let missing = Workspace::open(&deep).unwrap_err();
    assert_eq!(missing.diagnostics()[0].code, Code::MissingSettings);
    fs::write(folder.path().join("tabulae.toml"), SETTINGS).unwrap();
    fs::write(deep.join("lime.md"), "---\ndate: 2026-03-01\n---\n").unwrap();
    let site = Workspace::open(&deep).unwrap();
    assert_eq!(site.query("").unwrap().len(), 1);
    let mut output = DiskOutput::new(folder.path().join("public")).unwrap();
    let report = site.build(&mut output, BuildOptions::default()).unwrap();
    assert!(report.written > 0 && folder.path().join("public/2026/lime/index.html").exists());
    // The state is the site's.
    assert!(folder.path().join(".tabulae/lock").exists());
}

#[test]
fn a_file_is_no_output_folder() {
    let folder = tempfile::tempdir().unwrap();
    let path = folder.path().join("out");
    fs::write(&path, "x").unwrap();
    let error = DiskOutput::new(&path).unwrap_err();
    assert_eq!(error.diagnostics()[0].code, Code::UnwritableFile);
}

/// Texts that are not on disk are checked, and nothing is changed.
#[rstest]
#[case::sound("posts/new.md", "---\ndate: 2026-01-01\n---\n", None)]
#[case::broken_post("posts/2026-03-01-sand.md", "---\ndate: 2026-13-01\n---\n", Some((Code::InvalidDate, 2)))]
#[case::broken_template("templates/post.html", "a\n{{ post.titel }}", Some((Code::TemplateError, 2)))]
#[case::broken_settings("tabulae.toml", "[site\n", Some((Code::SettingsSyntax, 1)))]
fn texts_of_an_editor_are_checked(
    #[case] path: &str,
    #[case] text: &str,
    #[case] expected: Option<(Code, usize)>,
) {
    let (files, site) = (files(), site());
    let found = site.check_with([(path, text)]);
    let found = found.iter().find(|diagnostic| diagnostic.is_error());
    let found = found.map(|diagnostic| {
        assert_eq!(diagnostic.location.file.as_deref(), Some(path));
        (diagnostic.code, diagnostic.location.line)
    });
    assert_eq!(found, expected);
    assert_eq!(site.check(), []);
    assert_eq!(files.files().len(), 4);
}

#[test]
fn a_cancelled_build_writes_nothing() {
    let (site, mut output) = (site(), MemoryOutput::default());
    let flag = AtomicBool::new(true);
    let options = BuildOptions::default().cancel(&flag);
    let report = site.build(&mut output, options).unwrap();
    assert!(report.cancelled && output.files().is_empty());
    let report = site.build(&mut output, BuildOptions::default()).unwrap();
    assert!(!report.cancelled && report.written == output.files().len());
}
