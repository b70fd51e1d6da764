//! The files of the full-text search.

use std::io::Read as _;

use rstest::rstest;
use serde_json::{Value, json};

use super::bench::{Bench, SITE, said};
use super::small;

const FULL: &str = "search = \"full\"\n";

fn full() -> Bench {
    let mut bench = small();
    bench.sources.write("tabulae.toml", format!("{SITE}{FULL}"));
    bench.sound();
    bench
}

fn unpacked(bench: &Bench, path: &str) -> Vec<u8> {
    let mut bytes = Vec::new();
    let files = bench.out.files();
    let mut decoder = flate2::read::DeflateDecoder::new(&files[path][..]);
    decoder.read_to_end(&mut bytes).unwrap();
    bytes
}

fn json_of(bench: &Bench, path: &str) -> Value {
    serde_json::from_slice(&unpacked(bench, path)).unwrap()
}

#[test]
fn the_index_has_its_files_and_no_other_data() {
    let bench = full();
    let files = bench.files();
    let files = files.iter().filter_map(|file| file.strip_prefix("search/"));
    // Facets: categories, tags and years; nobody is named as an author.
    let expected = [
        "facet-0-0.bin",
        "facet-0.bin",
        "facet-1-0.bin",
        "facet-1.bin",
        "facet-2-0.bin",
        "facet-2.bin",
        "index.html",
        "posts-0.bin",
        "start.bin",
        "words-0.bin",
    ];
    assert_eq!(files.collect::<Vec<_>>(), expected);
    let start = json!({
        "posts": 3,
        "files": 1,
        "split": [],
        "facets": [["category", "Categories"], ["tag", "Tags"], ["year", "Years"]],
    });
    assert_eq!(json_of(&bench, "search/start.bin"), start);
    let rows = json!([
        [
            "Old",
            "/2025/old/",
            "2025-01-02",
            "2 January 2025",
            "Long ago."
        ],
        [
            "Lime & sand",
            "/2026/lime/",
            "2026-03-14",
            "14 March 2026",
            "Lime first."
        ],
        [
            "A boat",
            "/2026/boat/",
            "2026-04-01",
            "1 April 2026",
            "A boat."
        ],
    ]);
    assert_eq!(json_of(&bench, "search/posts-0.bin"), rows);
    let page = bench.page("search/index.html");
    assert!(
        page.contains("data-index=\"/search/\"") && page.contains("src=\"/tabulae-search.js\"")
    );
    assert!(!page.contains("tabulae.js"));
}

#[test]
fn a_word_of_a_text_is_in_the_index_and_one_of_a_draft_is_not() {
    let mut bench = full();
    bench.sources.write(
        "posts/hidden.md",
        "---\ndraft: true\n---\n\nConcealed words.\n",
    );
    bench.sound();
    let words = String::from_utf8_lossy(&unpacked(&bench, "search/words-0.bin")).into_owned();
    assert!(words.contains("ago") && words.contains("masonry"));
    assert!(!words.contains("concealed") && !words.contains("hidden"));
}

/// An edit, and the files of the index that it makes again.
#[rstest]
#[case::a_new_word("posts/2025-01-02-old.md", "---\ntitle: Old\n---\n\nLong ago, there.\n", &["posts-0.bin", "words-0.bin"])]
#[case::the_same_words("posts/2025-01-02-old.md", "---\ntitle: Old\nsummary: Long ago.\n---\n\nLong  ago!\n", &[])]
#[case::a_tag("posts/2025-01-02-old.md", "---\ntitle: Old\ntags: lime\nsummary: Long ago.\n---\n\nLong ago.\n", &["facet-1-0.bin", "facet-1.bin", "words-0.bin"])]
fn an_edit_changes_only_what_depends_on_it(
    #[case] path: &str,
    #[case] text: &str,
    #[case] expected: &[&str],
) {
    let mut bench = full();
    let changed = bench.after_edit(path, Some(text));
    let index = changed
        .iter()
        .filter_map(|file| file.strip_prefix("search/"));
    let index: Vec<&str> = index.filter(|file| file.ends_with(".bin")).collect();
    assert_eq!(index, expected);
}

#[test]
fn languages_have_indexes_of_their_own() {
    let settings = format!("{FULL}[locale.de]\ntitle = \"Das Log\"\n");
    let mut bench = Bench::new(&settings)
        .with(
            "posts/2026-03-14-lime.md",
            "---\ntitle: Lime\n---\n\nMortar.\n",
        )
        .with(
            "posts/2025-04-01-kalk.md",
            "---\ntitle: Kalk\nlanguage: de\n---\n\nMörtel.\n",
        );
    bench.sound();
    let words = |path: &str| String::from_utf8_lossy(&unpacked(&bench, path)).into_owned();
    let [english, german] = ["search/words-0.bin", "de/search/words-0.bin"].map(words);
    assert!(english.contains("mortar") && !english.contains("kalk"));
    assert!(german.contains("mortel") && !german.contains("lime"));
    assert_eq!(json_of(&bench, "de/search/start.bin")["posts"], 1);
}

#[test]
fn a_script_of_the_site_takes_the_place_of_the_themes() {
    let mut bench = full();
    bench.sources.write("assets/tabulae-search.js", "// own\n");
    bench.sound();
    assert_eq!(bench.page("tabulae-search.js"), "// own\n");
}

#[test]
fn the_script_is_small_and_only_where_it_is_needed() {
    assert!(crate::template::search_script().len() < 18_000);
    let mut bench = small();
    bench
        .sources
        .write("tabulae.toml", format!("{SITE}search = true\n"));
    bench.sound();
    assert!(!bench.files().contains(&"tabulae-search.js".to_owned()));
}

#[rstest]
#[case::other_word(
    "\"all\"",
    "`site.search` cannot be \"all\"",
    "write true, false or \"full\""
)]
#[case::number(
    "1",
    "`site.search` is true, false or \"full\", and this is a number",
    ""
)]
fn another_value_is_an_error(#[case] value: &str, #[case] message: &str, #[case] help: &str) {
    let mut bench = Bench::new(&format!("search = {value}\n"));
    let said = said(&bench.build().diagnostics);
    assert!(said.contains(message) && said.contains(help), "{said}");
}
