//! The table of contents of a text: its headings, each with those below it.

use minijinja::{Value, context};
use tabulae_core::html::{Heading, headings};

/// Returns the headings of some HTML as a tree: a heading is below the last one before it of a higher rank.
#[must_use]
pub(crate) fn toc(html: &str) -> Value {
    tree(&headings(html))
}

fn tree(headings: &[Heading]) -> Value {
    let mut entries = Vec::new();
    let mut rest = headings;
    while let Some((first, after)) = rest.split_first() {
        let below = after
            .iter()
            .take_while(|heading| heading.level > first.level);
        let (below, others) = after.split_at(below.count());
        entries.push(context! {
            title => first.text.as_str(),
            id => first.id.as_str(),
            link => format!("#{}", first.id),
            level => first.level,
            below => tree(below),
        });
        rest = others;
    }
    entries.into()
}

#[cfg(test)]
mod tests {
    use super::*;
    use rstest::rstest;

    fn shown(toc: &Value) -> String {
        let entries = toc.try_iter().unwrap();
        let shown = entries.map(|entry| {
            let below = shown(&entry.get_attr("below").unwrap());
            format!("{}{}", entry.get_attr("title").unwrap(), below)
        });
        let shown: Vec<String> = shown.collect();
        match shown.is_empty() {
            true => String::new(),
            false => format!("({})", shown.join(" ")),
        }
    }

    #[rstest]
    #[case::none("<p>x</p>", "")]
    #[case::flat("22", "(a b)")]
    #[case::below("2332", "(a(b c) d)")]
    #[case::two_levels_down("24", "(a(b))")]
    #[case::lower_first("32", "(a b)")]
    #[case::deep("2343", "(a(b(c) d))")]
    fn headings_are_a_tree(#[case] levels: &str, #[case] expected: &str) {
        let headings = levels.chars().filter(char::is_ascii_digit).zip('a'..);
        let html: String = headings
            .map(|(level, name)| format!("<h{level} id=\"{name}\">{name}</h{level}>"))
            .collect();
        assert_eq!(shown(&toc(&html)), expected);
    }
}
