use crate::site::Site;
use insta::assert_snapshot;
use rstest::rstest;
use serde_json::json;

fn site() -> Site {
    let site = Site::small();
    for day in 1..=9 {
        site.write(
            &format!("posts/2026-04-0{day}-d{day}.md"),
            format!("---\ntags: [dredging, \"mud no. {day}\"]\n---\n\nText.\n"),
        );
    }
    site.write(
        "posts/2025-01-01-a.md",
        "---\ntags: [dredge, Lime]\ncategory: Gate locks\n---\n\nText.\n",
    );
    site.write(
        "posts/2024-01-01-b.md",
        "---\ntags: Dredge\ncategory: [lock gates, \"R&D\"]\ndraft: true\n---\n\nText.\n",
    );
    site.write(
        "posts/2023-01-01-c.md",
        "---\ntags: Limes\ncategory: [lock gates]\n---\n\nText.\n",
    );
    site.write(
        "terms/tag/lime.md",
        "---\nspellings: [Quicklime, \"lime, hot\"]\n---\n",
    );
    site.write("terms/tag/limes.md", "---\ntitle: Limes\n---\n");
    site
}

#[test]
fn terms_are_shown_with_those_that_look_alike() {
    let run = site().run(&["terms", "category"]);
    assert_snapshot!(run.sound().out, @"
    category: 2 terms
    Gate locks  1  ██████████████████████████████  2025-01-01
    lock gates  1  ██████████████████████████████  2023-01-01

    Probably one term:

    Gate locks 1 / lock gates 1: they differ by the order of their words.
    To join them, write terms/category/lock-gates.md:
    ---
    title: lock gates
    spellings: [Gate locks]
    ---
    ");
    let run = site().run(&["terms", "tag"]);
    let (_, joins) = run
        .sound()
        .out
        .split_once("\nProbably")
        .expect("near_duplicates");
    assert_snapshot!(joins, @r#"
     one term:

    dredge 1 / dredging 9: they differ by an ending.
    To join them, write terms/tag/dredging.md:
    ---
    spellings: [dredge]
    ---

    Limes 1 / Lime 2: they differ by an ending.
    To join them, let the front matter of terms/tag/lime.md say:
    title: Lime
    spellings: [Quicklime, "lime, hot", Limes]
    and delete terms/tag/limes.md.
    "#);
}

#[test]
fn the_note_that_is_shown_joins_them() {
    let site = site();
    let found = site.run(&["terms", "--format", "json"]).sound().json();
    for join in found["near_duplicates"].as_array().expect("a list") {
        let note = join["note"].as_str().expect("a path");
        let text = join["text"].as_str().expect("a text");
        match text.strip_prefix("---") {
            None => site.write(note, format!("---\n{text}---\n")),
            Some(_) => site.write(note, text),
        }
    }
    std::fs::remove_file(site.file("terms/tag/limes.md")).expect("removed");
    let joined = site.run(&["terms", "--format", "json"]).sound().json();
    assert_eq!(joined["near_duplicates"], json!([]));
    let counts: Vec<_> = joined["fields"]["tag"]
        .as_array()
        .expect("a list")
        .iter()
        .map(|term| (term["term"].as_str().expect("text"), &term["count"]))
        .take(2)
        .collect();
    assert_eq!(counts, [("dredging", &json!(10)), ("Lime", &json!(3))]);
}

#[test]
fn terms_are_listed_for_programs() {
    let found = site()
        .run(&["terms", "tags", "--format", "json"])
        .sound()
        .json();
    let tags = found["fields"]["tag"].as_array().expect("a list");
    assert_eq!(
        tags[1],
        json!({ "term": "Lime", "slug": "lime", "count": 2, "first": "2025-01-01",
            "last": "2026-03-14", "spellings": ["Lime", "lime"] })
    );
}

#[rstest]
#[case::near("tga", "did you mean `tag`?")]
#[case::far("place", "`terms = [\"place\"]` in a content set")]
fn a_field_that_is_none_is_wrong_usage(#[case] field: &str, #[case] help: &str) {
    let run = site().run(&["terms", field]);
    assert_eq!((run.status, run.out.as_str()), (2, ""));
    assert!(run.err.contains(help), "{}", run.err);
}

#[test]
fn proposed_notes_are_written_after_they_are_shown() {
    let site = Site::small();
    for (at, tag) in ["José", "Jose", ".Net", "NET"].iter().enumerate() {
        let text = format!("---\ndate: 2026-03-0{}\ntags: [\"{tag}\"]\n---\n", at + 1);
        site.write(&format!("posts/t{at}.md"), text);
    }
    assert_eq!(site.run(&["build"]).status, 1);
    let run = site.run(&["terms", "tag", "--write-notes"]);
    let out = &run.sound().out;
    let shown = out.find("spellings: [Jose]").expect("shown");
    let written = out.find("Wrote 2 notes: ").expect("written");
    assert!(shown < written, "{out}");
    assert!(site.run(&["build"]).sound().out.starts_with("Built "));
    let again = site.run(&["terms", "tag", "--write-notes"]);
    assert!(
        again.sound().out.ends_with("\nWrote 0 notes.\n"),
        "{}",
        again.out
    );
}

#[test]
fn a_note_that_exists_is_not_overwritten() {
    let site = Site::small();
    site.write("posts/a.md", "---\ndate: 2026-03-01\ntags: [dredge]\n---\n");
    site.write(
        "posts/b.md",
        "---\ndate: 2026-03-02\ntags: [dredging]\n---\n",
    );
    site.write(
        "posts/c.md",
        "---\ndate: 2026-03-02\ntags: [dredging]\n---\n",
    );
    site.write("terms/tag/dredging.md", "Of mud.\n");
    let run = site.run(&["terms", "tag", "--write-notes", "--format", "json"]);
    let object = run.json();
    assert_eq!(object["written"], serde_json::json!([]));
    assert_eq!(
        object["diagnostics"][0]["help"],
        "write into its front matter: spellings: [dredge]"
    );
    assert_eq!(site.read("terms/tag/dredging.md"), "Of mud.\n");
}

#[test]
fn no_note_is_written_outside_of_the_folder() {
    let site = Site::small();
    site.write(
        "tabulae.toml",
        site.read("tabulae.toml") + "[terms.tag]\nnested = true\n",
    );
    site.write(
        "posts/a.md",
        "---\ndate: 2026-03-01\ntags: [\"../../../../x/y\", \"../../../../x/y!\"]\n---\n",
    );
    let before = site.tree(".");
    let run = site.run(&["terms", "tag", "--write-notes"]);
    assert_eq!(run.status, 3, "{}", run.err);
    assert!(run.err.contains("cannot write the note"), "{}", run.err);
    assert_eq!(site.tree("."), before);
}

/// On a disk where no byte can be written no empty note is left. The next run would take it for written.
#[cfg(unix)]
#[test]
fn a_note_that_cannot_be_written_is_not_left_in_part() {
    let site = Site::small();
    for (at, tag) in ["dredge", "dredging", "dredging"].iter().enumerate() {
        let text = format!("---\ndate: 2026-03-0{}\ntags: [{tag}]\n---\n", at + 1);
        site.write(&format!("posts/t{at}.md"), text);
    }
    let limited = "trap '' XFSZ; ulimit -f 0; exec \"$0\" terms tag --write-notes";
    let run = std::process::Command::new("sh")
        .args(["-c", limited, env!("CARGO_BIN_EXE_tabulae")])
        .current_dir(site.path())
        .output()
        .expect("a shell");
    let err = String::from_utf8_lossy(&run.stderr);
    assert!(
        err.contains("cannot write the note `terms/tag/dredging.md`"),
        "{err}"
    );
    assert!(!site.file("terms/tag/dredging.md").exists());
}

/// A site of three posts, two of which have the tag.
fn dredges() -> Site {
    let site = Site::small();
    site.write("posts/2026-03-15-a.md", "---\ntags: [dredge, lime]\n---\n");
    site.write("posts/2026-03-16-b.md", "---\ntags:\n- 'Dredge'\n---\n");
    site
}

#[test]
fn a_term_is_renamed_in_all_posts() {
    let site = dredges();
    let words = ["terms", "rename", "tag", "dredge", "dredging"];
    let dry = site.run(&[&words[..], &["--dry-run"]].concat());
    let shown = &dry.sound().out;
    assert!(
        shown.contains("-tags: [dredge, lime]\n+tags: [dredging, lime]\n"),
        "{shown}"
    );
    let last =
        "Would rename `dredge` to `dredging` in 2 posts.\n/tags/dredge/ leads to its new page.\n";
    assert!(shown.ends_with(last), "{shown}");
    assert_eq!(
        site.read("posts/2026-03-15-a.md"),
        "---\ntags: [dredge, lime]\n---\n"
    );
    let run = site.run(&words);
    assert!(
        run.sound()
            .out
            .contains("Renamed `dredge` to `dredging` in 2 posts.")
    );
    assert_eq!(
        site.read("posts/2026-03-15-a.md"),
        "---\ntags: [dredging, lime]\n---\n"
    );
    assert_eq!(
        site.read("posts/2026-03-16-b.md"),
        "---\ntags:\n- 'dredging'\n---\n"
    );
    let note = "---\nmoved_from: /tags/dredge/\n---\n";
    assert_eq!(site.read("terms/tag/dredging.md"), note);
    site.run(&["build"]).sound();
    assert!(
        site.read("out/tags/dredge/index.html")
            .contains("/tags/dredging/")
    );
}

/// Settings and templates are not rewritten: warnings name the places of the old name.
#[test]
fn queries_that_find_nothing_any_more_are_reported() {
    let site = dredges();
    let settings = site.read("tabulae.toml");
    let feed = "[feed.mud]\nquery = \"from posts where tag = 'dredge'\"\n";
    site.write("tabulae.toml", format!("{settings}{feed}"));
    let run = site.run(&["terms", "rename", "tag", "dredge", "dredging"]);
    assert_eq!(run.status, 0);
    assert!(
        run.err
            .contains("no post has the tag \"dredge\" [unused-term]"),
        "{}",
        run.err
    );
}

#[test]
fn renaming_is_for_programs_too() {
    let site = dredges();
    let words = [
        "terms",
        "rename",
        "tag",
        "dredge",
        "lime",
        "--dry-run",
        "--format",
        "json",
    ];
    let object = site.run(&words).sound().json();
    assert_eq!(object["posts"], 2);
    assert_eq!(object["joined"], true);
    assert_eq!(object["moved"], serde_json::json!(["/tags/dredge/"]));
    let first = &object["changes"][0];
    assert_eq!(first["path"], "posts/2026-03-15-a.md");
    assert_eq!(first["after"], "---\ntags: [lime]\n---\n");
}
