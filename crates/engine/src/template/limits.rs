//! Limits of templates, so that none overflows the stack, fills the memory or runs for ever.

use std::thread;

use minijinja::{Environment, Error, ErrorKind};
use tabulae_core::source::Span;

/// The maximum depth of templates that load each other by `once` and `card`.
const PARTS: usize = 16;

/// The maximum number of tokens (words, numbers, texts, signs) in one `{{ … }}` or `{% … %}`.
pub(super) const TOKENS: usize = 10_000;

/// The work that a template may do for one page, in the engine's units of about 64 bytes of data or one
/// instruction, on a site without posts.
const FUEL: u64 = 4_000_000;

/// Added to [`FUEL`] for each post of the site: a page that lists all posts needs some hundreds for each.
const FUEL_OF_A_POST: u64 = 1_000;

/// The maximum nesting depth of includes, macros and loops, in the engine's units. With [`PARTS`] it
/// fits the stacks of the threads of a build, also without optimisation.
pub(super) const RECURSION: usize = 150;

/// The stack for compiling templates whose expressions are nested deep, in bytes.
const STACK: usize = 256 << 20;

/// The limits of one output.
#[derive(Debug, Clone, Copy)]
pub(super) struct Limits {
    /// The work that its templates may do, in the engine's units.
    pub(super) fuel: u64,
    /// The maximum depth of templates that load each other by `once` and `card`.
    pub(super) parts: usize,
}

impl Limits {
    /// Returns the limits for a site with this number of posts.
    pub(super) fn of_site(posts: usize) -> Self {
        Self {
            fuel: FUEL.saturating_add(FUEL_OF_A_POST.saturating_mul(posts as u64)),
            parts: PARTS,
        }
    }
}

/// Adds a template whose longest tag has `tokens` tokens. Its syntax tree is as deep as its longest chain of
/// operators.
///
/// # Errors
/// Where it is not well formed.
pub(super) fn add_template(
    env: &mut Environment<'static>,
    name: &str,
    text: &str,
    tokens: usize,
) -> Result<(), Error> {
    let mut add = || env.add_template_owned(name.to_owned(), text.to_owned());
    if tokens <= 200 {
        return add();
    }
    thread::scope(|scope| {
        let large = thread::Builder::new().stack_size(STACK);
        let failed = |why: String| Error::new(ErrorKind::InvalidOperation, why);
        match large.spawn_scoped(scope, add) {
            Ok(added) => added
                .join()
                .unwrap_or_else(|_| Err(failed("a panic".to_owned()))),
            Err(error) => Err(failed(format!(
                "no thread can be had to compile it: {error}"
            ))),
        }
    })
}

/// Returns the tag of a template that has the most tokens, and how many; `None` if it has no tag.
pub(super) fn longest_tag(text: &str) -> Option<(Span, usize)> {
    let mut longest = None;
    let mut at = 0;
    while let Some(found) = text[at..].find("{") {
        let start = at + found;
        let end = match text.as_bytes().get(start + 1) {
            Some(b'{') => "}}",
            Some(b'%') => "%}",
            _ => {
                at = start + 1;
                continue;
            }
        };
        let (length, tokens) = tag(&text[start + 2..], end);
        at = start + 2 + length;
        if longest.is_none_or(|(_, most)| tokens > most) {
            longest = Some((Span::new(start, at), tokens));
        }
    }
    longest
}

/// Returns the length of a tag's inside with its `end`, and its number of tokens.
pub(super) fn tag(text: &str, end: &str) -> (usize, usize) {
    let (mut at, mut tokens) = (0, 0);
    while let Some(c) = text[at..].chars().next() {
        if text[at..].starts_with(end) {
            return (at + end.len(), tokens);
        }
        let rest = &text[at + c.len_utf8()..];
        at += c.len_utf8();
        match c {
            c if c.is_whitespace() => continue,
            '"' | '\'' => at += after_quote(rest, c),
            c if is_of_word(c) => at += rest.find(|c| !is_of_word(c)).unwrap_or(rest.len()),
            _ => {}
        }
        tokens += 1;
    }
    (at, tokens)
}

fn is_of_word(c: char) -> bool {
    c.is_alphanumeric() || c == '_'
}

/// Returns the length of a text in quotes without the first quote.
fn after_quote(text: &str, quote: char) -> usize {
    let mut is_escaped = false;
    for (at, c) in text.char_indices() {
        if c == quote && !is_escaped {
            return at + 1;
        }
        is_escaped = c == '\\' && !is_escaped;
    }
    text.len()
}

#[cfg(test)]
mod tests {
    use super::*;
    use rstest::rstest;

    #[rstest]
    #[case::none("a { b } c", None)]
    #[case::value("a {{ b.c|d(1, \"x }} y\") }} e", Some((2, 10)))]
    #[case::statement("{% if a_b == 'it\\'s' %}", Some((0, 5)))]
    #[case::the_longest("{{ a }}{{ b + c }}", Some((7, 3)))]
    #[case::open("{{ a + ", Some((0, 2)))]
    fn tokens_are_counted(#[case] text: &str, #[case] expected: Option<(usize, usize)>) {
        let found = longest_tag(text).map(|(span, tokens)| (span.start, tokens));
        assert_eq!(found, expected);
    }
}
