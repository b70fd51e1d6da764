//! Texts of posts: code, links to sources, images and headings, in whole builds.

use rstest::rstest;

use super::bench::{Bench, said};

const CODE: &str = "Text.\n\n```rust\nlet a = 1;\n```\n";

#[test]
fn code_is_highlighted_unless_the_settings_say_no() {
    let mut bench = Bench::new("").with("posts/2026-01-01-a.md", CODE);
    bench.sound();
    let marked = "<span class=\"code-keyword\">let</span>";
    assert!(bench.page("2026/a/index.html").contains(marked));
    let settings = format!("{}[code]\nhighlight = false\n", super::SITE);
    bench.after_edit("tabulae.toml", Some(&settings));
    let plain = "<code class=\"language-rust\">let a = 1;\n</code>";
    assert!(bench.page("2026/a/index.html").contains(plain));
}

/// A page is made again after a change elsewhere, from blocks that the last build highlighted.
#[test]
fn highlighted_code_is_the_same_in_a_later_build() {
    let mut bench = Bench::new("").with("posts/2026-01-01-a.md", CODE);
    bench.sound();
    let before = bench.page("2026/a/index.html");
    let footer = "{% if site.description %}<p>{{ site.description }}</p>{% endif %}!";
    let written = bench.after_edit("templates/parts/foot.html", Some(footer));
    assert!(written.contains(&"2026/a/index.html".to_owned()));
    let text = |page: &str| {
        page.split("<div class=\"text\">")
            .nth(1)
            .unwrap()
            .split("</div>")
            .next()
            .unwrap()
            .to_owned()
    };
    assert_eq!(text(&bench.page("2026/a/index.html")), text(&before));
    bench.after_edit(
        "posts/2026-01-01-a.md",
        Some(&CODE.replace("let", "let mut")),
    );
    assert!(
        bench
            .page("2026/a/index.html")
            .contains(">let</span> <span")
    );
}

/// The title of an alert is in the language of the post.
#[test]
fn an_alert_is_in_the_language_of_its_post() {
    let alert = "> [!NOTE]\n> Text.\n";
    let mut bench = Bench::new(
        "[locale.de]\ntitle = \"Log\"\ndescription = \"D\"\n[words]\nalert_note = \"Mark\"\n",
    )
    .with("posts/2026-01-01-a.md", alert)
    .with("posts/2026-01-01-a.de.md", alert)
    .with("terms/tag/lime.de.md", alert)
    .with(
        "posts/2026-01-02-b.md",
        "---\ntags: lime\nlanguage: de\n---\n",
    );
    bench.sound();
    let title = |page: &str| {
        bench
            .page(page)
            .split("alert-title\">")
            .nth(1)
            .unwrap()
            .split('<')
            .next()
            .unwrap()
            .to_owned()
    };
    assert_eq!(title("2026/a/index.html"), "Mark");
    assert_eq!(title("de/2026/a/index.html"), "Hinweis");
    assert_eq!(title("de/tags/lime/index.html"), "Hinweis");
}

#[rstest]
#[case::there("[b](2026-01-02-b.md#mortar)", "/2026/b/#mortar", "")]
#[case::from_a_folder("[b](./2026-01-02-b.md)", "/2026/b/", "")]
#[case::missing(
    "[b](2026-01-02-c.md#mortar)",
    "",
    "`2026-01-02-c.md#mortar` leads nowhere: the site has no /2026/a/2026-01-02-c.md\n  did you mean 2026-01-02-b.md?\n"
)]
#[case::a_draft(
    "[d](2026-01-03-d.md)",
    "",
    "`2026-01-03-d.md` leads to `posts/2026-01-03-d.md`, which is not published (draft)\n  correct the link, or delete it\n"
)]
#[case::in_code("`[c](c.md)`", "", "")]
#[case::elsewhere("[c](https://x.example/c.md)", "https://x.example/c.md", "")]
fn a_link_to_a_source_leads_to_its_page(
    #[case] link: &str,
    #[case] address: &str,
    #[case] warning: &str,
) {
    let mut bench = Bench::new("")
        .with("posts/2026-01-01-a.md", &format!("Text.\n\n{link}\n"))
        .with("posts/2026-01-02-b.md", "## Mortar\n")
        .with("posts/2026-01-03-d.md", "---\ndraft: true\n---\n");
    let found = said(&bench.build().diagnostics);
    match warning {
        "" => assert_eq!(found, ""),
        warning => assert_eq!(found, format!("posts/2026-01-01-a.md:3:5: {warning}")),
    }
    assert!(
        bench
            .page("2026/a/index.html")
            .contains(&format!("href=\"{address}"))
    );
    // An audit does not say it twice.
    let options = bench.options();
    let (audit, _) = bench.workspace().audit(&mut bench.out, options);
    let broken = audit
        .iter()
        .filter(|found| found.code.name() == "broken-link");
    assert_eq!(broken.count(), usize::from(!warning.is_empty()));
}

/// A PNG of one pixel row: its size is in the header alone.
fn png(width: u8, height: u8) -> Vec<u8> {
    let mut bytes = b"\x89PNG\r\n\x1a\n\0\0\0\rIHDR".to_vec();
    bytes.extend([0, 0, 0, width, 0, 0, 0, height, 8, 6, 0, 0, 0, 0, 0, 0, 0]);
    bytes
}

#[test]
fn images_have_the_size_of_their_files() {
    let svg = "<svg xmlns=\"http://www.w3.org/2000/svg\" width=\"30\" height=\"20\"/>";
    let mut bench = Bench::new("")
        .with(
            "posts/2026-01-01-a.md",
            "![A](a.png) ![B](/b.svg) ![C](c.png)\n\n<img src=\"a.png\" width=\"1\">\n",
        )
        .with("assets/b.svg", svg);
    bench.sources.write("posts/a.png", png(3, 2));
    bench.sound();
    let page = bench.page("2026/a/index.html");
    for image in [
        "<img src=\"/2026/a/a.png\" alt=\"A\" width=\"3\" height=\"2\" />",
        "<img src=\"/b.svg\" alt=\"B\" width=\"30\" height=\"20\" />",
        "<img src=\"/2026/a/c.png\" alt=\"C\" />",
        "<img src=\"/2026/a/a.png\" width=\"1\">",
    ] {
        assert!(page.contains(image), "{image}: {page}");
    }
    let written = bench.after_edit("assets/b.svg", Some(&svg.replace("30", "40")));
    assert_eq!(written, ["2026/a/index.html", "b.svg"]);
    assert!(bench.page("2026/a/index.html").contains("width=\"40\""));
}

#[test]
fn the_headings_of_a_text_are_a_table_of_contents() {
    let toc = "{% for one in post.toc %}[{{ one.level }} {{ one|link }} {{ one.below|length }}]{% endfor %}";
    let page = "{% for one in page.toc %}{{ one.title }}{% endfor %}";
    let mut bench = Bench::new("")
        .with(
            "posts/2026-01-01-a.md",
            "---\ntitle: T\ntoc: true\n---\n## One\n\n### Two & three\n\n## Four\n",
        )
        .with("pages/p.md", "## Five\n")
        .with("templates/post.html", toc)
        .with("templates/page.html", page);
    bench.sound();
    assert_eq!(
        bench.page("2026/a/index.html"),
        "[2 <a href=\"#one\">One</a> 1][2 <a href=\"#four\">Four</a> 0]\n"
    );
    assert_eq!(bench.page("p/index.html"), "Five\n");
}

const GUIDE: &str = include_str!("../../../../docs/site/guides/reference/markdown.md");

/// The texts of the fenced blocks of the guide with these words behind their fences, in order.
fn blocks(info: &str) -> Vec<&'static str> {
    let mut found = Vec::new();
    let mut rest = GUIDE;
    while let Some(start) = rest.find(&format!("``` {info}\n").replace("``` ", "```")) {
        let ticks = rest[..start].len() - rest[..start].trim_end_matches('`').len();
        let fence = format!("\n{}\n", "`".repeat(3 + ticks));
        let (_, text) = rest[start..].split_once('\n').unwrap();
        let (block, after) = text.split_once(&fence).unwrap();
        found.push(block);
        rest = after;
    }
    found
}

/// The guide shows each text with its HTML.
#[test]
fn the_examples_of_the_guide_are_as_it_says() {
    let examples = blocks("markdown");
    let results = blocks("html");
    assert!(results.len() >= 8, "{results:?}");
    assert_eq!(examples.len(), results.len());
    for (text, html) in examples.iter().zip(results) {
        let post = format!("---\ntitle: T\n---\n{text}\n");
        let mut bench = Bench::new("").with("posts/2026-01-01-a.md", &post);
        bench.sound();
        let page = bench.page("2026/a/index.html");
        let (_, made) = page.split_once("<div class=\"text\">\n").unwrap();
        assert!(
            made.starts_with(&format!("{html}\n\n</div>")),
            "{text}:\n{made}"
        );
    }
}

/// Every class that code can have is in the guide, and has a colour.
#[test]
fn the_guide_and_the_style_have_every_class_of_code() {
    let style = include_str!("../theme/tabulae.css");
    for class in crate::site::CODE_CLASSES {
        assert!(GUIDE.contains(&format!("`code-{class}`")), "{class}");
        assert!(style.contains(&format!(".code-{class}")), "{class}");
    }
}

/// No heading takes an id of the theme.
#[test]
fn every_id_of_a_page_is_there_once() {
    let text = "## Related\n\n## Text\n\n## Related\n\nA.[^text]\n\n[^text]: B.\n";
    let mut bench =
        Bench::new("[related]\nempty_text = \"None.\"\n").with("posts/2026-01-01-a.md", text);
    bench.sound();
    let page = bench.page("2026/a/index.html");
    let ids: Vec<&str> = page
        .split(" id=\"")
        .skip(1)
        .filter_map(|rest| rest.split('"').next())
        .collect();
    let apart: std::collections::BTreeSet<_> = ids.iter().collect();
    assert!(ids.len() >= 6 && apart.len() == ids.len(), "{ids:?}");
}
