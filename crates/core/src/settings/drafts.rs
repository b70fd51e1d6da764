//! The rules by which posts are drafts: those of a content set's `draft`, or the default ones.

use crate::source::Spanned;

/// Words of `status` that exclude a post, in any case.
pub const DRAFT_WORDS: [&str; 4] = ["draft", "wip", "pending", "private"];

/// A rule by which a post is a draft. A post is one if any rule says so.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct DraftRule {
    /// The front matter key.
    pub key: String,
    /// The values that exclude a post.
    pub test: DraftTest,
}

/// The values of a key that exclude a post.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum DraftTest {
    /// `true`, or one of [`DRAFT_WORDS`].
    True,
    /// `false`, as of `published`.
    False,
    /// One of these words, in any case.
    In(Vec<String>),
}

impl DraftRule {
    /// Returns the rules of a content set that names none: `draft: true`, `published: false`, and words of
    /// `status`.
    #[must_use]
    pub fn default_rules() -> Vec<Self> {
        let words = DRAFT_WORDS.map(str::to_owned).into();
        let rules = [
            ("draft", DraftTest::True),
            ("published", DraftTest::False),
            ("status", DraftTest::In(words)),
        ];
        let rules = rules.map(|(key, test)| Self {
            key: key.to_owned(),
            test,
        });
        rules.into()
    }

    /// Reads a rule: `hidden`, `not published`, or `status in (idea, review)`. `None` if it has another form.
    #[must_use]
    pub fn parse(text: &str) -> Option<Self> {
        let rule = |key: &str, test| {
            let is_of_key = |c: char| c.is_alphanumeric() || matches!(c, '_' | '-' | '.');
            let fits = !key.is_empty() && key.chars().all(is_of_key);
            let key = key.to_owned();
            fits.then_some(Self { key, test })
        };
        let text = text.trim();
        if let Some(key) = text.strip_prefix("not ") {
            return rule(key.trim(), DraftTest::False);
        }
        let Some((key, list)) = text.split_once(" in ") else {
            return rule(text, DraftTest::True);
        };
        let list = list.trim().strip_prefix('(')?.strip_suffix(')')?;
        let words = list.split(',').map(|word| {
            let word = word.trim().trim_matches(['\'', '"']);
            (!word.is_empty()).then(|| word.to_lowercase())
        });
        let words: Vec<String> = words.collect::<Option<_>>()?;
        rule(key.trim(), DraftTest::In(words))
    }

    /// Returns the words that exclude a post.
    pub fn words(&self) -> impl Iterator<Item = &str> {
        let (own, default) = match &self.test {
            DraftTest::True => (&[][..], &DRAFT_WORDS[..]),
            DraftTest::False => (&[][..], &[][..]),
            DraftTest::In(words) => (&words[..], &[][..]),
        };
        own.iter()
            .map(String::as_str)
            .chain(default.iter().copied())
    }
}

/// Returns the rules of a content set by its fields.
pub(super) fn rules(fields: &[(String, Vec<Spanned<String>>)]) -> Vec<DraftRule> {
    let own = fields.iter().find(|(field, _)| field == "draft");
    match own {
        Some((_, texts)) => texts
            .iter()
            .filter_map(|text| DraftRule::parse(&text.node))
            .collect(),
        None => DraftRule::default_rules(),
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use rstest::rstest;

    #[rstest]
    #[case::key("hidden", Some(("hidden", DraftTest::True)))]
    #[case::within("info.hidden", Some(("info.hidden", DraftTest::True)))]
    #[case::turned(" not  published ", Some(("published", DraftTest::False)))]
    #[case::words("status in (Idea, 'under review')", Some(("status", DraftTest::In(vec!["idea".to_owned(), "under review".to_owned()]))))]
    #[case::equals("status = wip", None)]
    #[case::no_list("status in wip", None)]
    #[case::empty_list("status in ()", None)]
    #[case::empty("", None)]
    #[case::two_words("is hidden", None)]
    fn a_rule_is_read(#[case] text: &str, #[case] expected: Option<(&str, DraftTest)>) {
        let expected = expected.map(|(key, test)| DraftRule {
            key: key.to_owned(),
            test,
        });
        assert_eq!(DraftRule::parse(text), expected);
    }
}
