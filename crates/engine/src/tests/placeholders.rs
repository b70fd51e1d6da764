//! Placeholders in posts and pages: what a build writes in their places, and where it leaves them out.

use rstest::rstest;

use super::bench::{Bench, said};

/// Two posts with a tag and one page, one of which has this text.
fn site(path: &str, text: &str) -> Bench {
    Bench::new(
        "[related]\n[archive.journal]\nper_page = 1\nfeeds = [\"atom\"]\nfeed_content = \"full\"\n",
    )
    .with(
        "posts/lime.md",
        "---\ntitle: Lime\ndate: 2026-03-01\ntags: [x, y]\n---\nOf lime.\n",
    )
    .with(
        "posts/weir.md",
        "---\ntitle: Weir\ndate: 2026-03-02\ntags: [x]\n---\nOf weirs.\n",
    )
    .with(
        "templates/parts/names.html",
        "{% for t in terms %}{{ t.name }}{{ t.count }};{% endfor %}",
    )
    .with("templates/parts/one.html", "[{{ post.title }}]")
    .with(path, text)
}

fn post(body: &str) -> String {
    format!("---\ntitle: Lime\ndate: 2026-03-01\ntags: [x, y]\n---\n{body}\n")
}

/// The text of a page between the tags of its article.
fn article(page: &str) -> &str {
    let start = page.find("<div class=\"text\">").expect("a text") + 18;
    let end = page[start..].find("</div>\n<ul class=\"terms\"");
    let end = end.or_else(|| page[start..].find("\n</div>\n</article>"));
    page[start..start + end.expect("its end")].trim()
}

#[rstest]
#[case::query(
    "<!-- tabulae query \"from posts\" each \"parts/one.html\" --><!-- tabulae end -->",
    "[Weir]\n[Lime]"
)]
#[case::of_this_post(
    "<!-- tabulae query \"where tag = this.tag and not current\" each \"parts/one.html\" --><!-- tabulae end -->",
    "[Weir]"
)]
#[case::related(
    "<!-- tabulae related each \"parts/one.html\" --><!-- tabulae end -->",
    "[Weir]"
)]
#[case::related_of_another(
    "<!-- tabulae related of \"weir\" each \"parts/one.html\" --><!-- tabulae end -->",
    "[Lime]"
)]
#[case::newest(
    "<!-- tabulae newest journal each \"parts/one.html\" --><!-- tabulae end -->",
    "[Weir]"
)]
#[case::newest_of_a_term(
    "<!-- tabulae newest tags of \"y\" each \"parts/one.html\" --><!-- tabulae end -->",
    "[Lime]"
)]
#[case::terms(
    "<!-- tabulae terms tag order count with \"parts/names.html\" --><!-- tabulae end -->",
    "x2;y1;"
)]
#[case::in_a_sentence(
    "Of <!-- tabulae terms tag limit 1 with \"parts/names.html\" --><!-- tabulae end --> alone.",
    "<p>Of x2; alone.</p>"
)]
#[case::old_text_goes(
    "<!-- tabulae query \"from posts limit 1\" each \"parts/one.html\" -->\nold\n<!-- tabulae end -->",
    "[Weir]"
)]
#[case::code(
    "`<!-- tabulae query \"x\" -->`",
    "<p><code>&lt;!-- tabulae query \"x\" --&gt;</code></p>"
)]
#[case::block_of_code(
    "```\n<!-- tabulae query \"x\" -->\n```",
    "<pre tabindex=\"0\"><code>&lt;!-- tabulae query \"x\" --&gt;\n</code></pre>"
)]
#[case::another_comment("<!-- tabulaes query -->", "<!-- tabulaes query -->")]
fn a_placeholder_of_a_post_is_filled(#[case] body: &str, #[case] expected: &str) {
    let mut bench = site("posts/lime.md", &post(body));
    bench.sound();
    assert_eq!(article(&bench.page("2026/lime/index.html")), expected);
}

#[test]
fn a_placeholder_of_a_page_is_filled() {
    let text = "# Here\n\n<!-- tabulae query \"from posts\" each \"parts/one.html\" -->\n<!-- tabulae end -->\n";
    let mut bench = site("pages/here.md", text);
    bench.sound();
    assert_eq!(article(&bench.page("here/index.html")), "[Weir]\n[Lime]");
}

#[test]
fn a_placeholder_of_an_html_post_is_filled() {
    let body = "<p>a</p>\n<!-- tabulae query \"from posts limit 1\" each \"parts/one.html\" --><!-- tabulae end -->";
    let mut bench = site(
        "posts/kiln.html",
        &format!("---\ntitle: Kiln\ndate: 2026-02-01\n---\n{body}\n"),
    );
    bench.sound();
    assert!(
        bench
            .page("2026/kiln/index.html")
            .contains("<p>a</p>\n[Weir]")
    );
}

/// Only the page of the post has the list.
#[test]
fn a_list_is_part_of_the_page_alone() {
    let body = "Of lime.\n\n<!-- tabulae query \"from posts\" each \"parts/one.html\" -->\n<!-- tabulae end -->";
    let all = "{% for post in query(\"from posts\") %}{{ post.content }}|{{ post.text }}|{{ post.words }}|{{ post.summary }};{% endfor %}";
    let mut bench = site("posts/lime.md", &post(body)).with("pages/all.html", all);
    bench.sound();
    let feed = bench.page("atom.xml");
    assert!(
        !feed.contains("[Weir]") && !feed.contains("tabulae query"),
        "{feed}"
    );
    let page = bench.page("all/index.html");
    let expected = "<p>Of lime.</p>\n\n|Of lime.|2|Of lime.;";
    assert!(page.contains(expected), "{page}");
}

#[rstest]
#[case::not_closed(
    "\n<!-- tabulae query \"from posts\" -->",
    "posts/lime.md:7:5: this placeholder is not closed"
)]
#[case::not_open(
    "<!-- tabulae end -->",
    "posts/lime.md:6:5: this closes a placeholder that is not open"
)]
#[case::unknown(
    "<!-- tabulae qery \"x\" --><!-- tabulae end -->",
    "posts/lime.md:6:14: there is no placeholder `qery`\n  did you mean `query`?"
)]
#[case::a_faulty_query(
    "x <!-- tabulae query \"from psts\" --><!-- tabulae end -->",
    "posts/lime.md:6:28: there is no content set or named query `psts`\n  did you mean `posts`?"
)]
#[case::a_syntax_error(
    "<!-- tabulae query \"from posts limit\" --><!-- tabulae end -->",
    "posts/lime.md:6:37: expected a whole number after `limit`"
)]
#[case::behind_the_same_in_code(
    "`<!-- tabulae newest jornal -->`\n\n<!-- tabulae newest jornals --><!-- tabulae end -->",
    "posts/lime.md:8:21: there is no archive `jornals`"
)]
#[case::no_such_part(
    "<!-- tabulae related with \"parts/on.html\" --><!-- tabulae end -->",
    "there is no template `parts/on.html`\n  did you mean `parts/one.html`?"
)]
fn an_error_is_at_its_place_in_the_source(#[case] body: &str, #[case] expected: &str) {
    let mut bench = site("posts/lime.md", &post(body));
    let found = bench.build().diagnostics;
    assert_eq!(found.len(), 1, "{found:?}");
    assert!(said(&found).contains(expected), "{}", said(&found));
    assert_eq!(bench.files(), [""; 0]);
}

/// A warning of a query is repeated by a build that finds its page unchanged.
#[test]
fn a_warning_is_at_its_place_in_each_build() {
    let body = "\n<!-- tabulae query \"where tag = 'z'\" --><!-- tabulae end -->";
    let mut bench = site("posts/lime.md", &post(body));
    for _ in 0..3 {
        let found = said(&bench.build().diagnostics);
        assert!(
            found.starts_with("posts/lime.md:7:33: no post has the tag \"z\""),
            "{found}"
        );
        bench
            .sources
            .write("pages/other.md", format!("{}\n", bench.files().len()));
    }
}

#[test]
fn a_page_is_rendered_again_if_its_list_changes() {
    let body = "<!-- tabulae query \"from posts\" each \"parts/one.html\" --><!-- tabulae end -->";
    let mut bench = site("posts/lime.md", &post(body));
    bench.sound();
    bench
        .sources
        .write("posts/gate.md", "---\ntitle: Gate\ndate: 2026-03-03\n---\n");
    bench.sound();
    assert_eq!(
        article(&bench.page("2026/lime/index.html")),
        "[Gate]\n[Weir]\n[Lime]"
    );
}

/// The list of another post or of a term changes, and the post with the placeholder does not.
#[rstest]
#[case::related_of_another("related of \"weir\"", "[Lime]", "[Gate]\n[Lime]")]
#[case::newest_of_a_term(
    "newest tags of \"x\" limit 3",
    "[Weir]\n[Lime]",
    "[Gate]\n[Weir]\n[Lime]"
)]
#[case::newest_of_a_split_archive(
    "newest years limit 3",
    "[Weir]\n[Lime]",
    "[Gate]\n[Weir]\n[Lime]"
)]
fn a_page_is_rendered_again_if_the_list_of_another_changes(
    #[case] list: &str,
    #[case] before: &str,
    #[case] after: &str,
) {
    let body = format!("<!-- tabulae {list} each \"parts/one.html\" --><!-- tabulae end -->");
    let mut bench = site("posts/lime.md", &post(&body));
    bench.sound();
    assert_eq!(article(&bench.page("2026/lime/index.html")), before);
    let gate = "---\ntitle: Gate\ndate: 2026-03-03\ntags: [x]\n---\n";
    bench.sources.write("posts/gate.md", gate);
    bench.sound();
    assert_eq!(article(&bench.page("2026/lime/index.html")), after);
}

#[rstest]
#[case::a_value("Of {{ post.title }}.", 6, 4)]
#[case::a_loop("Of\n\n{% for a in b %}", 8, 1)]
#[case::behind_code("`{{ a.b }}` and\n\n{{ a.b }}", 8, 1)]
fn template_syntax_in_a_text_is_a_warning(
    #[case] body: &str,
    #[case] line: usize,
    #[case] column: usize,
) {
    let mut bench = site("posts/lime.md", &post(body));
    let found = bench.build().diagnostics;
    let found: Vec<_> = found
        .iter()
        .map(|found| {
            (
                found.code.name(),
                found.location.line,
                found.location.column,
            )
        })
        .collect();
    assert_eq!(found, [("unrendered-template", line, column)]);
}

#[rstest]
#[case::code("`{{ post.title }}`")]
#[case::block_of_code("```\n{% for a in b %}\n```")]
#[case::braces("A set {a, {b}} and {{}}.")]
fn other_braces_in_a_text_are_none(#[case] body: &str) {
    assert_eq!(site("posts/lime.md", &post(body)).build().diagnostics, []);
}

#[rstest]
#[case::text(
    "{% extends \"base.html\" %}\n<p>x</p>\n",
    "pages/x.html:2:1: no page shows this: the template extends another, and this is in no block\n  put it into a block, such as `{% block main %}…{% endblock %}`; there are `foot`, `head`, `main`, `title`"
)]
#[case::a_block(
    "{% extends \"base.html\" %}\n{% block mian %}x{% endblock %}",
    "pages/x.html:2:1: no page shows this: the extended template has no block `mian`\n  did you mean `main`?"
)]
fn text_that_no_page_shows_is_a_warning(#[case] text: &str, #[case] expected: &str) {
    let found = site("pages/x.html", text).build().diagnostics;
    assert_eq!(said(&found).trim_end(), expected);
}
