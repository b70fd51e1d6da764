//! A value: a field, a literal, a parameter, or a date counted from today.

use super::super::ast::{At, Base, Step, Unit, Value};
use super::super::lexer::TokenKind;
use super::super::{diagnostic, foreign_syntax};
use super::{Parser, Read, is_keyword};
use crate::source::Span;

impl Parser {
    /// The values of a list whose parenthesis is open.
    pub(super) fn values(&mut self) -> Read<Vec<At<Value>>> {
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

    pub(super) fn value(&mut self) -> Read<At<Value>> {
        let token = self.take();
        let start = token.span.start;
        let node = match token.kind {
            TokenKind::Text(text) => {
                if let Some(help) = foreign_syntax::template_value(&text) {
                    let message = "a query is not filled by a template";
                    return Err(diagnostic(token.span, message).help(help));
                }
                Value::Text(text)
            }
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
                let diagnostic = self.expected("a field or a value");
                return Err(if self.peek().kind == TokenKind::End {
                    diagnostic.help("the query breaks off here; a test is such as `tag = 'lime'`")
                } else {
                    diagnostic.help("write texts in quotes, such as 'lime'")
                });
            }
        };
        Ok(At::new(node, Span::new(start, self.last_end())))
    }

    pub(super) fn word(&mut self, word: &str, span: Span) -> Read<At<Value>> {
        let lower = word.to_ascii_lowercase();
        let node = match lower.as_str() {
            "true" => Value::Flag(true),
            "false" => Value::Flag(false),
            "today" => return self.relative(Base::Today, span),
            "now" => return self.relative(Base::Now, span),
            "null" | "nil" => {
                return Err(diagnostic(span, format!("`{word}` has no meaning here"))
                    .help("write `is missing` or `is not missing`"));
            }
            "this" => {
                if self.eat_sign(".") {
                    return self.field_of_this(span);
                }
                return Err(diagnostic(span, "`this` is a post; a field of it is meant")
                    .help("write `this.category`"));
            }
            _ if lower.starts_with("this.") => Value::This(word[5..].to_owned()),
            "and" | "or" => {
                return Err(diagnostic(
                    span,
                    format!("expected a field or a value, found `{word}`"),
                )
                .help(format!("`{lower}` joins two tests")));
            }
            "any" if self.is_word("language") => {
                return Err(diagnostic(span, "`any language` is no test")
                    .help("write it before `where`: `from posts any language where …`"));
            }
            _ if is_keyword(&lower) => {
                return Err(diagnostic(
                    span,
                    format!("expected a field or a value, found `{word}`"),
                )
                .help(format!("write a field of the name `{word}` in backquotes")));
            }
            _ => Value::Field(word.to_owned()),
        };
        Ok(At::new(node, span))
    }

    /// A name in backquotes after `this.`.
    pub(super) fn field_of_this(&mut self, this: Span) -> Read<At<Value>> {
        let TokenKind::Name(name) = &self.peek().kind else {
            return Err(self.expected("a field after `this.`"));
        };
        let value = Value::This(name.clone());
        self.take();
        Ok(At::new(value, Span::new(this.start, self.last_end())))
    }

    pub(super) fn relative(&mut self, base: Base, span: Span) -> Read<At<Value>> {
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
                    diagnostic(token.span, "this leads out of the calendar").help("count fewer")
                })?;
            let unit = self.unit(count)?;
            steps.push(Step {
                count: sign * count,
                unit,
            });
        }
    }

    pub(super) fn unit(&mut self, count: i32) -> Read<Unit> {
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
