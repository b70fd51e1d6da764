//! Builds write, keep and remove files of the output folder.

use std::collections::BTreeMap;
use std::num::NonZeroUsize;

use rstest::rstest;

use super::bench::Bench;
use super::{Out, small, titles};
use crate::publish::{Destination, DiskOutput};
use crate::report::ChangeKind;

#[test]
fn the_same_sources_give_the_same_bytes_on_any_number_of_threads() {
    let bench = small();
    let build = |threads| {
        let mut out = Out::default();
        let options = bench.options().jobs(NonZeroUsize::new(threads));
        bench.workspace().build(&mut out, options).unwrap();
        out.files()
    };
    assert_eq!(build(1), build(4));
}

#[test]
fn a_second_build_writes_nothing() {
    let mut bench = small();
    bench.sound();
    let _ = bench.out.take_published();
    let report = bench.sound();
    assert_eq!((report.written, report.unchanged), (0, 20));
    assert!(bench.out.take_published().is_empty());
}

#[test]
fn an_edit_writes_what_it_touches_and_equals_a_clean_build() {
    let mut bench = small();
    bench.sound();
    let body = bench.after_edit(
        "posts/2025-01-02-old.md",
        Some("---\ntitle: Old\n---\n\nLong ago.\n\nMore.\n"),
    );
    assert_eq!(body, ["2025/old/index.html"]);
    let title = bench.after_edit(
        "posts/2025-01-02-old.md",
        Some("---\ntitle: Older\n---\n\nLong ago.\n"),
    );
    assert_eq!(
        title,
        [
            "2025/index.html",
            "2025/old/index.html",
            // Its page leads to the post before it.
            "2026/lime/index.html",
            "atom.xml",
            "index.html"
        ]
    );
    let gone = bench.after_edit("posts/2026-04-01-boat.md", None);
    assert!(
        gone.contains(&"index.html".to_owned())
            && !bench.files().iter().any(|path| path.contains("boat"))
    );
}

#[test]
fn what_nothing_makes_any_more_is_removed_and_nothing_else() {
    let mut bench = small();
    bench.sound();
    bench.out.put("notes.txt", "by hand");
    bench.sources.remove("posts/2026-04-01-boat.md");
    let report = bench.sound();
    assert_eq!(report.removed, 2);
    assert_eq!(bench.page("notes.txt"), "by hand");
}

#[test]
fn an_output_that_was_deleted_or_edited_is_written_again() {
    let mut bench = small();
    bench.sound();
    let whole = bench.page("index.html");
    bench.out.put("index.html", "edited");
    assert_eq!(bench.sound().written, 1);
    assert_eq!(bench.page("index.html"), whole);
}

#[test]
fn a_file_of_someone_else_at_an_outputs_place_is_refused() {
    let mut bench = small();
    bench.sound();
    bench.out.put("2026/new/index.html", "by hand");
    bench.sources.write("posts/2026-05-01-new.md", "New.\n");
    assert_eq!(
        bench.diagnostics(),
        [(
            "foreign-file".to_owned(),
            "out/2026/new/index.html".to_owned(),
            1,
            1
        )]
    );
    assert_eq!(bench.page("2026/new/index.html"), "by hand");
    assert!(!bench.page("index.html").contains("New"));
    bench.foreign.adopt = true;
    let report = bench.sound();
    assert_eq!(report.written, 7);
    let why = |path: &str| {
        let mut changes = report.changes.iter();
        changes
            .find(|change| change.path == path)
            .map(|change| &*change.why)
    };
    assert_eq!(why("2026/new/index.html"), Some("no known build wrote it"));
    assert!(bench.page("2026/new/index.html").contains("New."));
}

#[test]
fn without_its_memory_a_build_takes_over_only_what_it_would_write() {
    let mut bench = small();
    bench.sound();
    // All files are as this build makes them: taken over without a word.
    bench.out.forget();
    let report = bench.sound();
    assert_eq!((report.written, report.unknown.len()), (0, 0));
    // One is not, and it is not known who wrote it.
    bench.out.forget();
    bench.out.put("index.html", "<p>HAND");
    bench.out.put("robots.txt", "HAND");
    let before = bench.out.files();
    assert_eq!(
        bench.diagnostics(),
        [diagnostic("foreign-file", "out/index.html")]
    );
    assert_eq!(bench.out.files(), before);
    bench.foreign.adopt = true;
    let report = bench.sound();
    assert_eq!(
        (report.written, report.unknown),
        (1, vec!["robots.txt".to_owned()])
    );
    assert_eq!(bench.page("robots.txt"), "HAND");
}

#[test]
fn many_files_of_no_known_build_are_counted() {
    let mut bench = small();
    bench.sound();
    for path in bench.files() {
        bench.out.put(&path, "other bytes");
    }
    bench.out.forget();
    let built = bench.build();
    assert_eq!(built.diagnostics.len(), 11);
    let last = &built.diagnostics[10].message;
    assert_eq!(
        last,
        "10 more files of `out` were written by no known build"
    );
}

fn diagnostic(code: &str, file: &str) -> (String, String, usize, usize) {
    (code.to_owned(), file.to_owned(), 1, 1)
}

#[test]
fn a_retracted_post_goes_offline_even_if_its_page_was_changed() {
    let mut bench = small();
    bench.sound();
    bench.out.put("2025/old/index.html", "<p>minified");
    bench.sources.remove("posts/2025-01-02-old.md");
    bench.sound();
    assert!(bench.out.text("2025/old/index.html").is_none());
}

#[test]
fn files_of_no_known_build_are_counted_and_pruned_when_that_is_asked_for() {
    let mut bench = small();
    bench.out.put("old/index.html", "an older build's");
    bench.out.put("CNAME", "x.example");
    assert_eq!(bench.sound().unknown, ["CNAME", "old/index.html"]);
    // A build that finds nothing changed says so as well.
    assert_eq!(bench.sound().unknown, ["CNAME", "old/index.html"]);
    bench.foreign.prune = true;
    bench.dry_run = true;
    let report = bench.sound();
    let pruned: Vec<_> = report.changes.iter().map(|c| (c.kind, &*c.path)).collect();
    let listed = [
        (ChangeKind::Prune, "CNAME"),
        (ChangeKind::Prune, "old/index.html"),
    ];
    assert_eq!(pruned, listed);
    assert_eq!(bench.page("CNAME"), "x.example");
    bench.dry_run = false;
    let report = bench.sound();
    assert_eq!((report.removed, report.unknown.len()), (2, 0));
    assert!(bench.out.text("CNAME").is_none());
    assert!(bench.out.text("index.html").is_some());
}

/// Each would write outside of the output folder, or where no file can be.
#[rstest]
#[case::old_address(
    "moved_from: \"/%2e%2e/%2e%2e/tabulae.toml\"",
    "",
    "invalid-address",
    "posts/2026-03-14-x.md",
    2
)]
#[case::old_address_of_the_own_host(
    "moved_from: \"https://x.example/%2e%2e/posts/ok.md\"",
    "",
    "invalid-address",
    "posts/2026-03-14-x.md",
    2
)]
#[case::old_address_with_a_nul(
    "moved_from: \"/a%00b/\"",
    "",
    "invalid-address",
    "posts/2026-03-14-x.md",
    2
)]
#[case::feed(
    "",
    "[feed.f]\nlink = \"/%2e%2e/%2e%2e/tabulae.toml\"\n",
    "invalid-link-pattern",
    "tabulae.toml",
    6
)]
#[case::feed_by_its_name("", "[feed.\"../../q\"]\n", "invalid-path", "tabulae.toml", 5)]
#[case::archive(
    "",
    "[archive.a]\nlink = \"/%2e%2e/q/\"\n",
    "invalid-link-pattern",
    "tabulae.toml",
    6
)]
#[case::archive_by_its_name(
    "",
    "[archive.\"%2e%2e/%2e%2e/q\"]\n",
    "invalid-link-pattern",
    "tabulae.toml",
    5
)]
#[case::overview(
    "",
    "[archive.a]\nby = \"tag\"\noverview = \"/.%2e/q/\"\n",
    "invalid-link-pattern",
    "tabulae.toml",
    7
)]
#[case::content(
    "",
    "[content.posts]\nlink = \"/%2e%2e/{slug}/\"\n",
    "invalid-link-pattern",
    "tabulae.toml",
    6
)]
#[case::content_by_its_name(
    "",
    "[content.posts]\n[content.\"../../z\"]\n",
    "invalid-value",
    "tabulae.toml",
    6
)]
#[case::long_name("moved_from: /LONG/", "", "invalid-path", "posts/2026-03-14-x.md", 2)]
fn no_address_leads_out_of_the_output_folder(
    #[case] front: &str,
    #[case] settings: &str,
    #[case] code: &str,
    #[case] file: &str,
    #[case] line: usize,
) {
    let front = front.replace("LONG", &"é".repeat(200));
    let mut bench = Bench::new(settings).with(
        "posts/2026-03-14-x.md",
        &format!("---\n{front}\ntags: [x]\n---\nText\n"),
    );
    let diagnostics = bench.diagnostics();
    let found = diagnostics
        .iter()
        .any(|(found, path, at, _)| (&**found, &**path, *at) == (code, file, line));
    assert!(found, "{diagnostics:?}");
    assert_eq!(bench.files(), [""; 0]);
}

#[rstest]
#[case::posts("slug: Lime", "slug: lime", true)]
#[case::a_redirect("slug: sand\nid: a\nmoved_from: /2026/LIME/", "slug: lime", false)]
fn paths_that_differ_only_in_case_are_refused(
    #[case] one: &str,
    #[case] other: &str,
    #[case] error: bool,
) {
    let mut bench = Bench::new("[archive.all]\nlink = \"/\"\n")
        .with("posts/2026-03-14-a.md", &format!("---\n{one}\n---\nText\n"))
        .with(
            "posts/2026-03-15-b.md",
            &format!("---\n{other}\n---\nText\n"),
        );
    let built = bench.build();
    let found: Vec<_> = built
        .diagnostics
        .iter()
        .map(|d| (d.code.name(), d.is_error()))
        .collect();
    assert_eq!(found, [("path-case-conflict", error)]);
}

#[test]
fn a_path_that_windows_cannot_hold_is_a_warning() {
    let mut bench = Bench::new("")
        .with("assets/aux.txt", "a")
        .with("posts/2026-03-14-x.md", "Text\n");
    assert_eq!(
        bench.diagnostics(),
        [diagnostic("path-not-portable", "assets/aux.txt")]
    );
    assert_eq!(bench.page("aux.txt"), "a");
}

#[test]
fn a_dry_run_says_what_would_change_and_writes_nothing() {
    let mut bench = small();
    bench.sound();
    let before = bench.out.files();
    bench.sources.write("posts/2026-05-01-new.md", "New.\n");
    bench.sources.remove("posts/2025-01-02-old.md");
    bench.dry_run = true;
    let report = bench.sound();
    let made: Vec<_> = report
        .changes
        .iter()
        .filter(|c| c.kind == ChangeKind::Make)
        .map(|c| c.path.as_str())
        .collect();
    assert_eq!(made, ["2026/new/index.html"]);
    let removed: Vec<_> = report
        .changes
        .iter()
        .filter(|c| c.kind == ChangeKind::Remove)
        .map(|c| c.path.as_str())
        .collect();
    assert_eq!(removed, ["2025/index.html", "2025/old/index.html"]);
    assert_eq!(bench.out.files(), before);
}

#[test]
fn excluded_posts_are_in_no_list_and_counted() {
    let mut bench = small()
        .with(
            "posts/d.md",
            "---\ndraft: true\ntags: secret\n---\nDraft.\n",
        )
        .with("posts/2026-06-02-s.md", "---\ntitle: Soon\n---\nSoon.\n")
        .with(
            "posts/2026-06-01-t.md",
            "---\ndate: 2026-06-01 13:30\ntitle: Sooner\n---\nSoon.\n",
        )
        .with(
            "posts/2026-01-02-e.md",
            "---\nexpires: 2026-02-01\n---\nGone.\n",
        )
        .with(
            "posts/2026-01-03-u.md",
            "---\nunlisted: true\ntitle: Quiet\n---\nQuiet.\n",
        );
    let report = bench.sound();
    assert_eq!(
        report.excluded,
        BTreeMap::from([
            ("draft".to_owned(), 1),
            ("expired".to_owned(), 1),
            ("scheduled".to_owned(), 2),
            ("unlisted".to_owned(), 1)
        ])
    );
    let due = report.next_due.unwrap();
    assert_eq!(
        (due.at.at.to_string().as_str(), due.title.as_str()),
        ("2026-06-01T12:30:00Z", "Sooner")
    );
    assert_eq!(titles(&bench.page("index.html")).len(), 3);
    assert!(bench.page("2026/u/index.html").contains("Quiet"));
    let all: String = bench
        .out
        .files()
        .values()
        .map(|bytes| String::from_utf8_lossy(bytes).into_owned())
        .collect();
    assert!(!all.contains("secret") && !all.contains("Soon") && !all.contains("Gone"));
    assert!(!bench.page("sitemap.xml").contains("/2026/u/"));
    bench.include.drafts = true;
    bench.include.scheduled = true;
    bench.sound();
    assert!(bench.files().contains(&"tags/secret/index.html".to_owned()));
    assert_eq!(titles(&bench.page("index.html")).len(), 6);
}

/// In the order of a walk, folder by folder, whatever is longer than what; without files that are staged.
#[test]
fn files_are_listed_folder_by_folder() {
    let folder = tempfile::tempdir().unwrap();
    let out = folder.path().join("out");
    let listed = || DiskOutput::new(&out).unwrap().list().unwrap();
    assert_eq!(listed(), Vec::<String>::new());
    let files = [
        "a/b/c",
        "a/b.c",
        "a-b/c",
        "a.txt",
        "b",
        ".c/d",
        "a/b/.c.tabulae-part",
    ];
    for file in files {
        let path = out.join(file);
        std::fs::create_dir_all(path.parent().unwrap()).unwrap();
        std::fs::write(path, "").unwrap();
    }
    let walk = walkdir::WalkDir::new(&out).sort_by_file_name().into_iter();
    let walked = walk
        .map(Result::unwrap)
        .filter(|entry| entry.file_type().is_file());
    let walked = walked.map(|entry| {
        let below = entry.path().strip_prefix(&out).unwrap();
        below.to_str().unwrap().to_owned()
    });
    let expected: Vec<String> = walked.filter(|path| !path.ends_with("-part")).collect();
    assert_eq!(expected.len(), 6);
    assert_eq!(listed(), expected);
}

/// A folder can be as deep as a path is long, and a thread has little room.
#[cfg(unix)]
#[test]
fn a_deep_output_folder_is_listed() {
    let folder = tempfile::tempdir().unwrap();
    let deep = format!("out{}", "/a".repeat(1_900));
    std::fs::create_dir_all(folder.path().join(&deep)).unwrap();
    std::fs::write(folder.path().join(&deep).join("b"), "").unwrap();
    let listed = DiskOutput::new(folder.path().join("out")).unwrap().list();
    assert_eq!(listed.unwrap(), [format!("{}b", "a/".repeat(1_900))]);
}
