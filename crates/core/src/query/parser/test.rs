//! A single test: a value, and what is asked of it.

use super::super::ast::{At, Comparison, Polarity, Quantity, Search, Test, Value};
use super::super::lexer::TokenKind;
use super::super::{SyntaxError, diagnostic, foreign_syntax};
use super::{Parser, Read, is_keyword};
use crate::diagnostic::{Help, nearest};
use crate::time::month_number;

impl Parser {
    pub(super) fn test(&mut self) -> Read<Test> {
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
            let diagnostic = self.expected(
                "`in`, `between`, `contains`, `starts with`, `ends with` or `matches` after `not`",
            );
            return Err(match self.peek().kind {
                TokenKind::Text(_) | TokenKind::Number(..) | TokenKind::Date(..) => {
                    diagnostic.help("write `!=` before the value")
                }
                TokenKind::Word(ref word) if !is_keyword(word) => diagnostic.help(format!(
                    "write `!= '{word}'`; a whole test is turned around by `not` before it"
                )),
                _ => diagnostic
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
            if matches!(self.peek().kind, TokenKind::Sign("(")) {
                return Err(self.compared_list(&left.node, comparison));
            }
            return Ok(Test::Compare(left, comparison, self.value()?));
        }
        self.flag(left)
    }

    pub(super) fn comparison(&mut self) -> Read<Option<Comparison>> {
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
            "==" => {
                return Err(
                    diagnostic(token.span, "`==` has no meaning here").help(Help::write("="))
                );
            }
            "<>" => {
                return Err(
                    diagnostic(token.span, "`<>` has no meaning here").help(Help::write("!="))
                );
            }
            "<=>" => {
                return Err(
                    diagnostic(token.span, "`<=>` has no meaning here").help(Help::write("="))
                );
            }
            _ => return Ok(None),
        };
        self.take();
        Ok(Some(comparison))
    }

    /// The error of a list after `=` or another sign.
    fn compared_list(&mut self, left: &Value, comparison: Comparison) -> SyntaxError {
        let found = diagnostic(
            self.peek().span,
            "a field is compared with one value, not with a list",
        );
        self.take();
        let values = self.values().map_or_else(
            |_| "('lime', 'masonry')".to_owned(),
            |values| list_of(&values),
        );
        found.help(match comparison {
            Comparison::Unequal => format!("write `{left} not in {values}`"),
            _ => format!(
                "write `{left} has any {values}` for posts with one of them, `{left} has all {values}` for those with all; for a field of one value, `{left} in {values}`"
            ),
        })
    }

    pub(super) fn search(&mut self) -> Read<Option<Search>> {
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
                return Err(diagnostic(token.span, format!("`{word}` has no meaning here"))
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

    pub(super) fn set(&mut self, left: At<Value>, polarity: Polarity) -> Read<Test> {
        if matches!(self.peek().kind, TokenKind::Sign("[")) {
            return Err(
                diagnostic(self.peek().span, "this list is not in parentheses")
                    .help("write `in ('lime', 'masonry')`"),
            );
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

    pub(super) fn no_set(&self, left: &Value, found: &At<Value>) -> SyntaxError {
        let diagnostic = diagnostic(
            found.span,
            "expected a list in parentheses, a date, or a range after `in`",
        );
        match (left, &found.node) {
            (_, Value::This(name)) => {
                let name = name
                    .strip_suffix('s')
                    .filter(|one| *one == left.to_string());
                let name =
                    name.map_or_else(|| found.node.to_string(), |name| format!("this.{name}"));
                diagnostic.help(format!("write `{left} has any ({name})`"))
            }
            (_, Value::Field(name)) if month_number(name).is_some() => {
                let number = month_number(name).unwrap_or_default();
                diagnostic.help(format!(
                    "write `month = {number}`, or with a year `{left} in 2026-{number:02}`"
                ))
            }
            (Value::Text(_), Value::Field(_)) => {
                diagnostic.help(format!("write the field first: `{} = {left}`", found.node))
            }
            (_, Value::Text(_)) => diagnostic.help(format!("write `in ({})`", found.node)),
            (_, Value::Field(name)) if ["last", "past", "the"].contains(&name.as_str()) => {
                diagnostic.help("write `date >= today - 12 months`")
            }
            (_, Value::Field(name)) => diagnostic.help(format!("write `in ('{name}')`")),
            _ => diagnostic.help("write `in ('lime', 'masonry')`, `in 2026-03` or `in 2024..2026`"),
        }
    }

    pub(super) fn has(&mut self, left: At<Value>) -> Read<Test> {
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
            let help = format!("write `has {quantity} ('masonry', 'lime')`");
            return Err(self.expected("a list in parentheses").help(help));
        }
        Ok(Test::Has(left, quantity, self.values()?))
    }

    pub(super) fn missing(&mut self, left: At<Value>) -> Read<Test> {
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
    pub(super) fn flag(&mut self, left: At<Value>) -> Read<Test> {
        match left.node {
            Value::Field(_) | Value::This(_) => {}
            Value::Text(_) if !matches!(self.peek().kind, TokenKind::Sign(_)) => {
                let help = self
                    .values_of_one_field(&left)
                    .unwrap_or_else(|| format!("each test names its field: `tag = {}`", left.node));
                let found = diagnostic(left.span, format!("{} alone is not a test", left.node));
                return Err(found.help(help));
            }
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
                if let Value::Field(name) = &left.node
                    && let Some(help) = foreign_syntax::exclusion(name)
                {
                    return Err(
                        diagnostic(left.span, format!("`{name}` has no meaning here")).help(help),
                    );
                }
                return Err(self.no_comparison(&lower));
            }
        }
        match self.peek().kind {
            TokenKind::Text(_) | TokenKind::Number(..) | TokenKind::Date(..) => Err(self
                .expected("a comparison such as `=`")
                .help("put `=` before the value")),
            TokenKind::Sign("&&") => {
                Err(diagnostic(self.peek().span, "`&&` has no meaning here")
                    .help(Help::write("and")))
            }
            TokenKind::Sign("||") => {
                Err(diagnostic(self.peek().span, "`||` has no meaning here")
                    .help(Help::write("or")))
            }
            _ => Ok(Test::Flag(left)),
        }
    }

    /// Returns the help for `category = 'News' or 'Comment'`, after the last text was taken.
    fn values_of_one_field(&self, last: &At<Value>) -> Option<String> {
        let before = |back: usize| Some(&self.tokens.get(self.at.checked_sub(back)?)?.kind);
        let mut texts = vec![last.node.to_string()];
        let mut back = 2;
        let mut joined_by = None;
        while let (Some(TokenKind::Word(word)), Some(TokenKind::Text(text))) =
            (before(back), before(back + 1))
        {
            joined_by.get_or_insert(word.to_ascii_lowercase());
            texts.push(Value::Text(text.clone()).to_string());
            back += 2;
        }
        let (Some(TokenKind::Sign(sign)), Some(TokenKind::Word(field) | TokenKind::Name(field))) =
            (before(back), before(back + 1))
        else {
            return None;
        };
        texts.reverse();
        let mut at = self.at;
        while let Some([word, text]) = self.tokens.get(at..at + 2)
            && matches!(&word.kind, TokenKind::Word(word) if word.eq_ignore_ascii_case("or") || word.eq_ignore_ascii_case("and"))
            && let TokenKind::Text(text) = &text.kind
        {
            texts.push(Value::Text(text.clone()).to_string());
            at += 2;
        }
        let list = format!("({})", texts.join(", "));
        Some(match (*sign, joined_by?.as_str()) {
            ("=", "or") => format!("write `{field} in {list}`"),
            ("=", _) => format!("write `{field} has all {list}`"),
            ("!=", _) => format!("write `{field} not in {list}`"),
            _ => return None,
        })
    }

    pub(super) fn no_comparison(&self, word: &str) -> SyntaxError {
        const KNOWN: [&str; 14] = [
            "in", "between", "has", "contains", "starts", "ends", "matches", "is", "not", "and",
            "or", "order", "limit", "offset",
        ];
        let found = self.expected("a comparison such as `=`");
        if let Some(help) = foreign_syntax::test(word).or_else(|| foreign_syntax::clause(word)) {
            return found.help(help);
        }
        match nearest(word, KNOWN) {
            Some(word) => found.help(Help::did_you_mean(word)),
            None => {
                found.help("write texts in quotes; a test is a field, a comparison and a value")
            }
        }
    }
}

/// Returns values as a list in parentheses.
fn list_of(values: &[At<Value>]) -> String {
    let values: Vec<String> = values.iter().map(|value| value.node.to_string()).collect();
    format!("({})", values.join(", "))
}
