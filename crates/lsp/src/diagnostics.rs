//! Diagnostics as an editor shows them.

use lsp_types::{
    CodeDescription, Diagnostic as LspDiagnostic, DiagnosticRelatedInformation, DiagnosticSeverity,
    NumberOrString,
};
use tabulae_core::diagnostic::Code;

use crate::edited::Finding;
use crate::open_site::OpenSite;
use crate::position::range_of;

/// The page of the documentation that explains each code.
const REFERENCE: &str = "https://tabulae.example/reference/diagnostics/";

/// Returns a diagnostic of a file with a text: with its code, a link to the reference, and the help below the sentence.
pub(crate) fn to_lsp(site: OpenSite<'_>, text: &str, finding: &Finding) -> LspDiagnostic {
    let found = &finding.diagnostic;
    let severity = match (found.is_error(), finding.is_lint) {
        (true, _) => DiagnosticSeverity::ERROR,
        (false, false) => DiagnosticSeverity::WARNING,
        (false, true) => DiagnosticSeverity::INFORMATION,
    };
    let message = match &found.help {
        Some(help) => format!("{}\nhelp: {help}", found.message),
        None => found.message.clone(),
    };
    let other = found.other.as_ref().and_then(|(location, word)| {
        let path = location.file.as_deref()?;
        let text = site.text(path)?;
        Some(vec![DiagnosticRelatedInformation {
            location: lsp_types::Location::new(site.uri(path)?, range_of(&text, location)),
            message: word.clone(),
        }])
    });
    LspDiagnostic {
        range: range_of(text, &found.location),
        severity: Some(severity),
        code: Some(NumberOrString::String(found.code.name().to_owned())),
        code_description: description(found.code),
        source: Some("tabulae".to_owned()),
        message,
        related_information: other,
        ..LspDiagnostic::default()
    }
}

fn description(code: Code) -> Option<CodeDescription> {
    let href = format!("{REFERENCE}#{}", code.name()).parse().ok()?;
    Some(CodeDescription { href })
}
