//! The front matter keys that queries and templates name.

use tabulae_core::settings::Settings;
use tabulae_core::source::EmbeddedText;

use super::Page;
use super::query_traits::queries;

/// The texts of queries and templates, in which keys are looked for.
pub(super) struct UsedKeys<'a>(Vec<&'a str>);

impl<'a> UsedKeys<'a> {
    /// Gathers the queries and fields of the settings, the site's own templates and its pages.
    pub(super) fn of(
        settings: &'a Settings,
        templates: &'a [(String, String)],
        pages: &'a [Page],
    ) -> Self {
        let archives = settings.archives.iter();
        let fields = archives.flat_map(|archive| archive.by.iter().chain(&archive.group));
        let exports = settings.exports.iter();
        let exported = exports.flat_map(|export| &export.fields);
        let fields = fields.chain(exported).map(|name| name.node.as_str());
        let queries = queries(settings).map(EmbeddedText::text);
        let templates = templates.iter().map(|(_, text)| text.as_str());
        let pages = pages.iter().filter_map(|page| page.template.as_deref());
        let texts = fields.chain(queries).chain(templates);
        Self(texts.chain(pages).collect())
    }

    /// Returns true if a text has the key as a whole word.
    pub(super) fn has(&self, key: &str) -> bool {
        let is_of_word = |c: char| c.is_alphanumeric() || c == '_';
        self.0.iter().any(|text| {
            text.match_indices(key).any(|(at, found)| {
                let before = text[..at].chars().next_back();
                let after = text[at + found.len()..].chars().next();
                !before.is_some_and(is_of_word) && !after.is_some_and(is_of_word)
            })
        })
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use rstest::rstest;

    #[rstest]
    #[case::in_a_template("{{ post.hours }}", true)]
    #[case::in_a_query("where hours > 3", true)]
    #[case::part_of_a_word("{{ post.opening_hours }}", false)]
    #[case::another_case("{{ post.Hours }}", false)]
    fn a_key_is_a_whole_word(#[case] text: &str, #[case] expected: bool) {
        assert_eq!(UsedKeys(vec!["x", text]).has("hours"), expected);
    }
}
