//! Texts cut into words by Unicode's boundaries (UAX 29), and words into stems.

use std::ops::Range;

use indexmap::IndexSet;
use rust_stemmers::{Algorithm, Stemmer};
use rustc_hash::FxBuildHasher;
use unicode_segmentation::UnicodeSegmentation;

use super::stop_words::stop_words;
use crate::language::{CaseFolding, fold};

/// The stemmer and stop words of a language.
pub(crate) struct Cutter {
    stemmer: Option<Stemmer>,
    folding: CaseFolding,
    stop: IndexSet<&'static str, FxBuildHasher>,
}

impl Cutter {
    pub(crate) fn new(language: &str) -> Self {
        let code = language
            .split('-')
            .next()
            .unwrap_or_default()
            .to_ascii_lowercase();
        Self {
            stemmer: algorithm(&code).map(Stemmer::create),
            folding: CaseFolding::of(&code),
            stop: stop_words(&code).collect(),
        }
    }

    /// Returns the stem of a word as written; `None` for a stop word.
    pub(super) fn stem(&self, word: &str) -> Option<String> {
        let plain = self.plain(word);
        if self.stop.contains(plain.as_str()) {
            return None;
        }
        Some(self.cut(plain)).filter(|stem| !stem.is_empty())
    }

    /// The stem of any word, a stop word too.
    pub(crate) fn stem_of_any(&self, word: &str) -> String {
        self.cut(self.plain(word))
    }

    fn plain(&self, word: &str) -> String {
        fold(&self.folding.prepare(word)).replace('’', "'")
    }

    fn cut(&self, plain: String) -> String {
        match &self.stemmer {
            Some(stemmer) => stemmer.stem(&plain).into_owned(),
            None => plain,
        }
    }
}

fn algorithm(code: &str) -> Option<Algorithm> {
    Some(match code {
        "ar" => Algorithm::Arabic,
        "da" => Algorithm::Danish,
        "nl" => Algorithm::Dutch,
        "en" => Algorithm::English,
        "fi" => Algorithm::Finnish,
        "fr" => Algorithm::French,
        "de" => Algorithm::German,
        "el" => Algorithm::Greek,
        "hu" => Algorithm::Hungarian,
        "it" => Algorithm::Italian,
        "no" | "nb" | "nn" => Algorithm::Norwegian,
        "pt" => Algorithm::Portuguese,
        "ro" => Algorithm::Romanian,
        "ru" => Algorithm::Russian,
        "es" => Algorithm::Spanish,
        "sv" => Algorithm::Swedish,
        "ta" => Algorithm::Tamil,
        "tr" => Algorithm::Turkish,
        _ => return None,
    })
}

/// The class of a byte in a text that is split into words.
#[derive(Clone, Copy, PartialEq)]
enum Kind {
    White,
    Sign,
    Letter,
    /// Left to the rules of Unicode; `_` too, which joins words.
    Other,
}

/// The class of each byte.
static KINDS: [Kind; 256] = {
    let mut kinds = [Kind::Other; 256];
    let mut byte: u8 = 0;
    while byte.is_ascii() {
        kinds[byte as usize] = if byte.is_ascii_whitespace() {
            Kind::White
        } else if byte.is_ascii_alphanumeric() {
            Kind::Letter
        } else if byte.is_ascii_punctuation() && byte != b'_' {
            Kind::Sign
        } else {
            Kind::Other
        };
        byte += 1;
    }
    kinds
};

/// Hands on where each word is. ASCII letters and digits with signs only around them, which is
/// most of a text, are one word without further looking.
pub(super) fn each_word(text: &str, mut see: impl FnMut(Range<usize>)) {
    let bytes = text.as_bytes();
    let end_of = |mut at: usize, kind: Kind| {
        while bytes
            .get(at)
            .is_some_and(|byte| KINDS[usize::from(*byte)] == kind)
        {
            at += 1;
        }
        at
    };
    let mut at = end_of(0, Kind::White);
    while at < bytes.len() {
        let start = end_of(at, Kind::Sign);
        let end = end_of(start, Kind::Letter);
        let after = end_of(end, Kind::Sign);
        let next = end_of(after, Kind::White);
        if next > after || next == bytes.len() {
            if end > start {
                see(start..end);
            }
            at = next;
            continue;
        }
        let rest = text[at..].split_ascii_whitespace().next();
        let piece = rest.unwrap_or_default();
        for (start, word) in piece.unicode_word_indices() {
            see(at + start..at + start + word.len());
        }
        at = end_of(at + piece.len(), Kind::White);
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::language::LANGUAGES;
    use proptest::prelude::*;
    use rstest::rstest;

    fn words_of(text: &str, language: &str) -> Vec<String> {
        let cutter = Cutter::new(language);
        let mut words = Vec::new();
        each_word(text, |word| words.extend(cutter.stem(&text[word])));
        words
    }

    /// In Turkish I is the capital of ı; elsewhere of i.
    #[rstest]
    #[case::turkish("tr", true)]
    #[case::of_a_country("tr-TR", true)]
    #[case::english("en", false)]
    fn words_are_folded_as_in_their_language(#[case] language: &str, #[case] are_one: bool) {
        let words = words_of("IŞIK ışık", language);
        assert_eq!(words[0] == words[1], are_one, "{words:?}");
    }

    /// The guide's list of languages with stemmers is that of the program.
    #[test]
    fn the_guide_lists_the_languages_with_stemmers() {
        let guide = include_str!("../../../../docs/site/guides/reference/settings.md");
        let start = guide.find("compare the stems of words in ").unwrap();
        let list = guide[start..].split('.').next().unwrap().to_lowercase();
        let words: Vec<&str> = list.split(|c: char| !c.is_alphabetic()).collect();
        for (code, name) in LANGUAGES {
            // Both are Norwegian.
            let name = match *code {
                "nb" | "nn" => "norwegian",
                _ => name,
            };
            assert_eq!(words.contains(&name), algorithm(code).is_some(), "{name}");
        }
    }

    #[rstest]
    #[case::stems("en", "Locks locked LOCKING", &["lock", "lock", "lock"])]
    #[case::stop_words("en", "The boat is at the lock", &["boat", "lock"])]
    #[case::signs("en", "lime,mortar; (stone) 1904", &["lime", "mortar", "stone", "1904"])]
    #[case::apostrophes("en", "don’t wait: the mason's lime", &["wait", "mason", "lime"])]
    #[case::german("de", "Die Schleusen der Straße", &["schleus", "strass"])]
    #[case::no_stemmer("pl", "Śluzy śluza", &["śluzy", "śluza"])]
    #[case::region("en-GB", "the herons", &["heron"])]
    fn a_text_is_its_stems(#[case] language: &str, #[case] text: &str, #[case] expected: &[&str]) {
        assert_eq!(words_of(text, language), expected);
    }

    proptest! {
        #[test]
        fn words_are_where_unicode_says(text in "[a-c1.,'’_:()é \n-]{0,20}") {
            let mut words = Vec::new();
            each_word(&text, |word| words.push(&text[word]));
            prop_assert_eq!(words, text.unicode_words().collect::<Vec<_>>());
        }
    }
}
