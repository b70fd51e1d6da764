//! Words in the cache: numbers that last from build to build, and the texts that have them.

use std::collections::{BTreeMap, BTreeSet};

use rstest::rstest;

use super::Bench;
use crate::incremental::BuildCache;
use crate::publish::Destination;

/// Settings by which the texts of posts are searched.
const SEARCH: &str = "search = \"full\"\n";

/// Settings by which they are compared as well.
const BOTH: &str = "search = \"full\"\n[related]\nquery = \"from posts where likeness > 0 order by likeness desc limit 2\"\nweigh = { body = 1 }\n";

/// Words that no stemmer changes, from a first number on.
fn words(first: usize, count: usize) -> Vec<String> {
    let numbers = first..first + count;
    numbers.map(|number| format!("w{number}")).collect()
}

/// The words of each post's text as the cache has them, with how many it has in all: of stems, or of folded words.
fn cached(bench: &Bench, is_stems: bool) -> (BTreeMap<String, BTreeSet<String>>, usize) {
    let cache = BuildCache::from_bytes(&bench.out.load_cache().unwrap()).unwrap();
    let all = match is_stems {
        true => &cache.vocabulary.stems,
        false => &cache.vocabulary.folded,
    };
    let posts = cache.posts.iter().map(|(path, post)| {
        let bytes = match is_stems {
            true => &post.words.stems,
            false => &post.words.folded,
        };
        let counts: Vec<(u32, u16)> = postcard::from_bytes(bytes).unwrap();
        let words = counts
            .into_iter()
            .map(|(word, _)| all[word as usize].to_string());
        (path.clone(), words.collect())
    });
    (posts.collect(), all.len())
}

#[rstest]
#[case::each_build_anew(None, false)]
#[case::a_session(Some(false), false)]
#[case::a_session_that_is_told(Some(true), false)]
#[case::a_session_after_a_build(Some(false), true)]
#[case::a_session_that_is_told_after_a_build(Some(true), true)]
fn words_are_those_of_the_texts_whatever_was_edited(
    #[case] session: Option<bool>,
    #[case] is_built: bool,
    #[values(SEARCH, BOTH)] settings: &str,
) {
    let mut bench = Bench::new(settings);
    let path = |post: usize| format!("posts/2026-01-0{post}-p{post}.md");
    let text = |words: &[String]| format!("---\ntitle: T\nsummary: S\n---\n{}\n", words.join(" "));
    let mut texts: BTreeMap<String, Vec<String>> = BTreeMap::new();
    for post in 1..=6 {
        texts.insert(path(post), words(post * 20, 30));
        bench.sources.write(&path(post), text(&texts[&path(post)]));
    }
    if is_built {
        bench.sound();
    }
    if let Some(is_told) = session {
        bench.begin_session(is_told);
    }
    bench.sound();
    // Each text in turn gets other words; then all but a few are gone, so that the words are numbered anew; then more.
    let edits = [
        (2, words(300, 30)),
        (5, words(330, 30)),
        (2, words(20, 5)),
        (1, words(20, 5)),
        (3, words(20, 6)),
        (4, words(20, 7)),
        (5, words(20, 8)),
        (6, words(20, 9)),
        (1, words(24, 9)),
        (6, words(400, 9)),
    ];
    for (post, new) in edits {
        bench.after_edit(&path(post), Some(&text(&new)));
        texts.insert(path(post), new);
        let expected: BTreeMap<String, BTreeSet<String>> = texts
            .iter()
            .map(|(path, words)| (path.clone(), words.iter().cloned().collect()))
            .collect();
        let used: BTreeSet<&String> = expected.values().flatten().collect();
        for is_stems in [false, true] {
            if is_stems && settings == SEARCH {
                continue;
            }
            let (found, count) = cached(&bench, is_stems);
            assert_eq!(found, expected, "{post}");
            assert!(
                count <= 2 * used.len() + 30,
                "{count} words for {}",
                used.len()
            );
        }
    }
}
