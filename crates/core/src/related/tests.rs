use super::*;
use crate::id::LocaleId;
use crate::testing::Small;
use rstest::rstest;

/// Newest first a b c d e; e shares nothing, c is a draft.
const POSTS: [(&str, &str, &str); 5] = [
    (
        "posts/a.md",
        "title: A\ndate: 2026-03-05\ntags: [lime, stone]",
        "",
    ),
    (
        "posts/b.md",
        "title: B\ndate: 2026-03-04\ntags: [lime]\nrelated: [e, posts/c.md, b]",
        "",
    ),
    (
        "posts/c.md",
        "title: C\ndate: 2026-03-03\ntags: [lime, stone]\ndraft: true",
        "",
    ),
    (
        "posts/d.md",
        "title: D\ndate: 2026-03-02\ntags: [stone]",
        "",
    ),
    ("posts/e.md", "title: E\ndate: 2026-03-01", ""),
];

#[rstest]
#[case::most_alike_first(
    "query = \"from posts where likeness > 0 order by likeness desc limit 3\"",
    "a",
    "bd"
)]
#[case::never_more_than_the_limit(
    "query = \"from posts where likeness > 0 order by likeness desc limit 1\"",
    "a",
    "b"
)]
#[case::short_without_fill(
    "query = \"from posts where likeness > 0 order by likeness desc limit 3\"",
    "d",
    "a"
)]
#[case::filled(
    "query = \"from posts where likeness > 0 order by likeness desc limit 3\"\nfill = \"from posts order by date desc\"",
    "d",
    "abe"
)]
#[case::nothing_alike(
    "query = \"from posts where likeness > 0 order by likeness desc limit 3\"",
    "e",
    ""
)]
#[case::pinned_first_without_drafts_and_itself(
    "query = \"from posts where likeness > 0 order by likeness desc limit 2\"",
    "b",
    "ea"
)]
#[case::older_only(
    "query = \"from posts where date < this.date order by date desc limit 2\"",
    "a",
    "bd"
)]
#[case::default_query("", "a", "bd")]
#[case::fill_with_its_own_limit(
    "query = \"from posts where likeness > 2 limit 3\"\nfill = \"from posts limit 2\"",
    "d",
    "ab"
)]
fn a_list_is_what_the_post_names_then_the_query_then_the_fill(
    #[case] related: &str,
    #[case] this: &str,
    #[case] expected: &str,
) {
    let small = Small::new(
        &format!("[related]\nweigh = {{ tag = 1 }}\n{related}\n"),
        &POSTS,
    );
    let list = RelatedList::new(
        small.settings.related.as_ref().unwrap(),
        &small.settings,
        small.scope(),
    );
    assert_eq!(list.diagnostics, []);
    let this = small.catalogue.find(this, LocaleId::SITE).unwrap();
    let posts = list.output.unwrap().of(&small.catalogue, this);
    let titles = posts
        .iter()
        .map(|id| small.catalogue.post(*id).title.to_lowercase());
    assert_eq!(titles.collect::<String>(), expected);
}

#[rstest]
#[case::no_limit(
    "query = \"from posts where likeness > 0\"",
    5,
    10,
    "the query of the related posts has no limit"
)]
#[case::misspelt(
    "query = \"from posts where likenes > 0 limit 3\"",
    5,
    27,
    "no post of `posts` has a field `likenes`"
)]
#[case::fill(
    "fill = \"from pots\"",
    5,
    14,
    "there is no content set or named query `pots`"
)]
fn a_query_that_makes_no_list_is_refused_at_its_place(
    #[case] related: &str,
    #[case] line: usize,
    #[case] column: usize,
    #[case] message: &str,
) {
    let small = Small::new(&format!("[related]\n{related}\n"), &POSTS);
    let list = RelatedList::new(
        small.settings.related.as_ref().unwrap(),
        &small.settings,
        small.scope(),
    );
    let found: Vec<_> = list
        .diagnostics
        .iter()
        .map(|diagnostic| {
            (
                diagnostic.location.line,
                diagnostic.location.column,
                diagnostic.message.as_str(),
            )
        })
        .collect();
    assert_eq!(found, [(line, column, message)]);
}
