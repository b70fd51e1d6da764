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
    let found = Code::ALL.iter().find(|code| code.name() == name).copied();
    found.ok_or_else(|| match nearest(name, names()) {
        Some(near) => format!("did you mean `{near}`?"),
        None => "write the code that stands in brackets behind a fault, such as `term-lone`".into(),
    })
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::source::Place;
    use rstest::rstest;

    fn warning(code: Code) -> Diagnostic {
        Diagnostic::warning(code, Place::top_of("a.md"), "x")
    }

    #[rstest]
    #[case::as_it_is(&[], &[], &["warning term-lone", "error key-unknown"])]
    #[case::denied(&["term-lone"], &[], &["error term-lone", "error key-unknown"])]
    #[case::all_denied(&["all"], &[], &["error term-lone", "error key-unknown"])]
    #[case::all_but_one(&["all"], &["term-lone"], &["error key-unknown"])]
    #[case::allowed(&[], &["term-lone"], &["error key-unknown"])]
    #[case::errors_stay(&[], &["key-unknown"], &["warning term-lone", "error key-unknown"])]
    #[case::the_last_word(&["term-lone"], &["term-lone"], &["error key-unknown"])]
    fn a_verdict(#[case] deny: &[&str], #[case] allow: &[&str], #[case] expected: &[&str]) {
        let mut levels = LintLevels::default();
        deny.iter().for_each(|code| levels.deny(code).unwrap());
        allow.iter().for_each(|code| levels.allow(code).unwrap());
        let error = Diagnostic {
            severity: Severity::Error,
            ..warning(Code::KeyUnknown)
        };
        let found = levels.of(vec![warning(Code::TermLone), error]);
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
    #[case::added(&["term-lone"], &[], &["term-alike"], &[], "term-lone term-alike")]
    #[case::allowed_after(&["term-lone", "term-alike"], &[], &[], &["term-lone"], "term-alike")]
    #[case::denied_after(&[], &["term-lone"], &["term-lone"], &[], "term-lone")]
    #[case::all_after(&[], &["term-lone"], &["all"], &[], "term-alike")]
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
        let codes = [Code::TermLone, Code::TermAlike].into_iter();
        let found: Vec<&str> = codes
            .filter(|code| all.denies(*code))
            .map(|code| code.name())
            .collect();
        assert_eq!(found.join(" "), expected);
    }

    /// With "all" a new post is no error.
    #[rstest]
    #[case::all("all", &["term-lone", "feed-lost", "address-lost"])]
    #[case::by_name("post-published", &["post-published"])]
    fn what_builds_are_for_is_denied_by_name(#[case] deny: &str, #[case] expected: &[&str]) {
        let mut levels = LintLevels::default();
        levels.deny(deny).unwrap();
        let codes = [
            Code::TermLone,
            Code::FeedLost,
            Code::AddressLost,
            Code::PostPublished,
            Code::PostWithdrawn,
        ];
        let denied = codes.iter().filter(|code| levels.denies(**code));
        let denied: Vec<&str> = denied.map(|code| code.name()).collect();
        assert_eq!(denied, expected);
    }

    #[test]
    fn a_code_that_there_is_not() {
        let said = LintLevels::default().deny("term-alon");
        assert_eq!(said, Err("did you mean `term-lone`?".to_owned()));
    }
}
