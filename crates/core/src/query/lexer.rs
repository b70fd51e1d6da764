//! From a statement's text to tokens.

use super::{SyntaxError, diagnostic, foreign_syntax};
use crate::source::Span;
use crate::time::{DateError, DatePart, parse_part};

/// A token and its bytes in the statement.
#[derive(Debug, Clone, PartialEq)]
pub(super) struct Token {
    pub(super) kind: TokenKind,
    pub(super) span: Span,
}

#[derive(Debug, Clone, PartialEq)]
pub(super) enum TokenKind {
    /// A bare word: a keyword or a name.
    Word(String),
    /// A name in backquotes.
    Name(String),
    Text(String),
    Number(f64, String),
    Date(DatePart, String),
    Parameter(String),
    Sign(&'static str),
    End,
}

impl TokenKind {
    /// The token in words, for messages.
    pub(super) fn shown(&self) -> String {
        match self {
            TokenKind::Word(word) => format!("`{word}`"),
            TokenKind::Name(name) => format!("the name `{name}`"),
            TokenKind::Text(text) => format!("the text '{text}'"),
            TokenKind::Number(_, written) => format!("the number {written}"),
            TokenKind::Date(_, written) => format!("the date {written}"),
            TokenKind::Parameter(name) => format!("the parameter :{name}"),
            TokenKind::Sign(sign) => format!("`{sign}`"),
            TokenKind::End => "the end".to_owned(),
        }
    }
}

/// The longest signs come first. What is not of the language is read, so that the parser can
/// name the right form.
const SIGNS: [&str; 23] = [
    "<=>", "==", "!=", "<>", "<=", ">=", "&&", "||", "..", "=", "<", ">", "(", ")", ",", "+", "-",
    "!", "*", ";", "[", "]", ".",
];

/// The maximum number of tokens of a query.
const TOKENS: usize = 10_000;

/// Cuts `text` into tokens, the last of which is the end.
pub(super) fn tokens(text: &str) -> Result<Vec<Token>, SyntaxError> {
    let mut lexer = Lexer { text, at: 0 };
    let mut tokens = Vec::new();
    loop {
        let token = lexer.next()?;
        let done = token.kind == TokenKind::End;
        if tokens.len() == TOKENS && !done {
            let message = "this query has more than 10,000 words and signs";
            let help = "give these posts a front matter field of their own, and test that";
            return Err(diagnostic(token.span, message).help(help));
        }
        tokens.push(token);
        if done {
            return Ok(tokens);
        }
    }
}

struct Lexer<'a> {
    text: &'a str,
    at: usize,
}

impl<'a> Lexer<'a> {
    fn rest(&self) -> &'a str {
        &self.text[self.at..]
    }

    /// The token that ends before byte `end` of the rest.
    fn token(&mut self, kind: TokenKind, length: usize) -> Token {
        let span = Span::new(self.at, self.at + length);
        self.at += length;
        Token { kind, span }
    }

    fn next(&mut self) -> Result<Token, SyntaxError> {
        let blank = self.rest().len() - self.rest().trim_start().len();
        self.at += blank;
        let rest = self.rest();
        let Some(first) = rest.chars().next() else {
            return Ok(self.token(TokenKind::End, 0));
        };
        if first.is_ascii_digit() {
            return self.number_or_date();
        }
        if first.is_alphabetic() || first == '_' {
            let length = word_length(rest);
            return Ok(self.token(TokenKind::Word(rest[..length].to_owned()), length));
        }
        match first {
            '\'' | '"' => self.quoted(first, "text", TokenKind::Text),
            '`' => self.quoted(first, "name", TokenKind::Name),
            ':' => self.parameter(),
            _ => self.sign(),
        }
    }

    /// A text between two quotes, in which the quote itself is doubled.
    fn quoted(
        &mut self,
        quote: char,
        what: &str,
        kind: fn(String) -> TokenKind,
    ) -> Result<Token, SyntaxError> {
        let rest = self.rest();
        let mut inner = String::new();
        let mut chars = rest.char_indices().skip(1).peekable();
        while let Some((at, c)) = chars.next() {
            if c != quote {
                inner.push(c);
            } else if chars.next_if(|(_, next)| *next == quote).is_some() {
                inner.push(quote);
            } else {
                return Ok(self.token(kind(inner), at + 1));
            }
        }
        let span = Span::new(self.at, self.at + 1);
        Err(diagnostic(
            span,
            format!("this {what} is opened with {quote} and never closed"),
        )
        .help(format!(
            "close it with {quote}; within it, {quote} is written twice"
        )))
    }

    fn parameter(&mut self) -> Result<Token, SyntaxError> {
        let length = word_length(&self.rest()[1..]);
        if length == 0 {
            return Err(diagnostic(
                Span::new(self.at, self.at + 1),
                "a parameter's name follows `:`",
            )
            .help("a parameter is `:name`, without a space; to compare, write `tag = 'lime'`"));
        }
        let name = self.rest()[1..=length].to_owned();
        Ok(self.token(TokenKind::Parameter(name), length + 1))
    }

    fn sign(&mut self) -> Result<Token, SyntaxError> {
        let rest = self.rest();
        match SIGNS.iter().find(|sign| rest.starts_with(**sign)) {
            Some(sign) => Ok(self.token(TokenKind::Sign(sign), sign.len())),
            None => {
                let c = rest.chars().next().unwrap_or_default();
                let span = Span::new(self.at, self.at + c.len_utf8());
                Err(diagnostic(span, format!("`{c}` has no meaning in a query"))
                    .help(foreign_syntax::character(c)))
            }
        }
    }

    fn number_or_date(&mut self) -> Result<Token, SyntaxError> {
        let rest = self.rest();
        let digits = rest.bytes().take_while(u8::is_ascii_digit).count();
        let dated = rest[digits..].starts_with('-')
            && rest[digits + 1..].starts_with(|c: char| c.is_ascii_digit());
        if dated && digits == 4 {
            return self.date();
        }
        let fraction = match rest[digits..].strip_prefix('.') {
            Some(after) if after.starts_with(|c: char| c.is_ascii_digit()) => {
                1 + after.bytes().take_while(u8::is_ascii_digit).count()
            }
            _ => 0,
        };
        let length = digits + fraction;
        let written = &rest[..length];
        let after = rest[length..].chars().next();
        let glued = after.is_some_and(|c| c.is_alphabetic() || c == '_' || c == '/');
        if glued {
            let end = length + word_length(&rest[length..]).max(1);
            let slashes = after == Some('/');
            return Err(diagnostic(
                Span::new(self.at, self.at + end),
                "this is neither a number nor a date",
            )
            .help(if slashes {
                "dates are written 2026-03-14, 2026-03 or 2026"
            } else {
                "put a space after the number, or the whole in quotes if it is text"
            }));
        }
        let number = written.parse().unwrap_or(f64::NAN);
        Ok(self.token(TokenKind::Number(number, written.to_owned()), length))
    }

    fn date(&mut self) -> Result<Token, SyntaxError> {
        let rest = self.rest();
        let dotted = rest.find("..").unwrap_or(rest.len());
        let length = rest[..dotted]
            .bytes()
            .take_while(|b| b.is_ascii_alphanumeric() || matches!(b, b'-' | b':' | b'+' | b'.'))
            .count();
        let written = &rest[..length];
        let span = Span::new(self.at, self.at + length);
        match parse_part(written) {
            Ok(part) => Ok(self.token(TokenKind::Date(part, written.to_owned()), length)),
            Err(DateError::Form) => Err(diagnostic(span, format!("`{written}` is not a date")).help(
                "dates are written 2026-03-14, 2026-03, 2026 or 2026-03-14T09:00, months and days with two digits",
            )),
            Err(DateError::NotThere(why)) => {
                Err(diagnostic(span, format!("the date {written} does not exist: {why}")).help("months are 01 to 12, days 01 to 31"))
            }
        }
    }
}

/// Returns the length in bytes of the name at the start of `text`: letters, digits, `_`, dots between
/// names, and `-` between letters.
pub(super) fn word_length(text: &str) -> usize {
    let mut end = 0;
    let mut chars = text.char_indices().peekable();
    let mut before = None;
    while let Some((at, c)) = chars.next() {
        let next = chars.peek().map(|(_, next)| *next);
        let joins = match c {
            '-' => before.is_some_and(char::is_alphabetic) && next.is_some_and(char::is_alphabetic),
            '.' => before.is_some() && next.is_some_and(|n| n.is_alphabetic() || n == '_'),
            c => c.is_alphanumeric() || c == '_',
        };
        if !joins {
            break;
        }
        end = at + c.len_utf8();
        before = Some(c);
    }
    end
}
