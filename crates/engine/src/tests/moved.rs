//! Earlier addresses of archives, feeds and terms, and ids of posts that come from another blog.

use rstest::rstest;

use super::*;

fn post(day: u8, front: &str) -> String {
    format!("---\ndate: 2026-03-{day:02}\n{front}\n---\nText.\n")
}

/// The address that a redirect leads to.
fn leads_to(bench: &Bench, path: &str) -> Option<String> {
    let page = bench.out.text(path)?;
    let (_, rest) = page.split_once("http-equiv=\"refresh\" content=\"0; url=")?;
    Some(rest.split('"').next()?.to_owned())
}

#[rstest]
#[case::a_list(
    "[archive.journal]\nlink = \"/journal/\"\nmoved_from = \"/blog/\"\n",
    "blog/index.html",
    Some("/journal/")
)]
#[case::without_a_slash(
    "[archive.journal]\nlink = \"/journal/\"\nmoved_from = [\"/blog\", \"https://x.example/log\"]\n",
    "log/index.html",
    Some("/journal/")
)]
#[case::a_file(
    "[archive.journal]\nlink = \"/journal/\"\nmoved_from = \"/all.html\"\n",
    "all.html",
    Some("/journal/")
)]
#[case::each_term(
    "[archive.tags]\nmoved_from = \"/topics/{tag}/\"\n",
    "topics/lime/index.html",
    Some("/tags/lime/")
)]
#[case::an_overview(
    "[archive.tags]\nmoved_from = \"/topics/\"\n",
    "topics/index.html",
    Some("/tags/")
)]
#[case::a_date_part(
    "[archive.years]\nmoved_from = \"/y/{year}/\"\n",
    "y/2026/index.html",
    Some("/2026/")
)]
fn an_archive_leads_from_its_earlier_addresses(
    #[case] settings: &str,
    #[case] path: &str,
    #[case] expected: Option<&str>,
) {
    let mut bench = Bench::new(settings).with("posts/a.md", &post(1, "tags: lime"));
    bench.sound();
    assert_eq!(leads_to(&bench, path).as_deref(), expected);
}

#[test]
fn feeds_stay_at_their_earlier_addresses() {
    let settings = "[archive.tags]\nfeeds = [\"atom\", \"rss\"]\nmoved_from = \"/topics/{tag}/\"\n[feed.atom]\nmoved_from = [\"/feed.xml\", \"/index.xml\"]\n";
    let mut bench = Bench::new(settings).with("posts/a.md", &post(1, "tags: lime"));
    bench.sound();
    let feeds = [
        ("atom.xml", "feed.xml"),
        ("atom.xml", "index.xml"),
        ("tags/lime/atom.xml", "topics/lime/atom.xml"),
        ("tags/lime/rss.xml", "topics/lime/rss.xml"),
    ];
    for (now, earlier) in feeds {
        assert_eq!(bench.page(now), bench.page(earlier), "{earlier}");
    }
    // They change with it.
    bench.after_edit("posts/b.md", Some(&post(2, "tags: lime\ntitle: Later")));
    assert!(bench.page("topics/lime/rss.xml").contains("Later"));
}

#[test]
fn a_note_leads_from_earlier_addresses_and_spellings() {
    let note = "---\ntitle: Lime mortar\nspellings: [lime, Kalk]\nmoved_from: /about-lime/\n---\n";
    let mut bench = Bench::new("[archive.tags]\nfeeds = [\"atom\"]\n")
        .with("posts/a.md", &post(1, "tags: lime"))
        .with("posts/b.md", &post(2, "tags: Lime mortar"))
        .with("terms/tag/lime-mortar.md", note);
    bench.sound();
    for path in [
        "about-lime/index.html",
        "tags/lime/index.html",
        "tags/kalk/index.html",
    ] {
        assert_eq!(
            leads_to(&bench, path).as_deref(),
            Some("/tags/lime-mortar/"),
            "{path}"
        );
    }
    assert_eq!(
        bench.page("tags/lime/atom.xml"),
        bench.page("tags/lime-mortar/atom.xml")
    );
    // What the site has at such an address comes first.
    bench.sources.write("pages/tags/kalk.md", "# Kalk\n");
    bench.sound();
    assert_eq!(leads_to(&bench, "tags/kalk/index.html"), None);
}

#[rstest]
#[case::variable(
    "[archive.tags]\nmoved_from = \"/x/{category}/\"\n",
    "invalid-link-pattern",
    6
)]
#[case::out_of_the_site("[archive.tags]\nmoved_from = \"/%2e%2e/x/\"\n", "invalid-address", 6)]
#[case::another_site(
    "[feed.atom]\nmoved_from = \"https://y.example/a.xml\"\n",
    "invalid-address",
    6
)]
#[case::no_overview(
    "[archive.tags]\noverview = false\nmoved_from = \"/x/\"\n",
    "invalid-link-pattern",
    7
)]
#[case::taken("[archive.tags]\nmoved_from = \"/archive/\"\n", "address-conflict", 6)]
#[case::an_id(
    "[content.posts]\nfeed_id = \"/a/{slug}\"\n",
    "invalid-link-pattern",
    6
)]
#[case::an_id_of_all(
    "[content.posts]\nfeed_id = \"https://y.example/\"\n",
    "invalid-link-pattern",
    6
)]
fn an_unfit_address_is_told_at_its_place(
    #[case] settings: &str,
    #[case] code: &str,
    #[case] line: usize,
) {
    let mut bench = Bench::new(settings).with("posts/a.md", &post(1, "tags: lime\ncategory: a"));
    let found = bench.diagnostics();
    let found: Vec<_> = found
        .iter()
        .map(|(code, file, line, _)| (code.as_str(), file.as_str(), *line))
        .collect();
    assert_eq!(found, [(code, "tabulae.toml", line)]);
}

#[test]
fn an_address_of_a_term_without_a_page_is_told() {
    let mut bench = Bench::new("")
        .with("posts/a.md", &post(1, "tags: lime"))
        .with("terms/tag/sand.md", "---\nmoved_from: /sand/\n---\n");
    let found = bench.diagnostics();
    let expected = (
        "address-lost".to_owned(),
        "terms/tag/sand.md".to_owned(),
        2,
        13,
    );
    assert_eq!(found, [expected]);
}

/// The ids in the feed, by the posts' order: newest first.
fn ids(bench: &Bench) -> Vec<String> {
    let feed = bench.page("atom.xml");
    let entries = feed.split("<entry>").skip(1);
    let id = |entry: &str| {
        let (_, rest) = entry.split_once("<id>").unwrap();
        rest.split_once("</id>").unwrap().0.to_owned()
    };
    entries.map(id).collect()
}

#[test]
fn a_content_set_states_the_ids_of_an_earlier_blog() {
    let settings =
        "[content.posts]\nfeed_id = \"https://old.example/?p={info.number}&s={info.part}\"\n";
    let mut bench = Bench::new(settings)
        .with(
            "posts/a.md",
            &post(1, "info: { number: 12, part: 'a b/c' }\nmoved_from: /old/"),
        )
        .with("posts/b.md", &post(2, "info: { number: 13 }"))
        .with(
            "posts/c.md",
            &post(3, "id: urn:own\ninfo: { number: 14, part: x }"),
        );
    bench.sound();
    let expected = [
        "urn:own",
        "https://x.example/2026/b/",
        "https://old.example/?p=12&amp;s=a%20b%2Fc",
    ];
    assert_eq!(ids(&bench), expected);
}

/// An id that an earlier build had is known to readers; the change is noticed once.
#[test]
fn an_id_that_comes_back_is_noticed_once() {
    let mut bench = Bench::new("");
    let mut changed = |id: &str| {
        bench
            .sources
            .write("posts/a.md", post(1, &format!("id: urn:{id}")));
        bench.build().output.addresses.feed_ids.len()
    };
    assert_eq!(
        ["a", "a", "b", "b", "a", "a"].map(&mut changed),
        [0, 0, 1, 0, 1, 0]
    );
}

/// The first old address becomes the id, which is said once.
#[test]
fn an_id_that_is_an_old_address_is_said_when_the_post_is_new() {
    let mut bench = Bench::new("")
        .with("posts/a.md", &post(1, "moved_from: [/one/, /two/]"))
        .with("posts/b.md", &post(2, "id: urn:own\nmoved_from: /b/"));
    let found = bench.diagnostics();
    assert_eq!(
        found,
        [("guessed-feed-id".to_owned(), "posts/a.md".to_owned(), 3, 14)]
    );
    assert_eq!(ids(&bench), ["urn:own", "https://x.example/one/"]);
    assert_eq!(bench.diagnostics(), []);
    bench
        .sources
        .write("posts/c.md", post(3, "moved_from: /c/"));
    assert_eq!(bench.diagnostics().len(), 1);
}
