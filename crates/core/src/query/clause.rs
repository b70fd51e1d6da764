//! Putting a clause into the text of a query, at its place.

use super::SyntaxError;
use super::lexer::{Token, TokenKind, tokens};
use crate::diagnostic::Diagnostic;
use crate::source::{EmbeddedText, Span};

/// A clause of a query, in the order in which a query has them.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord)]
pub enum Clause {
    /// `from posts`
    From,
    /// `any language`
    Language,
    /// `where tag = 'lime'`
    Where,
    /// `order by title`
    OrderBy,
    /// `limit 5`
    Limit,
    /// `offset 5`
    Offset,
}

impl Clause {
    /// The clauses that have a text, by their keywords.
    pub const ALL: [(&'static str, Self); 5] = [
        ("from", Self::From),
        ("where", Self::Where),
        ("order by", Self::OrderBy),
        ("limit", Self::Limit),
        ("offset", Self::Offset),
    ];

    /// Returns the clause that begins with a keyword.
    #[must_use]
    pub fn of(keyword: &str) -> Option<Self> {
        let mut all = Self::ALL.iter();
        all.find(|(known, _)| *known == keyword)
            .map(|(_, clause)| *clause)
    }

    fn keyword(self) -> &'static str {
        let mut all = Self::ALL.iter();
        all.find(|(_, clause)| *clause == self)
            .map_or("any language", |(keyword, _)| keyword)
    }
}

/// Returns a query with a clause at its place. The text after the keyword takes the place of the present one; a condition
/// is joined to the present one by `and`. An empty text removes the clause. The rest of the query stays as it is written,
/// and need not be complete.
///
/// # Errors
/// If the query has a text or sign that cannot be read.
pub fn with_clause(query: &str, clause: Clause, text: &str) -> Result<String, Box<Diagnostic>> {
    let at = |error: SyntaxError| Box::new(error.at(&EmbeddedText::command_line(query)));
    let parts = clauses(query).map_err(at)?;
    let own = parts.iter().find(|(known, _)| *known == clause);
    let written = match (clause, own) {
        _ if text.is_empty() => String::new(),
        (Clause::Where, Some((_, span))) => {
            let present = query[span.start..span.end].trim();
            let present = present["where".len()..].trim();
            match present {
                "" => format!("where {text}"),
                present => format!("where {} and {}", wrapped(present), wrapped(text)),
            }
        }
        _ => format!("{} {text}", clause.keyword()),
    };
    let (start, end) = match own {
        Some((_, span)) => (span.start, span.end),
        None => {
            let mut later = parts.iter().filter(|(known, _)| *known > clause);
            let at = later.next().map_or(query.len(), |(_, span)| span.start);
            (at, at)
        }
    };
    let pieces = [&query[..start], &written, &query[end..]].map(str::trim);
    let pieces: Vec<&str> = pieces
        .into_iter()
        .filter(|piece| !piece.is_empty())
        .collect();
    Ok(pieces.join(" "))
}

/// Returns the clauses of a text, each with its bytes.
fn clauses(query: &str) -> Result<Vec<(Clause, Span)>, SyntaxError> {
    let tokens = outer(query)?;
    let starts = tokens.iter().enumerate().filter_map(|(at, token)| {
        let next = tokens.get(at + 1);
        let two =
            |first, second| is_word(token, first) && next.is_some_and(|next| is_word(next, second));
        let clause = match () {
            () if two("any", "language") => Clause::Language,
            () if two("order", "by") => Clause::OrderBy,
            () if is_word(token, "from") => Clause::From,
            () if is_word(token, "where") => Clause::Where,
            () if is_word(token, "limit") => Clause::Limit,
            () if is_word(token, "offset") => Clause::Offset,
            () => return None,
        };
        Some((clause, token.span.start))
    });
    let starts: Vec<(Clause, usize)> = starts.collect();
    let ends = starts.iter().skip(1).map(|(_, start)| *start);
    let ends = ends.chain([query.len()]);
    let clauses = starts.iter().zip(ends);
    Ok(clauses
        .map(|((clause, start), end)| (*clause, Span::new(*start, end)))
        .collect())
}

fn is_word(token: &Token, word: &str) -> bool {
    matches!(&token.kind, TokenKind::Word(own) if own.eq_ignore_ascii_case(word))
}

/// Returns the tokens outside of parentheses.
fn outer(query: &str) -> Result<Vec<Token>, SyntaxError> {
    let mut depth = 0_usize;
    let mut outer = tokens(query)?;
    outer.retain(|token| match token.kind {
        TokenKind::Sign("(") => {
            depth += 1;
            false
        }
        TokenKind::Sign(")") => {
            depth = depth.saturating_sub(1);
            false
        }
        _ => depth == 0,
    });
    Ok(outer)
}

/// Returns a condition in parentheses if `and` would take it apart.
fn wrapped(condition: &str) -> String {
    match outer(condition) {
        Ok(tokens) if tokens.iter().any(|token| is_word(token, "or")) => format!("({condition})"),
        _ => condition.to_owned(),
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::query::Query;
    use rstest::rstest;

    #[rstest]
    #[case::first("", "from", "posts", "from posts")]
    #[case::another(
        "from  posts  where a",
        "from",
        "notes, posts",
        "from notes, posts where a"
    )]
    #[case::before("where year = 2026", "from", "posts", "from posts where year = 2026")]
    #[case::condition(
        "from posts limit 5",
        "where",
        "tag = 'lime'",
        "from posts where tag = 'lime' limit 5"
    )]
    #[case::further(
        "from posts where year = 2026 order by title",
        "where",
        "tag = 'lime'",
        "from posts where year = 2026 and tag = 'lime' order by title"
    )]
    #[case::either(
        "WHERE a or b LIMIT 3",
        "where",
        "c or d",
        "where (a or b) and (c or d) LIMIT 3"
    )]
    #[case::either_in_parentheses("where (a or b)", "where", "c", "where (a or b) and c")]
    #[case::unfinished("from posts where ", "where", "draft", "from posts where draft")]
    #[case::order(
        "from posts any language limit 2",
        "order by",
        "title desc",
        "from posts any language order by title desc limit 2"
    )]
    #[case::limit(
        "from posts limit 5 offset 5",
        "limit",
        "9",
        "from posts limit 9 offset 5"
    )]
    #[case::without_limit("from posts limit 5 offset 5", "limit", "", "from posts offset 5")]
    #[case::a_word_in_a_text(
        "where title = 'limit from'",
        "limit",
        "2",
        "where title = 'limit from' limit 2"
    )]
    #[case::a_name_in_backquotes("where `limit` = 3", "limit", "2", "where `limit` = 3 limit 2")]
    #[case::any_of_values(
        "where tag has any ('a')",
        "from",
        "posts",
        "from posts where tag has any ('a')"
    )]
    fn a_clause_takes_its_place(
        #[case] query: &str,
        #[case] keyword: &str,
        #[case] text: &str,
        #[case] expected: &str,
    ) {
        let clause = Clause::of(keyword).unwrap();
        let found = with_clause(query, clause, text).unwrap();
        assert_eq!(found, expected);
        assert!(Query::parse(&EmbeddedText::command_line(&found)).is_ok());
    }

    #[test]
    fn an_open_text_is_an_error() {
        let error = with_clause("where title = 'x", Clause::Limit, "2").unwrap_err();
        assert!(
            error.message.contains("quote") || error.message.contains("text"),
            "{error}"
        );
    }
}
