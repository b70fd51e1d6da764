//! The block tags of a template: which one is not closed, or is closed by another.

use std::collections::BTreeSet;

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
    for (word, content, span) in tags(text) {
        match word.strip_prefix("end") {
            Some(name) => match open.pop() {
                Some((opened, _)) if opened != name => {
                    let (word, end) = (opened, word);
                    return Some(Unclosed::ByAnother { word, end, span });
                }
                _ => {}
            },
            None if BLOCKS.contains(&word) && !(word == "set" && content.contains('=')) => {
                open.push((word, span));
            }
            None => {}
        }
    }
    let (word, span) = open.pop()?;
    Some(Unclosed::AtTheEnd { word, span })
}

/// Returns the names that tags of a template may bind: of loops, values that are set, macros and imports.
pub(super) fn bound_names(text: &str) -> BTreeSet<&str> {
    let binds = ["for", "set", "macro", "with", "import", "from", "call"];
    let tags = tags(text).filter(|(word, ..)| binds.contains(word));
    let names = tags.flat_map(|(word, content, _)| {
        let content = match content.split_once(" in ") {
            Some((names, _)) if word == "for" => names,
            _ => content,
        };
        content.split(|c: char| !c.is_alphanumeric() && c != '_')
    });
    names.filter(|name| !name.is_empty()).collect()
}

/// Returns true if a text in quotes is not closed before the template ends.
pub(super) fn has_open_quote(text: &str) -> bool {
    let Some((_, content, _)) = tags(text).last().filter(|(word, ..)| *word != "#") else {
        return false;
    };
    let mut quote = None;
    let mut chars = content.chars();
    while let Some(c) = chars.next() {
        match quote {
            Some(_) if c == '\\' => {
                chars.next();
            }
            Some(open) if c == open => quote = None,
            None if c == '"' || c == '\'' => quote = Some(c),
            _ => {}
        }
    }
    quote.is_some()
}

/// Text that is dropped, as the template extends another.
#[derive(Debug, PartialEq, Eq)]
pub(super) enum Dropped<'a> {
    /// The text is in no block.
    Text(Span),
    /// The extended template does not have the block.
    Block(&'a str, Span),
}

/// Returns the template that a template extends, if its name is written out.
pub(super) fn extended(text: &str) -> Option<&str> {
    let (word, content, _) = tags(text).next()?;
    let name = content.strip_prefix(word)?.trim().strip_suffix("%}")?;
    let name = name.trim_end_matches(['-', '+']).trim();
    let name = name
        .strip_prefix('"')
        .and_then(|name| name.strip_suffix('"'))
        .or_else(|| {
            name.strip_prefix('\'')
                .and_then(|name| name.strip_suffix('\''))
        })?;
    (word == "extends").then_some(name)
}

/// Returns the names of the blocks of a template, with the tag of each.
pub(super) fn blocks(text: &str) -> impl Iterator<Item = (&str, Span)> {
    let blocks = tags(text).filter(|(word, ..)| *word == "block");
    blocks.filter_map(|(word, content, span)| {
        let rest = content.strip_prefix(word)?.trim_start();
        let end = rest.find(|c: char| !c.is_alphanumeric() && c != '_');
        Some((&rest[..end.unwrap_or(rest.len())], span))
    })
}

/// Returns the queries that a template has as texts, as the first argument of the function `query`: the bytes between the
/// quotes. Those with a backslash are left out.
pub(super) fn queries(text: &str) -> impl Iterator<Item = Span> {
    let tags = tags(text).filter(|(word, ..)| *word != "#");
    tags.flat_map(move |(_, _, tag)| {
        let inside = &text[tag.start..tag.end];
        let calls = inside.match_indices("query");
        calls.filter_map(move |(at, name)| {
            let is_name =
                !inside[..at].ends_with(|c: char| c.is_alphanumeric() || "_.".contains(c));
            let rest = inside[at + name.len()..].trim_start().strip_prefix('(')?;
            let rest = rest.trim_start();
            let quote = rest.chars().next().filter(|c| ['"', '\''].contains(c))?;
            let query = &rest[1..1 + rest[1..].find(quote)?];
            let start = tag.start + (inside.len() - rest.len()) + 1;
            let span = Span::new(start, start + query.len());
            (is_name && !query.contains('\\')).then_some(span)
        })
    })
}

/// Returns what a template that extends another drops first. `is_known` returns true for the blocks that the extended
/// templates have.
pub(super) fn dropped<'a>(text: &'a str, is_known: &dyn Fn(&str) -> bool) -> Option<Dropped<'a>> {
    // The text of these is kept: by a block of the extended template, or as a value.
    const KEPT: [&str; 4] = ["block", "macro", "set", "call"];
    let (mut depth, mut done) = (0_usize, 0);
    let visible = |from: usize, to: usize| {
        let text = text.get(from..to)?;
        let start = from + text.len() - text.trim_start().len();
        let line = text.trim().lines().next().filter(|line| !line.is_empty())?;
        Some(Dropped::Text(Span::new(start, start + line.len())))
    };
    for (word, content, span) in tags(text) {
        if depth == 0
            && let Some(found) = visible(done, span.start)
        {
            return Some(found);
        }
        done = span.end;
        let opens = KEPT.contains(&word) && !(word == "set" && content.contains('='));
        match word.strip_prefix("end") {
            Some(name) if KEPT.contains(&name) => depth = depth.saturating_sub(1),
            None if opens => {
                if depth == 0 && word == "block" {
                    let name = blocks(&text[span.start..span.end]).next();
                    let name = name.map_or("", |(name, _)| name);
                    if !is_known(name) {
                        return Some(Dropped::Block(name, span));
                    }
                }
                depth += 1;
            }
            // A value, or a part.
            None if depth == 0 && matches!(word, "" | "include") => {
                return Some(Dropped::Text(span));
            }
            _ => {}
        }
    }
    if depth == 0 {
        visible(done, text.len())
    } else {
        None
    }
}

/// Returns the tags of a template, comments among them with the word `#`: the first word, what is in the tag, and the tag.
/// A value has no word. What is in `raw` is passed over.
fn tags(text: &str) -> impl Iterator<Item = (&str, &str, Span)> {
    let mut at = 0;
    let mut is_raw = false;
    std::iter::from_fn(move || {
        while let Some(found) = text[at..].find('{') {
            let start = at + found;
            let inside = start + 2;
            let kind = text.as_bytes().get(start + 1).copied();
            at = match kind {
                Some(b'#') if !is_raw => end_of(text, inside, "#}"),
                Some(b'{') if !is_raw => inside + tag(&text[inside..], "}}").0,
                Some(b'%') if is_raw => end_of(text, inside, "%}"),
                Some(b'%') => inside + tag(&text[inside..], "%}").0,
                _ => {
                    at = start + 1;
                    continue;
                }
            };
            let span = Span::new(start, at);
            let content = text[inside..at].trim_start_matches(['-', '+']).trim_start();
            let word = match kind {
                Some(b'%') => content
                    .find(|c: char| !c.is_alphabetic())
                    .map_or(content, |end| &content[..end]),
                Some(b'#') => "#",
                _ => "",
            };
            if is_raw && word != "endraw" {
                continue;
            }
            is_raw = word == "raw";
            return Some((word, content, span));
        }
        None
    })
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
    #[case::none("query(\"from posts\") {# {{ query('a') }} #}", &[])]
    #[case::value("{{ query(\"from posts where tag = 'x'\") }}", &["from posts where tag = 'x'"])]
    #[case::statement("{%- for a in query( 'from a' ) + query(\"from b\", x = 1) %}", &["from a", "from b"])]
    #[case::of_others("{{ a.query('x') }}{{ subquery('x') }}{{ query }}{{ query(name) }}", &[])]
    #[case::raw("{% raw %}{{ query('x') }}{% endraw %}{{ query('y') }}", &["y"])]
    #[case::open("{{ query('x", &[])]
    #[case::escaped("{{ query('it\\'s') }}", &[])]
    fn queries_are_found(#[case] text: &str, #[case] expected: &[&str]) {
        let found: Vec<&str> = queries(text)
            .map(|span| &text[span.start..span.end])
            .collect();
        assert_eq!(found, expected);
    }

    #[rstest]
    #[case::in_a_block("{% extends \"a\" %}\n{% block main %}x{% endblock %}\n", None)]
    #[case::behind(
        "{% extends \"a\" %}\n{% block main %}x{% endblock %}\n <p>x",
        Some("<p>x")
    )]
    #[case::before_the_block("{% extends \"a\" %}x{% block main %}x{% endblock %}", Some("x"))]
    #[case::a_value("{% extends \"a\" %}\n{{ x }}", Some("{{ x }}"))]
    #[case::a_part("{% extends \"a\" %}{% include \"b\" %}", Some("{% include \"b\" %}"))]
    #[case::in_a_loop("{% extends \"a\" %}{% for a in b %}x{% endfor %}", Some("x"))]
    #[case::another_block(
        "{% extends \"a\" %}{% block other %}x{% endblock %}",
        Some("{% block other %}")
    )]
    #[case::a_block_in_a_block(
        "{% extends \"a\" %}{% block main %}{% block own %}x{% endblock %}{% endblock %}",
        None
    )]
    #[case::a_value_that_is_set("{% extends \"a\" %}{% set a = 1 %}{% set b %}x{% endset %}", None)]
    #[case::a_macro("{% extends \"a\" %}{% macro m() %}x{% endmacro %}", None)]
    #[case::a_comment("{% extends \"a\" %}{# x #}", None)]
    #[case::import("{% extends \"a\" %}{% from \"b\" import c %}", None)]
    fn what_is_dropped_is_found(#[case] text: &str, #[case] expected: Option<&str>) {
        let found = dropped(text, &|name| name == "main").map(|found| match found {
            Dropped::Text(span) | Dropped::Block(_, span) => &text[span.start..span.end],
        });
        assert_eq!(found, expected);
    }

    #[rstest]
    #[case("{% extends \"base.html\" %}", Some("base.html"))]
    #[case("\n{%- extends 'base.html' -%}", Some("base.html"))]
    #[case("{% extends name %}", None)]
    #[case("{% include \"base.html\" %}", None)]
    #[case("text", None)]
    fn the_extended_template_is_named(#[case] text: &str, #[case] expected: Option<&str>) {
        assert_eq!(extended(text), expected);
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

    #[rstest]
    #[case::closed("{{ 'a' }} it's", false)]
    #[case::open("{{ 'a }}\n<p>", true)]
    #[case::in_a_statement("{% if x == \"a %}b{% endif %}", true)]
    #[case::escaped("{{ 'a\\'b' }}", false)]
    #[case::the_other_kind("{{ \"it's\" }}", false)]
    #[case::a_comment("{# it's #}", false)]
    #[case::raw("{% raw %}{{ ' {% endraw %}", false)]
    fn open_quotes_are_found(#[case] text: &str, #[case] expected: bool) {
        assert_eq!(has_open_quote(text), expected);
    }
}
