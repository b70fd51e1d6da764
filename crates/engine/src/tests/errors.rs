//! Errors with their places; limits.

use rstest::rstest;
use tabulae_core::diagnostic::Code;

use super::bench::Bench;
use super::{small, titles};

#[rstest]
#[case::no_settings("tabulae.toml", None, "missing-settings", "tabulae.toml", 1, 1)]
#[case::broken_settings("tabulae.toml", Some("[site"), "settings-syntax", "tabulae.toml", 1, 6)]
#[case::yaml(
    "posts/a.md",
    Some("---\ntitle: a: b\n---\n"),
    "front-matter-syntax",
    "posts/a.md",
    2,
    9
)]
#[case::toml(
    "posts/a.md",
    Some("+++\ntitle = a\n+++\n"),
    "front-matter-syntax",
    "posts/a.md",
    2,
    9
)]
#[case::json(
    "posts/a.md",
    Some("{\"title\": a}"),
    "front-matter-syntax",
    "posts/a.md",
    1,
    11
)]
#[case::no_date("posts/a.md", Some("x"), "missing-date", "posts/a.md", 1, 1)]
#[case::same_address(
    "posts/2026-04-02-boat.md",
    Some("x"),
    "address-conflict",
    "posts/2026-04-01-boat.md",
    1,
    1
)]
#[case::asset_and_page(
    "assets/2026/lime/index.html",
    Some("x"),
    "address-conflict",
    "assets/2026/lime/index.html",
    1,
    1
)]
#[case::asset_and_folder("assets/tags", Some("x"), "address-conflict", "tabulae.toml", 1, 1)]
#[case::empty_term(
    "posts/2026-04-02-x.md",
    Some("---\ntags: ['++']\n---\n"),
    "empty-slug",
    "posts/2026-04-02-x.md",
    2,
    8
)]
#[case::template(
    "templates/post.html",
    Some("{% if %}"),
    "template-syntax",
    "templates/post.html",
    1,
    7
)]
#[case::unknown_name(
    "templates/post.html",
    Some("a\n{{ post.titel }}"),
    "template-error",
    "templates/post.html",
    2,
    4
)]
#[case::unknown_filter(
    "templates/post.html",
    Some("{{ post.title|uper }}"),
    "template-error",
    "templates/post.html",
    1,
    15
)]
#[case::query_in_template(
    "pages/x.html",
    Some(
        "---\ntitle: x\n---\n{% for p in query(\"from posts where categry = 'x'\") %}{% endfor %}"
    ),
    "unknown-field",
    "pages/x.html",
    4,
    37
)]
fn bad_input_is_refused_with_its_place_and_nothing_is_written(
    #[case] path: &str,
    #[case] text: Option<&str>,
    #[case] code: &str,
    #[case] file: &str,
    #[case] line: usize,
    #[case] column: usize,
) {
    let mut bench = small();
    bench.sound();
    let before = bench.out.files();
    match text {
        Some(text) => bench.sources.write(path, text),
        None => bench.sources.remove(path),
    }
    let first = bench.diagnostics().into_iter().next();
    assert_eq!(
        first,
        Some((code.to_owned(), file.to_owned(), line, column))
    );
    assert_eq!(bench.out.files(), before);
}

#[test]
fn two_terms_at_one_address_name_both() {
    let mut bench = small()
        .with("posts/2026-05-01-x.md", "---\ntags: [a.b]\n---\n")
        .with("posts/2026-05-02-y.md", "---\ntags: [a/b]\n---\n");
    let built = bench.build();
    let diagnostic = &built.diagnostics[0];
    assert_eq!(diagnostic.code, Code::AddressConflict);
    assert!(
        diagnostic.message.contains("\"a.b\"") && diagnostic.message.contains("\"a/b\""),
        "{}",
        diagnostic.message
    );
}

#[test]
fn every_diagnostic_of_a_run_is_reported_together() {
    let mut bench = small()
        .with("posts/a.md", "---\ndate: soon\nslug: a/b\n---\n")
        .with("posts/b.md", "---\ntags: {a: b}\ndate: 2026-02-30\n---\n")
        .with("posts/c.md", "---\nopen\n");
    bench.sources.write(
        "posts/d.md",
        b"---\ndate: 2026-01-01\n---\n\xff\xfe".to_vec(),
    );
    let found: Vec<_> = bench
        .diagnostics()
        .into_iter()
        .map(|(code, file, line, _)| format!("{file}:{line} {code}"))
        .collect();
    assert_eq!(
        found,
        [
            "posts/a.md:2 invalid-date",
            "posts/a.md:3 invalid-slug",
            "posts/b.md:3 invalid-date",
            "posts/b.md:2 invalid-type",
            "posts/c.md:1 unclosed-front-matter",
            "posts/d.md:4 invalid-utf8",
        ]
    );
    assert!(bench.files().is_empty());
}

#[test]
fn a_build_that_keeps_going_leaves_out_the_broken_posts_only() {
    let mut bench = small()
        .with("posts/a.md", "---\ndate: soon\n---\n")
        .with("posts/2026-05-01-b.md", "---\nrelated: nothing\n---\n");
    bench.keep_going = true;
    let built = bench.build();
    assert_eq!(built.diagnostics.len(), 2);
    assert_eq!(
        titles(&bench.page("index.html")),
        ["A boat", "Lime &amp; sand", "Old"]
    );
    let mut settings = small().with("templates/post.html", "{% if %}");
    settings.keep_going = true;
    assert_eq!(settings.build().diagnostics.len(), 1);
    assert!(settings.files().is_empty());
}

#[test]
fn a_folder_without_posts_is_refused_and_one_of_two_is_a_warning() {
    let mut bench = Bench::new("");
    assert_eq!(
        bench.diagnostics(),
        [(
            "missing-content".to_owned(),
            "tabulae.toml".to_owned(),
            1,
            1
        )]
    );
    let mut bench = Bench::new("").with("posts/readme.txt", "x");
    let built = bench.build();
    assert!(built.diagnostics[0].code == Code::EmptyContent && built.diagnostics[0].is_error());
    let mut bench = Bench::new("[content.posts]\n[content.notes]\ndated = false\n")
        .with("posts/2026-01-01-a.md", "")
        .with("notes/x.txt", "");
    let built = bench.build();
    assert!(built.diagnostics[0].code == Code::EmptyContent && !built.diagnostics[0].is_error());
    assert!(bench.files().contains(&"2026/a/index.html".to_owned()));
}

#[rstest]
#[case::two_posts(
    &[("posts/b/lime.md", "---\ndate: 2026-03-14\n---\n")],
    "",
    "give one of them another `slug`"
)]
#[case::two_terms(
    &[("posts/b.md", "---\ndate: 2026-03-14\ntags: [C++, c plus plus]\n---\n")],
    "",
    "to make one term of both, run `tabulae terms tag --write-notes`; for two terms, write `slug: c-plus-plus-2` into the front matter of a note `terms/tag/c plus plus.md`"
)]
#[case::two_values(
    &[("posts/b.md", "---\ndate: 2026-03-14\nplace: St Ives\n---\n"), ("posts/c.md", "---\ndate: 2026-03-14\nplace: St. Ives\n---\n")],
    "[archive.places]\nby = \"place\"\nlink = \"/places/{place}/\"\n",
    "write both values alike, or so that they differ in letters or digits"
)]
#[case::a_page_and_a_list(
    &[("pages/index.html", "Home")],
    "[archive.all]\nlink = \"/\"\n",
    "give the page `pages/index.html` another `slug`, or the archive `all` another `link`"
)]
#[case::an_asset_and_an_old_address(
    &[("assets/old.html", ""), ("pages/a.md", "---\nmoved_from: /old.html\n---\n")],
    "",
    "give the asset `assets/old.html` another name, or the old address of `pages/a.md` another `moved_from`"
)]
#[case::a_file_and_a_folder(
    &[("assets/tags", "")],
    "",
    "give the asset `assets/tags` another name, or the overview of the archive `tags` another `overview`"
)]
#[case::what_has_a_fixed_address(
    &[("posts/search.md", "---\ndate: 2026-03-14\n---\n")],
    "search = true\n[content.posts]\nlink = \"/{slug}/\"\n",
    "give the post `posts/search.md` another `slug`"
)]
fn two_makers_of_one_output_are_told_the_way_out(
    #[case] files: &[(&str, &str)],
    #[case] settings: &str,
    #[case] way_out: &str,
) {
    let mut bench =
        Bench::new(settings).with("posts/lime.md", "---\ndate: 2026-03-14\ntags: lime\n---\n");
    for (path, text) in files {
        bench.sources.write(path, *text);
    }
    let built = bench.build();
    let helps: Vec<_> = built
        .diagnostics
        .iter()
        .filter_map(|diagnostic| diagnostic.help.as_deref())
        .collect();
    assert_eq!(helps, [way_out]);
}

#[rstest]
#[case::script("image: \"javascript:alert(1)\"", "invalid-address")]
#[case::page("image: \"data:text/html,<p>\"", "invalid-address")]
#[case::too_many_terms(&format!("tags: [{}]", (0..1001).map(|n| format!("t{n},")).collect::<String>()), "invalid-value")]
#[case::too_deep_a_term(&format!("tags: [\"{}x\"]", "a/".repeat(32)), "invalid-value")]
fn front_matter_has_limits(#[case] front: &str, #[case] code: &str) {
    let mut bench = Bench::new("").with("posts/2026-03-14-x.md", &format!("---\n{front}\n---\n"));
    assert_eq!(bench.codes(), [code]);
}
