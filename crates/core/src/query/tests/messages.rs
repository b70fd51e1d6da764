//! The messages about statements with errors, whole, as a person sees them: the
//! place, the sentence, the statement with a caret, and what to do.

use std::fmt::Write as _;

use super::*;

/// Statements as people write them who know another language, or are in haste.
const STATEMENTS: &str = include_str!("statements.txt");

/// One section of the statements, each with what is said of it. A section is a snapshot of its own, so that a change of
/// one message fails one case.
#[rstest]
#[case::forms_of_other_languages("Forms of other languages")]
#[case::slips("Slips")]
#[case::dates("Dates")]
#[case::names("Names")]
#[case::types("Types")]
#[case::nothing_found("Nothing found")]
#[case::all_content_sets("All content sets")]
fn every_diagnostic_says_where_what_and_what_to_do(#[case] section: &str) {
    let world = world();
    let mut shown = String::new();
    let mut sections = STATEMENTS.split("\n# ");
    let statements =
        sections.find(|part| part.trim_start_matches("# ").lines().next() == Some(section));
    let statements = statements.expect("a section of this name");
    for text in statements.lines().skip(1).filter(|line| !line.is_empty()) {
        let compiled = world.compile(text, false, &[]);
        let mut diagnostics = compiled.diagnostics;
        if let Some(query) = compiled.output
            && query.run(&world.catalogue, None).total == 0
        {
            diagnostics.extend(world.why_empty(text));
        }
        assert!(!diagnostics.is_empty(), "nothing is wrong with {text}");
        for diagnostic in diagnostics {
            show(&diagnostic, &mut shown);
        }
    }
    insta::assert_snapshot!(section.to_lowercase().replace(' ', "_"), shown);
}

#[test]
fn every_section_is_shown() {
    let sections = STATEMENTS.lines().filter(|line| line.starts_with("# "));
    assert_eq!(sections.count(), 7);
}

fn show(diagnostic: &Diagnostic, out: &mut String) {
    let word = if diagnostic.is_error() {
        "error"
    } else {
        "warning"
    };
    let location = &diagnostic.location;
    let _ = writeln!(out, "{}: {word}: {}", location.column, diagnostic.message);
    let excerpt = location
        .excerpt
        .as_ref()
        .map_or("", |excerpt| excerpt.text.as_str());
    let before: String = excerpt
        .chars()
        .take(location.column - 1)
        .map(|_| ' ')
        .collect();
    let _ = writeln!(
        out,
        "    {excerpt}\n    {before}{}",
        "^".repeat(location.width.max(1))
    );
    let _ = writeln!(
        out,
        "  help: {}\n",
        diagnostic.help.as_deref().unwrap_or("—")
    );
}
