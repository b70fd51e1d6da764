use crate::site::Site;
use insta::assert_snapshot;
use rstest::rstest;
use serde_json::json;

fn site() -> Site {
    let site = Site::empty();
    site.write(
        "tabulae.toml",
        "[site]\ntitle = \"Log\"\naddress = \"https://x.example/\"\ndefaults = false\n[archive.journal]\nquery = \"from posts where year = 2026 and tag = 'lime' limit 2\"\n[archive.tags]\nby = \"tag\"\nat_least = 2\n[related]\nweigh = { tag = 1 }\n",
    );
    let post = |path: &str, front: &str| site.write(path, format!("---\n{front}\n---\n\nText.\n"));
    post(
        "posts/2026-03-03-a.md",
        "title: A\ntags: [lime, stone]\nhours: 3",
    );
    post("posts/2026-03-02-b.md", "title: B\ntags: lime");
    post(
        "posts/2026-03-01-c.md",
        "title: C\ntags: [lime]\nrelated: [d]",
    );
    post("posts/2025-03-01-d.md", "title: D\ntags: stone");
    post("posts/2026-12-01-e.md", "title: E\ntags: lime");
    site
}

#[test]
fn a_post_is_explained() {
    let run = site().run(&["explain", "c", "--today", "2026-06-01"]);
    assert_snapshot!(run.sound().out, @r"
    posts/2026-03-01-c.md, /2026/c/
    live: no key excludes it

    Fields
    title    C                      posts/2026-03-01-c.md:2:8
    link     /2026/c/               the link pattern of its content set
    slug     c                      the file's name
    path     posts/2026-03-01-c.md  where the file is
    set      posts                  derived
    date     2026-03-01             the file's name
    updated  2026-03-01             its date
    year     2026                   its date, in the site's time zone
    month    3                      its date, in the site's time zone
    day      1                      its date, in the site's time zone
    summary  Text.                  its text
    words    1                      its text
    minutes  1                      its text
    tag      lime                   posts/2026-03-01-c.md:3:7
    related  d                      posts/2026-03-01-c.md:4:10

    Lists
    tags  lime  /tags/lime/

    Related
    0.000000000  D  posts/2025-03-01-d.md  named by the post itself
    1.000000000  B  posts/2026-03-02-b.md
      1.000000000 tag: lime
    0.610711699  A  posts/2026-03-03-a.md
      0.610711699 tag: lime
    ");
}

#[test]
fn a_post_is_explained_for_programs() {
    let object = site()
        .run(&[
            "explain",
            "posts/2026-03-03-a.md",
            "--format",
            "json",
            "--today",
            "2026-06-01",
        ])
        .sound()
        .json();
    assert_eq!(object["path"], "posts/2026-03-03-a.md");
    assert_eq!(object["link"], "/2026/a/");
    assert_eq!(object["state"], "live");
    assert_eq!(object["fields"]["hours"], "3");
    assert_eq!(object["sources"]["hours"], "posts/2026-03-03-a.md:4:8");
    assert_eq!(
        object["lists"],
        json!([
            { "archive": "journal", "term": null, "page": 1, "link": "/journal/" },
            { "archive": "tags", "term": "lime", "page": 1, "link": "/tags/lime/" },
            { "archive": "tags", "term": "stone", "page": 1, "link": "/tags/stone/" },
        ])
    );
    // N = 4, df: lime 3, stone 2; x = ln(1 + 4/3) = 0.847297860, y = ln(1 + 4/2) = 1.098612289.
    // d is (y): y/√(x² + y²) = 0.791853030; b and c are (x): 0.610711699.
    let related = object["related"].as_array().unwrap();
    let likeness: Vec<_> = related
        .iter()
        .map(|post| {
            (
                post["path"].as_str().unwrap(),
                post["likeness"].as_f64().unwrap(),
            )
        })
        .collect();
    assert_eq!(
        likeness,
        [
            ("posts/2025-03-01-d.md", 0.791_853_03),
            ("posts/2026-03-02-b.md", 0.610_711_699),
            ("posts/2026-03-01-c.md", 0.610_711_699),
        ]
    );
    assert_eq!(related[0]["parts"], json!({ "tag": 0.791_853_03 }));
    assert_eq!(related[0]["shared"], json!({ "tag": ["stone"] }));
}

#[rstest]
#[case::there(
    "a",
    "journal",
    "It is in `journal`: its query finds the post: /journal/."
)]
#[case::a_test_fails(
    "d",
    "journal",
    "It is not in `journal`: `year = 2026` is false for it."
)]
#[case::beyond_the_limit(
    "c",
    "journal",
    "It is not in `journal`: it is beyond the query's limit."
)]
#[case::excluded(
    "e",
    "journal",
    "It is not in `journal`: it is excluded: its date 2026-12-01 is after now, 2026-06-01 00:00."
)]
fn an_archive_says_why_a_post_is_or_is_not_there(
    #[case] post: &str,
    #[case] archive: &str,
    #[case] expected: &str,
) {
    let run = site().run(&["explain", post, "--in", archive, "--today", "2026-06-01"]);
    assert_eq!(run.sound().out.trim(), expected);
}

#[rstest]
#[case::post(&["explain", "limes"], "there is no post `limes`")]
#[case::archive(&["explain", "a", "--in", "jurnal"], "there is no archive `jurnal`")]
fn what_is_not_there_is_wrong_usage(#[case] args: &[&str], #[case] message: &str) {
    let run = site().run(args);
    assert_eq!(run.status, 2);
    assert!(run.err.contains(message), "{}", run.err);
}
