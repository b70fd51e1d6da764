//! The JSON Schemas, by a validator that is not ours.

#![allow(clippy::unwrap_used, reason = "a test fails where it unwraps")]
#![allow(missing_docs, reason = "a test")]

use rstest::rstest;
use serde_json::{Value, json};

use tabulae_core::diagnostic::Code;
use tabulae_core::schema::{front_matter, settings};
use tabulae_core::settings::{FILE, Holds, KEYS, Settings, TABLES};
use tabulae_core::source::Source;

const SITE: &str = "[site]\ntitle = \"T\"\naddress = \"https://x.example/\"\n";

/// Returns true if a text of settings is valid by the schema, as an independent validator reads it.
fn is_valid(text: &str) -> bool {
    let value: Value = toml::from_str::<toml::Value>(text)
        .map(|value| serde_json::to_value(value).unwrap())
        .unwrap();
    jsonschema::draft7::is_valid(&settings(), &value)
}

fn codes(text: &str) -> Vec<Code> {
    let read = Settings::read(&Source::new(FILE, text));
    read.diagnostics
        .iter()
        .map(|diagnostic| diagnostic.code)
        .collect()
}

#[test]
fn the_schemas_are_schemas() {
    for schema in [settings(), front_matter()] {
        assert!(jsonschema::draft7::meta::is_valid(&schema));
    }
}

#[test]
fn the_example_sites_settings_are_valid() {
    assert!(is_valid(include_str!("../../crates/cli/demo/tabulae.toml")));
    assert!(is_valid(SITE));
}

/// A value that a key may hold.
fn sample(holds: Holds) -> &'static str {
    match holds {
        Holds::Text | Holds::TextOrFalse => "\"tag\"",
        Holds::Query => "\"from posts\"",
        Holds::Flag | Holds::FlagOr(_) => "true",
        Holds::Count => "2",
        Holds::Weight => "0.5",
        Holds::Pattern | Holds::Link | Holds::LinkOrFalse => "\"/a/\"",
        Holds::Address => "\"https://y.example/\"",
        Holds::Word(_) | Holds::Words(_) => "",
        Holds::Texts => "[\"tag\"]",
        Holds::Codes => "[\"single-post-term\"]",
        Holds::Table | Holds::TableOrFalse => "{}",
        Holds::Menu => "[\"journal\"]",
        Holds::Show => "\"parts/tile.html\"",
    }
}

/// The name of a table, with a name where the writer chooses one.
fn named(table: &str) -> String {
    table
        .replace("NAME", "posts")
        .replace("FIELD", "tag")
        .replace("TAG", "de")
}

/// Every key of the table is read, and its schema takes what is read.
#[test]
fn every_key_is_read_and_valid() {
    for key in KEYS {
        let values: Vec<String> = match key.holds {
            Holds::Word(words) => words.iter().map(|word| format!("\"{word}\"")).collect(),
            Holds::Words(words) => words.iter().map(|word| format!("[\"{word}\"]")).collect(),
            _ => vec![sample(key.holds).to_owned()],
        };
        let name = match (key.table, key.name) {
            ("locale.TAG.titles", _) => "journal",
            (_, "NAME") => "title",
            (_, name) => name,
        };
        for value in values {
            let value = match (key.table, name) {
                ("site", "language") => "\"de\"",
                ("content.NAME", "date_formats") => "[\"%d.%m.%Y\"]",
                ("content.NAME", "language") => "\"en\"",
                ("locale.TAG", "prefix") => "\"/d/\"",
                ("site", "styles" | "scripts") => "[\"/extra.css\"]",
                (_, "locales") => "[\"en\"]",
                ("site", "timezone") => "\"Europe/London\"",
                (_, "date_format") => "\"short\"",
                ("content.NAME", "feed_id") => "\"https://y.example/?p={slug}\"",
                (_, "moved_from") => "\"/old/\"",
                ("site.author", "link") => "\"https://y.example/\"",
                _ => &value,
            };
            let by = match name {
                "overview" => "by = \"tag\"\n",
                "ttl" => "format = \"rss\"\n",
                _ => "",
            };
            let line = format!("{by}{name} = {value}\n");
            let text = match key.table {
                "site" => {
                    let others = ["title = \"T\"", "address = \"https://x.example/\""];
                    let others = others.iter().filter(|other| !other.starts_with(name));
                    let others: Vec<&str> = others.copied().collect();
                    format!("[site]\n{}\n{line}", others.join("\n"))
                }
                table => format!("{SITE}[{}]\n{line}", named(table)),
            };
            assert_eq!(codes(&text), [], "{text}");
            assert!(is_valid(&text), "{text}");
        }
    }
}

/// The error on an unknown key of a table names all keys of the table.
#[test]
fn no_key_is_missing_from_the_table() {
    let tables = TABLES.iter().map(|(table, _)| *table);
    for table in tables.filter(|table| *table != "words") {
        let mut known: Vec<String> = KEYS
            .iter()
            .filter(|key| key.table == table)
            .map(|key| format!("`{}`", key.name))
            .collect();
        if known == ["`NAME`"] {
            continue;
        }
        let text = match table {
            "site" => format!("{SITE}zyzzyva = 1\n"),
            _ => format!("{SITE}[{}]\nzyzzyva = 1\n", named(table)),
        };
        let read = Settings::read(&Source::new(FILE, &text));
        assert_eq!(read.diagnostics.len(), 1, "{table}: {:?}", read.diagnostics);
        let help = read.diagnostics[0].help.as_deref().unwrap();
        let mut read: Vec<String> = help
            .trim_start_matches("known here: ")
            .split(", ")
            .map(str::to_owned)
            .collect();
        known.sort();
        read.sort();
        assert_eq!(read, known, "{table}");
        assert!(!is_valid(&text), "{text}");
    }
}

#[rstest]
#[case::no_site("")]
#[case::no_title("[site]\naddress = \"https://x.example/\"")]
#[case::address("[site]\ntitle = \"T\"\naddress = \"x.example\"")]
#[case::kind("{SITE}search = \"yes\"")]
#[case::unknown_table("{SITE}[archives.tags]\nby = \"tag\"")]
#[case::count("{SITE}[archive.tags]\nper_page = 0")]
#[case::half("{SITE}[archive.tags]\nper_page = 1.5")]
#[case::word("{SITE}[archive.tags]\nshow = \"card\"")]
#[case::format("{SITE}[archive.tags]\nfeeds = [\"atm\"]")]
#[case::link("{SITE}[feed.x]\nlink = \"x.xml\"")]
#[case::weight("{SITE}[related]\nweigh = { tag = -1 }")]
#[case::code("{SITE}[audit]\ndeny = [\"term-alone\"]")]
#[case::all_is_never_allowed("{SITE}[audit]\nallow = [\"all\"]")]
#[case::unknown_word("{SITE}[words]\noldest = \"O\"")]
#[case::no_table("{SITE}[archive]\ntags = 1")]
fn what_a_build_refuses_is_not_valid(#[case] text: &str) {
    let text = text.replace("{SITE}", SITE);
    assert_ne!(codes(&text), [], "{text}");
    assert!(!is_valid(&text), "{text}");
}

#[rstest]
#[case::plain(json!({ "title": "A", "date": "2026-03-14", "tags": ["a", 1904, true], "hours": 3 }), true)]
#[case::time(json!({ "date": "2026-03-14T09:00:00.5+01:00", "updated": "2026-03-14 09:00Z" }), true)]
#[case::one_text(json!({ "tags": "a, b", "draft": false, "summary": null }), true)]
#[case::date(json!({ "date": "14 March 2026" }), false)]
#[case::flag(json!({ "draft": "yes" }), false)]
#[case::list(json!({ "title": ["A"] }), false)]
#[case::map(json!({ "tags": [{ "name": "a" }] }), false)]
fn front_matter_is_valid_or_not(#[case] front: Value, #[case] expected: bool) {
    assert_eq!(
        jsonschema::draft7::is_valid(&front_matter(), &front),
        expected
    );
}
