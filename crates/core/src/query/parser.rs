//! From tokens to the tree (recursive descent).

mod clause;
mod test;
mod value;

use super::ast::{At, Condition, Statement};
use super::lexer::{Token, TokenKind, tokens};
use super::{SyntaxError, diagnostic};
use crate::diagnostic::Help;
use crate::source::Span;

/// Words that have a meaning of their own; a field of that name is written in backquotes.
pub const KEYWORDS: [&str; 30] = [
    "from", "where", "order", "by", "limit", "offset", "and", "or", "not", "in", "between", "has",
    "any", "all", "none", "contains", "starts", "ends", "with", "matches", "is", "missing", "asc",
    "desc", "random", "true", "false", "today", "now", "this",
];

/// The depth to which parentheses and `not` may be nested.
const DEPTH: usize = 64;

/// Reads a statement.
pub(super) fn parse(text: &str) -> Result<Statement, SyntaxError> {
    let mut parser = Parser {
        tokens: tokens(text)?,
        at: 0,
    };
    parser.statement()
}

struct Parser {
    tokens: Vec<Token>,
    at: usize,
}

type Read<T> = Result<T, SyntaxError>;

impl Parser {
    fn peek(&self) -> &Token {
        &self.tokens[self.at.min(self.tokens.len() - 1)]
    }

    fn take(&mut self) -> Token {
        let token = self.peek().clone();
        self.at += 1;
        token
    }

    fn last_end(&self) -> usize {
        self.at
            .checked_sub(1)
            .map_or(0, |at| self.tokens[at.min(self.tokens.len() - 1)].span.end)
    }

    fn is_word(&self, word: &str) -> bool {
        matches!(&self.peek().kind, TokenKind::Word(found) if found.eq_ignore_ascii_case(word))
    }

    fn eat_word(&mut self, word: &str) -> bool {
        let found = self.is_word(word);
        self.at += usize::from(found);
        found
    }

    fn eat_sign(&mut self, sign: &str) -> bool {
        let found = matches!(&self.peek().kind, TokenKind::Sign(s) if *s == sign);
        self.at += usize::from(found);
        found
    }

    fn expected(&self, what: &str) -> SyntaxError {
        let token = self.peek();
        diagnostic(
            token.span,
            format!("expected {what}, found {}", token.kind.shown()),
        )
    }

    fn statement(&mut self) -> Read<Statement> {
        let mut statement = Statement::default();
        if self.is_word("select") {
            return Err(diagnostic(
                self.peek().span,
                "a query begins with `from`, `where`, `order by` or `limit`",
            )
            .help("leave `select …` out: a query always gives posts"));
        }
        if self.eat_word("from") {
            statement.from = self.sources()?;
        }
        if self.is_word("any") {
            self.any_language()?;
            statement.any_language = true;
        }
        if self.eat_word("where") {
            if self.clause_follows() {
                return Err(self.expected("a condition after `where`").help(
                    "write a test such as `where tag = 'lime'`, or leave `where` out for all posts",
                ));
            }
            statement.condition = Some(self.or(DEPTH)?);
        }
        if self.eat_word("order") {
            if !self.eat_word("by") {
                return Err(self
                    .expected("`by` after `order`")
                    .help("write `order by date desc`"));
            }
            statement.order = self.keys()?;
        }
        if self.eat_word("limit") {
            statement.limit = Some(self.whole("limit")?);
        }
        if self.eat_word("offset") {
            let offset = self.tokens[self.at - 1].span;
            statement.offset = Some(self.whole("offset")?);
            if statement.limit.is_none() && self.is_word("limit") {
                return Err(diagnostic(offset, "`offset` comes after `limit`")
                    .help("write `limit 5 offset 10`"));
            }
        }
        self.end()?;
        Ok(statement)
    }

    /// Reads `any language`.
    fn any_language(&mut self) -> Read<()> {
        self.at += 1;
        if self.eat_word("language") {
            return Ok(());
        }
        Err(self
            .expected("`language` after `any`")
            .help("write `any language` for the posts of all languages"))
    }

    fn clause_follows(&self) -> bool {
        let next = self.tokens.get(self.at + 1).map(|token| &token.kind);
        let by = matches!(next, Some(TokenKind::Word(word)) if word.eq_ignore_ascii_case("by"));
        self.peek().kind == TokenKind::End
            || self.is_word("order") && by
            || self.is_word("limit")
            || self.is_word("offset")
    }

    fn or(&mut self, depth: usize) -> Read<Condition> {
        let mut any = vec![self.and(depth)?];
        while self.eat_word("or") {
            any.push(self.and(depth)?);
        }
        Ok(one_or(any, Condition::Or))
    }

    fn and(&mut self, depth: usize) -> Read<Condition> {
        let mut all = vec![self.not(depth)?];
        while self.eat_word("and") {
            all.push(self.not(depth)?);
        }
        Ok(one_or(all, Condition::And))
    }

    fn not(&mut self, depth: usize) -> Read<Condition> {
        if depth == 0 {
            return Err(diagnostic(
                self.peek().span,
                "this query is nested too deep",
            ));
        }
        if self.eat_word("not") {
            return Ok(Condition::Not(Box::new(self.not(depth - 1)?)));
        }
        if matches!(self.peek().kind, TokenKind::Sign("!")) {
            return Err(diagnostic(self.peek().span, "`!` has no meaning here")
                .help(Help::instead("write `not`", "not ")));
        }
        if self.eat_sign("(") {
            let open = self.tokens[self.at - 1].span;
            let inner = self.or(depth - 1)?;
            if !self.eat_sign(")") {
                if self.peek().kind == TokenKind::End {
                    return Err(
                        diagnostic(open, "this parenthesis is never closed").help("add `)`")
                    );
                }
                return Err(self.expected("`)`, `and` or `or`"));
            }
            return Ok(inner);
        }
        let start = self.peek().span.start;
        let test = self.test()?;
        Ok(Condition::Test(At::new(
            test,
            Span::new(start, self.last_end()),
        )))
    }
}

pub(super) fn is_keyword(word: &str) -> bool {
    KEYWORDS
        .iter()
        .any(|keyword| keyword.eq_ignore_ascii_case(word))
}

fn one_or(mut all: Vec<Condition>, join: fn(Vec<Condition>) -> Condition) -> Condition {
    if all.len() == 1 {
        all.remove(0)
    } else {
        join(all)
    }
}
