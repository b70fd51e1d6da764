//! Feeds of whole sites. What is written is judged by a feed parser that is not ours.

use std::collections::BTreeMap;
use std::path::Path;

use feed_rs::model::Feed;
use rstest::rstest;
use tabulae_core::html;

use tabulae_engine::{DiskSources, Sources};

use crate::bench::{Bench, SITE, said};

impl Bench {
    /// A feed, as the parser reads it.
    fn feed(&self, path: &str) -> Feed {
        feed_rs::parser::parse(self.page(path).as_bytes()).unwrap()
    }
}

fn titles(feed: &Feed) -> Vec<&str> {
    let titles = feed.entries.iter().map(|entry| &entry.title);
    titles
        .map(|title| title.as_ref().unwrap().content.as_str())
        .collect()
}

/// The example site, its feeds replaced by one of everything in each format.
fn example() -> Bench {
    let folder = Path::new(env!("CARGO_MANIFEST_DIR")).join("../crates/cli/demo");
    let disk = DiskSources::new(folder);
    let bench = Bench::new("");
    for folder in ["assets", "fleet", "pages", "posts", "terms"] {
        for path in disk.list(folder).unwrap().unwrap() {
            bench.sources.write(&path, disk.read(&path).unwrap());
        }
    }
    let settings = String::from_utf8(disk.read("tabulae.toml").unwrap()).unwrap();
    let with_related = "feeds      = true";
    assert!(settings.contains(with_related));
    let mut settings = settings.replace(with_related, "feeds = false");
    for format in ["atom", "rss", "json"] {
        settings.push_str(&format!(
            "[feed.all-{format}]\nquery = \"from posts any language limit 1000\"\nlink = \"/all.{format}\"\nformat = \"{format}\"\ncontent = \"full\"\n"
        ));
    }
    bench.sources.write("tabulae.toml", settings);
    bench
}

#[rstest]
#[case::atom("all.atom")]
#[case::rss("all.rss")]
#[case::json("all.json")]
fn every_post_of_the_example_is_read_back(#[case] path: &str) {
    let mut bench = example();
    bench.sound();
    let site = bench.workspace();
    let (catalogue, address) = (
        site.catalogue().unwrap(),
        &site.settings().unwrap().site.address,
    );
    let posts: BTreeMap<String, _> = catalogue
        .listed(None)
        .iter()
        .copied()
        .filter(|id| catalogue.post(*id).path.starts_with("posts/"))
        .map(|id| (address.absolute(&catalogue.link(id).encoded), id))
        .collect();
    let feed = bench.feed(path);
    assert_eq!(feed.entries.len(), posts.len());
    assert!(posts.len() > 35, "{}", posts.len());
    for entry in &feed.entries {
        let id = posts[&entry.links[0].href];
        let post = catalogue.post(id);
        assert_eq!(entry.title.as_ref().unwrap().content, *post.title);
        assert_eq!(
            entry.published.unwrap().timestamp(),
            post.date.unwrap().at.as_second()
        );
        assert_eq!(
            entry.id,
            match post.moved_from.first() {
                Some(old) => format!("https://towpath.example{}", old.node),
                None => entry.links[0].href.clone(),
            }
        );
        let body = entry
            .content
            .as_ref()
            .and_then(|content| content.body.as_deref());
        assert_eq!(html::text(body.unwrap()), html::text(&post.html.get()));
        let terms = entry.categories.iter().map(|category| &*category.term);
        let meant = ["tag", "category"].map(|name| catalogue.term_field(name).unwrap());
        let meant = meant.into_iter().flat_map(|field| {
            let terms = catalogue.terms_of(id, field).iter();
            terms.map(move |term| &*catalogue.terms(field).term(*term).name)
        });
        assert_eq!(terms.collect::<Vec<_>>(), meant.collect::<Vec<_>>());
    }
}

const FULL: &str = "[feed.all]\ncontent = \"full\"\n";

#[test]
fn the_text_of_an_entry_stands_alone() {
    let mut bench = Bench::new(FULL)
        .with(
            "posts/2026-03-14-lime.md",
            "---\ntitle: \"Lime & <sand>\"\n---\n\n## Why\n\nSee [sand](2026-03-15-sand.md), [below](#why) and ![a](kiln.png).[^1]\n\n<!-- more -->\n\n<script>x()</script><form><input></form>\n\n[^1]: A note.\n",
        )
        .with(
            "posts/2026-03-15-sand.md",
            "Sand.[^1]\n\n<img srcset=\"/a.png 1x, /b.png 2x\" alt=\"\">\n\n[^1]: Another.\n",
        )
        .with("posts/kiln.png", "1234");
    bench.sound();
    let feed = bench.feed("all.xml");
    let bodies: Vec<&str> = feed
        .entries
        .iter()
        .map(|entry| entry.content.as_ref().unwrap().body.as_deref().unwrap())
        .collect();
    insta::assert_snapshot!(bodies.join("\n---\n"), @r##"
    <p>Sand.<sup><a href="https://x.example/2026/sand/#note-1" id="2026-sand-ref-1" role="doc-noteref">1</a></sup></p>
    <img srcset="https://x.example/a.png 1x, https://x.example/b.png 2x" alt="">
    <section class="notes" role="doc-endnotes">
    <ol>
    <li id="2026-sand-note-1">
    <p>Another. <a href="https://x.example/2026/sand/#ref-1" role="doc-backlink" class="back">↩</a></p>
    </li>
    </ol>
    </section>
    ---
    <h2 id="2026-lime-why">Why</h2>
    <p>See <a href="https://x.example/2026/sand/">sand</a>, <a href="https://x.example/2026/lime/#why">below</a> and <img src="https://x.example/2026/lime/kiln.png" alt="a" />.<sup><a href="https://x.example/2026/lime/#note-1" id="2026-lime-ref-1" role="doc-noteref">1</a></sup></p>

    <section class="notes" role="doc-endnotes">
    <ol>
    <li id="2026-lime-note-1">
    <p>A note. <a href="https://x.example/2026/lime/#ref-1" role="doc-backlink" class="back">↩</a></p>
    </li>
    </ol>
    </section>
    "##);
    let ids = bodies.iter().flat_map(|body| body.split(" id=\"").skip(1));
    let ids: Vec<_> = ids.filter_map(|rest| rest.split('"').next()).collect();
    let apart: std::collections::BTreeSet<_> = ids.iter().collect();
    assert_eq!((ids.len(), apart.len()), (5, 5), "{ids:?}");
}

#[rstest]
#[case::beside(
    "image: kiln.png",
    "https://x.example/2026/lime/kiln.png",
    Some(4),
    Some("image/png")
)]
#[case::asset(
    "image: /gate.svg",
    "https://x.example/gate.svg",
    Some(5),
    Some("image/svg+xml")
)]
#[case::elsewhere(
    "image: https://y.example/a.jpg?b=c",
    "https://y.example/a.jpg?b=c",
    None,
    Some("image/jpeg")
)]
#[case::no_known_type("image: https://y.example/a", "https://y.example/a", None, None)]
fn an_image_is_an_enclosure(
    #[case] front: &str,
    #[case] address: &str,
    #[case] length: Option<u64>,
    #[case] media_type: Option<&str>,
) {
    let mut bench = Bench::new("")
        .with(
            "posts/2026-03-14-lime.md",
            &format!("---\n{front}\n---\nLime.\n"),
        )
        .with("posts/kiln.png", "1234")
        .with("assets/gate.svg", "12345");
    bench.sound();
    let feed = bench.feed("atom.xml");
    let links = &feed.entries[0].links;
    let image = links
        .iter()
        .find(|link| link.rel.as_deref() == Some("enclosure"))
        .unwrap();
    assert_eq!(
        (
            image.href.as_str(),
            image.length,
            image.media_type.as_deref()
        ),
        (address, length, media_type)
    );
}

#[test]
fn a_post_without_an_image_has_no_enclosure_and_the_feed_has_the_sites() {
    let mut bench = Bench::new("image = \"/gate.svg\"\n[feed.all]\n")
        .with("posts/2026-03-14-lime.md", "Lime.\n")
        .with("assets/gate.svg", "12345");
    bench.sound();
    let feed = bench.feed("all.xml");
    assert_eq!(feed.logo.unwrap().uri, "https://x.example/gate.svg");
    assert_eq!(feed.entries[0].links.len(), 1);
}

/// Five posts, of January to May.
fn five(settings: &str) -> Bench {
    (1..=5).fold(Bench::new(settings), |bench, month| {
        let path = format!("posts/2026-0{month}-01-m{month}.md");
        bench.with(&path, &format!("---\ntitle: M{month}\n---\n"))
    })
}

#[test]
fn a_feed_with_a_history_has_further_pages() {
    let mut bench = five("[feed.all]\nquery = \"from posts limit 2\"\nhistory = true\n");
    bench.sound();
    let mut page = "all.xml".to_owned();
    let mut read = Vec::new();
    loop {
        let feed = bench.feed(&page);
        assert_eq!(feed.id, "https://x.example/all.xml");
        read.push(titles(&feed).join(" "));
        let next = feed
            .links
            .iter()
            .find(|link| link.rel.as_deref() == Some("next"));
        let Some(next) = next else { break };
        page = next.href.replace("https://x.example/", "");
    }
    assert_eq!(read, ["M5 M4", "M3 M2", "M1"]);
    assert_eq!(page, "all-3.xml");
    // Only its first page is shown to people and announced.
    assert!(!bench.page("feeds/index.html").contains("all-2.xml"));
}

#[rstest]
#[case::no_history("[feed.all]\nquery = \"from posts limit 2\"\n", "all.xml", "M5 M4")]
#[case::offset(
    "[feed.all]\nquery = \"from posts limit 2 offset 1\"\n",
    "all.xml",
    "M4 M3"
)]
#[case::window(
    "[feed.all]\nquery = \"where date in 2026-02..2026-03\"\n",
    "all.xml",
    "M3 M2"
)]
#[case::an_archives(
    "[archive.all]\nfeeds = [\"json\"]\nfeed_limit = 3\nfeed_history = true\n",
    "all/feed-2.json",
    "M2 M1"
)]
fn a_feed_has_the_entries_of_its_query(
    #[case] settings: &str,
    #[case] path: &str,
    #[case] expected: &str,
) {
    let mut bench = five(settings);
    bench.sound();
    assert_eq!(titles(&bench.feed(path)).join(" "), expected);
}

/// The feeds that a page announces.
fn announced(bench: &Bench, page: &str) -> Vec<String> {
    let html = bench.page(page);
    let links = html.split("<link rel=\"alternate\"").skip(1);
    links
        .filter_map(|link| Some(link.split_once("href=\"")?.1.split_once('"')?.0.to_owned()))
        .collect()
}

#[test]
fn pages_announce_their_own_feeds_and_the_sites() {
    let mut bench = Bench::new("[archive.journal]\nlink = \"/\"\nfeeds = [\"atom\"]\n[archive.tags]\nby = \"tag\"\nlink = \"/tags/{tag}/\"\nfeeds = [\"rss\"]\n[feed.lime]\nquery = \"where tag = 'lime'\"\npage = \"/2026/lime/\"\nlink = \"/lime.xml\"\n[feed.all]\nformat = \"json\"\n")
        .with("posts/2026-03-14-lime.md", "---\ntags: lime\n---\nLime.\n");
    bench.sound();
    assert_eq!(announced(&bench, "index.html"), ["/atom.xml", "/all.json"]);
    assert_eq!(
        announced(&bench, "tags/lime/index.html"),
        ["/tags/lime/rss.xml", "/atom.xml", "/all.json"]
    );
    assert_eq!(
        announced(&bench, "2026/lime/index.html"),
        ["/lime.xml", "/atom.xml", "/all.json"]
    );
    let home = bench.feed("lime.xml");
    assert_eq!(home.links[0].href, "https://x.example/2026/lime/");
    let page = bench.page("feeds/index.html");
    for link in ["/atom.xml", "/all.json", "/tags/lime/rss.xml", "/lime.xml"] {
        assert!(page.contains(&format!("href=\"{link}\"")), "{link}");
    }
}

#[test]
fn a_page_of_the_sites_own_takes_the_place_of_the_list_of_feeds() {
    let mut bench = Bench::new("")
        .with("posts/2026-03-14-lime.md", "Lime.\n")
        .with("pages/feeds.md", "# Mine\n");
    bench.sound();
    assert!(bench.page("feeds/index.html").contains("<h1>Mine</h1>"));
}

/// A site of one post, built once, and what the next build says after the change.
fn after(change: impl FnOnce(&mut Bench)) -> String {
    let mut bench = Bench::new("").with("posts/2026-03-14-lime.md", "---\ntitle: Lime\n---\n");
    bench.sound();
    change(&mut bench);
    said(&bench.build().diagnostics)
}

const TOLD: &str = "posts/2026-03-14-lime.md:1:1: the id of this post in feeds changes from \"https://x.example/2026/lime/\" to \"https://x.example/2026/kiln/\": readers will show it once more\n  write `moved_from: /2026/lime/` into the front matter, which also leads readers of the old address here; or `id: https://x.example/2026/lime/`\n";

#[rstest]
#[case::another_slug("title: Lime\nslug: kiln", TOLD)]
#[case::moved("title: Lime\nslug: kiln\nmoved_from: /2026/lime/", "")]
#[case::own_id("title: Lime\nslug: kiln\nid: https://x.example/2026/lime/", "")]
#[case::wanted("title: Lime\nslug: kiln\nid: tag:x.example,2026:kiln", "")]
#[case::another_title("title: Kiln", "")]
fn an_id_that_changes_is_told(#[case] front: &str, #[case] expected: &str) {
    let said = after(|bench| {
        let text = format!("---\n{front}\n---\n");
        bench.sources.write("posts/2026-03-14-lime.md", text);
    });
    assert_eq!(said, expected);
}

#[test]
fn a_file_that_is_renamed_is_known_by_title_and_date() {
    let rename = |bench: &mut Bench, name: &str, front: &str| {
        bench.sources.remove("posts/2026-03-14-lime.md");
        bench.sources.write(name, format!("---\n{front}\n---\n"));
    };
    let told = after(|bench| rename(bench, "posts/2026-03-14-kiln.md", "title: Lime"));
    assert_eq!(told, TOLD.replace("-lime.md:", "-kiln.md:"));
    let kept = after(|bench| {
        rename(
            bench,
            "posts/kilns.md",
            "title: Lime\nslug: lime\ndate: 2026-03-14",
        )
    });
    assert_eq!(kept, "");
    let another = after(|bench| rename(bench, "posts/2026-03-15-kiln.md", "title: Kiln"));
    assert_eq!(another, "");
}

#[test]
fn going_back_to_an_old_id_is_not_told() {
    let slug = |bench: &mut Bench, slug: &str| {
        let text = format!("---\ntitle: Lime\nslug: {slug}\n---\n");
        bench.sources.write("posts/2026-03-14-lime.md", text);
    };
    let said = after(|bench| {
        slug(bench, "kiln");
        assert_eq!(said(&bench.build().diagnostics), TOLD);
        assert_eq!(said(&bench.build().diagnostics), "");
        slug(bench, "lime");
    });
    assert_eq!(said, "");
}

#[test]
fn ids_that_change_together_are_told_once() {
    let mut bench = five("");
    bench = bench.with("posts/2026-05-20-m6.md", "");
    bench.sound();
    bench
        .sources
        .write("tabulae.toml", SITE.replace("x.example", "y.example"));
    insta::assert_snapshot!(said(&bench.build().diagnostics), @r##"
    tabulae.toml:1:1: the ids of 6 posts in feeds change, as that of `posts/2026-05-20-m6.md` from "https://x.example/2026/m6/" to "https://y.example/2026/m6/": readers will show them once more
      keep `address` and the posts' `link` as they were, or write each old address into the front matter as `moved_from`
    "##);
}

#[test]
fn two_posts_of_one_id_are_refused() {
    let front = "---\nid: tag:x.example,2026:a\n---\n";
    let mut bench = Bench::new("")
        .with("posts/2026-03-14-lime.md", front)
        .with("posts/2026-03-15-kiln.md", front);
    insta::assert_snapshot!(said(&bench.build().diagnostics), @r#"
    posts/2026-03-14-lime.md:2:5: `posts/2026-03-15-kiln.md` and `posts/2026-03-14-lime.md` have the id "tag:x.example,2026:a" in feeds, so that readers take them for one
      give one of them another `id`, or none
    "#);
}

#[test]
fn what_is_wrong_with_a_feed_is_said() {
    let faulty = [
        "[feed.x]\nquery = \"where year = 2026 and tag = 'sand'\"\n",
        "[feed.x]\nquery = \"where date > 2026-04\"\n",
        "[content.posts]\n[content.notes]\ndated = false\n[feed.x]\nquery = \"from notes\"\n",
        "[feed.x]\npage = \"/tag/lime/\"\n",
        "[feed.x]\npage = \"/tags/{tag}/\"\n",
        "[feed.x]\nlink = \"/a.xml\"\n[feed.y]\nlink = \"/a.xml\"\n",
        "[archive.all]\nfeeds = [\"atom\"]\n[feed.x]\nlink = \"/all/atom.xml\"\n",
        "[feed.x]\nformat = \"atmo\"\n",
        "[feed.x]\nlink = \"feed.xml\"\n",
        "[feed.x]\nquery = \"limit 0\"\n",
        "hub = \"hub.example\"\n",
        "author = { name = \"A\", link = \"about\" }\n",
    ];
    let said = faulty.map(|settings| {
        let mut bench = Bench::new(settings)
            .with("posts/2026-03-14-lime.md", "---\ntags: lime\n---\n")
            .with("notes/a.md", "A.\n");
        format!("{settings}{}", said(&bench.build().diagnostics))
    });
    insta::assert_snapshot!(said.join("\n"), @r##"
    [feed.x]
    query = "where year = 2026 and tag = 'sand'"
    tabulae.toml:6:38: no post has the tag "sand"
      those there are: `lime` (1)
    tabulae.toml:6:10: nothing is found among 1 post: `year = 2026` leaves 1, `tag = 'sand'` leaves 0
      change or leave out what leaves 0

    [feed.x]
    query = "where date > 2026-04"
    tabulae.toml:6:10: nothing is found among 1 post: `date > 2026-04` leaves 0
      all posts here are of 2026-03-14

    [content.posts]
    [content.notes]
    dated = false
    [feed.x]
    query = "from notes"
    tabulae.toml:8:7: the feed `x` has no entries: none of its posts has a date
      look at what its query finds: `tabulae query "from notes"`

    [feed.x]
    page = "/tag/lime/"
    tabulae.toml:6:8: the site has no page at "/tag/lime/"
      did you mean "/tags/lime/"?

    [feed.x]
    page = "/tags/{tag}/"
    tabulae.toml:6:8: this link is the address of one page, and has {tag}
      write a link without a variable

    [feed.x]
    link = "/a.xml"
    [feed.y]
    link = "/a.xml"
    tabulae.toml:7:7: the feed `x` and the feed `y` have the same address /a.xml
      give one of them another `link`

    [archive.all]
    feeds = ["atom"]
    [feed.x]
    link = "/all/atom.xml"
    tabulae.toml:7:7: a feed of the archive `all` and the feed `x` have the same address /all/atom.xml
      give one of them another `link`

    [feed.x]
    format = "atmo"
    tabulae.toml:6:10: `feed.x.format` cannot be "atmo"
      write one of "atom", "rss", "json"

    [feed.x]
    link = "feed.xml"
    tabulae.toml:6:9: the link "feed.xml" does not begin with `/`
      links start at the site's root, such as "/{year}/{slug}/"

    [feed.x]
    query = "limit 0"
    tabulae.toml:5:7: the feed `x` has no entries
      look at what its query finds: `tabulae query "limit 0"`

    hub = "hub.example"
    tabulae.toml:5:7: "hub.example" is not an absolute address
      write it with scheme and host: `https://hub.example/`

    author = { name = "A", link = "about" }
    tabulae.toml:5:31: "about" is not an absolute address
      write it with scheme and host: `https://towpath.example/about/`
    "##);
}
