//! Slips of the keyboard: words that are almost another word.

use std::borrow::Cow;

/// The shortest word that can be a slip for another one, in characters.
const SHORTEST: usize = 4;

/// The length from which two slips are taken for one word, in characters.
const LONG: usize = 8;

/// Returns true if `written` is a slip away from `known`: one letter is changed, missing or too many, or two
/// neighbours are swapped, from eight letters on two such; or only the case of letters differs. Words of
/// less than four letters never are, nor is a word itself. (Restricted Damerau–Levenshtein distance.)
#[must_use]
pub fn is_slip(written: &str, known: &str) -> bool {
    let length = written.chars().count();
    if written == known || length < SHORTEST || known.chars().count() < SHORTEST {
        return false;
    }
    let [one, other] = [written, known].map(lower);
    let reach = if length >= LONG { 2 } else { 1 };
    strsim::osa_distance(&one, &other) <= reach
}

/// Returns the first of the known words that `written` is a slip away from, one that differs in case first.
pub fn slip_of<'a>(written: &str, known: impl IntoIterator<Item = &'a str>) -> Option<&'a str> {
    let near: Vec<&str> = known
        .into_iter()
        .filter(|known| is_slip(written, known))
        .collect();
    let same = near.iter().find(|known| lower(known) == lower(written));
    same.or(near.first()).copied()
}

fn lower(word: &str) -> Cow<'_, str> {
    if word.chars().any(char::is_uppercase) {
        word.to_lowercase().into()
    } else {
        word.into()
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use rstest::rstest;

    #[rstest]
    #[case::missing("sumary", "summary", true)]
    #[case::too_many("titlee", "title", true)]
    #[case::changed("titlw", "title", true)]
    #[case::swapped("tgas", "tags", true)]
    #[case::case_differs("Tags", "tags", true)]
    #[case::two_in_a_long_word("categroyy", "category", true)]
    #[case::two_in_a_short_word("smmry", "summary", false)]
    #[case::the_word_itself("tags", "tags", false)]
    #[case::short("dat", "date", false)]
    #[case::short_known("days", "day", false)]
    #[case::another_word("hours", "title", false)]
    fn a_slip(#[case] written: &str, #[case] known: &str, #[case] expected: bool) {
        assert_eq!(is_slip(written, known), expected);
    }

    #[test]
    fn the_same_letters_come_first() {
        assert_eq!(slip_of("Tags", ["tabs", "tags"]), Some("tags"));
        assert_eq!(slip_of("hours", ["tabs", "tags"]), None);
    }
}
