//! The clauses around the condition, and errors where none can be.

use super::super::ast::{At, Key, Seed};
use super::super::lexer::{Token, TokenKind};
use super::super::{SyntaxError, diagnostic, foreign_syntax};
use super::{Parser, Read, is_keyword};
use crate::diagnostic::{Help, nearest};
use crate::source::Span;

impl Parser {
    /// Nothing may follow; a clause out of its order, or a slip, is named.
    pub(super) fn end(&self) -> Read<()> {
        let token = self.peek();
        if token.kind == TokenKind::End {
            return Ok(());
        }
        if self.at == 0 {
            return Err(self.beginning());
        }
        let diagnostic = self.expected("the end of the query");
        Err(match &token.kind {
            TokenKind::Sign(";") => diagnostic.help(Help::instead(
                "a query ends without a sign; leave `;` out",
                "",
            )),
            TokenKind::Sign("&&") => diagnostic.help(Help::write("and")),
            TokenKind::Sign("||") => diagnostic.help(Help::write("or")),
            TokenKind::Sign(")") => diagnostic.help("leave `)` out, or open it with `(`"),
            TokenKind::Sign(",") => diagnostic.help(self.comma_at_the_end()),
            TokenKind::Sign("(") => {
                diagnostic.help("a query has no functions, and tests are joined by `and` or `or`")
            }
            TokenKind::Word(word) => diagnostic.help(self.word_at_the_end(word)),
            _ => diagnostic.help("tests are joined by `and` or `or`"),
        })
    }

    /// Returns the help for a comma where the query should end, such as that of `limit 5, 10` in other languages.
    fn comma_at_the_end(&self) -> String {
        let number = |at: usize| match self.tokens.get(at).map(|token| &token.kind) {
            Some(TokenKind::Number(_, written)) => Some(written),
            _ => None,
        };
        let limit = self.at.checked_sub(2).and_then(|at| self.tokens.get(at));
        let is_limit = limit.is_some_and(|token| matches!(&token.kind, TokenKind::Word(word) if word.eq_ignore_ascii_case("limit")));
        match (number(self.at.wrapping_sub(1)), number(self.at + 1)) {
            (Some(offset), Some(limit)) if is_limit => {
                format!("write `limit {limit} offset {offset}`")
            }
            _ => "tests are joined by `and` or `or`".to_owned(),
        }
    }

    fn word_at_the_end(&self, word: &str) -> Help {
        let clauses = ["from", "where", "order", "limit", "offset", "and", "or"];
        let lower = word.to_ascii_lowercase();
        if clauses.contains(&lower.as_str()) || ["asc", "desc"].contains(&lower.as_str()) {
            return "the order is: from … where … order by … limit … offset …, each once".into();
        }
        if let Some(help) = foreign_syntax::clause(word).or_else(|| foreign_syntax::exclusion(word))
        {
            return help;
        }
        if let Some(known) = nearest(&lower, clauses) {
            return Help::did_you_mean(known);
        }
        let is_where = |token: &Token| matches!(&token.kind, TokenKind::Word(word) if word.eq_ignore_ascii_case("where"));
        if self.tokens[..self.at].iter().any(is_where) {
            "tests are joined by `and` or `or`".into()
        } else {
            "write tests after `where`, such as `where tag = 'lime'`".into()
        }
    }

    /// A query that does not begin with one of its words.
    pub(super) fn beginning(&self) -> SyntaxError {
        let diagnostic = self.expected("`from`, `where`, `order by` or `limit`");
        let TokenKind::Word(word) = &self.peek().kind else {
            return diagnostic.help("write a test after `where`, such as `where tag = 'lime'`");
        };
        let lower = word.to_ascii_lowercase();
        if let Some(help) = foreign_syntax::clause(word).or_else(|| foreign_syntax::exclusion(word))
        {
            return diagnostic.help(help);
        }
        if let Some(known) = nearest(&lower, ["from", "where", "order", "limit", "offset"]) {
            return diagnostic.help(Help::did_you_mean(known));
        }
        let next = self.tokens.get(1).map(|token| &token.kind);
        let clauses = ["where", "order", "limit", "offset"];
        diagnostic.help(match next {
            Some(TokenKind::Word(next))
                if clauses.contains(&next.to_ascii_lowercase().as_str()) =>
            {
                format!("write `from {word} {next} …` for a content set or a named query")
            }
            Some(TokenKind::End | TokenKind::Sign(",")) | None => {
                format!("write `from {word}` for a content set or a named query")
            }
            Some(TokenKind::Word(next))
                if !is_keyword(next) && foreign_syntax::test(next).is_none() =>
            {
                "a query is such as `from posts where tag = 'lime' order by title limit 5`"
                    .to_owned()
            }
            _ => format!("write conditions after `where`: `where {word} …`"),
        })
    }

    pub(super) fn sources(&mut self) -> Read<Vec<At<String>>> {
        let mut sources = Vec::new();
        loop {
            let Some(name) = self.name() else {
                let diagnostic = self.expected("the name of a content set or query after `from`");
                return Err(diagnostic.help(
                    "write `from posts`, or leave `from` out for the posts of all content sets",
                ));
            };
            sources.push(name);
            if !self.eat_sign(",") {
                return Ok(sources);
            }
        }
    }

    /// Reads the name that follows, bare or in backquotes; reads nothing if there is no name.
    fn name(&mut self) -> Option<At<String>> {
        let token = self.peek();
        let name = match &token.kind {
            TokenKind::Word(word) if !is_keyword(word) => word,
            TokenKind::Name(name) => name,
            _ => return None,
        };
        let name = At::new(name.clone(), token.span);
        self.take();
        Some(name)
    }

    pub(super) fn keys(&mut self) -> Read<Vec<At<Key>>> {
        let mut keys = Vec::new();
        loop {
            keys.push(self.key()?);
            if !self.eat_sign(",") {
                return Ok(keys);
            }
        }
    }

    pub(super) fn key(&mut self) -> Read<At<Key>> {
        let start = self.peek().span.start;
        if self.is_word("random") {
            self.take();
            if !self.eat_sign("(") {
                return Err(self
                    .expected("a number in parentheses after `random`")
                    .help(RANDOM));
            }
            let seed = if self.eat_word("today") {
                Seed::Today
            } else if self.eat_word("week") {
                Seed::Week
            } else {
                Seed::Fixed(self.whole("random")? as u64)
            };
            if !self.eat_sign(")") {
                return Err(self.expected("`)`"));
            }
            return Ok(At::new(
                Key::Random(seed),
                Span::new(start, self.last_end()),
            ));
        }
        let Some(At { node: name, span }) = self.name() else {
            return Err(self.no_key());
        };
        if self.eat_word("descending") || self.eat_word("ascending") {
            let span = self.tokens[self.at - 1].span;
            return Err(diagnostic(span, "the direction is `asc` or `desc`")
                .help("write `desc` for newest or largest first, `asc` for the reverse"));
        }
        if matches!(self.peek().kind, TokenKind::Sign("(")) {
            let found = self::diagnostic(span, format!("`{name}` has no meaning here"));
            let is_random =
                ["rand", "shuffle", "rnd"].contains(&name.to_ascii_lowercase().as_str());
            return Err(found.help(if is_random {
                RANDOM
            } else {
                "name a field to order by, such as `order by date desc`; a query has no functions"
            }));
        }
        if let TokenKind::Word(word) = &self.peek().kind
            && !self.clause_follows()
            && let Some(near) = nearest(word, ["desc", "asc"])
            && !word.eq_ignore_ascii_case(near)
        {
            let found = self.expected("`asc`, `desc` or the end of the query");
            return Err(found.help(Help::did_you_mean(near)));
        }
        let descending = self.eat_word("desc");
        if !descending {
            self.eat_word("asc");
        }
        Ok(At::new(Key::Field(name, descending), span))
    }

    pub(super) fn no_key(&self) -> SyntaxError {
        let diagnostic = self.expected("a field to order by");
        match self.peek().kind {
            TokenKind::Sign("-") => {
                diagnostic.help("for the newest or largest first, write `date desc`")
            }
            TokenKind::Word(_) if self.clause_follows() => {
                diagnostic.help("leave the comma before it out")
            }
            _ => diagnostic.help("write `order by date desc`, or `order by title`"),
        }
    }

    pub(super) fn whole(&mut self, after: &str) -> Read<usize> {
        let token = self.take();
        let TokenKind::Number(_, written) = &token.kind else {
            self.at -= 1;
            let diagnostic = self.expected(&format!("a whole number after `{after}`"));
            return Err(diagnostic.help(whole_help(after)));
        };
        written.parse().map_err(|_| {
            diagnostic(
                token.span,
                format!("expected a whole number after `{after}`, found {written}"),
            )
            .help(whole_help(after))
        })
    }
}

const RANDOM: &str = "write `random(7)`; each number is another fixed shuffle, `random(today)` and `random(week)` change with the day and the week";

fn whole_help(after: &str) -> &'static str {
    match after {
        "limit" => "write `limit 5`; for all of them, leave `limit` out",
        "offset" => "write `limit 5 offset 10`",
        "random" => RANDOM,
        _ => "write the count in digits: `today - 12 months`",
    }
}
