//! Blogs in several languages.

use std::collections::{BTreeMap, BTreeSet};

use rstest::rstest;

use super::{Bench, SITE, said};

const SETTINGS: &str = "description = \"Of walls\"\nsearch = true\n[locale.de]\ntitle = \"Das Log\"\ndescription = \"Von Mauern\"\n[archive.tags]\nfeeds = [\"rss\", \"json\"]\n[related]\nweigh = { tag = 1 }\n";

/// Two languages, of which German has two of the three posts, one of them a translation.
fn two() -> Bench {
    Bench::new(SETTINGS)
        .with(
            "posts/2026-03-01-wall.md",
            "---\ntitle: Wall\ntags: [lime]\n---\nA wall.\n",
        )
        .with(
            "posts/2026-03-01-wall.de.md",
            "---\ntitle: Mauer\ntags: [Kalk]\nslug: mauer\n---\nEine Mauer.\n",
        )
        .with(
            "posts/2026-04-01-boat.md",
            "---\ntitle: Boat\ntags: [lime]\n---\nA boat.\n",
        )
        .with(
            "posts/2026-05-01-kahn.md",
            "---\ntitle: Kahn\nlanguage: de\ntags: [Kalk]\n---\nEin Kahn.\n",
        )
        .with(
            "terms/tag/lime.md",
            "---\ntitle: Lime\ntitle.de: Kalk\n---\nOn lime.\n",
        )
}

fn built() -> Bench {
    let mut bench = two();
    bench.sound();
    bench
}

#[test]
fn each_language_has_all_pages_below_its_prefix() {
    let files = built().files();
    let of = |prefix: &str| -> BTreeSet<String> {
        let files = files.iter().filter(|file| {
            file.ends_with("index.html") || file.ends_with("xml") || file.ends_with("json")
        });
        let own = files.filter_map(|file| match file.strip_prefix("de/") {
            Some(below) => (prefix == "de/").then(|| below.to_owned()),
            None => prefix.is_empty().then(|| file.clone()),
        });
        own.collect()
    };
    let (english, german) = (of(""), of("de/"));
    let only =
        |a: &BTreeSet<String>, b: &BTreeSet<String>| a.difference(b).cloned().collect::<Vec<_>>();
    assert_eq!(
        only(&english, &german),
        [
            "2026/boat/index.html",
            "2026/wall/index.html",
            // No post in German has a category.
            "categories/index.html",
            "sitemap.xml",
            "tags/lime/feed.json",
            "tags/lime/index.html",
            "tags/lime/rss.xml",
        ]
    );
    assert_eq!(
        only(&german, &english),
        [
            "2026/kahn/index.html",
            "2026/mauer/index.html",
            "tags/kalk/feed.json",
            "tags/kalk/index.html",
            "tags/kalk/rss.xml",
        ]
    );
    for both in [
        "index.html",
        "2026/index.html",
        "archive/index.html",
        "atom.xml",
        "feeds/index.html",
        "search/posts.json",
    ] {
        assert!(german.contains(both), "{both}");
    }
}

/// Text that a page must have, and text that it must not have.
#[rstest]
#[case::home("de/index.html", &["<html lang=\"de\">", "Das Log", "Von Mauern", ">Kahn</a>", ">Mauer</a>", "1. Mai 2026"], &["Boat", "Wall", "May"])]
#[case::home_in_english("index.html", &["<html lang=\"en\">", "The Log", "Boat", "Wall", "1 April 2026"], &["Kahn", "Mauer"])]
#[case::a_tag("de/tags/kalk/index.html", &["2 Beiträge", "/de/tags/\">Schlagwörter"], &["On lime", "Lime"])]
#[case::a_tag_in_english("tags/lime/index.html", &["On lime.", "2 posts"], &["Kalk"])]
#[case::related("de/2026/mauer/index.html", &["Weiterlesen", "/de/2026/kahn/", "gemeinsam:"], &["/2026/boat/"])]
#[case::search("de/search/posts.json", &["Kahn", "/de/2026/mauer/"], &["Boat"])]
#[case::feeds("de/feeds/index.html", &["/de/atom.xml", "/de/tags/kalk/rss.xml", "Das Log"], &["\"/atom.xml\"", "lime"])]
#[case::atom("de/atom.xml", &["xml:lang=\"de\"", "<title>Das Log</title>", "<subtitle>Von Mauern</subtitle>", "term=\"Kalk\"", "https://x.example/de/tags/"], &["Boat", "Lime"])]
#[case::rss("de/tags/kalk/rss.xml", &["<language>de</language>", "<title>Das Log: Kalk</title>"], &["Boat"])]
#[case::json("de/tags/kalk/feed.json", &["\"language\": \"de\"", "https://x.example/de/tags/kalk/"], &["Boat"])]
fn a_page_is_in_its_language(#[case] path: &str, #[case] has: &[&str], #[case] has_not: &[&str]) {
    let page = built().page(path);
    // But for the switch to the other language.
    let page = page.split("<nav class=\"languages\"");
    let page: String = page
        .map(|part| {
            part.split_once("</nav>\n<main")
                .map_or(part, |(_, rest)| rest)
        })
        .collect();
    for text in has {
        assert!(page.contains(text), "{text} is not in {page}");
    }
    for text in has_not {
        assert!(!page.contains(text), "{text} is in {page}");
    }
}

/// The addresses in the head of a page by language.
fn hreflang(page: &str) -> BTreeMap<String, String> {
    let lines = page
        .lines()
        .filter_map(|line| line.strip_prefix("<link rel=\"alternate\" hreflang=\""));
    let pairs = lines.map(|line| {
        let (tag, rest) = line.split_once("\" href=\"").unwrap();
        (tag.to_owned(), rest.trim_end_matches("\">").to_owned())
    });
    pairs.collect()
}

#[rstest]
#[case::home("index.html", "/", "/de/")]
#[case::a_post("2026/wall/index.html", "/2026/wall/", "/de/2026/mauer/")]
#[case::a_term("tags/lime/index.html", "/tags/lime/", "/de/tags/kalk/")]
#[case::an_overview("tags/index.html", "/tags/", "/de/tags/")]
#[case::a_year("2026/index.html", "/2026/", "/de/2026/")]
#[case::feeds("feeds/index.html", "/feeds/", "/de/feeds/")]
#[case::search("search/index.html", "/search/", "/de/search/")]
fn a_page_names_its_translation_and_the_translation_names_it(
    #[case] path: &str,
    #[case] english: &str,
    #[case] german: &str,
) {
    let bench = built();
    let absolute = |link: &str| format!("https://x.example{link}");
    let expected: BTreeMap<String, String> = [
        ("en", absolute(english)),
        ("de", absolute(german)),
        ("x-default", absolute(english)),
    ]
    .map(|(tag, link)| (tag.to_owned(), link))
    .into();
    let other = format!("{}index.html", &german[1..]);
    for page in [bench.page(path), bench.page(&other)] {
        assert_eq!(hreflang(&page), expected);
        let switch = page.split("<nav class=\"languages\"").nth(1).unwrap();
        assert!(
            switch.contains(&format!(
                "<a href=\"{english}\" lang=\"en\" hreflang=\"en\""
            )),
            "{switch}"
        );
        assert!(
            switch.contains(&format!("<a href=\"{german}\" lang=\"de\" hreflang=\"de\"")),
            "{switch}"
        );
    }
    let sitemap = bench.page("sitemap.xml");
    let entry = |link: &str| {
        let loc = format!("<loc>{}</loc>", absolute(link));
        let line = sitemap.lines().find(|line| line.contains(&loc));
        line.unwrap_or_else(|| panic!("{link} is not in {sitemap}"))
            .replace(&loc, "")
    };
    assert_eq!(entry(english), entry(german));
    for (tag, link) in &expected {
        let alternate =
            format!("<xhtml:link rel=\"alternate\" hreflang=\"{tag}\" href=\"{link}\"/>");
        assert!(entry(english).contains(&alternate), "{alternate}");
    }
}

/// The switch leads to the other home page.
#[test]
fn a_post_without_a_translation_has_no_hreflang() {
    let bench = built();
    let page = bench.page("2026/boat/index.html");
    assert!(hreflang(&page).is_empty());
    assert!(
        page.contains("<a href=\"/de/\" lang=\"de\" hreflang=\"de\">Deutsch</a>"),
        "{page}"
    );
}

#[test]
fn a_language_without_posts_has_no_pages() {
    let mut bench = Bench::new("search = true\n[locale.de]\n")
        .with(
            "posts/2026-03-01-wall.md",
            "---\ntitle: Wall\n---\nA wall.\n",
        )
        .with(
            "posts/2026-03-01-wall.de.md",
            "---\ntitle: Mauer\ndraft: true\n---\nM.\n",
        );
    let codes = bench.codes();
    assert_eq!(codes, ["unpublished-translation"]);
    assert!(!bench.files().iter().any(|file| file.starts_with("de/")));
    assert!(!bench.page("index.html").contains("class=\"languages\""));
    // Its first post brings them.
    let path = "posts/2026-03-01-wall.de.md";
    bench.after_edit(path, Some("---\ntitle: Mauer\n---\nM.\n"));
    assert!(
        bench
            .page("2026/wall/index.html")
            .contains("/de/2026/wall/")
    );
    assert!(bench.files().contains(&"de/atom.xml".to_owned()));
}

/// A query of a template finds the posts in the language of its page.
#[rstest]
#[case::of_the_page("from posts order by title", "Boat Wall", "Kahn Mauer")]
#[case::any(
    "from posts any language order by title",
    "Boat Kahn Mauer Wall",
    "Boat Kahn Mauer Wall"
)]
#[case::one("where language = 'de' order by title", "Kahn Mauer", "Kahn Mauer")]
#[case::named("from newest", "Boat", "Kahn")]
#[case::named_by_one("from german", "Kahn Mauer", "Kahn Mauer")]
#[case::named_for_any("from newest any language", "Kahn", "Kahn")]
fn a_query_is_of_the_pages_language(
    #[case] query: &str,
    #[case] english: &str,
    #[case] german: &str,
) {
    let settings =
        "[queries]\nnewest = \"limit 1\"\ngerman = \"where language = 'de' order by title\"\n";
    let page = format!(
        "---\ntitle: Home\n---\n[{{% for post in query(\"{query}\") %}}{{{{ post }}}} {{% endfor %}}]"
    );
    let mut bench = two().with("pages/index.html", &page);
    bench
        .sources
        .write("tabulae.toml", format!("{SITE}{SETTINGS}{settings}"));
    bench.sound();
    assert_eq!(bench.page("index.html"), format!("[{english} ]\n"));
    // The home page of a language that has none of its own is the same template.
    assert_eq!(bench.page("de/index.html"), format!("[{german} ]\n"));
}

#[test]
fn a_home_page_of_a_language_takes_the_place_of_the_common_one() {
    let mut bench = two()
        .with("pages/index.md", "# Home\n")
        .with("pages/index.de.md", "# Daheim\n")
        .with("pages/about.de.md", "# Über\n");
    bench.sound();
    assert!(bench.page("index.html").contains("<h1>Home</h1>"));
    assert!(bench.page("de/index.html").contains("<h1>Daheim</h1>"));
    // The lists yield to them in both.
    assert!(bench.page("journal/index.html").contains("Boat"));
    assert!(bench.page("de/journal/index.html").contains("Kahn"));
    let about = bench.page("de/about/index.html");
    assert!(
        about.contains("<html lang=\"de\">") && hreflang(&about).is_empty(),
        "{about}"
    );
    // It is in the navigation of its language alone.
    assert!(bench.page("de/index.html").contains("/de/about/"));
    assert!(!bench.page("index.html").contains("/de/about/"));
}

#[test]
fn archives_and_feeds_have_titles_in_each_language() {
    let settings = SETTINGS.replace(
        "description = \"Von Mauern\"\n",
        "titles = { journal = \"Tagebuch\", tags = \"Alles mit {term}\", atom = \"Neues\" }\nempty_text = \"Nichts.\"\n",
    );
    let mut bench = two();
    bench.sources.write(
        "tabulae.toml",
        format!("{SITE}{settings}empty_text = \"None.\"\n"),
    );
    bench
        .sources
        .write("posts/2026-05-02-a.de.md", "---\ntitle: Allein\n---\nA.\n");
    bench
        .sources
        .write("posts/2026-05-02-b.md", "---\ntitle: Alone\n---\nA.\n");
    bench.sound();
    assert!(bench.page("de/index.html").contains("<h1>Tagebuch</h1>"));
    assert!(bench.page("index.html").contains("<h1>Journal</h1>"));
    assert!(
        bench
            .page("de/tags/kalk/index.html")
            .contains("<h1>Alles mit Kalk</h1>")
    );
    assert!(bench.page("de/atom.xml").contains("<title>Neues</title>"));
    assert!(bench.page("de/2026/a/index.html").contains("Nichts."));
    assert!(bench.page("2026/b/index.html").contains("None."));
}

#[test]
fn an_entry_in_another_language_says_so() {
    let mut bench = two();
    let feed = "[feed.all]\nquery = \"any language\"\nlocales = \"en\"\n[feed.all-json]\nquery = \"any language\"\nformat = \"json\"\nlink = \"/all.json\"\nlocales = \"en\"\n";
    bench
        .sources
        .write("tabulae.toml", format!("{SITE}{SETTINGS}{feed}"));
    bench.sound();
    let atom = bench.page("all.xml");
    assert_eq!(atom.matches("<entry xml:lang=\"de\">").count(), 2, "{atom}");
    assert_eq!(atom.matches("<entry>").count(), 2);
    assert_eq!(
        bench
            .page("all.json")
            .matches("\"language\": \"de\"")
            .count(),
        2
    );
    assert!(!bench.files().contains(&"de/all.xml".to_owned()));
}

#[test]
fn a_list_of_all_languages_marks_what_is_in_another() {
    let mut bench = two().with(
        "pages/all.html",
        "{% for post in query(\"any language order by title\") %}{{ post|link }}\n{% endfor %}",
    );
    bench.sound();
    assert_eq!(
        bench.page("all/index.html"),
        "<a href=\"/2026/boat/\">Boat</a>\n<a href=\"/de/2026/kahn/\" lang=\"de\" hreflang=\"de\">Kahn</a>\n<a href=\"/de/2026/mauer/\" lang=\"de\" hreflang=\"de\">Mauer</a>\n<a href=\"/2026/wall/\">Wall</a>\n"
    );
}

#[test]
fn a_post_has_its_translations_in_templates() {
    let template = "{{ post.language }}:{% for other in post.translations %} {{ other.language }} {{ other|link }}{% endfor %}";
    let mut bench = two().with("templates/post.html", template);
    bench.sound();
    assert_eq!(bench.page("2026/boat/index.html"), "en:\n");
    assert_eq!(
        bench.page("de/2026/mauer/index.html"),
        "de: en <a href=\"/2026/wall/\" lang=\"en\" hreflang=\"en\">Wall</a>\n"
    );
    let path = "posts/2026-04-01-boat.de.md";
    bench.after_edit(path, Some("---\ntitle: Schiff\n---\nS.\n"));
    assert!(bench.page("2026/boat/index.html").contains("Schiff"));
}

/// Nothing of a blog in one language is different for its posts with languages and suffixes.
#[test]
fn a_blog_in_one_language_stays_as_it_is() {
    let mut bench = Bench::new("")
        .with("posts/2026-03-01-notes.de.md", "---\ntitle: Notes\nlanguage: Rust\ntranslation: x\n---\nN.\n")
        .with("posts/2026-03-02-more.md", "---\ntitle: More\nlanguage: Go\ntranslation: x\n---\nM.\n")
        .with("pages/by.html", "{% for post in query(\"where language = 'rust'\") %}{{ post.language }} {{ post.link }}{% endfor %}");
    bench.sound();
    assert_eq!(bench.page("by/index.html"), "Rust /2026/notes-de/\n");
    let page = bench.page("2026/notes-de/index.html");
    assert!(
        !page.contains("hreflang") && !page.contains("languages"),
        "{page}"
    );
    assert!(!bench.page("sitemap.xml").contains("xhtml"));
    assert!(!bench.page("tabulae.css").contains("languages"));
}

/// The diagnostics of a site with these files beside those of [`two`], and with more settings for German.
#[rstest]
#[case::a_list_in_the_folder_of_a_language(
    "prefix = \"/tags/\"\n",
    "",
    "tabulae.toml:7:9: the prefix \"/tags/\" of the pages in `de` holds a page in `en`: /tags/, the overview of the archive `tags`\n  give [locale.de] another prefix, such as `prefix = \"/de/\"`\n"
)]
#[case::posts_in_it(
    "prefix = \"/2026/boat/\"\n",
    "",
    "posts/2026-04-01-boat.md:1:1: the post `posts/2026-04-01-boat.md` is at /2026/boat/, among the pages in `de`, and its own language is `en`\n  give it another address, or the pages in `de` another `prefix`\n"
)]
#[case::a_page_in_it(
    "",
    "pages/de/about.md",
    "pages/de/about.md:3:7: the page `pages/de/about.md` is at /de/about/, among the pages in `de`, and its own language is `en`\n  if it is in `de`, move it to pages/about.de.md, which is at /de/about/; else give it another address\n"
)]
#[case::twice_the_same_translation(
    "",
    "posts/2026-03-01-wall.de.html",
    "posts/2026-03-01-wall.de.md:1:1: two posts in `de` are the same translation: this one and posts/2026-03-01-wall.de.html\n  give one of them another language, by `language` or before the ending of its file, or another `translation`\n"
)]
fn pages_in_the_wrong_language_are_told(
    #[case] german: &str,
    #[case] file: &str,
    #[case] expected: &str,
) {
    let mut bench = two();
    let settings = SETTINGS.replace("[locale.de]\n", &format!("[locale.de]\n{german}"));
    bench
        .sources
        .write("tabulae.toml", format!("{SITE}{settings}"));
    if !file.is_empty() {
        bench
            .sources
            .write(file, "---\ntitle: A\nslug: about\n---\nText\n");
    }
    assert_eq!(said(&bench.build().diagnostics), expected);
}

/// The cache of the last build knows of languages that are gone.
#[test]
fn a_language_goes() {
    let page = "{% for post in query(\"limit 1\") %}{{ post }}{% endfor %}{{ terms(\"tag\")|length|posts }}";
    let mut bench = two().with("pages/index.html", page);
    bench.sound();
    let german = "[locale.de]\ntitle = \"Das Log\"\ndescription = \"Von Mauern\"\n";
    let settings = SETTINGS.replace(german, "");
    bench.sources.remove("terms/tag/lime.md");
    bench
        .sources
        .write("tabulae.toml", format!("{SITE}{settings}"));
    // Two posts have other addresses now, and other ids.
    assert_eq!(bench.codes(), ["feed-id-changed"; 2]);
    let mut clean = super::Out::default();
    bench.build_into(&mut clean);
    assert_eq!(bench.out.files(), clean.files());
    assert_eq!(bench.page("index.html"), "Kahn2 posts\n");
    assert!(!bench.files().iter().any(|file| file.starts_with("de/")));
}

/// A list of Work parties has no posts in German, and one of Kalk none in English, where its page is empty.
#[test]
fn a_list_that_is_empty_in_one_language_is_told_of_the_sites_only() {
    let archives = "[archive.lime]\nquery = \"where title starts with 'Bo'\"\n[archive.kalk]\nquery = \"where title starts with 'Ka'\"\n";
    let page = "{% for post in query(\"where title starts with 'Bo'\") %}{{ post }}{% endfor %}";
    let mut bench = two().with("pages/index.html", page);
    bench
        .sources
        .write("tabulae.toml", format!("{SITE}{SETTINGS}{archives}"));
    let found = bench.diagnostics();
    assert_eq!(
        found,
        [("empty-result".to_owned(), "tabulae.toml".to_owned(), 17, 10)]
    );
    let files = bench.files();
    let has = |path: &str| files.contains(&path.to_owned());
    assert!(has("lime/index.html") && !has("de/lime/index.html"));
    assert!(has("kalk/index.html") && has("de/kalk/index.html"));
}

/// Both posts of the slug `wall` are meant by it, each in its own language.
#[test]
fn a_slug_means_the_post_in_the_same_language() {
    let settings = SETTINGS.replace(
        "weigh = { tag = 1 }",
        "query = \"where title = 'none' limit 2\"",
    );
    let list =
        "<!-- tabulae related of \"wall\" with \"parts/lines.html\" -->\n<!-- tabulae end -->\n";
    let mut bench = Bench::new(&settings)
        .with(
            "posts/2026-03-01-wall.md",
            "---\ntitle: Wall\nrelated: stone\n---\nW.\n",
        )
        .with(
            "posts/2026-03-01-wall.de.md",
            "---\ntitle: Mauer\nrelated: stone\n---\nM.\n",
        )
        .with("posts/2026-03-02-stone.md", "---\ntitle: Stone\n---\nS.\n")
        .with(
            "posts/2026-03-02-stone.de.md",
            "---\ntitle: Stein\n---\nS.\n",
        )
        .with("pages/list.md", &format!("# List\n\n{list}"))
        .with("pages/list.de.md", &format!("# Liste\n\n{list}"));
    bench.sound();
    for path in ["2026/wall/index.html", "list/index.html"] {
        assert!(bench.page(path).contains("Stone</a>"), "{path}");
        let german = bench.page(&format!("de/{path}"));
        assert!(
            german.contains("Stein</a>") && !german.contains("Stone"),
            "{german}"
        );
    }
}

#[test]
fn each_language_has_a_style_for_its_feeds() {
    let mut bench = built();
    assert!(bench.page("tabulae-feeds.css").contains("This is a feed"));
    assert!(
        bench
            .page("de/tabulae-feeds.css")
            .contains("Dies ist ein Feed")
    );
    assert!(
        bench
            .page("de/atom.xml")
            .contains("href=\"/de/tabulae-feeds.css\"")
    );
    // One of the site's own is for all.
    bench
        .sources
        .write("assets/tabulae-feeds.css", "feed { color: red }");
    bench.sound();
    assert!(!bench.files().contains(&"de/tabulae-feeds.css".to_owned()));
    assert!(
        bench
            .page("de/atom.xml")
            .contains("href=\"/tabulae-feeds.css\"")
    );
}

/// Ñ is a letter of its own in Spanish, behind N, and an N with an accent in English.
#[test]
fn a_query_is_in_the_order_of_the_pages_language() {
    let mut bench = Bench::new("[locale.es]\n").with(
        "pages/index.html",
        "{% for post in query(\"order by title\") %}{{ post }} {% endfor %}{% for term in terms(\"tag\") %}{{ term }} {% endfor %}",
    );
    for (name, title) in [("a", "Ñandú"), ("b", "Nube")] {
        let front = format!("---\ntitle: {title}\ndate: 2026-03-01\ntags: {title}\n---\n");
        bench
            .sources
            .write(&format!("posts/{name}.md"), front.clone());
        bench.sources.write(&format!("posts/{name}.es.md"), front);
    }
    bench.sound();
    assert_eq!(bench.page("index.html"), "Ñandú Nube Ñandú Nube\n");
    assert_eq!(bench.page("es/index.html"), "Nube Ñandú Nube Ñandú\n");
}

#[rstest]
#[case::of_the_same("from posts where likeness > 0 order by likeness desc limit 4", &["Kahn"])]
#[case::of_any("from posts any language where likeness > 0 order by likeness desc limit 4", &["Boat", "Kahn", "Wall"])]
#[case::of_another("where likeness > 0 and language != this.language order by likeness desc limit 4", &["Boat", "Wall"])]
fn related_posts_are_of_the_same_language_unless_the_query_says_otherwise(
    #[case] query: &str,
    #[case] expected: &[&str],
) {
    let settings = SETTINGS.replace("[related]\n", &format!("[related]\nquery = \"{query}\"\n"));
    let mut bench = two();
    bench
        .sources
        .write("tabulae.toml", format!("{SITE}{settings}"));
    bench.sound();
    let page = bench.page("de/2026/mauer/index.html");
    let related = page.split("class=\"related\"").nth(1).unwrap();
    let titles = ["Boat", "Kahn", "Wall"];
    let found = titles
        .iter()
        .filter(|title| related.contains(&format!(">{title}</a>")));
    assert_eq!(found.copied().collect::<Vec<_>>(), expected);
}
