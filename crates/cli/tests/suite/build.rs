use crate::site::Site;
use insta::assert_snapshot;
use serde_json::json;

#[test]
fn a_build_says_what_it_did_for_programs() {
    let site = Site::small();
    site.write(
        "posts/2026-12-01-soon.md",
        "---\ndate: 2026-12-01 09:00\n---\n",
    );
    site.write("posts/d.md", "---\ndraft: true\n---\n");
    let run = site.run(&["build", "--format", "json", "--today", "2026-06-01"]);
    let pages = site
        .tree("out")
        .iter()
        .filter(|(path, _)| path.ends_with(".html"))
        .count();
    assert_eq!(
        run.json(),
        json!({
            "pages": pages,
            "read": { "posts": 3, "pages": 0 },
            "excluded": { "draft": 1, "scheduled": 1 },
            "written": 14, "unchanged": 0, "removed": 0, "unknown": [], "yields": [],
            "addresses": { "feeds_lost": [], "exports_lost": [], "lost": [], "published": [], "withdrawn": [], "feed_ids": [] },
            "next_due": "2026-12-01T09:00:00Z",
            "diagnostics": [],
        })
    );
    assert_eq!(run.status, 0);
    let again = site
        .run(&["--format=json", "--today=2026-06-01", "build"])
        .json();
    assert_eq!(
        (&again["written"], &again["unchanged"]),
        (&json!(0), &json!(14))
    );
}

#[test]
fn a_build_says_what_it_did_for_people() {
    let site = Site::small();
    let run = site.run(&["build", "--today", "2026-06-01"]);
    let text = run.sound().out.replace(char::is_numeric, "0");
    assert_snapshot!(text, @r"
    Built 0 pages in 0.00 s (00 changed, 0 removed).
    Read 0 post; the site is in out/.
    ");
}

#[test]
fn a_diagnostic_shows_the_line_with_a_caret_and_what_to_do() {
    let site = Site::small();
    site.run(&["build"]).sound();
    let before = site.tree("out");
    site.write(
        "posts/bad.md",
        "---\ntitle: Größe\tx\ndate: 14 March\n---\n",
    );
    site.write("posts/worse.md", "---\ndate: 2026-01-01\nslug: a/b\n---\n");
    let run = site.run(&["build"]);
    assert_eq!(run.status, 1);
    assert_snapshot!(run.err, @r#"
    posts/bad.md:3:7: error: "14 March" is not a date in a known form [invalid-date]
        date: 14 March
              ^^^^^^^^
      help: write one of 2026-03-14, 2026-03-14 09:00, 2026-03-14T09:00:00Z or 2026-03-14T09:00+01:00

    posts/worse.md:3:7: error: the slug "a/b" has `/`, which is not allowed [invalid-slug]
        slug: a/b
              ^^^
      help: a slug has only letters, digits, marks and `-` `_` `.` `~`; write "a-b"

    2 errors.
    "#);
    assert_snapshot!(run.out, @"Build failed: 2 errors. Nothing was written.");
    assert_eq!(site.tree("out"), before);
}

#[test]
fn an_error_is_one_of_the_objects_diagnostics() {
    let site = Site::small();
    site.write("posts/bad.md", "---\ndate: 14 March\n---\n");
    let run = site.run(&["build", "--format", "json"]);
    assert_eq!(run.status, 1);
    assert_eq!(
        run.json()["diagnostics"],
        json!([{
            "severity": "error", "code": "invalid-date", "file": "posts/bad.md", "line": 2, "column": 7,
            "message": "\"14 March\" is not a date in a known form",
            "help": "write one of 2026-03-14, 2026-03-14 09:00, 2026-03-14T09:00:00Z or 2026-03-14T09:00+01:00",
            "edits": [],
        }])
    );
    let kept = site.run(&["build", "--format", "json", "--keep-going"]);
    assert_eq!((kept.status, &kept.json()["written"]), (1, &json!(14)));
}

#[test]
fn no_settings_is_said_with_the_way_out() {
    let run = Site::empty().run(&["build"]);
    assert_eq!(run.status, 1);
    assert_snapshot!(run.err, @r"
    tabulae.toml:1:1: error: there is no tabulae.toml here [missing-settings]
      help: go to the site's folder, name it with `-C DIR`, or make a site with `tabulae init DIR`
    ");
}

#[test]
fn another_folder_can_be_written_to_and_each_has_its_own_manifest() {
    let site = Site::small();
    site.run(&["build"]).sound();
    site.run(&["build", "--out", "other"]).sound();
    assert_eq!(site.tree("out"), site.tree("other"));
    std::fs::remove_file(site.file("posts/2026-03-14-lime.md")).expect("removed");
    site.write("posts/2026-03-15-new.md", "New.\n");
    site.run(&["build"]).sound();
    assert!(
        !site.file("out/2026/lime").exists() && site.file("other/2026/lime/index.html").exists()
    );
}

#[test]
fn a_dry_run_touches_nothing() {
    let site = Site::small();
    let run = site.run(&["build", "--dry-run"]);
    assert!(run.sound().out.contains("make     2026/lime/index.html"));
    assert!(!site.file("out").exists() && !site.file(".tabulae").exists());
}

#[cfg(unix)]
#[test]
fn no_link_within_out_is_followed() {
    use std::os::unix::fs::symlink;
    let site = Site::small();
    let elsewhere = Site::empty();
    elsewhere.write("kept.txt", "kept");
    std::fs::create_dir(site.file("out")).expect("a folder");
    symlink(elsewhere.path(), site.file("out/tags")).expect("a link");
    let run = site.run(&["build"]);
    assert_eq!(run.status, 3);
    assert!(run.err.contains("symbolic link"), "{}", run.err);
    assert_eq!(elsewhere.tree(".").len(), 1);
    assert_eq!(site.tree("out").len(), 1, "nothing was written");
    std::fs::remove_file(site.file("out/tags")).expect("removed");
    symlink(elsewhere.file("kept.txt"), site.file("out/index.html")).expect("a link");
    let run = site.run(&["build"]);
    assert!(run.err.contains("foreign-file"), "{}", run.err);
    assert!(site.file("out/index.html").is_symlink());
    site.run(&["build", "--adopt"]).sound();
    assert_eq!(elsewhere.read("kept.txt"), "kept");
    assert!(!site.file("out/index.html").is_symlink());
}

#[test]
fn a_file_of_someone_else_stays_until_it_is_adopted() {
    let site = Site::small();
    site.write("out/index.html", "HAND");
    site.write("out/robots.txt", "HAND");
    let run = site.run(&["build"]);
    assert_eq!(run.status, 1);
    assert!(
        run.err.contains("out/index.html:1:1: error:"),
        "{}",
        run.err
    );
    assert!(run.err.contains("`tabulae build --adopt`"), "{}", run.err);
    assert_eq!(site.tree("out").len(), 2, "nothing was written");
    let run = site.run(&["build", "--adopt"]);
    let said = &run.sound().out;
    assert!(
        said.contains("No known build wrote 1 file in out;"),
        "{said}"
    );
    assert!(site.read("out/index.html").starts_with("<!doctype html>"));
    let run = site.run(&["build", "--verbose"]);
    assert!(run.sound().out.contains("  unknown  robots.txt\n"));
    let run = site.run(&["build", "--prune"]);
    let said = &run.sound().out;
    assert!(said.contains("prune    robots.txt"), "{said}");
    assert!(!site.file("out/robots.txt").exists());
}

/// The manifest knows the output folder by its path within the site.
#[test]
fn after_a_site_was_moved_a_retracted_post_goes_offline() {
    let site = Site::empty();
    site.write(
        "a/tabulae.toml",
        "[site]\ntitle = \"Log\"\naddress = \"https://x.example/\"\n",
    );
    site.write("a/posts/2026-03-14-lime.md", "Lime.\n");
    site.write("a/posts/2026-03-15-secret.md", "Secret.\n");
    site.run(&["-C", "a", "build"]).sound();
    assert!(site.file("a/out/2026/secret/index.html").exists());
    std::fs::rename(site.file("a"), site.file("b")).expect("moved");
    std::fs::remove_file(site.file("b/posts/2026-03-15-secret.md")).expect("retracted");
    site.run(&["-C", "b", "build"]).sound();
    assert!(!site.file("b/out/2026/secret").exists());
    assert!(site.file("b/out/2026/lime/index.html").exists());
}

#[rstest::rstest]
#[case::the_site(".", "is or contains the site's own folder")]
#[case::above("..", "is or contains the site's own folder")]
#[case::posts("posts/out", "overlaps with the site's folder `posts`")]
#[case::assets("assets/out", "overlaps with the site's folder `assets`")]
#[case::memory(".tabulae/out", "overlaps with the site's folder `.tabulae`")]
fn an_output_folder_among_the_sources_is_refused(#[case] out: &str, #[case] said: &str) {
    let site = Site::small();
    let run = site.run(&["build", "--out", out]);
    assert_eq!(run.status, 2, "{}", run.err);
    assert!(run.err.contains(said), "{}", run.err);
    assert_eq!(site.tree(".").len(), 2, "nothing was written");
}

#[cfg(target_os = "linux")]
#[test]
fn a_write_error_on_standard_output_is_said() {
    let site = Site::small();
    let full = std::fs::File::options()
        .write(true)
        .open("/dev/full")
        .expect("a full device");
    let run = std::process::Command::new(env!("CARGO_BIN_EXE_tabulae"))
        .args(["query", "from posts"])
        .current_dir(site.path())
        .stdout(full)
        .output()
        .expect("a run");
    assert_eq!(run.status.code(), Some(3));
    let said = String::from_utf8_lossy(&run.stderr);
    assert!(said.contains("cannot write to standard output: "), "{said}");
}

#[test]
fn a_damaged_memory_is_as_if_it_were_deleted() {
    let site = Site::small();
    site.run(&["build"]).sound();
    let whole = site.tree("out");
    for (name, _) in site.tree(".tabulae") {
        site.write(&format!(".tabulae/{name}"), "damaged");
    }
    site.run(&["build"]).sound();
    assert_eq!(site.tree("out"), whole);
}

#[test]
fn what_a_cut_off_build_left_is_cleared_away() {
    let site = Site::small();
    site.run(&["build"]).sound();
    site.write("out/new/.index.html.tabulae-part", "half");
    site.write(".tabulae/lock", "a build is under way\n");
    site.run(&["build"]).sound();
    assert!(!site.file("out/new").exists());
}

#[test]
fn a_second_build_at_the_same_time_is_refused() {
    let site = Site::small();
    site.run(&["build"]).sound();
    let lock = std::fs::File::options()
        .write(true)
        .open(site.file(".tabulae/lock"))
        .expect("the lock");
    lock.lock().expect("held");
    let run = site.run(&["build"]);
    assert_eq!(run.status, 3);
    assert!(run.err.contains("[build-locked]"), "{}", run.err);
}

#[test]
fn a_file_where_out_should_be_is_said() {
    let site = Site::small();
    site.write("out", "a file");
    let run = site.run(&["build", "--format", "json"]);
    assert_eq!(run.status, 3);
    assert_eq!(run.json()["diagnostics"][0]["code"], "unwritable-file");
    assert_eq!(site.read("out"), "a file");
}

#[test]
fn a_first_build_that_fails_leaves_nothing_behind() {
    let site = Site::small();
    site.write("pages/x.html", "{{ nothing }}");
    let run = site.run(&["build"]);
    assert_eq!(run.status, 1);
    let left: Vec<String> = site
        .tree(".tabulae")
        .into_iter()
        .map(|(name, _)| name)
        .collect();
    assert_eq!(left, ["lock"]);
    let folders = std::fs::read_dir(site.file(".tabulae"))
        .expect("a folder")
        .count();
    assert!(folders == 1 && !site.file("out").exists());
}

/// After a power cut a file system may leave files empty or short that were renamed into place.
#[rstest::rstest]
#[case::as_usual(&["build"])]
#[case::synced(&["build", "--sync"])]
fn outputs_that_became_short_are_repaired(#[case] words: &[&str]) {
    let site = Site::small();
    site.run(words).sound();
    let whole = site.tree("out");
    for (number, (name, bytes)) in whole.iter().enumerate() {
        let length = if number % 2 == 0 { 0 } else { bytes.len() / 2 };
        site.write(&format!("out/{name}"), &bytes[..length]);
    }
    site.run(words).sound();
    assert_eq!(site.tree("out"), whole);
}

/// A build that would wait for the writer of a pipe would wait for ever.
#[cfg(unix)]
#[rstest::rstest]
#[case::post("posts/2026-01-01-pipe.md", "unreadable-file")]
#[case::asset("assets/pipe.txt", "unreadable-file")]
#[case::page("pages/pipe.md", "unreadable-file")]
#[case::template("templates/post.html", "unreadable-file")]
#[case::note("terms/tag/lime.md", "unreadable-file")]
#[case::settings("tabulae.toml", "unreadable-file")]
#[case::lock(".tabulae/lock", "unwritable-file")]
#[case::output("out/index.html", "foreign-file")]
fn a_pipe_is_an_error_and_no_hang(#[case] path: &str, #[case] code: &str) {
    let site = Site::small();
    let pipe = site.file(path);
    std::fs::create_dir_all(pipe.parent().expect("a folder")).expect("a folder");
    let _ = std::fs::remove_file(&pipe);
    let made = std::process::Command::new("mkfifo").arg(&pipe).status();
    assert!(made.expect("mkfifo").success());
    let run = site.run(&["build"]);
    assert!(run.err.contains(code), "{}", run.err);
    assert!(run.err.contains(path), "{}", run.err);
}

#[cfg(unix)]
#[test]
fn a_link_out_of_the_site_is_refused_unless_that_is_allowed() {
    use std::os::unix::fs::symlink;
    let site = Site::small();
    let elsewhere = Site::empty();
    elsewhere.write("secret.txt", "secret");
    site.write("posts/inside.txt", "inside");
    std::fs::create_dir(site.file("assets")).expect("a folder");
    symlink(
        site.file("posts/inside.txt"),
        site.file("assets/inside.txt"),
    )
    .expect("a link");
    site.run(&["build"]).sound();
    assert_eq!(site.read("out/inside.txt"), "inside");
    symlink(elsewhere.file("secret.txt"), site.file("assets/secret.txt")).expect("a link");
    let run = site.run(&["build"]);
    assert_eq!(run.status, 1);
    assert!(
        run.err.contains("cannot read `assets/secret.txt`"),
        "{}",
        run.err
    );
    assert!(run.err.contains("`follow_links = true`"), "{}", run.err);
    assert!(!site.file("out/secret.txt").exists());
    let settings = site.read("tabulae.toml") + "follow_links = true\n";
    site.write("tabulae.toml", settings);
    site.run(&["build"]).sound();
    assert_eq!(site.read("out/secret.txt"), "secret");
}

#[cfg(unix)]
#[test]
fn a_folder_of_the_site_may_be_a_link() {
    use std::os::unix::fs::symlink;
    let site = Site::small();
    let elsewhere = Site::empty();
    elsewhere.write("logo.svg", "<svg/>");
    symlink(elsewhere.path(), site.file("assets")).expect("a link");
    site.run(&["build"]).sound();
    assert_eq!(site.read("out/logo.svg"), "<svg/>");
}

#[test]
fn a_source_beyond_the_limit_names_the_key_that_raises_it() {
    let site = Site::small();
    let settings = site.read("tabulae.toml") + "source_limit = 1\n";
    site.write("tabulae.toml", settings);
    site.write("assets/large.bin", vec![b'x'; 2 << 20]);
    site.run(&["build"]).sound();
    site.write("posts/2026-01-01-large.md", vec![b'x'; (1 << 20) + 1]);
    let run = site.run(&["build"]);
    let said = "cannot read `posts/2026-01-01-large.md`: it has 2 MB, of at most 1";
    assert!(run.err.contains(said), "{}", run.err);
    assert!(
        run.err.contains("raise `source_limit` in `[site]`"),
        "{}",
        run.err
    );
}
