//! Tags of templates in HTML that no template renders: `{{ post.title }}` and `{% for … %}` in Markdown are published as
//! text.

use std::ops::Range;

use memchr::memchr;

use crate::html::tokens::{Token, tags};

/// Returns the number of the first template tag outside of code among all that `html` has, from 0. Takes linear time, and
/// next to none if there is no tag.
#[must_use]
pub fn first_outside_code(html: &str) -> Option<usize> {
    openings(html).next()?;
    let first = texts_outside_code(html).into_iter().find_map(|range| {
        let text = &html[range.clone()];
        let found = openings(text).find(|at| is_tag(&text[*at..]))?;
        Some(range.start + found)
    })?;
    Some(openings(html).take_while(|at| *at < first).count())
}

/// Elements whose text is shown as it is written, or is not shown.
const CODE: [&str; 7] = ["code", "pre", "kbd", "samp", "script", "style", "textarea"];

/// Returns the byte ranges of the texts between tags that are not within code.
fn texts_outside_code(html: &str) -> Vec<Range<usize>> {
    let mut texts = Vec::new();
    let (mut open, mut done) = (0_usize, 0);
    for token in tags(html) {
        let (span, is_code) = match &token {
            Token::Text(_) => continue,
            Token::Comment(span) => (span, false),
            Token::Start(tag) => (&tag.span, CODE.contains(&&*tag.name)),
            Token::End { name, span } => (span, CODE.contains(&&**name)),
        };
        if open == 0 && span.start > done {
            texts.push(done..span.start);
        }
        match token {
            Token::Start(_) if is_code => open += 1,
            Token::End { .. } if is_code => open = open.saturating_sub(1),
            _ => {}
        }
        done = span.end.max(done);
    }
    if open == 0 && html.len() > done {
        texts.push(done..html.len());
    }
    texts
}

/// Returns the byte of the template tag of a number in a source text, from 0.
#[must_use]
pub fn nth(source: &str, number: usize) -> Option<usize> {
    openings(source).nth(number)
}

/// Returns the bytes at which `{{` or `{%` is, in order.
fn openings(text: &str) -> impl Iterator<Item = usize> {
    let mut at = 0;
    std::iter::from_fn(move || {
        while let Some(found) = memchr(b'{', &text.as_bytes()[at..]) {
            let start = at + found;
            at = start + 1;
            if let Some(b'{' | b'%') = text.as_bytes().get(start + 1) {
                at = start + 2;
                return Some(start);
            }
        }
        None
    })
}

/// Returns true if a text begins with a whole tag: a word, and the end of the tag in the same paragraph.
fn is_tag(text: &str) -> bool {
    let end = if text.starts_with("{{") { "}}" } else { "%}" };
    let Some(inner) = text[2..]
        .split(end)
        .next()
        .filter(|inner| inner.len() + 2 < text.len())
    else {
        return false;
    };
    let content = inner.trim_start_matches(['-', '+']);
    let is_name = content
        .trim_start()
        .starts_with(|c: char| c.is_alphabetic() || c == '_');
    // `{{a}}` is also of formulas.
    let is_apart = end == "%}"
        || content.starts_with(char::is_whitespace)
        || content.contains(['.', '|', '(']);
    is_name && is_apart && !inner.contains("\n\n")
}

#[cfg(test)]
mod tests {
    use super::*;
    use rstest::rstest;

    #[rstest]
    #[case::none("<p>a { b } c</p>", None)]
    #[case::value("<p>{{ post.title }}</p>", Some(0))]
    #[case::value_without_spaces("<p>{{post.title}}</p>", Some(0))]
    #[case::statement("<p>{% for post in posts %}</p>", Some(0))]
    #[case::trimmed("<p>{%- if a -%}</p>", Some(0))]
    #[case::in_code("<p><code>{{ post.title }}</code></p>", None)]
    #[case::in_a_block_of_code("<pre><code>{% for a in b %}</code></pre>", None)]
    #[case::in_a_script("<script>{{ a }}</script>", None)]
    #[case::in_a_comment("<!-- {{ a }} -->", None)]
    #[case::behind_code("<code>{{ a }} {% b %}</code> {{ c }}", Some(2))]
    #[case::behind_the_same_in_code("<code>{{ a }}</code> {{ a }}", Some(1))]
    #[case::a_formula("<p>{{a}} \\over {{b}}</p>", None)]
    #[case::not_closed("<p>{{ post.title</p>", None)]
    #[case::quotes("<p>{{ query(&quot;from posts&quot;) }}</p>", Some(0))]
    #[case::other_script("<p>é{{ é }}</p>", Some(0))]
    fn the_first_tag_that_is_published_is_found(
        #[case] html: &str,
        #[case] expected: Option<usize>,
    ) {
        assert_eq!(first_outside_code(html), expected);
    }

    #[test]
    fn a_tag_is_found_in_the_source_by_its_number() {
        assert_eq!(nth("`{{ a }}` and {% b %}", 1), Some(14));
        assert_eq!(nth("`{{ a }}`", 1), None);
    }
}
