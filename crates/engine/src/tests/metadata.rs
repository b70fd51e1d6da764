//! Metadata of pages, addresses of their own, the page for missing addresses, and the list of feeds for readers.

use rstest::rstest;
use serde_json::Value as Json;

use super::bench::{Bench, said};
use super::{SITE, small};

/// The content of each `meta` element of a page with an attribute.
fn meta(page: &str, attribute: &str, name: &str) -> Vec<String> {
    let start = format!("<meta {attribute}=\"{name}\" content=\"");
    let parts = page.split(start.as_str()).skip(1);
    parts
        .map(|rest| rest.split('"').next().unwrap().to_owned())
        .collect()
}

/// The JSON-LD objects of a page.
fn json_ld(page: &str) -> Vec<Json> {
    let start = "<script type=\"application/ld+json\">";
    let Some((_, rest)) = page.split_once(start) else {
        return Vec::new();
    };
    let text = rest.split("</script>").next().unwrap();
    match serde_json::from_str(text).unwrap() {
        Json::Array(objects) => objects,
        one => vec![one],
    }
}

/// The properties that each type needs (schema.org, and the documentation of structured data of search engines).
const REQUIRED: [(&str, &[&str]); 5] = [
    (
        "BlogPosting",
        &[
            "headline",
            "datePublished",
            "dateModified",
            "author",
            "url",
            "mainEntityOfPage",
            "publisher",
            "inLanguage",
        ],
    ),
    ("Article", &["headline", "author", "url", "publisher"]),
    ("CollectionPage", &["name", "url", "isPartOf", "inLanguage"]),
    ("WebPage", &["name", "url", "isPartOf"]),
    ("BreadcrumbList", &["itemListElement"]),
];

/// Holds objects to the vocabulary: required properties, absolute addresses, dates by ISO 8601, steps in order.
fn assert_valid(object: &Json, page: &str) {
    assert_eq!(object["@context"], "https://schema.org");
    let kind = object["@type"].as_str().unwrap();
    let (_, required) = REQUIRED.iter().find(|(known, _)| *known == kind).unwrap();
    for name in *required {
        assert!(!object[name].is_null(), "{page}: {kind} without {name}");
    }
    for name in ["url", "mainEntityOfPage", "image"] {
        if let Some(address) = object[name].as_str() {
            assert!(
                address.starts_with("https://x.example/"),
                "{page}: {address}"
            );
        }
    }
    for name in ["datePublished", "dateModified"] {
        if let Some(date) = object[name].as_str() {
            assert!(
                date[..10].parse::<jiff::civil::Date>().is_ok(),
                "{page}: {date}"
            );
        }
    }
    if kind == "BreadcrumbList" {
        let items = object["itemListElement"].as_array().unwrap();
        for (item, position) in items.iter().zip(1..) {
            assert_eq!(
                (&item["@type"], &item["position"]),
                (&Json::from("ListItem"), &Json::from(position))
            );
            assert!(
                item["name"].is_string() && item["item"].as_str().unwrap().starts_with("https://"),
                "{page}: {item}"
            );
        }
    }
}

#[test]
fn every_page_has_valid_structured_data() {
    let mut bench = small()
        .with(
            "pages/about.md",
            "---\ntitle: \"About </script><b>us</b>\"\n---\n",
        )
        .with("boats/turnip.md", "A boat.\n");
    let settings = format!(
        "{SITE}image = \"/a.png\"\nsearch = true\n[content.posts]\n[content.boats]\ndated = false\n[archive.journal]\nper_page = 2\n"
    );
    bench.sources.write("tabulae.toml", settings);
    bench.sound();
    let pages: Vec<String> = bench
        .files()
        .into_iter()
        .filter(|path| path.ends_with(".html"))
        .collect();
    assert!(pages.len() > 12);
    for path in pages {
        let page = bench.page(&path);
        let objects = json_ld(&page);
        assert!(!objects.is_empty(), "{path}");
        objects
            .iter()
            .for_each(|object| assert_valid(object, &path));
    }
    let of = |path: &str| {
        let objects = json_ld(&bench.page(path));
        let kinds = objects
            .iter()
            .map(|object| object["@type"].as_str().unwrap().to_owned());
        kinds.collect::<Vec<_>>()
    };
    assert_eq!(
        of("2026/lime/index.html"),
        ["BlogPosting", "BreadcrumbList"]
    );
    assert_eq!(of("boats/turnip/index.html"), ["Article", "BreadcrumbList"]);
    assert_eq!(
        of("tags/lime/index.html"),
        ["CollectionPage", "BreadcrumbList"]
    );
    assert_eq!(of("tags/index.html"), ["CollectionPage", "BreadcrumbList"]);
    assert_eq!(of("index.html"), ["CollectionPage"]);
    assert_eq!(
        json_ld(&bench.page("about/index.html"))[0]["name"],
        "About </script><b>us</b>"
    );
}

#[test]
fn a_posts_structured_data_is_what_it_says_of_itself() {
    let mut bench = small()
        .with("posts/2026-04-01-boat.md", "---\ntitle: A boat\ntags: lime\ncategory: Boats\nauthor: Ann\nimage: boat.png\nsummary: Short.\nupdated: 2026-04-03\n---\n")
        .with("posts/boat.png", "b");
    let settings = format!(
        "{SITE}author = {{ name = \"All\", link = \"/about/\" }}\n[archive.authors]\nby = \"author\"\n"
    );
    bench.sources.write("tabulae.toml", settings);
    bench.sound();
    let objects = json_ld(&bench.page("2026/boat/index.html"));
    let post = &objects[0];
    let expected = serde_json::json!({
        "@context": "https://schema.org",
        "@type": "BlogPosting",
        "headline": "A boat",
        "url": "https://x.example/2026/boat/",
        "mainEntityOfPage": "https://x.example/2026/boat/",
        "inLanguage": "en",
        "author": [{ "@type": "Person", "name": "Ann", "url": "https://x.example/authors/ann/" }],
        "publisher": { "@type": "Organization", "name": "The Log", "url": "https://x.example/" },
        "datePublished": "2026-04-01",
        "dateModified": "2026-04-03",
        "description": "Short.",
        "image": "https://x.example/2026/boat/boat.png",
        "articleSection": ["Boats"],
        "keywords": ["lime"],
    });
    assert_eq!(*post, expected);
    let way: Vec<&str> = objects[1]["itemListElement"]
        .as_array()
        .unwrap()
        .iter()
        .map(|item| item["item"].as_str().unwrap())
        .collect();
    assert_eq!(
        way,
        [
            "https://x.example/",
            "https://x.example/categories/boats/",
            "https://x.example/2026/boat/"
        ]
    );
    // Without an author of its own it is by that of the site.
    let other = &json_ld(&bench.page("2026/lime/index.html"))[0];
    assert_eq!(
        other["author"],
        serde_json::json!({ "@type": "Person", "name": "All", "url": "https://x.example/about/" })
    );
    let page = bench.page("2026/boat/index.html");
    for (name, content) in [
        ("og:type", "article"),
        ("og:title", "A boat"),
        ("og:url", "https://x.example/2026/boat/"),
        ("og:site_name", "The Log"),
        ("og:description", "Short."),
        ("og:image", "https://x.example/2026/boat/boat.png"),
    ] {
        assert_eq!(meta(&page, "property", name), [content]);
    }
    assert_eq!(meta(&page, "name", "twitter:card"), ["summary_large_image"]);
    // Another name of a term is another name here.
    bench.after_edit(
        "terms/category/boats.md",
        Some("---\ntitle: Vessels\nspellings: [Boats]\nslug: boats\n---\n"),
    );
    assert_eq!(
        json_ld(&bench.page("2026/boat/index.html"))[0]["articleSection"][0],
        "Vessels"
    );
}

#[rstest]
#[case::a_folder("/lime/", "lime/index.html")]
#[case::without_a_slash("/a/lime", "a/lime/index.html")]
#[case::a_file("/lime.html", "lime.html")]
#[case::encoded("/k%C3%A4se/", "käse/index.html")]
fn a_post_and_a_page_have_an_address_of_their_own(#[case] link: &str, #[case] file: &str) {
    // Without a feed no id of an entry changes.
    let mut bench =
        Bench::new("[feed.atom]\nenabled = false\n").with("posts/2026-01-01-a.md", "A.\n");
    bench.sound();
    let post = format!("---\nlink: {link}\n---\nA.\n");
    bench.after_edit("posts/2026-01-01-a.md", Some(&post));
    assert!(
        bench.files().contains(&file.to_owned()),
        "{:?}",
        bench.files()
    );
    assert!(bench.page("index.html").contains(&format!(
        "<a href=\"{link}{}\">A</a>",
        if file.ends_with("/index.html") && !link.ends_with('/') {
            "/"
        } else {
            ""
        }
    )));
    bench.after_edit("posts/2026-01-01-a.md", Some("A.\n"));
    bench.after_edit("pages/a.md", Some(&post));
    assert!(bench.files().contains(&file.to_owned()));
}

#[rstest]
#[case::another_site("https://x.example/a/", &[])]
#[case::a_word("a", &[])]
#[case::out_of_the_site("/../a/", &["invalid-link-pattern"])]
#[case::a_variable("/{slug}/", &["invalid-address"])]
#[case::a_query("/a/?b", &["invalid-link-pattern"])]
#[case::taken("/tags/", &["address-conflict"])]
fn a_link_is_an_address_if_it_begins_with_a_slash(#[case] link: &str, #[case] expected: &[&str]) {
    let mut bench = Bench::new("").with(
        "posts/2026-01-01-a.md",
        &format!("---\nlink: \"{link}\"\n---\nA.\n"),
    );
    assert_eq!(
        bench.codes(),
        expected,
        "{}",
        said(&bench.build().diagnostics)
    );
    if expected.is_empty() {
        assert!(bench.files().contains(&"2026/a/index.html".to_owned()));
    }
}

#[rstest]
#[case::markdown("pages/404.md", "# Not here\n\nGo home.\n")]
#[case::html(
    "pages/404.html",
    "---\ntitle: Not here\n---\n{% extends \"base.html\" %}{% block main %}Go home.{% endblock %}"
)]
fn the_page_for_missing_addresses(#[case] path: &str, #[case] text: &str) {
    let mut bench = Bench::new("[locale.de]\ntitle = \"L\"\ndescription = \"D\"\n")
        .with("posts/2026-01-01-a.md", "A.\n")
        .with("posts/2026-01-01-a.de.md", "A.\n")
        .with("pages/404.de.md", "# Fehlt\n")
        .with(path, text);
    bench.sound();
    assert!(bench.page("404.html").contains("Go home."));
    assert!(bench.page("de/404.html").contains("Fehlt"));
    assert!(!bench.page("sitemap.xml").contains("404"));
    assert!(!bench.page("index.html").contains("Not here"));
}

/// OPML 2.0: title, and an outline with the address of each feed and of its page.
#[test]
fn readers_get_a_list_of_all_feeds() {
    let mut bench = Bench::new("[archive.tags]\nfeeds = [\"rss\", \"json\"]\n[locale.de]\ntitle = \"L\"\ndescription = \"D\"\n")
        .with("posts/2026-01-01-a.md", "---\ntags: a & b\n---\n")
        .with("posts/2026-01-01-a.de.md", "A.\n");
    bench.sound();
    let expected = "<?xml version=\"1.0\" encoding=\"utf-8\"?>
<opml version=\"2.0\">
<head>
<title>The Log</title>
</head>
<body>
<outline type=\"rss\" text=\"The Log: a &amp; b\" title=\"The Log: a &amp; b\" xmlUrl=\"https://x.example/tags/a-and-b/rss.xml\" htmlUrl=\"https://x.example/tags/a-and-b/\"/>
<outline type=\"rss\" text=\"The Log\" title=\"The Log\" xmlUrl=\"https://x.example/atom.xml\" htmlUrl=\"https://x.example/\"/>
</body>
</opml>
";
    assert_eq!(bench.page("feeds.opml"), expected);
    assert!(
        bench
            .page("de/feeds.opml")
            .contains("https://x.example/de/atom.xml")
    );
    bench.after_edit("posts/2026-01-01-a.md", Some("---\ntags: c\n---\n"));
    assert!(bench.page("feeds.opml").contains("/tags/c/rss.xml"));
    let mut own = Bench::new("")
        .with("posts/2026-01-01-a.md", "")
        .with("assets/feeds.opml", "own");
    own.sound();
    assert_eq!(own.page("feeds.opml"), "own");
}

#[rstest]
#[case::json(
    "{{ {\"a\": \"</script>\"}|tojson }}",
    "{\"a\": \"\\u003c/script\\u003e\"}"
)]
#[case::address("{{ \"a b&c\"|urlencode }}", "a%20b%26c")]
#[case::cut("{{ \"one two three\"|truncate(length=11, leeway=0) }}", "one two...")]
#[case::tags("{{ \"<p>a &amp; <b>b</b></p>\"|striptags }}", "a &amp; b")]
fn further_filters(#[case] template: &str, #[case] expected: &str) {
    let mut bench = Bench::new("")
        .with("posts/2026-01-01-a.md", "")
        .with("pages/x.html", template);
    bench.sound();
    assert_eq!(bench.page("x/index.html").trim_end(), expected);
}

const GUIDE: &str = include_str!("../../../../docs/site/guides/reference/templates.md");

/// The filters of the engine that the guide lists are there, each by a value that it takes.
#[test]
fn every_filter_of_the_engine_in_the_guide_exists() {
    let (_, list) = GUIDE.split_once("## Filters of the engine").unwrap();
    let list = list.split("\n## ").next().unwrap();
    let rows = list.lines().filter(|line| line.starts_with("| `"));
    let examples = rows.map(|row| {
        let cells: Vec<&str> = row.split(" | ").collect();
        let code = |cell: &str| cell.trim_matches(['|', ' ', '`']).replace("\\|", "|");
        (code(cells[0]), code(cells[1]))
    });
    let examples: Vec<(String, String)> = examples.collect();
    assert!(examples.len() > 30, "{}", examples.len());
    for (example, expected) in examples {
        let page = format!("{{{{ {example} }}}}");
        let mut bench = Bench::new("")
            .with("posts/2026-01-01-a.md", "")
            .with("pages/x.html", &page);
        assert_eq!(said(&bench.build().diagnostics), "", "{example}");
        let made = bench.page("x/index.html");
        let plain = made
            .trim_end()
            .replace("&#39;", "'")
            .replace("&lt;", "<")
            .replace("&gt;", ">");
        assert_eq!(plain, expected, "{example}");
    }
}
