//! Tests that look into text.

use regex::RegexBuilder;

use super::super::ast::{At, Polarity, Search, Value};
use super::super::check::{Check, Needle, Side};
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
    ) -> Option<Check> {
        let (side, kinds) = self.left(left)?;
        if !kinds
            .iter()
            .any(|kind| matches!(kind, Kind::Text | Kind::Term))
        {
            self.error(
                Code::TypeUnfit,
                left.span,
                format!(
                    "`{}` holds {}, and `{search}` looks into text",
                    left.node,
                    kinds_text(&kinds)
                ),
                if kinds.contains(&Kind::Date) {
                    "write `date in 2026-03`, or compare it with `=`, `<` or `>`"
                } else {
                    "compare it with `=`, `<` or `>`"
                },
            );
            return None;
        }
        let needle = match &text.node {
            Value::Text(text) => Some(text.clone()),
            Value::Number(_, written) | Value::Date(_, written) if kinds.contains(&Kind::Term) => {
                Some(written.clone())
            }
            Value::Parameter(name) => match self
                .scope
                .parameters
                .iter()
                .find(|(known, _)| known == name)
            {
                Some((_, Parameter::Text(text))) => Some(text.clone()),
                Some((_, Parameter::Number(number))) => Some(number.to_string()),
                Some((_, Parameter::Missing)) => {
                    return Some(Check::Search(side, polarity, Needle::Missing));
                }
                _ => None,
            },
            Value::Field(_) | Value::This(_) if search != Search::Matches => {
                let (right, _) = self.as_value(text)?;
                return match right {
                    Side::This(field) => {
                        Some(Check::Search(side, polarity, Needle::Of(search, field)))
                    }
                    _ => {
                        self.error(
                            Code::QueryUnfit,
                            text.span,
                            format!("`{search}` looks for a text, and this is a field"),
                            format!("put the text in quotes: '{}'", text.node),
                        );
                        None
                    }
                };
            }
            _ => None,
        };
        let Some(needle) = needle else {
            self.error(
                Code::TypeUnfit,
                text.span,
                format!("`{search}` looks for a text"),
                format!("put the text in quotes: '{}'", text.node),
            );
            return None;
        };
        let needle = match search {
            Search::Matches => self.pattern(&needle, text.span)?,
            _ => Needle::Plain(search, search.folded(&needle).into_owned()),
        };
        Some(Check::Search(side, polarity, needle))
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
                let why = shown
                    .lines()
                    .last()
                    .unwrap_or_default()
                    .trim_start_matches("error: ")
                    .to_owned();
                self.error(
                    Code::QueryUnreadable,
                    span,
                    format!("this is not a regular expression: {why}"),
                    "to find the text as it stands, write `contains`",
                );
                None
            }
        }
    }
}
