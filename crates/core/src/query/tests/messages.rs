//! What the compiler says of statements that are not right, whole, as a person sees it: the
//! place, the sentence, the statement with a caret, and what to do.

use std::fmt::Write as _;

use super::*;

/// Statements as people write them who know another language, or are in haste.
const STATEMENTS: &str = include_str!("statements.txt");

#[test]
fn every_fault_says_where_what_and_what_to_do() {
    let world = world();
    let mut shown = String::new();
    for text in STATEMENTS.lines().filter(|line| !line.is_empty()) {
        if text.starts_with('#') {
            let _ = writeln!(shown, "{text}\n");
            continue;
        }
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
    insta::assert_snapshot!(shown);
}

fn show(diagnostic: &Diagnostic, out: &mut String) {
    let word = if diagnostic.is_error() {
        "error"
    } else {
        "warning"
    };
    let place = &diagnostic.place;
    let _ = writeln!(out, "{}: {word}: {}", place.column, diagnostic.message);
    let excerpt = place
        .excerpt
        .as_ref()
        .map_or("", |excerpt| excerpt.text.as_str());
    let before: String = excerpt
        .chars()
        .take(place.column - 1)
        .map(|_| ' ')
        .collect();
    let _ = writeln!(
        out,
        "    {excerpt}\n    {before}{}",
        "^".repeat(place.width.max(1))
    );
    let _ = writeln!(
        out,
        "  help: {}\n",
        diagnostic.help.as_deref().unwrap_or("—")
    );
}
