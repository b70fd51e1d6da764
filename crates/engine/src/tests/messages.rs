//! The messages of each area, as a writer reads them: a table of inputs, and a snapshot of what is said of each. Every
//! message says what is wrong and what to type.

use std::fmt::Write as _;

use insta::assert_snapshot;

use super::bench::Bench;

/// One input of a table: settings to add, and a file with its text.
type Input = (&'static str, &'static str, &'static str);

/// Builds the site with each input in turn, and returns all diagnostics of each.
fn messages(inputs: &[Input]) -> String {
    let mut shown = String::new();
    for (settings, path, text) in inputs {
        let mut bench = Bench::new(settings)
            .with(
                "posts/lime.md",
                "---\ntitle: Lime\ndate: 2026-03-14\ntags: [lime]\n---\nText.\n",
            )
            .with(
                "posts/weir.md",
                "---\ntitle: Weir\ndate: 2026-03-15\ncategory: Locks\n---\nText.\n",
            );
        if !path.is_empty() {
            bench = bench.with(path, text);
        }
        let found = bench.build().diagnostics;
        let input = format!("{settings}{text}");
        assert!(!found.is_empty(), "nothing is said of {input}");
        let _ = writeln!(shown, "## {}\n", input.trim().replace('\n', "⏎"));
        for diagnostic in found {
            assert!(diagnostic.help.is_some(), "no help: {}", diagnostic.message);
            let _ = writeln!(shown, "{diagnostic}\n");
        }
    }
    shown
}

const POST: &str = "posts/x.md";
const PAGE: &str = "pages/x.html";

#[test]
fn settings() {
    assert_snapshot!(messages(&[
        ("titel = \"x\"\n", "", ""),
        ("title = \"x\"\n", "", ""),
        ("language = \"xx-yy-zz\"\n", "", ""),
        ("timezone = \"Mars/Base\"\n", "", ""),
        ("date_format = \"YYYY\"\n", "", ""),
        ("search = \"yes\"\n", "", ""),
        ("follow_links = \"yes\"\n", "", ""),
        ("hub = \"/hub\"\n", "", ""),
        ("source_limit = 0\n", "", ""),
        ("[content.posts]\nfolder = \"post\"\n", "", ""),
        ("[content.posts]\nlink = \"{year}/{slug}/\"\n", "", ""),
        ("[content.posts]\nlink = \"/{year}/{slug}\"\n", "", ""),
        ("[content.posts]\nlink = \"/{year/{slug}/\"\n", "", ""),
        ("[content.posts.fields]\ntag = [\"labels\"]\n", "", ""),
        ("[archive.a]\nby = \"price\"\n", "", ""),
        ("[archive.a]\nby = \"tag\"\nlink = \"/a/\"\n", "", ""),
        ("[archive.a]\nquery = \"from post\"\n", "", ""),
        ("[archive.a]\nper_page = -1\n", "", ""),
        ("[archive.a]\nshow = \"tiles\"\n", "", ""),
        ("[archive.a]\nfeeds = [\"xml\"]\n", "", ""),
        ("[archive.a]\noverview = \"/a/all/\"\n", "", ""),
        ("[archive.a]\ngroup = \"price\"\n", "", ""),
        ("[archive.a]\ntemplate = \"archiv.html\"\n", "", ""),
        ("[feed.x]\nlink = \"/../x.xml\"\n", "", ""),
        ("[feed.x]\npage = \"/nowhere/\"\n", "", ""),
        ("[feed.x]\nttl = 60\n", "", ""),
        ("[queries]\nposts = \"from posts\"\n", "", ""),
        ("[queries]\na = \"from b\"\nb = \"from a\"\n", "", ""),
        ("[related]\nweigh = { tgs = 3 }\n", "", ""),
        ("[related]\nquery = \"from posts\"\n", "", ""),
        ("[related]\nlimit = 3\n", "", ""),
        ("[audit]\ndeny = [\"link-broken\"]\n", "", ""),
        ("[archives.tags]\n", "", ""),
        ("[words]\nrelatd = \"x\"\n", "", ""),
        ("a = \n", "", ""),
    ]));
}

#[test]
fn front_matter() {
    assert_snapshot!(messages(&[
        ("", POST, "---\ntitle: a: b\n---\n"),
        ("", POST, "---\ntitle: x\n"),
        ("", POST, "---\ntitle\n---\n"),
        ("", POST, "---\ntitle: x\ntitle: y\n---\n"),
        ("", POST, "---\n- a\n---\n"),
        ("", POST, "+++\ntitle = x\n+++\n"),
        ("", POST, "+++\ntitle = \"x\"\n"),
        ("", POST, "{\"title\": \"x\",}\n"),
        ("", POST, "{\"title\": \"x\"\n"),
        ("", POST, "---\ntitle: x\n---\n"),
        ("", POST, "---\ndate: 14/03/2026\n---\n"),
        ("", POST, "---\ndate: 2026-02-30\n---\n"),
        ("", POST, "---\npublished: 2026-03-14\n---\n"),
        ("", POST, "---\ndate: 2026-03-14\ntitle: [a]\n---\n"),
        ("", POST, "---\ndate: 2026-03-14\ntags: {a: b}\n---\n"),
        ("", POST, "---\ndate: 2026-03-14\ndraft: maybe\n---\n"),
        ("", POST, "---\ndate: 2026-03-14\nslug: a/b\n---\n"),
        ("", POST, "---\ndate: 2026-03-14\nslug: \"++\"\n---\n"),
        (
            "",
            POST,
            "---\ndate: 2026-03-14\nimage: \"javascript:x\"\n---\n"
        ),
        (
            "",
            POST,
            "---\ndate: 2026-03-14\nmoved_from: https://other.example/a/\n---\n"
        ),
        ("", POST, "---\ndate: 2026-03-14\nrelated: lmie\n---\n"),
        ("", POST, "---\ndate: 2026-03-14\nsumary: x\n---\n"),
        ("", POST, "---\ndate: 2026-03-14\nlayout: x\n---\n"),
        ("", POST, "---\ndate: 2026-03-14\ntags: [\"#lime\"]\n---\n"),
        ("", POST, "---\ndate: 2026-03-14\ntags: [\"a; b\"]\n---\n"),
        ("", "terms/tag/lime.md", "---\nslug: a b\n---\n"),
        ("", "terms/tag/lime.md", "---\ncolour: x\n---\n"),
        ("", "terms/lime.md", "x\n"),
        ("", "terms/tga/lime.md", "x\n"),
    ]));
}

#[test]
fn addresses() {
    assert_snapshot!(messages(&[
        ("", POST, "---\ndate: 2026-03-14\nslug: lime\n---\n"),
        ("", POST, "---\ndate: 2026-03-14\nslug: Lime\n---\n"),
        ("", POST, "---\ndate: 2026-03-14\nslug: aux\n---\n"),
        (
            "",
            POST,
            "---\ndate: 2026-03-14\nmoved_from: /2026/lime/\n---\n"
        ),
        (
            "",
            POST,
            "---\ndate: 2026-03-14\nmoved_from: /%2e%2e/x/\n---\n"
        ),
        (
            "",
            POST,
            "---\ndate: 2026-03-14\nid: https://x.example/2026/lime/\n---\n"
        ),
        ("", POST, "---\ndate: 2026-03-14\ntags: [\"Lime!\"]\n---\n"),
        ("", POST, "---\ndate: 2026-03-14\ntags: [\"++\"]\n---\n"),
        ("", "assets/2026", "x"),
        ("[content.posts]\nlink = \"/x/\"\n", "", ""),
        ("[content.posts]\nlink = \"/{year}/{slgu}/\"\n", "", ""),
        ("[content.posts]\nlink = \"/{category}/{slug}/\"\n", "", ""),
        ("[archive.a]\nmoved_from = \"/2026/lime/\"\n", "", ""),
    ]));
}

#[test]
fn templates() {
    assert_snapshot!(messages(&[
        ("", PAGE, "{{ post.title }}"),
        ("", PAGE, "{{ site.titel }}"),
        ("", PAGE, "{{ title }}"),
        ("", PAGE, "{{ site.title|uper }}"),
        ("", PAGE, "{{ querry(\"from posts\") }}"),
        (
            "",
            PAGE,
            "{% for p in query(\"from posts\") %}{{ p.titel }}{% endfor %}"
        ),
        (
            "",
            PAGE,
            "{% for p in query(\"from posts\") %}{{ p.category }}"
        ),
        (
            "",
            PAGE,
            "{% for p in query(\"from posts where tag = 'lmie'\") %}{% endfor %}"
        ),
        (
            "",
            PAGE,
            "{% for p in query(\"from posts where tag = :t\") %}{% endfor %}"
        ),
        (
            "",
            PAGE,
            "{% for p in query(\"from posts\", t=1) %}{% endfor %}"
        ),
        ("", PAGE, "{{ site.title|date }}"),
        (
            "",
            PAGE,
            "{% for p in query(\"from posts\") %}{{ p.date|date(\"YYYY\") }}{% endfor %}"
        ),
        ("", PAGE, "{% for t in terms(\"tga\") %}{% endfor %}"),
        (
            "",
            PAGE,
            "{% for t in terms(\"tag\", order=\"size\") %}{% endfor %}"
        ),
        ("", PAGE, "{% include \"parts/crad.html\" %}"),
        ("", PAGE, "{% extends \"base.html\" %}x"),
        (
            "",
            PAGE,
            "{% for a in [1] %}{% for b in range(100000) %}{% for c in range(100000) %}{% endfor %}{% endfor %}{% endfor %}"
        ),
        ("", PAGE, "{% if %}"),
        ("", PAGE, "{{ 1 + \"a\" }}"),
        ("", "templates/post.html", "{% extends \"post.html\" %}"),
        (
            "",
            POST,
            "---\ndate: 2026-03-14\n---\nOf {{ post.title }}.\n"
        ),
        (
            "",
            POST,
            "---\ndate: 2026-03-14\n---\n<!-- tabulae newst journal --><!-- tabulae end -->\n"
        ),
        (
            "",
            POST,
            "---\ndate: 2026-03-14\n---\n<!-- tabulae newest jornal --><!-- tabulae end -->\n"
        ),
        (
            "",
            POST,
            "---\ndate: 2026-03-14\n---\n<!-- tabulae query from posts --><!-- tabulae end -->\n"
        ),
        (
            "",
            POST,
            "---\ndate: 2026-03-14\n---\n<!-- tabulae related --><!-- tabulae end -->\n"
        ),
    ]));
}
