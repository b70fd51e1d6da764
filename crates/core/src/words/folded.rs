//! Texts cut into words without regard to case and accents, the same way in the script of the search page.

use std::borrow::Cow;
use std::ops::Range;

use unicode_normalization::UnicodeNormalization;
use unicode_normalization::char::is_combining_mark;

/// Returns a word without case and accents: canonical decomposition without marks, upper and then lower case
/// (so that ß is ss), and one form of sigma.
#[must_use]
pub fn fold_word(word: &str) -> Cow<'_, str> {
    if word.is_ascii() {
        return match word.bytes().any(|byte| byte.is_ascii_uppercase()) {
            true => word.to_ascii_lowercase().into(),
            false => word.into(),
        };
    }
    let bare: String = word.nfd().filter(|c| !is_combining_mark(*c)).collect();
    bare.to_uppercase().to_lowercase().replace('ς', "σ").into()
}

/// Passes the byte range of each word to `see`: the longest runs of letters, digits and marks. A letter of a script
/// that is written without spaces is a word of its own.
pub(crate) fn each_run(text: &str, mut see: impl FnMut(Range<usize>)) {
    let bytes = text.as_bytes();
    let (mut start, mut at) = (0, 0);
    while at < bytes.len() {
        if bytes[at].is_ascii_alphanumeric() {
            at += 1;
            continue;
        }
        let other = match bytes[at].is_ascii() {
            true => None,
            false => text[at..].chars().next(),
        };
        let length = other.map_or(1, char::len_utf8);
        let is_alone = match other {
            Some(letter) if is_part(letter) => is_without_spaces(letter),
            _ => {
                if start < at {
                    see(start..at);
                }
                at += length;
                start = at;
                continue;
            }
        };
        if is_alone {
            if start < at {
                see(start..at);
            }
            see(at..at + length);
            start = at + length;
        }
        at += length;
    }
    if start < at {
        see(start..at);
    }
}

fn is_part(letter: char) -> bool {
    letter.is_alphanumeric() || is_combining_mark(letter)
}

/// Returns true for letters of Thai, Lao, Myanmar, Khmer, Hiragana, Katakana and Han, by the blocks of Unicode.
fn is_without_spaces(c: char) -> bool {
    c >= '\u{e00}'
        && matches!(c,
            '\u{e00}'..='\u{eff}'
            | '\u{1000}'..='\u{109f}'
            | '\u{1780}'..='\u{17ff}'
            | '\u{3040}'..='\u{30ff}'
            | '\u{3400}'..='\u{4dbf}'
            | '\u{4e00}'..='\u{9fff}'
            | '\u{f900}'..='\u{faff}'
            | '\u{20000}'..='\u{3ffff}')
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;
    use rstest::rstest;

    #[rstest]
    #[case::case_and_signs("Lime, MORTAR (1904)", &["lime", "mortar", "1904"])]
    #[case::accents("Crème Ångström", &["creme", "angstrom"])]
    #[case::sharp_s("Straße STRASSE", &["strasse", "strasse"])]
    #[case::apostrophes("l’eau don't", &["l", "eau", "don", "t"])]
    #[case::sigma("ΛΌΓΟΣ λόγος λόγο", &["λογοσ", "λογοσ", "λογο"])]
    #[case::turkish("ışık IŞIK", &["isik", "isik"])]
    #[case::decomposed("Cafe\u{301}s", &["cafes"])]
    #[case::han("運河 lock運", &["運", "河", "lock", "運"])]
    #[case::arabic_vowels("قَنَاة", &["قناة"])]
    #[case::empty(" – ", &[])]
    fn a_text_is_its_folded_words(#[case] text: &str, #[case] expected: &[&str]) {
        let mut words = Vec::new();
        each_run(text, |word| words.push(fold_word(&text[word])));
        assert_eq!(words, expected);
    }

    proptest! {
        /// The words are the runs between all other characters.
        #[test]
        fn words_are_runs_of_letters_digits_and_marks(text in "[a-zA1é\u{301} ,’–ß]{0,16}") {
            let mut words = Vec::new();
            each_run(&text, |word| words.push(&text[word]));
            let runs = text.split(|c: char| !c.is_alphanumeric() && c != '\u{301}');
            let expected: Vec<&str> = runs.filter(|run| !run.is_empty()).collect();
            prop_assert_eq!(words, expected);
        }
    }
}
