//! The files as a reader by their description sees them, against a search without an index.

use std::collections::BTreeMap;
use std::io::Read as _;

use flate2::read::DeflateDecoder;
use proptest::prelude::*;
use rstest::rstest;
use serde_json::{Value, json};
use unicode_normalization::UnicodeNormalization as _;

use super::*;
use crate::testing::Small;

/// The posts found, each with its rank (twice the level, plus one for the whole word) and part.
type Found = BTreeMap<usize, (u32, u32)>;

fn unpacked(file: &[u8]) -> Vec<u8> {
    let mut bytes = Vec::new();
    DeflateDecoder::new(file).read_to_end(&mut bytes).unwrap();
    bytes
}

/// Takes a number in groups of seven bits.
fn number_at(bytes: &mut &[u8]) -> u32 {
    let length = bytes.iter().take_while(|byte| **byte >= 128).count() + 1;
    let (number, rest) = bytes.split_at(length);
    *bytes = rest;
    let groups = number.iter().rev();
    groups.fold(0, |number, byte| number << 7 | u32::from(byte & 127))
}

/// Looks a beginning up as the module's description says.
fn look_up(index: &WordFiles, word: &str) -> Found {
    let mut group = String::new();
    for letter in word.chars() {
        group.push(letter);
        if !index.split.contains(&group) {
            break;
        }
    }
    let hash = group.bytes().fold(2_166_136_261_u32, |hash, byte| {
        (hash ^ u32::from(byte)).wrapping_mul(16_777_619)
    });
    let file = unpacked(&index.files[hash as usize % index.files.len()]);
    let mut rest = &file[..];
    let mut found = Found::new();
    while !rest.is_empty() {
        let head = number_at(&mut rest);
        let (text, after) = rest.split_at(head as usize / 2);
        let text = std::str::from_utf8(text).unwrap();
        rest = after;
        let length = number_at(&mut rest) as usize;
        let (mut list, after) = rest.split_at(length);
        rest = after;
        let is_beginning = head % 2 == 1;
        let is_split = index.split.iter().any(|known| known == word);
        let fits = match is_beginning || is_split {
            true => is_beginning && text == word,
            false => text.starts_with(word),
        };
        if !fits {
            continue;
        }
        let mut numbers = Vec::new();
        while !list.is_empty() {
            numbers.push(number_at(&mut list));
        }
        let (values, parts) = numbers.split_at(numbers.len() / 2);
        let mut next = 0;
        for (value, part) in values.iter().zip(parts) {
            let (distance, rank) = match is_beginning {
                true => (value >> 3, value & 7),
                false => (value >> 2, (value & 3) * 2 + u32::from(text == word)),
            };
            next += distance as usize;
            let known = found.entry(next).or_default();
            known.0 = known.0.max(rank);
            known.1 = match (known.1, *part) {
                (0, part) => part,
                (known, 0) => known,
                (known, part) => known.min(part),
            };
            next += 1;
        }
    }
    found
}

fn plain(text: &str) -> Vec<String> {
    let words = text.split(|c: char| !c.is_alphanumeric());
    let words = words.filter(|word| !word.is_empty());
    let fold = |word: &str| word.nfd().filter(char::is_ascii).collect::<String>();
    words.map(|word| fold(word).to_lowercase()).collect()
}

/// A post as a test writes it: title, tags, summary, text.
type Written = (String, Vec<String>, String, String);

fn small(posts: &[Written]) -> Small {
    let posts: Vec<(String, String, String)> = posts
        .iter()
        .enumerate()
        .map(|(at, (title, tags, summary, text))| {
            let front = json!({ "title": title, "tags": tags, "summary": summary, "date": format!("2026-01-{:02}", at + 1) });
            let front = front.as_object().unwrap().iter();
            let front: Vec<String> = front.map(|(key, value)| format!("{key}: {value}")).collect();
            (format!("posts/{at:02}.md"), front.join("\n"), format!("<p>{text}</p>"))
        })
        .collect();
    Small::new("", &posts)
}

fn oldest_first(small: &Small) -> Vec<PostId> {
    let listed = small.catalogue.listed(Some(LocaleId::SITE));
    listed.iter().rev().copied().collect()
}

/// Looks a beginning up by reading every post.
fn naive(posts: &[Written], wanted: &str) -> Found {
    let mut found = Found::new();
    for (at, (title, tags, summary, text)) in posts.iter().enumerate() {
        let body = plain(text);
        let times = |word: &String| body.iter().filter(|known| *known == word).count();
        let often = body.iter().filter(|word| times(word) >= 3).cloned();
        let levels = [
            (3, plain(title)),
            (2, plain(&tags.join(" "))),
            (1, plain(summary).into_iter().chain(often).collect()),
            (0, body.clone()),
        ];
        // A word has one level, its highest; of several words that begin so the best counts.
        let mut of_words: BTreeMap<&String, u32> = BTreeMap::new();
        for (level, words) in levels.iter().rev() {
            let words = words.iter().filter(|word| word.starts_with(wanted));
            of_words.extend(words.map(|word| (word, *level)));
        }
        let ranks = of_words.iter();
        let ranks = ranks.map(|(word, level)| level * 2 + u32::from(*word == wanted));
        if let Some(rank) = ranks.max() {
            // The texts of these tests are shorter than a part.
            let is_in_text = body.iter().any(|word| word.starts_with(wanted));
            found.insert(at, (rank, u32::from(is_in_text)));
        }
    }
    found
}

fn words() -> impl Strategy<Value = String> {
    "([a-cA-C]{1,4}|Éb|zab)( [a-c]{1,4}|, ab){0,5}"
}

proptest! {
    #![proptest_config(ProptestConfig { cases: 96, ..ProptestConfig::default() })]

    #[test]
    fn a_beginning_finds_what_reading_all_posts_finds(
        posts in prop::collection::vec((words(), prop::collection::vec("[ab]{1,2}", 0..3), words(), words()), 1..20),
        files in 1_usize..5,
    ) {
        let small = small(&posts);
        let index = WordFiles::new(&small.catalogue, LocaleId::SITE, &oldest_first(&small), files);
        for wanted in ["a", "ab", "abc", "b", "c", "ca", "eb", "z", "zab", "none"] {
            prop_assert_eq!(look_up(&index, wanted), naive(&posts, wanted), "{}", wanted);
        }
    }
}

/// Many words begin with the same letters, so that their group is split, in places after a whole word.
#[test]
fn a_split_beginning_finds_the_same() {
    let letters = ["a", "b", "c", "d", "e", "f", "g", "h"];
    let text = |at: usize| {
        let word = |number: usize| {
            let digits = [number / 64 % 8, number / 8 % 8, number % 8];
            format!("ab{}", digits.map(|digit| letters[digit]).concat())
        };
        let words: Vec<String> = (0..400).map(|number| word(number * 5 + at * 7)).collect();
        format!("ab abc {}", words.join(" "))
    };
    let post = |at: usize| (format!("Post {at}"), Vec::new(), String::new(), text(at));
    let posts: Vec<Written> = (0..12).map(post).collect();
    let small = small(&posts);
    let index = WordFiles::new(&small.catalogue, LocaleId::SITE, &oldest_first(&small), 4);
    assert!(index.split.contains(&"ab".to_owned()), "{:?}", index.split);
    for wanted in ["a", "ab", "abc", "abcd", "abcde", "abh", "ax"] {
        let ranks = |found: Found| -> Vec<_> {
            found
                .into_iter()
                .map(|(at, (rank, _))| (at, rank))
                .collect()
        };
        assert_eq!(
            ranks(look_up(&index, wanted)),
            ranks(naive(&posts, wanted)),
            "{wanted}"
        );
    }
}

#[test]
fn the_part_of_a_text_with_a_word_is_kept() {
    let text = format!(
        "lime {} mortar {} lime kiln",
        "x ".repeat(300),
        "y ".repeat(900)
    );
    let small = small(&[("T".to_owned(), Vec::new(), String::new(), text)]);
    let index = WordFiles::new(&small.catalogue, LocaleId::SITE, &oldest_first(&small), 1);
    let part = |word| look_up(&index, word)[&0].1;
    // In bytes of plain text: 0, 606, 2414.
    assert_eq!([part("lime"), part("mortar"), part("kiln")], [1, 2, 5]);
}

#[test]
fn a_draft_leaves_no_word() {
    let posts = [
        ("posts/a.md", "title: A\ndate: 2026-01-01", "<p>open</p>"),
        (
            "posts/b.md",
            "title: Hidden\ndate: 2026-01-02\ndraft: true\ntags: [secret]",
            "<p>concealed</p>",
        ),
    ];
    let small = Small::new("", &posts);
    let index = WordFiles::new(&small.catalogue, LocaleId::SITE, &oldest_first(&small), 2);
    let all: Vec<u8> = index.files.iter().flat_map(|file| unpacked(file)).collect();
    let all = String::from_utf8_lossy(&all);
    assert!(all.contains("open"));
    for word in ["hidden", "secret", "concealed"] {
        assert!(
            !all.contains(word) && look_up(&index, word).is_empty(),
            "{word}"
        );
    }
}

#[rstest]
#[case::one(1, 1)]
#[case::few(6, 2)]
#[case::many(10_000, 2048)]
fn the_number_of_word_files_grows_with_the_posts(#[case] posts: usize, #[case] expected: usize) {
    assert_eq!(word_files(posts), expected);
}

fn json_of(file: &[u8]) -> Value {
    serde_json::from_slice(&unpacked(file)).unwrap()
}

#[test]
fn facets_count_terms_with_those_above_them_and_years() {
    let posts = [
        (
            "posts/a.md",
            "title: A\ndate: 2025-01-01\ntags: [stone/lime, brick]",
            "",
        ),
        (
            "posts/b.md",
            "title: B\ndate: 2026-01-02\ntags: [stone]",
            "",
        ),
        ("posts/c.md", "title: C\ndate: 2026-01-03", ""),
        (
            "posts/d.md",
            "title: D\ndate: 2026-01-04\ndraft: true\ntags: [hidden]",
            "",
        ),
    ];
    let small = Small::new("[terms.tag]\nnested = true\n", &posts);
    let order = oldest_first(&small);
    let tag = small.catalogue.term_field("tag").unwrap();
    let tags = Facet::of_terms(&small.catalogue, (LocaleId::SITE, tag), &order);
    let names = json!([
        ["stone", "stone", 2],
        ["brick", "brick", 1],
        ["stone/lime", "stone/lime", 1]
    ]);
    assert_eq!(json_of(&tags.values_file()), names);
    let years = Facet::of_years(&small.catalogue, &order);
    assert_eq!(
        json_of(&years.values_file()),
        json!([["2026", "2026", 2], ["2025", "2025", 1]])
    );
    // Of each post how many values, and which: A, B, C.
    let mut of_a = unpacked(&tags.block_file(0))[..4].to_vec();
    of_a[1..].sort_unstable();
    assert_eq!(of_a, [3, 0, 1, 2]);
    assert_eq!(unpacked(&tags.block_file(0))[4..], [1, 0, 0]);
    assert_eq!(unpacked(&years.block_file(0)), [1, 1, 1, 0, 1, 0]);
    assert!(unpacked(&years.block_file(1)).is_empty());
}

#[rstest]
#[case::nothing(0)]
#[case::one_byte(1)]
#[case::what_cannot_be_compressed(200_000)]
fn what_is_compressed_comes_back(#[case] length: usize) {
    let mut state = 1_u32;
    let random = std::iter::repeat_with(|| {
        state = state.wrapping_mul(1_664_525).wrapping_add(1_013_904_223);
        (state >> 24) as u8
    });
    let bytes: Vec<u8> = random.take(length).collect();
    let mut compressor = Compressor::new();
    for _ in 0..2 {
        assert_eq!(unpacked(&compressor.compress(&bytes)), bytes);
    }
}

#[test]
fn the_files_do_not_depend_on_the_number_of_threads() {
    let word = |number: usize| format!("{}{number}", ["kiln", "lime", "mast", "noon"][number % 4]);
    let post = |at: usize| {
        let words: Vec<String> = (0..300).map(|number| word(number * (at + 1))).collect();
        (
            format!("Post {at}"),
            Vec::new(),
            String::new(),
            words.join(" "),
        )
    };
    let posts: Vec<Written> = (0..8).map(post).collect();
    let files = |threads: usize| {
        let pool = rayon::ThreadPoolBuilder::new().num_threads(threads).build();
        pool.unwrap().install(|| {
            let small = small(&posts);
            WordFiles::new(&small.catalogue, LocaleId::SITE, &oldest_first(&small), 2).files
        })
    };
    assert_eq!(files(1), files(3));
}
