//! What is written is judged by a feed parser that is not ours.

use super::*;
use rstest::rstest;

fn stamp(text: &str) -> Stamp {
    crate::time::parse_date(text)
        .unwrap()
        .stamp(&TimeZone::get("Europe/London").unwrap())
        .unwrap()
}

const HOSTILE: &str = "A <b> & \"c\" ]]> 'd' \u{1f6a4} \u{5e9}\u{5dc}\u{5d5}\u{5dd} &amp; é";

fn document() -> Document {
    let entry = |number: usize, title: &str, updated: &str| Entry {
        id: format!("https://x.example/{number}/"),
        link: format!("https://x.example/{number}/"),
        title: title.to_owned(),
        published: Some(stamp("2026-01-02 10:00")),
        updated: stamp(updated),
        authors: vec!["Ines Ferrow".to_owned(), "Odd & Co".to_owned()],
        categories: vec!["Work parties".to_owned(), "R&D".to_owned()],
        summary: Some("Short & plain".to_owned()),
        content: Some(format!("<p>{HOSTILE}</p>")),
        image: Some("https://x.example/a.svg".to_owned()),
    };
    Document {
        title: "The <Log> & more".to_owned(),
        about: Some("About it".to_owned()),
        address: "https://x.example/atom.xml".to_owned(),
        home: "https://x.example/".to_owned(),
        language: "en".to_owned(),
        author: Person {
            name: "Volunteers".to_owned(),
            email: Some("log@x.example".to_owned()),
            link: None,
        },
        ttl: Some(60),
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
        assert_eq!(names, meant.authors);
        let terms: Vec<_> = read
            .categories
            .iter()
            .map(|category| category.term.as_str())
            .collect();
        assert_eq!(terms, meant.categories);
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

#[test]
fn the_same_document_gives_the_same_bytes() {
    assert_eq!(
        document().write(FeedFormat::Atom),
        document().write(FeedFormat::Atom)
    );
}
