//! Which findings of an audit count.

use std::collections::BTreeSet;

use crate::diagnostic::{Code, Diagnostic, Diagnostics, Severity, nearest};

/// Which findings make an audit fail, and which are left out.
#[derive(Debug, Clone, Default, PartialEq, Eq)]
pub struct Verdict {
    deny_all: bool,
    denied: BTreeSet<Code>,
    allowed: BTreeSet<Code>,
}

/// The word that stands for every code.
pub const ALL: &str = "all";

impl Verdict {
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

    /// The findings that count, the denied ones as errors.
    #[must_use]
    pub fn of(&self, found: Diagnostics) -> Diagnostics {
        let counts = |diagnostic: &Diagnostic| {
            diagnostic.is_error() || !self.allowed.contains(&diagnostic.code)
        };
        let found = found.into_iter().filter(counts);
        found
            .map(
                |diagnostic| match self.deny_all || self.denied.contains(&diagnostic.code) {
                    true => Diagnostic {
                        severity: Severity::Error,
                        ..diagnostic
                    },
                    false => diagnostic,
                },
            )
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
        let mut verdict = Verdict::default();
        deny.iter().for_each(|code| verdict.deny(code).unwrap());
        allow.iter().for_each(|code| verdict.allow(code).unwrap());
        let error = Diagnostic {
            severity: Severity::Error,
            ..warning(Code::KeyUnknown)
        };
        let found = verdict.of(vec![warning(Code::TermLone), error]);
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

    #[test]
    fn a_code_that_there_is_not() {
        let said = Verdict::default().deny("term-alon");
        assert_eq!(said, Err("did you mean `term-lone`?".to_owned()));
    }
}
