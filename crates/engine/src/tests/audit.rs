//! Audits of sites in memory: what takes pages or files to tell.

use rstest::rstest;

use super::{Bench, Out};

impl Bench {
    /// Returns the findings of one kind: `path:line:column: message`.
    fn audit(&self, code: &str, out: &mut Out) -> Vec<String> {
        let found = self.workspace().audit(out, self.options()).0;
        let found = found
            .iter()
            .filter(|diagnostic| diagnostic.code.name() == code);
        let said = found.map(|diagnostic| {
            let location = &diagnostic.location;
            let file = location.file.as_deref().unwrap_or_default();
            format!(
                "{file}:{}:{}: {}",
                location.line, location.column, diagnostic.message
            )
        });
        said.collect()
    }
}

fn post(body: &str) -> String {
    format!("---\ndate: 2026-03-01\ntags: lime\n---\n\n{body}\n")
}

#[rstest]
#[case::post("[b](b.md)", None)]
#[case::address("[b](/2026/b/)", None)]
#[case::without_slash("[b](/2026/b)", None)]
#[case::fragment("[b](/2026/b/#end) [c](#here)", None)]
#[case::elsewhere("[x](https://y.example/z) [m](mailto:a@y.example)", None)]
#[case::asset("![x](/x.svg)", None)]
#[case::file("![x](x.png)", None)]
#[case::feed("[f](/atom.xml)", None)]
#[case::misspelt(
    "[b](/2026/bb/)",
    Some(
        "broken-link posts/a.md:6:5: `/2026/bb/` leads nowhere: the site has no /2026/bb/; did you mean /2026/b/?"
    )
)]
#[case::no_such_post(
    "Look:\n\n[c](c.md)",
    Some(
        "broken-link posts/a.md:8:5: `c.md` leads nowhere: the site has no /2026/a/c.md; did you mean b.md?"
    )
)]
#[case::draft(
    "[d](d.md)",
    Some(
        "broken-link posts/a.md:6:5: `d.md` leads to `posts/d.md`, which is not published (draft); correct the link, or delete it"
    )
)]
#[case::image(
    "![y](y.png)",
    Some(
        "missing-image posts/a.md:6:6: `y.png` leads nowhere: the site has no /2026/a/y.png; did you mean /2026/a/x.png?"
    )
)]
fn addresses(#[case] body: &str, #[case] expected: Option<&str>) {
    let mut bench = Bench::new("")
        .with("posts/a.md", &post(&format!("{body}\n\n![x](x.png)")))
        .with("posts/b.md", &post("B"))
        .with("posts/d.md", "---\ndraft: true\ndate: 2026-01-01\n---\n")
        .with("posts/x.png", "PNG")
        .with("assets/x.svg", "<svg/>");
    if body == "![x](x.png)" {
        bench = bench.with("posts/a.md", &post(body));
    }
    let found = bench
        .workspace()
        .audit(&mut Out::default(), bench.options())
        .0;
    let found = found
        .iter()
        .filter(|diagnostic| ["broken-link", "missing-image"].contains(&diagnostic.code.name()));
    let said: Vec<String> = found
        .map(|diagnostic| {
            let location = &diagnostic.location;
            let file = location.file.as_deref().unwrap_or_default();
            let (code, help) = (
                diagnostic.code.name(),
                diagnostic.help.as_deref().unwrap_or_default(),
            );
            format!(
                "{code} {file}:{}:{}: {}; {help}",
                location.line, location.column, diagnostic.message
            )
        })
        .collect();
    assert_eq!(said, expected.into_iter().collect::<Vec<_>>());
}

#[test]
fn an_image_that_is_not_there() {
    let bench = Bench::new("")
        .with(
            "posts/a.md",
            "---\ndate: 2026-03-01\nimage: no.png\n---\n\nA\n",
        )
        .with(
            "posts/b.md",
            "---\ndate: 2026-03-01\nimage: /x.svg\n---\n\nB\n",
        )
        .with("assets/x.svg", "<svg/>");
    assert_eq!(
        bench.audit("missing-image", &mut Out::default()),
        ["posts/a.md:3:8: `no.png` leads nowhere: the site has no /2026/a/no.png"]
    );
}

/// No page is taken for an image, however near its address is.
#[test]
fn a_page_is_not_suggested_for_an_image() {
    let bench = Bench::new("")
        .with(
            "posts/a.md",
            "---\ndate: 2026-03-01\nimage: /2026/gate.jpg\n---\n\nA\n",
        )
        .with(
            "posts/b.md",
            "---\ndate: 2026-03-01\nslug: gate.jp\n---\n\nB\n",
        );
    let found = bench
        .workspace()
        .audit(&mut Out::default(), bench.options())
        .0;
    let missing = found
        .iter()
        .find(|diagnostic| diagnostic.code.name() == "missing-image");
    assert_eq!(
        missing.and_then(|diagnostic| diagnostic.help.as_deref()),
        Some("put the file beside the post or into assets/, or correct its name")
    );
}

#[test]
fn a_path_in_the_sites_address_is_no_part_of_links() {
    let mut bench = Bench::new("").with("posts/a.md", &post("[b](/2026/b/) [c](/2026/c/)"));
    bench = bench.with("posts/b.md", &post("B"));
    bench.sources.write(
        "tabulae.toml",
        "[site]\ntitle = \"T\"\naddress = \"https://x.example/log/\"\n",
    );
    assert_eq!(
        bench.audit("broken-link", &mut Out::default()),
        ["posts/a.md:6:19: `/2026/c/` leads nowhere: the site has no /2026/c/"]
    );
}

#[test]
fn pages_that_something_else_makes_are_not_known() {
    let bench = Bench::new("[content.posts]\npages = false\n[content.fleet]\ndated = false\n")
        .with("posts/a.md", &post("A"))
        .with(
            "fleet/x.md",
            "[a](/2026/a/) [b](/elsewhere/) [c](../posts/a.md) [d](gone.md)",
        );
    assert_eq!(
        bench.audit("broken-link", &mut Out::default()),
        ["fleet/x.md:1:55: `gone.md` leads nowhere: the site has no /fleet/x/gone.md"]
    );
}

#[test]
fn a_post_in_no_archive() {
    let bench = Bench::new(
        "defaults = false\n[archive.limes]\nquery = \"from posts where tag = 'lime'\"\n",
    )
    .with("posts/a.md", &post("A"))
    .with(
        "posts/b.md",
        "---\ndate: 2026-03-01\ntags: stone\n---\n\nB\n",
    )
    .with(
        "posts/c.md",
        "---\ndate: 2026-03-01\ndraft: true\n---\n\nC\n",
    );
    assert_eq!(
        bench.audit("orphaned-post", &mut Out::default()),
        ["posts/b.md:1:1: this post is in no archive"]
    );
}

#[test]
fn related_posts_that_only_fill_the_list() {
    let related = "[related]\nquery = \"from posts where likeness > 0 order by likeness desc limit 3\"\nfill = \"from posts\"\nweigh = { tag = 1 }\n";
    let mut bench = Bench::new(related);
    for (name, tag) in [("a", "lime"), ("b", "lime"), ("c", "lime"), ("d", "stone")] {
        let text = format!("---\ndate: 2026-03-01\ntags: {tag}\n---\n\nText.\n");
        bench = bench.with(&format!("posts/{name}.md"), &text);
    }
    assert_eq!(
        bench.audit("weak-related-posts", &mut Out::default()),
        ["posts/d.md:1:1: 3 of 3 related posts only fill up the list"]
    );
}

#[test]
fn feeds_without_entries() {
    let settings = "[archive.boats]\nquery = \"from posts where year = 2020\"\nfeeds = [\"atom\"]\n[feed.works]\nquery = \"from posts where year = 2019\"\n";
    let bench = Bench::new(settings).with("posts/a.md", &post("A"));
    let said = bench.audit("empty-feed", &mut Out::default());
    assert_eq!(
        said,
        [
            "tabulae.toml:5:10: the feed /boats/atom.xml has no entries",
            "tabulae.toml:8:7: the feed /works.xml has no entries",
        ]
    );
}

#[test]
fn files_that_no_build_made() {
    let mut bench = Bench::new("").with("posts/a.md", &post("A"));
    bench.sound();
    let mut out = std::mem::take(&mut bench.out);
    out.put("old/page.html", "x");
    // What the next build removes by itself is not told.
    bench
        .sources
        .write("posts/a.md", "---\ndate: 2026-03-01\n---\n\nA\n");
    let before = out.files();
    assert_eq!(
        bench.audit("stray-file", &mut out),
        ["out/old/page.html:1:1: no build made this file, and none removes it"]
    );
    assert_eq!(out.files(), before);
}

#[test]
fn what_a_build_complains_of_is_told_once() {
    let bench = Bench::new("")
        .with("posts/a.md", &post("A"))
        .with("posts/b.md", "---\ndate: soon\n---\n\nB\n")
        .with("pages/p.html", "{{ posst }}");
    assert_eq!(bench.audit("invalid-date", &mut Out::default()).len(), 1);
    let bench = bench.with("posts/b.md", &post("B"));
    assert_eq!(bench.audit("template-error", &mut Out::default()).len(), 1);
}

#[test]
fn templates_that_nothing_loads() {
    let include = "{% include \"parts/used.html\" %}";
    let bench = Bench::new("[archive.a]\ntemplate = \"own.html\"\n")
        .with("posts/a.md", &post("A"))
        .with("templates/own.html", include)
        .with("templates/parts/used.html", "x")
        .with("templates/parts/card.html", "x")
        .with("templates/parts/crad.html", "x")
        .with("templates/wholly-other.html", include);
    let told = ": no page and no other template loads this template";
    assert_eq!(
        bench.audit("unused-template", &mut Out::default()),
        ["parts/crad.html", "wholly-other.html"].map(|name| format!("templates/{name}:1:1{told}"))
    );
    // A computed name may be any.
    let bench = bench.with(
        "pages/p.html",
        "{% include \"parts/\" ~ \"used\" ~ \".html\" %}",
    );
    let told = bench.audit("unused-template", &mut Out::default());
    assert_eq!(told, Vec::<String>::new());
}
