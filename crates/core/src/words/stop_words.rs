//! Stop words by language: words too common to tell texts apart.
//!
//! `stop_words.tsv` holds a line for each language: its ISO 639-1 code, then its words in order,
//! parted by tabs. The lists are those of the crate `stop-words` 0.10 (Stopwords ISO; both under
//! the MIT licence, © 2016 Gene Diaz, © 2023 Chris McComb).

static TABLE: &str = include_str!("stop_words.tsv");

/// Returns the stop words of a language by its ISO 639-1 code; none if it has no list.
pub fn stop_words(code: &str) -> impl Iterator<Item = &'static str> {
    let mut lists = TABLE.lines().map(|line| line.split('\t'));
    let list = lists.find(|list| list.clone().next() == Some(code));
    list.into_iter().flatten().skip(1)
}

#[cfg(test)]
mod tests {
    use super::*;
    use rstest::rstest;

    #[rstest]
    #[case("en", "the", true)]
    #[case("en", "lime", false)]
    #[case("de", "der", true)]
    #[case("de", "the", false)]
    #[case("qq", "the", false)]
    #[case("", "the", false)]
    fn words_are_those_of_the_language(#[case] code: &str, #[case] word: &str, #[case] is: bool) {
        assert_eq!(stop_words(code).any(|stop| stop == word), is);
    }
}
