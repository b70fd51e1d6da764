//! Sources as they are: which files are posts, data files, and fields within maps.

use rstest::rstest;

use super::bench::{Bench, said};

#[test]
fn files_that_are_left_out_are_neither_posts_nor_published() {
    let mut bench = Bench::new("[content.posts]\nexclude = [\"README.md\", \"old/**\"]\n")
        .with("posts/2026-01-01-lime/index.md", "Lime.\n")
        .with("posts/2026-01-01-lime/README.md", "Not for readers.\n")
        .with("posts/2026-01-01-lime/a.png", "a")
        .with("posts/old/2020-01-01-x.md", "Old.\n")
        .with("posts/README.md", "Not for readers.\n");
    bench.sound();
    let files = bench.files();
    assert!(files.contains(&"2026/lime/a.png".to_owned()));
    assert!(
        !files
            .iter()
            .any(|file| file.to_lowercase().contains("readme") || file.contains("2020")),
        "{files:?}"
    );
    // A file that is no post any more leaves no page.
    bench.after_edit("posts/2026-01-02-notes.md", Some("Notes.\n"));
    assert!(bench.files().contains(&"2026/notes/index.html".to_owned()));
    let settings = format!(
        "{}[content.posts]\nexclude = [\"README.md\", \"old/**\", \"*-notes.md\"]\n",
        super::SITE
    );
    bench.after_edit("tabulae.toml", Some(&settings));
    assert!(!bench.files().contains(&"2026/notes/index.html".to_owned()));
}

#[rstest]
#[case::yaml("gate.yaml", "title: The gate\ntags: [oak]\ndate: 2026-03-01\n")]
#[case::yml("gate.yml", "---\ntitle: The gate\ntags: [oak]\ndate: 2026-03-01\n")]
#[case::toml(
    "gate.toml",
    "title = \"The gate\"\ntags = [\"oak\"]\ndate = 2026-03-01\n"
)]
#[case::json(
    "gate.json",
    "{\"title\": \"The gate\", \"tags\": \"oak\", \"date\": \"2026-03-01\"}"
)]
fn a_data_file_is_a_post_without_a_text(#[case] name: &str, #[case] text: &str) {
    let path = format!("posts/{name}");
    let mut bench = Bench::new("[content.posts]\nfiles = [\"*.md\", \"gate.*\"]\n")
        .with("posts/2026-01-01-lime.md", "Lime.\n")
        .with(&path, text);
    bench.sound();
    let page = bench.page("2026/gate/index.html");
    assert!(
        page.contains("<h1>The gate</h1>") && page.contains("<div class=\"text\">\n\n</div>"),
        "{page}"
    );
    assert!(bench.page("tags/oak/index.html").contains("The gate"));
    let written = bench.after_edit(&path, Some(&text.replace("The gate", "A gate")));
    assert!(written.contains(&"2026/gate/index.html".to_owned()));
    assert!(
        bench
            .page("2026/gate/index.html")
            .contains("<h1>A gate</h1>")
    );
}

#[test]
fn a_file_that_cannot_be_a_post_is_an_error_at_the_settings() {
    let mut bench = Bench::new("[content.posts]\nfiles = [\"*.md\", \"*.txt\"]\n")
        .with("posts/2026-01-01-lime.md", "Lime.\n")
        .with("posts/a.txt", "A.\n")
        .with("posts/b.txt", "B.\n");
    assert_eq!(
        said(&bench.build().diagnostics),
        "tabulae.toml:5:10: `files` of `posts` names posts/a.txt, which cannot be a post\n  a post ends in .md, .markdown, .html, .yaml, .yml, .toml or .json; name other files in `exclude`\n"
    );
}

#[test]
fn an_error_in_a_data_file_has_its_place() {
    let mut bench = Bench::new("[content.posts]\nfiles = [\"*.yaml\"]\ndated = false\n")
        .with("posts/a.yaml", "title: A\ndraft: maybe\n");
    assert_eq!(
        said(&bench.build().diagnostics),
        "posts/a.yaml:2:8: `draft` must be true or false, and this is text\n  write true or false, without quotes\n"
    );
}

#[test]
fn a_long_ending_is_markdown() {
    let mut bench = Bench::new("")
        .with("posts/2026-01-01-lime.markdown", "# Lime\n\n*Slow*.\n")
        .with("pages/about.markdown", "# About\n\n*Us*.\n");
    bench.sound();
    assert!(bench.page("2026/lime/index.html").contains("<em>Slow</em>"));
    assert!(bench.page("about/index.html").contains("<em>Us</em>"));
}

/// A field within a map, in a query and in a template.
#[test]
fn the_help_for_an_unknown_field_looks_into_maps() {
    let mut bench = Bench::new("[archive.talk]\nquery = \"where comments > 3\"\n")
        .with("posts/2026-01-01-a.md", "---\ninfo: { comments: 5 }\n---\n");
    let found = said(&bench.build().diagnostics);
    assert!(
        found
            .contains("no post of `posts` has a field `comments`\n  did you mean `info.comments`?"),
        "{found}"
    );
    let mut bench = Bench::new("")
        .with("posts/2026-01-01-a.md", "---\ninfo: { comments: 5 }\n---\n")
        .with("templates/parts/card.html", "{{ post.comments }}");
    let found = said(&bench.build().diagnostics);
    assert!(
        found.contains("no post has a field `comments`\n  did you mean `post.info.comments`?"),
        "{found}"
    );
}

#[test]
fn the_help_for_a_missing_date_looks_into_maps() {
    let mut bench = Bench::new("")
        .with("posts/a.md", "---\ninfo: { since: 2026-01-01 }\n---\n")
        .with("posts/b.md", "---\ninfo: { since: 2026-01-02 }\n---\n");
    let found = said(&bench.build().diagnostics);
    assert!(
        found.contains(
            "`info.since` is a date in 2 of them: write `date = [\"date\", \"info.since\"]`"
        ),
        "{found}"
    );
}

/// RFC 4287 and readers take an entry for updated after it was published.
#[test]
fn no_feed_entry_is_updated_before_it_is_published() {
    let mut bench = Bench::new("")
        .with(
            "posts/a.md",
            "---\ndate: 2026-03-01T09:00\nupdated: 2026-02-01\n---\n",
        )
        .with(
            "posts/b.md",
            "---\ndate: 2026-03-02T09:00\nupdated: 2026-03-02\n---\n",
        );
    bench.sound();
    let atom = bench.page("atom.xml");
    let of = |name: &str| -> Vec<String> {
        let tag = format!("<{name}>");
        let texts = atom.split(&tag).skip(1);
        texts
            .map(|rest| rest.split('<').next().unwrap().to_owned())
            .collect()
    };
    let published = ["2026-03-02T09:00:00Z", "2026-03-01T09:00:00Z"];
    assert_eq!(of("published"), published);
    // The first is that of the feed.
    assert_eq!(of("updated")[1..], published);
    assert!(!bench.page("2026/b/index.html").contains("updated"));
}

#[test]
fn a_mapped_field_is_in_queries_and_templates() {
    let mut bench = Bench::new("[content.posts.fields]\npart = [\"info.part\"]\n[archive.parts]\nby = \"part\"\nlink = \"/part/{part}/\"\n")
        .with("posts/2026-01-01-a.md", "---\ninfo: { part: Two }\n---\n")
        .with("templates/parts/card.html", "<p>{{ post.part }}</p>");
    bench.sound();
    assert!(bench.page("part/two/index.html").contains("<p>Two</p>"));
}

/// A date in another form is known by a common one, also where the key is unknown.
#[rstest]
#[case::unknown_key(
    "info: { since: 14.03.2026 }",
    "write `date = [\"date\", \"info.since\"]` below `[content.posts.fields]`, and `date_formats = [\"%d.%m.%Y\"]` in `[content.posts]`"
)]
#[case::known_key(
    "date: March 14, 2026",
    "or allow this form by `date_formats = [\"%B %d, %Y\"]` in the table of the content set"
)]
fn a_date_in_another_form_is_told_with_the_line_to_write(#[case] front: &str, #[case] help: &str) {
    let post = format!("---\n{front}\n---\n");
    let mut bench = Bench::new("").with("posts/a.md", &post);
    let found = said(&bench.build().diagnostics);
    assert!(found.trim_end().ends_with(help), "{found}");
}
