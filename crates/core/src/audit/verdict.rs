//! Which findings count.

use std::collections::BTreeSet;

use crate::diagnostic::{Code, Diagnostic, Faults, Severity, nearest};

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
    pub fn of(&self, found: Faults) -> Faults {
        let counts = |fault: &Diagnostic| fault.is_error() || !self.allowed.contains(&fault.code);
        let found = found.into_iter().filter(counts);
        found
            .map(
                |fault| match self.deny_all || self.denied.contains(&fault.code) {
                    true => Diagnostic {
                        severity: Severity::Error,
                        ..fault
                    },
                    false => fault,
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
