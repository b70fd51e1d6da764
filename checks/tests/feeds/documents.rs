//! Feeds as an independent feed parser reads them.

use jiff::Timestamp;
use jiff::tz::TimeZone;
use rstest::rstest;
use tabulae_core::feed::*;
use tabulae_core::settings::FeedFormat;
use tabulae_core::time::ZonedDate;

fn stamp(text: &str) -> ZonedDate {
    tabulae_core::time::parse_date(text)
        .unwrap()
        .zoned(&TimeZone::get("Europe/London").unwrap())
        .unwrap()
}

const HOSTILE: &str = "A <b> & \"c\" ]]> 'd' \u{1f6a4} \u{5e9}\u{5dc}\u{5d5}\u{5dd} &amp; é";

fn category(name: &str, scheme: Option<&str>) -> Category {
    Category {
        name: name.to_owned(),
        scheme: scheme.map(str::to_owned),
    }
}

fn document() -> Document {
    let entry = |number: usize, title: &str, updated: &str| Entry {
        id: format!("https://x.example/{number}/"),
        link: format!("https://x.example/{number}/"),
        language: None,
        title: title.to_owned(),
        published: Some(stamp("2026-01-02 10:00")),
        updated: stamp(updated),
        authors: vec![
            Person {
                name: "Ines Ferrow".to_owned(),
                link: Some("https://x.example/by/ines-ferrow/".to_owned()),
                email: None,
            },
            Person {
                name: "Odd & Co".to_owned(),
                ..Person::default()
            },
        ],
        categories: vec![
            category("Work parties", Some("https://x.example/categories/")),
            category("R&D", None),
        ],
        summary: Some("Short & plain".to_owned()),
        content: Some(format!("<p>{HOSTILE}</p>")),
        image: Some(Image {
            address: "https://x.example/a.png?a=1&b=2".to_owned(),
            media_type: Some("image/png".to_owned()),
            length: Some(1234),
        }),
    };
    Document {
        title: "The <Log> & more".to_owned(),
        description: Some("About it".to_owned()),
        id: "https://x.example/atom.xml".to_owned(),
        address: "https://x.example/atom-2.xml".to_owned(),
        home: "https://x.example/".to_owned(),
        language: "en".to_owned(),
        author: Person {
            name: "Volunteers".to_owned(),
            email: Some("log@x.example".to_owned()),
            link: None,
        },
        rights: Some("CC BY 4.0 & no more".to_owned()),
        image: Some(Image {
            address: "https://x.example/logo.png".to_owned(),
            media_type: Some("image/png".to_owned()),
            length: None,
        }),
        hub: Some("https://hub.example/".to_owned()),
        ttl: Some(60),
        pages: Some(Pages {
            first: "https://x.example/atom.xml".to_owned(),
            last: "https://x.example/atom-3.xml".to_owned(),
            previous: Some("https://x.example/atom.xml".to_owned()),
            next: Some("https://x.example/atom-3.xml".to_owned()),
        }),
        style: Some("/feeds & more.css".to_owned()),
        entries: vec![
            entry(1, HOSTILE, "2026-07-02 10:00"),
            entry(2, "Two", "2026-01-02 10:00"),
        ],
    }
}

fn judged(document: &Document, format: FeedFormat) -> feed_rs::model::Feed {
    feed_rs::parser::parse(document.write(format).as_bytes()).unwrap()
}

#[rstest]
#[case::atom(FeedFormat::Atom, feed_rs::model::FeedType::Atom)]
#[case::rss(FeedFormat::Rss, feed_rs::model::FeedType::RSS2)]
#[case::json(FeedFormat::Json, feed_rs::model::FeedType::JSON)]
fn a_parser_reads_back_what_was_meant(
    #[case] format: FeedFormat,
    #[case] kind: feed_rs::model::FeedType,
) {
    let document = document();
    let feed = judged(&document, format);
    assert_eq!(feed.feed_type, kind);
    assert_eq!(feed.title.unwrap().content, document.title);
    assert_eq!(feed.entries.len(), 2);
    for (read, meant) in feed.entries.iter().zip(&document.entries) {
        assert_eq!(read.title.as_ref().unwrap().content, meant.title);
        assert_eq!(read.links[0].href, meant.link);
        assert_eq!(read.id, meant.id);
        assert_eq!(
            read.published.unwrap().timestamp(),
            meant.published.unwrap().at.as_second()
        );
        let names: Vec<_> = read
            .authors
            .iter()
            .filter_map(|author| author.name.as_deref())
            .collect();
        let meant_names: Vec<_> = meant.authors.iter().map(|author| &*author.name).collect();
        assert_eq!(names, meant_names);
        let terms: Vec<_> = read
            .categories
            .iter()
            .map(|category| category.term.as_str())
            .collect();
        let meant_terms: Vec<_> = meant.categories.iter().map(|term| &*term.name).collect();
        assert_eq!(terms, meant_terms);
        let content = read
            .content
            .as_ref()
            .and_then(|content| content.body.as_deref());
        assert_eq!(content, meant.content.as_deref());
    }
}

#[test]
fn atom_says_when_it_was_changed_last() {
    let feed = judged(&document(), FeedFormat::Atom);
    assert_eq!(
        feed.updated.unwrap().timestamp(),
        stamp("2026-07-02 10:00").at.as_second()
    );
    assert_eq!(
        feed.entries[0].updated.unwrap().timestamp(),
        stamp("2026-07-02 10:00").at.as_second()
    );
}

#[rstest]
#[case(FeedFormat::Atom)]
#[case(FeedFormat::Rss)]
#[case(FeedFormat::Json)]
fn an_empty_feed_is_valid_and_dated_at_the_epoch(#[case] format: FeedFormat) {
    let empty = Document {
        entries: Vec::new(),
        ..document()
    };
    let feed = judged(&empty, format);
    assert_eq!(feed.entries.len(), 0);
    assert_eq!(empty.updated().at, Timestamp::UNIX_EPOCH);
}

#[test]
fn an_id_that_is_not_the_link_is_no_permalink() {
    let mut document = document();
    document.entries[0].id = "tag:x.example,2026:1".to_owned();
    let text = document.write(FeedFormat::Rss);
    assert!(text.contains("<guid isPermaLink=\"false\">tag:x.example,2026:1</guid>"));
    assert!(text.contains("<guid isPermaLink=\"true\">https://x.example/2/</guid>"));
}

#[test]
fn characters_that_xml_forbids_are_dropped() {
    let mut document = document();
    document.entries[0].title = "a\u{0}b\u{8}c\u{fffe}d\te".to_owned();
    for format in [FeedFormat::Atom, FeedFormat::Rss] {
        let feed = judged(&document, format);
        assert_eq!(feed.entries[0].title.as_ref().unwrap().content, "abcd\te");
    }
}

/// The addresses of a feed's own links by relation.
fn links(feed: &feed_rs::model::Feed) -> Vec<(Option<&str>, &str)> {
    let links = feed.links.iter();
    links
        .map(|link| (link.rel.as_deref(), &*link.href))
        .collect()
}

#[rstest]
#[case::atom(FeedFormat::Atom)]
#[case::rss(FeedFormat::Rss)]
fn a_feed_leads_to_its_pages_and_its_hub(#[case] format: FeedFormat) {
    let feed = judged(&document(), format);
    let links = links(&feed);
    for meant in [
        ("self", "https://x.example/atom-2.xml"),
        ("first", "https://x.example/atom.xml"),
        ("previous", "https://x.example/atom.xml"),
        ("next", "https://x.example/atom-3.xml"),
        ("last", "https://x.example/atom-3.xml"),
        ("hub", "https://hub.example/"),
    ] {
        assert!(
            links.contains(&(Some(meant.0), meant.1)),
            "{meant:?} in {links:?}"
        );
    }
}

#[test]
fn a_json_feed_leads_to_the_next_page_and_the_hub() {
    let json: serde_json::Value =
        serde_json::from_str(&document().write(FeedFormat::Json)).unwrap();
    assert_eq!(json["next_url"], "https://x.example/atom-3.xml");
    assert_eq!(json["feed_url"], "https://x.example/atom-2.xml");
    assert_eq!(json["hubs"][0]["type"], "WebSub");
    assert_eq!(json["hubs"][0]["url"], "https://hub.example/");
    assert_eq!(json["icon"], "https://x.example/logo.png");
}

#[test]
fn a_feed_of_one_page_has_no_others() {
    let document = Document {
        pages: None,
        hub: None,
        ..document()
    };
    let feed = judged(&document, FeedFormat::Atom);
    let relations: Vec<_> = links(&feed).into_iter().map(|link| link.0).collect();
    assert_eq!(relations, [Some("alternate"), Some("self")]);
}

#[rstest]
#[case::atom(FeedFormat::Atom)]
#[case::rss(FeedFormat::Rss)]
fn rights_and_the_feeds_image_are_read_back(#[case] format: FeedFormat) {
    let feed = judged(&document(), format);
    assert_eq!(feed.rights.unwrap().content, "CC BY 4.0 & no more");
    assert_eq!(feed.logo.unwrap().uri, "https://x.example/logo.png");
}

#[test]
fn an_image_is_an_enclosure_with_type_and_length() {
    let document = document();
    let atom = judged(&document, FeedFormat::Atom);
    let link = atom.entries[0]
        .links
        .iter()
        .find(|link| link.rel.as_deref() == Some("enclosure"))
        .unwrap();
    assert_eq!(link.href, "https://x.example/a.png?a=1&b=2");
    assert_eq!(link.media_type.as_deref(), Some("image/png"));
    assert_eq!(link.length, Some(1234));
    let rss = judged(&document, FeedFormat::Rss);
    let media = &rss.entries[0].media[0].content[0];
    assert_eq!(
        media.url.as_ref().unwrap().as_str(),
        "https://x.example/a.png?a=1&b=2"
    );
    assert_eq!(media.content_type.as_ref().unwrap().as_str(), "image/png");
    assert_eq!(media.size, Some(1234));
}

#[test]
fn a_scheme_tells_terms_of_two_fields_apart() {
    let mut document = document();
    document.entries[0].categories = vec![
        category("Boats", Some("https://x.example/categories/")),
        category("Boats", Some("https://x.example/tags/")),
    ];
    let feed = judged(&document, FeedFormat::Atom);
    let schemes: Vec<_> = feed.entries[0]
        .categories
        .iter()
        .map(|category| category.scheme.as_deref().unwrap())
        .collect();
    assert_eq!(
        schemes,
        ["https://x.example/categories/", "https://x.example/tags/"]
    );
    let json: serde_json::Value = serde_json::from_str(&document.write(FeedFormat::Json)).unwrap();
    assert_eq!(json["items"][0]["tags"], serde_json::json!(["Boats"]));
}

#[test]
fn all_pages_of_a_feed_have_one_id() {
    let feed = judged(&document(), FeedFormat::Atom);
    assert_eq!(feed.id, "https://x.example/atom.xml");
}

/// Hostile texts by chance, as titles, names, summaries and contents: what the parser reads back
/// is what was meant, but for the characters that XML forbids.
#[test]
fn any_text_is_read_back() {
    use proptest::prelude::*;
    let config = proptest::test_runner::Config {
        failure_persistence: None,
        ..Default::default()
    };
    let mut runner = proptest::test_runner::TestRunner::new(config);
    let text = "[ -~\u{0}-\u{1f}\u{80}-\u{a0}<>&\"'\\]é\u{5d0}\u{202e}\u{fffe}\u{1f6a4}]{1,40}";
    runner
        .run(&(text, text, text), |(title, summary, content)| {
            let mut document = document();
            let entry = &mut document.entries[0];
            // A parser takes what has no visible letter for nothing.
            entry.title = format!("a{title}");
            entry.summary = Some(format!("b{summary}"));
            entry.content = Some(format!("c{content}"));
            entry.categories = vec![category(&entry.title, None)];
            let entry = document.entries[0].clone();
            for format in [FeedFormat::Atom, FeedFormat::Rss, FeedFormat::Json] {
                let feed = judged(&document, format);
                prop_assert_eq!(feed.entries.len(), 2);
                let read = &feed.entries[0];
                prop_assert_eq!(
                    plain(&read.title.as_ref().unwrap().content),
                    plain(&entry.title)
                );
                let content = read
                    .content
                    .as_ref()
                    .and_then(|content| content.body.as_deref());
                prop_assert_eq!(
                    plain(content.unwrap_or_default()),
                    plain(entry.content.as_deref().unwrap())
                );
                let summary = read.summary.as_ref().map_or("", |summary| &summary.content);
                let meant = plain(entry.summary.as_deref().unwrap());
                let meant = if format == FeedFormat::Rss {
                    escape(&meant)
                } else {
                    meant
                };
                prop_assert_eq!(plain(summary), meant);
            }
            Ok(())
        })
        .unwrap();
}

/// Returns the part of a text that a parser can return: characters that XML allows, with each run of white space as
/// one space, and none at the ends.
fn plain(text: &str) -> String {
    let allowed = text.replace(|c| !is_xml(c), "");
    allowed.split_whitespace().collect::<Vec<_>>().join(" ")
}

#[test]
fn ten_thousand_entries_are_all_there() {
    let mut document = document();
    let entry = document.entries[1].clone();
    document.entries = (0..10_000)
        .map(|number| Entry {
            id: format!("https://x.example/{number}/"),
            ..entry.clone()
        })
        .collect();
    let feed = judged(&document, FeedFormat::Rss);
    assert_eq!(feed.entries.len(), 10_000);
    assert_eq!(feed.entries[9_999].id, "https://x.example/9999/");
}

#[test]
fn the_same_document_gives_the_same_bytes() {
    assert_eq!(
        document().write(FeedFormat::Atom),
        document().write(FeedFormat::Atom)
    );
}

/// Returns true if XML 1.0 allows a character (production 2, `Char`).
fn is_xml(c: char) -> bool {
    matches!(c, '\t' | '\n' | '\r' | ' '..='\u{d7ff}' | '\u{e000}'..='\u{fffd}' | '\u{10000}'..)
}

/// Plain text as HTML.
fn escape(text: &str) -> String {
    let text = text.replace('&', "&amp;");
    text.replace('<', "&lt;").replace('>', "&gt;")
}
