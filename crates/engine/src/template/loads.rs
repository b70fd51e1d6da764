//! The templates that a template loads according to its text: by `include`, `extends`, `import`, `once` and
//! `card`. Used for hints and for cards, not for dependencies.

use std::collections::{BTreeMap, BTreeSet};

use tabulae_core::source::Source;

/// The template of `card`.
pub(super) const CARD: &str = "parts/card.html";

/// The templates that one loads.
#[derive(Debug, Default, PartialEq, Eq)]
pub(super) struct Loads<'a> {
    /// The names that are written out.
    pub(super) named: BTreeSet<&'a str>,
    /// Set if it loads one by a computed name, which may be any.
    pub(super) any: bool,
}

/// Returns the templates that a text loads itself.
pub(super) fn loads(text: &str) -> Loads<'_> {
    let mut loads = Loads::default();
    let tags = text.split("{%").skip(1).filter_map(|rest| {
        let tag = rest.split("%}").next()?.trim_start_matches(['-', '+']);
        let tag = tag.trim().trim_end_matches(['-', '+']);
        let (word, rest) = tag.split_at(tag.find(|c: char| !c.is_alphanumeric())?);
        ["include", "extends", "import", "from"]
            .contains(&word)
            .then_some(rest)
    });
    let calls = text.split("once(").skip(1);
    let parts = calls.filter_map(|rest| rest.split([',', ')']).next());
    for name in tags.chain(parts) {
        let bare = take_literals(name, &mut loads.named);
        loads.any |= !is_written_out(&bare);
    }
    if text.contains("card(") {
        loads.named.insert(CARD);
    }
    loads
}

/// The texts between quotes in an expression; what is left of it is returned.
fn take_literals<'a>(expression: &'a str, found: &mut BTreeSet<&'a str>) -> String {
    let (mut bare, mut rest) = (String::new(), expression);
    while let Some(start) = rest.find(['"', '\'']) {
        let quote = &rest[start..=start];
        let Some(length) = rest[start + 1..].find(quote) else {
            break;
        };
        let end = start + 1 + length;
        found.insert(&rest[start + 1..end]);
        bare.push_str(&rest[..start]);
        rest = &rest[end + 1..];
    }
    bare + rest
}

/// Returns true if a name is a literal: only separators are left of it.
fn is_written_out(bare: &str) -> bool {
    let ends = ["ignore", "import", "as", "with", "without"];
    let words = bare
        .split_whitespace()
        .take_while(|word| !ends.contains(word));
    // In `"a" if … else "b"` the condition names nothing.
    let mut in_condition = false;
    let mut name = words.filter(|word| {
        in_condition = (in_condition || *word == "if") && *word != "else";
        !in_condition && *word != "else"
    });
    name.all(|word| word.chars().all(|c| "[](),".contains(c)))
}

/// The templates that these load, themselves among them, whether they are there or not; `None` where
/// one of them may load any.
pub(super) fn reached<'a>(
    from: impl IntoIterator<Item = &'a str>,
    sources: &'a BTreeMap<String, Source>,
) -> Option<BTreeSet<&'a str>> {
    let mut found = BTreeSet::new();
    let mut open: Vec<&str> = from.into_iter().collect();
    while let Some(name) = open.pop() {
        if found.insert(name) {
            let loads = loads(sources.get(name).map_or("", Source::text));
            if loads.any {
                return None;
            }
            open.extend(loads.named);
        }
    }
    Some(found)
}

#[cfg(test)]
mod tests {
    use super::*;
    use rstest::rstest;

    #[rstest]
    #[case::include("a{% include \"x.html\" %}b", &["x.html"], false)]
    #[case::single_quotes("{%- extends 'x.html' -%}", &["x.html"], false)]
    #[case::import("{% from \"x.html\" import a, b %}{% import 'y.html' as y %}", &["x.html", "y.html"], false)]
    #[case::one_of_several("{% include [\"x.html\", \"y.html\"] ignore missing %}", &["x.html", "y.html"], false)]
    #[case::one_of_two("{% include \"x.html\" if a else \"y.html\" %}", &["x.html", "y.html"], false)]
    #[case::no_blank("{%include\"x.html\"%}", &["x.html"], false)]
    #[case::once("{{ once(\"x.html\", current=page.menu) }}", &["x.html"], false)]
    #[case::cards("{{ card(post) }}", &[CARD], false)]
    #[case::with_words_after("{% include \"x.html\" ignore missing with context %}", &["x.html"], false)]
    #[case::of_a_value("{% include kind %}", &[], true)]
    #[case::of_a_value_or("{% extends base or \"x.html\" %}", &["x.html"], true)]
    #[case::put_together("{% include \"parts/\" ~ kind ~ \".html\" %}", &[".html", "parts/"], true)]
    #[case::filtered("{% include \"x\"|replace(\"x\", \"y\") %}", &["x", "y"], true)]
    #[case::once_of_a_value("{{ once(part) }}", &[], true)]
    #[case::other_tags("{% if \"x.html\" %}{% set a = \"y.html\" %}{% endif %}", &[], false)]
    #[case::a_word_like_it("{% includes \"x.html\" %}", &[], false)]
    fn loads_of_a_text(#[case] text: &str, #[case] named: &[&str], #[case] any: bool) {
        let named = named.iter().copied().collect();
        assert_eq!(loads(text), Loads { named, any });
    }
}
