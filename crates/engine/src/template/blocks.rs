//! The block tags of a template: which one is not closed, or is closed by another.

use tabulae_core::source::Span;

use super::limits::tag;

/// A block tag without its end.
#[derive(Debug, PartialEq, Eq)]
pub(super) enum Unclosed<'a> {
    /// The text ends before the tag is closed.
    AtTheEnd {
        /// The word of the tag, such as `for`.
        word: &'a str,
        /// The tag.
        span: Span,
    },
    /// The end of another tag comes first.
    ByAnother {
        /// The word of the tag, such as `for`.
        word: &'a str,
        /// The end that comes first, such as `endif`.
        end: &'a str,
        /// The tag of that end.
        span: Span,
    },
}

/// The words of tags that have an end.
const BLOCKS: [&str; 10] = [
    "for",
    "if",
    "block",
    "with",
    "macro",
    "call",
    "filter",
    "autoescape",
    "raw",
    "set",
];

/// Returns the innermost block tag that is not closed, or the first that is closed by the end of another. Takes time in
/// proportion to the text.
pub(super) fn unclosed(text: &str) -> Option<Unclosed<'_>> {
    let mut open: Vec<(&str, Span)> = Vec::new();
    let mut at = 0;
    while let Some(found) = text[at..].find('{') {
        let start = at + found;
        let inside = start + 2;
        let is_raw = open.last().is_some_and(|(word, _)| *word == "raw");
        at = match text.as_bytes().get(start + 1) {
            Some(b'#') if !is_raw => end_of(text, inside, "#}"),
            Some(b'{') if !is_raw => inside + tag(&text[inside..], "}}").0,
            Some(b'%') if is_raw => end_of(text, inside, "%}"),
            Some(b'%') => inside + tag(&text[inside..], "%}").0,
            _ => start + 1,
        };
        if text.as_bytes().get(start + 1) != Some(&b'%') {
            continue;
        }
        let span = Span::new(start, at);
        let content = text[inside..at].trim_start_matches(['-', '+']).trim_start();
        let word = content
            .find(|c: char| !c.is_alphabetic())
            .map_or(content, |end| &content[..end]);
        match word.strip_prefix("end") {
            Some(name) if !is_raw || name == "raw" => match open.pop() {
                Some((opened, _)) if opened != name => {
                    return Some(Unclosed::ByAnother {
                        word: opened,
                        end: word,
                        span,
                    });
                }
                _ => {}
            },
            None if !is_raw
                && BLOCKS.contains(&word)
                && !(word == "set" && content.contains('=')) =>
            {
                open.push((word, span));
            }
            _ => {}
        }
    }
    let (word, span) = open.pop()?;
    Some(Unclosed::AtTheEnd { word, span })
}

/// Returns the place after the next `end`, or the end of the text.
fn end_of(text: &str, from: usize, end: &str) -> usize {
    text[from..]
        .find(end)
        .map_or(text.len(), |found| from + found + end.len())
}

#[cfg(test)]
mod tests {
    use super::*;
    use rstest::rstest;

    /// The word and the line of what is not closed, and the end that closes it.
    fn found(text: &str) -> Option<(&str, usize, Option<&str>)> {
        let line = |span: Span| 1 + text[..span.start].matches('\n').count();
        Some(match unclosed(text)? {
            Unclosed::AtTheEnd { word, span } => (word, line(span), None),
            Unclosed::ByAnother { word, end, span } => (word, line(span), Some(end)),
        })
    }

    #[rstest]
    #[case::all_closed("{% for a in b %}{% if a %}x{% endif %}{% endfor %}", None)]
    #[case::a_loop("a\n{% for a in b %}\n{{ a }}", Some(("for", 2, None)))]
    #[case::the_inner_one("{% for a in b %}\n{% if a %}\n{{ a }}", Some(("if", 2, None)))]
    #[case::the_outer_one("{% for a in b %}\n{% if a %}x{% endif %}", Some(("for", 1, None)))]
    #[case::crossed("{% for a in b %}\n{% if a %}\n{% endfor %}", Some(("if", 3, Some("endfor"))))]
    #[case::in_a_comment("{# {% for a in b %} #}", None)]
    #[case::in_a_text("{{ \"{% for a in b %}\" }}", None)]
    #[case::raw("{% raw %}{% for a in b %}{% endraw %}", None)]
    #[case::raw_is_open("{% raw %}{% endfor %}", Some(("raw", 1, None)))]
    #[case::a_value("{% set a = 1 %}", None)]
    #[case::a_captured_value("{% set a %}x", Some(("set", 1, None)))]
    #[case::trimmed("{%- for a in b -%}x", Some(("for", 1, None)))]
    #[case::breaks_off("{% for", Some(("for", 1, None)))]
    #[case::other_script("é{% if x %}é", Some(("if", 1, None)))]
    fn what_is_not_closed_is_found(
        #[case] text: &str,
        #[case] expected: Option<(&str, usize, Option<&str>)>,
    ) {
        assert_eq!(found(text), expected);
    }
}
