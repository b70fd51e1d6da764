//! Classification of the cursor's place in a query, which is incomplete while it is typed.

use std::ops::Range;

use super::parser::is_keyword;

/// The kind of word that a query expects at a place, with its bytes.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum QueryPlace<'a> {
    /// A content set or a named query.
    Source(Range<usize>),
    /// A text in quotes that a field is compared with.
    Text(&'a str, Range<usize>),
    /// A field or a keyword.
    Word(Range<usize>),
    /// An operator after this name in a condition, or a keyword if the name is a flag.
    Operator(&'a str, Range<usize>),
}

/// Returns what is expected at a byte of a query, which must be the start of a character or the end.
#[must_use]
pub fn query_place(query: &str, at: usize) -> QueryPlace<'_> {
    if let Some((field, text)) = text_at(query, at) {
        return QueryPlace::Text(field, text);
    }
    let word = word_around(query, at, is_part);
    let start = word.start;
    let clause = words(&query[..start]).rfind(|word| {
        ["from", "where", "by", "limit", "offset"].contains(&word.to_ascii_lowercase().as_str())
    });
    let is_first = query[..start].trim_end();
    let is_source = is_first.to_ascii_lowercase().ends_with("from") || is_first.ends_with(',');
    match clause {
        Some(clause) if clause.eq_ignore_ascii_case("from") && is_source => {
            QueryPlace::Source(word)
        }
        Some(clause) if clause.eq_ignore_ascii_case("where") => match name_before(query, start) {
            Some(name) => QueryPlace::Operator(name, word),
            None => QueryPlace::Word(word),
        },
        _ => QueryPlace::Word(word),
    }
}

/// Returns the name of a field that ends before a byte, followed only by blanks.
fn name_before(query: &str, at: usize) -> Option<&str> {
    let before = query[..at].trim_end();
    let name = &before[word_around(before, before.len(), is_part)];
    is_name(name).then_some(name)
}

/// Returns true for a word that can be the name of a field.
fn is_name(word: &str) -> bool {
    word.starts_with(char::is_alphabetic) && !is_keyword(word)
}

/// Returns the text in single quotes around a byte, without them, and the field that it is compared with.
#[must_use]
pub fn text_at(query: &str, at: usize) -> Option<(&str, Range<usize>)> {
    let mut open = None;
    for (offset, c) in query[..at].char_indices() {
        if c == '\'' {
            open = match open {
                None => Some(offset + 1),
                Some(_) => None,
            };
        }
    }
    let start = open?;
    let end = query[at..]
        .find('\'')
        .map_or(query.len(), |quote| at + quote);
    let before = &query[..start - 1];
    let field = words(before).rfind(|word| is_name(word))?;
    Some((field, start..end))
}

/// Returns the word around a byte, of characters that are part of words.
pub fn word_around(text: &str, at: usize, is_part: impl Fn(char) -> bool) -> Range<usize> {
    let before = text[..at].chars().rev().take_while(|c| is_part(*c));
    let start = at - before.map(char::len_utf8).sum::<usize>();
    let after = text[at..].chars().take_while(|c| is_part(*c));
    start..at + after.map(char::len_utf8).sum::<usize>()
}

/// Returns true for a character of a field's name or a keyword.
fn is_part(c: char) -> bool {
    c.is_alphanumeric() || matches!(c, '_' | '-' | '.')
}

/// Returns the words of a query outside of quotes.
fn words(query: &str) -> impl DoubleEndedIterator<Item = &str> {
    let outside: Vec<&str> = query.split('\'').step_by(2).collect();
    let words = outside
        .into_iter()
        .flat_map(move |part| part.split(|c| !is_part(c)));
    words
        .filter(|word| !word.is_empty())
        .collect::<Vec<_>>()
        .into_iter()
}

#[cfg(test)]
mod tests {
    use super::*;
    use rstest::rstest;

    #[rstest]
    #[case::nothing("|", "word ")]
    #[case::source("from po|", "source po")]
    #[case::second_source("from posts, fl|", "source fl")]
    #[case::clause("from posts wh|", "word wh")]
    #[case::field("from posts where ta|g = 'x'", "word tag")]
    #[case::text("from posts where tag = 'li|me'", "text tag lime")]
    #[case::open_text("from posts where tag = 'Li", "text tag Li")]
    #[case::list("from posts where tag has any ('lime', 'ma|", "text tag ma")]
    #[case::second_test("where category = 'A' and tag in ('|')", "text tag ")]
    #[case::after_a_text("where tag = 'lime' |", "word ")]
    #[case::operator("where tag |", "operator tag ")]
    #[case::part_of_an_operator("where year > 2020 and info.part con|", "operator info.part con")]
    #[case::after_and("where draft and |", "word ")]
    #[case::after_a_number("where year = 2026 |", "word ")]
    #[case::after_a_sign("where tag = |", "word ")]
    #[case::after_a_set("from posts |", "word ")]
    #[case::order("from posts order by da|", "word da")]
    fn a_place_in_a_query(#[case] marked: &str, #[case] expected: &str) {
        let at = marked.find('|').unwrap_or(marked.len());
        let query = marked.replacen('|', "", 1);
        let shown = match query_place(&query, at) {
            QueryPlace::Source(word) => format!("source {}", &query[word]),
            QueryPlace::Word(word) => format!("word {}", &query[word]),
            QueryPlace::Text(field, text) => format!("text {field} {}", &query[text]),
            QueryPlace::Operator(field, word) => format!("operator {field} {}", &query[word]),
        };
        assert_eq!(shown, expected);
    }
}
