//! From tokens to the tree (recursive descent).

use super::ast::{
    At, Base, Comparison, Condition, Key, Polarity, Quantity, Search, Statement, Step, Test, Unit,
    Value,
};
use super::lexer::{Token, TokenKind, tokens};
use super::{Fault, elsewhere, fault};
use crate::diagnostic::nearest;
use crate::source::Span;

/// Words that have a meaning of their own; a field of that name stands in backquotes.
pub const KEYWORDS: [&str; 30] = [
    "from", "where", "order", "by", "limit", "offset", "and", "or", "not", "in", "between", "has",
    "any", "all", "none", "contains", "starts", "ends", "with", "matches", "is", "missing", "asc",
    "desc", "random", "true", "false", "today", "now", "this",
];

/// How deep parentheses and `not` may stand in one another.
const DEPTH: usize = 64;

/// Reads a statement.
pub(super) fn parse(text: &str) -> Result<Statement, Fault> {
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

type Read<T> = Result<T, Fault>;

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

    fn expected(&self, what: &str) -> Fault {
        let token = self.peek();
        fault(
            token.span,
            format!("expected {what}, found {}", token.kind.shown()),
        )
    }

    fn statement(&mut self) -> Read<Statement> {
        let mut statement = Statement::default();
        if self.is_word("select") {
            return Err(fault(
                self.peek().span,
                "a query begins with `from`, `where`, `order by` or `limit`",
            )
            .help("leave `select …` out: a query always gives posts"));
        }
        if self.eat_word("from") {
            statement.from = self.sources()?;
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
                return Err(fault(offset, "`offset` stands after `limit`")
                    .help("write `limit 5 offset 10`"));
            }
        }
        self.end()?;
        Ok(statement)
    }

    fn clause_follows(&self) -> bool {
        let next = self.tokens.get(self.at + 1).map(|token| &token.kind);
        let by = matches!(next, Some(TokenKind::Word(word)) if word.eq_ignore_ascii_case("by"));
        self.peek().kind == TokenKind::End
            || self.is_word("order") && by
            || self.is_word("limit")
            || self.is_word("offset")
    }

    /// Nothing may follow; a clause out of its order, or a slip, is named.
    fn end(&self) -> Read<()> {
        let token = self.peek();
        if token.kind == TokenKind::End {
            return Ok(());
        }
        if self.at == 0 {
            return Err(self.beginning());
        }
        let fault = self.expected("the end of the query");
        Err(match &token.kind {
            TokenKind::Sign(";") => fault.help("a query ends without a sign; leave `;` out"),
            TokenKind::Sign("&&") => fault.help("write `and`"),
            TokenKind::Sign("||") => fault.help("write `or`"),
            TokenKind::Sign(")") => fault.help("leave `)` out, or open it with `(`"),
            TokenKind::Sign(",") => fault.help(
                "to pass over the first two of six, write `limit 4 offset 2`; tests are joined by `and` or `or`",
            ),
            TokenKind::Word(word) => fault.help(Self::word_at_the_end(word)),
            _ => fault.help("tests are joined by `and` or `or`"),
        })
    }

    fn word_at_the_end(word: &str) -> String {
        let clauses = ["from", "where", "order", "limit", "offset", "and", "or"];
        let lower = word.to_ascii_lowercase();
        if clauses.contains(&lower.as_str()) || ["asc", "desc"].contains(&lower.as_str()) {
            return "the order is: from … where … order by … limit … offset …, each once"
                .to_owned();
        }
        if let Some(help) = elsewhere::clause(word) {
            return help.to_owned();
        }
        match nearest(&lower, clauses) {
            Some(known) => format!("did you mean `{known}`?"),
            None => "tests are joined by `and` or `or`".to_owned(),
        }
    }

    /// A query that does not begin with one of its words.
    fn beginning(&self) -> Fault {
        let fault = self.expected("`from`, `where`, `order by` or `limit`");
        let TokenKind::Word(word) = &self.peek().kind else {
            return fault.help("write a test after `where`, such as `where tag = 'lime'`");
        };
        let lower = word.to_ascii_lowercase();
        if let Some(known) = nearest(&lower, ["from", "where", "order", "limit", "offset"]) {
            return fault.help(format!("did you mean `{known}`?"));
        }
        if let Some(help) = elsewhere::clause(word) {
            return fault.help(help);
        }
        let next = self.tokens.get(1).map(|token| &token.kind);
        let stands_alone = match next {
            Some(TokenKind::Word(next)) => is_keyword(next) && elsewhere::test(next).is_none(),
            Some(TokenKind::End | TokenKind::Sign(",")) | None => true,
            _ => false,
        };
        let clause_next = matches!(next, Some(TokenKind::Word(next))
            if ["where", "order", "limit", "offset"].contains(&next.to_ascii_lowercase().as_str()));
        fault.help(
            if clause_next || stands_alone && !matches!(next, Some(TokenKind::Word(_))) {
                format!("write `from {word}` for a content set or a named query")
            } else {
                format!("a condition stands after `where`: `where {word} …`")
            },
        )
    }

    fn sources(&mut self) -> Read<Vec<At<String>>> {
        let mut sources = Vec::new();
        loop {
            let token = self.take();
            let name = match token.kind {
                TokenKind::Word(ref word) if !is_keyword(word) => word.clone(),
                TokenKind::Name(ref name) => name.clone(),
                _ => {
                    self.at -= 1;
                    let fault = self.expected("the name of a content set or query after `from`");
                    return Err(fault.help(
                        "write `from posts`, or leave `from` out for the posts of all content sets",
                    ));
                }
            };
            sources.push(At::new(name, token.span));
            if !self.eat_sign(",") {
                return Ok(sources);
            }
        }
    }

    fn keys(&mut self) -> Read<Vec<At<Key>>> {
        let mut keys = Vec::new();
        loop {
            keys.push(self.key()?);
            if !self.eat_sign(",") {
                return Ok(keys);
            }
        }
    }

    fn key(&mut self) -> Read<At<Key>> {
        let start = self.peek().span.start;
        if self.is_word("random") {
            self.take();
            if !self.eat_sign("(") {
                return Err(self
                    .expected("a number in parentheses after `random`")
                    .help("write `random(7)`; each number is another fixed shuffle"));
            }
            let seed = self.whole("random")?;
            if !self.eat_sign(")") {
                return Err(self.expected("`)`"));
            }
            return Ok(At::new(
                Key::Random(seed as u64),
                Span::new(start, self.last_end()),
            ));
        }
        let token = self.take();
        let name = match token.kind {
            TokenKind::Word(ref word) if !is_keyword(word) => word.clone(),
            TokenKind::Name(ref name) => name.clone(),
            _ => {
                self.at -= 1;
                return Err(self.no_key());
            }
        };
        let span = Span::new(start, self.last_end());
        if self.eat_word("descending") || self.eat_word("ascending") {
            let span = self.tokens[self.at - 1].span;
            return Err(fault(span, "the direction is `asc` or `desc`")
                .help("write `desc` for newest or largest first, `asc` for the reverse"));
        }
        let descending = self.eat_word("desc");
        if !descending {
            self.eat_word("asc");
        }
        Ok(At::new(Key::Field(name, descending), span))
    }

    fn no_key(&self) -> Fault {
        let fault = self.expected("a field to order by");
        match self.peek().kind {
            TokenKind::Sign("-") => {
                fault.help("for the newest or largest first, write `date desc`")
            }
            TokenKind::Word(_) if self.clause_follows() => {
                fault.help("leave the comma before it out")
            }
            _ => fault.help("write `order by date desc`, or `order by title`"),
        }
    }

    fn whole(&mut self, after: &str) -> Read<usize> {
        let token = self.take();
        let TokenKind::Number(_, written) = &token.kind else {
            self.at -= 1;
            let fault = self.expected(&format!("a whole number after `{after}`"));
            return Err(fault.help(whole_help(after)));
        };
        written.parse().map_err(|_| {
            fault(
                token.span,
                format!("expected a whole number after `{after}`, found {written}"),
            )
            .help(whole_help(after))
        })
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
            return Err(fault(self.peek().span, "this query is nested too deep"));
        }
        if self.eat_word("not") {
            return Ok(Condition::Not(Box::new(self.not(depth - 1)?)));
        }
        if matches!(self.peek().kind, TokenKind::Sign("!")) {
            return Err(fault(self.peek().span, "`!` has no meaning here").help("write `not`"));
        }
        if self.eat_sign("(") {
            let open = self.tokens[self.at - 1].span;
            let inner = self.or(depth - 1)?;
            if !self.eat_sign(")") {
                if self.peek().kind == TokenKind::End {
                    return Err(fault(open, "this parenthesis is never closed").help("add `)`"));
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

    fn test(&mut self) -> Read<Test> {
        let left = self.value()?;
        let negated = self.is_word("not");
        if negated {
            self.take();
        }
        let polarity = if negated {
            Polarity::Negated
        } else {
            Polarity::Plain
        };
        if self.eat_word("in") {
            return self.set(left, polarity);
        }
        if self.eat_word("between") {
            let low = self.value()?;
            if !self.eat_word("and") {
                return Err(self
                    .expected("`and` and the upper end")
                    .help("write `between 2024 and 2026`"));
            }
            return Ok(Test::Between(left, polarity, low, self.value()?));
        }
        if let Some(search) = self.search()? {
            return Ok(Test::Text(left, polarity, search, self.value()?));
        }
        if negated {
            let fault = self.expected(
                "`in`, `between`, `contains`, `starts with`, `ends with` or `matches` after `not`",
            );
            return Err(match self.peek().kind {
                TokenKind::Text(_) | TokenKind::Number(..) | TokenKind::Date(..) => {
                    fault.help("write `!=` before the value")
                }
                _ => fault
                    .help("a whole test is turned around by `not` before it: `not tag = 'lime'`"),
            });
        }
        if self.eat_word("has") {
            return self.has(left);
        }
        if self.eat_word("is") {
            return self.missing(left);
        }
        if let Some(comparison) = self.comparison()? {
            return Ok(Test::Compare(left, comparison, self.value()?));
        }
        self.flag(left)
    }

    fn comparison(&mut self) -> Read<Option<Comparison>> {
        let token = self.peek().clone();
        let TokenKind::Sign(sign) = token.kind else {
            return Ok(None);
        };
        let comparison = match sign {
            "=" => Comparison::Equal,
            "!=" => Comparison::Unequal,
            "<" => Comparison::Less,
            "<=" => Comparison::LessOrEqual,
            ">" => Comparison::Greater,
            ">=" => Comparison::GreaterOrEqual,
            "==" => return Err(fault(token.span, "`==` has no meaning here").help("write `=`")),
            "<>" => return Err(fault(token.span, "`<>` has no meaning here").help("write `!=`")),
            "<=>" => return Err(fault(token.span, "`<=>` has no meaning here").help("write `=`")),
            _ => return Ok(None),
        };
        self.take();
        Ok(Some(comparison))
    }

    fn search(&mut self) -> Read<Option<Search>> {
        let token = self.peek().clone();
        let TokenKind::Word(word) = &token.kind else {
            return Ok(None);
        };
        let search = match word.to_ascii_lowercase().as_str() {
            "contains" => Search::Contains,
            "matches" => Search::Matches,
            "starts" => Search::StartsWith,
            "ends" => Search::EndsWith,
            "like" | "ilike" | "rlike" | "regexp" => {
                return Err(fault(token.span, format!("`{word}` has no meaning here"))
                    .help("write `contains 'lime'`, `starts with 'lime'`, `ends with 'lime'`, or `matches` with a regular expression"));
            }
            _ => return Ok(None),
        };
        self.take();
        if matches!(search, Search::StartsWith | Search::EndsWith) && !self.eat_word("with") {
            return Err(self
                .expected(&format!("`with` after `{word}`"))
                .help(format!("write `{search} '…'`")));
        }
        Ok(Some(search))
    }

    fn set(&mut self, left: At<Value>, polarity: Polarity) -> Read<Test> {
        if matches!(self.peek().kind, TokenKind::Sign("[")) {
            return Err(fault(self.peek().span, "a list stands in parentheses")
                .help("write `in ('lime', 'masonry')`"));
        }
        if self.eat_sign("(") {
            return Ok(Test::In(left, polarity, self.values()?));
        }
        let low = self.value()?;
        if self.eat_sign("..") {
            return Ok(Test::Range(left, polarity, low, self.value()?));
        }
        match low.node {
            Value::Date(..) | Value::Number(..) | Value::Relative(..) => {
                Ok(Test::Within(left, polarity, low))
            }
            _ => Err(self.no_set(&left.node, &low)),
        }
    }

    fn no_set(&self, left: &Value, found: &At<Value>) -> Fault {
        let fault = fault(
            found.span,
            "expected a list in parentheses, a date, or a range after `in`",
        );
        match (left, &found.node) {
            (Value::Text(_), Value::Field(_)) => {
                fault.help(format!("the field stands first: `{} = {left}`", found.node))
            }
            (_, Value::Text(_)) => fault.help(format!("write `in ({})`", found.node)),
            (_, Value::Field(name)) if ["last", "past", "the"].contains(&name.as_str()) => {
                fault.help("write `date >= today - 12 months`")
            }
            (_, Value::Field(name)) => fault.help(format!("write `in ('{name}')`")),
            _ => fault.help("write `in ('lime', 'masonry')`, `in 2026-03` or `in 2024..2026`"),
        }
    }

    fn has(&mut self, left: At<Value>) -> Read<Test> {
        let quantity = if self.eat_word("any") {
            Quantity::Any
        } else if self.eat_word("all") {
            Quantity::All
        } else if self.eat_word("none") {
            Quantity::None
        } else {
            return Err(self.expected("`any`, `all` or `none` after `has`").help(
                "for one value, write `= 'lime'`; for several, `has all ('masonry', 'lime')`",
            ));
        };
        if !self.eat_sign("(") {
            return Err(self
                .expected("a list in parentheses")
                .help("write `has all ('masonry', 'lime')`"));
        }
        Ok(Test::Has(left, quantity, self.values()?))
    }

    fn missing(&mut self, left: At<Value>) -> Read<Test> {
        let negated = self.eat_word("not");
        let polarity = if negated {
            Polarity::Negated
        } else {
            Polarity::Plain
        };
        if self.eat_word("missing") {
            return Ok(Test::Missing(left, polarity));
        }
        let found = self.expected(if negated {
            "`missing` after `is not`"
        } else {
            "`missing` or `not missing` after `is`"
        });
        let word = match &self.peek().kind {
            TokenKind::Word(word) => word.to_ascii_lowercase(),
            _ => String::new(),
        };
        let not = if negated { "not " } else { "" };
        Err(match word.as_str() {
            "null" | "empty" | "none" | "nil" | "undefined" => {
                found.help(format!("write `is {not}missing`"))
            }
            _ => found.help(format!(
                "to compare, write `{}`; to ask for an empty field, `is {not}missing`",
                if negated { "!=" } else { "=" }
            )),
        })
    }

    /// A bare field, which must be a boolean one; the resolver knows.
    fn flag(&mut self, left: At<Value>) -> Read<Test> {
        match left.node {
            Value::Field(_) | Value::This(_) => {}
            _ => {
                return Err(self
                    .expected("a comparison")
                    .help("write a test such as `tag = 'lime'`"));
            }
        }
        if let TokenKind::Word(word) = &self.peek().kind {
            let lower = word.to_ascii_lowercase();
            let follows = ["and", "or", "order", "limit", "offset"].contains(&lower.as_str());
            if !follows {
                return Err(self.no_comparison(&lower));
            }
        }
        match self.peek().kind {
            TokenKind::Text(_) | TokenKind::Number(..) | TokenKind::Date(..) => Err(self
                .expected("a comparison such as `=`")
                .help("put `=` before the value")),
            TokenKind::Sign("&&") => {
                Err(fault(self.peek().span, "`&&` has no meaning here").help("write `and`"))
            }
            TokenKind::Sign("||") => {
                Err(fault(self.peek().span, "`||` has no meaning here").help("write `or`"))
            }
            _ => Ok(Test::Flag(left)),
        }
    }

    fn no_comparison(&self, word: &str) -> Fault {
        const KNOWN: [&str; 14] = [
            "in", "between", "has", "contains", "starts", "ends", "matches", "is", "not", "and",
            "or", "order", "limit", "offset",
        ];
        let found = self.expected("a comparison such as `=`");
        if let Some(help) = elsewhere::test(word).or_else(|| elsewhere::clause(word)) {
            return found.help(help);
        }
        match nearest(word, KNOWN) {
            Some(word) => found.help(format!("did you mean `{word}`?")),
            None => {
                found.help("a text stands in quotes; a test is a field, a comparison, and a value")
            }
        }
    }

    /// The values of a list whose parenthesis is open.
    fn values(&mut self) -> Read<Vec<At<Value>>> {
        let mut values = Vec::new();
        loop {
            values.push(self.value()?);
            if self.eat_sign(")") {
                return Ok(values);
            }
            if !self.eat_sign(",") {
                return Err(self.expected("`,` or `)`"));
            }
        }
    }

    fn value(&mut self) -> Read<At<Value>> {
        let token = self.take();
        let start = token.span.start;
        let node = match token.kind {
            TokenKind::Text(text) => Value::Text(text),
            TokenKind::Number(number, written) => Value::Number(number, written),
            TokenKind::Date(part, written) => Value::Date(part, written),
            TokenKind::Parameter(name) => Value::Parameter(name),
            TokenKind::Name(name) => Value::Field(name),
            TokenKind::Sign("-") => match self.take().kind {
                TokenKind::Number(number, written) => Value::Number(-number, format!("-{written}")),
                _ => {
                    self.at -= 1;
                    return Err(self.expected("a number after `-`"));
                }
            },
            TokenKind::Word(word) => return self.word(&word, token.span),
            _ => {
                self.at -= 1;
                let fault = self.expected("a field or a value");
                return Err(if self.peek().kind == TokenKind::End {
                    fault.help("the query breaks off here; a test is such as `tag = 'lime'`")
                } else {
                    fault.help("a text stands in quotes, such as 'lime'")
                });
            }
        };
        Ok(At::new(node, Span::new(start, self.last_end())))
    }

    fn word(&mut self, word: &str, span: Span) -> Read<At<Value>> {
        let lower = word.to_ascii_lowercase();
        let node = match lower.as_str() {
            "true" => Value::Flag(true),
            "false" => Value::Flag(false),
            "today" => return self.relative(Base::Today, span),
            "now" => return self.relative(Base::Now, span),
            "null" | "nil" => {
                return Err(fault(span, format!("`{word}` has no meaning here"))
                    .help("write `is missing` or `is not missing`"));
            }
            "this" => {
                if self.eat_sign(".") {
                    return self.field_of_this(span);
                }
                return Err(fault(span, "`this` is a post; a field of it is meant")
                    .help("write `this.category`"));
            }
            _ if lower.starts_with("this.") => Value::This(word[5..].to_owned()),
            "and" | "or" => {
                return Err(
                    fault(span, format!("expected a field or a value, found `{word}`"))
                        .help(format!("`{lower}` stands between two tests")),
                );
            }
            _ if is_keyword(&lower) => {
                return Err(
                    fault(span, format!("expected a field or a value, found `{word}`")).help(
                        format!("a field that is called `{word}` stands in backquotes"),
                    ),
                );
            }
            _ => Value::Field(word.to_owned()),
        };
        Ok(At::new(node, span))
    }

    /// A name in backquotes after `this.`.
    fn field_of_this(&mut self, this: Span) -> Read<At<Value>> {
        let TokenKind::Name(name) = &self.peek().kind else {
            return Err(self.expected("a field after `this.`"));
        };
        let value = Value::This(name.clone());
        self.take();
        Ok(At::new(value, Span::new(this.start, self.last_end())))
    }

    fn relative(&mut self, base: Base, span: Span) -> Read<At<Value>> {
        let mut steps = Vec::new();
        loop {
            let sign = if self.eat_sign("+") {
                1
            } else if self.eat_sign("-") {
                -1
            } else {
                return Ok(At::new(
                    Value::Relative(base, steps),
                    Span::new(span.start, self.last_end()),
                ));
            };
            let token = self.peek().clone();
            let count = self.whole(base.word())?;
            let count = i32::try_from(count)
                .ok()
                .filter(|n| *n <= 100_000)
                .ok_or_else(|| {
                    fault(token.span, "this leads out of the calendar").help("count fewer")
                })?;
            let unit = self.unit(count)?;
            steps.push(Step {
                count: sign * count,
                unit,
            });
        }
    }

    fn unit(&mut self, count: i32) -> Read<Unit> {
        let found = match &self.peek().kind {
            TokenKind::Word(word) => match word.to_ascii_lowercase().as_str() {
                "day" | "days" => Some(Unit::Day),
                "week" | "weeks" => Some(Unit::Week),
                "month" | "months" => Some(Unit::Month),
                "quarter" | "quarters" => Some(Unit::Quarter),
                "year" | "years" => Some(Unit::Year),
                _ => None,
            },
            _ => None,
        };
        let unit = found.ok_or_else(|| {
            self.expected("`days`, `weeks`, `months`, `quarters` or `years`")
                .help(format!("write `{count} days`"))
        })?;
        self.take();
        Ok(unit)
    }
}

fn whole_help(after: &str) -> &'static str {
    match after {
        "limit" => "write `limit 5`; for all of them, leave `limit` out",
        "offset" => "write `limit 5 offset 10`",
        "random" => "write `random(7)`; each number is another fixed shuffle",
        _ => "write the count in digits: `today - 12 months`",
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
