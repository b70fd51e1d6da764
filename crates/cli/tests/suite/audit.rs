use crate::site::Site;
use insta::assert_snapshot;
use rstest::rstest;
use serde_json::json;

/// A site with a few findings of several kinds.
fn site() -> Site {
    let site = Site::small();
    site.write(
        "posts/2026-01-01-a.md",
        "---\ntags: [limes, stone]\n---\n\nSee [lime](/2026/lim/).\n",
    );
    site
}

#[test]
fn findings_are_grouped_and_counted() {
    let run = site().run(&["audit", "--today", "2026-06-01"]);
    assert_snapshot!(run.sound().out, @r#"
    3 single-post-term: Only one post has a term.
      posts/2026-03-14-lime.md:3:8: only one post has the tag "lime"
      posts/2026-01-01-a.md:2:8: only one post has the tag "limes"
      posts/2026-01-01-a.md:2:15: only one post has the tag "stone"
        help: give it to more posts, or delete it

    1 broken-link: A link within the site leads nowhere.
      posts/2026-01-01-a.md:5:12: `/2026/lim/` leads nowhere: the site has no /2026/lim/
        help: did you mean /2026/lime/?

    1 empty-month: A month has no posts, though the months around it have.
      tabulae.toml:1:1: no post of `posts` in 2026-02
        help: if one is missing, look for a draft or a wrong date

    1 near-duplicate-terms: Two terms are probably one.
      posts/2026-03-14-lime.md:3:8: the tag "lime" (1) is probably "limes" (1): they differ by an ending
        help: `tabulae terms tag` prints the note that joins them

    6 findings, none of them an error.
    2 findings can be corrected by `tabulae audit --fix`.
    "#);
}

#[test]
fn only_the_first_few_are_shown() {
    let site = Site::small();
    for tag in 'a'..='k' {
        let front = format!("---\ntags: {tag}{tag}{tag}\n---\n\nText.\n");
        site.write(&format!("posts/2026-03-01-{tag}.md"), front);
    }
    let lines = |words: &[&str]| {
        let run = site.run(words);
        let kind = run
            .sound()
            .out
            .split("\n\n")
            .find(|kind| kind.contains(" single-post-term: "));
        kind.map_or(0, |kind| kind.lines().count())
    };
    // Heading, findings, help, and how many more.
    assert_eq!(lines(&["audit"]), 1 + 6 + 1 + 1);
    assert_eq!(lines(&["audit", "--all"]), 1 + 12 + 1);
}

#[rstest]
#[case::as_it_is("", &[], 0)]
#[case::denied("", &["--deny", "single-post-term"], 1)]
#[case::of_another_kind("", &["--deny", "implausible-date"], 0)]
#[case::all("", &["--deny", "all"], 1)]
#[case::settings("[audit]\ndeny = [\"single-post-term\"]\n", &[], 1)]
#[case::settings_answered("[audit]\ndeny = [\"single-post-term\"]\n", &["--allow", "single-post-term"], 0)]
#[case::nothing_left("[audit]\nallow = [\"single-post-term\", \"near-duplicate-terms\"]\n", &["--deny", "all", "--allow", "empty-month", "--allow", "broken-link"], 0)]
fn what_is_denied_ends_with_1(#[case] settings: &str, #[case] words: &[&str], #[case] status: i32) {
    let site = site();
    let text = site.read("tabulae.toml") + settings;
    site.write("tabulae.toml", text);
    let run = site.run(&[&["audit"], words].concat());
    assert_eq!((run.status, run.err.as_str()), (status, ""), "{}", run.out);
}

#[test]
fn findings_are_listed_for_programs() {
    let run = site().run(&["audit", "--format", "json", "--deny", "broken-link"]);
    assert_eq!(run.status, 1);
    let object = run.json();
    assert_eq!(
        object["counts"],
        json!({ "broken-link": 1, "empty-month": 1, "near-duplicate-terms": 1, "single-post-term": 3 })
    );
    let broken = object["diagnostics"].as_array().expect("a list").iter();
    let broken = broken.filter(|diagnostic| diagnostic["severity"] == "error");
    let broken: Vec<_> = broken.map(|diagnostic| &diagnostic["line"]).collect();
    assert_eq!(broken, [&json!(5)]);
}

#[rstest]
#[case::option(&["audit", "--deny", "single-post-terms"], "did you mean `single-post-term`?")]
#[case::errors_too(&["audit", "--allow", "x"], "such as `single-post-term`")]
fn a_code_that_there_is_not_is_wrong_usage(#[case] words: &[&str], #[case] help: &str) {
    let run = site().run(words);
    assert_eq!((run.status, run.out.as_str()), (2, ""));
    assert!(run.err.contains(help), "{}", run.err);
}

#[test]
fn what_keeps_a_site_from_being_built_is_an_error() {
    let site = site();
    site.write("posts/b.md", "---\ndate: soon\n---\n");
    let run = site.run(&["audit", "--allow", "invalid-date"]);
    assert_eq!(run.status, 1);
    let first = run.out.lines().nth(1).unwrap_or_default();
    let expected = "  posts/b.md:2:7: error: \"soon\" is not a date in a known form";
    assert_eq!(first, expected);
}

/// A site with slips in two files, and something that a person has to decide.
fn slips() -> Site {
    let site = Site::small();
    let settings = site.read("tabulae.toml");
    let feed = "[feed.lime]\nquery = \"from posts where tagg == 'lime'\"\n";
    site.write("tabulae.toml", format!("{settings}{feed}"));
    site.write(
        "posts/2026-03-15-a.md",
        "---\r\nsumary: A\r\ntags: lime\r\n---\r\n[x](/nowhere/)\r\n",
    );
    site
}

#[test]
fn slips_are_corrected_after_a_diff() {
    let site = slips();
    let before = site.read("posts/2026-03-15-a.md");
    let found = site.run(&["audit"]);
    assert!(
        found
            .out
            .ends_with("can be corrected by `tabulae audit --fix`.\n"),
        "{}",
        found.out
    );
    let dry = site.run(&["audit", "--fix", "--dry-run"]);
    assert!(dry.out.contains("-sumary: A\n+summary: A\n"), "{}", dry.out);
    assert!(
        dry.out.contains("Would correct 3 findings in 2 files.\n"),
        "{}",
        dry.out
    );
    assert_eq!(site.read("posts/2026-03-15-a.md"), before);
    let run = site.run(&["audit", "--fix"]);
    assert_eq!(run.status, 0, "{}", run.err);
    assert!(
        run.out.contains("Corrected 3 findings in 2 files.\n"),
        "{}",
        run.out
    );
    assert_eq!(
        site.read("posts/2026-03-15-a.md"),
        before.replace("sumary", "summary")
    );
    assert!(
        site.read("tabulae.toml")
            .ends_with("query = \"from posts where tag = 'lime'\"\n")
    );
    // What is left is for a person.
    assert!(run.out.contains("`/nowhere/` leads nowhere"), "{}", run.out);
    assert!(
        site.run(&["audit", "--fix"])
            .out
            .starts_with("Nothing to correct.\n")
    );
}

#[test]
fn corrections_are_for_programs_too() {
    let site = slips();
    let found = site.run(&["audit", "--format", "json"]).json();
    let edits = found["diagnostics"].as_array().expect("a list").iter();
    let edits: Vec<_> = edits
        .flat_map(|found| found["edits"].as_array().expect("a list"))
        .collect();
    let expected = serde_json::json!({
        "file": "posts/2026-03-15-a.md", "line": 2, "column": 1, "old": "sumary", "new": "summary",
    });
    assert!(edits.contains(&&expected), "{edits:?}");
    let fixed = site
        .run(&["audit", "--fix", "--dry-run", "--format", "json"])
        .json();
    assert_eq!(fixed["fixed"], 3);
    assert_eq!(fixed["changes"][0]["path"], "posts/2026-03-15-a.md");
}

/// Diagnostics of an allowed code are not corrected.
#[test]
fn what_is_allowed_is_not_corrected() {
    let site = slips();
    let run = site.run(&["audit", "--fix", "--allow", "unknown-key"]);
    assert!(
        run.out.contains("Corrected 2 findings in 1 file.\n"),
        "{}",
        run.out
    );
    assert!(site.read("posts/2026-03-15-a.md").contains("sumary"));
}
