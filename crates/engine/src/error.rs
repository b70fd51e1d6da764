//! The error type of the engine.

use std::fmt;

use tabulae_core::diagnostic::Diagnostic;

use crate::report::BuildReport;

/// A failure with all its diagnostics, warnings among them. It prints each with place, sentence and help.
#[derive(Debug, Clone)]
pub struct Error {
    diagnostics: Vec<Diagnostic>,
    report: Option<Box<BuildReport>>,
}

impl Error {
    pub(crate) fn new(diagnostics: Vec<Diagnostic>) -> Self {
        Self {
            diagnostics,
            report: None,
        }
    }

    pub(crate) fn with_report(diagnostics: Vec<Diagnostic>, report: BuildReport) -> Self {
        Self {
            diagnostics,
            report: Some(Box::new(report)),
        }
    }

    /// Returns the diagnostics, in the order found.
    #[must_use]
    pub fn diagnostics(&self) -> &[Diagnostic] {
        &self.diagnostics
    }

    /// Returns the report of a failed build, if the site could be read.
    #[must_use]
    pub fn report(&self) -> Option<&BuildReport> {
        self.report.as_deref()
    }

    /// Returns the diagnostics by value.
    #[must_use]
    pub fn into_diagnostics(self) -> Vec<Diagnostic> {
        self.diagnostics
    }
}

impl fmt::Display for Error {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        for (number, diagnostic) in self.diagnostics.iter().enumerate() {
            let between = if number > 0 { "\n" } else { "" };
            write!(f, "{between}{diagnostic}")?;
        }
        Ok(())
    }
}

impl std::error::Error for Error {}

impl From<Box<Diagnostic>> for Error {
    fn from(diagnostic: Box<Diagnostic>) -> Self {
        Self::new(vec![*diagnostic])
    }
}

impl From<Diagnostic> for Error {
    fn from(diagnostic: Diagnostic) -> Self {
        Self::new(vec![diagnostic])
    }
}
