//! `tabulae settings`, and what stays when the settings name more.

use crate::site::Site;

const SITE: &str = "[site]\ntitle = \"Log\"\naddress = \"https://x.example/\"\n";

/// A site with these settings below `[site]`, built; returns the built paths that end in `.html` or `.xml`.
fn built(settings: &str, files: &[(&str, &str)]) -> (Site, Vec<String>) {
    let site = Site::small();
    site.write("tabulae.toml", format!("{SITE}{settings}"));
    for (path, text) in files {
        site.write(path, text);
    }
    site.run(&["build", "--today", "2026-06-01"]).sound();
    let paths = site.tree("out").into_iter().map(|(path, _)| path);
    let paths = paths.filter(|path| path.ends_with(".html") || path.ends_with(".xml"));
    let paths = paths.collect();
    (site, paths)
}

const DEFAULT: [&str; 9] = [
    "2026/index.html",
    "2026/lime/index.html",
    "archive/index.html",
    "atom.xml",
    "categories/index.html",
    "feeds/index.html",
    "index.html",
    "sitemap.xml",
    "tags/index.html",
];

#[test]
fn nothing_vanishes_when_the_settings_name_more() {
    let (_, paths) = built("[archive.hours]\nlink = \"/hours/\"\n[feed.works]\n", &[]);
    for path in DEFAULT.iter().chain(&["hours/index.html", "works.xml"]) {
        assert!(paths.iter().any(|built| built == path), "{path}: {paths:?}");
    }
}

#[test]
fn a_content_set_leaves_the_posts_where_they_are() {
    let pot = ("pots/wide.md", "A wide pot.\n");
    let (site, paths) = built("[content.pots]\ndated = false\n", &[pot]);
    for path in DEFAULT.iter().chain(&["pots/wide/index.html"]) {
        assert!(paths.iter().any(|built| built == path), "{path}: {paths:?}");
    }
    // The built-in lists are of the dated posts.
    for list in ["index.html", "atom.xml"] {
        let list = site.read(&format!("out/{list}"));
        assert!(
            list.contains("/2026/lime/") && !list.contains("/pots/wide/"),
            "{list}"
        );
    }
}

#[test]
fn a_home_page_moves_the_journal_and_keeps_the_feed() {
    let home = "{% extends \"base.html\" %}{% block main %}<h2>Newest</h2>{% endblock %}";
    let (site, paths) = built("", &[("pages/index.html", home)]);
    let expected = DEFAULT.iter().chain(&["journal/index.html"]);
    assert!(
        expected
            .clone()
            .all(|path| paths.iter().any(|built| built == path)),
        "{paths:?}"
    );
    let page = site.read("out/index.html");
    assert!(
        page.contains("<title>Log</title>") && page.contains("<h2>Newest</h2>"),
        "{page}"
    );
    let run = site.run(&["build", "--verbose", "--today", "2026-06-01"]);
    let sentence = "The built-in archive `journal` is at /journal/: `pages/index.html` is at /.";
    assert!(run.sound().out.contains(sentence), "{}", run.out);
}

/// The printed settings, copied over `tabulae.toml`, build the same site.
#[test]
fn the_effective_settings_can_be_copied() {
    let site = Site::empty();
    site.run(&["demo", "."]).sound();
    let printed = site.run(&["settings"]).sound().out.clone();
    assert!(printed.contains("\nlanguage = \"en\""), "{printed}");
    let clean = |out: &str| {
        site.run(&["build", "--today", "2026-11-20", "--out", out])
            .sound();
        site.tree(out)
    };
    let before = clean("one");
    site.write("tabulae.toml", &printed);
    let after = clean("two");
    assert_eq!(before.len(), after.len());
    for ((path, bytes), (other, copied)) in before.iter().zip(&after) {
        assert!((path, bytes) == (other, copied), "{path} differs");
    }
}

#[test]
fn settings_are_for_programs_too() {
    let object = Site::small()
        .run(&["settings", "--format", "json"])
        .sound()
        .json();
    let title = &object["settings"]["site"]["title"];
    assert_eq!(
        (&title["value"], &title["from"]),
        (&"Log".into(), &"tabulae.toml:2:1".into())
    );
    let link = &object["settings"]["archive"]["journal"]["link"];
    assert_eq!(
        (&link["value"], &link["from"]),
        (&"/".into(), &"built in".into())
    );
    assert_eq!(object["yields"], serde_json::json!([]));
}
