//! Exports: what they have, when they are made again, and what is refused.

use rstest::rstest;
use serde_json::{Value, json};

use super::bench::{Bench, said};

const SETTINGS: &str = "[related]\nweigh = { tag = 1 }\n[export.posts]\nquery = \"from posts where tag = 'lime'\"\nlink = \"/data/posts.json\"\nfields = [\"title\", \"link\", \"tag\", \"related\", \"content\", \"info.level\"]\n";

fn bench() -> Bench {
    Bench::new(SETTINGS)
        .with(
            "posts/2026-03-14-lime/index.md",
            "---\ntitle: Lime\ntags: [lime]\ninfo: { level: 3 }\n---\n\nSee [sand](../2026-03-01-sand.md), ![kiln](kiln.png)\n",
        )
        .with("posts/2026-03-14-lime/kiln.png", "png")
        .with("posts/2026-03-01-sand.md", "---\ntitle: Sand\ntags: [lime, sand]\n---\n")
        .with("posts/2026-02-01-oak.md", "---\ntitle: Oak\n---\n")
        .with("posts/hidden.md", "---\ntitle: Hidden\ntags: [lime]\ndraft: true\n---\n")
}

fn json_of(bench: &Bench, path: &str) -> Value {
    serde_json::from_str(&bench.page(path)).unwrap()
}

#[test]
fn an_export_has_the_fields_of_its_posts_with_absolute_addresses() {
    let mut bench = bench();
    bench.sound();
    let tag = json!({ "name": "lime", "slug": "lime", "link": "https://x.example/tags/lime/" });
    let sand = json!({ "name": "sand", "slug": "sand", "link": "https://x.example/tags/sand/" });
    let expected = json!([
        {
            "title": "Lime",
            "link": "https://x.example/2026/lime/",
            "tag": [tag],
            "related": [{ "title": "Sand", "link": "https://x.example/2026/sand/" }],
            "content": "<p>See <a href=\"https://x.example/2026/sand/\">sand</a>, <img src=\"https://x.example/2026/lime/kiln.png\" alt=\"kiln\"></p>\n",
            "info.level": 3,
        },
        {
            "title": "Sand",
            "link": "https://x.example/2026/sand/",
            "tag": [tag, sand],
            "related": [{ "title": "Lime", "link": "https://x.example/2026/lime/" }],
            "content": "",
            "info.level": null,
        },
    ]);
    let mut found = json_of(&bench, "data/posts.json");
    let content = found[0]["content"].as_str().unwrap().replace(" />", ">");
    found[0]["content"] = content.into();
    assert_eq!(found, expected);
}

/// An edit, and whether it makes the export again.
#[rstest]
#[case::a_text(
    "posts/2026-03-01-sand.md",
    "---\ntitle: Sand\ntags: [lime, sand]\n---\n\nWet.\n",
    true
)]
#[case::a_title_of_a_related_post(
    "posts/2026-03-01-sand.md",
    "---\ntitle: Sharp sand\ntags: [lime, sand]\n---\n",
    true
)]
#[case::another_post("posts/2026-02-01-oak.md", "---\ntitle: Ash\n---\n", false)]
#[case::a_note_of_a_term(
    "terms/tag/lime.md",
    "---\ntitle: Lime mortar\nslug: lime\nspellings: lime\n---\n",
    true
)]
#[case::a_draft(
    "posts/hidden.md",
    "---\ntitle: Still hidden\ntags: [lime]\ndraft: true\n---\n",
    false
)]
fn an_export_is_made_again_when_it_changes(
    #[case] path: &str,
    #[case] text: &str,
    #[case] is_made: bool,
) {
    let mut bench = bench();
    bench.sound();
    let changed = bench.after_edit(path, Some(text));
    assert_eq!(
        changed.contains(&"data/posts.json".to_owned()),
        is_made,
        "{changed:?}"
    );
}

#[rstest]
#[case::by_the_link("link = \"/a/b.csv\"\n", "a/b.csv", "title,link\r\n")]
#[case::by_the_format("format = \"ndjson\"\n", "x.ndjson", "{\"title\":\"Lime\",")]
#[case::against_the_link(
    "link = \"/data.txt\"\nformat = \"csv\"\n",
    "data.txt",
    "title,link\r\n"
)]
#[case::json("", "x.json", "[\n{\"title\":\"Lime\",")]
fn the_format_is_that_of_the_settings(#[case] more: &str, #[case] path: &str, #[case] start: &str) {
    let settings = format!("[export.x]\nfields = [\"title\", \"link\"]\n{more}");
    let mut bench =
        Bench::new(&settings).with("posts/2026-03-14-lime.md", "---\ntitle: Lime\n---\n");
    bench.sound();
    assert!(bench.page(path).starts_with(start), "{}", bench.page(path));
}

#[test]
fn an_export_has_the_posts_of_all_languages_and_without_fields_the_usual_ones() {
    let mut bench = Bench::new("[locale.de]\ntitle = \"Das Log\"\n[export.x]\nfields = [\"title\", \"language\", \"tag\"]\n[export.y]\nlink = \"/y.csv\"\n")
        .with("posts/2026-03-14-lime.md", "---\ntitle: Lime\ntags: lime\n---\n")
        .with("posts/2026-03-13-kalk.md", "---\ntitle: Kalk\nlanguage: de\ntags: lime\n---\n");
    bench.sound();
    let tag = |link: &str| json!([{ "name": "lime", "slug": "lime", "link": link }]);
    let expected = json!([
        { "title": "Lime", "language": "en", "tag": tag("https://x.example/tags/lime/") },
        { "title": "Kalk", "language": "de", "tag": tag("https://x.example/de/tags/lime/") },
    ]);
    assert_eq!(json_of(&bench, "x.json"), expected);
    assert!(
        bench
            .page("y.csv")
            .starts_with("title,link,date,summary,tag\r\n")
    );
}

#[rstest]
#[case::field(
    "fields = [\"titel\"]\n",
    "tabulae.toml:6:11: no post has a field `titel`",
    "did you mean `title`?"
)]
#[case::query(
    "query = \"from post\"\n",
    "tabulae.toml:6:15: there is no content set",
    "did you mean `posts`?"
)]
#[case::format(
    "format = \"xml\"\n",
    "tabulae.toml:6:10: `export.x.format` cannot be \"xml\"",
    "write one of \"json\", \"ndjson\", \"csv\""
)]
#[case::link("link = \"/2026/lime/\"\n", "the export `x`", "another `link`")]
#[case::way_out(
    "link = \"/../x.json\"\n",
    "the link \"/../x.json\" leads out of the site's folders",
    ""
)]
#[case::nothing_found(
    "query = \"from posts where tag = 'lmie'\"\n",
    "nothing is found among 1 post",
    "change or leave out what leaves 0"
)]
fn what_is_wrong_is_said_at_its_place(
    #[case] wrong: &str,
    #[case] message: &str,
    #[case] help: &str,
) {
    let settings = format!("[export.x]\n{wrong}");
    let mut bench =
        Bench::new(&settings).with("posts/2026-03-14-lime.md", "---\ntags: lime\n---\n");
    let said = said(&bench.build().diagnostics);
    assert!(said.contains(message) && said.contains(help), "{said}");
}

#[test]
fn an_export_of_another_name_has_no_schema() {
    let bench = bench();
    let error = bench.workspace().export_schema("psts").unwrap_err();
    let said = said(error.diagnostics());
    assert!(
        said.contains("there is no export `psts`") && said.contains("did you mean `posts`?"),
        "{said}"
    );
    let none = Bench::new("").workspace();
    let error = none.export_schema("posts").unwrap_err();
    assert!(
        error.diagnostics()[0]
            .help
            .as_deref()
            .unwrap()
            .contains("[export.posts]")
    );
}
