//! The pages of posts and of the site.

use std::sync::Arc;

use rstest::rstest;
use tabulae_core::diagnostic::Diagnostics;
use tabulae_core::id::LocaleId;

use super::bench::{Bench, SITE, said};
use super::{small, titles};
use crate::plan::plan;
use crate::render::Renderer;
use crate::site::Site;
use crate::template::{Environments, RenderContext, RenderData};

#[test]
fn three_lines_of_settings_make_archives_overviews_and_a_feed() {
    let mut bench = small();
    let report = bench.sound();
    assert_eq!(
        bench.files(),
        [
            "2025/index.html",
            "2025/old/index.html",
            "2026/boat/index.html",
            "2026/index.html",
            "2026/lime/index.html",
            "archive/index.html",
            "atom.xml",
            "categories/boats/index.html",
            "categories/index.html",
            "categories/locks/index.html",
            "feeds.opml",
            "feeds/index.html",
            "index.html",
            "sitemap.xml",
            "tabulae-feeds.css",
            "tabulae.css",
            "tabulae.js",
            "tags/index.html",
            "tags/lime/index.html",
            "tags/masonry/index.html",
        ]
    );
    assert_eq!(
        (
            report.posts,
            report.written,
            report.unchanged,
            report.removed
        ),
        (3, 20, 0, 0)
    );
    assert_eq!(
        titles(&bench.page("index.html")),
        ["A boat", "Lime &amp; sand", "Old"]
    );
    assert_eq!(
        titles(&bench.page("tags/lime/index.html")),
        ["A boat", "Lime &amp; sand"]
    );
    assert!(bench.page("tags/lime/index.html").contains("2 posts"));
    assert!(bench.page("tags/index.html").contains("1 post<"));
}

#[test]
fn an_address_with_a_path_stands_before_every_link() {
    let mut bench = small()
        .with(
            "posts/2026-05-01-links.md",
            "[a](/tags/) [b](2026-04-01-boat.md) ![c](c.svg) [d](https://y.example/)\n",
        )
        .with("posts/c.svg", "<svg/>");
    bench
        .sources
        .write("tabulae.toml", SITE.replace("x.example/", "x.example/log/"));
    bench.sound();
    let page = bench.page("2026/links/index.html");
    for link in [
        "href=\"/log/tags/\"",
        "href=\"/log/2026/boat/\"",
        "src=\"/log/2026/links/c.svg\"",
        "href=\"https://y.example/\"",
        "href=\"/log/tabulae.css\"",
        "href=\"https://x.example/log/2026/links/\"",
    ] {
        assert!(page.contains(link), "{link} is not in {page}");
    }
    assert!(bench.files().contains(&"2026/links/c.svg".to_owned()));
    let feed = bench.page("atom.xml");
    assert!(feed.contains("<id>https://x.example/log/2026/links/</id>"));
}

#[test]
fn files_go_with_the_post_that_keeps_or_names_them() {
    let mut bench = Bench::new("")
        .with("posts/2026-03-14-a/index.md", "A.\n")
        .with("posts/2026-03-14-a/deep/x.txt", "x")
        .with("posts/2026-03-14-a/2026-03-15-b/index.md", "B.\n")
        .with("posts/2026-03-14-a/2026-03-15-b/y.txt", "y")
        .with(
            "posts/2026-03-16-c.md",
            "---\nimage: c.svg\n---\n[z](files/z.txt)\n",
        )
        .with("posts/c.svg", "c")
        .with("posts/files/z.txt", "z")
        .with("posts/nobody.txt", "n")
        .with("assets/favicon.ico", "f");
    bench.sound();
    let copies: Vec<_> = bench
        .files()
        .into_iter()
        .filter(|path| !path.ends_with("ml") && !path.starts_with("tabulae"))
        .collect();
    assert_eq!(
        copies,
        [
            "2026/a/deep/x.txt",
            "2026/b/y.txt",
            "2026/c/c.svg",
            "2026/c/files/z.txt",
            "favicon.ico"
        ]
    );
}

#[test]
fn pages_stand_at_their_names_and_html_ones_are_templates() {
    let mut bench = small()
        .with("pages/about.md", "# About us\n\nText.\n")
        .with("pages/deep/more.md", "---\ntitle: More\n---\n")
        .with("pages/hidden.md", "---\ndraft: true\n---\n")
        .with("pages/list.html", "---\ntitle: List\n---\n{% for post in query(\"from posts where tag = 'lime' order by title limit 1\") %}[{{ post.title }}]{% else %}none{% endfor %}{% for post in query(\"from posts where tag = 'lime' and year = 2025\") %}{% else %}nothing yet{% endfor %}");
    let report = bench.sound();
    assert_eq!(report.pages, 4);
    assert!(bench.page("about/index.html").contains("<h1>About us</h1>"));
    assert!(bench.files().contains(&"deep/more/index.html".to_owned()));
    assert!(!bench.files().contains(&"hidden/index.html".to_owned()));
    assert_eq!(bench.page("list/index.html"), "[A boat]nothing yet\n");
}

#[test]
fn every_diagnostic_of_a_query_in_a_template_is_reported_at_its_place() {
    let mut bench = small().with(
        "pages/x.html",
        "---\ntitle: X\n---\n<ul>\n{% for post in query(\"from posts where tagg = 'lime' and yaer = 2026\") %}\n{% endfor %}\n",
    ).with(
        "pages/y.html",
        "---\ntitle: Y\n---\n{% for post in query(\"from posts where year = 2019\") %}{% endfor %}{{ query(\"from posts where date > today\")|length }}",
    );
    insta::assert_snapshot!(said(&bench.build().diagnostics), @r"
    pages/y.html:4:23: nothing is found among 3 posts: `year = 2019` leaves 0
      years here are 2025 to 2026
    pages/x.html:5:40: no post of `posts` has a field `tagg`
      did you mean `tag`?
    pages/x.html:5:58: no post of `posts` has a field `yaer`
      did you mean `year`?
    ");
}

#[test]
fn a_post_shows_what_is_related_and_why() {
    let mut bench = small();
    bench.sources.write(
        "tabulae.toml",
        format!("{SITE}[archive.journal]\nlink = \"/journal/\"\nfeeds = [\"atom\"]\nfeed_content = \"full\"\n[archive.tags]\nby = \"tag\"\n[related]\nempty_text = \"Nothing like it.\"\nfeeds = true\nweigh = {{ tag = 1 }}\n"),
    );
    bench.sound();
    let part = |file: &str| {
        let page = bench.page(file);
        let part = page.split_once("<section class=\"related\"").unwrap().1;
        part.split_once("</section>").unwrap().0.to_owned()
    };
    let lime = part("2026/lime/index.html");
    assert!(
        lime.contains("<a href=\"/2026/boat/\">A boat</a>"),
        "{lime}"
    );
    assert!(
        lime.contains("<p class=\"why\">shares <a href=\"/tags/lime/\">lime</a></p>"),
        "{lime}"
    );
    assert!(!lime.contains("Old") && !lime.contains("/2026/lime/"));
    assert!(part("2025/old/index.html").contains("<p class=\"empty\">Nothing like it.</p>"));
    let feed = bench.page("journal/atom.xml");
    let end = "&lt;h2&gt;Read next&lt;/h2&gt;\n&lt;ul&gt;\n&lt;li&gt;&lt;a href=\"https://x.example/2026/boat/\"&gt;A boat&lt;/a&gt;&lt;/li&gt;\n&lt;/ul&gt;";
    assert!(feed.replace("&quot;", "\"").contains(end), "{feed}");
}

#[test]
fn likeness_serves_in_any_query_of_a_posts_page() {
    let mut bench = small().with(
        "templates/post.html",
        "{% for other in query(\"from posts where likeness > 0 and not current order by likeness desc limit 3\") %}{{ other.title }} {{ other.likeness }};{% endfor %}",
    );
    bench.sound();
    // Both have the tag lime, of two posts of three: weights 3 of tag, 2 of category, 1 of title
    // and 1 of body, of which only the tag and no word is shared. The tag vectors are
    // (x) and (x, y) with x = ln(1 + 3/2), y = ln(1 + 3/1): 3/7·x/√(x² + y²).
    let page = bench.page("2026/boat/index.html");
    assert_eq!(page, "Lime &amp; sand 0.236315272;\n");
}

#[test]
fn script_and_styles_are_small() {
    assert!(crate::template::script().len() < 4000);
    let mut bench = Bench::new("[locale.de]\n").with("posts/2026-03-14-a.md", "");
    bench.sound();
    assert!(bench.page("tabulae.css").contains(".languages"));
    assert!(bench.page("tabulae.css").len() < 14_000);
}

#[test]
fn old_addresses_lead_to_the_new() {
    let mut bench = Bench::new("").with(
        "posts/2026-03-14-a.md",
        "---\nmoved_from: [/old/, /older]\n---\n",
    );
    bench.build();
    assert!(bench.page("old/index.html").contains("url=/2026/a/"));
    assert!(bench.page("older/index.html").contains("url=/2026/a/"));
    assert!(
        bench
            .page("atom.xml")
            .contains("<id>https://x.example/old/</id>")
    );
}

#[test]
fn a_template_of_the_sites_own_takes_the_place_of_one() {
    let mut bench = small().with("templates/parts/card.html", "<h2><a href=\"{{ post.link }}\">{{ post.title }}</a></h2>({{ post.hours }}|{{ post.tags }}|{{ post.date|date(\"%-d %b %y\") }})\n");
    bench.sources.write(
        "posts/2026-05-05-h.md",
        "---\ntitle: H\nhours: 7.5\ntags: [a, b]\n---\n",
    );
    bench.sound();
    let page = bench.page("index.html");
    assert!(page.contains("(7.5|a, b|5 May 26)"), "{page}");
    assert!(page.contains("(||2 Jan 25)"));
}

#[rstest]
#[case::the_themes(None, 3)]
#[case::by_the_post_alone(Some("{{ post.title }} {{ site.title }}"), 3)]
#[case::by_what_no_list_knows(Some("{% if mood is defined %}{{ mood }}{% endif %}"), 3)]
#[case::with_a_part_of_all(Some("{{ post.title }}{{ once('parts/foot.html') }}"), 3)]
#[case::by_its_page(Some("{{ page.title }}"), 0)]
#[case::by_the_list_around_it(Some("{% if archive is defined %}x{% endif %}"), 0)]
fn a_card_is_made_once_for_all_lists_unless_they_differ(
    #[case] card: Option<&str>,
    #[case] kept: usize,
) {
    let list = "{% for post in query('') %}{{ card(post) }}{% endfor %}";
    let bench = small().with("templates/list.html", list);
    if let Some(card) = card {
        bench.sources.write("templates/parts/card.html", card);
    }
    let mut diagnostics = Diagnostics::new();
    let site = Site::read(&bench.sources, &bench.options(), &mut diagnostics).unwrap();
    let plan = plan(&site, &mut diagnostics);
    let data = Arc::new(RenderData::new(site, plan));
    let environments = Environments::new(&data, &mut diagnostics);
    let renderer = Renderer::new(Arc::clone(&data), environments, &bench.sources);
    let list = |title: &str| {
        let page = minijinja::context! { title };
        let values = minijinja::context! { page, archive => title };
        let context = RenderContext::new(Arc::clone(&data), LocaleId::SITE);
        renderer.part(&context, "list.html", values).unwrap()
    };
    let shows_page = card.is_some_and(|card| card.contains("page."));
    assert_eq!(list("One") == list("Other"), !shows_page);
    assert_eq!(data.of(LocaleId::SITE).kept_cards(2), kept);
}

/// The small site has three posts: in Arabic that is the form for a few.
#[rstest]
#[case::english("language = \"en\"\n", &["<html lang=\"en\">", "3 posts", "14 March 2026", ">Tags</a>", ">Years</a>"])]
#[case::german("language = \"de\"\n", &["<html lang=\"de\">", "3 Beiträge", "14. März 2026", ">Schlagwörter</a>", ">Jahre</a>"])]
#[case::own_words("language = \"de\"\n[words]\nposts = \"Texte\"\ntags = \"Themen\"\n", &["3 Texte", ">Themen</a>"])]
#[case::own_comma("[words]\ncomma = \" / \"\n[feed.all]\n", &["(Atom)</a> / <a"])]
#[case::arabic("language = \"ar\"\n", &["<html lang=\"ar\" dir=\"rtl\">", "3 تدوينات", ">الوسوم</a>"])]
#[case::no_words("language = \"fi\"\n[audit]\nallow = [\"untranslated-words\"]\n", &["<html lang=\"fi\">", "3 posts", "14. maaliskuuta 2026"])]
fn another_language_has_its_own_words_and_months(
    #[case] settings: &str,
    #[case] expected: &[&str],
) {
    let mut bench = small();
    bench
        .sources
        .write("tabulae.toml", format!("{SITE}{settings}"));
    bench.sound();
    let page = bench.page("index.html");
    for text in expected {
        assert!(page.contains(text), "{text}: {page}");
    }
}

#[rstest]
#[case::lines("", "<ul class=\"lines\">", "<p>A boat.</p>")]
#[case::cards("show = \"cards\"\n", "<article class=\"card\">", "<li>")]
fn related_posts_are_lines_or_cards(#[case] show: &str, #[case] there: &str, #[case] not: &str) {
    let mut bench = small();
    let settings = format!("{SITE}[related]\nweigh = {{ tag = 1 }}\n{show}");
    bench.sources.write("tabulae.toml", settings);
    bench.sound();
    let page = bench.page("2026/lime/index.html");
    let list = page.split("<section class=\"related\"").nth(1).unwrap();
    let list = list.split("</section>").next().unwrap();
    assert!(list.contains(there) && !list.contains(not), "{list}");
    let why = "shares <a href=\"/tags/lime/\">lime</a>";
    assert!(list.contains(why) && list.contains("A boat"), "{list}");
}

/// The head of every page, below the path of the site's address: own styles come after the theme's.
#[test]
fn styles_and_scripts_of_the_settings_are_in_every_head() {
    let settings = SITE.replace("x.example/", "x.example/log/")
        + "styles = [\"/extra.css\", \"https://files.example/a.css?b&c\"]\nscripts = \"/more.js?v=2\"\n";
    let mut bench = small()
        .with("tabulae.toml", &settings)
        .with("assets/extra.css", "")
        .with("assets/more.js", "");
    bench.sound();
    let expected = "\
<link rel=\"stylesheet\" href=\"/log/tabulae.css\">
<link rel=\"stylesheet\" href=\"/log/extra.css\">
<link rel=\"stylesheet\" href=\"https://files.example/a.css?b&amp;c\">
<script src=\"/log/more.js?v=2\" defer></script>
</head>";
    for page in ["index.html", "2026/boat/index.html", "tags/index.html"] {
        assert!(bench.page(page).contains(expected), "{}", bench.page(page));
    }
    let written = bench.after_edit("tabulae.toml", Some(&settings.replace("?v=2", "?v=3")));
    let pages: Vec<String> = bench
        .files()
        .into_iter()
        .filter(|file| file.ends_with(".html"))
        .collect();
    assert_eq!(written, pages);
}

#[rstest]
#[case::misspelt(
    "styles = [\"/exrta.css\"]",
    "`/exrta.css` leads nowhere: the site has no /exrta.css\n  did you mean `/extra.css`?\n"
)]
#[case::unknown(
    "scripts = \"/more.js?v=2\"",
    "`/more.js?v=2` leads nowhere: the site has no /more.js\n  put the file at assets/more.js\n"
)]
#[case::escaped("styles = \"/%65xtra.css\"", "")]
#[case::of_the_theme("styles = \"/tabulae.css\"", "")]
#[case::of_another_program("styles = \"/x.css\"\n[content.posts]\npages = false", "")]
fn styles_that_the_site_does_not_have_are_warned_of(#[case] line: &str, #[case] expected: &str) {
    let mut bench = small()
        .with("tabulae.toml", &format!("{SITE}{line}\n"))
        .with("assets/extra.css", "");
    let built = bench.build();
    assert!(!bench.files().is_empty());
    let found = said(&built.diagnostics);
    assert_eq!(
        found.split_once(": ").map_or("", |(_, message)| message),
        expected
    );
}

#[rstest]
#[case::post(
    "2026/lime/index.html",
    "data-kind=\"post\" data-set=\"posts\" data-tag=\"lime masonry\" data-category=\"locks-gates locks\" data-tech-stack=\"steam\""
)]
#[case::post_without_terms("2025/old/index.html", "data-kind=\"post\" data-set=\"posts\"")]
#[case::terms_page(
    "locks-gates/index.html",
    "data-kind=\"list\" data-category=\"locks-gates locks\""
)]
#[case::list("index.html", "data-kind=\"list\"")]
#[case::year("2026/index.html", "data-kind=\"list\"")]
#[case::overview("tags/index.html", "data-kind=\"overview\"")]
#[case::page("about/index.html", "data-kind=\"page\"")]
fn the_body_has_kind_set_and_terms(#[case] page: &str, #[case] expected: &str) {
    let settings = "[content.posts]\nterms = [\"Tech Stack\", \"kind\", \"set\"]\n[terms.category]\nnested = true\n\
        [archive.categories]\nlink = \"/{category}/\"\noverview = false\n";
    let mut bench = small()
        .with("tabulae.toml", &format!("{SITE}{settings}"))
        .with("pages/about.md", "# About\n")
        .with(
            "posts/2026-03-14-lime.md",
            "---\ntitle: Lime\ntags: [lime, Masonry]\ncategory: Locks/Gates\nTech Stack: Steam\nkind: a\nset: b\n---\n",
        )
        .with("terms/category/locks/gates.md", "---\ntitle: Locks/Gates\nslug: locks-gates\n---\n");
    bench.build();
    let page = bench.page(page);
    let body = page
        .split("<body ")
        .nth(1)
        .and_then(|rest| rest.split('>').next());
    assert_eq!(body, Some(expected));
}
