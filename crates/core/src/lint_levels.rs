//! Lint levels: which warnings are errors (denied), and which are left out (allowed).

use std::collections::BTreeSet;

use crate::diagnostic::{Code, Diagnostic, Diagnostics, Severity, nearest};

/// The lint levels of all codes: denied, allowed, or as they are.
#[derive(Debug, Clone, Default, PartialEq, Eq)]
pub struct LintLevels {
    deny_all: bool,
    denied: BTreeSet<Code>,
    allowed: BTreeSet<Code>,
}

/// The word for every code but `post-published` and `post-withdrawn`, which are denied by their names alone.
pub const ALL: &str = "all";

/// Codes that are denied only by their names, as most builds are for this.
const BY_NAME: [Code; 2] = [Code::PostPublished, Code::PostWithdrawn];

impl LintLevels {
    /// Makes findings of a code errors, or of every code that is not allowed by its name.
    ///
    /// # Errors
    /// Where there is no such code: what to do.
    pub fn deny(&mut self, name: &str) -> Result<(), String> {
        if name == ALL {
            self.deny_all = true;
            return Ok(());
        }
        let code = code(name)?;
        self.allowed.remove(&code);
        self.denied.insert(code);
        Ok(())
    }

    /// Leaves findings of a code out. What keeps a build from being written is never left out.
    ///
    /// # Errors
    /// Where there is no such code: what to do.
    pub fn allow(&mut self, name: &str) -> Result<(), String> {
        let code = code(name)?;
        self.denied.remove(&code);
        self.allowed.insert(code);
        Ok(())
    }

    /// Returns these levels with others, such as those of the command line, which come after them.
    #[must_use]
    pub fn with(mut self, others: &Self) -> Self {
        self.deny_all |= others.deny_all;
        for code in &others.denied {
            self.allowed.remove(code);
            self.denied.insert(*code);
        }
        for code in &others.allowed {
            self.denied.remove(code);
            self.allowed.insert(*code);
        }
        self
    }

    /// Returns true if warnings of a code are errors.
    #[must_use]
    pub fn denies(&self, code: Code) -> bool {
        let by_all = self.deny_all && !BY_NAME.contains(&code);
        (by_all || self.denied.contains(&code)) && !self.allows(code)
    }

    /// Returns true if warnings of a code are left out.
    #[must_use]
    pub fn allows(&self, code: Code) -> bool {
        self.allowed.contains(&code)
    }

    /// The findings that count, the denied ones as errors.
    #[must_use]
    pub fn of(&self, found: Diagnostics) -> Diagnostics {
        let counts =
            |diagnostic: &Diagnostic| diagnostic.is_error() || !self.allows(diagnostic.code);
        let found = found.into_iter().filter(counts);
        found
            .map(|diagnostic| match self.denies(diagnostic.code) {
                true => Diagnostic {
                    severity: Severity::Error,
                    ..diagnostic
                },
                false => diagnostic,
            })
            .collect()
    }
}

fn code(name: &str) -> Result<Code, String> {
    let names = || Code::ALL.iter().map(|code| code.name());
    if let Some(found) = Code::ALL.iter().find(|code| code.name() == name) {
        return Ok(*found);
    }
    if let Some((_, now)) = FORMER.iter().find(|(former, _)| *former == name) {
        return Err(format!("this code is called `{}` now", now.name()));
    }
    Err(match nearest(name, names()) {
        Some(near) => format!("did you mean `{near}`?"),
        None => "write the code that is in brackets after a diagnostic, such as `single-post-term`"
            .into(),
    })
}

/// Names of codes before they were renamed, for the message that gives the new name.
const FORMER: &[(&str, Code)] = &[
    ("address-taken", Code::AddressConflict),
    ("address-unreadable", Code::InvalidAddress),
    ("content-empty", Code::EmptyContent),
    ("content-missing", Code::MissingContent),
    ("date-missing", Code::MissingDate),
    ("date-odd", Code::ImplausibleDate),
    ("date-unreadable", Code::InvalidDate),
    ("feed-empty", Code::EmptyFeed),
    ("feed-id-guessed", Code::GuessedFeedId),
    ("feed-id-taken", Code::DuplicateFeedId),
    ("field-unfit", Code::FieldTypeMismatch),
    ("field-unknown", Code::UnknownField),
    ("file-foreign", Code::ForeignFile),
    ("file-stray", Code::StrayFile),
    ("file-unreadable", Code::UnreadableFile),
    ("file-unwritable", Code::UnwritableFile),
    ("folder-taken", Code::FolderNotEmpty),
    ("header-unclosed", Code::UnclosedFrontMatter),
    ("header-unreadable", Code::FrontMatterSyntax),
    ("image-missing", Code::MissingImage),
    ("key-missing", Code::MissingKey),
    ("key-repeated", Code::DuplicateKey),
    ("key-unknown", Code::UnknownKey),
    ("link-broken", Code::BrokenLink),
    ("link-unfit", Code::InvalidLinkPattern),
    ("mark-unfit", Code::InvalidPlaceholder),
    ("month-empty", Code::EmptyMonth),
    ("name-taken", Code::NameConflict),
    ("not-text", Code::InvalidUtf8),
    ("output-unfit", Code::InvalidOutputFolder),
    ("path-case", Code::PathCaseConflict),
    ("path-unfit", Code::InvalidPath),
    ("post-undated", Code::UndatedPosts),
    ("post-unfiled", Code::OrphanedPost),
    ("query-circle", Code::QueryCycle),
    ("query-empty", Code::EmptyResult),
    ("query-unfit", Code::InvalidQuery),
    ("query-unreadable", Code::QuerySyntax),
    ("related-filled", Code::WeakRelatedPosts),
    ("related-unknown", Code::UnknownRelatedPost),
    ("settings-missing", Code::MissingSettings),
    ("settings-unreadable", Code::SettingsSyntax),
    ("slug-empty", Code::EmptySlug),
    ("slug-unfit", Code::InvalidSlug),
    ("source-unknown", Code::UnknownSource),
    ("summary-missing", Code::MissingSummary),
    ("template-endless", Code::TemplateLimit),
    ("template-failed", Code::TemplateError),
    ("template-unreadable", Code::TemplateSyntax),
    ("template-unused", Code::UnusedTemplate),
    ("term-alike", Code::NearDuplicateTerms),
    ("term-lone", Code::SinglePostTerm),
    ("term-separator", Code::SuspiciousTerm),
    ("term-unknown", Code::UnusedTerm),
    ("type-unfit", Code::InvalidType),
    ("usage-unfit", Code::InvalidUsage),
    ("value-unfit", Code::InvalidValue),
    ("feed-undated", Code::UndatedPosts),
];

#[cfg(test)]
mod tests {
    use super::*;
    use crate::source::Location;
    use rstest::rstest;

    #[rstest]
    #[case::renamed("term-lone", "this code is called `single-post-term` now")]
    #[case::a_slip("broken-lnk", "did you mean `broken-link`?")]
    #[case::anything(
        "zzz",
        "write the code that is in brackets after a diagnostic, such as `single-post-term`"
    )]
    fn a_name_that_is_no_code(#[case] name: &str, #[case] expected: &str) {
        assert_eq!(LintLevels::default().deny(name), Err(expected.to_owned()));
        assert_eq!(LintLevels::default().allow(name), Err(expected.to_owned()));
    }

    #[test]
    fn no_former_name_is_a_code() {
        let names: BTreeSet<&str> = Code::ALL.iter().map(|code| code.name()).collect();
        for (former, _) in FORMER {
            assert!(!names.contains(former), "{former}");
        }
    }

    fn warning(code: Code) -> Diagnostic {
        Diagnostic::warning(code, Location::top_of("a.md"), "x")
    }

    #[rstest]
    #[case::as_it_is(&[], &[], &["warning single-post-term", "error unknown-key"])]
    #[case::denied(&["single-post-term"], &[], &["error single-post-term", "error unknown-key"])]
    #[case::all_denied(&["all"], &[], &["error single-post-term", "error unknown-key"])]
    #[case::all_but_one(&["all"], &["single-post-term"], &["error unknown-key"])]
    #[case::allowed(&[], &["single-post-term"], &["error unknown-key"])]
    #[case::errors_stay(&[], &["unknown-key"], &["warning single-post-term", "error unknown-key"])]
    #[case::the_last_word(&["single-post-term"], &["single-post-term"], &["error unknown-key"])]
    fn a_verdict(#[case] deny: &[&str], #[case] allow: &[&str], #[case] expected: &[&str]) {
        let mut levels = LintLevels::default();
        deny.iter().for_each(|code| levels.deny(code).unwrap());
        allow.iter().for_each(|code| levels.allow(code).unwrap());
        let error = Diagnostic {
            severity: Severity::Error,
            ..warning(Code::UnknownKey)
        };
        let found = levels.of(vec![warning(Code::SinglePostTerm), error]);
        let said: Vec<String> = found
            .iter()
            .map(|diagnostic| {
                let word = if diagnostic.is_error() {
                    "error"
                } else {
                    "warning"
                };
                format!("{word} {}", diagnostic.code.name())
            })
            .collect();
        assert_eq!(said, expected);
    }

    #[rstest]
    #[case::added(&["single-post-term"], &[], &["near-duplicate-terms"], &[], "single-post-term near-duplicate-terms")]
    #[case::allowed_after(&["single-post-term", "near-duplicate-terms"], &[], &[], &["single-post-term"], "near-duplicate-terms")]
    #[case::denied_after(&[], &["single-post-term"], &["single-post-term"], &[], "single-post-term")]
    #[case::all_after(&[], &["single-post-term"], &["all"], &[], "near-duplicate-terms")]
    fn levels_of_the_command_line_come_after_those_of_the_settings(
        #[case] denied: &[&str],
        #[case] allowed: &[&str],
        #[case] then_denied: &[&str],
        #[case] then_allowed: &[&str],
        #[case] expected: &str,
    ) {
        let levels = |deny: &[&str], allow: &[&str]| {
            let mut levels = LintLevels::default();
            deny.iter().for_each(|code| levels.deny(code).unwrap());
            allow.iter().for_each(|code| levels.allow(code).unwrap());
            levels
        };
        let all = levels(denied, allowed).with(&levels(then_denied, then_allowed));
        let codes = [Code::SinglePostTerm, Code::NearDuplicateTerms].into_iter();
        let found: Vec<&str> = codes
            .filter(|code| all.denies(*code))
            .map(|code| code.name())
            .collect();
        assert_eq!(found.join(" "), expected);
    }

    /// With "all" a new post is no error.
    #[rstest]
    #[case::all("all", &["single-post-term", "feed-lost", "address-lost"])]
    #[case::by_name("post-published", &["post-published"])]
    fn what_builds_are_for_is_denied_by_name(#[case] deny: &str, #[case] expected: &[&str]) {
        let mut levels = LintLevels::default();
        levels.deny(deny).unwrap();
        let codes = [
            Code::SinglePostTerm,
            Code::FeedLost,
            Code::AddressLost,
            Code::PostPublished,
            Code::PostWithdrawn,
        ];
        let denied = codes.iter().filter(|code| levels.denies(**code));
        let denied: Vec<&str> = denied.map(|code| code.name()).collect();
        assert_eq!(denied, expected);
    }
}
