use rstest::rstest;

use super::audit;
use crate::diagnostic::{Code, Diagnostic};
use crate::post::{Body, Notes};
use crate::testing::Small;

const SETS: &str = "[content.posts]\n[content.fleet]\ndated = false\nterms = [\"class\"]\n";

/// Returns the diagnostics of some posts, as `code path:line: message`.
fn found(posts: &[(&str, &str)]) -> Vec<String> {
    let posts: Vec<_> = posts
        .iter()
        .map(|(path, front)| (*path, *front, "<p>Text.</p>"))
        .collect();
    let site = Small::new(SETS, &posts);
    let found = audit(&site.catalogue, &site.settings, &site.moment);
    found.iter().map(shown).collect()
}

fn shown(diagnostic: &Diagnostic) -> String {
    let file = diagnostic.location.file.as_deref().unwrap_or_default();
    let (code, line) = (diagnostic.code.name(), diagnostic.location.line);
    format!("{code} {file}:{line}: {}", diagnostic.message)
}

/// Returns the diagnostics of one code.
fn only(code: Code, posts: &[(&str, &str)]) -> Vec<String> {
    let mut found = found(posts);
    found.retain(|found| found.starts_with(code.name()));
    found
        .iter()
        .filter_map(|found| Some(found.split_once(' ')?.1.to_owned()))
        .collect()
}

#[test]
fn nothing_is_found_where_nothing_is_wrong() {
    let posts = [
        ("posts/a.md", "date: 2026-03-01\nsummary: A.\ntags: lime"),
        ("posts/b.md", "date: 2026-04-01\nsummary: B.\ntags: lime"),
    ];
    assert_eq!(found(&posts), [""; 0]);
}

#[test]
fn a_listed_post_without_a_summary() {
    let posts = [
        ("posts/a.md", "title: A\ndate: 2026-03-01"),
        ("posts/b.md", "date: 2026-03-01\nsummary: \"\""),
        ("posts/c.md", "date: 2026-03-01\nsummary: C."),
        ("posts/d.md", "date: 2026-03-01\ndraft: true"),
    ];
    let found = only(Code::MissingSummary, &posts);
    let none = "no summary, and no text to take it from";
    assert_eq!(
        found,
        [
            format!("posts/a.md:2: {none}"),
            format!("posts/b.md:2: {none}")
        ]
    );
}

#[rstest]
#[case::nobody_does(0, 0)]
#[case::others_do(1, 2)]
fn a_summary_cut_from_the_text(#[case] own: usize, #[case] expected: usize) {
    let posts: Vec<(String, String)> = (0..3)
        .map(|at| {
            let summary = if at < own { "summary: S." } else { "hours: 1" };
            let front = format!("date: 2026-03-01\n{summary}");
            (format!("posts/{at}.md"), front)
        })
        .collect();
    let texts = posts.iter().map(|(path, front)| {
        let notes = Notes {
            first_paragraph: Some("Text.".to_owned()),
            ..Notes::default()
        };
        let html = "<p>Text.</p>".to_owned().into();
        (
            path.as_str(),
            front.as_str(),
            Body {
                html,
                notes,
                ..Body::default()
            },
        )
    });
    let site = Small::with_bodies(SETS, texts.collect());
    let found = audit(&site.catalogue, &site.settings, &site.moment);
    let missing = found
        .iter()
        .filter(|diagnostic| diagnostic.code == Code::MissingSummary);
    assert_eq!(missing.count(), expected);
}

#[test]
fn a_post_that_was_updated_before_its_date() {
    let posts = [
        ("posts/a.md", "date: 2026-03-01\nupdated: 2026-02-01"),
        ("posts/b.md", "date: 2026-03-01\nupdated: 2026-03-01"),
        // A day alone is no earlier than a time on it.
        ("posts/c.md", "date: 2026-03-01T09:00\nupdated: 2026-03-01"),
        (
            "posts/d.md",
            "date: 2026-03-01T09:00\nupdated: 2026-03-01T08:00",
        ),
    ];
    assert_eq!(
        only(Code::UpdatedEarly, &posts),
        [
            "posts/d.md:3: updated 2026-03-01T08:00:00Z, before its date 2026-03-01T09:00:00Z",
            "posts/a.md:3: updated 2026-02-01, before its date 2026-03-01",
        ]
    );
}

#[rstest]
#[case::none(&["2026-01-31", "2026-02-01"], &[])]
#[case::one_month(&["2026-01-31", "2026-03-01"], &["no post of `posts` in 2026-02"])]
#[case::over_the_year(&["2025-11-01", "2026-02-01"], &["no post of `posts` from 2025-12 to 2026-01, 2 months"])]
#[case::two_gaps(&["2025-01-01", "2025-03-01", "2025-05-01"], &["no post of `posts` in 2025-04", "no post of `posts` in 2025-02"])]
#[case::ages(&["2026-01-01", "1026-01-01", "2026-02-01"], &["no post of `posts` from 1026-02 to 2025-12, 11999 months"])]
fn months_without_a_post(#[case] days: &[&str], #[case] expected: &[&str]) {
    let posts: Vec<(String, String)> = days
        .iter()
        .enumerate()
        .map(|(at, day)| (format!("posts/{at}.md"), format!("date: {day}")))
        .collect();
    let posts: Vec<_> = posts
        .iter()
        .map(|(a, b)| (a.as_str(), b.as_str()))
        .collect();
    let expected: Vec<String> = expected
        .iter()
        .map(|message| format!("tabulae.toml:4: {message}"))
        .collect();
    assert_eq!(only(Code::EmptyMonth, &posts), expected);
}

#[test]
fn terms_of_one_post_and_terms_that_are_probably_one() {
    let posts = [
        ("posts/a.md", "date: 2026-03-01\ntags: [lock, stone]"),
        ("posts/b.md", "date: 2026-03-02\ntags: [locks, stone]"),
        ("posts/c.md", "date: 2026-03-03\ntags: [locks]"),
    ];
    assert_eq!(
        only(Code::SinglePostTerm, &posts),
        ["posts/a.md:3: only one post has the tag \"lock\""]
    );
    assert_eq!(
        only(Code::NearDuplicateTerms, &posts),
        ["posts/a.md:3: the tag \"lock\" (1) is probably \"locks\" (2): they differ by an ending"]
    );
}

#[rstest]
#[case::as_named("2026-03-14-a.md", "2026-03-15", None)]
#[case::exchanged(
    "a.md",
    "2062-03-14",
    Some("the date 2062-03-14 is 36 years ahead; did you mean 2026-03-14?")
)]
#[case::one_digit(
    "a.md",
    "2036-03-14",
    Some("the date 2036-03-14 is 10 years ahead; did you mean 2026-03-14?")
)]
#[case::far_off(
    "a.md",
    "2977-03-14",
    Some("the date 2977-03-14 is 951 years ahead; look whether it is meant")
)]
#[case::next_year("a.md", "2027-12-31", None)]
#[case::named_otherwise(
    "2026-03-14-a.md",
    "2025-03-14",
    Some("the date is 2025-03-14, and the file's name says 2026-03-14; did you mean 2026-03-14?")
)]
#[case::folder_named(
    "2026-03-14-a/index.md",
    "2026-05-14",
    Some("the date is 2026-05-14, and the file's name says 2026-03-14; did you mean 2026-03-14?")
)]
fn a_date_that_is_a_slip(#[case] file: &str, #[case] day: &str, #[case] expected: Option<&str>) {
    assert_eq!(
        dates(&[(file, day)]),
        expected
            .map(|said| format!("{file}: {said}"))
            .into_iter()
            .collect::<Vec<_>>()
    );
}

/// Odd dates of some files of `posts/`, with what is said of them.
fn dates(files: &[(&str, &str)]) -> Vec<String> {
    let posts: Vec<(String, String, String)> = files
        .iter()
        .map(|(file, day)| {
            (
                format!("posts/{file}"),
                format!("date: {day}"),
                String::new(),
            )
        })
        .collect();
    let site = Small::new(SETS, &posts);
    let found = audit(&site.catalogue, &site.settings, &site.moment);
    let odd = found
        .iter()
        .filter(|diagnostic| diagnostic.code == Code::ImplausibleDate);
    let said = odd.map(|diagnostic| {
        let file = diagnostic.location.file.as_deref().unwrap_or_default();
        let file = file.trim_start_matches("posts/");
        format!(
            "{file}: {}; {}",
            diagnostic.message,
            diagnostic.help.as_deref().unwrap_or_default()
        )
    });
    said.collect()
}

#[rstest]
#[case::rising(["01", "02", "03", "04", "05", "06"])]
#[case::falling(["06", "05", "04", "03", "02", "01"])]
fn a_date_far_from_those_of_the_files_around_it(#[case] names: [&str; 6]) {
    let days = [
        "2026-01-01",
        "2026-01-09",
        "2062-01-20",
        "2026-02-01",
        "2026-03-01",
        "2026-04-01",
    ];
    let days = days.map(|day| day.replace("2062", "2006"));
    let files: Vec<_> = names
        .iter()
        .zip(&days)
        .map(|(a, b)| (*a, b.as_str()))
        .collect();
    let files: Vec<_> = files
        .iter()
        .map(|(name, day)| (format!("{name}.md"), *day))
        .collect();
    let files: Vec<_> = files
        .iter()
        .map(|(name, day)| (name.as_str(), *day))
        .collect();
    let said = dates(&files);
    assert_eq!(said.len(), 1, "{said:?}");
    assert!(said[0].contains("the date is 2006-01-20; the files before and after are of"));
    assert!(said[0].ends_with("did you mean 2026-01-20?"), "{said:?}");
}

#[test]
fn files_in_no_order_tell_nothing() {
    let days = [
        "2026-01-01",
        "2019-01-09",
        "2026-01-20",
        "2018-02-01",
        "2026-03-01",
        "2020-04-01",
    ];
    let names = ["a.md", "b.md", "c.md", "d.md", "e.md", "f.md"];
    let files: Vec<_> = names.into_iter().zip(days).collect();
    assert_eq!(dates(&files), [""; 0]);
}
