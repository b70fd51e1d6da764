//! Tests that look into text.

use regex::RegexBuilder;

use super::super::ast::{At, Polarity, Search, Value};
use super::super::predicate::{Needle, Predicate, Side};
use super::super::scope::Parameter;
use super::super::words::kinds_text;
use super::Resolver;
use crate::diagnostic::Code;
use crate::source::Span;
use crate::value::Kind;

impl Resolver<'_> {
    pub(super) fn search(
        &mut self,
        left: &At<Value>,
        polarity: Polarity,
        search: Search,
        text: &At<Value>,
    ) -> Option<Predicate> {
        let (side, kinds) = self.left(left)?;
        let is_text = |kind: &Kind| matches!(kind, Kind::Text | Kind::Term);
        if !kinds.iter().any(is_text) {
            self.no_text(left, search, &kinds);
            return None;
        }
        let needle = self.needle(search, text, &kinds)?;
        Some(Predicate::Search(side, polarity, needle))
    }

    /// The diagnostic of a value that holds no text.
    fn no_text(&mut self, left: &At<Value>, search: Search, kinds: &[Kind]) {
        let holds = kinds_text(kinds);
        let message = format!(
            "`{}` holds {holds}, and `{search}` looks into text",
            left.node
        );
        let help = match kinds.contains(&Kind::Date) {
            true => "write `date in 2026-03`, or compare it with `=`, `<` or `>`",
            false => "compare it with `=`, `<` or `>`",
        };
        self.error(Code::InvalidType, left.span, message, help);
    }

    /// Returns the needle: a text, a number or date as it was written where terms are searched, or
    /// what the post of the page has.
    fn needle(&mut self, search: Search, text: &At<Value>, kinds: &[Kind]) -> Option<Needle> {
        let no_text = format!("`{search}` looks for a text");
        let needle = match &text.node {
            Value::Text(text) => text.clone(),
            Value::Number(_, written) | Value::Date(_, written) if kinds.contains(&Kind::Term) => {
                written.clone()
            }
            Value::Parameter(name) => match self.given(name, text.span)? {
                Parameter::Text(text) => text.clone(),
                Parameter::Number(number) => number.to_string(),
                Parameter::Missing => return Some(Needle::Missing),
                _ => return self.no_needle(Code::InvalidType, no_text, text),
            },
            Value::Field(_) | Value::This(_) if search != Search::Matches => {
                return match self.as_value(text)? {
                    (Side::This(field), _) => Some(Needle::Of(search, field)),
                    _ => {
                        let message = format!("{no_text}, and this is a field");
                        self.no_needle(Code::InvalidQuery, message, text)
                    }
                };
            }
            _ => return self.no_needle(Code::InvalidType, no_text, text),
        };
        match search {
            Search::Matches => self.pattern(&needle, text.span),
            _ => Some(Needle::Plain(
                search,
                search.folded(&self.prepared(&needle)).into_owned(),
            )),
        }
    }

    /// The diagnostic of something that cannot be looked for.
    fn no_needle(&mut self, code: Code, message: String, text: &At<Value>) -> Option<Needle> {
        let help = format!("put the text in quotes: '{}'", text.node);
        self.error(code, text.span, message, help);
        None
    }

    pub(super) fn pattern(&mut self, text: &str, span: Span) -> Option<Needle> {
        match RegexBuilder::new(text)
            .case_insensitive(true)
            .size_limit(1 << 20)
            .build()
        {
            Ok(pattern) => Some(Needle::Pattern(pattern)),
            Err(error) => {
                let shown = error.to_string();
                let why = shown.lines().last().unwrap_or_default();
                let why = why.trim_start_matches("error: ");
                self.error(
                    Code::QuerySyntax,
                    span,
                    format!("this is not a regular expression: {why}"),
                    "to find exactly this text, write `contains`",
                );
                None
            }
        }
    }
}
